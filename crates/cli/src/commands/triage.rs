//! `rummage triage`: the full-screen view, and the commands that do the same.

use rummage_triage::View;
use rummage_view::{Group, TargetOrder};

use crate::args::{GroupChoice, TriageArgs};
use crate::failure::{Exit, Failure};
use crate::session::Session;
use crate::triage::{self, Opening, words};

pub(super) fn run(args: &TriageArgs, session: &Session) -> Result<Exit, Failure> {
    // That there is a run is checked while errors can still be read.
    let reader = session.reader()?;
    let run = session.run(&reader, args.stored.run)?;
    let group = match args.group {
        Some(GroupChoice::Page) => Group::Page,
        Some(GroupChoice::Host) => Group::Host,
        Some(GroupChoice::Cause) => Group::Cause,
        Some(GroupChoice::Target | GroupChoice::None) | None => Group::Target,
    };
    let view =
        View { selection: words::line(&args.stored.words()), group, order: TargetOrder::Worst };
    let here = session.config.folder().map_or_else(Default::default, ToOwned::to_owned);
    let opening = Opening {
        view,
        plan: args.plan.clone().unwrap_or_else(|| here.join("plan.toml")),
        files: args.files.clone(),
        at: args.at.clone(),
        site: run.site,
    };
    triage::run(session, opening, None)
}
