//! What passes leave in the database, always with the lease: all of it or nothing.

use std::time::Duration;

use jiff::Timestamp;

use crate::database::{Database, limited, within};
use crate::error::FleetError;
use crate::findings::{Finding, replace, storable};
use crate::leases::{Lease, fence};
use crate::outbox::{NewDigest, post};
use crate::snapshots::{Manifest, keep};

/// Many findings take a while.
const LONG: Duration = Duration::from_secs(300);

/// How a pass ended.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub enum Ending {
    /// Nothing was due: what is known of the passes before stays.
    #[default]
    NotDue,
    /// Well.
    Passed,
    /// It failed, for this reason.
    Failed(String),
}

/// What a pass over a site leaves behind.
#[derive(Debug, Default)]
pub struct Pass {
    /// The saved store.
    pub snapshot: Option<Manifest>,
    /// The current findings; `None` if they are those of before.
    pub findings: Option<Vec<Finding>>,
    /// Digests to deliver.
    pub digests: Vec<NewDigest>,
    /// How far the run got.
    pub state: Option<String>,
    /// The run whose findings these are.
    pub run: Option<RunSums>,
    /// How the pass ended.
    pub ending: Ending,
    /// How long from now the site is due again.
    pub due_in: Duration,
}

/// The sums of a run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RunSums {
    /// What its findings depend on: the run, settings and waivers, as one text.
    pub results_of: String,
    /// When it began.
    pub began_at: Timestamp,
    /// Pages that were parsed.
    pub pages: u64,
    /// Broken and doubtful targets.
    pub open: u64,
    /// Links that are not among the findings, because there are too many.
    pub left_out: u64,
}

impl Database {
    /// Saves the store of a pass that goes on.
    ///
    /// # Errors
    /// [`FleetError::LeaseLost`] if another worker has taken the site; see [`FleetError`].
    pub async fn save_snapshot(&self, lease: &Lease, store: &Manifest) -> Result<(), FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let transaction = taken.client().transaction().await?;
            fence(&transaction, lease).await?;
            keep(&transaction, lease, store).await?;
            transaction.commit().await?;
            taken.done();
            Ok(())
        })
        .await
    }

    /// Saves everything that a pass leaves, and ends the lease: all of it or nothing.
    ///
    /// # Errors
    /// [`FleetError::LeaseLost`] if another worker has taken the site; see [`FleetError`].
    pub async fn finish_pass(&self, lease: &Lease, pass: &Pass) -> Result<(), FleetError> {
        within(LONG, self.write_pass(lease, pass)).await
    }

    async fn write_pass(&self, lease: &Lease, pass: &Pass) -> Result<(), FleetError> {
        let mut taken = self.take().await?;
        let transaction = taken.client().transaction().await?;
        fence(&transaction, lease).await?;
        if let Some(store) = &pass.snapshot {
            keep(&transaction, lease, store).await?;
        }
        if let Some(findings) = &pass.findings {
            replace(&transaction, &lease.site, findings).await?;
        }
        post(&transaction, &lease.site, &pass.digests).await?;
        let number = |value: u64| i64::try_from(value).unwrap_or(i64::MAX);
        let run = pass.run.as_ref();
        let problem = match &pass.ending {
            Ending::Failed(reason) => Some(storable(reason)),
            Ending::Passed | Ending::NotDue => None,
        };
        let is_pass = pass.ending != Ending::NotDue;
        transaction
            .execute(
                "UPDATE rummage.site
                 SET worker = NULL,
                     passed_at = CASE WHEN $9 THEN clock_timestamp() ELSE passed_at END,
                     due_at = clock_timestamp() + make_interval(secs => $2),
                     failures = CASE WHEN NOT $9 THEN failures
                                     WHEN $3::text IS NULL THEN 0 ELSE failures + 1 END,
                     problem = CASE WHEN $9 THEN $3 ELSE problem END,
                     wanted = CASE WHEN $9 THEN NULL ELSE wanted END,
                     run_state = coalesce($4, run_state), left_out = coalesce($10, left_out),
                     run_at = coalesce($5, run_at), pages = coalesce($6, pages),
                     open = coalesce($7, open), results_of = coalesce($8, results_of)
                 WHERE name = $1",
                &[
                    &lease.site,
                    &pass.due_in.as_secs_f64(),
                    &problem,
                    &pass.state,
                    &run.map(|run| run.began_at),
                    &run.map(|run| number(run.pages)),
                    &run.map(|run| number(run.open)),
                    &run.map(|run| run.results_of.as_str()),
                    &is_pass,
                    &run.map(|run| number(run.left_out)),
                ],
            )
            .await?;
        transaction.commit().await?;
        taken.done();
        Ok(())
    }
}
