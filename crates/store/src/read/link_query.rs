//! The links of a run that match a selection, in the order of their rank.
//!
//! The pages are read twice: first to count on how many of them each link appears, then to return
//! the links. Nine bytes are kept for each link content; a million matching links are never in
//! memory together, unless the caller keeps them.

use std::cell::OnceCell;
use std::collections::HashSet;
use std::iter::Empty;

use rummage_core::crawl::FragmentFault;
use rummage_core::extract::reading::Region;
use rummage_core::findings::selection::Selection;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};

use crate::codec::occurrences::{self, Occurrence};
use crate::db::error::StoreError;
use crate::read::folds::{Counts, Folds, Numbers};
use crate::read::link_verdict::PageTexts;
use crate::read::open::OpenRun;
use crate::tables::url_status::UrlStatus;

/// A matching link, in a few bytes. `rows` returns its texts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LinkMatch {
    /// The page with the link, by its rank, from 0.
    pub page: u32,
    /// The target, without its fragment.
    pub target: crate::StoredUrl,
    /// The number of the link's contents.
    pub(crate) content: u32,
    /// Line of the start of the tag, from 1; 0 for a link in a response header.
    pub line: u32,
    /// Column of the start of the tag, like the line.
    pub column: u32,
    /// The verdict on the link: that of its URL, or its own if that is worse.
    pub verdict: Verdict,
    /// The cause.
    pub cause: Option<Cause>,
    pub(crate) fragment_fault: Option<FragmentFault>,
    /// A waiver covers it.
    pub waived: bool,
}

impl LinkMatch {
    /// The sort order of links: by page, then by position; links at one position (the URLs of a
    /// `srcset`) in the order in which they were stored.
    #[must_use]
    pub fn rank(&self) -> impl Ord + use<> {
        (self.page, self.line, self.column, self.content)
    }
}

/// The links of a run that match a selection.
#[derive(Debug)]
pub struct LinkQuery<'a> {
    run: &'a OpenRun<'a>,
    selection: &'a Selection,
    /// The only page to search, by its rank.
    only_on: Option<u32>,
    /// Which link contents may match, and which are equal.
    folds: Folds,
    /// The target of each fold.
    targets: Numbers,
    /// On how many pages each fold appears.
    pages: Counts,
    /// Where on a page each fold is, once that is known: a byte each.
    regions: Vec<OnceCell<Option<Region>>>,
    /// All occurrences that may match, with the rank of their page, if they are few.
    hits: Option<Vec<(u32, Occurrence)>>,
}

