//! The links of a run that fit a selection, in the order of their rank.
//!
//! The pages are walked twice: once to count on how many of them each link stands,
//! once to give the links. What is held is nine octets a mark; a million links that
//! fit are never in memory together, unless the caller keeps them.

use std::cell::OnceCell;
use std::collections::HashSet;

use rummage_core::crawl::Place;
use rummage_core::extract::elements::{Attribute, Element};
use rummage_core::findings::selection::Selection;
use rummage_core::verdict::{Cause, LinkSeen, Verdict, of_link};
use rusqlite::params;

use crate::codec::places;
use crate::db::error::StoreError;
use crate::read::folds::{Counts, Folds, Numbers, Print};
use crate::read::open::OpenRun;
use crate::tables::url_status::Saying;

/// A link that fits, in few octets. [`OpenRun::row`] has its texts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Found {
    /// The page that has it, by its rank, from 0.
    pub page: u32,
    /// The target, without its fragment.
    pub target: crate::Address,
    /// Tells links that say the same from others.
    pub(crate) mark: u32,
    /// Line of the start of the tag, from 1; 0 for what stands in the head of the answer.
    pub line: u32,
    /// Column of the start of the tag, as the line.
    pub column: u32,
    /// What is said of the link: of its address, or of itself where that is worse.
    pub verdict: Verdict,
    /// Why.
    pub cause: Option<Cause>,
    pub(crate) place: Option<Place>,
    /// Somebody has set it aside.
    pub waived: bool,
}

impl Found {
    /// Puts links in their order: by page, then by place; what stands at one place (the
    /// addresses of a `srcset`) by what was stored first.
    #[must_use]
    pub fn rank(&self) -> impl Ord + use<> {
        (self.page, self.line, self.column, self.mark)
    }
}

/// The links of a run, as a selection sifts them.
#[derive(Debug)]
pub struct Sift<'a> {
    run: &'a OpenRun<'a>,
    selection: &'a Selection,
    /// The only page that is looked at, by its rank.
    only_on: Option<u32>,
    /// Which marks may fit, and what is the same link.
    folds: Folds,
    /// What the links of each fold name.
    targets: Numbers,
    /// On how many pages each fold stands.
    pages: Counts,
    /// All places of marks that may fit, with the rank of their page, where they are few.
    hits: Option<Vec<(u32, places::Place)>>,
}

/// Places that are kept while their pages are counted, so that the pages need not be
/// walked again.
const KEPT: usize = 400_000;
/// Marks whose fingerprints are sorted at a time.
const PRINTS_HELD: u32 = 2_000_000;

/// A page, as the links on it see it. Its texts are fetched where they are asked for:
/// most links need none of them.
struct Seen<'a> {
    run: &'a OpenRun<'a>,
    rank: u32,
    texts: OnceCell<(String, Option<String>)>,
}

impl Seen<'_> {
    /// Address and title.
    fn texts(&self) -> Result<(&str, Option<&str>), StoreError> {
        if self.texts.get().is_none() {
            let version = self.run.pages[self.rank as usize].version;
            let texts = self
                .run
                .db
                .prepare_cached(
                    "SELECT url, title FROM page_version JOIN address ON address.id = address
                     WHERE page_version.id = ?1",
                )?
                .query_row([version], |row| Ok((row.get(0)?, row.get(1)?)))?;
            let _ = self.texts.set(texts);
        }
        let (url, title) = self.texts.get().expect("it was just set");
        Ok((url, title.as_deref()))
    }
}

