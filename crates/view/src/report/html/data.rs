//! The findings as compact data: each text and each page once, by number elsewhere.

use std::collections::HashMap;

use rummage_core::findings::selection::{Standing, host_of};
use rummage_core::verdict::Cause;
use rummage_store::{History, LinkRow};
use serde::{Serialize, Serializer};

use crate::ViewError;
use crate::grouping::{Block, Group, Grouped};
use crate::listing::{Listing, Source};
use crate::phrase::{capitalized, cause_of};
use crate::rows::Shown;
use crate::safe::{safe, safe_json, shorten};
use crate::text::{entry, evidence_text, is_entry, said, standing, target};

/// URLs and texts are cut to this many characters.
const LONGEST: usize = 300;
/// Longer URLs are shown cut, and lead nowhere.
const LONGEST_LINK: usize = 2000;
/// No more targets are added once the data have about this many bytes: the file stays below 3 MB.
const LARGEST: usize = 2_400_000;
/// About how many bytes the numbers of a target and of an occurrence take.
const OF_TARGET: usize = 60;
const OF_OCCURRENCE: usize = 30;
/// How many links to one target are listed; the rest is counted.
const OCCURRENCES: usize = 100;

/// All findings of a report, in order: what is new first.
#[derive(Debug, Default, Serialize)]
pub(super) struct Data {
    /// Texts, which everything else names by their position here. The first is empty.
    pub(super) texts: Texts,
    pub(super) pages: Vec<Page>,
    pub(super) targets: Vec<Target>,
}

/// A page with findings.
#[derive(Debug)]
pub(super) struct Page {
    pub(super) name: String,
    /// Where a link to it leads: nowhere if `None`.
    pub(super) url: Option<String>,
    pub(super) edit: Edit,
}

/// How a page is edited.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Edit {
    Unknown,
    /// In an editor with this URL.
    Url(String),
    /// In this file.
    File(String),
}

/// A target and the links to it.
#[derive(Debug)]
pub(super) struct Target {
    pub(super) name: String,
    /// Where a link to it leads: nowhere if `None`.
    pub(super) url: Option<String>,
    pub(super) verdict: usize,
    pub(super) cause: usize,
    /// The cause in words.
    pub(super) words: usize,
    pub(super) scope: usize,
    pub(super) host: usize,
    /// New, returned, or since when.
    pub(super) standing: usize,
    pub(super) evidence: usize,
    pub(super) advice: usize,
    /// How many links there are in all, and on how many pages.
    pub(super) links: u32,
    pub(super) on_pages: u32,
    /// How many links are not listed.
    pub(super) left_out: u64,
    pub(super) occurrences: Vec<Occurrence>,
}

/// A link to a target.
#[derive(Debug)]
pub(super) struct Occurrence {
    pub(super) page: usize,
    /// 0 for a response header.
    pub(super) line: u32,
    pub(super) column: u32,
    pub(super) element: usize,
    /// The link in words.
    pub(super) words: usize,
    pub(super) region: usize,
    /// On how many pages the same link is, if one edit fixes all of them; else 0.
    pub(super) shared: u64,
}

/// Texts, each once.
#[derive(Debug)]
pub(super) struct Texts {
    all: Vec<String>,
    numbers: HashMap<String, usize>,
    bytes: usize,
}

impl Default for Texts {
    fn default() -> Texts {
        Texts { all: vec![String::new()], numbers: HashMap::from([(String::new(), 0)]), bytes: 0 }
    }
}

impl Texts {
    pub(super) fn text(&self, number: usize) -> &str {
        &self.all[number]
    }

    fn number(&mut self, text: &str) -> usize {
        if let Some(known) = self.numbers.get(text) {
            return *known;
        }
        self.bytes += as_json(text) + 1;
        self.all.push(text.to_owned());
        self.numbers.insert(text.to_owned(), self.all.len() - 1);
        self.all.len() - 1
    }
}

impl Data {
    /// The first links, by target: about as many as `most`. What is new comes first.
    pub(super) fn of(
        grouped: &mut Grouped<'_>,
        listing: &Listing,
        most: usize,
    ) -> Result<(Data, Shown), ViewError> {
        news_first(grouped)?;
        let mut collector = Collector::default();
        // Where each batch queries all links again, fewer batches have more targets in them.
        let (batch, occurrences) =
            if grouped.query().is_large() { (2500, 20) } else { (500, OCCURRENCES) };
        let limit = listing.limit.unwrap_or(usize::MAX).min(grouped.groups().len());
        'all: for batch in grouped.groups()[..limit].chunks(batch) {
            for block in grouped.blocks(batch, occurrences, false)? {
                if collector.listed >= most || collector.bytes() >= LARGEST {
                    break 'all;
                }
                collector.add(grouped, listing, &block)?;
            }
        }
        let shown = Shown { shown: collector.shown, all: grouped.links };
        Ok((collector.data, shown))
    }

    /// JSON that can stand in a script element: nothing in it ends the element (HTML,
    /// "Restrictions for contents of script elements").
    pub(super) fn to_json(&self) -> Result<String, ViewError> {
        let json = serde_json::to_string(self).map_err(std::io::Error::from)?;
        Ok(safe_json(&json).replace('<', "\\u003c"))
    }
}

