//! External URLs are requested once for all sites.
//!
//! A worker claims a request before it makes it, and saves what it has shown. Until that is due
//! again, other passes reuse it. The requests to one host, by whichever worker, keep a minimum
//! interval.

use std::time::Duration;

use jiff::Timestamp;
use rummage_core::evidence::AttemptOutcome;
use serde::{Deserialize, Serialize};
use sha2::{Digest as _, Sha256};
use tokio_postgres::types::ToSql;

use crate::database::{Database, Taken, limited};
use crate::error::FleetError;
use crate::findings::{host_key, storable};
use crate::workers::Worker;

/// A worker that has not ended a request after this long has lost it.
const CLAIM: Duration = Duration::from_secs(180);

/// A request for an external URL.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SharedRequest {
    /// The URL.
    pub url: String,
    /// The host, whose budget counts.
    pub host: String,
    /// What else the response may depend on: method, headers, proxy.
    pub sent_as: String,
    /// Only what was observed after this time counts: the pass has used the rest already.
    pub after: Option<Timestamp>,
}

impl SharedRequest {
    fn key(&self) -> Vec<u8> {
        let mut hash = Sha256::new();
        hash.update(self.sent_as.as_bytes());
        hash.update([0]);
        hash.update(self.url.as_bytes());
        hash.finalize().to_vec()
    }
}

/// What a request has shown.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Shown {
    /// The response or failure.
    pub outcome: AttemptOutcome,
    /// How long the request took, in microseconds.
    pub took_us: u64,
    /// The title of the page, if it was read.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub title: Option<String>,
    /// A hash by which its text is compared with that of other pages, if it was read.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub likeness: Option<u64>,
}

/// What to do about a request.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Turn {
    /// It was made lately: this is what it has shown, when, and how long ago that is.
    Reuse(Box<Shown>, Timestamp, Duration),
    /// Make it, after this wait: then it is this worker's turn at the host.
    Request(Duration),
    /// Another worker is making it; look again in a while.
    Wait,
}

impl Database {
    /// Decides about a request, and claims it if it is to be made. Between two requests to a host
    /// are at least `interval`.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn turn(
        &self,
        request: &SharedRequest,
        worker: &Worker,
        interval: Duration,
    ) -> Result<Turn, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            // Most are known: to read is cheap, to claim is not.
            if let Some(turn) = reusable(&mut taken, request).await? {
                taken.done();
                return Ok(turn);
            }
            let statement = taken.prepared(CLAIM_IT).await?;
            let (key, seconds) = (request.key(), CLAIM.as_secs_f64());
            let url = storable(&request.url);
            let claimed = taken
                .client()
                .execute(
                    &statement,
                    &[&key, &url, &host_key(&request.host), &worker.id, &seconds, &request.after],
                )
                .await?;
            if claimed == 0 {
                // Another worker was faster, or has just ended.
                let turn = reusable(&mut taken, request).await?.unwrap_or(Turn::Wait);
                taken.done();
                return Ok(turn);
            }
            let wait = slot(&mut taken, &request.host, interval).await?;
            let statement = taken.prepared(HOLD_IT).await?;
            let held: [&(dyn ToSql + Sync); 3] = [&key, &worker.id, &wait.as_secs_f64()];
            taken.client().execute(&statement, &held).await?;
            taken.done();
            Ok(Turn::Request(wait))
        })
        .await
    }

    /// Takes a turn at a host for a request that is not shared. Returns how long to wait for it.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn slot(&self, host: &str, interval: Duration) -> Result<Duration, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let wait = slot(&mut taken, host, interval).await?;
            taken.done();
            Ok(wait)
        })
        .await
    }

    /// Saves what a request has shown, to be reused for this long. Returns when that was, unless
    /// the claim was lost.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn save_check(
        &self,
        request: &SharedRequest,
        worker: &Worker,
        shown: &Shown,
        reuse: Duration,
    ) -> Result<Option<Timestamp>, FleetError> {
        let evidence =
            storable(&serde_json::to_string(shown).expect("what was observed is plain data"));
        limited(async {
            let mut taken = self.take().await?;
            let row = taken
                .client()
                .query_opt(
                    "UPDATE rummage.external_check
                     SET evidence = $3, checked_at = clock_timestamp(),
                         due_at = clock_timestamp() + make_interval(secs => $4),
                         requests = requests + 1, claimed_until = NULL
                     WHERE key = $1 AND worker = $2 RETURNING checked_at",
                    &[&request.key(), &worker.id, &evidence, &reuse.as_secs_f64()],
                )
                .await?;
            taken.done();
            Ok(row.map(|row| row.get(0)))
        })
        .await
    }

    /// Gives up a claim: the request was not made, or what it has shown is of no use to others.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn drop_claim(
        &self,
        request: &SharedRequest,
        worker: &Worker,
        was_made: bool,
    ) -> Result<(), FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            taken
                .client()
                .execute(
                    // Without a result, there is nothing to keep.
                    "WITH unknown AS (
                         DELETE FROM rummage.external_check
                         WHERE key = $1 AND worker = $2 AND evidence IS NULL)
                     UPDATE rummage.external_check
                     SET claimed_until = NULL, requests = requests + $3::bool::int
                     WHERE key = $1 AND worker = $2 AND evidence IS NOT NULL",
                    &[&request.key(), &worker.id, &was_made],
                )
                .await?;
            taken.done();
            Ok(())
        })
        .await
    }

    /// Forgets checks that no pass has needed for a month, and budgets that are full.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn prune_checks(&self) -> Result<u64, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let client = taken.client();
            let pruned = client
                .execute(
                    "DELETE FROM rummage.external_check
                     WHERE due_at < clock_timestamp() - interval '30 days'
                        OR (evidence IS NULL
                            AND claimed_until < clock_timestamp() - interval '1 day')",
                    &[],
                )
                .await?;
            client
                .execute(
                    "DELETE FROM rummage.host_budget
                     WHERE next_at < clock_timestamp() - interval '1 hour'",
                    &[],
                )
                .await?;
            taken.done();
            Ok(pruned)
        })
        .await
    }
}

