//! What went wrong between the address bar and the link: pasted characters, missing, misspelled or
//! doubled schemes, percent-encoding applied twice, backslashes.

use strsim::osa_distance;
use url::Url;

use crate::mend::known::KnownUrls;
use crate::mend::{Fault, Reason};

/// URLs that the target may be meant to be.
pub(super) fn repairs(fault: &Fault, known: &KnownUrls) -> Vec<(Url, Reason)> {
    let (target, _) = fault.split();
    let mut all = Vec::new();
    let mut add = |text: &str, reason| {
        if let Ok(url) = Url::parse(text)
            && matches!(url.scheme(), "http" | "https")
            && url.as_str() != target
        {
            all.push((url, reason));
        }
    };
    let trimmed = without_pasted(target);
    if trimmed != target {
        add(&trimmed, Reason::Pasted);
    }
    if let Some(rest) = without_scheme(&trimmed) {
        let (scheme, rest) = rest;
        let reason =
            if trimmed.contains(":") { Reason::SchemeTyping } else { Reason::SchemeMissing };
        for scheme in both(scheme) {
            add(&format!("{scheme}://{rest}"), reason);
        }
    }
    for (rest, scheme, reason) in inner(&trimmed, known) {
        match scheme {
            Some(scheme) => add(&format!("{scheme}://{rest}"), reason),
            None => {
                for scheme in both("https") {
                    add(&format!("{scheme}://{rest}"), reason);
                }
            }
        }
    }
    if trimmed.contains("%25") {
        let once = trimmed.replace("%25", "%");
        let reason = Reason::EncodedTwice;
        add(&once.replace("%5C", "/").replace("%5c", "/"), reason);
        add(&once, reason);
    }
    if trimmed.to_ascii_lowercase().contains("%5c") {
        add(&trimmed.replace("%5C", "/").replace("%5c", "/"), Reason::Backslash);
    }
    all
}

/// A scheme, and the other one.
fn both(scheme: &str) -> [&str; 2] {
    if scheme == "http" { ["http", "https"] } else { ["https", "http"] }
}

/// Without blanks anywhere, and without quotes, brackets and punctuation at its ends, also
/// percent-encoded.
fn without_pasted(target: &str) -> String {
    const BLANKS: &[&str] = &["%20", "%09", "%0A", "%0D", "%C2%A0", "%E2%80%8B", "%EF%BB%BF"];
    const MARKS: &[&str] = &[
        "%22",
        "%27",
        "%3C",
        "%3E",
        "%E2%80%9C",
        "%E2%80%9D",
        "%E2%80%98",
        "%E2%80%99",
        "%E2%80%A6",
        "%60",
        "%7B",
        "%7D",
        "%5D",
        "%5B",
    ];
    let is_pasted = |c: char| {
        c.is_whitespace() || c.is_control() || "\"'<>`“”‘’…,;:.!)]}|*\u{200b}\u{feff}".contains(c)
    };
    let mut text = target;
    loop {
        let before = text;
        text = text.trim_end_matches(is_pasted);
        for coded in BLANKS.iter().chain(MARKS) {
            let at = text.len().wrapping_sub(coded.len());
            if text.get(at..).is_some_and(|end| end.eq_ignore_ascii_case(coded)) {
                text = &text[..at];
            }
        }
        if text == before {
            break;
        }
    }
    // A closing parenthesis that belongs to the URL stays.
    if target[text.len()..].starts_with(')')
        && text.matches('(').count() > text.matches(')').count()
    {
        text = &target[..=text.len()];
    }
    let text = text.trim_start_matches(|c: char| c.is_whitespace() || "\"'<(“‘`".contains(c));
    // Blanks within a malformed URL, and before or after the slashes of any.
    let mut whole: String = match Url::parse(text) {
        Ok(_) => text.to_owned(),
        Err(_) => text.chars().filter(|c| !c.is_whitespace()).collect(),
    };
    for blank in BLANKS {
        for (with, without) in [(format!("/{blank}"), "/"), (format!("{blank}/"), "/")] {
            whole = whole.replace(&with, without);
        }
    }
    whole
}

/// A malformed URL without its scheme, and the scheme that it most likely has.
fn without_scheme(text: &str) -> Option<(&'static str, &str)> {
    if Url::parse(text).is_ok_and(|url| matches!(url.scheme(), "http" | "https")) {
        return None;
    }
    let end = text.find([':', '/', ';'])?;
    let (scheme, rest) = text.split_at(end);
    let rest = rest.trim_start_matches([':', '/', ';', '\\']);
    let scheme = scheme.to_ascii_lowercase();
    let near = ["https", "http"].into_iter().min_by_key(|known| osa_distance(known, &scheme))?;
    (osa_distance(near, &scheme) <= 2 && is_host_like(rest)).then_some((near, rest))
}