/// Whether a finding is news since the run before; in a first run, everything is new.
fn is_new(history: History) -> bool {
    match history.standing {
        Standing::New => history.has_before,
        Standing::Returned => true,
        Standing::Open | Standing::Healed | Standing::Waived => false,
    }
}

/// Moves what is new to the front; apart from that, the order stays.
fn news_first(grouped: &mut Grouped<'_>) -> Result<(), ViewError> {
    let query = grouped.query();
    let mut news = Vec::with_capacity(grouped.groups().len());
    for group in grouped.groups() {
        news.push(!group.first.waived && query.history(&group.first)?.is_some_and(is_new));
    }
    grouped.order(|groups| {
        let mut of_each = news.into_iter();
        let is_news = |_: &Group| of_each.next().unwrap_or_default();
        let (mut new, known): (Vec<Group>, Vec<Group>) =
            std::mem::take(groups).into_iter().partition(is_news);
        new.extend(known);
        *groups = new;
    });
    Ok(())
}

#[derive(Default)]
struct Collector {
    data: Data,
    pages: HashMap<String, usize>,
    /// Links with a line of their own.
    listed: usize,
    /// These, and those that are the same on many pages.
    shown: u64,
    /// What pages, targets and occurrences take, without their texts.
    bytes: usize,
}

impl Collector {
    /// About how many bytes the data take.
    fn bytes(&self) -> usize {
        self.bytes + self.data.texts.bytes
    }

    fn add(
        &mut self,
        grouped: &Grouped<'_>,
        listing: &Listing,
        block: &Block,
    ) -> Result<(), ViewError> {
        let (run, first) = (grouped.run(), &block.first);
        let evidence = evidence_text(block, &run.way(first.target)?)?;
        let source = listing.source.as_ref();
        let shared = block.shared.iter().map(|shared| (&shared.first, shared.first.pages));
        let links = shared.chain(block.occurrences.iter().map(|link| (link, 0)));
        let occurrences: Vec<Occurrence> =
            links.map(|(link, shared)| self.occurrence(link, shared, source)).collect();
        let left_out = block.occurrence_count - block.occurrences.len() as u64;
        self.shown += u64::from(block.links) - left_out;
        self.listed += occurrences.len();
        self.bytes += OF_TARGET + OF_OCCURRENCE * occurrences.len();
        let (cause, outcome, name) = (first.outcome.cause, &first.outcome, target(first));
        let scope = outcome.scope.filter(|_| !is_entry(first)).map_or("", |scope| scope.as_str());
        let texts = &mut self.data.texts;
        let url = as_link(&first.full_target()).filter(|_| is_web(&name));
        let name = shown(&name);
        self.bytes += size_of(&name, url.as_deref());
        self.data.targets.push(Target {
            verdict: texts.number(outcome.verdict.as_str()),
            cause: texts.number(cause.map_or("", Cause::as_str)),
            words: texts.number(&cause_of(first)),
            scope: texts.number(scope),
            host: texts.number(host_of(&first.url)),
            standing: texts.number(&standing(first).unwrap_or_default()),
            evidence: texts.number(&evidence),
            advice: texts.number(&cause.and_then(Cause::advice).map_or(String::new(), capitalized)),
            links: block.links,
            on_pages: block.prominence.pages,
            left_out,
            occurrences,
            url,
            name,
        });
        Ok(())
    }

    fn occurrence(&mut self, link: &LinkRow, shared: u64, source: Option<&Source>) -> Occurrence {
        let page = self.page(link, source);
        let texts = &mut self.data.texts;
        Occurrence {
            page,
            line: if is_entry(link) { 0 } else { link.line },
            column: link.column,
            element: texts.number(&link.element),
            words: texts.number(&said(link)),
            region: texts.number(link.region.map_or("", |region| region.as_str())),
            shared,
        }
    }

