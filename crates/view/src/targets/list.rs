//! The targets of a query in an order. A target takes a few bytes until its texts are fetched.

use std::cmp::Reverse;
use std::collections::{BTreeSet, HashMap, HashSet};
use std::hash::{DefaultHasher, Hash as _, Hasher as _};

use rummage_core::findings::identity::TargetIdentity;
use rummage_core::findings::selection::{Standing, host_of};
use rummage_core::findings::shared::is_shared;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{LinkMatch, LinkQuery, LinkRow, OpenRun, StoreError, StoredUrl};

use crate::grouping::{self, Grouped};
use crate::listing::Group;
use crate::phrase::cause_of;
use crate::text::{is_entry, standing as standing_in_words, target};

/// How many occurrences of a target are kept for its detail.
const OCCURRENCES: usize = 12;

/// Identifies a target of a store, in whatever list it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct TargetId(pub u64);

/// The order of a list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TargetOrder {
    /// By verdict, then by how many visitors are likely to meet the link.
    Worst,
    /// By the number of links.
    MostLinks,
    /// By the run that found it first, the latest first.
    Newest,
    /// By URL.
    Url,
}

/// A target as a line shows it. Texts are as pages have them: escape them before showing them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TargetLine {
    /// What identifies it.
    pub id: TargetId,
    /// The verdict.
    pub verdict: Verdict,
    /// The last status.
    pub status: Option<u16>,
    /// The cause, in words.
    pub cause: String,
    /// The same as short as it can be: the status, else the key of the cause.
    pub code: String,
    /// The URL, with its fragment if that is the fault; of a placeholder, its source text.
    pub target: String,
    /// How many links lead to it.
    pub links: u64,
    /// Its standing in words, if that is news.
    pub standing: Option<String>,
    /// A waiver covers it.
    pub waived: bool,
    /// It is on the site.
    pub is_internal: bool,
    /// Where it has moved to.
    pub moved_to: Option<String>,
}

/// Targets with something in common, in the order of the list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Section {
    /// A host, a page, or a cause in words.
    pub title: String,
    /// Positions in the list.
    pub targets: Vec<u32>,
}

/// The targets of a query in an order; their texts are fetched one by one.
pub struct TargetList<'a> {
    query: &'a LinkQuery<'a>,
    grouped: Grouped<'a>,
    ids: Vec<TargetId>,
    /// The first links to each target, by its position, sorted; `true` for one that stands for
    /// many pages. Made when a detail is first wanted.
    samples: Option<Vec<(u32, LinkMatch, bool)>>,
}

