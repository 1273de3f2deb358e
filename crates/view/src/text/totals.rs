//! The head of a listing: site, run, and totals.

use std::io::{self, Write};
use std::time::Duration;

use rummage_core::crawl::Note;
use rummage_core::verdict::Verdict;
use rummage_store::{NoteRow, RunInfo, RunKind, RunState, Totals};

use crate::number::{count, counted, duration};
use crate::phrase;
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::when::when;

/// Titles are cut to this many characters.
const TITLE: usize = 60;

/// The first line: site and run.
pub(crate) fn head(out: &mut dyn Write, run: &RunInfo) -> io::Result<()> {
    let started = when(run.started_at);
    let title = run.title.as_deref().filter(|title| !title.is_empty());
    if let Some(title) = title {
        write!(out, "{STRONG}{}{STRONG:#}  ", safe(&shorten(title, TITLE)))?;
    }
    let took = duration(run.took);
    let site = safe(&run.site);
    let kind = match run.kind {
        RunKind::Crawl => String::new(),
        kind => format!("{}, ", kind.as_str()),
    };
    writeln!(out, "{site}  {FAINT}{kind}run {}, {started}, took {took}{FAINT:#}", run.number)
}

/// The totals of the whole run, and what was not checked.
pub(crate) fn counts(
    out: &mut dyn Write,
    run: &RunInfo,
    totals: &Totals,
    verbose: bool,
) -> io::Result<()> {
    if run.state != RunState::Finished {
        unfinished(out, run, totals)?;
    }
    if run.kind == RunKind::Probe {
        let requested = totals.requested.saturating_sub(totals.given);
        let entries = counted(totals.links, "entry", "entries");
        writeln!(out, "Checked {entries} ({} requested)", counted(requested, "URL", "URLs"))?;
    } else {
        writeln!(
            out,
            "Checked {} to {} on {} ({} requested)",
            counted(totals.links, "link", "links"),
            counted(totals.urls, "URL", "URLs"),
            parsed(totals),
            counted(totals.requested, "URL", "URLs"),
        )?;
    }
    recalled(out, run, totals)?;
    let by_verdict = [
        (Verdict::Broken, totals.broken),
        (Verdict::Doubtful, totals.doubtful),
        (Verdict::Moved, totals.moved),
        (Verdict::Sound, totals.sound),
    ];
    for (occurrence, (verdict, number)) in by_verdict.into_iter().enumerate() {
        let style = if number > 0 { style::of(verdict) } else { FAINT };
        let gap = if occurrence > 0 { ", " } else { "" };
        write!(out, "{gap}{style}{} {verdict}{style:#}", count(number))?;
    }
    if totals.waived > 0 {
        write!(out, ", {FAINT}{} waived{FAINT:#}", count(totals.waived))?;
    }
    writeln!(out)?;
    not_checked(out, totals)?;
    notes(out, run, totals, verbose)?;
    // External hosts are always requested at a gentle pace, so only the site's own host is of
    // interest.
    for slowed in totals.slowed.iter().filter(|slowed| slowed.server == run.site) {
        let (server, strain) = (safe(&slowed.server), phrase::strain(slowed.strain));
        let times = counted(slowed.times, "time", "times");
        write!(out, "{server} was overloaded ({strain}), so requests were slowed down {times}, ")?;
        if slowed.gap.is_zero() {
            let least = slowed.lowest;
            writeln!(out, "to {least} concurrent requests: --per-host {least} starts at that")?;
        } else {
            let rate = rate(slowed.gap);
            writeln!(out, "to one every {}: --rate {rate} starts at that", duration(slowed.gap))?;
        }
    }
    Ok(())
}

/// URLs that were not checked again, and how old their results are.
fn recalled(out: &mut dyn Write, run: &RunInfo, totals: &Totals) -> io::Result<()> {
    if totals.recalled == 0 {
        return Ok(());
    }
    let known = counted(totals.recalled, "URL", "URLs");
    write!(out, "{known} not checked again: results of an earlier run")?;
    if let Some(since) = totals.recalled_since {
        let age = run.started_at.duration_since(since);
        let age = Duration::try_from(age).unwrap_or_default();
        write!(out, ", up to {} old", duration(age))?;
    }
    writeln!(out)
}

