//! `rummage mend apply`: the changes of a plan to sources, as a diff or made.

use std::collections::HashSet;
use std::io::Write;
use std::path::Path;

use rummage_core::mend::plan::{Action, Plan};
use rummage_store::Reader;
use rummage_view::{ViewError, safe};
use url::Url;

use super::places::{self, Place};
use crate::args::MendApplyArgs;
use crate::failure::{Exit, Failure};
use crate::grounds::files::{Applied, FileChange, Files};
use crate::output;
use crate::plan_file::PlanFile;
use crate::session::Session;
use crate::urls;

/// How many links to fix by hand are listed.
const LISTED: usize = 40;

pub(super) fn run(args: &MendApplyArgs, session: &Session) -> Result<Exit, Failure> {
    let file = PlanFile::load(&args.plan)?;
    let at = match &args.at {
        Some(at) => urls::published_at(at)?,
        None => root_of(file.site.as_ref()).ok_or_else(|| Failure::Usage {
            what: "it is not known where the folder is published".to_owned(),
            hint: "Give the URL: --as https://www.example.test/".to_owned(),
        })?,
    };
    let plan = file.plan();
    let files = Files::open(&args.files, &at, &args.also)?;
    let mut err = session.terminal.stderr();
    if args.write
        && let Some(count) = files.recover()?
    {
        let many = rummage_view::counted(count as u64, "file", "files");
        let _ = writeln!(err, "completed the change of {many} that was interrupted");
    }
    if files.is_interrupted() {
        let _ = writeln!(
            err,
            "a change of these files was interrupted, and is not complete; --write completes it first"
        );
    }
    let applied = files.apply(&plan);
    if let Some(patch) = &args.patch {
        write_patch(patch, &applied)?;
    } else {
        show_diff(session, &applied)?;
    }
    if args.write {
        files.write(&applied)?;
    }
    let by_hand = by_hand(session, &file, &plan, &applied, &at)?;
    summarize(args, session, &applied, &by_hand)?;
    Ok(if applied.unread.is_empty() { Exit::Fine } else { Exit::Unfinished })
}

/// The home page of a site, whatever its start page is.
fn root_of(site: Option<&Url>) -> Option<Url> {
    site.and_then(|site| site.join("/").ok())
}

fn changed(applied: &Applied) -> impl Iterator<Item = &FileChange> {
    applied.files.iter().filter(|file| file.is_changed())
}

fn show_diff(session: &Session, applied: &Applied) -> Result<(), Failure> {
    let mut out = output::buffered(session.terminal.stdout());
    for file in changed(applied) {
        rummage_view::diff(&mut out, &file.name, &file.old_text, &file.new_text)?;
    }
    out.flush().map_err(ViewError::from)?;
    Ok(())
}

fn write_patch(path: &Path, applied: &Applied) -> Result<(), Failure> {
    let mut text = Vec::new();
    for file in changed(applied) {
        rummage_view::patch(&mut text, &file.name, &file.old, &file.new)?;
    }
    std::fs::write(path, text).map_err(|reason| Failure::Usage {
        what: format!("cannot write {}: {reason}", path.display()),
        hint: "Give another file with --patch.".to_owned(),
    })
}

/// A link that was not changed.
struct Remaining {
    page: String,
    line: u32,
    target: String,
    text: Option<String>,
    why: String,
}

/// The links that the plan concerns and that were not changed: those in the files that cannot be
/// edited safely, and those of the last run that no file has.
fn by_hand(
    session: &Session,
    file: &PlanFile,
    plan: &Plan,
    applied: &Applied,
    at: &Url,
) -> Result<Vec<Remaining>, Failure> {
    let mut all: Vec<Remaining> = Vec::new();
    for file in &applied.files {
        for one in &file.by_hand {
            all.push(Remaining {
                page: file.name.clone(),
                line: one.line,
                target: one.target.clone(),
                text: one.text.clone(),
                why: one.why.to_owned(),
            });
        }
    }
    for place in unseen(session, file, plan, applied, at)? {
        all.push(Remaining {
            page: place.row.page,
            line: place.row.line,
            target: place.target,
            text: place.row.text,
            why: "not found in the files".to_owned(),
        });
    }
    Ok(all)
}

