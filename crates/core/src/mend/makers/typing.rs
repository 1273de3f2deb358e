//! Typing errors: characters that are wrong, doubled, missing or swapped, in a segment of the path
//! or in the host name.

use url::Url;

use super::look::{Found, Look};
use crate::mend::Reason;

/// How many doubled characters are tried without.
const DOUBLED: usize = 3;

pub(super) fn make(look: &Look<'_>, found: &mut Found<'_>) {
    let mut any = false;
    for (at, segment) in look.parts.stems.iter().enumerate() {
        for (edits, other) in look.known.segments_like(segment) {
            for id in look.known.with_key(look.parts.key_replacing(at, other)) {
                any = true;
                found.offer_known(*id, Reason::Typing { edits }, plausibility(edits, other));
            }
        }
    }
    for (edits, host) in look.known.hosts_like(&look.parts.host) {
        let reason = Reason::HostTyping { edits };
        let score = plausibility(edits, host);
        for id in look.known.with_key(look.parts.key_on(host)) {
            found.offer_known(*id, reason, score + 4);
        }
        for url in on_host(look, host) {
            found.offer(url, reason, score - 2);
        }
    }
    if !any && look.guesses {
        for url in without_doubled(look.url) {
            found.offer(url, Reason::Typing { edits: 1 }, 80);
        }
    }
}

/// The longer the word, the less likely is it that it differs by chance.
fn plausibility(edits: u8, word: &str) -> u8 {
    let base = if edits == 1 { 84 } else { 72 };
    base + u8::try_from(word.chars().count().min(12) / 2).unwrap_or_default()
}

/// The URL on another host: with and without `www.`, if a known URL has that host. If none has,
/// `www.` is there only if the URL itself has it.
fn on_host(look: &Look<'_>, host: &str) -> Vec<String> {
    let mut all = Vec::new();
    let has_www = look.url.host_str().is_some_and(|host| host.starts_with("www."));
    for name in [format!("www.{host}"), host.to_owned()] {
        let known = ["https", "http"]
            .into_iter()
            .find(|scheme| look.known.has_prefix(&format!("{scheme}://{name}/")));
        let Some(scheme) =
            known.or((has_www == name.starts_with("www.")).then(|| look.url.scheme()))
        else {
            continue;
        };
        let after = &look.url[url::Position::BeforePath..];
        if let Ok(url) = Url::parse(&format!("{scheme}://{name}{after}")) {
            all.push(url.into());
        }
    }
    all
}

/// The URL without one of its doubled characters.
fn without_doubled(url: &Url) -> Vec<String> {
    let path = url.path();
    let doubled = path.as_bytes().windows(2).enumerate().filter(|(_, pair)| {
        pair[0] == pair[1] && (pair[0].is_ascii_alphabetic() || pair[0] == b'/' || pair[0] == b'-')
    });
    let without = doubled.take(DOUBLED).map(|(at, _)| {
        let mut other = url.clone();
        other.set_path(&format!("{}{}", &path[..at], &path[at + 1..]));
        other.into()
    });
    without.collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_words_and_single_errors_are_more_plausible() {
        for (edits, word, expected) in
            [(1, "ab", 85), (1, "towpath", 87), (1, "a-very-long-name", 90), (2, "towpath", 75)]
        {
            assert_eq!(plausibility(edits, word), expected, "{edits} in {word}");
        }
    }
}