/// Claims a request, if it is due and no worker is making it.
const CLAIM_IT: &str = "
    INSERT INTO rummage.external_check AS known (key, url, host, worker, claimed_until)
    VALUES ($1, $2, $3, $4, clock_timestamp() + make_interval(secs => $5))
    ON CONFLICT (key) DO UPDATE
    SET worker = $4, claimed_until = clock_timestamp() + make_interval(secs => $5)
    WHERE (known.claimed_until IS NULL OR known.claimed_until < clock_timestamp())
      AND (known.due_at IS NULL OR known.due_at <= clock_timestamp() OR known.checked_at <= $6)";

/// Keeps a claim for as long as its request waits for its turn at the host.
const HOLD_IT: &str = "
    UPDATE rummage.external_check SET claimed_until = claimed_until + make_interval(secs => $3)
    WHERE key = $1 AND worker = $2 AND $3::float8 > 0";

/// What was observed lately.
const KNOWN: &str = "
    SELECT evidence, extract(epoch FROM clock_timestamp() - checked_at)::float8, checked_at
    FROM rummage.external_check
    WHERE key = $1 AND evidence IS NOT NULL AND due_at > clock_timestamp()
      AND ($2::timestamptz IS NULL OR checked_at > $2)";

/// The next turn at a host. Turns that were not taken are not saved up.
const NEXT_TURN: &str = "
    INSERT INTO rummage.host_budget AS known (host, next_at)
    VALUES ($1, clock_timestamp() + make_interval(secs => $2))
    ON CONFLICT (host) DO UPDATE
    SET next_at = greatest(known.next_at, clock_timestamp()) + make_interval(secs => $2)
    RETURNING extract(epoch FROM next_at - clock_timestamp())::float8 - $2";

/// What was observed of a request, if it can be reused.
async fn reusable(
    taken: &mut Taken<'_>,
    request: &SharedRequest,
) -> Result<Option<Turn>, FleetError> {
    let statement = taken.prepared(KNOWN).await?;
    let row = taken.client().query_opt(&statement, &[&request.key(), &request.after]).await?;
    let Some(row) = row else { return Ok(None) };
    let shown = serde_json::from_str(row.get(0))
        .map_err(|error| FleetError::Damaged(format!("an external check: {error}")))?;
    let ago = Duration::try_from_secs_f64(row.get(1)).unwrap_or_default();
    Ok(Some(Turn::Reuse(Box::new(shown), row.get(2), ago)))
}

/// Takes the next turn at a host, and returns how long it is until then.
async fn slot(
    taken: &mut Taken<'_>,
    host: &str,
    interval: Duration,
) -> Result<Duration, FleetError> {
    let statement = taken.prepared(NEXT_TURN).await?;
    let row =
        taken.client().query_one(&statement, &[&host_key(host), &interval.as_secs_f64()]).await?;
    Ok(Duration::try_from_secs_f64(row.get(0)).unwrap_or_default())
}
