//! A connection to the database: opened when it is needed, and again after it has failed.

use std::collections::HashMap;
use std::time::Duration;

use rustls_platform_verifier::BuilderVerifierExt;
use tokio::sync::{Mutex, MutexGuard};
use tokio_postgres::config::SslMode;
use tokio_postgres::{Client, NoTls, Statement};
use tokio_postgres_rustls::MakeRustlsConnect;

use crate::address::Address;
use crate::error::FleetError;

/// Work that takes longer than this has failed: the server may be gone without a word.
const LIMIT: Duration = Duration::from_secs(30);

/// The database of a fleet. One thing at a time is done with it.
pub struct Database {
    address: Address,
    tls: Option<MakeRustlsConnect>,
    /// What is written by it may be lost with the server, if that makes it faster.
    is_relaxed: bool,
    open: Mutex<Option<Open>>,
}

/// An open connection.
struct Open {
    client: Client,
    /// Statements that are used again and again.
    prepared: HashMap<&'static str, Statement>,
}

impl std::fmt::Debug for Database {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Database").field("address", &self.address).finish_non_exhaustive()
    }
}

impl Database {
    /// The database at this address. Nothing is connected yet.
    ///
    /// # Errors
    /// [`FleetError::Address`] if the system has no certificates to check those of servers with.
    pub fn at(address: Address) -> Result<Database, FleetError> {
        let tls = match address.config.get_ssl_mode() {
            SslMode::Disable => None,
            _ => Some(tls()?),
        };
        Ok(Database { address, tls, is_relaxed: false, open: Mutex::new(None) })
    }

    /// The same, for what may be lost if the server crashes: it is written without waiting for
    /// the disk (PostgreSQL, "Asynchronous Commit").
    #[must_use]
    pub fn relaxed(self) -> Database {
        Database { is_relaxed: true, ..self }
    }

    /// Where it is.
    #[must_use]
    pub fn address(&self) -> &Address {
        &self.address
    }

    /// Takes the connection for one piece of work, and opens it if necessary.
    pub(crate) async fn take(&self) -> Result<Taken<'_>, FleetError> {
        let mut open = self.open.lock().await;
        if open.as_ref().is_none_or(|open| open.client.is_closed()) {
            let client = self.connect().await?;
            if self.is_relaxed {
                client.batch_execute("SET synchronous_commit = off").await?;
            }
            *open = Some(Open { client, prepared: HashMap::new() });
        }
        Ok(Taken { open, is_sound: false })
    }

    async fn connect(&self) -> Result<Client, FleetError> {
        // The task ends when the client is dropped, or with the connection: the client then says
        // that it is closed.
        match &self.tls {
            None => {
                let (client, connection) = self.address.config.connect(NoTls).await?;
                tokio::spawn(connection);
                Ok(client)
            }
            Some(tls) => {
                let (client, connection) = self.address.config.connect(tls.clone()).await?;
                tokio::spawn(connection);
                Ok(client)
            }
        }
    }
}

fn tls() -> Result<MakeRustlsConnect, FleetError> {
    let wrong = |error: rustls::Error| FleetError::Address {
        what: format!("encrypted connections are not possible: {error}"),
        hint: "Install the certificates of your system (ca-certificates).".to_owned(),
    };
    let provider = std::sync::Arc::new(rustls::crypto::ring::default_provider());
    let config = rustls::ClientConfig::builder_with_provider(provider)
        .with_safe_default_protocol_versions()
        .and_then(BuilderVerifierExt::with_platform_verifier)
        .map_err(wrong)?
        .with_no_client_auth();
    Ok(MakeRustlsConnect::new(config))
}

/// The connection, taken for one piece of work. Unless that ends with [`done`](Taken::done), the
/// connection is given up: it may be in the middle of something.
pub(crate) struct Taken<'a> {
    open: MutexGuard<'a, Option<Open>>,
    is_sound: bool,
}

impl Taken<'_> {
    fn open(&mut self) -> &mut Open {
        self.open.as_mut().expect("it is connected when it is taken")
    }

    pub(crate) fn client(&mut self) -> &mut Client {
        &mut self.open().client
    }

    /// A statement, prepared when it is used first.
    pub(crate) async fn prepared(&mut self, sql: &'static str) -> Result<Statement, FleetError> {
        let open = self.open();
        if let Some(known) = open.prepared.get(sql) {
            return Ok(known.clone());
        }
        let statement = open.client.prepare(sql).await?;
        open.prepared.insert(sql, statement.clone());
        Ok(statement)
    }

    /// The work has ended well.
    pub(crate) fn done(mut self) {
        self.is_sound = true;
    }
}

impl Drop for Taken<'_> {
    fn drop(&mut self) {
        if !self.is_sound {
            *self.open = None;
        }
    }
}

/// Limits the time that work with the database takes.
pub(crate) async fn limited<T>(
    work: impl Future<Output = Result<T, FleetError>>,
) -> Result<T, FleetError> {
    within(LIMIT, work).await
}

/// The same with another limit.
pub(crate) async fn within<T>(
    limit: Duration,
    work: impl Future<Output = Result<T, FleetError>>,
) -> Result<T, FleetError> {
    match tokio::time::timeout(limit, work).await {
        Ok(result) => result,
        Err(_) => {
            let seconds = limit.as_secs();
            Err(FleetError::Unavailable(format!("no response within {seconds} seconds")))
        }
    }
}

/// How long to wait after this many failures in a row: twice as long each time, up to a minute.
#[must_use]
pub fn gap(failures: u32) -> Duration {
    Duration::from_secs(1 << failures.saturating_sub(1).min(6)).min(Duration::from_secs(60))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn gaps_grow_up_to_a_minute() {
        let seconds: Vec<u64> = (1..9).map(|failures| gap(failures).as_secs()).collect();
        assert_eq!(seconds, [1, 2, 4, 8, 16, 32, 60, 60]);
        assert_eq!(gap(u32::MAX).as_secs(), 60);
    }
}
