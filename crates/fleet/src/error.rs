//! What can go wrong with the database of a fleet.

use tokio_postgres::error::SqlState;

/// Why the database could not be used. What is in it is unchanged.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum FleetError {
    /// The connection settings are invalid.
    #[error("{what}")]
    Address {
        /// What is wrong.
        what: String,
        /// What to do.
        hint: String,
    },
    /// It does not respond, refuses connections or takes no writes: this may pass.
    #[error("the database is not available: {0}")]
    Unavailable(String),
    /// It has not been prepared.
    #[error("the database has no tables of Rummage yet")]
    Unprepared,
    /// An older version of Rummage prepared it.
    #[error("the database has version {found}; this rummage needs version {known}")]
    Older {
        /// Its version.
        found: i32,
        /// The version that is needed.
        known: i32,
    },
    /// A newer version of Rummage prepared it.
    #[error("the database has version {found}; this rummage supports versions up to {known}")]
    Newer {
        /// Its version.
        found: i32,
        /// The newest known version.
        known: i32,
    },
    /// Another worker has the site now: nothing was written.
    #[error("another worker has taken over {site}")]
    LeaseLost {
        /// The site.
        site: String,
    },
    /// There is no such site.
    #[error("the fleet has no site \"{name}\"")]
    NoSuchSite {
        /// The name.
        name: String,
    },
    /// A snapshot is not what was saved.
    #[error("the saved store of {site} is damaged: {why}")]
    DamagedSnapshot {
        /// The site.
        site: String,
        /// What is wrong with it.
        why: String,
    },
    /// A row has a value that this version does not know.
    #[error("the database is damaged: {0}")]
    Damaged(String),
    /// A file could not be read or written.
    #[error("{what}: {reason}")]
    File {
        /// What could not be done.
        what: String,
        /// The system's message.
        reason: std::io::Error,
    },
    /// All other errors are those of PostgreSQL.
    #[error("{}", sentence(.0))]
    Sql(tokio_postgres::Error),
}

impl FleetError {
    /// Whether the same may succeed later, without anyone doing anything here.
    #[must_use]
    pub fn may_pass(&self) -> bool {
        matches!(self, FleetError::Unavailable(_))
    }

    /// What to do.
    #[must_use]
    pub fn hint(&self) -> &str {
        match self {
            FleetError::Address { hint, .. } => hint,
            FleetError::Unavailable(_) => {
                "Check that PostgreSQL runs, and the host, port and database in the URL."
            }
            FleetError::Unprepared | FleetError::Older { .. } => {
                "Prepare it with a role that may create tables: rummage fleet prepare"
            }
            FleetError::Newer { .. } => "Use the newer rummage on every machine.",
            FleetError::LeaseLost { .. } => "It goes on there; nothing needs to be done.",
            FleetError::NoSuchSite { .. } => "rummage fleet sites lists them.",
            FleetError::DamagedSnapshot { .. } => {
                "Discard it, and the site is crawled anew: rummage fleet sites reset NAME"
            }
            FleetError::Damaged(_) | FleetError::File { .. } | FleetError::Sql(_) => "",
        }
    }
}

impl From<tokio_postgres::Error> for FleetError {
    fn from(error: tokio_postgres::Error) -> FleetError {
        let Some(code) = error.code() else {
            return of_connection(error);
        };
        if *code == SqlState::UNDEFINED_TABLE || *code == SqlState::INVALID_SCHEMA_NAME {
            return FleetError::Unprepared;
        }
        // PostgreSQL, appendix A: connection exceptions, insufficient resources, operator
        // intervention, transaction rollbacks; and what a server says that takes no writes.
        let passes = ["08", "53", "57", "40"].iter().any(|class| code.code().starts_with(class))
            || *code == SqlState::READ_ONLY_SQL_TRANSACTION;
        if passes { FleetError::Unavailable(sentence(&error)) } else { FleetError::Sql(error) }
    }
}

/// An error without a response of the server.
fn of_connection(error: tokio_postgres::Error) -> FleetError {
    let what = sentence(&error);
    if what.contains("certificate") {
        return FleetError::Address {
            what: format!("the database cannot be trusted: {what}"),
            hint:
                "Name the file with its issuer's certificate in SSL_CERT_FILE, or check the host."
                    .to_owned(),
        };
    }
    let source = std::error::Error::source(&error);
    let is_io = source.is_some_and(|source| source.is::<std::io::Error>());
    // All other errors are ours, such as a wrong type: to try again would change nothing.
    let passes = ["error connecting", "timeout", "error communicating", "error performing TLS"];
    if error.is_closed() || is_io || passes.iter().any(|start| what.contains(start)) {
        return FleetError::Unavailable(what);
    }
    FleetError::Sql(error)
}

/// The message of the server, or of the connection, without the source text around it.
fn sentence(error: &tokio_postgres::Error) -> String {
    if let Some(of_server) = error.as_db_error() {
        return of_server.message().to_owned();
    }
    let mut text = error.to_string();
    let mut source = std::error::Error::source(error);
    while let Some(cause) = source {
        let more = cause.to_string();
        if !text.contains(&more) {
            text = format!("{text}: {more}");
        }
        source = cause.source();
    }
    text
}
