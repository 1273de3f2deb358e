//! Groups links by target.
//!
//! A group takes a few bytes; its occurrences are fetched when it is shown, a batch of groups at
//! a time, so that the occurrences of a million targets are never in memory at once.

use std::cmp::Reverse;
use std::collections::{HashMap, HashSet};

use rummage_core::findings::identity::TargetIdentity;
use rummage_core::findings::prominence::Prominence;
use rummage_core::findings::shared::is_shared;
use rummage_core::verdict::Verdict;
use rummage_store::{LinkMatch, LinkQuery, LinkRow, OpenRun, StoreError, StoredUrl};

/// How many occurrences of a target are fetched.
pub(crate) const OCCURRENCES: usize = 5;
/// How many links are kept while grouping, so that they need not be queried again.
const KEPT: usize = 300_000;
/// How many groups' occurrences are fetched at a time; more if each batch queries all links.
const FIRST_BATCH: usize = 50;
const BATCH: usize = 2000;
const LARGE_BATCH: usize = 20_000;

/// All links to one target.
#[derive(Debug, Clone)]
pub(crate) struct Group {
    pub(crate) first: LinkMatch,
    pub(crate) prominence: Prominence,
    pub(crate) links: u32,
    last_page: u32,
}

/// A target with the occurrences that are shown.
#[derive(Debug)]
pub(crate) struct Block {
    pub(crate) prominence: Prominence,
    pub(crate) links: u32,
    pub(crate) first: LinkRow,
    /// The first few links that appear on one or two pages.
    pub(crate) occurrences: Vec<LinkRow>,
    pub(crate) occurrence_count: u64,
    /// The first occurrence of each link shared by many pages, with samples.
    pub(crate) shared: Vec<Shared>,
}

/// A link shared by many pages.
#[derive(Debug)]
pub(crate) struct Shared {
    pub(crate) first: LinkRow,
    pub(crate) fold: u32,
    /// Further pages with the link.
    pub(crate) samples: Vec<String>,
}

/// All matching links, grouped by target.
pub(crate) struct Grouped<'a> {
    query: &'a LinkQuery<'a>,
    groups: Vec<Group>,
    /// The links, if there are few enough to keep.
    kept: Option<Vec<LinkMatch>>,
    pub(crate) links: u64,
}

/// How many targets of each verdict match.
pub(crate) type Counts = [(Verdict, u64); 5];

impl<'a> Grouped<'a> {
    /// Groups the links of a query, worst first: by verdict, then by how many visitors can run
    /// into the target, then by the rank of its first link.
    pub(crate) fn of(query: &'a LinkQuery<'a>) -> Result<Grouped<'a>, StoreError> {
        let mut grouping = Grouping::new(query);
        query.for_each(|found| grouping.handle_found(found))?;
        Ok(grouping.finish())
    }

    /// Groups some of the links of a query.
    pub(crate) fn of_some(
        query: &'a LinkQuery<'a>,
        some: impl IntoIterator<Item = LinkMatch>,
    ) -> Result<Grouped<'a>, StoreError> {
        let mut grouping = Grouping::new(query);
        grouping.most = usize::MAX;
        grouping.grouped.kept = Some(Vec::new());
        some.into_iter().try_for_each(|found| grouping.handle_found(&found))?;
        Ok(grouping.finish())
    }

    pub(crate) fn query(&self) -> &'a LinkQuery<'a> {
        self.query
    }

    pub(crate) fn run(&self) -> &'a OpenRun<'a> {
        self.query.run()
    }

    pub(crate) fn groups(&self) -> &[Group] {
        &self.groups
    }

    /// Reorders the groups.
    pub(crate) fn order(&mut self, order: impl FnOnce(&mut Vec<Group>)) {
        order(&mut self.groups);
    }

    pub(crate) fn counts(&self) -> Counts {
        Verdict::ALL.map(|verdict| {
            let of = self.groups.iter().filter(|group| group.first.verdict == verdict);
            (verdict, of.count() as u64)
        })
    }

    /// Calls `take` with the first groups and their occurrences, in order.
    pub(crate) fn for_each_block<E: From<StoreError>>(
        &self,
        limit: Option<usize>,
        unfold: bool,
        mut take: impl FnMut(Block) -> Result<(), E>,
    ) -> Result<(), E> {
        let shown = limit.unwrap_or(usize::MAX).min(self.groups.len());
        let most = if unfold { usize::MAX } else { OCCURRENCES };
        // The first batch is small, so that output starts at once.
        let mut size = if self.kept.is_some() { FIRST_BATCH } else { LARGE_BATCH };
        let mut rest = &self.groups[..shown];
        while !rest.is_empty() {
            let (batch, later) = rest.split_at(size.min(rest.len()));
            for block in self.blocks(batch, most, unfold)? {
                take(block)?;
            }
            rest = later;
            size = size.max(BATCH);
        }
        Ok(())
    }

    /// Some of the groups with at most so many occurrences each.
    pub(crate) fn blocks(
        &self,
        batch: &[Group],
        most: usize,
        unfold: bool,
    ) -> Result<Vec<Block>, StoreError> {
        let mut blocks = Vec::with_capacity(batch.len());
        let mut index = HashMap::new();
        for group in batch {
            index.insert(self.query.identity(&group.first)?, blocks.len());
            blocks.push(Block {
                first: self.query.row(&group.first)?,
                prominence: group.prominence,
                links: group.links,
                occurrences: Vec::new(),
                occurrence_count: 0,
                shared: Vec::new(),
            });
        }
        // Placeholders that are the same lead to different URLs.
        let urls: Option<HashSet<StoredUrl>> = index.keys().map(|key| key.url().copied()).collect();
        let wanted = |url| urls.as_ref().is_none_or(|urls| urls.contains(&url));
        let add = |found: &LinkMatch| -> Result<(), StoreError> {
            match index.get(&self.query.identity(found)?) {
                Some(&at) => blocks[at].add(self.query, found, most, unfold),
                None => Ok(()),
            }
        };
        match &self.kept {
            Some(kept) => kept.iter().filter(|found| wanted(found.target)).try_for_each(add)?,
            None => self.query.for_each_to(wanted, add)?,
        }
        Ok(blocks)
    }
}