impl<'a> TargetList<'a> {
    /// The targets of a query.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn of(query: &'a LinkQuery<'a>, order: TargetOrder) -> Result<TargetList<'a>, StoreError> {
        let mut grouped = Grouped::of(query)?;
        sort(&mut grouped, query, order)?;
        let ids = grouped.groups().iter().map(|group| Ok(id(&query.identity(&group.first)?)));
        let ids = ids.collect::<Result<Vec<TargetId>, StoreError>>()?;
        Ok(TargetList { query, grouped, ids, samples: None })
    }

    /// What identifies each target, in order.
    #[must_use]
    pub fn ids(&self) -> &[TargetId] {
        &self.ids
    }

    /// How many targets of each verdict it has.
    #[must_use]
    pub fn counts(&self) -> [(Verdict, u64); 5] {
        self.grouped.counts()
    }

    /// How many links lead to them.
    #[must_use]
    pub fn links(&self) -> u64 {
        self.grouped.links
    }

    pub(super) fn run(&self) -> &'a OpenRun<'a> {
        self.query.run()
    }

    pub(super) fn query(&self) -> &'a LinkQuery<'a> {
        self.query
    }

    /// The first link to the target at a position; `None` if there is no such position.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn first(&self, at: u32) -> Result<Option<LinkRow>, StoreError> {
        let group = self.grouped.groups().get(at as usize);
        group.map(|group| self.query.row(&group.first)).transpose()
    }

    /// The URL of the target at a position.
    #[must_use]
    pub fn url(&self, at: u32) -> Option<StoredUrl> {
        self.grouped.groups().get(at as usize).map(|group| group.first.target)
    }

    /// The target at a position as a line; `None` if there is no such position.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn line(&self, at: u32) -> Result<Option<TargetLine>, StoreError> {
        let Some(first) = self.first(at)? else { return Ok(None) };
        let links = self.grouped.groups()[at as usize].links;
        Ok(Some(line(self.ids[at as usize], &first, links.into())))
    }

    /// The targets in sections, worst first; `None` if they are not grouped.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn sections(&self, by: Group) -> Result<Option<Vec<Section>>, StoreError> {
        let run = self.run();
        let mut sections = Sections::default();
        let groups = (0u32..).zip(self.grouped.groups());
        match by {
            Group::Target | Group::None => return Ok(None),
            Group::Host => {
                for (at, group) in groups {
                    let url = run.url(group.first.target)?;
                    sections.add(host_of(&url).to_owned(), at);
                }
            }
            Group::Cause => {
                for (at, group) in groups {
                    let cause = group.first.cause.map_or("works", Cause::words);
                    sections.add(cause.to_owned(), at);
                }
            }
            Group::Page => {
                let positions = self.positions()?;
                let mut on_pages = Vec::new();
                self.query.for_each(|found| {
                    let at = positions.get(&self.query.identity(found)?).copied();
                    on_pages.extend(at.map(|at| (found.page, at)));
                    Ok::<_, StoreError>(())
                })?;
                on_pages.sort_unstable();
                on_pages.dedup();
                for on_page in on_pages.chunk_by(|one, other| one.0 == other.0) {
                    let title = run.url(run.page_at(on_page[0].0))?;
                    let targets = on_page.iter().map(|(_, at)| *at).collect();
                    sections.all.push(Section { title, targets });
                }
                sections.all.sort_by_key(|section| Reverse(section.targets.len()));
            }
        }
        Ok(Some(sections.all))
    }

    /// The positions of the targets with this text in their URL or source text, whatever its
    /// case.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn matches(&self, text: &str) -> Result<Vec<u32>, StoreError> {
        let text = text.to_lowercase();
        let mut found = Vec::new();
        for (at, group) in (0u32..).zip(self.grouped.groups()) {
            let shown = match group.first.cause {
                Some(Cause::NoSuchFragment | Cause::Placeholder) => {
                    target(&self.query.row(&group.first)?)
                }
                _ => self.run().url(group.first.target)?,
            };
            if shown.to_lowercase().contains(&text) {
                found.push(at);
            }
        }
        Ok(found)
    }

    /// The targets of the links to some of them, as waivers name them: with every fragment.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn with_fragments(&self, of: &[u32]) -> Result<BTreeSet<String>, StoreError> {
        let mut wanted = HashSet::new();
        for group in of.iter().filter_map(|at| self.grouped.groups().get(*at as usize)) {
            wanted.insert(self.query.identity(&group.first)?);
        }
        let mut targets = BTreeSet::new();
        self.query.for_each(|found| {
            if wanted.contains(&self.query.identity(found)?) {
                targets.insert(self.run().facts(found)?.target);
            }
            Ok::<_, StoreError>(())
        })?;
        Ok(targets)
    }

    fn positions(&self) -> Result<HashMap<TargetIdentity<StoredUrl>, u32>, StoreError> {
        let groups = (0u32..).zip(self.grouped.groups());
        groups.map(|(at, group)| Ok((self.query.identity(&group.first)?, at))).collect()
    }

    /// The first links to a target. Links that many pages share are one each, marked `true`.
    pub(super) fn samples(&mut self, at: u32) -> Result<&[(u32, LinkMatch, bool)], StoreError> {
        if self.samples.is_none() {
            self.samples = Some(self.collect_samples()?);
        }
        let all = self.samples.as_deref().unwrap_or_default();
        let from = all.partition_point(|(position, ..)| *position < at);
        let to = all.partition_point(|(position, ..)| *position <= at);
        Ok(&all[from..to])
    }

    fn collect_samples(&self) -> Result<Vec<(u32, LinkMatch, bool)>, StoreError> {
        let positions = self.positions()?;
        let pages = self.run().page_count()?;
        let mut kept = vec![0usize; self.ids.len()];
        let mut folded = HashSet::new();
        let mut samples = Vec::new();
        self.query.for_each(|found| {
            let Some(at) = positions.get(&self.query.identity(found)?).copied() else {
                return Ok(());
            };
            let count = &mut kept[at as usize];
            if *count >= OCCURRENCES {
                return Ok(());
            }
            let region = self.query.region(found)?;
            let shared = is_shared(self.query.pages_of(found), pages, region);
            if !shared || folded.insert(self.query.fold(found)) {
                *count += 1;
                samples.push((at, *found, shared));
            }
            Ok::<_, StoreError>(())
        })?;
        // Shared links first: one edit fixes many pages.
        samples.sort_by_key(|(at, found, shared)| (*at, !*shared, found.rank()));
        Ok(samples)
    }
}

/// Sections in the order of their worst target.
#[derive(Default)]
struct Sections {
    all: Vec<Section>,
    by_title: HashMap<String, usize>,
}

impl Sections {
    fn add(&mut self, title: String, at: u32) {
        let number = *self.by_title.entry(title.clone()).or_insert(self.all.len());
        if number == self.all.len() {
            self.all.push(Section { title, targets: Vec::new() });
        }
        self.all[number].targets.push(at);
    }
}

pub(super) fn line(id: TargetId, first: &LinkRow, links: u64) -> TargetLine {
    TargetLine {
        id,
        verdict: first.outcome.verdict,
        status: first.outcome.status,
        cause: cause_of(first),
        code: code(first.outcome.cause, first.outcome.status),
        target: target(first),
        links,
        standing: news(first),
        waived: first.waived,
        is_internal: !is_entry(first) && first.outcome.scope == Some(Scope::Internal),
        moved_to: first.outcome.moved_to.clone(),
    }
}

