//! Gathers the links that fit by what they name.
//!
//! A group is a few octets; its places are fetched when it is shown, a batch of groups
//! at a time, so that a million targets are never in memory with all their places.

use std::cmp::Reverse;
use std::collections::HashMap;

use rummage_core::findings::identity::TargetIdentity;
use rummage_core::findings::prominence::Reach;
use rummage_core::findings::shared::is_shared;
use rummage_core::verdict::Verdict;
use rummage_store::{Address, Found, LinkRow, OpenRun, Sift, StoreError};

/// Places of a target that are fetched.
pub(crate) const PLACES: usize = 5;
/// Links that are kept while they are gathered, so that they need not be sifted again.
const KEPT: usize = 300_000;
/// Groups whose places are fetched at a time; more where all links are sifted for it.
const FIRST_BATCH: usize = 50;
const BATCH: usize = 2000;
const LARGE_BATCH: usize = 20_000;

/// All links to one target.
#[derive(Debug, Clone)]
pub(crate) struct Group {
    pub(crate) first: Found,
    pub(crate) reach: Reach,
    pub(crate) links: u32,
    last_page: u32,
}

/// A target with the places that are shown of it.
#[derive(Debug)]
pub(crate) struct Block {
    pub(crate) group: Group,
    pub(crate) first: LinkRow,
    /// What stands on one or two pages, each by itself; the first few.
    pub(crate) places: Vec<LinkRow>,
    pub(crate) place_count: u64,
    /// The first place of each link that stands on many pages, with samples.
    pub(crate) shared: Vec<Shared>,
}

/// A link that stands on many pages.
#[derive(Debug)]
pub(crate) struct Shared {
    pub(crate) first: LinkRow,
    pub(crate) fold: u32,
    /// More pages that have it.
    pub(crate) samples: Vec<String>,
}

/// All that fits, gathered by target.
pub(crate) struct Gathered<'a> {
    sift: &'a Sift<'a>,
    groups: Vec<Group>,
    /// The links, where they are few enough to keep.
    kept: Option<Vec<Found>>,
    pub(crate) links: u64,
}

/// How many targets of each verdict fit.
pub(crate) type Counts = [(Verdict, u64); 5];

impl<'a> Gathered<'a> {
    /// Gathers what a sift gives, the worst first: by verdict, then by how many visitors
    /// can meet it, then by the rank of the first.
    pub(crate) fn of(sift: &'a Sift<'a>) -> Result<Gathered<'a>, StoreError> {
        let mut gathering = Gathering::new(sift);
        sift.for_each(|found| gathering.handle_found(found))?;
        Ok(gathering.finish())
    }

    /// Gathers some of what a sift gives.
    pub(crate) fn of_some(
        sift: &'a Sift<'a>,
        some: impl IntoIterator<Item = Found>,
    ) -> Result<Gathered<'a>, StoreError> {
        let mut gathering = Gathering::new(sift);
        gathering.most = usize::MAX;
        gathering.gathered.kept = Some(Vec::new());
        some.into_iter().try_for_each(|found| gathering.handle_found(&found))?;
        Ok(gathering.finish())
    }

    pub(crate) fn run(&self) -> &'a OpenRun<'a> {
        self.sift.run()
    }

    pub(crate) fn groups(&self) -> &[Group] {
        &self.groups
    }

    /// Puts the groups into another order.
    pub(crate) fn order(&mut self, order: impl FnOnce(&mut Vec<Group>)) {
        order(&mut self.groups);
    }

    pub(crate) fn counts(&self) -> Counts {
        Verdict::ALL.map(|verdict| {
            let of = self.groups.iter().filter(|group| group.first.verdict == verdict);
            (verdict, of.count() as u64)
        })
    }

    /// Gives the first groups with their places, in their order.
    pub(crate) fn for_each_block<E: From<StoreError>>(
        &self,
        limit: Option<usize>,
        unfold: bool,
        mut take: impl FnMut(Block) -> Result<(), E>,
    ) -> Result<(), E> {
        let shown = limit.unwrap_or(usize::MAX).min(self.groups.len());
        let most = if unfold { usize::MAX } else { PLACES };
        // The first few come at once.
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

    fn blocks(&self, batch: &[Group], most: usize, unfold: bool) -> Result<Vec<Block>, StoreError> {
        let mut blocks = Vec::with_capacity(batch.len());
        let mut known = HashMap::new();
        for group in batch {
            known.insert(self.sift.identity(&group.first)?, blocks.len());
            blocks.push(Block {
                first: self.sift.row(&group.first)?,
                group: group.clone(),
                places: Vec::new(),
                place_count: 0,
                shared: Vec::new(),
            });
        }
        let add = |found: &Found| -> Result<(), StoreError> {
            match known.get(&self.sift.identity(found)?) {
                Some(&at) => blocks[at].add(self.sift, found, most, unfold),
                None => Ok(()),
            }
        };
        match &self.kept {
            Some(kept) => kept.iter().try_for_each(add)?,
            None => self.sift.for_each(add)?,
        }
        Ok(blocks)
    }
}

