//! The tables, and how they came to be: numbered steps.

use crate::database::{Database, limited};
use crate::error::FleetError;

/// Each step migrates the tables from the version before to its own; the first creates them.
const MIGRATIONS: &[(i32, &str)] = &[(1, include_str!("1.sql"))];

/// The version that this program needs.
pub const VERSION: i32 = MIGRATIONS[MIGRATIONS.len() - 1].0;

/// Two programs that migrate at once wait for each other (PostgreSQL, "Advisory Locks"). The
/// number is "rummage" in ASCII.
const LOCK: i64 = 0x0072_756d_6d61_6765;

impl Database {
    /// Creates the tables, or migrates those of an earlier version. Returns the version before,
    /// 0 if there was none.
    ///
    /// # Errors
    /// [`FleetError::Newer`] if they are of a later version; otherwise as PostgreSQL says. Then,
    /// nothing has changed.
    pub async fn prepare(&self) -> Result<i32, FleetError> {
        self.migrate(MIGRATIONS).await
    }

    async fn migrate(&self, steps: &[(i32, &str)]) -> Result<i32, FleetError> {
        let known = steps.last().map_or(0, |(version, _)| *version);
        limited(async {
            let mut taken = self.take().await?;
            let transaction = taken.client().transaction().await?;
            transaction.execute("SELECT pg_advisory_xact_lock($1)", &[&LOCK]).await?;
            transaction
                .batch_execute(
                    "CREATE SCHEMA IF NOT EXISTS rummage;
                     CREATE TABLE IF NOT EXISTS rummage.fleet (
                         version integer NOT NULL,
                         id      uuid NOT NULL DEFAULT gen_random_uuid()
                     )",
                )
                .await?;
            let row = transaction.query_opt("SELECT version FROM rummage.fleet", &[]).await?;
            let before: i32 = row.map_or(0, |row| row.get(0));
            if before > known {
                return Err(FleetError::Newer { found: before, known });
            }
            for (_, sql) in steps.iter().filter(|(version, _)| *version > before) {
                transaction.batch_execute(sql).await?;
            }
            let statement = match before {
                0 => "INSERT INTO rummage.fleet (version) VALUES ($1)",
                _ => "UPDATE rummage.fleet SET version = $1",
            };
            transaction.execute(statement, &[&known]).await?;
            transaction.commit().await?;
            taken.done();
            Ok(before)
        })
        .await
    }

    /// Checks that the tables are of the version that this program needs. Returns what
    /// identifies this fleet.
    ///
    /// # Errors
    /// [`FleetError::Unprepared`], [`FleetError::Older`] or [`FleetError::Newer`] if they are not.
    pub async fn check(&self) -> Result<String, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let row = taken
                .client()
                .query_opt("SELECT version, id::text FROM rummage.fleet", &[])
                .await?
                .ok_or(FleetError::Unprepared)?;
            taken.done();
            let (found, known): (i32, i32) = (row.get(0), VERSION);
            match found {
                _ if found < known => Err(FleetError::Older { found, known }),
                _ if found > known => Err(FleetError::Newer { found, known }),
                _ => Ok(row.get(1)),
            }
        })
        .await
    }
}
