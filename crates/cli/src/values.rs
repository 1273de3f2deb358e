//! Values as users write them: durations, rates, URLs, connect rules.

use std::net::SocketAddr;
use std::time::Duration;

use rummage_core::extract::elements::Element;
use rummage_core::url::credentials::origin_of;
use rummage_core::url::query::QueryRule;
use rummage_core::url::scope::Prefix;
use rummage_engine::ConnectRule;
use serde::{Deserialize, Serialize};
use url::Url;

/// A duration: `500ms`, `20s`, `5m`, `12h`, `3d`, `4w`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Time(pub(crate) Duration);

/// In milliseconds.
const LONGEST: u64 = 3650 * 86_400_000;
const TOO_LONG: &str = "the longest duration is 3650d";

pub(crate) fn time(text: &str) -> Result<Time, String> {
    let help = "give a number and a unit, such as 500ms, 20s, 5m or 12h";
    let digits = text.find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len());
    let (number, unit) = text.split_at(digits);
    let number: u64 = number.parse().map_err(|_| help.to_owned())?;
    let millis = match unit {
        "ms" => 1,
        "s" => 1000,
        "m" | "min" => 60_000,
        "h" => 3_600_000,
        "d" => 86_400_000,
        "w" => 7 * 86_400_000,
        _ => return Err(help.to_owned()),
    };
    match number.checked_mul(millis) {
        Some(0) => Err("the duration is zero".to_owned()),
        None => Err(TOO_LONG.to_owned()),
        Some(millis) if millis > LONGEST => Err(TOO_LONG.to_owned()),
        Some(millis) => Ok(Time(Duration::from_millis(millis))),
    }
}

/// How long to wait for a response: longer would be a mistake.
pub(crate) fn patience(text: &str) -> Result<Time, String> {
    match time(text)? {
        Time(time) if time > Duration::from_secs(3600) => {
            Err("the longest time-out is 1h".to_owned())
        }
        time => Ok(time),
    }
}

/// How often something is done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Interval(pub(crate) Duration);

impl TryFrom<String> for Interval {
    type Error = String;

    fn try_from(text: String) -> Result<Interval, String> {
        match time(&text)? {
            Time(time) if time < Duration::from_secs(60) => {
                Err("the shortest interval is 1m".to_owned())
            }
            Time(time) => Ok(Interval(time)),
        }
    }
}

impl From<Interval> for String {
    fn from(Interval(time): Interval) -> String {
        String::from(Time(time))
    }
}

/// A rate, as the minimum time between two requests: `2/s`, `30/min`, `1/5s`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Rate(pub(crate) Duration);

/// The longest time between two requests.
const SLOWEST: Duration = Duration::from_secs(86_400);

pub(crate) fn rate(text: &str) -> Result<Rate, String> {
    let help = "give a number of requests and a time, such as 2/s, 30/min or 1/5s";
    let (number, unit) = text.split_once('/').ok_or(help)?;
    let number: u32 = number.parse().map_err(|_| help.to_owned())?;
    let unit = if unit.starts_with(|c: char| c.is_ascii_digit()) {
        unit.to_owned()
    } else {
        format!("1{unit}")
    };
    let Time(unit) = time(&unit).map_err(|_| help.to_owned())?;
    if number == 0 {
        return Err("the rate is zero".to_owned());
    }
    if unit / number > SLOWEST {
        return Err("the slowest rate is 1/1d".to_owned());
    }
    Ok(Rate(unit / number))
}

/// A size in bytes, with binary units: `500K`, `10M`, `1G`; `KB`, `MiB` and so on are accepted
/// too.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Size(pub(crate) usize);

pub(crate) fn size(text: &str) -> Result<Size, String> {
    let help = "give a number and a unit, such as 500K, 10M or 1G";
    let digits = text.find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len());
    let (number, unit) = text.split_at(digits);
    let number: usize = number.parse().map_err(|_| help.to_owned())?;
    let bytes = match unit.to_ascii_uppercase().as_str() {
        "" | "B" => 1,
        "K" | "KB" | "KIB" => 1 << 10,
        "M" | "MB" | "MIB" => 1 << 20,
        "G" | "GB" | "GIB" => 1 << 30,
        _ => return Err(help.to_owned()),
    };
    match number.checked_mul(bytes) {
        Some(0) => Err("the size is zero".to_owned()),
        Some(bytes) if bytes <= 1 << 30 => Ok(Size(bytes)),
        _ => Err("the maximum is 1G".to_owned()),
    }
}

/// The proxy to use: `http://host:port`, with or without a user, or `none`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Proxy(pub(crate) Option<String>);

