//! The keys for how a patrol watches a site, and who is notified.

use std::time::Duration;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::hours::Hours;
use crate::values::{Interval, Time};

/// How a site is watched, and who is notified of changes.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(default, rename_all = "kebab-case")]
pub(crate) struct Watching {
    /// Time from the start of one crawl to the start of the next
    #[schemars(with = "Option<String>")]
    pub(crate) crawl_every: Option<Interval>,
    /// Hours of the day in which a patrol makes no requests
    #[schemars(with = "Vec<String>")]
    pub(crate) quiet_hours: Vec<Hours>,
    /// Requests per hour after which a patrol waits
    #[schemars(range(min = 1))]
    pub(crate) patrol_per_hour: Option<u64>,
    /// Recipients of digests by email
    pub(crate) digest_to: Vec<String>,
    /// Sender of digests by email
    pub(crate) digest_from: Option<String>,
    /// The mail server
    pub(crate) digest_server: Option<String>,
    /// How the connection to it is secured
    pub(crate) digest_security: Option<SecurityChoice>,
    /// User name on the mail server
    pub(crate) digest_user: Option<String>,
    /// Environment variable that holds the password
    #[schemars(with = "Option<String>")]
    pub(crate) digest_password: Option<Variable>,
    /// Command that receives each digest as JSON
    pub(crate) digest_command: Vec<String>,
    /// How long it may take to send a digest
    #[schemars(with = "Option<String>")]
    pub(crate) digest_timeout: Option<Time>,
    /// Minimum time between two checks before a temporary failure is reported
    #[schemars(with = "Option<String>")]
    pub(crate) digest_apart: Option<Time>,
}

/// How the connection to a mail server is secured.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum SecurityChoice {
    Starttls,
    Tls,
    None,
}

/// `env:NAME`: secrets are kept in the environment, never in a file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Variable(pub(crate) String);

impl TryFrom<String> for Variable {
    type Error = String;

    fn try_from(text: String) -> Result<Variable, String> {
        match text.strip_prefix("env:") {
            Some(name) if !name.is_empty() => Ok(Variable(name.to_owned())),
            _ => Err("passwords are not allowed in the file; give env: and the name of an environment variable".into()),
        }
    }
}

impl From<Variable> for String {
    fn from(Variable(name): Variable) -> String {
        format!("env:{name}")
    }
}

/// The default time that it may take to send a digest.
const DELIVERY: Duration = Duration::from_secs(60);
/// The default time from the start of one crawl to the start of the next.
const EVERY: Duration = Duration::from_secs(24 * 60 * 60);

impl Watching {
    pub(crate) fn or(self, below: Watching) -> Watching {
        fn list<T>(own: Vec<T>, below: Vec<T>) -> Vec<T> {
            if own.is_empty() { below } else { own }
        }
        Watching {
            crawl_every: self.crawl_every.or(below.crawl_every),
            quiet_hours: list(self.quiet_hours, below.quiet_hours),
            patrol_per_hour: self.patrol_per_hour.or(below.patrol_per_hour),
            digest_to: list(self.digest_to, below.digest_to),
            digest_from: self.digest_from.or(below.digest_from),
            digest_server: self.digest_server.or(below.digest_server),
            digest_security: self.digest_security.or(below.digest_security),
            digest_user: self.digest_user.or(below.digest_user),
            digest_password: self.digest_password.or(below.digest_password),
            digest_command: list(self.digest_command, below.digest_command),
            digest_timeout: self.digest_timeout.or(below.digest_timeout),
            digest_apart: self.digest_apart.or(below.digest_apart),
        }
    }

    /// The interval between two crawls, in seconds.
    pub(crate) fn every(&self) -> i64 {
        seconds(self.crawl_every.map_or(EVERY, |Interval(time)| time))
    }

    /// How long it may take to send a digest.
    pub(crate) fn time_limit(&self) -> Duration {
        self.digest_timeout.map_or(DELIVERY, |Time(time)| time)
    }

    /// The minimum time between two checks before a temporary failure is reported, in seconds.
    pub(crate) fn apart(&self) -> i64 {
        let default = rummage_core::schedule::notifications::APART;
        self.digest_apart
            .map_or(default, |Time(time)| i64::try_from(time.as_secs()).unwrap_or(default))
    }
}

fn seconds(time: Duration) -> i64 {
    i64::try_from(time.as_secs().max(1)).unwrap_or(i64::MAX)
}

/// The keys, with their defaults and descriptions.
pub(super) const KEYS: &[(&str, Result<&str, &str>, &str)] = &[
    (
        "crawl-every",
        Ok("\"1d\""),
        "Time from the start of one crawl to the start of the next, at least 1m",
    ),
    (
        "quiet-hours",
        Err("[\"08:00-18:00\"]"),
        "Hours of the day, in local time, in which a patrol makes no requests and sends no digests",
    ),
    (
        "patrol-per-hour",
        Err("2000"),
        "Requests per hour, by any command, after which a patrol waits until the next hour",
    ),
    (
        "digest-to",
        Err("[\"editor@example.test\"]"),
        "Recipients of digests by email, after each run that found a change",
    ),
    (
        "digest-from",
        Err("\"Rummage <rummage@example.test>\""),
        "Sender of digests; by default, the first recipient",
    ),
    (
        "digest-server",
        Err("\"mail.example.test:587\""),
        "The mail server; RUMMAGE_DIGEST_SERVER takes precedence",
    ),
    (
        "digest-security",
        Ok("\"starttls\""),
        "How the connection to it is secured: starttls, tls (default for port 465), or none",
    ),
    ("digest-user", Err("\"rummage\""), "User name on the mail server, if it requires one"),
    (
        "digest-password",
        Ok("\"env:RUMMAGE_DIGEST_PASSWORD\""),
        "Environment variable that holds that user's password",
    ),
    (
        "digest-command",
        Err("[\"./tell-the-chat.sh\"]"),
        "Command that receives each digest as JSON on standard input: the program and its arguments",
    ),
    ("digest-timeout", Ok("\"60s\""), "How long it may take to send a digest, by either way"),
    (
        "digest-apart",
        Ok("\"30m\""),
        "Minimum time between two checks before a temporary failure (no response, 5xx) is reported",
    ),
];

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn documented_defaults_are_those_in_force() {
        let text: String = KEYS
            .iter()
            .filter_map(|(name, default, _)| Some(format!("{name} = {}\n", default.ok()?)))
            .collect();
        let documented: Watching = toml::from_str(&text).unwrap();
        let none = Watching::default();
        assert_eq!((documented.every(), documented.apart()), (none.every(), none.apart()));
        assert_eq!(documented.digest_security, Some(SecurityChoice::Starttls));
    }

    #[test]
    fn a_password_in_the_file_is_rejected() {
        let error = toml::from_str::<Watching>("digest-password = \"secret\"").unwrap_err();
        assert!(error.to_string().contains("give env:"), "{error}");
        assert!(!error.message().contains("secret"), "it is not repeated: {error}");
    }
}
