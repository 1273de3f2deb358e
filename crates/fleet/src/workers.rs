//! Workers: who they are, and that they are there.

use crate::database::{Database, limited};
use crate::error::FleetError;

/// A worker, as the database knows it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Worker {
    /// Its number, never used twice.
    pub id: i64,
    /// Its name.
    pub name: String,
}

impl Database {
    /// Enters a worker that starts now.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn register(&self, name: &str, version: &str) -> Result<Worker, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let client = taken.client();
            // Workers that are long gone are of no use to anyone.
            client
                .execute(
                    "DELETE FROM rummage.worker
                     WHERE seen_at < clock_timestamp() - interval '7 days'
                       AND NOT EXISTS (SELECT FROM rummage.site WHERE site.worker = worker.id)",
                    &[],
                )
                .await?;
            let row = client
                .query_one(
                    "INSERT INTO rummage.worker (name, version) VALUES ($1, $2) RETURNING id",
                    &[&name, &version],
                )
                .await?;
            taken.done();
            Ok(Worker { id: row.get(0), name: name.to_owned() })
        })
        .await
    }

    /// Records that a worker is there, and how many requests it has made: since it started, and in
    /// the last minute.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn report(
        &self,
        worker: &Worker,
        requests: u64,
        lately: u64,
    ) -> Result<(), FleetError> {
        let number = |value: u64| i64::try_from(value).unwrap_or(i64::MAX);
        limited(async {
            let mut taken = self.take().await?;
            taken
                .client()
                .execute(
                    "UPDATE rummage.worker
                     SET requests = $2, requests_per_minute = $3, seen_at = clock_timestamp()
                     WHERE id = $1",
                    &[&worker.id, &number(requests), &number(lately)],
                )
                .await?;
            taken.done();
            Ok(())
        })
        .await
    }

    /// Records that a worker has stopped, and gives back what it still has.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn sign_off(&self, worker: &Worker) -> Result<(), FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let transaction = taken.client().transaction().await?;
            transaction
                .execute(
                    "UPDATE rummage.worker
                     SET stopped_at = clock_timestamp(), seen_at = clock_timestamp(),
                         requests_per_minute = 0
                     WHERE id = $1",
                    &[&worker.id],
                )
                .await?;
            transaction
                .execute(
                    "UPDATE rummage.site SET worker = NULL, passed_at = clock_timestamp()
                     WHERE worker = $1",
                    &[&worker.id],
                )
                .await?;
            transaction
                .execute(
                    "UPDATE rummage.external_check SET claimed_until = clock_timestamp()
                     WHERE worker = $1 AND claimed_until > clock_timestamp()",
                    &[&worker.id],
                )
                .await?;
            transaction.commit().await?;
            taken.done();
            Ok(())
        })
        .await
    }
}
