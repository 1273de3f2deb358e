//! `rummage mend set`: a decision on targets, written into a plan.

use std::io::Write;

use rummage_store::Reader;
use rummage_view::{ViewError, counted};
use url::Url;

use crate::args::MendSetArgs;
use crate::failure::{Exit, Failure};
use crate::plan_file::edit::{self, Before, Choice};
use crate::session::Session;

pub(super) fn run(args: &MendSetArgs, session: &Session) -> Result<Exit, Failure> {
    let line = if args.remove {
        let removed = edit::remove(&args.plan, &args.targets)?;
        format!("{}: removed {}", args.plan.display(), counted(removed as u64, "entry", "entries"))
    } else {
        set(args, session)?.0
    };
    writeln!(session.terminal.stdout(), "{line}").map_err(ViewError::from)?;
    Ok(Exit::Fine)
}

/// Writes the decision. Returns what was done in one line, and what was there before.
pub(crate) fn set(args: &MendSetArgs, session: &Session) -> Result<(String, Before), Failure> {
    let action = args.action.expect("it is required unless entries are removed").0;
    let to = args.to.clone().filter(|_| action.needs_url());
    let choice = |target: &String| Choice { target: target.clone(), action, to: to.clone() };
    let choices: Vec<Choice> = args.targets.iter().map(choice).collect();
    let before = edit::set(&args.plan, site(session).as_ref(), &choices)?;
    let targets = counted(choices.len() as u64, "target", "targets");
    let by = to.map_or(String::new(), |to| format!(" -> {}", rummage_view::safe(&to)));
    Ok((format!("{}: {} {targets}{by}", args.plan.display(), action.as_str()), before))
}

/// The start URL of the site, for a plan that is made anew.
fn site(session: &Session) -> Option<Url> {
    let reader = Reader::open(&session.store).ok()?;
    let run = session.run(&reader, None).ok()?;
    Url::parse(&run.start).ok()
}
