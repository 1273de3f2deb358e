//! The headers of a response, as far as they are used.

use std::time::{Duration, SystemTime};

use http::header::{self, HeaderMap, HeaderName};
use rummage_core::evidence::{ResponseHead, SetCookie};
use rummage_core::extract::robots_meta::says_noindex;
use rummage_core::extract::signs::Signs;
use rummage_core::url::userinfo::masked;
use xxhash_rust::xxh3::xxh3_64;

/// Longer cookies are ignored (RFC 6265 §6.1).
const LONGEST_COOKIE: usize = 8 * 1024;
/// RFC 6265 §6.1.
const MOST_COOKIES: usize = 50;

/// The head of a response.
pub(crate) fn answer(status: u16, headers: &HeaderMap, now: SystemTime) -> ResponseHead {
    let content_type = text(headers, &header::CONTENT_TYPE).unwrap_or_default();
    let mut parts = content_type.split(';').map(str::trim);
    let media_type = parts.next().filter(|name| !name.is_empty()).map(str::to_ascii_lowercase);
    let charset = parts.find_map(|parameter| {
        let (name, value) = parameter.split_once('=')?;
        name.trim()
            .eq_ignore_ascii_case("charset")
            .then(|| value.trim().trim_matches('"').to_owned())
    });
    let mut answer = ResponseHead {
        certificate_left: None,
        status,
        media_type,
        charset,
        length: text(headers, &header::CONTENT_LENGTH).and_then(|length| length.parse().ok()),
        location: text(headers, &header::LOCATION).map(|to| masked(&to).into_owned()),
        server: text(headers, &header::SERVER),
        etag: text(headers, &header::ETAG),
        last_modified: text(headers, &header::LAST_MODIFIED),
        unchanged: false,
        truncated: false,
        retry_after: retry_after(headers, now),
        challenge: is_challenge(headers),
        upgrades: upgrades(headers),
        noindex: noindex(headers),
        local: false,
        cookies: Vec::new(),
        signs: Signs::default(),
    };
    // They are only needed on the way to another URL.
    if answer.is_redirect() {
        answer.cookies = cookies(headers, now);
    }
    answer
}

/// The value of a header; bytes that are not UTF-8 are read as Latin-1, as in browsers.
pub(crate) fn text(headers: &HeaderMap, name: &HeaderName) -> Option<String> {
    headers.get(name).map(value)
}

fn value(value: &http::HeaderValue) -> String {
    let value = value.as_bytes();
    match std::str::from_utf8(value) {
        Ok(text) => text.to_owned(),
        Err(_) => value.iter().map(|&byte| char::from(byte)).collect(),
    }
}

/// Seconds, or a date, which is relative to the response's own (RFC 9110 §10.2.3).
fn retry_after(headers: &HeaderMap, now: SystemTime) -> Option<u64> {
    let wait = text(headers, &header::RETRY_AFTER)?;
    let wait = wait.trim();
    if let Ok(seconds) = wait.parse() {
        return Some(seconds);
    }
    let until = httpdate::parse_http_date(wait).ok()?;
    let date = text(headers, &header::DATE).and_then(|date| httpdate::parse_http_date(&date).ok());
    let left = until.duration_since(date.unwrap_or(now)).unwrap_or(Duration::ZERO);
    Some(left.as_secs())
}

/// Headers of bot checks.
fn is_challenge(headers: &HeaderMap) -> bool {
    let says = |name: &str, words: &[&str]| {
        let said = headers.get(name).map(value).unwrap_or_default().to_ascii_lowercase();
        words.iter().any(|word| said.contains(word))
    };
    says("cf-mitigated", &["challenge"]) || says("x-amzn-waf-action", &["challenge", "captcha"])
}

/// Upgrade Insecure Requests §3.1.
fn upgrades(headers: &HeaderMap) -> bool {
    headers
        .get_all(header::CONTENT_SECURITY_POLICY)
        .iter()
        .any(|policy| value(policy).to_ascii_lowercase().contains("upgrade-insecure-requests"))
}

/// Each header field has rules of its own.
fn noindex(headers: &HeaderMap) -> bool {
    headers.get_all("x-robots-tag").iter().any(|rules| says_noindex(&value(rules)))
}

/// The cookies that a response sets (RFC 6265 §5.2), up to a number that no real chain needs.
fn cookies(headers: &HeaderMap, now: SystemTime) -> Vec<SetCookie> {
    let all = headers.get_all(header::SET_COOKIE).iter().map(value);
    all.filter(|cookie| cookie.len() <= LONGEST_COOKIE)
        .filter_map(|text| cookie(&text, now))
        .take(MOST_COOKIES)
        .collect()
}

