//! Applies a plan to a WordPress site, and takes that back.

use std::collections::HashSet;
use std::io::Write;

use rummage_view::{ViewError, counted, safe};
use url::Url;

use super::remaining::{self, Remaining};
use crate::args::{CheckOptions, MendApplyArgs, MendUndoArgs};
use crate::failure::{Exit, Failure};
use crate::grounds::undo::{self, Undo, UndoItem};
use crate::grounds::wordpress::{Blog, ItemChange, Written};
use crate::jobs::plain;
use crate::output;
use crate::plan_file::PlanFile;
use crate::session::Session;
use crate::urls;

pub(super) fn apply(
    args: &MendApplyArgs,
    site: &str,
    file: &PlanFile,
    session: &Session,
) -> Result<Exit, Failure> {
    let site = urls::published_at(site)?;
    let undo_file = undo::file(&args.plan);
    if args.write && undo_file.exists() {
        return Err(Failure::Usage {
            what: format!("{} has changes that could be undone still", undo_file.display()),
            hint: "Undo them with rummage mend undo, or delete the file if they are to stay."
                .to_owned(),
        });
    }
    let blog = open(&site, &args.options, session)?;
    let plan = file.plan();
    let (items, looked_at) = blog.apply(&plan, |_| ())?;
    let mut out = output::buffered(session.terminal.stdout());
    for change in &items {
        rummage_view::diff(&mut out, &change.item.name(), &change.item.content, &change.new)?;
    }
    out.flush().map_err(ViewError::from)?;
    let changed: Vec<&ItemChange> =
        items.iter().filter(|change| change.item.content != change.new).collect();
    let mut lines = Vec::new();
    let mut left_alone = 0;
    if args.write && !changed.is_empty() {
        let items = changed.iter().map(|change| undo_item(change)).collect();
        let mut undo = Undo { wordpress: site.to_string(), items };
        // Before the first change: nothing is lost, whatever happens.
        undo.save(&undo_file)?;
        let written = write_all(&blog, &changed, &mut undo.items);
        // What was stored may differ from what was sent, and is what can be undone.
        undo.save(&undo_file)?;
        for why in written? {
            left_alone += 1;
            lines.push(why);
        }
    }
    let seen: HashSet<(&str, &str)> = items
        .iter()
        .flat_map(|change| {
            let link = change.item.link.split('#').next().unwrap_or_default();
            let targets = change.changes.iter().map(|one| one.target.as_str());
            let by_hand = change.by_hand.iter().map(|one| one.target.as_str());
            targets.chain(by_hand).map(move |target| (link, target))
        })
        .collect();
    let by_hand = items.iter().flat_map(|change| {
        change.by_hand.iter().map(|one| Remaining::in_source(&change.item.name(), one))
    });
    let mut left: Vec<Remaining> = by_hand.collect();
    let is_found = |page: &str, target: &str| seen.contains(&(page, target));
    let why = "not found in the content of this page: a menu, a widget or the theme?";
    left.extend(remaining::not_found(session, &site, &plan, is_found, why)?);
    lines.extend(remaining::lines(&left));
    let links: usize = changed.iter().map(|change| change.changes.len()).sum();
    let what = format!(
        "{} in {} of {} looked at",
        counted(links as u64, "link", "links"),
        counted(changed.len() as u64, "item", "items"),
        rummage_view::count(looked_at as u64)
    );
    lines.push(match (changed.is_empty(), args.write) {
        (true, _) => {
            format!("nothing to change in {} looked at", counted(looked_at as u64, "item", "items"))
        }
        (false, false) => format!("would change {what}; --write makes the changes"),
        (false, true) if left_alone > 0 => {
            format!("changed {what}; {} to look at", counted(left_alone, "item", "items"))
        }
        (false, true) => {
            format!("changed {what}; take it back with: rummage mend undo {}", args.plan.display())
        }
    });
    say(session, &lines)?;
    Ok(if left_alone > 0 { Exit::Unfinished } else { Exit::Fine })
}

/// Changes the items, and notes what was stored. Returns what was left alone, and why.
fn write_all(
    blog: &Blog,
    changed: &[&ItemChange],
    undo: &mut [UndoItem],
) -> Result<Vec<String>, Failure> {
    let mut left_alone = Vec::new();
    for (change, undo) in changed.iter().zip(undo) {
        let name = change.item.name();
        match blog.write(&change.item, &change.new)? {
            Written::Stored { stored, is_kept } => {
                undo.new = stored;
                if !is_kept {
                    left_alone.push(format!(
                        "{}: changed, but WordPress removed a link from it: look at it",
                        safe(&name)
                    ));
                }
            }
            Written::LeftAlone(why) => {
                left_alone.push(format!("{}: not changed: {why}", safe(&name)));
            }
        }
    }
    Ok(left_alone)
}

/// Takes back what [`apply`] has changed.
pub(super) fn undo(args: &MendUndoArgs, session: &Session) -> Result<Exit, Failure> {
    let path = undo::file(&args.plan);
    let mut undo = Undo::load(&path)?;
    let blog = open(&urls::url(&undo.wordpress)?, &args.options, session)?;
    let (mut lines, mut kept, mut done) = (Vec::new(), Vec::new(), 0);
    for one in std::mem::take(&mut undo.items) {
        let name = format!("{}/{} {}", one.kind, one.id, one.title);
        let why = match blog.find(&one.kind, one.id)? {
            None => Some("it is no longer there".to_owned()),
            Some(item) if item.content.trim() == one.old.trim() => None,
            Some(item) if item.content.trim() != one.new.trim() => {
                Some("it was modified since".to_owned())
            }
            Some(item) => match blog.write(&item, &one.old)? {
                Written::Stored { .. } => {
                    done += 1;
                    None
                }
                Written::LeftAlone(why) => Some(why),
            },
        };
        if let Some(why) = why {
            lines.push(format!("{}: not restored: {why}", safe(name.trim())));
            kept.push(one);
        }
    }
    lines.push(format!("restored {}", counted(done, "item", "items")));
    let is_whole = kept.is_empty();
    if is_whole {
        std::fs::remove_file(&path)
            .map_err(|reason| Failure::System { what: "cannot delete the undo file", reason })?;
    } else {
        undo.items = kept;
        undo.save(&path)?;
    }
    say(session, &lines)?;
    Ok(if is_whole { Exit::Fine } else { Exit::Unfinished })
}

fn open(site: &Url, options: &CheckOptions, session: &Session) -> Result<Blog, Failure> {
    let section = session.section_of(&urls::host(site));
    let settings = session.config.settings(section.as_deref());
    let options = options.clone().or(settings.options);
    Blog::open(site, plain::config(&options, std::slice::from_ref(site))?)
}

fn undo_item(change: &ItemChange) -> UndoItem {
    UndoItem {
        kind: change.item.kind.clone(),
        id: change.item.id,
        title: change.item.title.clone(),
        old: change.item.content.clone(),
        new: change.new.clone(),
    }
}

fn say(session: &Session, lines: &[String]) -> Result<(), Failure> {
    let mut out = session.terminal.stdout();
    for line in lines {
        writeln!(out, "{line}").map_err(ViewError::from)?;
    }
    Ok(())
}
