//! Which links of a run are equal, and on how many pages each is.

use rummage_core::findings::selection::Selection;
use rusqlite::params;

use crate::codec::occurrences::{self, Occurrence};
use crate::db::error::StoreError;
use crate::read::folds::{Counts, Fingerprint, Folds, Numbers};
use crate::read::open::OpenRun;

/// How many occurrences are kept while pages are counted, so that the pages need not be read
/// again.
const KEPT: usize = 400_000;
/// Of so many link contents, the targets are kept while they are sorted, so that they need not be
/// read again.
const FEW: usize = 100_000;
/// How many fingerprints are sorted at a time.
const PRINTS_HELD: u32 = 2_000_000;

/// On how many pages each fold appears, and where.
type Counted = (Counts, Option<Vec<(u32, Occurrence)>>);

impl OpenRun<'_> {
    /// Numbers the link contents that may match: equal numbers for equal links. Also returns the
    /// target of each number.
    pub(super) fn folds(
        &self,
        selection: &Selection,
        may: impl Fn(u32, u32) -> bool,
    ) -> Result<(Folds, Numbers), StoreError> {
        let by_link = !(selection.elements.is_empty()
            && selection.rels.is_empty()
            && selection.text.is_empty());
        let takes = |said: &crate::tables::link_contents::LinkContent<'_>| {
            selection.takes_link(said.element, said.rel, said.text)
        };
        let end = self.contents.end()?;
        // The fingerprints are processed in parts, because twelve bytes for each content add up.
        let parts = u64::from(end / PRINTS_HELD) + 1;
        let mut folds = Folds::new(end);
        let (mut number, mut most_target) = (0, 0);
        let mut few = Some(Vec::new());
        // Allocated at once for a part: a vector that grows leaves unused space behind.
        let room = u64::from(end) / parts;
        let mut prints: Vec<Fingerprint> = Vec::with_capacity((room + room / 8) as usize);
        for part in 0..parts {
            self.contents.for_each(|content, target, print| {
                if print % parts == part
                    && may(content, target)
                    && (!by_link || self.contents.with(content, takes)?)
                {
                    prints.push(Fingerprint::new(print, content));
                    most_target = most_target.max(target);
                    match &mut few {
                        Some(all) if all.len() < FEW => all.push((content, target)),
                        _ => few = None,
                    }
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
                folds.set(print.content, number);
            }
        }
        drop(prints);
        let mut targets = Numbers::of(number as usize + 1, most_target);
        let mut set = |content, target| {
            let fold = folds.of(content) as usize;
            if fold > 0 {
                targets.set(fold, target);
            }
        };
        match few {
            Some(few) => few.into_iter().for_each(|(content, target)| set(content, target)),
            None => self.contents.for_each(|content, target, _| {
                set(content, target);
                Ok(())
            })?,
        }
        Ok((folds, targets))
    }

    pub(super) fn count_pages(&self, folds: &Folds, count: usize) -> Result<Counted, StoreError> {
        let mut pages = Counts::of(count);
        // Nearly every content occurs somewhere: if many may match, none are kept.
        let mut hits = (count <= KEPT).then(Vec::new);
        if count <= 1 {
            return Ok((pages, hits));
        }
        let mut on_page = Vec::new();
        let mut select = self.db.prepare("SELECT links FROM page_version WHERE id = ?1")?;
        for (rank, page) in (0..).zip(&self.pages) {
            let mut rows = select.query(params![page.version])?;
            let Some(row) = rows.next()? else { continue };
            for occurrence in occurrences::unpack(row.get_ref(0)?.as_blob().unwrap_or_default()) {
                let fold = folds.of(occurrence.content);
                if fold == 0 {
                    continue;
                }
                on_page.push(fold);
                match &mut hits {
                    Some(all) if all.len() < KEPT => all.push((rank, occurrence)),
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
