//! Digests on their way out: by mail, or to a command.

mod command;
mod mail;

pub use command::hand_over;
pub use mail::{Mail, MailServer, Security, send};

/// Why something could not be delivered. It may be tried again.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum DeliveryError {
    /// An address is none.
    #[error("{address} is no mail address")]
    Address {
        /// The address.
        address: String,
    },
    /// The letter cannot be written.
    #[error("the letter cannot be written: {why}")]
    Letter {
        /// What the library says.
        why: String,
    },
    /// The server answered, and did not take it.
    #[error("{server} does not take it: {said}")]
    Refused {
        /// Host and port.
        server: String,
        /// What it said, with its code.
        said: String,
    },
    /// The server was not reached, or the line was lost.
    #[error("{server} was not reached: {why}")]
    Line {
        /// Host and port.
        server: String,
        /// What the system or the library says.
        why: String,
    },
    /// The command cannot be started.
    #[error("{command} cannot be started: {why}")]
    Start {
        /// Its name.
        command: String,
        /// What the system says.
        why: std::io::Error,
    },
    /// The command ended with another code than 0, or was ended.
    #[error("{command} ended with {how}{said}")]
    Ended {
        /// Its name.
        command: String,
        /// Its exit code, or what ended it.
        how: String,
        /// The last line that it wrote to standard error, after a colon.
        said: String,
    },
    /// The command took too long.
    #[error("{command} did not end within {seconds} s, and was ended")]
    TooLong {
        /// Its name.
        command: String,
        /// How long it had.
        seconds: u64,
    },
}
