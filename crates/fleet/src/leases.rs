//! Leases: a site is checked by one worker at a time.
//!
//! Each lease has a fencing token, one higher than that of the lease before. Whatever a worker
//! writes about a site is written in a transaction that first checks the token, so that a worker
//! that was cut off and comes back late can change nothing.

use std::time::Duration;

use jiff::Timestamp;
use tokio_postgres::Transaction;

use crate::database::{Database, limited};
use crate::error::FleetError;
use crate::workers::Worker;

/// How often a lease is renewed.
pub const RENEWAL: Duration = Duration::from_secs(15);
/// A lease that was not renewed for this long may be taken by another worker.
pub const SILENCE: Duration = Duration::from_secs(60);
/// A worker that could not renew a lease for this long makes no more requests: the difference is
/// for those that are under way.
pub const SAFE: Duration = Duration::from_secs(40);

/// What was requested to be done with a site now.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Wanted {
    /// A crawl.
    Crawl,
    /// A crawl whose result is believed, however suspicious.
    Accept,
}

impl Wanted {
    pub(crate) fn as_str(self) -> &'static str {
        match self {
            Wanted::Crawl => "crawl",
            Wanted::Accept => "accept",
        }
    }

    fn named(name: &str) -> Option<Wanted> {
        [Wanted::Crawl, Wanted::Accept].into_iter().find(|wanted| wanted.as_str() == name)
    }
}

/// The right to check a site.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lease {
    /// The site's name.
    pub site: String,
    /// The fencing token.
    pub token: i64,
    /// The worker that has it.
    pub worker: i64,
    /// The site's settings file.
    pub settings: String,
    /// The site's waivers file.
    pub waivers: Option<String>,
    /// It is to be checked, whatever is due.
    pub wanted: Option<Wanted>,
    /// How many passes have failed in a row.
    pub failures: u32,
    /// What the findings that are known depend on (see [`RunSums`](crate::RunSums)).
    pub results_of: Option<String>,
    /// When the last pass ended.
    pub passed_at: Option<Timestamp>,
    /// When the lease began.
    pub taken_at: Timestamp,
    /// The lease before was ended by its worker, with what the pass had found.
    pub is_after_saved_pass: bool,
}

impl Database {
    /// Takes the most overdue site that no worker has.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn take_site(&self, worker: &Worker) -> Result<Option<Lease>, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let row = taken
                .client()
                .query_opt(
                    "WITH next AS (
                         SELECT name, worker IS NULL AS is_free FROM rummage.site
                         WHERE due_at <= clock_timestamp()
                           AND (worker IS NULL
                                OR renewed_at < clock_timestamp() - make_interval(secs => $2))
                         ORDER BY due_at, name LIMIT 1 FOR UPDATE SKIP LOCKED)
                     UPDATE rummage.site
                     SET worker = $1, token = token + 1, taken_at = clock_timestamp(),
                         renewed_at = clock_timestamp()
                     FROM next WHERE site.name = next.name
                     RETURNING site.name, token, settings, waivers, failures, results_of, passed_at,
                         wanted, taken_at, is_free",
                    &[&worker.id, &SILENCE.as_secs_f64()],
                )
                .await?;
            taken.done();
            Ok(row.map(|row| Lease {
                site: row.get(0),
                token: row.get(1),
                worker: worker.id,
                settings: row.get(2),
                waivers: row.get(3),
                failures: u32::try_from(row.get::<_, i32>(4)).unwrap_or_default(),
                results_of: row.get(5),
                passed_at: row.get(6),
                wanted: row.get::<_, Option<&str>>(7).and_then(Wanted::named),
                taken_at: row.get(8),
                is_after_saved_pass: row.get(9),
            }))
        })
        .await
    }

    /// How long until a site is due that no worker has; `None` if there is none.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn next_due(&self) -> Result<Option<Duration>, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let row = taken
                .client()
                .query_one(
                    "SELECT extract(epoch FROM min(greatest(due_at,
                         CASE WHEN worker IS NULL THEN due_at
                              ELSE renewed_at + make_interval(secs => $1) END))
                         - clock_timestamp())::float8
                     FROM rummage.site",
                    &[&SILENCE.as_secs_f64()],
                )
                .await?;
            taken.done();
            let seconds: Option<f64> = row.get(0);
            Ok(seconds.map(|seconds| Duration::try_from_secs_f64(seconds).unwrap_or_default()))
        })
        .await
    }

    /// Renews a lease.
    ///
    /// # Errors
    /// [`FleetError::LeaseLost`] if another worker has taken the site; see [`FleetError`].
    pub async fn renew(&self, lease: &Lease, task: &str) -> Result<(), FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let renewed = taken
                .client()
                .execute(
                    "UPDATE rummage.site SET renewed_at = clock_timestamp(), task = $4
                     WHERE name = $1 AND token = $2 AND worker = $3",
                    &[&lease.site, &lease.token, &lease.worker, &task],
                )
                .await?;
            taken.done();
            if renewed == 1 { Ok(()) } else { Err(lost(lease)) }
        })
        .await
    }
}

/// Locks the site's row until the transaction ends, if the lease is still the last one. A lease
/// that ran out is as good as new while no other worker has taken the site.
pub(crate) async fn fence(transaction: &Transaction<'_>, lease: &Lease) -> Result<(), FleetError> {
    let row = transaction
        .query_opt(
            "SELECT FROM rummage.site WHERE name = $1 AND token = $2 AND worker = $3 FOR UPDATE",
            &[&lease.site, &lease.token, &lease.worker],
        )
        .await?;
    row.map(drop).ok_or_else(|| lost(lease))
}

fn lost(lease: &Lease) -> FleetError {
    FleetError::LeaseLost { site: lease.site.clone() }
}