fn cookie(text: &str, now: SystemTime) -> Option<SetCookie> {
    let mut parts = text.split(';');
    let (name, value) = parts.next()?.split_once('=')?;
    let (name, value) = (name.trim().to_owned(), value.trim().to_owned());
    if name.is_empty() {
        return None;
    }
    let hash = xxh3_64(value.as_bytes());
    let mut cookie = SetCookie { name, value, hash, ..SetCookie::default() };
    let (mut max_age, mut expires) = (None, None);
    for part in parts {
        let (attribute, value) = part.split_once('=').unwrap_or((part, ""));
        let value = value.trim();
        match attribute.trim().to_ascii_lowercase().as_str() {
            "max-age" => {
                let seconds = value.parse::<i64>().ok();
                max_age = seconds.map(|seconds| u64::try_from(seconds).unwrap_or(0)).or(max_age);
            }
            "expires" => {
                let left = httpdate::parse_http_date(value).map(|at| at.duration_since(now));
                expires = left.map(|left| left.unwrap_or_default().as_secs()).ok().or(expires);
            }
            "domain" => cookie.domain = Some(value.to_owned()),
            "path" => cookie.path = Some(value.to_owned()),
            "secure" => cookie.secure = true,
            _ => {}
        }
    }
    // `Max-Age` wins over `Expires` (RFC 6265 §5.3 3).
    cookie.seconds = max_age.or(expires);
    cookie.expired = cookie.seconds == Some(0);
    Some(cookie)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    fn head(headers: &[(&str, &str)]) -> HeaderMap {
        let field = |(name, value): &(&str, &str)| (name.parse().unwrap(), value.parse().unwrap());
        headers
            .iter()
            .map(field)
            .collect::<Vec<(HeaderName, http::HeaderValue)>>()
            .into_iter()
            .collect()
    }

    #[test]
    fn retry_after_is_seconds_or_a_date() {
        let now = SystemTime::UNIX_EPOCH;
        let wait = |headers: &[(&str, &str)]| retry_after(&head(headers), now);
        assert_eq!(wait(&[("retry-after", " 120 ")]), Some(120));
        let date = ("date", "Mon, 23 Nov 2026 12:00:00 GMT");
        assert_eq!(wait(&[("retry-after", "Mon, 23 Nov 2026 12:01:30 GMT"), date]), Some(90));
        assert_eq!(wait(&[("retry-after", "Mon, 23 Nov 2026 11:00:00 GMT"), date]), Some(0));
        assert_eq!(wait(&[("retry-after", "soon")]), None);
        assert_eq!(wait(&[]), None);
    }

    #[test]
    fn cookies_are_read_as_in_rfc_6265() {
        let seen = |text: &str| {
            cookie(text, SystemTime::UNIX_EPOCH + Duration::from_secs(1_700_000_000)).map(
                |cookie| {
                    let SetCookie { name, value, expired, seconds, domain, path, secure, .. } =
                        cookie;
                    let where_ =
                        format!("{} {}", domain.unwrap_or_default(), path.unwrap_or_default());
                    (format!("{name}={value}"), where_, seconds, expired, secure)
                },
            )
        };
        let cookie = |pair: &str, place: &str, seconds: Option<u64>, secure| {
            Some((pair.to_owned(), place.to_owned(), seconds, seconds == Some(0), secure))
        };
        for (text, expected) in [
            ("seen=1; Path=/; Secure", cookie("seen=1", " /", None, true)),
            ("seen=1;domain = .a.test ;PATH=/x", cookie("seen=1", ".a.test /x", None, false)),
            ("seen=; Max-Age=0", cookie("seen=", " ", Some(0), false)),
            ("seen=; Max-Age=-5", cookie("seen=", " ", Some(0), false)),
            ("seen=x; Max-Age=60", cookie("seen=x", " ", Some(60), false)),
            ("seen=x; Max-Age=soon", cookie("seen=x", " ", None, false)),
            ("a=x; Expires=Thu, 01 Jan 1970 00:00:01 GMT", cookie("a=x", " ", Some(0), false)),
            ("a=x; Expires=Tue, 14 Nov 2023 22:14:20 GMT", cookie("a=x", " ", Some(60), false)),
            (
                "a=x; Max-Age=9; Expires=Thu, 01 Jan 1970 00:00:01 GMT",
                cookie("a=x", " ", Some(9), false),
            ),
            ("a = b=c ; x", cookie("a=b=c", " ", None, false)),
            ("nothing", None),
            ("=x", None),
        ] {
            assert_eq!(seen(text), expected, "{text}");
        }
    }

    #[test]
    fn no_response_sets_many_cookies() {
        let headers = head(&[("set-cookie", "a=1"); 99]);
        assert_eq!(cookies(&headers, SystemTime::UNIX_EPOCH).len(), MOST_COOKIES);
        let long = format!("a={}", "x".repeat(LONGEST_COOKIE));
        let headers = head(&[("set-cookie", &long), ("set-cookie", "b=1")]);
        assert_eq!(cookies(&headers, SystemTime::UNIX_EPOCH).len(), 1);
    }

    #[test]
    fn only_redirects_keep_their_cookies() {
        let headers = head(&[("set-cookie", "a=1"), ("set-cookie", "b=2")]);
        assert_eq!(answer(302, &headers, SystemTime::UNIX_EPOCH).cookies.len(), 2);
        assert_eq!(answer(200, &headers, SystemTime::UNIX_EPOCH).cookies.len(), 0);
    }
}
