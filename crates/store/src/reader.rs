//! Questions to a store. None of them asks the network, and none changes anything.

use std::path::Path;
use std::time::Duration;

use jiff::Timestamp;
use rummage_core::Moment;
use rummage_core::crawl::NotRead;
use rummage_core::outcome::{Attempt, Method};
use rummage_core::pace::Strain;
use rummage_core::reading::Format;
use rummage_core::verdict::Cause;
use rusqlite::{Connection, OptionalExtension, Row, params};

use crate::records::{
    NotReadCount, Outcome, PageRow, RunInfo, RunState, SkipCount, SlowedServer, Totals, TraceRow,
};
use crate::{StoreError, connection};

/// One of the readers of a store.
#[derive(Debug)]
pub struct Reader {
    pub(crate) db: Connection,
}

impl Reader {
    /// Opens a store to read. A crawl may be writing to it meanwhile.
    ///
    /// # Errors
    /// When there is none, or it is not one of ours or of a newer version.
    pub fn open(path: &Path) -> Result<Reader, StoreError> {
        Ok(Reader { db: connection::open_to_read(path)? })
    }

    /// The last run.
    ///
    /// # Errors
    /// When there is no run yet, or the store cannot be read.
    pub fn last_run(&self) -> Result<RunInfo, StoreError> {
        self.run_where("TRUE ORDER BY run.id DESC LIMIT 1", [])?.ok_or(StoreError::NoRun)
    }

    /// The run of that number.
    ///
    /// # Errors
    /// When there is none, or the store cannot be read.
    pub fn run(&self, number: i64) -> Result<RunInfo, StoreError> {
        self.run_where("run.id = ?1", [number])?.ok_or(StoreError::NoRun)
    }