pub(crate) fn proxy(text: &str) -> Result<Proxy, String> {
    let help = "give http://host:port, or none";
    if text == "none" {
        return Ok(Proxy(None));
    }
    let text = if text.contains("://") { text.to_owned() } else { format!("http://{text}") };
    let url = Url::parse(&text).map_err(|_| help.to_owned())?;
    match url.scheme() {
        "http" if url.has_host() => Ok(Proxy(Some(text))),
        scheme => Err(format!("only http proxies are supported, not {scheme}; {help}")),
    }
}

/// A prefix of the URLs to parse.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Within(pub(crate) Prefix);

pub(crate) fn prefix(text: &str) -> Result<Within, String> {
    Prefix::parse(text).map(Within).map_err(|error| {
        format!("{error}; give a path such as /docs/, or a host such as shop.example.test")
    })
}

/// What to do with query strings: `keep`, `drop`, `drop:NAME,…`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Query(pub(crate) QueryRule);

pub(crate) fn query(text: &str) -> Result<Query, String> {
    match text {
        "keep" => Ok(Query(QueryRule::Keep)),
        "drop" => Ok(Query(QueryRule::Drop)),
        _ => {
            let help = "give keep, drop, or drop: and names separated by commas";
            let names = text.strip_prefix("drop:").ok_or(help)?;
            let names: Vec<String> = names.split(',').map(str::to_owned).collect();
            if names.iter().any(String::is_empty) {
                return Err(help.to_owned());
            }
            Ok(Query(QueryRule::DropNames(names)))
        }
    }
}

impl From<Query> for String {
    fn from(Query(rule): Query) -> String {
        match rule {
            QueryRule::Keep => "keep".to_owned(),
            QueryRule::Drop => "drop".to_owned(),
            QueryRule::DropNames(names) => format!("drop:{}", names.join(",")),
        }
    }
}

/// The name of an element that can contain a link.
pub(crate) fn element(text: &str) -> Result<String, String> {
    let name = text.trim().to_ascii_lowercase();
    if Element::named(&name).is_none() {
        return Err("no element of this name has links; give names such as a, img, link".to_owned());
    }
    Ok(name)
}

/// A URL of an origin that receives credentials.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Named(pub(crate) Url);

pub(crate) fn named(text: &str) -> Result<Named, String> {
    let help = "give a URL with its scheme and host, such as https://images.example.test/";
    match Url::parse(text) {
        Ok(url) if matches!(url.scheme(), "http" | "https") => Ok(Named(url)),
        _ => Err(help.to_owned()),
    }
}

/// Where to connect for a host.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Connect(pub(crate) ConnectRule);