impl<'a> OpenRun<'a> {
    /// Queries the links of the run.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn query(&'a self, selection: &'a Selection) -> Result<LinkQuery<'a>, StoreError> {
        let urls = self.urls(selection)?;
        // On most sites, all is well most of the time.
        if !urls.contains(&true) {
            return Ok(LinkQuery::of_none(self, selection));
        }
        let not_parsed = selection.not_parsed.then(|| self.not_parsed_urls()).transpose()?;
        self.query_some(selection, None, |_, target| {
            urls.get(target as usize).copied().unwrap_or_default()
                && not_parsed.as_ref().is_none_or(|urls| urls.contains(&target))
        })
    }

    /// Queries the links to one URL.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn query_to(
        &'a self,
        url: crate::StoredUrl,
        selection: &'a Selection,
    ) -> Result<LinkQuery<'a>, StoreError> {
        self.query_some(selection, None, |_, target| target == url.0)
    }

    /// Queries the links to some URLs.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn query_to_any(
        &'a self,
        urls: &HashSet<crate::StoredUrl>,
        selection: &'a Selection,
    ) -> Result<LinkQuery<'a>, StoreError> {
        self.query_some(selection, None, |_, target| urls.contains(&crate::StoredUrl(target)))
    }

    /// Queries the links on one page; `None` if the run did not parse it.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn query_on(
        &'a self,
        page: crate::StoredUrl,
        selection: &'a Selection,
    ) -> Result<Option<LinkQuery<'a>>, StoreError> {
        let Some(rank) = self.pages.iter().position(|known| known.url == page.0) else {
            return Ok(None);
        };
        let links: Vec<u8> = self
            .db
            .prepare_cached("SELECT links FROM page_version WHERE id = ?1")?
            .query_row([self.pages[rank].version], |row| row.get(0))?;
        let contents: HashSet<u32> =
            occurrences::unpack(&links).map(|occurrence| occurrence.content).collect();
        let rank = u32::try_from(rank).ok();
        self.query_some(selection, rank, |content, _| contents.contains(&content)).map(Some)
    }

    fn query_some(
        &'a self,
        selection: &'a Selection,
        only_on: Option<u32>,
        may: impl Fn(u32, u32) -> bool,
    ) -> Result<LinkQuery<'a>, StoreError> {
        let (folds, targets) = self.folds(selection, may)?;
        let (pages, hits) = self.count_pages(&folds, targets.count())?;
        let regions = vec![OnceCell::new(); targets.count()];
        Ok(LinkQuery { run: self, selection, only_on, folds, targets, pages, regions, hits })
    }

    /// The pages that responded and were not parsed for links.
    fn not_parsed_urls(&self) -> Result<HashSet<u32>, StoreError> {
        let sql = "SELECT address FROM verdict WHERE run = ?1 AND not_read IS NOT NULL";
        let mut select = self.db.prepare(sql)?;
        let rows = select.query_map([self.info.number], |row| row.get(0))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Whether links to each URL may match.
    fn urls(&self, selection: &Selection) -> Result<Vec<bool>, StoreError> {
        let may = |url, url_status: UrlStatus| {
            selection.takes_verdict(url_status.verdict, url_status.cause, url_status.status())
                || self.link_faults.concerns(url)
        };
        let needs_text = !selection.takes_any_url();
        let unfinished = !self.info.state.is_complete();
        let mut fits = Vec::new();
        let mut set = |url: u32| {
            let at = url as usize;
            if fits.len() <= at {
                fits.resize(at + 1, false);
            }
            fits[at] = true;
        };
        if !needs_text && !unfinished {
            let taken = self.url_statuses.iter().filter(|(url, url_status)| may(*url, *url_status));
            taken.for_each(|(url, _)| set(url));
            return Ok(fits);
        }
        let mut select = self.db.prepare("SELECT id, url FROM address")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let number: u32 = row.get(0)?;
            let Some(url_status) = self.url_status(number) else { continue };
            let url = row.get_ref(1)?.as_str().unwrap_or_default();
            // A pattern may include the fragment, which is compared later.
            let by_url = selection.takes_url(url, url_status.scope)
                || (self.link_faults.fragments.contains_key(&number)
                    && !(selection.targets.is_empty() && selection.excepts.is_empty()));
            if by_url && may(number, url_status) {
                set(number);
            }
        }
        Ok(fits)
    }
}

impl<'a> LinkQuery<'a> {
    /// No links at all.
    fn of_none(run: &'a OpenRun<'a>, selection: &'a Selection) -> LinkQuery<'a> {
        LinkQuery {
            run,
            selection,
            only_on: None,
            folds: Folds::new(0),
            targets: Numbers::of(1, 0),
            pages: Counts::of(1),
            regions: Vec::new(),
            hits: Some(Vec::new()),
        }
    }

    /// The run whose links these are.
    #[must_use]
    pub fn run(&self) -> &'a OpenRun<'a> {
        self.run
    }

    /// Whether so many links may match that reading the pages again is better than keeping them.
    #[must_use]
    pub fn is_large(&self) -> bool {
        self.hits.is_none()
    }

    /// An upper limit for the number of different targets.
    #[must_use]
    pub fn most_targets(&self) -> usize {
        self.targets.count().min(self.run.url_statuses.end())
    }

    /// The number of pages of the run with the same link.
    #[must_use]
    pub fn pages_of(&self, found: &LinkMatch) -> u64 {
        self.pages.at(self.fold(found)).into()
    }

    /// The region of its page in which a link is.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn region(&self, found: &LinkMatch) -> Result<Option<Region>, StoreError> {
        let read = || self.run.contents.with(found.content, |said| said.region);
        // Links of another query have no number in this one.
        let fold = Some(self.fold(found)).filter(|fold| *fold > 0);
        let Some(known) = fold.and_then(|fold| self.regions.get(fold as usize)) else {
            return read();
        };
        if let Some(region) = known.get() {
            return Ok(*region);
        }
        let region = read()?;
        Ok(*known.get_or_init(|| region))
    }

