//! Applies a plan to files.

use std::collections::HashSet;
use std::io::Write;
use std::path::Path;

use rummage_view::{ViewError, counted, safe};
use url::Url;

use super::remaining::{self, Remaining};
use crate::args::MendApplyArgs;
use crate::failure::{Exit, Failure};
use crate::grounds::files::{Applied, FileChange, Files};
use crate::grounds::seen::Seen;
use crate::output;
use crate::plan_file::PlanFile;
use crate::session::Session;
use crate::urls;

/// What a plan changes in a folder, before it is written.
pub(crate) struct Edits {
    files: Files,
    pub(crate) applied: Applied,
    seen: Seen,
}

/// Looks at the files of a folder, without changing them.
pub(crate) fn preview(folder: &Path, at: &Url, plan: &PlanFile) -> Result<Edits, Failure> {
    let files = Files::open(folder, at, &[])?;
    if files.is_interrupted() {
        return Err(Failure::Conflict {
            what: "a change of these files was interrupted, and is not complete".to_owned(),
            hint: "Complete it first: rummage mend apply --write".to_owned(),
        });
    }
    let applied = files.apply(&plan.plan());
    let seen = Seen::of(folder, changed(&applied));
    Ok(Edits { files, applied, seen })
}

impl Edits {
    /// The files that change.
    pub(crate) fn changed(&self) -> impl Iterator<Item = &FileChange> {
        changed(&self.applied)
    }

    /// Writes the changes, if they are the same as those that `shown` has shown.
    pub(crate) fn write(&self, shown: &Edits) -> Result<(), Failure> {
        check_seen(Some(&shown.seen), &self.seen)?;
        self.files.write(&self.applied)
    }
}

pub(super) fn apply(
    args: &MendApplyArgs,
    folder: &Path,
    file: &PlanFile,
    session: &Session,
) -> Result<Exit, Failure> {
    // Of a site, the folder is published at the root, wherever the crawl began.
    let root = file.site.as_ref().and_then(|site| site.join("/").ok());
    let at = match &args.options.at {
        Some(at) => urls::published_at(at)?,
        None => root.ok_or_else(|| Failure::Usage {
            what: "it is not known where the folder is published".to_owned(),
            hint: "Give the URL: --as https://www.example.test/".to_owned(),
        })?,
    };
    let plan = file.plan();
    let files = Files::open(folder, &at, &args.more_files)?;
    let mut err = session.terminal.stderr();
    if args.write
        && let Some(count) = files.recover()?
    {
        let many = counted(count as u64, "file", "files");
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
    let now = Seen::of(folder, changed(&applied));
    if args.write {
        check_seen(Seen::load(&args.plan).as_ref(), &now)?;
        files.write(&applied)?;
        Seen::forget(&args.plan);
    } else {
        now.save(&args.plan);
    }
    let mut remaining = in_files(&applied);
    let found = Found::of(&applied);
    let site = file.site.as_ref().unwrap_or(&at);
    let is_found = |page: &str, target: &str| found.has(page, target);
    let why = "not found in the files";
    remaining.extend(remaining::not_found(session, site, &plan, is_found, why)?);
    summarize(args, session, &applied, &remaining)?;
    Ok(if applied.unread.is_empty() { Exit::Fine } else { Exit::Unfinished })
}

/// Checks that what is written is what the last diff has shown, if there was one.
fn check_seen(shown: Option<&Seen>, now: &Seen) -> Result<(), Failure> {
    match shown.and_then(|shown| shown.first_difference(now)) {
        None => Ok(()),
        Some(name) => Err(Failure::Conflict {
            what: format!("{} has changed since the diff; nothing was written", safe(name)),
            hint: "Look at the diff again: the same command without --write.".to_owned(),
        }),
    }
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

/// The links in files that cannot be edited safely.
fn in_files(applied: &Applied) -> Vec<Remaining> {
    let of_file = |file: &'_ FileChange| -> Vec<Remaining> {
        file.by_hand.iter().map(|one| Remaining::in_source(&file.name, one)).collect()
    };
    applied.files.iter().flat_map(of_file).collect()
}

/// The links that were found in the files.
struct Found<'a> {
    /// By the URL of the page and the target.
    in_pages: HashSet<(&'a str, &'a str)>,
    /// Targets in what pages are made from: which pages is not known.
    in_sources: HashSet<&'a str>,
}

impl Found<'_> {
    fn of(applied: &Applied) -> Found<'_> {
        let mut found = Found { in_pages: HashSet::new(), in_sources: HashSet::new() };
        for file in &applied.files {
            let changes = file.changes.iter().map(|change| change.target.as_str());
            let by_hand = file.by_hand.iter().map(|one| one.target.as_str());
            for target in changes.chain(by_hand) {
                match file.is_page {
                    true => {
                        found.in_pages.extend(file.urls.iter().map(|url| (url.as_str(), target)))
                    }
                    false => {
                        found.in_sources.insert(target);
                    }
                }
            }
        }
        found
    }

    fn has(&self, page: &str, target: &str) -> bool {
        self.in_pages.contains(&(page, target)) || self.in_sources.contains(target)
    }
}

fn summarize(
    args: &MendApplyArgs,
    session: &Session,
    applied: &Applied,
    remaining: &[Remaining],
) -> Result<(), Failure> {
    let mut lines: Vec<String> = applied
        .unread
        .iter()
        .map(|(name, why)| format!("{}: not looked at: {}", safe(name), safe(why)))
        .collect();
    lines.extend(remaining::lines(remaining));
    let files: Vec<&FileChange> = changed(applied).collect();
    let links: usize = files.iter().map(|file| file.changes.len()).sum();
    let looked_at = applied.looked_at as u64;
    let what = format!(
        "{} in {} of {} looked at",
        counted(links as u64, "link", "links"),
        counted(files.len() as u64, "file", "files"),
        rummage_view::count(looked_at)
    );
    lines.push(match (&args.patch, args.write, files.is_empty()) {
        (_, _, true) => {
            format!("nothing to change in {} looked at", counted(looked_at, "file", "files"))
        }
        (Some(patch), ..) => format!("{what}; the patch is in {}", patch.display()),
        (None, true, _) => format!("changed {what}"),
        (None, false, _) => format!("would change {what}; --write makes the changes"),
    });
    let mut out = session.terminal.stdout();
    for line in lines {
        writeln!(out, "{line}").map_err(ViewError::from)?;
    }
    Ok(())
}
