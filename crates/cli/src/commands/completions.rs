//! `rummage completions`: completion scripts for shells.

use crate::args::{self, CompletionsArgs};
use crate::failure::{Exit, Failure};

pub(crate) fn run(args: &CompletionsArgs) -> Result<Exit, Failure> {
    let mut script = Vec::new();
    clap_complete::generate(args.shell, &mut args::command(), "rummage", &mut script);
    std::io::Write::write_all(&mut std::io::stdout(), &script)
        .map_err(rummage_view::ViewError::from)?;
    Ok(Exit::Fine)
}
