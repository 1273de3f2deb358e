//! The findings of a run that match a selection.

use std::io::Write;

use rummage_core::crawl::Note;
use rummage_core::findings::selection::Selection;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{OpenRun, Reader, RunInfo, RunKind, RunState, Totals};

use super::cut::cut;
use super::{blocks, by_cause, by_host, by_page, compare, lines, note_objects, totals};
use crate::ViewError;
use crate::grouping::Grouped;
use crate::listing::{Group, Listing};
use crate::number::counted;
use crate::safe::safe;
use crate::style::FAINT;
use crate::{phrase, rows};

/// A list or draft that was checked once has no earlier results to compare with.
pub(crate) fn is_ad_hoc(run: &RunInfo) -> bool {
    run.kind == RunKind::Probe && matches!(&*run.site, "./arguments" | "./standard-input")
}

/// Writes a run: its head, its totals, and the matching findings, grouped as in the listing.
///
/// # Errors
/// See [`ViewError`].
pub fn findings(
    out: &mut dyn Write,
    reader: &Reader,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
) -> Result<(), ViewError> {
    let totals = run.totals()?;
    head(out, reader, run, &totals, listing.verbose)?;
    // The counts can be read while a million links are put in order.
    out.flush()?;
    let query = run.query(selection)?;
    let grouped = rows::grouped(&query, listing)?;
    if grouped.links == 0 {
        writeln!(out, "\n{}", nothing(run.info().state, selection, &totals))?;
        return Ok(());
    }
    selected(out, selection, &grouped)?;
    match listing.group {
        Group::Target => by_target(out, &grouped, &totals, listing),
        Group::Page => {
            drop(grouped);
            by_page::write(out, &query, &totals, listing)
        }
        Group::Host => by_host::write(out, grouped, &query, listing),
        Group::Cause => by_cause::write(out, grouped, &query, listing),
        Group::None => lines::write(out, &query, listing),
    }
}

/// What comes before the findings of a run, without its head and without styles: a line each.
pub(crate) fn summary_lines(
    reader: &Reader,
    run: &OpenRun<'_>,
    totals: &Totals,
    verbose: bool,
) -> Result<Vec<String>, ViewError> {
    let mut out = Vec::new();
    totals::counts(&mut out, run.info(), totals, verbose)?;
    changes(&mut out, reader, run)?;
    let styled = String::from_utf8_lossy(&out);
    let plain = anstream::adapter::strip_str(&styled).to_string();
    let mut lines: Vec<String> = Vec::new();
    for line in plain.lines() {
        match (lines.last_mut(), line.strip_prefix("      ")) {
            (Some(before), Some(rest)) => before.extend(["; ", rest.trim_start()]),
            _ => lines.push(match line.strip_prefix("note  ") {
                Some(note) => format!("Note: {note}"),
                None => phrase::capitalized(line),
            }),
        }
    }
    Ok(lines)
}

/// Writes what comes before the findings of a run: its head, its totals and its notes.
///
/// # Errors
/// See [`ViewError`].
pub fn summary(
    out: &mut dyn Write,
    reader: &Reader,
    run: &OpenRun<'_>,
    verbose: bool,
) -> Result<(), ViewError> {
    head(out, reader, run, &run.totals()?, verbose)
}

/// The same for a program that reads JSON: each note is an object on a line of its own, with
/// `note` (its kind), `url` and `text`.
///
/// # Errors
/// See [`ViewError`].
pub fn summary_with_objects(
    out: &mut dyn Write,
    reader: &Reader,
    run: &OpenRun<'_>,
) -> Result<(), ViewError> {
    let totals = run.totals()?;
    totals::head(out, run.info())?;
    totals::counts_alone(out, run.info(), &totals)?;
    note_objects::write(out, run.info(), &totals)?;
    changes(out, reader, run)
}

fn head(
    out: &mut dyn Write,
    reader: &Reader,
    run: &OpenRun<'_>,
    totals: &Totals,
    verbose: bool,
) -> Result<(), ViewError> {
    totals::head(out, run.info())?;
    totals::counts(out, run.info(), totals, verbose)?;
    changes(out, reader, run)
}

