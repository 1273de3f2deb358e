//! All about one address: verdict and evidence, hops, the way there, its past, every
//! place that names it, and for a page the links on it.

use std::collections::HashSet;
use std::io::Write;

use rummage_core::evidence::Ending;
use rummage_core::findings::selection::Selection;
use rummage_core::findings::shared::is_shared;
use rummage_core::verdict::Verdict;
use rummage_store::{
    Address, Found, LinkRow, OpenRun, Outcome, PastVerdict, Reader, RunInfo, TraceRow,
};

use super::blocks::{LONGEST, at, at_line, said, says, target};
use crate::listing::Listing;
use crate::number::{count, counted, duration};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::when::when;
use crate::{ViewError, phrase};

/// Places and links that are listed, unless all are asked for.
const LISTED: usize = 40;

/// Writes all that a run knows of an address that [`OpenRun::find`] gave.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn trace(
    out: &mut dyn Write,
    reader: &Reader,
    run: &OpenRun<'_>,
    address: Address,
    listing: &Listing,
) -> Result<(), ViewError> {
    super::totals::head(out, run.info())?;
    writeln!(out, "\n{STRONG}{}{STRONG:#}", safe(&shorten(&run.url(address)?, LONGEST)))?;
    let Some(outcome) = run.outcome(address)? else {
        writeln!(out, "  not asked in this run")?;
        return Ok(());
    };
    verdict(out, &outcome)?;
    for fragment in run.missing_fragments(address) {
        let style = style::of(Verdict::Broken);
        writeln!(out, "  {style}broken{style:#}  no such place on the page: #{}", safe(fragment))?;
    }
    let way = run.way(address)?;
    for (number, hop) in way.iter().enumerate() {
        self::hop(out, run.info(), number, hop)?;
    }
    if let Some(last) = way.last() {
        super::blocks::likeness(out, &outcome, &last.address, &last.attempts)?;
    }
    past(out, &reader.past(&run.info().site, address)?)?;
    let first = places(out, run, address, listing)?;
    clicks(out, run, address, first)?;
    links(out, run, address, listing)
}

/// What the runs said, where there were several; runs that say the same are told once.
fn past(out: &mut dyn Write, past: &[PastVerdict]) -> Result<(), ViewError> {
    if past.len() < 2 {
        return Ok(());
    }
    writeln!(out, "\nover {}", counted(past.len() as u64, "run", "runs"))?;
    let says = |past: &PastVerdict| (past.verdict, past.cause, past.status);
    for alike in past.chunk_by(|one, other| says(one) == says(other)) {
        let (Some(first), Some(last)) = (alike.first(), alike.last()) else { continue };
        let runs = if alike.len() == 1 {
            format!("run {}, {}", first.run, day(first))
        } else {
            format!("runs {} to {}, {} to {}", first.run, last.run, day(first), day(last))
        };
        let style = style::of(first.verdict);
        let cause = first.cause.map(|cause| cause.words().to_owned());
        let status = first.status.map(|status| status.to_string());
        let words: Vec<String> = [cause, status].into_iter().flatten().collect();
        writeln!(out, "  {runs}  {style}{}{style:#}  {}", first.verdict, words.join(", "))?;
    }
    Ok(())
}

fn day(past: &PastVerdict) -> String {
    when(past.started_at)
}

/// The way by clicks to the page itself, else to the first page that names the address.
fn clicks(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    address: Address,
    first: Option<Address>,
) -> Result<(), ViewError> {
    let is_page = run.page(address)?.is_some();
    let Some(page) = Some(address).filter(|_| is_page).or(first) else { return Ok(()) };
    let way = run.clicks(page)?;
    if way.len() < 2 {
        return Ok(());
    }
    let to = if is_page { "the way there" } else { "the way to the first of them" };
    writeln!(out, "\n{to}, {}", counted(way.len() as u64 - 1, "click", "clicks"))?;
    for page in way {
        writeln!(out, "  {}", safe(&shorten(&page, LONGEST)))?;
    }
    Ok(())
}