/// The links of the last run that the plan concerns, and that are in none of the files.
fn unseen(
    session: &Session,
    file: &PlanFile,
    plan: &Plan,
    applied: &Applied,
    at: &Url,
) -> Result<Vec<Place>, Failure> {
    if !session.store.exists() {
        return Ok(Vec::new());
    }
    let reader = Reader::open(&session.store)?;
    let site = file.site.as_ref().map_or_else(|| urls::host(at), urls::host);
    let runs = reader.runs()?.into_iter().rev();
    let same = |run: &rummage_store::RunInfo| {
        Url::parse(&run.start).is_ok_and(|start| urls::host(&start) == site)
    };
    let Some(run) = runs.filter(|run| run.state.is_complete()).find(same) else {
        return Ok(Vec::new());
    };
    let run = reader.open_run(run)?;
    let mut in_pages: HashSet<(&str, &str)> = HashSet::new();
    let mut in_sources: HashSet<&str> = HashSet::new();
    for file in &applied.files {
        let changes = file.changes.iter().map(|change| change.target.as_str());
        let by_hand = file.by_hand.iter().map(|one| one.target.as_str());
        for target in changes.chain(by_hand) {
            match file.is_page {
                true => in_pages.extend(file.urls.iter().map(|url| (url.as_str(), target))),
                false => {
                    in_sources.insert(target);
                }
            }
        }
    }
    let places = places::of(&run, plan)?.into_iter();
    let edits = |place: &Place| {
        matches!(place.step.action, Action::Replace | Action::Unwrap | Action::Drop)
            && place.step.to.as_ref() != Some(&place.target)
    };
    let is_seen = |place: &Place| {
        in_pages.contains(&(place.row.page.as_str(), place.target.as_str()))
            || in_sources.contains(place.target.as_str())
    };
    Ok(places.filter(|place| edits(place) && !is_seen(place)).collect())
}

fn summarize(
    args: &MendApplyArgs,
    session: &Session,
    applied: &Applied,
    by_hand: &[Remaining],
) -> Result<(), Failure> {
    let mut out = session.terminal.stdout();
    let counted = |number: usize, one, many| rummage_view::counted(number as u64, one, many);
    let mut lines = Vec::new();
    for (name, why) in &applied.unread {
        lines.push(format!("{}: not looked at: {}", safe(name), safe(why)));
    }
    if !by_hand.is_empty() {
        lines.push(format!("{} to fix by hand:", counted(by_hand.len(), "link", "links")));
        for one in by_hand.iter().take(LISTED) {
            let line = if one.line > 0 { format!(":{}", one.line) } else { String::new() };
            let text = one.text.as_ref().filter(|text| !text.is_empty());
            let text = text.map_or_else(String::new, |text| format!("  \"{}\"", safe(text)));
            lines.push(format!(
                "  {}{line}  {}{text}  ({})",
                safe(&one.page),
                safe(&one.target),
                one.why
            ));
        }
        if by_hand.len() > LISTED {
            lines.push(format!("  and {} more", by_hand.len() - LISTED));
        }
    }
    let files: Vec<&FileChange> = changed(applied).collect();
    let links: usize = files.iter().map(|file| file.changes.len()).sum();
    let what = format!(
        "{} in {} of {} looked at",
        counted(links, "link", "links"),
        counted(files.len(), "file", "files"),
        rummage_view::count(applied.looked_at as u64)
    );
    lines.push(match (&args.patch, args.write, files.is_empty()) {
        (_, _, true) => {
            format!(
                "nothing to change in {} looked at",
                counted(applied.looked_at, "file", "files")
            )
        }
        (Some(patch), ..) => format!("{what}; the patch is in {}", patch.display()),
        (None, true, _) => format!("changed {what}"),
        (None, false, _) => format!("would change {what}; --write makes the changes"),
    });
    for line in lines {
        writeln!(out, "{line}").map_err(ViewError::from)?;
    }
    Ok(())
}