/// What has changed since the run before.
fn changes(out: &mut dyn Write, reader: &Reader, run: &OpenRun<'_>) -> Result<(), ViewError> {
    // Fixed findings are only known when a run has ended.
    let has_ended = run.info().state != RunState::Going;
    if let Some(before) =
        reader.run_before(run.info())?.filter(|_| has_ended && !is_ad_hoc(run.info()))
    {
        compare::write_changes(out, &before, &run.changes()?)?;
    }
    Ok(())
}

/// How many blocks fill a screen.
const SEEN_AT_ONCE: usize = 20;

/// The number of matching targets, unless everything is selected.
fn selected(
    out: &mut dyn Write,
    selection: &Selection,
    grouped: &Grouped<'_>,
) -> Result<(), ViewError> {
    if *selection == Selection::default() {
        return Ok(());
    }
    let targets = counted(grouped.groups().len() as u64, "target matches", "targets match");
    let links = counted(grouped.links, "link", "links");
    let verdicts = phrase::verdicts(&grouped.counts());
    writeln!(out, "{targets} the selection ({verdicts}), on {links}")?;
    Ok(())
}

fn by_target(
    out: &mut dyn Write,
    grouped: &Grouped<'_>,
    totals: &Totals,
    listing: &Listing,
) -> Result<(), ViewError> {
    let mut shown = 0;
    grouped.for_each_block(listing.limit, listing.unfold, |block| {
        writeln!(out)?;
        let way = grouped.run().way(block.first.target)?;
        blocks::write(out, grouped.run().info(), totals, listing, &block, &way)?;
        // Shows the worst findings at once, however long the list.
        shown += 1;
        if shown == SEEN_AT_ONCE {
            out.flush()?;
        }
        Ok::<_, ViewError>(())
    })?;
    cut(out, listing, grouped.groups().len() as u64, "target", "targets")?;
    if listing.recap && shown >= SEEN_AT_ONCE {
        writeln!(out)?;
        totals::verdicts(out, totals)?;
        writeln!(out, "{FAINT}fewer: --limit 20, --group host, --group page{FAINT:#}")?;
    }
    Ok(())
}

/// The text when there is nothing to show, which never claims more than was checked.
fn nothing(state: RunState, selection: &Selection, totals: &Totals) -> String {
    if selection.takes(Verdict::Broken) && !selection.is_narrow() && totals.broken == 0 {
        match state {
            RunState::Going | RunState::Stopped => {
                return "Nothing broken so far, but this run is unfinished.".to_owned();
            }
            RunState::Suspicious => {
                return "Nothing broken was found, but this result is suspicious.".to_owned();
            }
            RunState::Finished => {}
        }
    }
    let unseen = totals.notes.iter().any(|row| row.note == Note::RenderedByScript);
    if unseen && totals.broken == 0 && selection.takes(Verdict::Broken) {
        "Pages here are rendered by JavaScript; their links were not found.".to_owned()
    } else if !selection.is_narrow() && selection.takes(Verdict::Broken) && totals.broken == 0 {
        let all = *selection == Selection::default();
        let what = if all { "broken, doubtful or moved" } else { "broken" };
        match left_out(totals) {
            None => format!("Nothing that was checked is {what}."),
            Some(unchecked) => format!("{unchecked} not checked. Nothing else is {what}."),
        }
    } else {
        let foreign = selection.foreign_pattern().map_or(String::new(), |pattern| {
            let pattern = safe(pattern.as_str()).to_string();
            format!("In patterns, only * is special: {pattern} is taken literally. ")
        });
        format!("Nothing matches the selection. {foreign}{}", fewer_filters(selection))
    }
}

/// What a link could be broken in, and was not checked.
fn left_out(totals: &Totals) -> Option<String> {
    // They are not for visitors' browsers to open.
    let is_none = |cause| matches!(cause, Cause::OtherScheme | Cause::ServiceLink);
    let urls: u64 =
        totals.skipped.iter().filter(|skip| !is_none(skip.cause)).map(|skip| skip.targets).sum();
    let pages = totals.not_parsed.iter().map(|count| count.pages).sum::<u64>() + totals.cut;
    let be = |number| if number == 1 { "was" } else { "were" };
    let parts: Vec<String> = [(urls, "URL", "URLs"), (pages, "page", "pages")]
        .into_iter()
        .filter(|(number, ..)| *number > 0)
        .map(|(number, one, many)| counted(number, one, many))
        .collect();
    let be = be(if parts.len() == 1 { urls + pages } else { 2 });
    (!parts.is_empty()).then(|| format!("{} {be}", parts.join(" and ")))
}