/// The standing of a target where it calls for attention.
fn news(first: &LinkRow) -> Option<String> {
    let standing = first.history.map(|history| history.standing);
    let is_news = matches!(standing, Some(Standing::New | Standing::Returned));
    standing_in_words(first).filter(|_| is_news && !first.waived)
}

fn code(cause: Option<Cause>, status: Option<u16>) -> String {
    match (cause, status) {
        (_, Some(status)) if status >= 400 => status.to_string(),
        (Some(cause), _) => cause.as_str().to_owned(),
        (None, _) => String::new(),
    }
}

/// Equal for the same target in any list of a store.
fn id(target: &TargetIdentity<StoredUrl>) -> TargetId {
    let mut hasher = DefaultHasher::new();
    target.hash(&mut hasher);
    TargetId(hasher.finish())
}

fn sort(
    grouped: &mut Grouped<'_>,
    query: &LinkQuery<'_>,
    order: TargetOrder,
) -> Result<(), StoreError> {
    let groups = grouped.groups();
    match order {
        TargetOrder::Worst => {}
        TargetOrder::MostLinks => {
            grouped.order(|groups| groups.sort_by_key(|group| Reverse(group.links)));
        }
        TargetOrder::Newest => {
            let firsts = groups.iter().map(|group| {
                let history = query.history(&group.first)?;
                Ok(Reverse(history.map_or(0, |history| history.first_run)))
            });
            let keys = firsts.collect::<Result<Vec<_>, StoreError>>()?;
            sort_by(grouped, keys);
        }
        TargetOrder::Url => {
            let urls = groups.iter().map(|group| query.run().url(group.first.target));
            let keys = urls.collect::<Result<Vec<_>, StoreError>>()?;
            sort_by(grouped, keys);
        }
    }
    Ok(())
}

fn sort_by<K: Ord>(grouped: &mut Grouped<'_>, keys: Vec<K>) {
    grouped.order(|groups: &mut Vec<grouping::Group>| {
        let mut both: Vec<_> = keys.into_iter().zip(std::mem::take(groups)).collect();
        both.sort_by(|one, other| one.0.cmp(&other.0));
        *groups = both.into_iter().map(|(_, group)| group).collect();
    });
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::link_row;

    #[test]
    fn a_line_shows_the_fragment_only_where_it_is_the_fault() {
        let mut row = LinkRow { fragment: Some("hours".to_owned()), ..link_row() };
        assert_eq!(line(TargetId(1), &row, 2).target, "http://a.test/gone");
        row.outcome.cause = Some(Cause::NoSuchFragment);
        let shown = line(TargetId(1), &row, 2);
        assert_eq!(shown.target, "http://a.test/gone#hours");
        assert_eq!(shown.cause, "no anchor #hours on the page");
        assert_eq!((shown.links, shown.is_internal, shown.waived), (2, true, false));
        let codes = [
            (Some(Cause::NotFound), Some(404), "404"),
            (Some(Cause::Timeout), None, "timeout"),
            (Some(Cause::Soft404), Some(200), "soft-404"),
            (None, Some(200), ""),
        ];
        for (cause, status, expected) in codes {
            assert_eq!(code(cause, status), expected);
        }
    }

    #[test]
    fn a_list_has_no_site_that_a_target_could_be_on() {
        let mut row = link_row();
        assert!(line(TargetId(1), &row, 1).is_internal);
        row.element = "entry".to_owned();
        assert!(!line(TargetId(1), &row, 1).is_internal);
    }

    #[test]
    fn sections_keep_the_order_of_their_first_targets() {
        let mut sections = Sections::default();
        for (at, title) in (0..).zip(["b.test", "a.test", "b.test"]) {
            sections.add(title.to_owned(), at);
        }
        let shown: Vec<(&str, &[u32])> =
            sections.all.iter().map(|one| (&*one.title, &*one.targets)).collect();
        assert_eq!(shown, [("b.test", &[0, 2][..]), ("a.test", &[1])]);
    }

    #[test]
    fn targets_of_different_kinds_have_different_ids() {
        let url = StoredUrl::from_index(1);
        let all = [
            TargetIdentity::Url(url),
            TargetIdentity::Url(StoredUrl::from_index(2)),
            TargetIdentity::Anchor(url, "a".into()),
            TargetIdentity::Anchor(url, "b".into()),
            TargetIdentity::Fault(url, Cause::WrongType),
            TargetIdentity::Placeholder("#".into()),
        ];
        let ids: std::collections::BTreeSet<TargetId> = all.iter().map(id).collect();
        assert_eq!(ids.len(), all.len());
        assert_eq!(id(&TargetIdentity::Url(url)), id(&all[0]));
    }
}