pub(crate) fn connect(text: &str) -> Result<Connect, String> {
    let help = "give a host, = and an IP address with a port, such as www.a.test=127.0.0.1:8080";
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

/// Implements reading from text for the command line and the settings file.
macro_rules! read_from_text {
    ($($type:ty: $read:ident),*) => {$(
        impl TryFrom<String> for $type {
            type Error = String;

            fn try_from(text: String) -> Result<$type, String> {
                $read(&text)
            }
        }
    )*};
}

read_from_text!(Time: time, Rate: rate, Size: size, Proxy: proxy, Within: prefix, Query: query,
    Named: named, Connect: connect);

impl From<Time> for String {
    fn from(Time(time): Time) -> String {
        let millis = time.as_millis();
        let units = [(86_400_000, "d"), (3_600_000, "h"), (60_000, "m"), (1000, "s")];
        let unit = units.iter().find(|(many, _)| millis % many == 0 && millis >= *many);
        unit.map_or(format!("{millis}ms"), |(many, unit)| format!("{}{unit}", millis / many))
    }
}

impl From<Rate> for String {
    fn from(Rate(gap): Rate) -> String {
        let nanos = gap.as_nanos().max(1);
        match 1_000_000_000 / nanos {
            many if many > 0 && 1_000_000_000 / many == nanos => format!("{many}/s"),
            _ => format!("1/{}", String::from(Time(gap))),
        }
    }
}

impl From<Size> for String {
    fn from(Size(size): Size) -> String {
        let units = [(1 << 30, "G"), (1 << 20, "M"), (1 << 10, "K")];
        let unit = units.iter().find(|(many, _)| size % many == 0 && size >= *many);
        unit.map_or(size.to_string(), |(many, unit)| format!("{}{unit}", size / many))
    }
}

impl From<Within> for String {
    fn from(Within(prefix): Within) -> String {
        prefix.as_str().to_owned()
    }
}

impl From<Proxy> for String {
    fn from(Proxy(proxy): Proxy) -> String {
        proxy.unwrap_or_else(|| "none".to_owned())
    }
}

impl From<Named> for String {
    fn from(Named(url): Named) -> String {
        origin_of(&url)
    }
}

/// `a, b or c`.
pub(crate) fn one_of(names: &[&str]) -> String {
    match names {
        [] => String::new(),
        [one] => (*one).to_owned(),
        [rest @ .., last] => format!("{} or {last}", rest.join(", ")),
    }
}

/// The name the user probably meant, if one is similar.
pub(crate) fn nearest<'a>(
    written: &str,
    names: impl IntoIterator<Item = &'a str>,
) -> Option<&'a str> {
    let distance = |name: &'a str| (strsim::damerau_levenshtein(written, name), name);
    let (distance, name) = names.into_iter().map(distance).min()?;
    (distance <= 2.max(written.len() / 3)).then_some(name)
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
        assert_eq!(time("4w"), Ok(Time(Duration::from_secs(4 * 7 * 86_400))));
        for text in ["", "5", "s", "0s", "-1s", "5 s", "1.5s", "99999999999999999d", "5fortnights"]
        {
            assert!(time(text).is_err(), "{text}");
        }
    }

    #[test]
    fn values_round_trip() {
        for text in ["500ms", "20s", "5m", "12h", "3d"] {
            assert_eq!(String::from(time(text).unwrap()), text);
        }
        for text in ["2/s", "1/2s", "1/5s", "1/500ms"] {
            let rate = rate(text).unwrap();
            assert_eq!(super::rate(&String::from(rate)), Ok(rate), "{text}");
        }
        for text in ["10M", "500K", "1G", "7"] {
            assert_eq!(String::from(size(text).unwrap()), text);
        }
        assert_eq!(String::from(proxy("none").unwrap()), "none");
    }

    #[test]
    fn similar_names_are_suggested() {
        let names = ["timeout", "rate", "gentle"];
        assert_eq!(nearest("timout", names), Some("timeout"));
        assert_eq!(nearest("gentel", names), Some("gentle"));
        assert_eq!(nearest("concurrency", names), None);
        assert_eq!(one_of(&names), "timeout, rate or gentle");
    }

    #[test]
    fn rates_are_requests_per_time() {
        for (text, millis) in [("2/s", 500), ("30/min", 2000), ("1/5s", 5000), ("1/500ms", 500)] {
            assert_eq!(rate(text), Ok(Rate(Duration::from_millis(millis))), "{text}");
        }
        for text in ["2", "/s", "0/s", "2/", "2/parsec"] {
            assert!(rate(text).is_err(), "{text}");
        }
    }

    #[test]
    fn sizes_have_binary_steps() {
        for (text, bytes) in
            [("1", 1), ("500K", 512_000), ("2m", 2 << 20), ("1GiB", 1 << 30), ("3kb", 3072)]
        {
            assert_eq!(size(text), Ok(Size(bytes)), "{text}");
        }
        for text in ["", "K", "0", "0M", "2G", "1.5M", "-1", "10 M", "5T"] {
            assert!(size(text).is_err(), "{text}");
        }
    }

    #[test]
    fn query_rules_prefixes_and_elements_round_trip() {
        for text in ["keep", "drop", "drop:a", "drop:session,utm_*"] {
            assert_eq!(String::from(query(text).unwrap()), text);
        }
        for text in ["", "dorp", "drop:", "drop:a,", "drop a"] {
            assert!(query(text).is_err(), "{text}");
        }
        for text in ["/docs/", "shop.a.test", "https://a.test:8443/x"] {
            assert_eq!(String::from(prefix(text).unwrap()), text);
        }
        assert!(prefix("http://").is_err() && prefix("a b").is_err());
        assert_eq!(element(" IMG").as_deref(), Ok("img"));
        assert!(element("images").is_err());
    }

    #[test]
    fn an_origin_is_named_with_its_scheme() {
        for (text, origin) in
            [("https://A.test/x", "https://a.test"), ("http://a.test:8080", "http://a.test:8080")]
        {
            assert_eq!(String::from(named(text).unwrap()), origin);
        }
        for text in ["a.test", "ftp://a.test/", "https://", "*"] {
            assert!(named(text).is_err(), "{text}");
        }
    }

    #[test]
    fn connect_rules_round_trip() {
        for text in ["www.a.test=127.0.0.1:8080", "*.test:443=[::1]:9", "a.test=10.0.0.1:80"] {
            assert_eq!(String::from(connect(text).unwrap()), text);
        }
        for text in ["a.test", "=127.0.0.1:1", "a.test=127.0.0.1", "a.test:x=127.0.0.1:1"] {
            assert!(connect(text).is_err(), "{text}");
        }
    }
}
