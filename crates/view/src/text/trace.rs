//! Everything about one URL: verdict and evidence, redirects, the clicks that lead to it, its
//! history, every link to it, and for a page the links on it.

use std::collections::HashSet;
use std::io::Write;

use rummage_core::evidence::AttemptOutcome;
use rummage_core::findings::selection::Selection;
use rummage_core::findings::shared::is_shared;
use rummage_core::verdict::Verdict;
use rummage_store::{
    LinkMatch, LinkRow, OpenRun, Outcome, PastVerdict, Reader, RunInfo, StoredUrl, TraceRow,
};

use super::blocks::{LONGEST, at, at_line, said, target};
use crate::listing::Listing;
use crate::number::{count, counted, duration, rest};
use crate::phrase::{cause_of, cause_of_outcome};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::when::when;
use crate::{ViewError, phrase};

/// How many links are listed by default.
const LISTED: usize = 40;

/// Writes everything a run knows about a URL from [`OpenRun::find`].
///
/// # Errors
/// See [`ViewError`].
pub fn trace(
    out: &mut dyn Write,
    reader: &Reader,
    run: &OpenRun<'_>,
    url: StoredUrl,
    listing: &Listing,
) -> Result<(), ViewError> {
    super::totals::head(out, run.info())?;
    writeln!(out, "\n{STRONG}{}{STRONG:#}", safe(&shorten(&run.url(url)?, LONGEST)))?;
    let Some(outcome) = run.outcome(url)? else {
        writeln!(out, "  not requested in this run")?;
        return Ok(());
    };
    verdict(out, &outcome)?;
    for fragment in run.missing_fragments(url) {
        let style = style::of(Verdict::Broken);
        writeln!(out, "  {style}broken{style:#}  no anchor #{} on the page", safe(fragment))?;
    }
    let way = run.way(url)?;
    for (number, hop) in way.iter().enumerate() {
        self::hop(out, run.info(), number, hop)?;
    }
    if let Some(last) = way.last() {
        super::blocks::likeness(out, &outcome, &last.url, &last.attempts)?;
    }
    past(out, &reader.past(&run.info().site, url)?)?;
    let first = occurrences(out, run, url, listing)?;
    clicks(out, run, url, first)?;
    links(out, run, url, listing)
}

/// The results of earlier runs, if there were several; consecutive equal results are merged.
fn past(out: &mut dyn Write, past: &[PastVerdict]) -> Result<(), ViewError> {
    if past.len() < 2 {
        return Ok(());
    }
    writeln!(out, "\nover {}", counted(past.len() as u64, "run", "runs"))?;
    let result = |past: &PastVerdict| (past.verdict, past.cause, past.status);
    for alike in past.chunk_by(|one, other| result(one) == result(other)) {
        let (Some(first), Some(last)) = (alike.first(), alike.last()) else { continue };
        let runs = if alike.len() == 1 {
            format!("run {}, {}", first.run, day(first))
        } else {
            format!("runs {} to {}, {} to {}", first.run, last.run, day(first), day(last))
        };
        let style = style::of(first.verdict);
        let cause = phrase::cause(first.cause, first.status);
        writeln!(out, "  {runs}  {style}{}{style:#}  {cause}", first.verdict)?;
    }
    Ok(())
}

fn day(past: &PastVerdict) -> String {
    when(past.started_at)
}

/// The clicks that lead to the page itself, else to the first page that links to the URL.
fn clicks(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    url: StoredUrl,
    first: Option<StoredUrl>,
) -> Result<(), ViewError> {
    let is_page = run.page(url)?.is_some();
    let Some(page) = Some(url).filter(|_| is_page).or(first) else { return Ok(()) };
    let way = run.clicks(page)?;
    if way.len() < 2 {
        return Ok(());
    }
    let to = if is_page { "path from the start page" } else { "path to the first of them" };
    writeln!(out, "\n{to}, {}", counted(way.len() as u64 - 1, "click", "clicks"))?;
    for page in way {
        writeln!(out, "  {}", safe(&shorten(&page, LONGEST)))?;
    }
    Ok(())
}