    /// How long the last finished run of this start took.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn last_time(&self, asked_for: &str) -> Result<Option<Duration>, StoreError> {
        let condition = "run.asked_for = ?1 AND state = 'finished' ORDER BY run.id DESC LIMIT 1";
        Ok(self.run_where(condition, [asked_for])?.map(|run| run.took))
    }

    fn run_where(
        &self,
        condition: &str,
        params: impl rusqlite::Params,
    ) -> Result<Option<RunInfo>, StoreError> {
        let sql = format!(
            "SELECT run.id, site, url, asked_for, title, started_at, took_us, state FROM run
             JOIN address ON address.id = run.start
             LEFT JOIN run_page ON run_page.run = run.id AND run_page.address = run.start
             LEFT JOIN page_version ON page_version.id = run_page.version
             WHERE {condition}"
        );
        let info = |row: &Row<'_>| {
            Ok(RunInfo {
                number: row.get(0)?,
                site: row.get(1)?,
                start: row.get(2)?,
                asked_for: row.get(3)?,
                title: row.get(4)?,
                started_at: timestamp(&row.get::<_, String>(5)?),
                took: Duration::from_micros(row.get::<_, i64>(6)?.cast_unsigned()),
                state: RunState::named(&row.get::<_, String>(7)?),
            })
        };
        Ok(self.db.query_row(&sql, params, info).optional()?)
    }

    /// The counts of a run.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn totals(&self, run: i64) -> Result<Totals, StoreError> {
        let mut totals = Totals::default();
        self.count_read(run, &mut totals)?;
        totals.asked = self.count("SELECT count(checked_us) FROM verdict WHERE run = ?1", run)?;
        // Addresses that are only a hop on the way to others are nobody's link.
        let mut select = self.db.prepare(
            "SELECT verdict, cause, count(*) FROM verdict
             WHERE run = ?1 AND linked
             GROUP BY verdict, cause ORDER BY count(*) DESC, cause",
        )?;
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            let count: u64 = row.get(2)?;
            match row.get_ref(0)?.as_str().unwrap_or_default() {
                "broken" => totals.broken += count,
                "doubtful" => totals.doubtful += count,
                "moved" => totals.moved += count,
                "sound" => totals.sound += count,
                _ => {
                    let cause = row.get::<_, Option<String>>(1)?;
                    if let Some(cause) = cause.as_deref().and_then(Cause::named) {
                        totals.skipped.push(SkipCount { cause, addresses: count });
                    }
                }
            }
        }
        totals.broken +=
            self.count("SELECT count(*) FROM no_place WHERE run = ?1 AND place = 'missing'", run)?;
        self.count_link_faults(run, &mut totals)?;
        totals.not_asked = self.not_asked(run)?;
        totals.not_read = self.not_read(run)?;
        totals.slowed = self.slowed(run)?;
        totals.notes = self.notes(run)?;
        Ok(totals)
    }

    /// Targets that only some of their links make worse than they are.
    fn count_link_faults(&self, run: i64, totals: &mut Totals) -> Result<(), StoreError> {
        let mut select = self.db.prepare(
            "SELECT link_fault.cause, scope, verdict, count(DISTINCT target) FROM link_fault
             JOIN verdict ON verdict.run = link_fault.run AND verdict.address = target
             WHERE link_fault.run = ?1 GROUP BY 1, 2, 3",
        )?;
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            let text = |column| -> rusqlite::Result<Option<String>> { row.get(column) };
            let (cause, scope, verdict) = (text(0)?, text(1)?, text(2)?);
            let own = scope.as_deref() == Some("internal");
            let count: u64 = row.get(3)?;
            match (cause.as_deref(), verdict.as_deref()) {
                (_, Some("broken")) => {}
                (Some("mixed-content"), _) => totals.broken += count,
                (Some("wrong-type"), _) if own => totals.broken += count,
                (_, Some("doubtful")) => {}
                _ => totals.doubtful += count,
            }
        }
        Ok(())
    }

    fn count_read(&self, run: i64, totals: &mut Totals) -> Result<(), StoreError> {
        let mut select = self.db.prepare(
            "SELECT format, count(*), sum(link_count), sum(cut) FROM run_page
             JOIN page_version ON page_version.id = run_page.version
             WHERE run = ?1 GROUP BY format",
        )?;
        let mut rows = select.query([run])?;
        while let Some(row) = rows.next()? {
            let count: u64 = row.get(1)?;
            let cut: u64 = row.get(3)?;
            match Format::named(row.get_ref(0)?.as_str().unwrap_or_default()) {
                Some(Format::Html | Format::Xhtml) => {
                    totals.pages += count;
                    totals.cut += cut;
                }
                Some(Format::Css) => {
                    totals.sheets += count;
                    totals.cut += cut;
                }
                Some(Format::Sitemap) => {
                    totals.sitemaps += count;
                    totals.cut_sitemaps += cut;
                }
                Some(Format::Robots) => totals.cut_robots += cut,
                None => {}
            }
            totals.links += row.get::<_, u64>(2)?;
        }
        Ok(())
    }

    /// Addresses on the run's pages that have no verdict: a run that was stopped has some.
    fn not_asked(&self, run: i64) -> Result<u64, StoreError> {
        if self.run(run)?.state == RunState::Finished {
            return Ok(0);
        }
        let pages = crate::order::pages(&self.db, run)?;
        let mut select = self.db.prepare("SELECT links FROM page_version WHERE id = ?1")?;
        let mut target = self.db.prepare("SELECT target FROM mark WHERE id = ?1")?;
        let mut seen = std::collections::HashSet::new();
        let mut targets = std::collections::HashSet::new();
        for page in pages {
            let links: Vec<u8> = select.query_row([page.version], |row| row.get(0))?;
            for place in crate::pack::unpack(&links) {
                if seen.insert(place.mark) {
                    targets.insert(target.query_row([place.mark], |row| row.get::<_, i64>(0))?);
                }
            }
        }
        let mut verdict = self
            .db
            .prepare("SELECT NOT EXISTS (SELECT 1 FROM verdict WHERE run = ?1 AND address = ?2)")?;
        let mut count = 0;
        for target in targets {
            count +=
                u64::from(verdict.query_row(params![run, target], |row| row.get::<_, bool>(0))?);
        }
        Ok(count)
    }

    /// Pages of the site that answered, and were not read for links, by reason.
    fn not_read(&self, run: i64) -> Result<Vec<NotReadCount>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT not_read, count(*) FROM verdict WHERE run = ?1 AND not_read IS NOT NULL
             GROUP BY not_read ORDER BY count(*) DESC, not_read",
        )?;
        let mut rows = select.query([run])?;
        let mut counts = Vec::new();
        while let Some(row) = rows.next()? {
            if let Some(reason) = NotRead::named(row.get_ref(0)?.as_str().unwrap_or_default()) {
                counts.push(NotReadCount { reason, pages: row.get(1)? });
            }
        }
        Ok(counts)
    }

    fn slowed(&self, run: i64) -> Result<Vec<SlowedServer>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT server, times, strain, lowest, gap_ms FROM slowed WHERE run = ?1
             ORDER BY times DESC, server",
        )?;
        let rows = select.query_map([run], |row| {
            let strain: String = row.get(2)?;
            Ok(SlowedServer {
                server: row.get(0)?,
                times: row.get(1)?,
                strain: Strain::named(&strain).unwrap_or(Strain::Slow),
                lowest: row.get(3)?,
                gap: Duration::from_millis(row.get(4)?),
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// The addresses of a run that fit: those that are the text, with or without their
    /// scheme, else those that hold it; at most `most` of them.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn find(&self, run: i64, text: &str, most: u32) -> Result<Vec<String>, StoreError> {
        let exact = self.addresses(
            "SELECT url FROM address JOIN verdict ON verdict.run = ?1 AND address = id
             WHERE url = ?2 OR substr(url, instr(url, '://') + 3) = ?2 LIMIT ?3",
            params![run, text, most],
        )?;
        if !exact.is_empty() {
            return Ok(exact);
        }
        self.addresses(
            "SELECT url FROM address JOIN verdict ON verdict.run = ?1 AND address = id
             WHERE instr(url, ?2) > 0 ORDER BY length(url), url LIMIT ?3",
            params![run, text, most],
        )
    }

    fn addresses(
        &self,
        sql: &str,
        params: impl rusqlite::Params,
    ) -> Result<Vec<String>, StoreError> {
        let mut select = self.db.prepare(sql)?;
        let rows = select.query_map(params, |row| row.get(0))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// What a run says of an address; `None` when it says nothing.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn outcome(&self, run: &RunInfo, address: &str) -> Result<Option<Outcome>, StoreError> {
        let sql = format!("{} WHERE target.url = ?2", crate::links::OUTCOME_SQL);
        let outcome = self.db.query_row(&sql, params![run.number, address], |row| {
            crate::links::outcome(row, run.started_at)
        });
        Ok(outcome.optional()?)
    }

    /// All fragments of an address that have no place on its page.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn missing_fragments(&self, run: i64, address: &str) -> Result<Vec<String>, StoreError> {
        self.addresses(
            "SELECT fragment FROM no_place JOIN address ON address.id = no_place.address
             WHERE run = ?1 AND url = ?2 AND place = 'missing' ORDER BY fragment",
            params![run, address],
        )
    }

    /// The way from an address to its last hop: what was seen at each.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn way(&self, run: i64, address: &str) -> Result<Vec<TraceRow>, StoreError> {
        let mut way = Vec::new();
        let mut next: Option<(i64, String)> = self
            .db
            .query_row(
                "SELECT id, url FROM address JOIN verdict ON verdict.run = ?1 AND address = id
                 WHERE url = ?2",
                params![run, address],
                |row| Ok((row.get(0)?, row.get(1)?)),
            )
            .optional()?;
        while let Some((id, url)) = next.take() {
            let repeats = way.iter().any(|row: &TraceRow| row.address == url);
            way.push(self.trace_row(run, id, url)?);
            if repeats {
                break;
            }
            next = self
                .db
                .query_row(
                    "SELECT address.id, url FROM verdict JOIN address ON address.id = next
                     WHERE run = ?1 AND address = ?2",
                    params![run, id],
                    |row| Ok((row.get(0)?, row.get(1)?)),
                )
                .optional()?;
        }
        Ok(way)
    }

    fn trace_row(&self, run: i64, id: i64, address: String) -> Result<TraceRow, StoreError> {
        let mut select = self.db.prepare_cached(
            "SELECT at_us, took_us, method, ending, title, hop, strained FROM attempt
             WHERE run = ?1 AND address = ?2 ORDER BY seq",
        )?;
        let mut rows = select.query(params![run, id])?;
        let mut attempts = Vec::new();
        let mut title = None;
        while let Some(row) = rows.next()? {
            attempts.push(attempt(row)?);
            title = row.get::<_, Option<String>>(4)?.or(title);
        }
        let page = self
            .db
            .query_row(
                "SELECT title, depth, link_count FROM run_page
                 JOIN page_version ON page_version.id = version
                 WHERE run = ?1 AND run_page.address = ?2",
                params![run, id],
                |row| Ok(PageRow { title: row.get(0)?, depth: row.get(1)?, links: row.get(2)? }),
            )
            .optional()?;
        Ok(TraceRow { address, attempts, title, page })
    }

    fn count(&self, sql: &str, run: i64) -> Result<u64, StoreError> {
        Ok(self.db.query_row(sql, [run], |row| row.get(0))?)
    }
}

/// An attempt from the columns `at_us, took_us, method, ending`, and by name `hop` and
/// `strained`.
pub(crate) fn attempt(row: &Row<'_>) -> Result<Attempt, StoreError> {
    let ending: String = row.get(3)?;
    Ok(Attempt {
        hop: row.get("hop")?,
        strained: row.get("strained")?,
        at: Moment::from_micros(row.get::<_, i64>(0)?.cast_unsigned()),
        took: Duration::from_micros(row.get::<_, i64>(1)?.cast_unsigned()),
        method: match row.get::<_, String>(2)?.as_str() {
            "HEAD" => Method::Head,
            _ => Method::Get,
        },
        ending: serde_json::from_str(&ending)
            .map_err(|error| StoreError::Damaged(error.to_string()))?,
    })
}

/// A time that we wrote; the start of time for one that we did not.
pub(crate) fn timestamp(text: &str) -> Timestamp {
    text.parse().unwrap_or_default()
}