/// Which filters to leave out, so that something may match.
fn fewer_filters(selection: &Selection) -> String {
    let given = [
        ("--cause", !selection.causes.is_empty()),
        ("--status", !selection.statuses.is_empty()),
        ("--scope", selection.scope.is_some()),
        ("--element", !selection.elements.is_empty()),
        ("--host", !selection.hosts.is_empty()),
        ("--target", !selection.targets.is_empty()),
        ("--page", selection.is_of_pages()),
        ("--text", !selection.text.is_empty()),
        ("--search", !selection.search.is_empty()),
        ("--standing", !selection.standings.is_empty()),
    ];
    let names: Vec<&str> =
        given.iter().filter(|(_, given)| *given).map(|(name, _)| *name).collect();
    let all = if Verdict::ALL.iter().all(|verdict| selection.takes(*verdict)) {
        ""
    } else {
        ", or add --all to include sound and skipped links"
    };
    match names.as_slice() {
        [] => "Try --all to include sound and skipped links.".to_owned(),
        [one] => format!("Leave out {one}{all}."),
        several => format!("Leave out one of {}{all}.", several.join(", ")),
    }
}

#[cfg(test)]
mod tests {
    use rummage_core::url::pattern::Pattern;
    use rummage_store::{NoteRow, SkipCount};

    use super::*;

    #[test]
    fn an_empty_list_never_claims_more_than_was_checked() {
        let clean = Totals::default();
        let broken = Totals { broken: 1, ..Totals::default() };
        let note = NoteRow { url: "http://a.test/".to_owned(), note: Note::RenderedByScript };
        let unseen = Totals { notes: vec![note], ..Totals::default() };
        let default = Selection::default();
        let only_broken = Selection::of(&[Verdict::Broken]);
        let moved = Selection::of(&[Verdict::Moved]);
        let narrow = Selection { hosts: vec![Pattern::new("b.test")], ..Selection::default() };
        let none = "Nothing that was checked is broken, doubtful or moved.";
        let none_broken = "Nothing that was checked is broken.";
        let by_script = "Pages here are rendered by JavaScript; their links were not found.";
        let no_match = "Nothing matches the selection.";
        for (selection, totals, expected) in [
            (&default, &clean, none),
            (&only_broken, &clean, none_broken),
            (&default, &unseen, by_script),
            (&only_broken, &unseen, by_script),
            (&moved, &unseen, no_match),
            (&moved, &clean, no_match),
            (&narrow, &clean, no_match),
            (&default, &broken, no_match),
        ] {
            let text = nothing(RunState::Finished, selection, totals);
            assert!(text.starts_with(expected), "{text} for {selection:?}");
        }
        assert!(nothing(RunState::Finished, &narrow, &clean).contains("--host"));
        let foreign = Selection { pages: vec![Pattern::new("^/news")], ..Selection::default() };
        let text = nothing(RunState::Finished, &foreign, &clean);
        assert!(text.contains("only * is special: ^/news is taken literally"), "{text}");
    }

    #[test]
    fn an_all_clear_needs_a_whole_run_that_is_believed() {
        let (all, totals) = (Selection::default(), Totals::default());
        let skip = |cause, targets| SkipCount { cause, targets };
        for (state, expected) in [
            (RunState::Stopped, "Nothing broken so far, but this run is unfinished."),
            (RunState::Going, "Nothing broken so far, but this run is unfinished."),
            (RunState::Suspicious, "Nothing broken was found, but this result is suspicious."),
        ] {
            assert_eq!(nothing(state, &all, &totals), expected);
        }
        for (skipped, cut, expected) in [
            (vec![skip(Cause::OtherScheme, 3), skip(Cause::ServiceLink, 1)], 0, "Nothing that was"),
            (vec![skip(Cause::External, 2), skip(Cause::Limit, 3)], 0, "5 URLs were not checked."),
            (vec![skip(Cause::Limit, 1)], 0, "1 URL was not checked. Nothing else is broken"),
            (vec![], 1, "1 page was not checked."),
            (vec![skip(Cause::Limit, 1)], 1, "1 URL and 1 page were not checked."),
        ] {
            let totals = Totals { skipped, cut, ..Totals::default() };
            let text = nothing(RunState::Finished, &all, &totals);
            assert!(text.starts_with(expected), "{text}");
        }
    }
}
