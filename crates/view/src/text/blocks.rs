//! A block a target: what is wrong, how it was seen, and where it stands.

use std::collections::HashMap;
use std::io::Write;

use rummage_core::crawl::made_up_beside;
use rummage_core::outcome::{Attempt, Ending};
use rummage_core::reading::Region;
use rummage_core::selection::Selection;
use rummage_core::shared::is_shared;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{LinkRow, Outcome, Reader, RunInfo, Totals};

use crate::number::{count, counted};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::{ViewError, phrase};

/// Places shown in a block.
const PLACES: usize = 5;
/// Addresses and link texts are shown up to so many characters.
pub(super) const LONGEST: usize = 300;
const TEXT: usize = 60;

/// One target with the places that name it.
pub(super) struct Block {
    first: LinkRow,
    /// Pages on which it stands, each once for every link that says the same.
    pages: u64,
    /// What stands on one or two pages, each by itself.
    places: Vec<LinkRow>,
    place_count: u64,
    /// The first place of each link that stands on many pages.
    shared: Vec<LinkRow>,
}

/// Gathers the selected links by target, the worst first: by verdict, then by the
/// number of pages, then by the rank of the first.
pub(super) fn collect(
    reader: &Reader,
    run: &RunInfo,
    selection: &Selection,
    all_pages: u64,
) -> Result<Vec<Block>, ViewError> {
    let mut blocks: Vec<Block> = Vec::new();
    let mut known: HashMap<String, usize> = HashMap::new();
    reader.for_each_link(run, selection, |row| {
        let key = key(&row);
        let index = *known.entry(key).or_insert(blocks.len());
        if index == blocks.len() {
            blocks.push(Block::new(row.clone()));
        }
        blocks[index].add(row, all_pages);
        Ok::<_, ViewError>(())
    })?;
    let severity = |verdict| Verdict::ALL.iter().position(|v| *v == verdict);
    blocks.sort_by_key(|block| {
        (severity(block.first.outcome.verdict), std::cmp::Reverse(block.pages))
    });
    Ok(blocks)
}

/// What is told in one block. A fragment is a target of its own only where it is what
/// is wrong, and so is what a link has beside its address; links that lead nowhere are
/// alike when they say the same, on whatever page.
fn key(row: &LinkRow) -> String {
    let cause = row.outcome.cause.map_or("", Cause::as_str);
    match row.outcome.cause {
        Some(Cause::NoSuchFragment) => row.target(),
        Some(Cause::Placeholder) => {
            format!("{cause} {}", row.written.trim())
        }
        Some(Cause::WrongType | Cause::MixedContent) => format!("{cause} {}", row.address),
        _ => row.address.clone(),
    }
}

impl Block {
    fn new(first: LinkRow) -> Block {
        Block { first, pages: 0, places: Vec::new(), place_count: 0, shared: Vec::new() }
    }

    fn add(&mut self, row: LinkRow, all_pages: u64) {
        self.pages += 1;
        let region = row.region.as_deref().and_then(Region::named);
        if is_shared(row.pages, all_pages, region) {
            if !self.shared.iter().any(|shared| shared.mark == row.mark) {
                self.shared.push(row);
            }
        } else {
            self.place_count += 1;
            if self.places.len() < PLACES {
                self.places.push(row);
            }
        }
    }

    /// What is wrong, as a person would name it.
    fn target(&self) -> String {
        match self.first.outcome.cause {
            Some(Cause::NoSuchFragment) => self.first.target(),
            Some(Cause::Placeholder) => match self.first.written.trim() {
                "" => "an empty address".to_owned(),
                written => written.to_owned(),
            },
            _ => self.first.address.clone(),
        }
    }
}

pub(super) fn write(
    out: &mut dyn Write,
    reader: &Reader,
    run: &RunInfo,
    totals: &Totals,
    block: &Block,
) -> Result<(), ViewError> {
    let outcome = &block.first.outcome;
    let style = style::of(outcome.verdict);
    write!(out, "{style}{}{style:#}  ", outcome.verdict)?;
    if let Some(cause) = outcome.cause {
        write!(out, "{}", phrase::cause(cause))?;
    } else {
        write!(out, "answered")?;
    }
    // Where it works in the end, the status of the end says nothing of what is wrong.
    let beside = [Cause::NoSuchFragment, Cause::Placeholder, Cause::MixedContent, Cause::WrongType];
    let ends_well =
        outcome.cause.is_some_and(|c| beside.contains(&c)) || outcome.moved_to.is_some();
    if let Some(status) = outcome.status.filter(|_| !ends_well) {
        write!(out, ", {status}")?;
    }
    writeln!(out)?;
    writeln!(out, "  {STRONG}{}{STRONG:#}", safe(&shorten(&block.target(), LONGEST)))?;
    evidence(out, reader, run, block)?;
    for shared in &block.shared {
        write!(out, "  on {} of {} pages", count(shared.pages), count(totals.pages))?;
        if let Some(region) = &shared.region {
            write!(out, ", in {region}")?;
        }
        write!(out, ", one edit: {}", said(shared))?;
        writeln!(out, "  {FAINT}first on {}{FAINT:#}", at(shared))?;
    }
    for place in block.places.iter().take(PLACES) {
        write!(out, "  {}  {}", at(place), said(place))?;
        match &place.region {
            Some(region) => writeln!(out, "  {FAINT}in {region}{FAINT:#}")?,
            None => writeln!(out)?,
        }
    }
    let more = block.place_count.saturating_sub(PLACES as u64);
    if more > 0 {
        let places = counted(more, "more place", "more places");
        writeln!(out, "  {FAINT}and {places}: rummage trace{FAINT:#}")?;
    }
    Ok(())
}

/// How it was seen: the hops, and what the last of them answered.
fn evidence(
    out: &mut dyn Write,
    reader: &Reader,
    run: &RunInfo,
    block: &Block,
) -> Result<(), ViewError> {
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
    let way = reader.way(run.number, &block.first.address)?;
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
pub(super) fn at(row: &LinkRow) -> String {
    if row.line == 0 {
        return format!("{} in a field of its answer", safe(&shorten(&row.page, LONGEST)));
    }
    format!("{} {}:{}", safe(&shorten(&row.page, LONGEST)), row.line, row.column)
}

/// What a link says: its element, its text or else what is written, and how.
pub(super) fn said(row: &LinkRow) -> String {
    let text = row.text.as_deref().filter(|text| !text.is_empty());
    let text = text.map_or_else(
        || format!("{}={}", row.attribute, safe(&shorten(&row.written, TEXT))),
        |text| format!("\"{}\"", safe(&shorten(text, TEXT))),
    );
    format!("{} {text}", row.element)
}
