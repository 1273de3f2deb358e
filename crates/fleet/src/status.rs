//! The state of a fleet at a glance.

use std::time::Duration;

use jiff::Timestamp;

use crate::database::{Database, limited};
use crate::error::FleetError;
use crate::leases::SILENCE;

/// The state of a fleet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FleetStatus {
    /// The server's time.
    pub now: Timestamp,
    /// The workers that run, and those that were killed within the last hour, by number.
    pub workers: Vec<WorkerStatus>,
    /// Sites in all.
    pub sites: u64,
    /// Sites that a worker has.
    pub leased: u64,
    /// Sites that are due, and that no worker has.
    pub queued: u64,
    /// The most overdue of these, and for how long.
    pub oldest: Option<(String, Duration)>,
    /// When the next site is due, if none is now.
    pub next_at: Option<Timestamp>,
    /// Sites whose last pass failed: name and reason, up to ten.
    pub failing: Vec<(String, String)>,
    /// How many these are in all.
    pub failing_count: u64,
    /// Open findings of all sites: links that are not waived.
    pub findings: u64,
    /// External URLs that are known and not due.
    pub external_checks: u64,
    /// Digests that are waiting.
    pub undelivered: u64,
    /// Why one of them could not be delivered.
    pub delivery_problem: Option<String>,
    /// The size of all saved stores, compressed, in bytes.
    pub saved_bytes: u64,
}

/// A worker.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WorkerStatus {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// Its version of Rummage.
    pub version: String,
    /// When it started.
    pub started_at: Timestamp,
    /// How long ago it was heard of.
    pub silent: Duration,
    /// It was heard of within the time of a lease.
    pub is_up: bool,
    /// The sites that it has, and what it does with them.
    pub sites: Vec<(String, String)>,
    /// Requests since it started.
    pub requests: u64,
    /// Requests in the last minute.
    pub requests_per_minute: u64,
}

impl Database {
    /// The state of the fleet now.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn status(&self) -> Result<FleetStatus, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let transaction = taken.client().transaction().await?;
            let sums = transaction
                .query_one(
                    "SELECT now(), count(*),
                         count(*) FILTER (WHERE worker IS NOT NULL AND NOT is_silent),
                         count(*) FILTER (WHERE is_queued),
                         min(due_at) FILTER (WHERE NOT is_queued AND worker IS NULL),
                         count(*) FILTER (WHERE problem IS NOT NULL),
                         (SELECT count(*) FROM rummage.open_finding),
                         (SELECT count(*) FROM rummage.external_check WHERE due_at > now()),
                         (SELECT count(*) FROM rummage.outbox WHERE next_at IS NOT NULL),
                         (SELECT problem FROM rummage.outbox
                          WHERE next_at IS NOT NULL AND problem IS NOT NULL
                          ORDER BY attempts DESC, id LIMIT 1),
                         (SELECT coalesce(sum(pg_column_size(data)), 0)::bigint
                          FROM rummage.chunk)
                     FROM (SELECT *,
                               due_at <= now() AND (worker IS NULL OR is_silent) AS is_queued
                           FROM (SELECT *, renewed_at < now() - make_interval(secs => $1)
                                     AS is_silent FROM rummage.site) AS seen) AS site",
                    &[&SILENCE.as_secs_f64()],
                )
                .await?;
            let oldest = transaction
                .query_opt(
                    "SELECT name, extract(epoch FROM now() - due_at)::float8 FROM rummage.site
                     WHERE due_at <= now()
                       AND (worker IS NULL OR renewed_at < now() - make_interval(secs => $1))
                     ORDER BY due_at, name LIMIT 1",
                    &[&SILENCE.as_secs_f64()],
                )
                .await?;
            let failing = transaction
                .query(
                    "SELECT name, problem FROM rummage.site WHERE problem IS NOT NULL
                     ORDER BY failures DESC, name LIMIT 10",
                    &[],
                )
                .await?;
            let workers = transaction
                .query(
                    "SELECT id, name, version, started_at,
                         extract(epoch FROM now() - seen_at)::float8, requests,
                         requests_per_minute
                     FROM rummage.worker
                     WHERE stopped_at IS NULL AND seen_at > now() - interval '1 hour'
                     ORDER BY id",
                    &[],
                )
                .await?;
            let held = transaction
                .query(
                    "SELECT worker, name, coalesce(task, '') FROM rummage.site
                     WHERE worker IS NOT NULL ORDER BY name",
                    &[],
                )
                .await?;
            transaction.commit().await?;
            taken.done();
            let count = |value: i64| u64::try_from(value).unwrap_or_default();
            let workers = workers.iter().map(|row| {
                let id: i64 = row.get(0);
                let silent = Duration::try_from_secs_f64(row.get(4)).unwrap_or_default();
                let mine = held.iter().filter(|site| site.get::<_, i64>(0) == id);
                WorkerStatus {
                    id,
                    name: row.get(1),
                    version: row.get(2),
                    started_at: row.get(3),
                    silent,
                    is_up: silent < SILENCE,
                    sites: mine.map(|site| (site.get(1), site.get(2))).collect(),
                    requests: count(row.get(5)),
                    requests_per_minute: count(row.get(6)),
                }
            });
            Ok(FleetStatus {
                now: sums.get(0),
                workers: workers.collect(),
                sites: count(sums.get(1)),
                leased: count(sums.get(2)),
                queued: count(sums.get(3)),
                oldest: oldest.map(|row| {
                    (row.get(0), Duration::try_from_secs_f64(row.get(1)).unwrap_or_default())
                }),
                next_at: sums.get(4),
                failing: failing.iter().map(|row| (row.get(0), row.get(1))).collect(),
                failing_count: count(sums.get(5)),
                findings: count(sums.get(6)),
                external_checks: count(sums.get(7)),
                undelivered: count(sums.get(8)),
                delivery_problem: sums.get(9),
                saved_bytes: count(sums.get(10)),
            })
        })
        .await
    }
}
