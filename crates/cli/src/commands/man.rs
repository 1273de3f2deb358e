//! `rummage man`: manual pages, made from the same text as the help.

use std::fs;
use std::io::Write as _;
use std::path::Path;

use clap_mangen::Man;
use rummage_view::{ViewError, counted, safe};

use crate::args::{self, ManArgs};
use crate::failure::{Exit, Failure};
use crate::output::Terminal;

pub(crate) fn run(args: &ManArgs, terminal: Terminal) -> Result<Exit, Failure> {
    let mut command = in_full(args::command());
    // Gives each command its whole name, and the options of every command.
    command.build();
    if let Some(folder) = &args.output {
        let pages = write_all(&command, folder)?;
        if !terminal.quiet {
            let folder = safe(&folder.display().to_string()).to_string();
            let pages = counted(pages, "page", "pages");
            let _ = writeln!(terminal.stderr(), "{pages} in {folder}");
        }
        return Ok(Exit::Fine);
    }
    let mut named = &command;
    for name in &args.page {
        named = named.find_subcommand(name).ok_or_else(|| Failure::Usage {
            what: format!("there is no command {}", safe(&args.page.join(" "))),
            hint: "rummage --help lists all of them.".to_owned(),
        })?;
    }
    std::io::stdout().write_all(&page(named).1).map_err(ViewError::from)?;
    Ok(Exit::Fine)
}

/// A manual page shows what the short help hides.
fn in_full(command: clap::Command) -> clap::Command {
    let names: Vec<String> =
        command.get_subcommands().map(|below| below.get_name().to_owned()).collect();
    let command = command.mut_args(|arg| arg.hide_short_help(false));
    names.into_iter().fold(command, |command, name| command.mut_subcommand(name, in_full))
}

/// The name of a manual page, such as `rummage-mend-apply`, and the page.
fn page(command: &clap::Command) -> (String, Vec<u8>) {
    let name = command.get_display_name().unwrap_or(command.get_name()).to_owned();
    let mut page = Vec::new();
    let source = concat!("Rummage ", env!("CARGO_PKG_VERSION"));
    // The name in the page is that of its file, as man expects.
    let man = Man::new(command.clone()).title(name.to_uppercase()).source(source);
    man.render(&mut page).expect("memory accepts all writes");
    (name, page)
}

/// Writes the pages of a command and all those below it, and counts them.
fn write_all(command: &clap::Command, folder: &Path) -> Result<u64, Failure> {
    let failed = |reason| Failure::System { what: "cannot write the manual pages", reason };
    fs::create_dir_all(folder).map_err(failed)?;
    let (name, page) = page(command);
    fs::write(folder.join(format!("{name}.1")), page).map_err(failed)?;
    let mut pages = 1;
    for below in command.get_subcommands().filter(|below| !below.is_hide_set()) {
        pages += write_all(below, folder)?;
    }
    Ok(pages)
}
