//! The totals at the head of a listing.

use std::collections::HashSet;
use std::path::Path;
use std::time::Duration;

use jiff::Timestamp;
use rummage_core::crawl::pace::Strain;
use rummage_core::crawl::{FragmentFault, NotParsed};
use rummage_core::extract::reading::Format;
use rummage_core::findings::identity::TargetIdentity;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict, of_placeholder};

use crate::codec;
use crate::db::connection::writer_of;
use crate::db::error::StoreError;
use crate::db::row::word;
use crate::model::{NotParsedCount, RunState, SkipCount, SlowedServer, Totals};
use crate::read::open::OpenRun;
use crate::read::rows::after;
use crate::tables::request_log::for_each_entry;

impl OpenRun<'_> {
    /// The totals of the run.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn totals(&self) -> Result<Totals, StoreError> {
        let mut totals = Totals::default();
        self.count_read(&mut totals)?;
        self.count_url_statuses(&mut totals, &self.unlisted()?);
        let missing = self.link_faults.fragments.values().flat_map(|of| of.values());
        totals.broken += missing.filter(|fault| **fault == FragmentFault::Missing).count() as u64;
        self.count_link_faults(&mut totals)?;
        for (_, verdict) in self.waived_targets()? {
            totals.waived += 1;
            let of_verdict = match verdict {
                Verdict::Broken => &mut totals.broken,
                Verdict::Doubtful => &mut totals.doubtful,
                _ => &mut totals.moved,
            };
            *of_verdict = of_verdict.saturating_sub(1);
        }
        totals.targets = totals.broken
            + totals.doubtful
            + totals.moved
            + totals.sound
            + totals.waived
            + totals.skipped.iter().map(|skip| skip.targets).sum::<u64>();
        totals.requests = self.request_counts()?;
        totals.not_asked = self.not_asked()?;
        if self.info.state == RunState::Going {
            totals.writer = self.db.path().and_then(|path| writer_of(Path::new(path)));
        }
        if totals.recalled > 0 {
            totals.recalled_since = self.recalled_since()?;
        }
        totals.not_parsed = self.not_parsed()?;
        totals.slowed = self.slowed()?;
        totals.notes = self.notes()?;
        Ok(totals)
    }

    /// Counts URLs by verdict, without redirect hops that no link names, and those that are no
    /// targets of their own.
    fn count_url_statuses(&self, totals: &mut Totals, unlisted: &HashSet<u32>) {
        let mut skipped: Vec<SkipCount> = Vec::new();
        for (url, url_status) in self.url_statuses.iter() {
            totals.recalled += u64::from(url_status.requested && url_status.recalled);
            if !url_status.linked || unlisted.contains(&url) {
                continue;
            }
            match (url_status.verdict, url_status.cause) {
                (Verdict::Broken, _) => totals.broken += 1,
                (Verdict::Doubtful, _) => totals.doubtful += 1,
                (Verdict::Moved, _) => totals.moved += 1,
                (Verdict::Sound, _) => totals.sound += 1,
                (Verdict::Skipped, None) => {}
                (Verdict::Skipped, Some(cause)) => {
                    match skipped.iter_mut().find(|known| known.cause == cause) {
                        Some(known) => known.targets += 1,
                        None => skipped.push(SkipCount { cause, targets: 1 }),
                    }
                }
            }
        }
        skipped.sort_by_key(|skip| (std::cmp::Reverse(skip.targets), skip.cause.as_str()));
        totals.skipped = skipped;
    }

    /// Counts targets that are worse because of some of their links.
    fn count_link_faults(&self, totals: &mut Totals) -> Result<(), StoreError> {
        let mut select = self.db.prepare(
            "SELECT DISTINCT cause, target, written FROM link_fault WHERE run = ?1
             ORDER BY target",
        )?;
        let mut rows = select.query([self.info.number])?;
        let mut counted = HashSet::new();
        while let Some(row) = rows.next()? {
            let cause = word(row, 0, Cause::named)?;
            let target: u32 = row.get(1)?;
            let Some(url_status) = self.url_statuses.of(target) else { continue };
            let written: String = row.get(2)?;
            let texts = || Ok::<_, StoreError>((None, written.clone()));
            if !counted.insert(TargetIdentity::of(target, Some(cause), texts)?) {
                continue;
            }
            let own = url_status.scope == Some(Scope::Internal);
            match (cause, url_status.verdict) {
                // A placeholder is a fault of the link, wherever it leads.
                (Cause::Placeholder, verdict) => {
                    match of_placeholder(&written, verdict, self.info.placeholders_are_broken) {
                        Verdict::Broken => totals.broken += 1,
                        _ => totals.doubtful += 1,
                    }
                }
                (_, Verdict::Broken) => {}
                (Cause::MixedContent, _) => totals.broken += 1,
                (Cause::WrongType, _) if own => totals.broken += 1,
                (_, Verdict::Doubtful) => {}
                _ => totals.doubtful += 1,
            }
        }
        Ok(())
    }

    fn count_read(&self, totals: &mut Totals) -> Result<(), StoreError> {
        let mut select = self.db.prepare(
            "SELECT format, count(*), sum(link_count), sum(cut)
             FROM run_page
             JOIN page_version ON page_version.id = run_page.version
             WHERE run = ?1 GROUP BY format",
        )?;
        let mut rows = select.query([self.info.number])?;
        while let Some(row) = rows.next()? {
            let count: u64 = row.get(1)?;
            let cut: u64 = row.get(3)?;
            match word(row, 0, Format::named)? {
                Format::Html | Format::Xhtml => {
                    totals.pages += count;
                    totals.cut += cut;
                }
                Format::Css => {
                    totals.stylesheets += count;
                    totals.cut += cut;
                }
                Format::Sitemap => {
                    totals.sitemaps += count;
                    totals.cut_sitemaps += cut;
                }
                Format::Feed => {
                    totals.feeds += count;
                    totals.cut += cut;
                }
                Format::Manifest => {
                    totals.manifests += count;
                    totals.cut += cut;
                }
                Format::Robots => totals.cut_robots += cut,
                Format::List => totals.lists += count,
            }
            totals.links += row.get::<_, u64>(2)?;
        }
        Ok(())
    }

    /// URLs on the run's pages without a verdict: a run that was stopped has some.
    fn not_asked(&self) -> Result<u64, StoreError> {
        if self.info.state.is_complete() {
            return Ok(0);
        }
        let mut targets = Vec::new();
        self.contents.for_each(|content, target, _| {
            targets.resize(content as usize + 1, 0);
            targets[content as usize] = target;
            Ok(())
        })?;
        let mut unsaid = HashSet::new();
        let mut select = self.db.prepare("SELECT links FROM page_version WHERE id = ?1")?;
        for page in &self.pages {
            let links: Vec<u8> = select.query_row([page.version], |row| row.get(0))?;
            for occurrence in codec::occurrences::unpack(&links) {
                let target = targets.get(occurrence.content as usize).copied().unwrap_or_default();
                if self.url_statuses.of(target).is_none() {
                    unsaid.insert(target);
                }
            }
        }
        Ok(unsaid.len() as u64)
    }

    /// Internal pages that responded and were not parsed for links, by reason.
    fn not_parsed(&self) -> Result<Vec<NotParsedCount>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT not_read, count(*) FROM verdict WHERE run = ?1 AND not_read IS NOT NULL
             GROUP BY not_read ORDER BY count(*) DESC, not_read",
        )?;
        let mut rows = select.query([self.info.number])?;
        let mut counts = Vec::new();
        while let Some(row) = rows.next()? {
            let reason = word(row, 0, NotParsed::named)?;
            counts.push(NotParsedCount { reason, pages: row.get(1)? });
        }
        Ok(counts)
    }

    fn recalled_since(&self) -> Result<Option<Timestamp>, StoreError> {
        let mut oldest: Option<u64> = None;
        for_each_entry(self.db, self.info.number, |entry| {
            if let Some(request) = entry.request.filter(|request| request.recalled) {
                oldest = Some(oldest.map_or(request.at_us, |oldest| oldest.min(request.at_us)));
            }
        })?;
        let micros = oldest.and_then(|micros| i64::try_from(micros).ok());
        Ok(micros.map(|micros| after(self.info.epoch_at, micros)))
    }

    fn slowed(&self) -> Result<Vec<SlowedServer>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT server, times, strain, lowest, gap_ms FROM slowed WHERE run = ?1
             ORDER BY times DESC, server",
        )?;
        let rows = select.query_map([self.info.number], |row| {
            Ok(SlowedServer {
                server: row.get(0)?,
                times: row.get(1)?,
                strain: word(row, 2, Strain::named)?,
                lowest: row.get(3)?,
                gap: Duration::from_millis(row.get(4)?),
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }
}
