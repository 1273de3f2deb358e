//! The sites of a fleet, and their settings.

use jiff::Timestamp;

use crate::database::{Database, limited};
use crate::error::FleetError;
use crate::leases::Wanted;

/// A site to add, or to change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SiteSettings {
    /// Its name.
    pub name: String,
    /// A settings file with this site alone, as TOML.
    pub settings: String,
    /// Its waivers file.
    pub waivers: Option<String>,
}

/// What an import has done.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Imported {
    /// Sites that are new.
    pub added: u64,
    /// Sites whose settings have changed.
    pub changed: u64,
    /// Sites that stay as they were.
    pub unchanged: u64,
}

/// A site as it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SiteStatus {
    /// Its name.
    pub name: String,
    /// When a worker takes it next.
    pub due_at: Timestamp,
    /// The worker that has it.
    pub worker: Option<String>,
    /// What is done with it now, or was last.
    pub task: Option<String>,
    /// When the last pass ended.
    pub passed_at: Option<Timestamp>,
    /// How far its run got.
    pub run_state: Option<String>,
    /// Pages of the run whose findings are known.
    pub pages: Option<u64>,
    /// Its broken and doubtful targets.
    pub open: Option<u64>,
    /// Passes that have failed in a row.
    pub failures: u32,
    /// Why the last one failed.
    pub problem: Option<String>,
}

impl Database {
    /// Adds sites, and replaces the settings of those that are known. They are due at once; a
    /// site with the same settings stays as it is.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn import(&self, sites: &[SiteSettings]) -> Result<Imported, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let transaction = taken.client().transaction().await?;
            let mut imported = Imported::default();
            for site in sites {
                let row = transaction
                    .query_opt(
                        "INSERT INTO rummage.site AS known (name, settings, waivers)
                         VALUES ($1, $2, $3)
                         ON CONFLICT (name) DO UPDATE
                         SET settings = $2, waivers = $3, due_at = clock_timestamp(), failures = 0
                         WHERE known.settings IS DISTINCT FROM $2
                            OR known.waivers IS DISTINCT FROM $3
                         RETURNING xmax = 0",
                        &[&site.name, &site.settings, &site.waivers],
                    )
                    .await?;
                match row.map(|row| row.get(0)) {
                    Some(true) => imported.added += 1,
                    Some(false) => imported.changed += 1,
                    None => imported.unchanged += 1,
                }
            }
            transaction.commit().await?;
            taken.done();
            Ok(imported)
        })
        .await
    }

    /// Removes a site with everything that is known about it. A worker that is checking it stops
    /// at its next renewal.
    ///
    /// # Errors
    /// [`FleetError::NoSuchSite`]; see [`FleetError`].
    pub async fn remove_site(&self, name: &str) -> Result<(), FleetError> {
        self.of_one("DELETE FROM rummage.site WHERE name = $1", name).await
    }

    /// Has a site checked at once, whatever is due.
    ///
    /// # Errors
    /// [`FleetError::NoSuchSite`]; see [`FleetError`].
    pub async fn want(&self, name: &str, wanted: Wanted) -> Result<(), FleetError> {
        // A word of ours, not text from outside.
        let statement = format!(
            "UPDATE rummage.site SET due_at = clock_timestamp(), wanted = '{}' WHERE name = $1",
            wanted.as_str()
        );
        self.of_one(&statement, name).await
    }

    /// Forgets the saved store of a site, and makes it due: it is crawled as if for the first
    /// time. A worker that is checking it loses its lease.
    ///
    /// # Errors
    /// [`FleetError::NoSuchSite`]; see [`FleetError`].
    pub async fn reset_site(&self, name: &str) -> Result<(), FleetError> {
        // Two tokens more: no store on the disk of a worker counts as the latest any longer.
        let statement = "WITH store AS (DELETE FROM rummage.snapshot WHERE site = $1),
                 chunks AS (DELETE FROM rummage.chunk WHERE site = $1)
             UPDATE rummage.site
             SET due_at = clock_timestamp(), token = token + 2, worker = NULL, failures = 0,
                 problem = NULL
             WHERE name = $1";
        self.of_one(statement, name).await
    }

    async fn of_one(&self, statement: &str, name: &str) -> Result<(), FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let changed = taken.client().execute(statement, &[&name]).await?;
            taken.done();
            if changed == 0 {
                return Err(FleetError::NoSuchSite { name: name.to_owned() });
            }
            Ok(())
        })
        .await
    }

    /// The sites, by name.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn sites(&self) -> Result<Vec<SiteStatus>, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let rows = taken
                .client()
                .query(
                    "SELECT site.name, due_at, worker.name, task, passed_at, run_state, pages,
                            open, failures, problem
                     FROM rummage.site LEFT JOIN rummage.worker ON worker.id = site.worker
                     ORDER BY site.name",
                    &[],
                )
                .await?;
            taken.done();
            let count =
                |value: Option<i64>| value.map(|value| value.try_into().unwrap_or_default());
            Ok(rows
                .iter()
                .map(|row| SiteStatus {
                    name: row.get(0),
                    due_at: row.get(1),
                    worker: row.get(2),
                    task: row.get(3),
                    passed_at: row.get(4),
                    run_state: row.get(5),
                    pages: count(row.get(6)),
                    open: count(row.get(7)),
                    failures: u32::try_from(row.get::<_, i32>(8)).unwrap_or_default(),
                    problem: row.get(9),
                })
                .collect())
        })
        .await
    }
}
