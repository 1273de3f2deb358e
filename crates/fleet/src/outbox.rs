//! Digests of all sites, delivered by whichever worker comes first.
//!
//! A digest is entered in the transaction that ends the pass it reports, once for each channel.
//! A worker claims it, delivers it, and records that. If the worker dies in between, the claim
//! runs out and the digest is delivered again, with the same message id.

use std::time::Duration;

use tokio_postgres::Transaction;

use crate::database::{Database, limited};
use crate::error::FleetError;
use crate::findings::storable;

/// How long a worker may take to deliver one digest.
const CLAIM: Duration = Duration::from_secs(300);
/// How many delivered digests of a site are kept.
const KEPT: i64 = 20;

/// A digest to enter.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewDigest {
    /// The channel.
    pub channel: String,
    /// What identifies it.
    pub message_id: String,
    /// The digest as JSON.
    pub json: String,
}

/// A digest to deliver now.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ClaimedDigest {
    /// Its number.
    pub id: i64,
    /// The site's name.
    pub site: String,
    /// The site's settings file.
    pub settings: String,
    /// The channel.
    pub channel: String,
    /// The digest as JSON.
    pub json: String,
    /// Attempts that have failed.
    pub attempts: u32,
}

/// Enters digests. One that is known already is not entered again.
pub(crate) async fn post(
    transaction: &Transaction<'_>,
    site: &str,
    digests: &[NewDigest],
) -> Result<(), FleetError> {
    for digest in digests {
        transaction
            .execute(
                "INSERT INTO rummage.outbox (site, channel, message_id, digest)
                 VALUES ($1, $2, $3, $4) ON CONFLICT DO NOTHING",
                &[&site, &digest.channel, &digest.message_id, &storable(&digest.json)],
            )
            .await?;
    }
    Ok(())
}

impl Database {
    /// Claims the next digest that is due.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn claim_digest(&self) -> Result<Option<ClaimedDigest>, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let row = taken
                .client()
                .query_opt(
                    "UPDATE rummage.outbox
                     SET claimed_until = clock_timestamp() + make_interval(secs => $1)
                     FROM rummage.site
                     WHERE site.name = outbox.site AND id = (
                         SELECT id FROM rummage.outbox
                         WHERE next_at <= clock_timestamp()
                           AND (claimed_until IS NULL OR claimed_until < clock_timestamp())
                         ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED)
                     RETURNING id, site, settings, channel, digest, attempts",
                    &[&CLAIM.as_secs_f64()],
                )
                .await?;
            taken.done();
            Ok(row.map(|row| ClaimedDigest {
                id: row.get(0),
                site: row.get(1),
                settings: row.get(2),
                channel: row.get(3),
                json: row.get(4),
                attempts: u32::try_from(row.get::<_, i32>(5)).unwrap_or_default(),
            }))
        })
        .await
    }

    /// Records that a digest was delivered.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn handle_delivered(&self, digest: &ClaimedDigest) -> Result<(), FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let transaction = taken.client().transaction().await?;
            transaction
                .execute(
                    "UPDATE rummage.outbox
                     SET delivered_at = clock_timestamp(), next_at = NULL, claimed_until = NULL,
                         problem = NULL, attempts = attempts + 1
                     WHERE id = $1",
                    &[&digest.id],
                )
                .await?;
            transaction
                .execute(
                    "DELETE FROM rummage.outbox WHERE site = $1 AND next_at IS NULL AND id NOT IN (
                         SELECT id FROM rummage.outbox WHERE site = $1 AND next_at IS NULL
                         ORDER BY id DESC LIMIT $2)",
                    &[&digest.site, &KEPT],
                )
                .await?;
            transaction.commit().await?;
            taken.done();
            Ok(())
        })
        .await
    }

    /// Records that a digest could not be delivered; with no `retry_in`, it never will be.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn handle_undelivered(
        &self,
        digest: &ClaimedDigest,
        problem: &str,
        retry_in: Option<Duration>,
    ) -> Result<(), FleetError> {
        let seconds = retry_in.map(|wait| wait.as_secs_f64());
        limited(async {
            let mut taken = self.take().await?;
            taken
                .client()
                .execute(
                    "UPDATE rummage.outbox
                     SET attempts = attempts + 1, problem = $2, claimed_until = NULL,
                         next_at = clock_timestamp() + make_interval(secs => $3)
                     WHERE id = $1",
                    &[&digest.id, &storable(problem), &seconds],
                )
                .await?;
            taken.done();
            Ok(())
        })
        .await
    }
}
