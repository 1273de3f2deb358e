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
use super::waivers::{self, WaiverRow};
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
    waivers: &[(usize, WaiverRow)],
    listing: &Listing,
) -> Result<(), ViewError> {
    super::totals::head(out, run.info())?;
    writeln!(out, "\n{STRONG}{}{STRONG:#}", safe(&shorten(&run.url(url)?, LONGEST)))?;
    let Some(outcome) = run.outcome(url)? else {
        writeln!(out, "  not requested in this run")?;
        return Ok(());
    };
    verdict(out, &outcome)?;
    for (number, waiver) in waivers {
        waivers::of_target(out, *number, waiver)?;
    }
    for fragment in run.missing_fragments(url) {
        let style = style::of(Verdict::Broken);
        writeln!(out, "  {style}broken{style:#}  no anchor #{} on the page", safe(fragment))?;
    }
    requests(out, run, url, &outcome)?;
    past(out, &reader.past(&run.info().site, url)?)?;
    let first = occurrences(out, run, url, listing)?;
    clicks(out, run, url, first)?;
    links(out, run, url, listing)
}

/// The requests for a URL and those it redirected to, with their responses.
pub(crate) fn requests(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    url: StoredUrl,
    outcome: &Outcome,
) -> Result<(), ViewError> {
    let way = run.way(url)?;
    for (number, hop) in way.iter().enumerate() {
        self::hop(out, run.info(), number, hop)?;
    }
    if let Some(last) = way.last() {
        super::blocks::likeness(out, outcome, &last.url, &last.attempts)?;
    }
    Ok(())
}

/// Writes the placeholder links with one source text, which lead nowhere whatever their URL.
///
/// # Errors
/// See [`ViewError`].
pub fn trace_placeholder(
    out: &mut dyn Write,
    run: &RunInfo,
    links: &[LinkRow],
    listing: &Listing,
) -> Result<(), ViewError> {
    let Some(first) = links.first() else { return Ok(()) };
    super::totals::head(out, run)?;
    writeln!(out, "\n{STRONG}{}{STRONG:#}", safe(&shorten(&target(first), LONGEST)))?;
    verdict(out, &Outcome { scope: None, ..first.outcome.clone() })?;
    let pages: HashSet<&str> = links.iter().map(|link| link.page.as_str()).collect();
    let most = if listing.unfold { usize::MAX } else { LISTED };
    let rows = links.iter().take(most).map(|link| (link.clone(), false)).collect();
    let (all, pages) = (links.len() as u64, pages.len() as u64);
    write_occurrences(out, listing, &Occurrences { rows, all, pages, own: all, total: pages })
}

/// The results of earlier runs, if there were several; consecutive equal results are merged.
pub(crate) fn past(out: &mut dyn Write, past: &[PastVerdict]) -> Result<(), ViewError> {
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
    write_clicks(out, is_page, &run.clicks(page)?)
}

fn write_clicks(out: &mut dyn Write, is_page: bool, way: &[String]) -> Result<(), ViewError> {
    if way.len() < 2 {
        return Ok(());
    }
    let to = if is_page { "path from the start page" } else { "path to the first of them" };
    writeln!(out, "\n{to}, {}", counted(way.len() as u64 - 1, "click", "clicks"))?;
    for page in way {
        writeln!(out, "  {}", safe(&shorten(page, LONGEST)))?;
    }
    Ok(())
}