fn verdict(out: &mut dyn Write, outcome: &Outcome) -> Result<(), ViewError> {
    let style = style::of(outcome.verdict);
    write!(out, "  {style}{}{style:#}", outcome.verdict)?;
    if let Some(cause) = outcome.cause {
        write!(out, "  {} ({cause})", cause.words())?;
    }
    if let Some(status) = outcome.status {
        write!(out, ", {status}")?;
    }
    if let Some(scope) = outcome.scope {
        write!(out, ", {}", scope.as_str())?;
    }
    writeln!(out)?;
    if let Some(cause) = outcome.cause {
        writeln!(out, "  {FAINT}{}{FAINT:#}", cause.meaning())?;
        if let Some(to_do) = cause.advice() {
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

/// Every place that names the address; gives the first page that does.
fn places(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    address: Address,
    listing: &Listing,
) -> Result<Option<Address>, ViewError> {
    let selection = Selection::all();
    let sift = run.sift_to(address, &selection)?;
    let (mut pages, mut last_page, mut all, mut own) = (0, None, 0, 0);
    let mut shown: Vec<(Found, bool)> = Vec::new();
    let mut folded = HashSet::new();
    let most = if listing.unfold { usize::MAX } else { LISTED };
    let total = run.page_count()?;
    sift.for_each(|found| {
        if last_page.replace(found.page) != Some(found.page) {
            pages += 1;
        }
        all += 1;
        let shared = !listing.unfold && is_shared(sift.pages_of(found), total, sift.region(found)?);
        own += u64::from(!shared);
        if shared && folded.insert(sift.fold(found)) || !shared && shown.len() < most {
            shown.push((*found, shared));
        }
        Ok::<_, ViewError>(())
    })?;
    let Some((first, _)) = shown.first() else {
        writeln!(out, "\nno page has a link to it")?;
        return Ok(None);
    };
    let first = run.page_at(first.page);
    writeln!(out, "\n{} on {}", counted(all, "link", "links"), counted(pages, "page", "pages"))?;
    for (found, shared) in &shown {
        let row = sift.row(found)?;
        let region = row.region.map_or(String::new(), |region| format!("  in {}", region.as_str()));
        let tag = tag(&row);
        if *shared {
            let (pages, total) = (count(row.pages), count(total));
            writeln!(
                out,
                "  on {pages} of {total} pages, one edit: {tag}{FAINT}{region}, first on {}{FAINT:#}",
                at(&row)
            )?;
        } else {
            writeln!(out, "  {}  {tag}{FAINT}{region}{FAINT:#}", at(&row))?;
        }
        super::blocks::editor(out, listing, &row)?;
    }
    let told = shown.iter().filter(|(_, shared)| !shared).count();
    more(out, own, told)?;
    Ok(Some(first))
}

/// The tag, as far as it is kept: `<a href="/rota" rel="nofollow">Rota</a>`.
fn tag(row: &LinkRow) -> String {
    let short = |text: &str| safe(&shorten(text, LONGEST)).to_string();
    if row.attribute == "header" || row.element == "loc" {
        return said(row);
    }
    let mut tag = format!("<{} {}=\"{}\"", row.element, row.attribute, short(&row.written));
    if let Some(rel) = &row.rel {
        tag.push_str(&format!(" rel=\"{}\"", short(rel)));
    }
    match row.text.as_deref() {
        Some(text) if matches!(row.element.as_str(), "img" | "area" | "input") => {
            tag.push_str(&format!(" alt=\"{}\">", short(text)));
        }
        Some(text) => tag.push_str(&format!(">{}</{}>", short(text), row.element)),
        None => tag.push('>'),
    }
    tag
}

/// The links on the address, where it is a page that was read.
fn links(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    address: Address,
    listing: &Listing,
) -> Result<(), ViewError> {
    let selection = Selection::all();
    let Some(sift) = run.sift_on(address, &selection)? else { return Ok(()) };
    let (mut links, mut all) = (Vec::new(), 0);
    let most = if listing.unfold { usize::MAX } else { LISTED };
    sift.for_each(|found| {
        all += 1;
        if links.len() < most {
            links.push(*found);
        }
        Ok::<_, ViewError>(())
    })?;
    if all == 0 {
        return Ok(());
    }
    writeln!(out, "\n{} on the page itself", counted(all, "link", "links"))?;
    for found in &links {
        let row = sift.row(found)?;
        let style = style::of(row.outcome.verdict);
        let verdict = row.outcome.verdict.as_str();
        let name = safe(&shorten(&target(&row), LONGEST)).to_string();
        let told = if row.outcome.verdict == Verdict::Sound {
            String::new()
        } else {
            format!("  {}", says(&row.outcome))
        };
        let at = at_line(&row);
        writeln!(out, "  {at:8} {style}{verdict:8}{style:#} {name}{told}  {}", said(&row))?;
    }
    more(out, all, links.len())
}

fn more(out: &mut dyn Write, all: u64, shown: usize) -> Result<(), ViewError> {
    let more = all.saturating_sub(shown as u64);
    if more > 0 {
        writeln!(out, "  {FAINT}and {} more: --unfold{FAINT:#}", count(more))?;
    }
    Ok(())
}
