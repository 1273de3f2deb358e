//! All about one address: verdict, evidence, hops, and every place that names it.

use std::io::Write;

use rummage_core::outcome::Ending;
use rummage_core::selection::Selection;
use rummage_store::{Outcome, Reader, RunInfo, TraceRow};

use super::blocks::{LONGEST, at, said};
use crate::meaning::meaning;
use crate::number::{count, counted, duration};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::{ViewError, phrase};

/// Writes all that a run knows of an address that [`Reader::find`] gave.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn trace(
    out: &mut dyn Write,
    reader: &Reader,
    run: &RunInfo,
    address: &str,
) -> Result<(), ViewError> {
    super::totals::head(out, run)?;
    writeln!(out, "\n{STRONG}{}{STRONG:#}", safe(&shorten(address, LONGEST)))?;
    let Some(outcome) = reader.outcome(run, address)? else {
        writeln!(out, "  not asked in this run")?;
        return Ok(());
    };
    verdict(out, &outcome)?;
    for fragment in reader.missing_fragments(run.number, address)? {
        let style = style::of(rummage_core::verdict::Verdict::Broken);
        writeln!(out, "  {style}broken{style:#}  no such place on the page: #{}", safe(&fragment))?;
    }
    let way = reader.way(run.number, address)?;
    for (number, hop) in way.iter().enumerate() {
        self::hop(out, run, number, hop)?;
    }
    if let Some(last) = way.last() {
        super::blocks::likeness(out, &outcome, &last.address, &last.attempts)?;
    }
    places(out, reader, run, address)
}

fn verdict(out: &mut dyn Write, outcome: &Outcome) -> Result<(), ViewError> {
    let style = style::of(outcome.verdict);
    write!(out, "  {style}{}{style:#}", outcome.verdict)?;
    if let Some(cause) = outcome.cause {
        write!(out, "  {} ({cause})", phrase::cause(cause))?;
    }
    if let Some(status) = outcome.status {
        write!(out, ", {status}")?;
    }
    if let Some(scope) = outcome.scope {
        write!(out, ", {}", scope.as_str())?;
    }
    writeln!(out)?;
    if let Some((means, to_do)) = outcome.cause.and_then(meaning) {
        writeln!(out, "  {FAINT}{means}{FAINT:#}")?;
        if let Some(to_do) = to_do {
            writeln!(out, "  {FAINT}To do: {to_do}{FAINT:#}")?;
        }
    }
    if let Some(reason) = outcome.not_read {
        writeln!(out, "  asked but not read for links: {}", phrase::not_read(reason))?;
    }
    if let Some(moved_to) = &outcome.moved_to {
        writeln!(out, "  now at {}", safe(&shorten(moved_to, LONGEST)))?;
    }
    Ok(())
}

fn hop(out: &mut dyn Write, run: &RunInfo, number: usize, hop: &TraceRow) -> Result<(), ViewError> {
    if hop.attempts.is_empty() {
        return Ok(());
    }
    let name = safe(&hop.address);
    match number {
        0 => writeln!(out, "\nasked")?,
        _ => writeln!(out, "redirect {number} to {name}")?,
    }
    for attempt in &hop.attempts {
        let at = phrase::moment(run, attempt.at);
        let ending = phrase::ending(&attempt.ending);
        let method = attempt.method.as_str();
        write!(out, "  {at}  {method:<4}  {ending}  {FAINT}{}{FAINT:#}", duration(attempt.took))?;
        if attempt.strained {
            write!(out, "  under strain, does not count")?;
        }
        if let Some(hop) = &attempt.hop {
            write!(out, "  of {}, with cookies", safe(&shorten(hop, LONGEST)))?;
        }
        writeln!(out)?;
    }
    facts(out, hop)
}

/// What the last answer said of itself.
fn facts(out: &mut dyn Write, hop: &TraceRow) -> Result<(), ViewError> {
    let mut facts = Vec::new();
    if let Some(Ending::Answer(answer)) = hop.attempts.last().map(|attempt| &attempt.ending) {
        if let Some(location) = &answer.location {
            facts.push(format!("Location: {}", safe(&shorten(location, LONGEST))));
        }
        if let Some(media_type) = &answer.media_type {
            facts.push(safe(media_type).to_string());
        }
        if let Some(length) = answer.length.filter(|length| *length > 0) {
            facts.push(counted(length, "octet", "octets"));
        }
        if let Some(server) = &answer.server {
            facts.push(format!("server {}", safe(server)));
        }
    }
    if let Some(page) = &hop.page {
        if let Some(depth) = page.depth {
            facts.push(format!("{} from the start", counted(depth.into(), "link", "links")));
        }
        facts.push(format!("{} on it", counted(page.links, "link", "links")));
    }
    let title = hop.page.as_ref().and_then(|page| page.title.as_ref()).or(hop.title.as_ref());
    if let Some(title) = title {
        facts.push(format!("\"{}\"", safe(&shorten(title, LONGEST))));
    }
    if !facts.is_empty() {
        writeln!(out, "  {}", facts.join(", "))?;
    }
    Ok(())
}

fn places(
    out: &mut dyn Write,
    reader: &Reader,
    run: &RunInfo,
    address: &str,
) -> Result<(), ViewError> {
    let mut links = Vec::new();
    let mut pages = 0;
    let mut last_page = String::new();
    reader.for_each_link(run, &Selection::all(), |row| {
        if row.address == address {
            if row.page != last_page {
                pages += 1;
                last_page.clone_from(&row.page);
            }
            links.push(row);
        }
        Ok::<_, ViewError>(())
    })?;
    if links.is_empty() {
        writeln!(out, "\nno page has a link to it")?;
        return Ok(());
    }
    let number = count(links.len() as u64);
    let pages = counted(pages, "page", "pages");
    writeln!(out, "\n{number} {} on {pages}", if links.len() == 1 { "link" } else { "links" })?;
    for row in &links {
        write!(out, "  {}  {}", at(row), said(row))?;
        if let Some(fragment) = &row.fragment {
            write!(out, "  #{}", safe(&shorten(fragment, LONGEST)))?;
        }
        match &row.region {
            Some(region) => writeln!(out, "  {FAINT}in {region}{FAINT:#}")?,
            None => writeln!(out)?,
        }
    }
    Ok(())
}
