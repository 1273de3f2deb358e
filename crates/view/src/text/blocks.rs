//! A block a target: what is wrong, how it was seen, and where it stands.

use std::io::Write;

use rummage_core::crawl::made_up_beside;
use rummage_core::evidence::{Attempt, Ending};
use rummage_core::extract::elements::Element;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{LinkRow, OpenRun, Outcome, Totals};

use crate::gather::{Block, Shared};
use crate::listing::{Listing, Source};
use crate::number::{count, counted};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::{ViewError, phrase};

/// Addresses and link texts are shown up to so many characters.
pub(super) const LONGEST: usize = 300;
const TEXT: usize = 60;

/// What is wrong, as a person would name it.
pub(crate) fn target(first: &LinkRow) -> String {
    match first.outcome.cause {
        Some(Cause::NoSuchFragment) => first.full_target(),
        Some(Cause::Placeholder) => match first.written.trim() {
            "" => "an empty address".to_owned(),
            written => written.to_owned(),
        },
        _ => first.address.clone(),
    }
}

/// Verdict, cause and status: `broken  not found, 404`.
pub(super) fn headline(out: &mut dyn Write, outcome: &Outcome) -> std::io::Result<()> {
    let style = style::of(outcome.verdict);
    write!(out, "{style}{}{style:#}  {}", outcome.verdict, says(outcome))
}

/// Cause and status: `not found, 404`.
pub(crate) fn says(outcome: &Outcome) -> String {
    let cause = outcome.cause.map_or("answered", Cause::words);
    // Where it works in the end, the status of the end says nothing of what is wrong.
    let ends_well = outcome.cause.is_some_and(Cause::is_of_link) || outcome.moved_to.is_some();
    match outcome.status.filter(|_| !ends_well) {
        Some(status) => format!("{cause}, {status}"),
        None => cause.to_owned(),
    }
}

pub(super) fn write(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    totals: &Totals,
    listing: &Listing,
    block: &Block,
) -> Result<(), ViewError> {
    headline(out, &block.first.outcome)?;
    standing(out, &block.first)?;
    writeln!(out)?;
    writeln!(out, "  {STRONG}{}{STRONG:#}", safe(&shorten(&target(&block.first), LONGEST)))?;
    evidence(out, run, block)?;
    if listing.verbose {
        writeln!(out, "  {FAINT}{}{FAINT:#}", reach(block))?;
    }
    for shared in &block.shared {
        self::shared(out, totals, listing, shared)?;
    }
    for link in &block.places {
        place(out, listing, link)?;
    }
    let more = block.place_count.saturating_sub(block.places.len() as u64);
    if more > 0 {
        let places = counted(more, "more place", "more places");
        writeln!(out, "  {FAINT}and {places}: --unfold, or rummage trace{FAINT:#}")?;
    }
    Ok(())
}

/// What has become of it, where that is news.
fn standing(out: &mut dyn Write, link: &LinkRow) -> std::io::Result<()> {
    use rummage_core::findings::selection::Standing;
    if link.waived {
        return write!(out, "  {FAINT}waived{FAINT:#}");
    }
    let given_once = matches!(&*link.page, "file:///arguments" | "file:///standard-input");
    let Some(history) = link.history.filter(|_| !given_once) else { return Ok(()) };
    match history.standing {
        Standing::New if history.has_before => write!(out, "  {FAINT}new{FAINT:#}"),
        Standing::Returned => write!(out, "  {FAINT}came back{FAINT:#}"),
        Standing::Open if history.new_check => {
            write!(out, "  {FAINT}not looked for before{FAINT:#}")
        }
        Standing::Open => {
            let since = history.first_seen.strftime("%Y-%m-%d");
            write!(out, "  {FAINT}since {since}{FAINT:#}")
        }
        Standing::New | Standing::Healed | Standing::Waived => Ok(()),
    }
}

/// Why it comes where it comes.
fn reach(block: &Block) -> String {
    let reach = &block.group.reach;
    let nearest = match reach.nearest() {
        None => "the start leads to none of them".to_owned(),
        Some(0) => "the start is one of them".to_owned(),
        Some(depth) => {
            format!("the nearest is {} from the start", counted(depth.into(), "link", "links"))
        }
    };
    let pages = counted(u64::from(reach.pages), "page", "pages");
    format!("reach {}: on {pages}, {nearest}", count(reach.weight.into()))
}

fn shared(
    out: &mut dyn Write,
    totals: &Totals,
    listing: &Listing,
    shared: &Shared,
) -> Result<(), ViewError> {
    let link = &shared.first;
    write!(out, "  {}", phrase::on_many(link, totals.pages))?;
    writeln!(out, ", one edit: {}  {FAINT}first on {}{FAINT:#}", said(link), at(link))?;
    if !shared.samples.is_empty() {
        let samples: Vec<String> =
            shared.samples.iter().map(|page| safe(&shorten(page, LONGEST)).to_string()).collect();
        writeln!(out, "    {FAINT}also on {}{FAINT:#}", samples.join(", "))?;
    }
    editor(out, listing, link)
}

