//! The clicks that lead to a URL, and its results over time.

use std::collections::HashMap;

use jiff::Timestamp;
use rummage_core::findings::selection::Standing;
use rummage_core::verdict::{Cause, Verdict};
use rusqlite::{OptionalExtension, params};

use crate::codec::occurrences;
use crate::db::error::StoreError;
use crate::db::row::{optional_word, word};
use crate::model::{RunInfo, StoredUrl};
use crate::read::open::OpenRun;
use crate::read::reader::Reader;
use crate::tables::page_order;
use crate::tables::request_log::for_each_entry;

/// The result of one run for a URL.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PastVerdict {
    /// The run's number.
    pub run: i64,
    /// When it began.
    pub started_at: Timestamp,
    /// The verdict.
    pub verdict: Verdict,
    /// The cause.
    pub cause: Option<Cause>,
    /// The last status.
    pub status: Option<u16>,
}

/// A finding of a page and a target, across runs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PastFinding {
    /// The page with the link.
    pub page: String,
    /// Its standing.
    pub standing: Standing,
    /// The first run that found it.
    pub first_run: i64,
    /// The run in which it was no longer present.
    pub until_run: Option<i64>,
}

impl Reader {
    /// The results of all runs of a site for a URL, the first run first.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn past(&self, site: &str, url: StoredUrl) -> Result<Vec<PastVerdict>, StoreError> {
        let mut past = Vec::new();
        for run in self.runs()?.into_iter().filter(|run| run.site == site) {
            past.extend(self.past_verdict(run, url)?);
        }
        Ok(past)
    }

    fn past_verdict(
        &self,
        run: RunInfo,
        url: StoredUrl,
    ) -> Result<Option<PastVerdict>, StoreError> {
        let said = self
            .db
            .prepare_cached(
                "SELECT verdict, cause, status FROM verdict WHERE run = ?1 AND address = ?2",
            )?
            .query_row(params![run.number, url.0], |row| {
                let verdict = word(row, 0, Verdict::named)?;
                Ok((verdict, optional_word(row, 1, Cause::named)?, row.get(2)?))
            })
            .optional()?;
        let said = match said {
            Some(said) => Some(said),
            None => {
                let mut sound = false;
                for_each_entry(&self.db, run.number, |entry| {
                    sound |= entry.url == url.0 && entry.sound.is_some();
                })?;
                sound.then_some((Verdict::Sound, None, Some(200)))
            }
        };
        Ok(said.map(|(verdict, cause, status)| PastVerdict {
            run: run.number,
            started_at: run.started_at,
            verdict,
            cause,
            status,
        }))
    }
}

impl OpenRun<'_> {
    /// The clicks that lead from the start to a page, including both: through the page that leads
    /// there first, by rank. Empty if the start does not lead there.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn clicks(&self, page: StoredUrl) -> Result<Vec<String>, StoreError> {
        let known = self.pages.iter().map(|page| (page.url, page.version)).collect();
        let targets = page_order::targets(self.db, self.info.number, &known)?;
        let mut parents: HashMap<u32, u32> = HashMap::new();
        let mut select = self.db.prepare("SELECT links FROM page_version WHERE id = ?1")?;
        for from in self.pages.iter().take_while(|from| from.url != page.0) {
            let links: Vec<u8> = select.query_row([from.version], |row| row.get(0))?;
            for occurrence in occurrences::unpack(&links) {
                let target = targets.get(occurrence.content as usize).copied().unwrap_or_default();
                if target > 0 && target != from.url {
                    parents.entry(target).or_insert(from.url);
                }
            }
        }
        let Some(start) = self.pages.first() else { return Ok(Vec::new()) };
        let mut way = vec![page.0];
        while let Some(&last) = way.last()
            && last != start.url
        {
            match parents.get(&last).filter(|parent| !way.contains(parent)) {
                Some(parent) => way.push(*parent),
                None => return Ok(Vec::new()),
            }
        }
        way.into_iter().rev().map(|url| self.url(StoredUrl(url))).collect()
    }

    /// The findings of links to a URL across runs, up to this one.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn past_findings(&self, target: StoredUrl) -> Result<Vec<PastFinding>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT url, standing, first_run, until_run FROM finding
             JOIN address ON address.id = page
             WHERE site = ?1 AND target = ?2 AND first_run <= ?3
             ORDER BY first_run, finding.id",
        )?;
        let rows =
            select.query_map(params![self.info.site, target.0, self.info.number], |row| {
                Ok(PastFinding {
                    page: row.get(0)?,
                    standing: word(row, 1, Standing::named)?,
                    first_run: row.get(2)?,
                    until_run: row.get(3)?,
                })
            })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }
}