impl<'a> OpenRun<'a> {
    /// Sifts the links of the run.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn sift(&'a self, selection: &'a Selection) -> Result<Sift<'a>, StoreError> {
        let addresses = self.addresses(selection)?;
        self.sift_some(selection, None, |_, target| {
            addresses.get(target as usize).copied().unwrap_or_default()
        })
    }

    /// Sifts the links to one address.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn sift_to(
        &'a self,
        address: crate::Address,
        selection: &'a Selection,
    ) -> Result<Sift<'a>, StoreError> {
        self.sift_some(selection, None, |_, target| target == address.0)
    }

    /// Sifts the links to some addresses.
    pub(crate) fn sift_to_any(
        &'a self,
        addresses: &HashSet<u32>,
        selection: &'a Selection,
    ) -> Result<Sift<'a>, StoreError> {
        self.sift_some(selection, None, |_, target| addresses.contains(&target))
    }

    /// Sifts the links on one page; `None` where the run did not read it.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn sift_on(
        &'a self,
        page: crate::Address,
        selection: &'a Selection,
    ) -> Result<Option<Sift<'a>>, StoreError> {
        let Some(rank) = self.pages.iter().position(|known| known.address == page.0) else {
            return Ok(None);
        };
        let links: Vec<u8> = self
            .db
            .prepare_cached("SELECT links FROM page_version WHERE id = ?1")?
            .query_row([self.pages[rank].version], |row| row.get(0))?;
        let marks: HashSet<u32> = places::unpack(&links).map(|place| place.mark).collect();
        let rank = u32::try_from(rank).ok();
        self.sift_some(selection, rank, |mark, _| marks.contains(&mark)).map(Some)
    }

    fn sift_some(
        &'a self,
        selection: &'a Selection,
        only_on: Option<u32>,
        may: impl Fn(u32, u32) -> bool,
    ) -> Result<Sift<'a>, StoreError> {
        let (folds, targets) = self.folds(selection, may)?;
        let (pages, hits) = self.count_pages(&folds, targets.count())?;
        Ok(Sift { run: self, selection, only_on, folds, targets, pages, hits })
    }

    /// Whether links to each address may fit.
    fn addresses(&self, selection: &Selection) -> Result<Vec<bool>, StoreError> {
        let may = |address, saying: Saying| {
            selection.takes_verdict(saying.verdict, saying.cause, saying.status())
                || self.beside.concerns(address)
        };
        let asks_addresses = selection.scope.is_some()
            || !(selection.hosts.is_empty() && selection.targets.is_empty());
        let unfinished = self.info.state != crate::RunState::Finished;
        let mut fits = Vec::new();
        let mut set = |address: u32| {
            let at = address as usize;
            if fits.len() <= at {
                fits.resize(at + 1, false);
            }
            fits[at] = true;
        };
        if !asks_addresses && !unfinished {
            let taken = self.sayings.iter().filter(|(address, saying)| may(*address, *saying));
            taken.for_each(|(address, _)| set(address));
            return Ok(fits);
        }
        let mut select = self.db.prepare("SELECT id, url FROM address")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let address: u32 = row.get(0)?;
            let Some(saying) = self.saying(address) else { continue };
            let url = row.get_ref(1)?.as_str().unwrap_or_default();
            // A pattern may name the fragment as well: which of them is seen later.
            let by_url = selection.takes_address(url, saying.scope)
                || (self.beside.places.contains_key(&address) && !selection.targets.is_empty());
            if by_url && may(address, saying) {
                set(address);
            }
        }
        Ok(fits)
    }

    /// Numbers the marks that may fit: equal numbers for the same link. Gives what each
    /// number names, too.
    fn folds(
        &self,
        selection: &Selection,
        may: impl Fn(u32, u32) -> bool,
    ) -> Result<(Folds, Numbers), StoreError> {
        let asks = !(selection.elements.is_empty() && selection.text.is_empty());
        let takes = |said: &crate::tables::link_contents::Said<'_>| {
            selection.takes_link(said.element, said.text)
        };
        let end = self.marks.end()?;
        // A part of all fingerprints at a time: twelve octets a mark are much.
        let parts = u64::from(end / PRINTS_HELD) + 1;
        let mut folds = Folds::new(end);
        let (mut number, mut most_target) = (0, 0);
        // Room for all of a part at once: a list that grows leaves holes behind.
        let room = u64::from(end) / parts;
        let mut prints: Vec<Print> = Vec::with_capacity((room + room / 8) as usize);
        for part in 0..parts {
            self.marks.for_each(|mark, target, print| {
                if print % parts == part
                    && may(mark, target)
                    && (!asks || self.marks.with(mark, takes)?)
                {
                    prints.push(Print::new(print, mark));
                    most_target = most_target.max(target);
                }
                Ok(())
            })?;
            prints.sort_unstable();
            folds.make_room(prints.len());
            let mut last = None;
            for print in prints.drain(..) {
                if last.replace(print.print) != Some(print.print) {
                    number += 1;
                }
                folds.set(print.mark, number);
            }
        }
        drop(prints);
        let mut targets = Numbers::of(number as usize + 1, most_target);
        self.marks.for_each(|mark, target, _| {
            let fold = folds.of(mark) as usize;
            if fold > 0 {
                targets.set(fold, target);
            }
            Ok(())
        })?;
        Ok((folds, targets))
    }

    fn count_pages(&self, folds: &Folds, count: usize) -> Result<Counted, StoreError> {
        let mut pages = Counts::of(count);
        // Nearly every mark stands somewhere: where many may fit, none are kept.
        let mut hits = (count <= KEPT).then(Vec::new);
        if count <= 1 {
            return Ok((pages, hits));
        }
        let mut on_page = Vec::new();
        let mut select = self.db.prepare("SELECT links FROM page_version WHERE id = ?1")?;
        for (rank, page) in (0..).zip(&self.pages) {
            let mut rows = select.query(params![page.version])?;
            let Some(row) = rows.next()? else { continue };
            for place in places::unpack(row.get_ref(0)?.as_blob().unwrap_or_default()) {
                let fold = folds.of(place.mark);
                if fold == 0 {
                    continue;
                }
                on_page.push(fold);
                match &mut hits {
                    Some(all) if all.len() < KEPT => all.push((rank, place)),
                    _ => hits = None,
                }
            }
            on_page.sort_unstable();
            on_page.dedup();
            on_page.drain(..).for_each(|fold| pages.add(fold));
        }
        Ok((pages, hits))
    }
}