/// An interval between requests, as `--rate` accepts it.
fn rate(gap: Duration) -> String {
    match 1000 / gap.as_millis().max(1) {
        0 => format!("1/{}ms", gap.as_millis()),
        many => format!("{many}/s"),
    }
}

fn unfinished(out: &mut dyn Write, run: &RunInfo, totals: &Totals) -> io::Result<()> {
    let style = style::of(Verdict::Doubtful);
    write!(out, "{style}This run is unfinished{style:#}")?;
    if totals.not_asked > 0 {
        let known = counted(totals.not_asked, "known URL was", "known URLs were");
        write!(out, ": {known} not checked")?;
    }
    match run.kind {
        RunKind::Crawl | RunKind::Recheck => {
            writeln!(out, ". Continue it with: rummage crawl --resume")
        }
        RunKind::Page | RunKind::Probe => writeln!(out, "."),
    }
}

fn not_checked(out: &mut dyn Write, totals: &Totals) -> io::Result<()> {
    let all: u64 = totals.skipped.iter().map(|skip| skip.urls).sum();
    if all > 0 {
        let reasons: Vec<String> = totals
            .skipped
            .iter()
            .map(|skip| format!("{} {}", count(skip.urls), phrase::skipped(skip.cause)))
            .collect();
        writeln!(out, "{} not checked: {}", count(all), reasons.join(", "))?;
    }
    let all: u64 = totals.not_parsed.iter().map(|count| count.pages).sum();
    if all > 0 {
        let reasons: Vec<String> = match &totals.not_parsed[..] {
            [only] => vec![phrase::not_parsed(only.reason).to_owned()],
            several => several
                .iter()
                .map(|of| format!("{} ({})", phrase::not_parsed(of.reason), count(of.pages)))
                .collect(),
        };
        let pages = counted(all, "page", "pages");
        writeln!(out, "{pages} not parsed for links: {}", reasons.join(", "))?;
    }
    if totals.cut > 0 {
        let pages = counted(totals.cut, "page was", "pages were");
        writeln!(out, "{pages} read only up to --max-size; links beyond that were not checked")?;
    }
    if totals.cut_sitemaps > 0 {
        let sitemaps = counted(totals.cut_sitemaps, "sitemap was", "sitemaps were");
        writeln!(out, "{sitemaps} read only up to 50 MiB; entries beyond that were not used")?;
    }
    if totals.cut_robots > 0 {
        let many = count(totals.cut_robots);
        writeln!(
            out,
            "{many} robots.txt read only up to 500 KiB; rules beyond that were not used"
        )?;
    }
    Ok(())
}

/// How many notes of a kind are shown; the rest is counted. URL patterns that were skipped are
/// all named.
const NOTES: usize = 3;
const TRAPS: usize = 20;

fn notes(out: &mut dyn Write, run: &RunInfo, totals: &Totals, verbose: bool) -> io::Result<()> {
    let kind = |row: &NoteRow| std::mem::discriminant(&row.note);
    let style = style::of(Verdict::Doubtful);
    for alike in totals.notes.chunk_by(|one, other| kind(one) == kind(other)) {
        let most = match alike[0].note {
            _ if verbose => usize::MAX,
            Note::Trap(_) => TRAPS,
            _ => NOTES,
        };
        for row in alike.iter().take(most) {
            writeln!(out, "{style}note{style:#}  {}", phrase::note(run, row))?;
        }
        let more = alike.len().saturating_sub(most) as u64;
        if more > 0 {
            writeln!(out, "{style}note{style:#}  and {} like this: -v shows all", count(more))?;
        }
    }
    Ok(())
}

/// What was parsed: pages, and other sources of URLs.
fn parsed(totals: &Totals) -> String {
    let others = [
        (totals.stylesheets, "stylesheet", "stylesheets"),
        (totals.sitemaps, "sitemap", "sitemaps"),
        (totals.lists, "list", "lists"),
    ];
    let is_of_lists = totals.pages == 0 && totals.lists + totals.sitemaps > 0;
    let mut parts = Vec::new();
    if !is_of_lists {
        parts.push(counted(totals.pages, "page", "pages"));
    }
    let some = others.into_iter().filter(|(number, ..)| *number > 0);
    parts.extend(some.map(|(number, one, many)| counted(number, one, many)));
    match parts.split_last() {
        Some((last, rest)) if !rest.is_empty() => format!("{} and {last}", rest.join(", ")),
        _ => parts.concat(),
    }
}
