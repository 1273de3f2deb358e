//! Values as people write them: durations, rates, header fields, connect rules.

use std::net::SocketAddr;
use std::time::Duration;

use http::{HeaderName, HeaderValue};
use rummage_engine::ConnectRule;
use serde::{Deserialize, Serialize};

/// A duration: `500ms`, `20s`, `5m`, `12h`, `3d`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Time(pub(crate) Duration);

pub(crate) fn time(text: &str) -> Result<Time, String> {
    let help = "write a number and a unit, such as 500ms, 20s, 5m or 12h";
    let digits = text.find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len());
    let (number, unit) = text.split_at(digits);
    let number: u64 = number.parse().map_err(|_| help.to_owned())?;
    let millis = match unit {
        "ms" => 1,
        "s" => 1000,
        "m" | "min" => 60_000,
        "h" => 3_600_000,
        "d" => 86_400_000,
        _ => return Err(help.to_owned()),
    };
    match number.checked_mul(millis) {
        None => Err("that is longer than anybody can wait".to_owned()),
        Some(0) => Err("a duration of nothing leaves no time for an answer".to_owned()),
        Some(millis) => Ok(Time(Duration::from_millis(millis))),
    }
}

/// A rate, as the least time between two requests: `2/s`, `30/min`, `1/5s`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Rate(pub(crate) Duration);

pub(crate) fn rate(text: &str) -> Result<Rate, String> {
    let help = "write requests and a time, such as 2/s, 30/min or 1/5s";
    let (number, unit) = text.split_once('/').ok_or(help)?;
    let number: u32 = number.parse().map_err(|_| help.to_owned())?;
    let unit = if unit.starts_with(|c: char| c.is_ascii_digit()) {
        unit.to_owned()
    } else {
        format!("1{unit}")
    };
    let Time(unit) = time(&unit).map_err(|_| help.to_owned())?;
    if number == 0 {
        return Err("with no requests at all, nothing would be asked".to_owned());
    }
    Ok(Rate(unit / number))
}

/// A header field to send.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Header {
    pub(crate) name: HeaderName,
    pub(crate) value: HeaderValue,
}

pub(crate) fn header(text: &str) -> Result<Header, String> {
    let (name, value) = text.split_once(':').ok_or("write a name, a colon and a value")?;
    let name: HeaderName =
        name.trim().parse().map_err(|_| format!("\"{}\" is no name of a field", name.trim()))?;
    let value = value.trim();
    let value = match value.strip_prefix("env:") {
        Some(variable) => std::env::var(variable)
            .map_err(|_| format!("the environment variable {variable} is not set"))?,
        None => value.to_owned(),
    };
    let mut value: HeaderValue =
        value.parse().map_err(|_| "the value holds characters that a field cannot".to_owned())?;
    value.set_sensitive(true);
    Ok(Header { name, value })
}

/// Where to connect for a host.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Connect(pub(crate) ConnectRule);

pub(crate) fn connect(text: &str) -> Result<Connect, String> {
    let help = "write a host, = and an IP address with a port, such as www.a.test=127.0.0.1:8080";
    let (host, to) = text.split_once('=').ok_or(help)?;
    let to: SocketAddr = to.parse().map_err(|_| help.to_owned())?;
    let (host, port) = match host.rsplit_once(':') {
        Some((host, port)) => (host, Some(port.parse::<u16>().map_err(|_| help.to_owned())?)),
        None => (host, None),
    };
    if host.is_empty() {
        return Err(help.to_owned());
    }
    Ok(Connect(ConnectRule { host: host.to_ascii_lowercase(), port, to }))
}

impl From<Connect> for String {
    fn from(Connect(rule): Connect) -> String {
        let port = rule.port.map(|port| format!(":{port}")).unwrap_or_default();
        format!("{}{port}={}", rule.host, rule.to)
    }
}

impl TryFrom<String> for Connect {
    type Error = String;

    fn try_from(text: String) -> Result<Connect, String> {
        connect(&text)
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn durations_need_a_number_and_a_unit() {
        assert_eq!(time("90s"), Ok(Time(Duration::from_secs(90))));
        assert_eq!(time("500ms"), Ok(Time(Duration::from_millis(500))));
        assert_eq!(time("2h"), Ok(Time(Duration::from_secs(7200))));
        for text in ["", "5", "s", "0s", "-1s", "5 s", "1.5s", "99999999999999999d", "5fortnights"]
        {
            assert!(time(text).is_err(), "{text}");
        }
    }

    #[test]
    fn rates_are_requests_in_a_time() {
        for (text, millis) in [("2/s", 500), ("30/min", 2000), ("1/5s", 5000), ("1/500ms", 500)] {
            assert_eq!(rate(text), Ok(Rate(Duration::from_millis(millis))), "{text}");
        }
        for text in ["2", "/s", "0/s", "2/", "2/parsec"] {
            assert!(rate(text).is_err(), "{text}");
        }
    }

    #[test]
    fn connect_rules_keep_their_form() {
        for text in ["www.a.test=127.0.0.1:8080", "*.test:443=[::1]:9", "a.test=10.0.0.1:80"] {
            assert_eq!(String::from(connect(text).unwrap()), text);
        }
        for text in ["a.test", "=127.0.0.1:1", "a.test=127.0.0.1", "a.test:x=127.0.0.1:1"] {
            assert!(connect(text).is_err(), "{text}");
        }
    }

    #[test]
    fn header_fields_are_checked_before_anything_is_asked() {
        assert_eq!(header("X-Key: a b").unwrap().value, "a b");
        for text in ["X-Key", "X Key: a", "X-Key: a\nb", "X-Key: env:RUMMAGE_TEST_UNSET"] {
            assert!(header(text).is_err(), "{text}");
        }
    }
}
