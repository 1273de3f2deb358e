//! `rummage triage`: the full-screen view, and the commands that do the same.

use rummage_triage::View;
use rummage_view::{Group, TargetOrder};

use crate::args::{GroupChoice, Selecting, TriageArgs};
use crate::failure::{Exit, Failure};
use crate::session::Session;
use crate::triage::{self, Listed, Opening, words};

pub(super) fn run(args: &TriageArgs, session: &Session) -> Result<Exit, Failure> {
    // That there is a run is checked while errors can still be read.
    let reader = session.reader()?;
    let run = session.run(&reader, args.stored.run)?;
    // Where there are several sites, a decision is about the one that is listed, whatever is
    // crawled meanwhile.
    let is_one_of_many = session.site.is_none() && reader.sites()?.len() > 1;
    let site = if is_one_of_many { Some(run.site.clone()) } else { session.site.clone() };
    let session = &Session { site, ..session.clone() };
    let group = match args.group {
        Some(GroupChoice::Page) => Group::Page,
        Some(GroupChoice::Host) => Group::Host,
        Some(GroupChoice::Cause) => Group::Cause,
        Some(GroupChoice::Target | GroupChoice::None) | None => Group::Target,
    };
    let selection = words::line(&args.stored.words());
    let default = opening(session, &Selecting::default(), Listed::Site(run.site));
    let opening = Opening {
        view: View { selection, group, ..default.view },
        plan: args.plan.clone().unwrap_or(default.plan),
        files: args.files.clone(),
        at: args.at.clone(),
        listed: default.listed,
    };
    triage::run(session, opening, None)
}

/// What the view opens with by default.
pub(super) fn opening(session: &Session, selecting: &Selecting, listed: Listed) -> Opening {
    let here = session.config.folder().map_or_else(Default::default, ToOwned::to_owned);
    let selection = words::line(&selecting.words());
    Opening {
        view: View { selection, group: Group::Target, order: TargetOrder::Worst },
        plan: here.join("plan.toml"),
        files: None,
        at: None,
        listed,
    }
}