/// On how many pages each fold stands, and where.
type Counted = (Counts, Option<Vec<(u32, places::Place)>>);

impl<'a> Sift<'a> {
    /// The run whose links these are.
    #[must_use]
    pub fn run(&self) -> &'a OpenRun<'a> {
        self.run
    }

    /// Whether so many links may fit that walking the pages again is better than keeping
    /// them.
    #[must_use]
    pub fn is_large(&self) -> bool {
        self.hits.is_none()
    }

    /// No more addresses than these are named by the links that fit.
    #[must_use]
    pub fn most_targets(&self) -> usize {
        self.targets.count().min(self.run.sayings.end())
    }

    /// On how many pages of the run the very same link stands.
    #[must_use]
    pub fn pages_of(&self, found: &Found) -> u64 {
        self.pages.at(self.fold(found)).into()
    }

    /// Equal for the same link on other pages.
    #[must_use]
    pub fn fold(&self, found: &Found) -> u32 {
        self.folds.of(found.mark)
    }

    /// Gives each link that fits, pages in the order of their rank, the links of a page
    /// in source order.
    ///
    /// # Errors
    /// When the store cannot be read, and whatever `take` gives.
    pub fn for_each<E: From<StoreError>>(
        &self,
        mut take: impl FnMut(&Found) -> Result<(), E>,
    ) -> Result<(), E> {
        if self.targets.count() <= 1 {
            return Ok(());
        }
        match &self.hits {
            Some(hits) => {
                for on_page in hits.chunk_by(|one, other| one.0 == other.0) {
                    let rank = on_page[0].0;
                    if self.looks_at(rank) {
                        let places = on_page.iter().map(|(_, place)| *place);
                        self.take_page(rank, Some(places), &mut take)?;
                    }
                }
                Ok(())
            }
            None => {
                (0..).take(self.run.pages.len()).filter(|rank| self.looks_at(*rank)).try_for_each(
                    |rank| self.take_page(rank, None::<std::iter::Empty<places::Place>>, &mut take),
                )
            }
        }
    }

