//! The same URL in another form: scheme, `www.`, slash, index page, extension, letter case,
//! separators.

use url::Url;

use super::look::{Found, Look, may_pass};
use crate::mend::Reason;
use crate::mend::folded::{difference, split_extension};
use crate::verdict::Cause;

pub(super) fn make(look: &Look<'_>, found: &mut Found<'_>) {
    for id in look.known.with_key(look.parts.key()) {
        let Ok(other) = Url::parse(look.known.url(*id)) else { continue };
        let (reason, differences) = difference(look.url, &other);
        let less = u8::try_from(differences.saturating_sub(1)).unwrap_or(u8::MAX);
        found.offer_known(*id, reason, plausibility(reason).saturating_sub(less.saturating_mul(3)));
    }
    for id in look.known.with_characters(&look.parts) {
        found.offer_known(*id, Reason::Separators, plausibility(Reason::Separators));
    }
    if look.guesses {
        guess(look, found);
    }
}

fn plausibility(reason: Reason) -> u8 {
    match reason {
        Reason::Scheme | Reason::Www | Reason::Slash => 95,
        Reason::Case | Reason::Index => 93,
        Reason::Extension => 91,
        _ => 87,
    }
}

/// Forms that may work though no link names them.
fn guess(look: &Look<'_>, found: &mut Found<'_>) {
    let url = look.url;
    let is_there = !matches!(
        look.fault.cause,
        Some(Cause::Nxdomain | Cause::NoAddress | Cause::PrivateAddress)
    );
    let mut offer = |url: Option<Url>, reason, score| {
        if let Some(url) = url {
            found.offer(url.into(), reason, score);
        }
    };
    if is_there {
        // From https to http is a step back, which a person decides.
        let score = if url.scheme() == "http" { 84 } else { 55 };
        offer(with_other_scheme(url), Reason::Scheme, score);
    }
    offer(with_other_www(url), Reason::Www, 83);
    if !is_there || may_pass(look.fault.cause) {
        return;
    }
    if url.path() != "/" && url.query().is_none() {
        offer(with_other_slash(url), Reason::Slash, 82);
    }
    for path in other_extensions(url.path()) {
        offer(with_path(url, &path), Reason::Extension, 81);
    }
    let lower = url.path().to_lowercase();
    if lower != url.path() && !lower.contains('%') {
        offer(with_path(url, &lower), Reason::Case, 81);
    }
}

fn with_other_scheme(url: &Url) -> Option<Url> {
    let mut other = url.clone();
    let scheme = if url.scheme() == "https" { "http" } else { "https" };
    // A port belongs to one of the schemes.
    (url.port().is_none() && other.set_scheme(scheme).is_ok()).then_some(other)
}

fn with_other_www(url: &Url) -> Option<Url> {
    let host = url.domain()?;
    let host = match host.strip_prefix("www.") {
        Some(bare) => bare.to_owned(),
        None => format!("www.{host}"),
    };
    let mut other = url.clone();
    (host.contains('.') && other.set_host(Some(&host)).is_ok()).then_some(other)
}

fn with_other_slash(url: &Url) -> Option<Url> {
    let path = match url.path().strip_suffix('/') {
        Some(bare) => bare.to_owned(),
        None if split_extension(url.path()).1.is_some() => return None,
        None => format!("{}/", url.path()),
    };
    with_path(url, &path)
}

fn with_path(url: &Url, path: &str) -> Option<Url> {
    let mut other = url.clone();
    other.set_path(path);
    (other != *url).then_some(other)
}

/// The path with an extension that is often confused with its own.
fn other_extensions(path: &str) -> Vec<String> {
    let (folder, last) = path.rsplit_once('/').unwrap_or(("", path));
    let (stem, extension) = split_extension(last);
    let Some(extension) = extension else { return Vec::new() };
    let with = |name: &str| format!("{folder}/{stem}.{name}");
    if extension.is_misspelled {
        return vec![with(extension.name)];
    }
    let others: &[&str] = match extension.name {
        "htm" => &["html"],
        "html" => &["htm", "php"],
        "jpg" => &["jpeg", "png", "webp"],
        "jpeg" => &["jpg", "png"],
        "png" => &["jpg", "webp"],
        "gif" => &["png", "jpg"],
        _ => &[],
    };
    others.iter().map(|name| with(name)).collect()
}
