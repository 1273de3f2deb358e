//! Delivering digests: by email, or to a command.

mod command;
mod limited;
mod mail;

pub use command::hand_over;
pub use mail::{Mail, MailServer, Security, send};

/// Why something could not be delivered. It may be retried.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum DeliveryError {
    /// An email address is invalid.
    #[error("{address} is not an email address")]
    Address {
        /// The address.
        address: String,
    },
    /// The email is invalid.
    #[error("cannot write the email: {why}")]
    Email {
        /// The library's message.
        why: String,
    },
    /// The server did not accept it.
    #[error("{server} rejected it: {said}")]
    Refused {
        /// Host and port.
        server: String,
        /// Its reply, with the code.
        said: String,
    },
    /// The server could not be reached, or the connection was lost.
    #[error("cannot reach {server}: {why}")]
    Line {
        /// Host and port.
        server: String,
        /// The message of the system or the library.
        why: String,
    },
    /// The command cannot be started.
    #[error("cannot start {command}: {why}")]
    Start {
        /// Its name.
        command: String,
        /// The system's error.
        why: std::io::Error,
    },
    /// The command ended with another exit code than 0, or was killed.
    #[error("{command} ended with {how}{said}")]
    Ended {
        /// Its name.
        command: String,
        /// Its exit code, or the signal.
        how: String,
        /// The last line that it wrote to standard error, after a colon.
        said: String,
    },
    /// The command took too long.
    #[error("{command} did not end within {seconds} s, and was killed")]
    TooLong {
        /// Its name.
        command: String,
        /// The time limit.
        seconds: u64,
    },
}