fn verdict(out: &mut dyn Write, outcome: &Outcome) -> Result<(), ViewError> {
    let style = style::of(outcome.verdict);
    write!(out, "  {style}{}{style:#}  {}", outcome.verdict, cause_of_outcome(outcome))?;
    if let Some(cause) = outcome.cause {
        write!(out, " ({cause})")?;
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
    if let Some(reason) = outcome.not_parsed {
        writeln!(out, "  not parsed for links: {}", phrase::not_parsed(reason))?;
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
    let name = safe(&hop.url);
    match number {
        0 => writeln!(out, "\nrequests")?,
        _ => writeln!(out, "redirect {number} to {name}")?,
    }
    for attempt in &hop.attempts {
        let at = phrase::moment(run, attempt.at);
        let outcome = phrase::outcome(&attempt.outcome);
        let method = attempt.method.as_str();
        write!(out, "  {at}  {method:<4}  {outcome}  {FAINT}{}{FAINT:#}", duration(attempt.took))?;
        if attempt.strained {
            write!(out, "  while the server was slowing down; does not count")?;
        }
        if let Some(hop) = &attempt.hop {
            write!(out, "  of {}, with cookies", safe(&shorten(hop, LONGEST)))?;
        }
        writeln!(out)?;
    }
    facts(out, hop)
}

/// Details of the last response.
fn facts(out: &mut dyn Write, hop: &TraceRow) -> Result<(), ViewError> {
    let mut facts = Vec::new();
    if let Some(AttemptOutcome::Response(answer)) =
        hop.attempts.last().map(|attempt| &attempt.outcome)
    {
        if let Some(location) = &answer.location {
            facts.push(format!("Location: {}", safe(&shorten(location, LONGEST))));
        }
        if let Some(media_type) = &answer.media_type {
            facts.push(safe(media_type).to_string());
        }
        if let Some(length) = answer.length.filter(|length| *length > 0) {
            facts.push(counted(length, "byte", "bytes"));
        }
        if let Some(server) = &answer.server {
            facts.push(format!("server {}", safe(server)));
        }
    }
    if let Some(page) = &hop.page {
        if let Some(depth) = page.depth {
            facts.push(format!("{} from the start URL", counted(depth.into(), "link", "links")));
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

/// Writes every link to the URL, and returns the first page with one.
fn occurrences(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    url: StoredUrl,
    listing: &Listing,
) -> Result<Option<StoredUrl>, ViewError> {
    let selection = Selection::all();
    let query = run.query_to(url, &selection)?;
    let (mut pages, mut last_page, mut all, mut own) = (0, None, 0, 0);
    let mut shown: Vec<(LinkMatch, bool)> = Vec::new();
    let mut folded = HashSet::new();
    let most = if listing.unfold { usize::MAX } else { LISTED };
    let total = run.page_count()?;
    query.for_each(|found| {
        if last_page.replace(found.page) != Some(found.page) {
            pages += 1;
        }
        all += 1;
        let shared =
            !listing.unfold && is_shared(query.pages_of(found), total, query.region(found)?);
        own += u64::from(!shared);
        if shared && folded.insert(query.fold(found)) || !shared && shown.len() < most {
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
        let row = query.row(found)?;
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
    let shown_count = shown.iter().filter(|(_, shared)| !shared).count();
    more(out, own, shown_count)?;
    Ok(Some(first))
}

/// The tag, as far as it is stored: `<a href="/rota" rel="nofollow">Rota</a>`.
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

/// The links on the URL, if it is a parsed page.
fn links(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    url: StoredUrl,
    listing: &Listing,
) -> Result<(), ViewError> {
    let selection = Selection::all();
    let Some(query) = run.query_on(url, &selection)? else { return Ok(()) };
    let (mut links, mut all) = (Vec::new(), 0);
    let most = if listing.unfold { usize::MAX } else { LISTED };
    query.for_each(|found| {
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
        let row = query.row(found)?;
        let style = style::of(row.outcome.verdict);
        let verdict = row.outcome.verdict.as_str();
        let name = safe(&shorten(&target(&row), LONGEST)).to_string();
        let shown_count = if row.outcome.verdict == Verdict::Sound {
            String::new()
        } else {
            format!("  {}", cause_of(&row))
        };
        let at = at_line(&row);
        writeln!(out, "  {at:8} {style}{verdict:8}{style:#} {name}{shown_count}  {}", said(&row))?;
    }
    more(out, all, links.len())
}

fn more(out: &mut dyn Write, all: u64, shown: usize) -> Result<(), ViewError> {
    if let Some(rest) = rest(all, shown) {
        writeln!(out, "  {FAINT}{rest}: --unfold{FAINT:#}")?;
    }
    Ok(())
}
