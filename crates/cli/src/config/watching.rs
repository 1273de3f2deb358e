//! The keys that say how a patrol watches a site, and how people are told.

use std::time::Duration;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::hours::Hours;
use crate::values::Time;

/// How a site is watched, and who is told of what has changed.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(default, rename_all = "kebab-case")]
pub(crate) struct Watching {
    /// How long after a crawl began a patrol begins the next
    #[schemars(with = "Option<String>")]
    pub(crate) crawl_every: Option<Time>,
    /// Hours of the day in which a patrol asks nothing
    #[schemars(with = "Vec<String>")]
    pub(crate) quiet_hours: Vec<Hours>,
    /// After so many requests in an hour a patrol waits
    #[schemars(range(min = 1))]
    pub(crate) patrol_per_hour: Option<u64>,
    /// Whom digests are mailed to
    pub(crate) digest_to: Vec<String>,
    /// Whom they are from
    pub(crate) digest_from: Option<String>,
    /// The mail server
    pub(crate) digest_server: Option<String>,
    /// How the line to it is made secure
    pub(crate) digest_security: Option<SecurityChoice>,
    /// The user that it knows
    pub(crate) digest_user: Option<String>,
    /// The variable that holds the password
    #[schemars(with = "Option<String>")]
    pub(crate) digest_password: Option<Variable>,
    /// A command that gets each digest as JSON
    pub(crate) digest_command: Vec<String>,
    /// How far apart two checks must be before what may pass is told
    #[schemars(with = "Option<String>")]
    pub(crate) digest_apart: Option<Time>,
}

/// How the line to a mail server is made secure.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum SecurityChoice {
    Starttls,
    Tls,
    None,
}

/// `env:NAME`: a secret stands in the environment, never in a file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Variable(pub(crate) String);

impl TryFrom<String> for Variable {
    type Error = String;

    fn try_from(text: String) -> Result<Variable, String> {
        match text.strip_prefix("env:") {
            Some(name) if !name.is_empty() => Ok(Variable(name.to_owned())),
            _ => Err("a password stands in no file; write env: and the name of a variable".into()),
        }
    }
}

impl From<Variable> for String {
    fn from(Variable(name): Variable) -> String {
        format!("env:{name}")
    }
}

/// How long after a crawl began the next one does.
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
            digest_apart: self.digest_apart.or(below.digest_apart),
        }
    }

    /// The interval between two crawls, in seconds.
    pub(crate) fn every(&self) -> i64 {
        seconds(self.crawl_every.map_or(EVERY, |Time(time)| time))
    }

    /// How far apart two checks must be before what may pass is told, in seconds.
    pub(crate) fn apart(&self) -> i64 {
        let preset = rummage_core::schedule::notifications::APART;
        self.digest_apart
            .map_or(preset, |Time(time)| i64::try_from(time.as_secs()).unwrap_or(preset))
    }
}

fn seconds(time: Duration) -> i64 {
    i64::try_from(time.as_secs().max(1)).unwrap_or(i64::MAX)
}

/// The keys: their presets and what they do.
pub(super) const KEYS: &[(&str, Result<&str, &str>, &str)] = &[
    ("crawl-every", Ok("\"1d\""), "How long after a crawl began a patrol begins the next"),
    (
        "quiet-hours",
        Err("[\"08:00-18:00\"]"),
        "Hours of the day, by the clock of this machine, in which a patrol asks and sends nothing",
    ),
    (
        "patrol-per-hour",
        Err("2000"),
        "After so many requests in an hour, by whatever command, a patrol waits and goes on in the next",
    ),
    (
        "digest-to",
        Err("[\"editor@example.test\"]"),
        "Whom digests are mailed to, after each run that saw a change",
    ),
    (
        "digest-from",
        Err("\"Rummage <rummage@example.test>\""),
        "Whom digests are from; without it, the first of those whom they go to",
    ),
    (
        "digest-server",
        Err("\"mail.example.test:587\""),
        "The mail server that takes them; RUMMAGE_DIGEST_SERVER goes before it",
    ),
    (
        "digest-security",
        Ok("\"starttls\""),
        "How the line to it is made secure: starttls, tls (the preset of port 465), or none",
    ),
    ("digest-user", Err("\"rummage\""), "The user that the mail server knows, where it wants one"),
    (
        "digest-password",
        Ok("\"env:RUMMAGE_DIGEST_PASSWORD\""),
        "The variable that holds the password of that user",
    ),
    (
        "digest-command",
        Err("[\"./tell-the-chat.sh\"]"),
        "A command that gets each digest as JSON on standard input: the program and its words",
    ),
    (
        "digest-apart",
        Ok("\"30m\""),
        "How far apart two checks must be before what may pass (no answer, 5xx) is told",
    ),
];

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn the_presets_that_are_told_are_those_that_hold() {
        let text: String = KEYS
            .iter()
            .filter_map(|(name, preset, _)| Some(format!("{name} = {}\n", preset.ok()?)))
            .collect();
        let told: Watching = toml::from_str(&text).unwrap();
        let none = Watching::default();
        assert_eq!((told.every(), told.apart()), (none.every(), none.apart()));
        assert_eq!(told.digest_security, Some(SecurityChoice::Starttls));
    }

    #[test]
    fn a_password_in_the_file_is_refused() {
        let error = toml::from_str::<Watching>("digest-password = \"secret\"").unwrap_err();
        assert!(error.to_string().contains("write env:"), "{error}");
        assert!(!error.message().contains("secret"), "it is not repeated: {error}");
    }
}