/// One place: where, what, in which part of the page.
fn place(out: &mut dyn Write, listing: &Listing, link: &LinkRow) -> Result<(), ViewError> {
    if is_entry(link) {
        return Ok(writeln!(out, "  {}", entry(link, listing.source.as_ref()))?);
    }
    write!(out, "  {}  {}", at(link), said(link))?;
    match link.region {
        Some(region) => writeln!(out, "  {FAINT}in {}{FAINT:#}", region.as_str())?,
        None => writeln!(out)?,
    }
    editor(out, listing, link)
}

/// Where the page is edited.
pub(super) fn editor(
    out: &mut dyn Write,
    listing: &Listing,
    link: &LinkRow,
) -> Result<(), ViewError> {
    let source = listing.source.as_ref();
    if let Some(source) = source.and_then(|source| source.of(&link.page, link.line, link.column)) {
        writeln!(out, "    {FAINT}{}{FAINT:#}", safe(&shorten(&source, LONGEST)))?;
    }
    Ok(())
}

/// How it was seen: the hops, and what the last of them answered.
fn evidence(out: &mut dyn Write, run: &OpenRun<'_>, block: &Block) -> Result<(), ViewError> {
    let outcome = &block.first.outcome;
    if let Some(moved_to) = &outcome.moved_to {
        writeln!(out, "  now at {}", safe(&shorten(moved_to, LONGEST)))?;
    }
    if outcome.cause == Some(Cause::NoSuchFragment) {
        let page = outcome.last.as_deref().unwrap_or(&block.first.address);
        writeln!(out, "  {} was read to its end", safe(&shorten(page, LONGEST)))?;
        return Ok(());
    }
    let of_link = [Cause::Placeholder, Cause::MixedContent];
    if matches!(outcome.verdict, Verdict::Moved | Verdict::Skipped)
        || outcome.cause.is_some_and(|cause| of_link.contains(&cause))
    {
        return Ok(());
    }
    if outcome.cause == Some(Cause::WrongType) {
        writeln!(out, "  the server gives a page, asked as a browser would ask")?;
        return Ok(());
    }
    let way = run.way(block.first.target)?;
    let Some(last) = way.last().filter(|last| !last.attempts.is_empty()) else { return Ok(()) };
    if way.len() > 1 {
        let hops = counted(way.len() as u64 - 1, "redirect", "redirects");
        writeln!(out, "  by {hops} to {}", safe(&shorten(&last.address, LONGEST)))?;
    }
    writeln!(out, "  {}", phrase::attempts(&last.attempts))?;
    Ok(likeness(out, outcome, &last.address, &last.attempts)?)
}

/// A page that does not say itself that it is missing: of what it says the same.
pub(super) fn likeness(
    out: &mut dyn Write,
    outcome: &Outcome,
    address: &str,
    attempts: &[Attempt],
) -> std::io::Result<()> {
    let made_up = made_up_beside(address)
        .filter(|_| outcome.cause == Some(Cause::Soft404) && !says_missing(attempts));
    let Some(made_up) = made_up else { return Ok(()) };
    let made_up = safe(&shorten(&made_up, LONGEST)).to_string();
    writeln!(out, "  it says just what its server says of {made_up}, which was made up")
}

/// Whether a page says in its own words that it is missing.
fn says_missing(attempts: &[Attempt]) -> bool {
    attempts.iter().any(|attempt| match &attempt.ending {
        Ending::Answer(answer) => answer.signs.says_missing.is_some(),
        Ending::Failure(_) => false,
    })
}

/// Where a link stands.
pub(crate) fn at(row: &LinkRow) -> String {
    if is_entry(row) {
        return entry(row, None);
    }
    if row.line == 0 {
        return format!("{} in a field of its answer", safe(&shorten(&row.page, LONGEST)));
    }
    format!("{} {}:{}", safe(&shorten(&row.page, LONGEST)), row.line, row.column)
}

/// Line and column of a link.
pub(super) fn at_line(row: &LinkRow) -> String {
    if row.line == 0 { "field".to_owned() } else { format!("{}:{}", row.line, row.column) }
}

/// Whether a link is an entry of a list that somebody gave.
pub(crate) fn is_entry(row: &LinkRow) -> bool {
    row.element == Element::ENTRY.name()
}

/// Where an entry stands: file and line, as terminals make them clickable.
fn entry(row: &LinkRow, source: Option<&Source>) -> String {
    if let Some(named) = source.and_then(|source| source.of(&row.page, 0, 0)) {
        return format!("{}:{}", safe(&shorten(&named, LONGEST)), row.line);
    }
    let path = row.page.strip_prefix("file://").unwrap_or(&row.page);
    match path {
        "/arguments" => format!("argument {}", row.line),
        "/standard-input" => format!("standard input, line {}", row.line),
        path => format!("{}:{}", safe(&shorten(&decoded(path), LONGEST)), row.line),
    }
}

/// A path without its percent signs, where that gives a text.
fn decoded(path: &str) -> String {
    percent_encoding::percent_decode_str(path)
        .decode_utf8()
        .map_or_else(|_| path.to_owned(), std::borrow::Cow::into_owned)
}

/// What a link says: its element, its text or else what is written, and how.
pub(crate) fn said(row: &LinkRow) -> String {
    let text = row.text.as_deref().filter(|text| !text.is_empty());
    let text = text.map_or_else(
        || format!("{}={}", row.attribute, safe(&shorten(&row.written, TEXT))),
        |text| format!("\"{}\"", safe(&shorten(text, TEXT))),
    );
    format!("{} {text}", row.element)
}