    /// A number that is equal for the same link on other pages.
    #[must_use]
    pub fn fold(&self, found: &LinkMatch) -> u32 {
        self.folds.of(found.content)
    }

    /// Calls `take` with each matching link: pages in the order of their rank, the links of a
    /// page in source order.
    ///
    /// # Errors
    /// See [`StoreError`]; also those of `take`.
    pub fn for_each<E: From<StoreError>>(
        &self,
        take: impl FnMut(&LinkMatch) -> Result<(), E>,
    ) -> Result<(), E> {
        self.for_each_to(|_| true, take)
    }

    /// The same for links to some of the targets.
    ///
    /// # Errors
    /// See [`StoreError`]; also those of `take`.
    pub fn for_each_to<E: From<StoreError>>(
        &self,
        wanted: impl Fn(crate::StoredUrl) -> bool,
        mut take: impl FnMut(&LinkMatch) -> Result<(), E>,
    ) -> Result<(), E> {
        if self.targets.count() <= 1 {
            return Ok(());
        }
        match &self.hits {
            Some(hits) => {
                for on_page in hits.chunk_by(|one, other| one.0 == other.0) {
                    let rank = on_page[0].0;
                    if self.looks_at(rank) {
                        let occurrences = on_page.iter().map(|(_, occurrence)| *occurrence);
                        self.take_page(rank, Some(occurrences), &wanted, &mut take)?;
                    }
                }
                Ok(())
            }
            None => {
                let mut ranks =
                    (0..).take(self.run.pages.len()).filter(|rank| self.looks_at(*rank));
                ranks.try_for_each(|rank| {
                    self.take_page(rank, None::<Empty<Occurrence>>, &wanted, &mut take)
                })
            }
        }
    }

