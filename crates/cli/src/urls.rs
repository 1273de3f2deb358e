//! What a host name or URL on the command line stands for.

use std::path::Path;

use rummage_core::url::network::is_loopback;
use url::Url;

use crate::failure::Failure;

/// Whether a start names a folder or a file: by its form, or because it exists.
pub(crate) fn is_folder(start: &str) -> bool {
    !start.contains("://") && (starts_like_path(start) || Path::new(start).is_dir())
}

pub(crate) fn starts_like_path(start: &str) -> bool {
    start.starts_with(['.', '/', '\\', '~'])
}

/// The host of a URL, with its port unless that is the default.
pub(crate) fn host(url: &Url) -> String {
    let host = url.host_str().unwrap_or_default();
    url.port().map_or_else(|| host.to_owned(), |port| format!("{host}:{port}"))
}

/// The URLs to try, in order.
pub(crate) fn candidates(start: &str) -> Result<Vec<Url>, Failure> {
    let start = start.trim();
    if start.is_empty() {
        return Err(wrong("the start URL is empty", "Give a URL or a host name."));
    }
    if start.contains("://") {
        return url(start).map(|url| vec![url]);
    }
    if is_folder(start) {
        return Err(wrong(
            &format!("{start} is a folder or a file, not a URL"),
            "Give a URL such as https://www.example.test/.",
        ));
    }
    let bare = url(&format!("http://{start}"))?;
    if is_loopback(&bare) {
        return Ok(vec![bare]);
    }
    Ok(vec![url(&format!("https://{start}"))?, bare])
}

/// The URL of --as, at which local files will be published: a bare host means https.
pub(crate) fn published_at(text: &str) -> Result<Url, Failure> {
    if text.contains("://") { url(text) } else { url(&format!("https://{text}")) }
}

pub(crate) fn url(text: &str) -> Result<Url, Failure> {
    let hint =
        "Give a URL such as https://www.example.test/, or a host name such as www.example.test.";
    let url = Url::parse(text)
        .map_err(|error| wrong(&format!("{text} is not a valid URL: {error}"), hint))?;
    if !matches!(url.scheme(), "http" | "https") {
        return Err(wrong(&format!("{text} is not an http or https URL"), hint));
    }
    if !url.username().is_empty() || url.password().is_some() {
        return Err(wrong(
            "the start URL contains a user name or password, which would appear in every output",
            "Send them in a header: --header 'Authorization: env:VAR'.",
        ));
    }
    Ok(url)
}

fn wrong(what: &str, hint: &str) -> Failure {
    Failure::Usage { what: what.to_owned(), hint: hint.to_owned() }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    fn tried(start: &str) -> Vec<String> {
        candidates(start).unwrap().into_iter().map(String::from).collect()
    }

    #[test]
    fn host_names_are_tried_over_https_first_and_localhost_over_http_only() {
        assert_eq!(tried("www.a.test"), ["https://www.a.test/", "http://www.a.test/"]);
        assert_eq!(tried("a.test:8443/x"), ["https://a.test:8443/x", "http://a.test:8443/x"]);
        assert_eq!(tried("localhost:8000"), ["http://localhost:8000/"]);
        assert_eq!(tried("[::1]:8000"), ["http://[::1]:8000/"]);
        assert_eq!(tried("https://a.test/x#y"), ["https://a.test/x#y"]);
    }

    #[test]
    fn an_invalid_start_url_is_an_error() {
        for start in [
            "",
            " ",
            "./public",
            "/var/www",
            "ftp://a.test/",
            "http://",
            "http://u:p@a.test/",
            "a b",
        ] {
            assert!(candidates(start).is_err(), "{start}");
        }
    }
}