/// Gathers links one by one.
struct Gathering<'a> {
    gathered: Gathered<'a>,
    known: Known,
    most: usize,
}

/// Which group each key has, from 1: dense for addresses, a map for the few that have
/// something beside.
#[derive(Default)]
struct Known {
    plain: Vec<u32>,
    others: HashMap<TargetIdentity<Address>, u32>,
}

impl Known {
    /// The number of the group of a key, 0 so far for a new one.
    fn number(&mut self, target: TargetIdentity<Address>) -> &mut u32 {
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

impl<'a> Gathering<'a> {
    fn new(sift: &'a Sift<'a>) -> Gathering<'a> {
        let kept = (!sift.is_large()).then(Vec::new);
        // Room for all at once: a list that grows stands twice for a while.
        let groups = Vec::with_capacity(sift.most_targets());
        let gathered = Gathered { sift, groups, kept, links: 0 };
        Gathering { gathered, known: Known::default(), most: KEPT }
    }

    fn handle_found(&mut self, found: &Found) -> Result<(), StoreError> {
        let Gathered { sift, groups, kept, links } = &mut self.gathered;
        let number = self.known.number(sift.identity(found)?);
        if *number == 0 {
            groups.push(Group::new(*found));
            *number = count(groups.len());
        }
        groups[*number as usize - 1].add(sift, found)?;
        *links += 1;
        match kept {
            Some(all) if all.len() < self.most => all.push(*found),
            _ => *kept = None,
        }
        Ok(())
    }

    fn finish(mut self) -> Gathered<'a> {
        drop(self.known);
        // Unstable, with the place at the end: it needs no room of its own.
        self.gathered.groups.sort_unstable_by_key(|group| {
            let Group { first, reach, .. } = group;
            (severity(first.verdict), Reverse(reach.weight), first.rank())
        });
        self.gathered
    }
}

fn count(number: usize) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}

/// The worse, the less.
pub(crate) fn severity(verdict: Verdict) -> Option<usize> {
    Verdict::ALL.iter().position(|known| *known == verdict)
}

impl Group {
    fn new(first: Found) -> Group {
        Group { first, reach: Reach::default(), links: 0, last_page: u32::MAX }
    }

    fn add(&mut self, sift: &Sift<'_>, found: &Found) -> Result<(), StoreError> {
        self.links = self.links.saturating_add(1);
        if self.last_page != found.page {
            self.last_page = found.page;
            self.reach.add(sift.run().depth_at(found.page), sift.region(found)?);
        }
        Ok(())
    }
}

impl Block {
    fn add(
        &mut self,
        sift: &Sift<'_>,
        found: &Found,
        most: usize,
        unfold: bool,
    ) -> Result<(), StoreError> {
        let all = sift.run().page_count()?;
        if !unfold && is_shared(sift.pages_of(found), all, sift.region(found)?) {
            return self.add_shared(sift, found);
        }
        self.place_count += 1;
        if self.places.len() < most {
            self.places.push(sift.row(found)?);
        }
        Ok(())
    }

    fn add_shared(&mut self, sift: &Sift<'_>, found: &Found) -> Result<(), StoreError> {
        /// Pages beside the first that are named.
        const SAMPLES: usize = 2;
        let fold = sift.fold(found);
        match self.shared.iter_mut().find(|shared| shared.fold == fold) {
            Some(shared) if shared.samples.len() < SAMPLES => {
                let page = sift.run().url(sift.run().page_at(found.page))?;
                let known = shared.first.page == page || shared.samples.contains(&page);
                if !known {
                    shared.samples.push(page);
                }
            }
            Some(_) => {}
            None => {
                let first = sift.row(found)?;
                self.shared.push(Shared { first, fold, samples: Vec::new() });
            }
        }
        Ok(())
    }
}
