//! The head of a listing: whose site, which run, what was counted.

use std::io::{self, Write};

use rummage_core::verdict::Verdict;
use rummage_store::{RunInfo, RunState, Totals};

use crate::number::{count, counted, duration};
use crate::phrase;
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};

/// Titles are shown up to so many characters.
const TITLE: usize = 60;

/// The first line: site and run.
pub(super) fn head(out: &mut dyn Write, run: &RunInfo) -> io::Result<()> {
    let started = run.started_at.strftime("%Y-%m-%d %H:%M UTC");
    let title = run.title.as_deref().filter(|title| !title.is_empty());
    if let Some(title) = title {
        write!(out, "{STRONG}{}{STRONG:#}  ", safe(&shorten(title, TITLE)))?;
    }
    let took = duration(run.took);
    let site = safe(&run.site);
    writeln!(out, "{site}  {FAINT}run {}, {started}, took {took}{FAINT:#}", run.number)
}

/// The counts of the whole run, and what was not checked.
pub(super) fn counts(out: &mut dyn Write, run: &RunInfo, totals: &Totals) -> io::Result<()> {
    if run.state != RunState::Finished {
        unfinished(out, totals)?;
    }
    writeln!(
        out,
        "{} read, {} on them, {} asked",
        counted(totals.pages, "page", "pages"),
        counted(totals.links, "link", "links"),
        counted(totals.asked, "address", "addresses"),
    )?;
    let by_verdict = [
        (Verdict::Broken, totals.broken),
        (Verdict::Doubtful, totals.doubtful),
        (Verdict::Moved, totals.moved),
        (Verdict::Sound, totals.sound),
    ];
    for (place, (verdict, number)) in by_verdict.into_iter().enumerate() {
        let style = if number > 0 { style::of(verdict) } else { FAINT };
        let gap = if place > 0 { ", " } else { "" };
        write!(out, "{gap}{style}{} {verdict}{style:#}", count(number))?;
    }
    writeln!(out)?;
    not_checked(out, totals)?;
    // Other hosts are asked gently in any case.
    for slowed in totals.slowed.iter().filter(|slowed| slowed.server == run.site) {
        writeln!(
            out,
            "{} showed strain and was asked more slowly {}: --per-host does so from the start",
            safe(&slowed.server),
            counted(slowed.times, "time", "times"),
        )?;
    }
    Ok(())
}

fn unfinished(out: &mut dyn Write, totals: &Totals) -> io::Result<()> {
    let style = style::of(Verdict::Doubtful);
    write!(out, "{style}This run was not finished{style:#}")?;
    if totals.not_asked > 0 {
        let known = counted(totals.not_asked, "known address was", "known addresses were");
        write!(out, ": {known} not asked")?;
    }
    writeln!(out, ". It goes on with: rummage crawl --resume")
}

fn not_checked(out: &mut dyn Write, totals: &Totals) -> io::Result<()> {
    let all: u64 = totals.skipped.iter().map(|skip| skip.addresses).sum();
    if all > 0 {
        let reasons: Vec<String> = totals
            .skipped
            .iter()
            .map(|skip| format!("{} {}", count(skip.addresses), phrase::cause(skip.cause)))
            .collect();
        writeln!(out, "{} not checked: {}", count(all), reasons.join(", "))?;
    }
    if totals.not_read > 0 {
        let pages = counted(totals.not_read, "page was", "pages were");
        writeln!(out, "{pages} asked but not read for links: deeper than --depth")?;
    }
    if totals.cut > 0 {
        let pages = counted(totals.cut, "page was", "pages were");
        writeln!(out, "{pages} read up to 10 MiB only: links beyond that were not seen")?;
    }
    Ok(())
}