/// Whether it starts with what can be a host name.
fn is_host_like(text: &str) -> bool {
    let host = text.split(['/', '?', ':']).next().unwrap_or_default();
    host.contains('.')
        && !host.starts_with('.')
        && !host.ends_with('.')
        && host.chars().all(|c| c.is_alphanumeric() || c == '-' || c == '.')
}

/// URLs within the path: a URL without its scheme is taken for a path, and a pasted one may stand
/// behind another. With their scheme, if they have one.
fn inner<'a>(text: &'a str, known: &KnownUrls) -> Vec<(&'a str, Option<&'static str>, Reason)> {
    let mut all = Vec::new();
    let Some(after) = text.find("://").map(|at| at + 3) else { return all };
    let own_host = text[after..].split('/').next().unwrap_or_default();
    // `http://http://a.test/` and `http://https//a.test/`: the host is a scheme.
    for scheme in ["https", "http"] {
        let named = text[after..].strip_prefix(scheme);
        let rest = named.and_then(|rest| {
            let bare = rest.trim_start_matches([':', '/']);
            (bare.len() < rest.len()).then_some(bare)
        });
        if let Some(rest) = rest
            && is_host_like(rest)
        {
            all.push((rest, Some(scheme), Reason::Doubled));
            return all;
        }
    }
    for (at, _) in text[after..].match_indices('/') {
        let rest = &text[after + at + 1..];
        for scheme in ["https", "http"] {
            let named = rest.strip_prefix(scheme).and_then(|rest| rest.strip_prefix(':'));
            if let Some(inner) = named.map(|rest| rest.trim_start_matches('/'))
                && is_host_like(inner)
            {
                all.push((inner, Some(scheme), Reason::Doubled));
                return all;
            }
        }
        let host = rest.split(['/', '?']).next().unwrap_or_default().to_ascii_lowercase();
        let is_host = is_host_like(rest)
            && (host.starts_with("www.") && host.matches('.').count() >= 2
                || known.has_host(&host));
        if is_host {
            let is_own = host.strip_prefix("www.").unwrap_or(&host)
                == own_host.strip_prefix("www.").unwrap_or(own_host);
            let reason = if is_own { Reason::Doubled } else { Reason::SchemeMissing };
            all.push((rest, None, reason));
            return all;
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_pasted_with_a_url_goes_and_what_belongs_to_it_stays() {
        for (target, expected) in [
            ("https://a.test/x.", "https://a.test/x"),
            ("https://a.test/x),", "https://a.test/x"),
            ("https://a.test/x%22%20", "https://a.test/x"),
            ("https://a.test/x%E2%80%9D", "https://a.test/x"),
            ("https://a.test/%20x", "https://a.test/x"),
            ("https://a.test/x%20/y", "https://a.test/x/y"),
            ("https://a.test/x\u{7}", "https://a.test/x"),
            ("\u{201c}https://a.test/x\u{201d}", "https://a.test/x"),
            ("https:// a.test/x", "https://a.test/x"),
            ("https://a.test/x_(y)", "https://a.test/x_(y)"),
            ("https://a.test/x_(y)).", "https://a.test/x_(y)"),
            ("https://a.test/a%20b", "https://a.test/a%20b"),
        ] {
            assert_eq!(without_pasted(target), expected, "{target:?}");
        }
    }

    #[test]
    fn schemes_and_hosts_are_recognized() {
        for (target, expected) in [
            ("htp://a.test/x", Some(("http", "a.test/x"))),
            ("htttps:/a.test", Some(("https", "a.test"))),
            ("http//a.test/x", Some(("http", "a.test/x"))),
            ("https;//a.test/x", Some(("https", "a.test/x"))),
            ("http://a.test/x", None),
            ("mailto:x@a.test", None),
            ("htp://nodots/x", None),
            ("ftp.x", None),
        ] {
            assert_eq!(without_scheme(target), expected, "{target}");
        }
        for (text, expected) in [
            ("a.test/x", true),
            ("a.test", true),
            ("a.test:80/", true),
            ("a.test?x", true),
            ("nodots/x", false),
            (".test", false),
            ("a.", false),
            ("a b.test", false),
        ] {
            assert_eq!(is_host_like(text), expected, "{text}");
        }
    }
}