    /// The matching links of one page, by its rank, in source order.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn on_page(&self, rank: u32) -> Result<Vec<LinkMatch>, StoreError> {
        let mut found = Vec::new();
        let mut take = |one: &LinkMatch| -> Result<(), StoreError> {
            found.push(*one);
            Ok(())
        };
        match &self.hits {
            Some(hits) => {
                let from = hits.partition_point(|(page, _)| *page < rank);
                let on_page = hits[from..].iter().take_while(|(page, _)| *page == rank);
                let on_page = on_page.map(|(_, occurrence)| *occurrence);
                self.take_page(rank, Some(on_page), &|_| true, &mut take)?;
            }
            None => self.take_page(rank, None::<Empty<Occurrence>>, &|_| true, &mut take)?,
        }
        Ok(found)
    }

    fn looks_at(&self, rank: u32) -> bool {
        self.only_on.is_none_or(|page| page == rank)
    }

    /// Calls `take` with the matching links of a page to wanted targets. Their occurrences are
    /// fetched unless they are given.
    fn take_page<E: From<StoreError>>(
        &self,
        rank: u32,
        occurrences: Option<impl Iterator<Item = Occurrence>>,
        wanted: &impl Fn(crate::StoredUrl) -> bool,
        take: &mut impl FnMut(&LinkMatch) -> Result<(), E>,
    ) -> Result<(), E> {
        let page = PageTexts::of(self.run, rank);
        if self.selection.is_of_pages() && !self.selection.takes_page(page.texts()?.0) {
            return Ok(());
        }
        let mut take_occurrence = |occurrence: Occurrence| {
            let fold = self.folds.of(occurrence.content);
            let target = crate::StoredUrl(self.targets.at(fold as usize));
            if fold == 0 || !wanted(target) {
                return Ok(());
            }
            match self.found(occurrence, target, &page)? {
                Some(found) => take(&found),
                None => Ok(()),
            }
        };
        if let Some(mut occurrences) = occurrences {
            return occurrences.try_for_each(take_occurrence);
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
        occurrences::unpack(&links).try_for_each(&mut take_occurrence)
    }

    fn found(
        &self,
        occurrence: Occurrence,
        target: crate::StoredUrl,
        page: &PageTexts<'_>,
    ) -> Result<Option<LinkMatch>, StoreError> {
        let Some(url_status) = self.run.url_status(target.0) else { return Ok(None) };
        let mut found = LinkMatch {
            page: page.rank,
            target,
            content: occurrence.content,
            line: occurrence.line,
            column: occurrence.column,
            verdict: url_status.verdict,
            cause: url_status.cause,
            fragment_fault: None,
            waived: false,
        };
        let mut fits_target = true;
        if self.run.link_faults.concerns(target.0) {
            let own = self.run.own_verdict(occurrence.content, target.0, url_status, page)?;
            found.fragment_fault = own.fragment_fault;
            if let Some(own) = own.verdict {
                (found.verdict, found.cause) = (own.verdict, own.cause);
            }
            fits_target = self.fits_target(&found, url_status.scope)?;
        }
        found.waived = fits_target && self.run.is_waived(&found)?;
        let fits = fits_target
            && self.selection.takes_verdict(found.verdict, found.cause, url_status.status())
            && self.fits_words(&found, page)?
            && self.fits_standing(&found)?;
        Ok(fits.then_some(found))
    }

    /// Whether the target matches, including its fragment.
    fn fits_target(&self, found: &LinkMatch, scope: Option<Scope>) -> Result<bool, StoreError> {
        if self.selection.takes_any_url() {
            return Ok(true);
        }
        let target = self.run.url(found.target)?;
        self.run.contents.with(found.content, |said| {
            let with_fragment = said.fragment.map(|fragment| format!("{target}#{fragment}"));
            match with_fragment {
                // A pattern may include the fragment; an exception without it covers all of them.
                Some(whole) => {
                    self.selection.takes_url(&whole, scope)
                        || (self.selection.takes_url(&target, scope)
                            && !self.selection.excepts.iter().any(|except| except.matches(&whole)))
                }
                None => self.selection.takes_url(&target, scope),
            }
        })
    }

    fn fits_words(&self, found: &LinkMatch, page: &PageTexts<'_>) -> Result<bool, StoreError> {
        if self.selection.search.is_empty() {
            return Ok(true);
        }
        let target = self.run.url(found.target)?;
        let (page, _) = page.texts()?;
        self.run.contents.with(found.content, |said| {
            let written = said.written.text(&target);
            let texts = [page, &target, written, said.text.unwrap_or_default()];
            self.selection.finds(texts.into_iter())
        })
    }

    fn fits_standing(&self, found: &LinkMatch) -> Result<bool, StoreError> {
        let takes = self.selection.takes_waived(found.waived);
        let Selection { standings, found_from, .. } = self.selection;
        let is_any = standings.is_empty() || found.waived;
        if !takes || (is_any && found_from.is_none()) {
            return Ok(takes);
        }
        Ok(self.run.standing(found)?.is_some_and(|history| {
            (is_any || standings.contains(&history.standing))
                && found_from.is_none_or(|run| history.first_run >= run)
        }))
    }
}