pub(crate) fn verdict(out: &mut dyn Write, outcome: &Outcome) -> Result<(), ViewError> {
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
        if let Some(to_do) = cause.advice_for(outcome.status) {
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
    let first = shown.first().map(|(first, _)| run.page_at(first.page));
    let mut rows = Vec::new();
    for (found, shared) in &shown {
        rows.push((query.row(found)?, *shared));
    }
    write_occurrences(out, listing, &Occurrences { rows, all, pages, own, total })?;
    Ok(first)
}

/// The links to a URL.
struct Occurrences {
    /// Those to show. `true`: shared by many pages, so that this row is the first of them.
    rows: Vec<(LinkRow, bool)>,
    all: u64,
    /// How many pages have one.
    pages: u64,
    /// How many are not shared by many pages.
    own: u64,
    /// How many pages were parsed.
    total: u64,
}

fn write_occurrences(
    out: &mut dyn Write,
    listing: &Listing,
    links: &Occurrences,
) -> Result<(), ViewError> {
    if links.rows.is_empty() {
        writeln!(out, "\nno page has a link to it")?;
        return Ok(());
    }
    let (all, pages) = (counted(links.all, "link", "links"), counted(links.pages, "page", "pages"));
    writeln!(out, "\n{all} on {pages}")?;
    for (row, shared) in &links.rows {
        let region = row.region.map_or(String::new(), |region| format!("  in {}", region.as_str()));
        let tag = tag(row);
        if *shared {
            let (pages, total) = (count(row.pages), count(links.total));
            writeln!(
                out,
                "  on {pages} of {total} pages, one edit: {tag}{FAINT}{region}, first on {}{FAINT:#}",
                at(row)
            )?;
        } else {
            writeln!(out, "  {}  {tag}{FAINT}{region}{FAINT:#}", at(row))?;
        }
        super::blocks::editor(out, listing, row)?;
    }
    more(out, links.own, links.rows.iter().filter(|(_, shared)| !shared).count())
}

/// The tag, as far as it is stored: `<a href="/rota" rel="nofollow">Rota</a>`.
pub(crate) fn tag(row: &LinkRow) -> String {
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
    let links: Vec<LinkRow> =
        links.iter().map(|found| query.row(found)).collect::<Result<_, _>>()?;
    write_links(out, &links, all)
}

fn write_links(out: &mut dyn Write, links: &[LinkRow], all: u64) -> Result<(), ViewError> {
    if all == 0 {
        return Ok(());
    }
    writeln!(out, "\n{} on the page itself", counted(all, "link", "links"))?;
    for row in links {
        let style = style::of(row.outcome.verdict);
        let verdict = row.outcome.verdict.as_str();
        let name = safe(&shorten(&target(row), LONGEST)).to_string();
        let cause = if row.outcome.verdict == Verdict::Sound {
            String::new()
        } else {
            format!("  {}", cause_of(row))
        };
        let at = at_line(row);
        writeln!(out, "  {at:8} {style}{verdict:8}{style:#} {name}{cause}  {}", said(row))?;
    }
    more(out, all, links.len())
}

fn more(out: &mut dyn Write, all: u64, shown: usize) -> Result<(), ViewError> {
    if let Some(rest) = rest(all, shown) {
        writeln!(out, "  {FAINT}{rest}: --unfold{FAINT:#}")?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::listing::Group;
    use crate::testing::{link_row, outcome, plain};

    #[test]
    fn shared_links_are_listed_once_and_the_rest_is_counted() {
        let rows = vec![(LinkRow { pages: 73, ..link_row() }, true), (link_row(), false)];
        let links = Occurrences { rows, all: 1_074, pages: 74, own: 2, total: 88 };
        let text = plain(|out| write_occurrences(out, &Listing::by(Group::Target), &links));
        let tag = "<a href=\"/gone\">Rota</a>  in footer";
        let expected = format!(
            "\n1,074 links on 74 pages\n  on 73 of 88 pages, one edit: {tag}, first on \
             http://a.test/visit/ 31:7\n  http://a.test/visit/ 31:7  {tag}\n  and 1 more: --unfold\n"
        );
        assert_eq!(text, expected);
        let all = Occurrences { own: 1, ..links };
        let text = plain(|out| write_occurrences(out, &Listing::by(Group::Target), &all));
        assert!(!text.contains("more"), "{text}");
        let none = Occurrences { rows: Vec::new(), all: 0, pages: 0, own: 0, total: 88 };
        let text = plain(|out| write_occurrences(out, &Listing::by(Group::Target), &none));
        assert_eq!(text, "\nno page has a link to it\n");
    }

    #[test]
    fn links_of_the_page_show_the_cause_unless_they_are_sound() {
        let sound = LinkRow { outcome: outcome(Verdict::Sound, None, Some(200)), ..link_row() };
        let text = plain(|out| write_links(out, &[link_row(), sound], 3));
        let expected = "\n3 links on the page itself\n  31:7     broken   http://a.test/gone  404 Not \
                        Found  a \"Rota\"\n  31:7     sound    http://a.test/gone  a \"Rota\"\n  \
                        and 1 more: --unfold\n";
        assert_eq!(text, expected);
        assert_eq!(plain(|out| write_links(out, &[], 0)), "");
    }

    #[test]
    fn clicks_are_counted_from_the_start_page() {
        let way = ["http://a.test/".to_owned(), "http://a.test/visit/".to_owned()];
        let text = plain(|out| write_clicks(out, true, &way));
        assert_eq!(
            text,
            "\npath from the start page, 1 click\n  http://a.test/\n  http://a.test/visit/\n"
        );
        let text = plain(|out| write_clicks(out, false, &way));
        assert!(text.starts_with("\npath to the first of them, 1 click\n"), "{text}");
        assert_eq!(plain(|out| write_clicks(out, true, &way[..1])), "");
    }
}
