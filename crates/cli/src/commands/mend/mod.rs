//! `rummage mend`: from broken links to repairs that are known to work.

mod apply;
mod cases;
mod confirm;
mod entries;
mod faults;
mod mass;
mod places;
mod propose;
mod redirects;
mod remaining;
pub(crate) mod set;
mod show;
pub(crate) mod to_files;
mod to_wordpress;
mod trials;

pub(crate) use propose::proposals;
pub(in crate::commands) use propose::run as propose;

use crate::args::{MendArgs, MendCommand};
use crate::failure::{Exit, Failure};
use crate::output::Terminal;
use crate::session::Session;

pub(crate) fn run(
    args: MendArgs,
    terminal: Terminal,
    open: impl FnOnce() -> Result<Session, Failure>,
) -> Result<Exit, Failure> {
    match args.command {
        MendCommand::Propose(propose) => propose::run(&propose, &open()?),
        MendCommand::Set(set) => set::run(&set, &open()?),
        MendCommand::Show(show) => show::run(&show, terminal),
        MendCommand::Apply(apply) => apply::run(&apply, &open()?),
        MendCommand::Undo(undo) => to_wordpress::undo(&undo, &open()?),
        MendCommand::Redirects(redirects) => redirects::run(&redirects, terminal),
        MendCommand::Confirm(confirm) => open()?.writing(|session| confirm::run(&confirm, session)),
    }
}
