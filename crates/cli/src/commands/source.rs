//! `rummage trace --source`: fetches the pages that link to a URL, for the source lines of the
//! links.

use std::io::Write;

use rummage_core::extract::{Extractor, Format};
use rummage_core::findings::selection::Selection;
use rummage_core::url::reference::{Reference, resolve};
use rummage_core::url::userinfo::masked_in_text;
use rummage_store::{OpenRun, StoreError, StoredUrl};
use rummage_view::{ViewError, safe};
use url::Url;

use crate::config::Section;
use crate::failure::Failure;
use crate::jobs::PageSources;

/// How many pages are fetched.
const PAGES: usize = 5;
/// How many characters of a line are shown before the tag, and in total.
const BEFORE: usize = 40;
const SHOWN: usize = 200;

pub(super) fn show(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    url: StoredUrl,
    settings: &Section,
) -> Result<(), Failure> {
    let pages = pages(run, url)?;
    let target = run.url(url)?;
    let sources = PageSources::of(run, settings)?;
    let io_error = |error| Failure::View(ViewError::Write(error));
    writeln!(out, "\nsource, fetched just now").map_err(io_error)?;
    for page in pages {
        writeln!(out, "  {}", safe(&page)).map_err(io_error)?;
        match sources.get(&page) {
            Err(why) => writeln!(out, "    {why}").map_err(io_error)?,
            Ok(text) => lines(out, &page, &text, &target).map_err(io_error)?,
        }
    }
    Ok(())
}

/// The first pages that link to the URL.
fn pages(run: &OpenRun<'_>, url: StoredUrl) -> Result<Vec<String>, Failure> {
    let selection = Selection::all();
    let mut ranks = Vec::new();
    run.query_to(url, &selection)?.for_each(|found| {
        if ranks.len() < PAGES && !ranks.contains(&found.page) {
            ranks.push(found.page);
        }
        Ok::<_, StoreError>(())
    })?;
    let pages = ranks.into_iter().map(|rank| run.url(run.page_at(rank)));
    Ok(pages.collect::<Result<_, _>>()?)
}

/// The lines of a page with links to the target.
fn lines(out: &mut dyn Write, page: &str, text: &str, target: &str) -> std::io::Result<()> {
    let mut extractor = Extractor::new(Format::Html, Some("utf-8"), text.len().max(1));
    extractor.feed(text.as_bytes());
    let reading = extractor.finish();
    let own = Url::parse(page).ok();
    let base = own.as_ref().and_then(|own| match reading.base() {
        Some(base) => own.join(base).ok(),
        None => Some(own.clone()),
    });
    let Some(base) = base else { return Ok(()) };
    let all: Vec<&str> = text.lines().collect();
    let mut any = false;
    for link in reading.links() {
        let leads_there = match resolve(&base, link.written) {
            Reference::Web { url, .. } => url.as_str() == target,
            Reference::Other { url } => url == target,
            Reference::Malformed { written } => written == target,
        };
        let line = all.get((link.line as usize).saturating_sub(1));
        if let Some(line) = line.filter(|_| leads_there) {
            any = true;
            let excerpt = excerpt(line, link.column);
            writeln!(out, "    {}:{}  {}", link.line, link.column, safe(&excerpt))?;
        }
    }
    if !any {
        writeln!(out, "    no longer links to it")?;
    }
    Ok(())
}

/// A line around a column, which counts characters from 1; without credentials in URLs.
pub(crate) fn excerpt(line: &str, column: u32) -> String {
    let tag = line.char_indices().nth((column as usize).saturating_sub(1));
    let (before, after) = line.split_at(tag.map_or(line.len(), |(at, _)| at));
    let (before, after) = (masked_in_text(before), masked_in_text(after));
    let length = before.chars().count();
    let from = length.saturating_sub(BEFORE);
    let mut shown: String = before.chars().skip(from).chain(after.chars()).take(SHOWN).collect();
    if from > 0 {
        shown.insert(0, '…');
    }
    if length + after.chars().count() > from + SHOWN {
        shown.push('…');
    }
    shown.trim().to_owned()
}