    /// The number of the page with a link. An entry of a list is a page of its own.
    fn page(&mut self, link: &LinkRow, source: Option<&Source>) -> usize {
        let name = if is_entry(link) { entry(link, source) } else { link.page.clone() };
        if let Some(known) = self.pages.get(&name) {
            return *known;
        }
        let edit = match source {
            Some(source) if !is_entry(link) => match (source, source.of_page(&link.page)) {
                (_, None) => Edit::Unknown,
                (Source::Editor(_), Some(url)) => as_link(&url).map_or(Edit::Unknown, Edit::Url),
                (Source::File(_), Some(file)) => Edit::File(shown(&file)),
            },
            _ => Edit::Unknown,
        };
        let (shown, url) = (shown(&name), as_link(&link.page));
        self.bytes += size_of(&shown, url.as_deref()) + shown.len();
        self.data.pages.push(Page { name: shown, url, edit });
        self.pages.insert(name, self.data.pages.len() - 1);
        self.data.pages.len() - 1
    }
}

fn shown(text: &str) -> String {
    safe(&shorten(text, LONGEST)).to_string()
}

fn is_web(url: &str) -> bool {
    url.starts_with("http://") || url.starts_with("https://")
}

/// A URL that can be a link: that of a page, which runs nothing.
fn as_link(url: &str) -> Option<String> {
    (is_web(url) && url.len() <= LONGEST_LINK).then(|| url.to_owned())
}

/// The bytes of a name and of a link, which is left out if it is the same.
fn size_of(name: &str, url: Option<&str>) -> usize {
    as_json(name) + url.filter(|url| *url != name).map_or(0, as_json)
}

/// The bytes of a text as a string in JSON, with escapes.
fn as_json(text: &str) -> usize {
    let escapes = text.bytes().map(|byte| match byte {
        b'<' => 5,
        b'"' | b'\\' => 1,
        _ => 0,
    });
    text.len() + 2 + escapes.sum::<usize>()
}

/// A link as data: 1 if it is the text before it, 0 for none, else the URL.
fn link(url: Option<&String>, name: &str) -> serde_json::Value {
    match url {
        None => 0.into(),
        Some(url) if url == name => 1.into(),
        Some(url) => url.as_str().into(),
    }
}

impl Serialize for Texts {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.all.serialize(serializer)
    }
}

impl Serialize for Page {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let (url, file) = match &self.edit {
            Edit::Unknown => ("", ""),
            Edit::Url(url) => (url.as_str(), ""),
            Edit::File(file) => ("", file.as_str()),
        };
        (&self.name, link(self.url.as_ref(), &self.name), url, file).serialize(serializer)
    }
}

impl Serialize for Target {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let link = link(self.url.as_ref(), &self.name);
        let texts = (self.verdict, self.cause, self.words, self.scope, self.host, self.standing);
        let more = (self.evidence, self.advice, self.links, self.on_pages, self.left_out);
        (&self.name, link, texts, more, &self.occurrences).serialize(serializer)
    }
}

impl Serialize for Occurrence {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let place = (self.page, self.line, self.column);
        (place, self.element, self.words, self.region, self.shared).serialize(serializer)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_size_of_a_text_is_that_of_its_json() {
        for text in ["", "plain", "a <b> \"c\" \\d", "ü"] {
            let json = serde_json::to_string(text).expect("a text is plain data");
            assert_eq!(as_json(text), json.replace('<', "\\u003c").len(), "{text}");
        }
        assert_eq!(size_of("https://a.test/", Some("https://a.test/")), 17);
        assert_eq!(size_of("x", Some("https://a.test/")), 3 + 17);
    }

    #[test]
    fn texts_are_kept_once_and_counted() {
        let mut texts = Texts::default();
        let numbers = ["a", "", "b", "a"].map(|text| texts.number(text));
        assert_eq!(numbers, [1, 0, 2, 1]);
        assert_eq!((texts.text(2), texts.bytes), ("b", 2 * 4));
    }

    #[test]
    fn only_pages_are_links() {
        assert_eq!(as_link("https://a.test/").as_deref(), Some("https://a.test/"));
        for url in ["javascript:x", "mailto:a@a.test", "//a.test/", "data:text/html,x", ""] {
            assert_eq!(as_link(url), None, "{url}");
        }
        let long = format!("https://a.test/{}", "x".repeat(LONGEST_LINK));
        assert_eq!(as_link(&long), None);
        assert!(as_link(&long[..LONGEST_LINK]).is_some());
    }

    #[test]
    fn news_is_what_was_not_there_before() {
        let with = |standing, has_before| History {
            standing,
            first_run: 1,
            first_seen: jiff::Timestamp::UNIX_EPOCH,
            has_before,
            new_check: false,
        };
        assert!(is_new(with(Standing::New, true)) && is_new(with(Standing::Returned, true)));
        assert!(!is_new(with(Standing::New, false)), "all is new in a first run");
        assert!(!is_new(with(Standing::Open, true)));
    }
}