    /// The links of one page that fit, in source order; the page by its rank.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn on_page(&self, rank: u32) -> Result<Vec<Found>, StoreError> {
        let mut found = Vec::new();
        let mut take = |one: &Found| -> Result<(), StoreError> {
            found.push(*one);
            Ok(())
        };
        match &self.hits {
            Some(hits) => {
                let from = hits.partition_point(|(page, _)| *page < rank);
                let on_page = hits[from..].iter().take_while(|(page, _)| *page == rank);
                self.take_page(rank, Some(on_page.map(|(_, place)| *place)), &mut take)?;
            }
            None => self.take_page(rank, None::<std::iter::Empty<places::Place>>, &mut take)?,
        }
        Ok(found)
    }

    fn looks_at(&self, rank: u32) -> bool {
        self.only_on.is_none_or(|page| page == rank)
    }

    /// Gives the links of a page that fit; its places are read where they are not given.
    fn take_page<E: From<StoreError>>(
        &self,
        rank: u32,
        places: Option<impl Iterator<Item = places::Place>>,
        take: &mut impl FnMut(&Found) -> Result<(), E>,
    ) -> Result<(), E> {
        let page = Seen { run: self.run, rank, texts: OnceCell::new() };
        if !self.selection.pages.is_empty() && !self.selection.takes_page(page.texts()?.0) {
            return Ok(());
        }
        let mut take_place = |place| match self.found(place, &page)? {
            Some(found) => take(&found),
            None => Ok(()),
        };
        if let Some(mut places) = places {
            return places.try_for_each(take_place);
        }
        let links: Vec<u8> = self
            .run
            .db
            .prepare_cached("SELECT links FROM page_version WHERE id = ?1")
            .and_then(|mut select| {
                let version = self.run.pages[rank as usize].version;
                select.query_row([version], |row| row.get(0))
            })
            .map_err(StoreError::from)?;
        places::unpack(&links).try_for_each(&mut take_place)
    }

    fn found(&self, place: places::Place, page: &Seen<'_>) -> Result<Option<Found>, StoreError> {
        let fold = self.folds.of(place.mark);
        if fold == 0 {
            return Ok(None);
        }
        let target = self.targets.at(fold as usize);
        let Some(saying) = self.run.saying(target) else { return Ok(None) };
        let mut found = Found {
            page: page.rank,
            target: crate::Address(target),
            mark: place.mark,
            line: place.line,
            column: place.column,
            verdict: saying.verdict,
            cause: saying.cause,
            place: None,
            waived: false,
        };
        let mut fits_target = true;
        if self.run.beside.concerns(target) {
            fits_target = self.add_own(&mut found, saying, page)?;
        }
        found.waived = fits_target && self.run.is_waived(&found)?;
        let fits = fits_target
            && self.selection.takes_verdict(found.verdict, found.cause, saying.status())
            && self.fits_words(&found, page)?
            && self.fits_standing(&found)?;
        Ok(fits.then_some(found))
    }

    /// What is said of the link itself, on that page, where it is worse than what is said
    /// of its address. Gives whether the target fits, its fragment included.
    fn add_own(
        &self,
        found: &mut Found,
        saying: Saying,
        page: &Seen<'_>,
    ) -> Result<bool, StoreError> {
        let beside = &self.run.beside;
        let (page_url, title) = page.texts()?;
        let target = self.run.url(found.target)?;
        let is_page = beside.faults.get(&found.target.0).copied().unwrap_or_default();
        self.run.marks.with(found.mark, |said| {
            let of_fragment = said
                .fragment
                .and_then(|fragment| beside.places.get(&found.target.0)?.get(fragment).copied());
            found.place = of_fragment;
            let own = Element::named(said.element).zip(Attribute::named(said.attribute));
            let own = own.and_then(|(element, attribute)| {
                of_link(&LinkSeen {
                    page: page_url,
                    title,
                    text: said.text,
                    target: &target,
                    scope: saying.scope,
                    element,
                    attribute,
                    rel: said.rel,
                    written: said.written.text(&target),
                    scripted: said.scripted,
                    verdict: saying.verdict,
                    lacks_place: of_fragment == Some(Place::Missing),
                    is_page,
                    placeholders_are_broken: self.run.info.placeholders_are_broken,
                })
            });
            if let Some(own) = own {
                (found.verdict, found.cause) = (own.verdict, own.cause);
            }
            let with_fragment = match said.fragment {
                Some(fragment) => format!("{target}#{fragment}"),
                None => target.clone(),
            };
            self.selection.takes_address(&target, saying.scope)
                || self.selection.takes_address(&with_fragment, saying.scope)
        })
    }

    fn fits_words(&self, found: &Found, page: &Seen<'_>) -> Result<bool, StoreError> {
        if self.selection.search.is_empty() {
            return Ok(true);
        }
        let target = self.run.url(found.target)?;
        let (page, _) = page.texts()?;
        self.run.marks.with(found.mark, |said| {
            let written = said.written.text(&target);
            let texts = [page, &target, written, said.text.unwrap_or_default()];
            self.selection.finds(texts.into_iter())
        })
    }

    fn fits_standing(&self, found: &Found) -> Result<bool, StoreError> {
        let takes = self.selection.takes_waived(found.waived);
        if self.selection.standings.is_empty() || found.waived || !takes {
            return Ok(takes);
        }
        let standing = self.run.standing(found)?.map(|history| history.standing);
        Ok(standing.is_some_and(|standing| self.selection.standings.contains(&standing)))
    }
}