/// Groups links one by one.
struct Grouping<'a> {
    grouped: Grouped<'a>,
    index: GroupIndex,
    most: usize,
}

/// The group number of each key, from 1: a vector for URLs, a map for the few keys with a
/// fragment or source text.
#[derive(Default)]
struct GroupIndex {
    plain: Vec<u32>,
    others: HashMap<TargetIdentity<StoredUrl>, u32>,
}

impl GroupIndex {
    /// The group number of a key; 0 for a new one, until it is set.
    fn number(&mut self, target: TargetIdentity<StoredUrl>) -> &mut u32 {
        match target {
            TargetIdentity::Url(target) => {
                let at = target.index();
                if self.plain.len() <= at {
                    self.plain.resize(at + 1, 0);
                }
                &mut self.plain[at]
            }
            other => self.others.entry(other).or_default(),
        }
    }
}

impl<'a> Grouping<'a> {
    fn new(query: &'a LinkQuery<'a>) -> Grouping<'a> {
        let kept = (!query.is_large()).then(Vec::new);
        // Allocated once: a vector that grows exists twice for a moment.
        let groups = Vec::with_capacity(query.most_targets());
        let grouped = Grouped { query, groups, kept, links: 0 };
        Grouping { grouped, index: GroupIndex::default(), most: KEPT }
    }

    fn handle_found(&mut self, found: &LinkMatch) -> Result<(), StoreError> {
        let Grouped { query, groups, kept, links } = &mut self.grouped;
        let number = self.index.number(query.identity(found)?);
        if *number == 0 {
            groups.push(Group::new(*found));
            *number = count(groups.len());
        }
        groups[*number as usize - 1].add(query, found)?;
        *links += 1;
        match kept {
            Some(all) if all.len() < self.most => all.push(*found),
            _ => *kept = None,
        }
        Ok(())
    }

    fn finish(mut self) -> Grouped<'a> {
        drop(self.index);
        // An unstable sort with the position as last key needs no extra memory.
        self.grouped.groups.sort_unstable_by_key(|group| {
            let Group { first, prominence, .. } = group;
            (severity(first.verdict), Reverse(prominence.weight), first.rank())
        });
        self.grouped
    }
}

fn count(number: usize) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}

/// The position of a verdict in the order of severity, worst first.
pub(crate) fn severity(verdict: Verdict) -> Option<usize> {
    Verdict::ALL.iter().position(|index| *index == verdict)
}

impl Group {
    fn new(first: LinkMatch) -> Group {
        Group { first, prominence: Prominence::default(), links: 0, last_page: u32::MAX }
    }

    fn add(&mut self, query: &LinkQuery<'_>, found: &LinkMatch) -> Result<(), StoreError> {
        self.links = self.links.saturating_add(1);
        if self.last_page != found.page {
            self.last_page = found.page;
            self.prominence.add(query.run().depth_at(found.page), query.region(found)?);
        }
        Ok(())
    }
}

impl Block {
    fn add(
        &mut self,
        query: &LinkQuery<'_>,
        found: &LinkMatch,
        most: usize,
        unfold: bool,
    ) -> Result<(), StoreError> {
        let all = query.run().page_count()?;
        if !unfold && is_shared(query.pages_of(found), all, query.region(found)?) {
            return self.add_shared(query, found);
        }
        self.occurrence_count += 1;
        if self.occurrences.len() < most {
            self.occurrences.push(query.row(found)?);
        }
        Ok(())
    }

    fn add_shared(&mut self, query: &LinkQuery<'_>, found: &LinkMatch) -> Result<(), StoreError> {
        /// How many pages besides the first are named.
        const SAMPLES: usize = 2;
        let fold = query.fold(found);
        match self.shared.iter_mut().find(|shared| shared.fold == fold) {
            Some(shared) if shared.samples.len() < SAMPLES => {
                let page = query.run().url(query.run().page_at(found.page))?;
                let index = shared.first.page == page || shared.samples.contains(&page);
                if !index {
                    shared.samples.push(page);
                }
            }
            Some(_) => {}
            None => {
                let first = query.row(found)?;
                self.shared.push(Shared { first, fold, samples: Vec::new() });
            }
        }
        Ok(())
    }
}
