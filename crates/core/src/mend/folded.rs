//! URLs without what people get wrong first: scheme, `www.`, letter case, trailing slash, index
//! page, extension. Equal when folded means nearly the same URL.

use url::Url;

use super::Reason;
use crate::url::fragment::percent_decode;

/// File name extensions, by the kind of file. A typing error in one of them is one in a common
/// ending, not in the name.
const PAGES: &[&str] = &["html", "htm", "php", "asp", "aspx", "jsp", "shtml", "xhtml", "cfm"];
const IMAGES: &[&str] =
    &["jpg", "jpeg", "png", "gif", "webp", "svg", "avif", "bmp", "tif", "tiff", "ico"];
const DOCUMENTS: &[&str] =
    &["pdf", "doc", "docx", "odt", "rtf", "txt", "xls", "xlsx", "ods", "ppt", "pptx", "odp"];
const OTHERS: &[&str] = &[
    "css", "js", "mjs", "json", "xml", "rss", "atom", "csv", "zip", "gz", "mp3", "mp4", "ogg",
    "webm", "wav", "ics", "woff", "woff2", "ttf", "md",
];
/// Names of index pages.
const INDEX: &[&str] = &["index", "default", "home", "welcome"];

/// The kind of file that an extension stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) enum Class {
    Page,
    Image,
    Document,
    /// Another extension, which stands for itself.
    Other(&'static str),
}

/// The extension of a segment of a path: its name in lower case, the kind of file, and whether it
/// had to be corrected.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Extension {
    pub(super) name: &'static str,
    pub(super) class: Class,
    pub(super) is_misspelled: bool,
}

/// Splits a segment into stem and extension.
pub(super) fn split_extension(segment: &str) -> (&str, Option<Extension>) {
    let Some((stem, ending)) = segment.rsplit_once('.') else { return (segment, None) };
    if stem.is_empty() || ending.is_empty() || ending.len() > 6 {
        return (segment, None);
    }
    let ending = ending.to_ascii_lowercase();
    let lists = [
        (PAGES, Class::Page),
        (IMAGES, Class::Image),
        (DOCUMENTS, Class::Document),
        (OTHERS, Class::Other("")),
    ];
    let extension = |name: &'static str, class, is_misspelled| {
        let class = if class == Class::Other("") { Class::Other(name) } else { class };
        Extension { name, class, is_misspelled }
    };
    for (list, class) in lists {
        if let Some(name) = list.iter().find(|name| **name == ending) {
            return (stem, Some(extension(name, class, false)));
        }
    }
    if ending.len() < 3 || ending.bytes().any(|byte| byte.is_ascii_digit()) {
        return (segment, None);
    }
    // Only the most common ones are guessed.
    let guesses = ["html", "htm", "php", "jpg", "jpeg", "png", "gif", "pdf", "docx", "webp"];
    let near = guesses.iter().find(|name| strsim::osa_distance(name, &ending) == 1);
    let Some(near) = near else { return (segment, None) };
    let class = lists.iter().find(|(list, _)| list.contains(near)).map(|(_, class)| *class);
    (stem, class.map(|class| extension(near, class, true)))
}

/// A URL, taken apart.
#[derive(Debug, Clone)]
pub(super) struct Parts {
    /// The host, without `www.`, and with its port unless that is the default.
    pub(super) host: String,
    /// The segments of the path, decoded and in lower case, without empty ones, an index page and
    /// the extension of the last.
    pub(super) stems: Vec<String>,
    pub(super) class: Class,
    query: Option<String>,
}

impl Parts {
    pub(super) fn of(url: &Url) -> Parts {
        let host = crate::url::reference::server_of(url);
        let host = host.strip_prefix("www.").unwrap_or(&host).to_owned();
        let mut stems: Vec<String> = url
            .path()
            .split('/')
            .filter(|segment| !segment.is_empty())
            .map(|segment| percent_decode(segment).to_lowercase())
            .collect();
        let mut class = Class::Page;
        if let Some(last) = stems.last_mut() {
            let (stem, extension) = split_extension(last);
            class = extension.map_or(Class::Page, |extension| extension.class);
            let is_index = class == Class::Page
                && (extension.is_some() || stem == "index")
                && INDEX.contains(&stem);
            let stem = stem.to_owned();
            if is_index {
                stems.pop();
            } else {
                *last = stem;
            }
        }
        let query = url.query().map(str::to_owned);
        Parts { host, stems, class, query }
    }

    /// Equal for URLs that differ only in form.
    pub(super) fn key(&self) -> u64 {
        self.key_with(&self.host, self.stems.iter().map(String::as_str))
    }

    /// The same with one of the segments replaced.
    pub(super) fn key_replacing(&self, at: usize, stem: &str) -> u64 {
        let stems = self.stems.iter().enumerate();
        let stems = stems.map(|(number, own)| if number == at { stem } else { own });
        self.key_with(&self.host, stems)
    }

    /// The same on another host.
    pub(super) fn key_on(&self, host: &str) -> u64 {
        self.key_with(host, self.stems.iter().map(String::as_str))
    }

    fn key_with<'a>(&self, host: &str, stems: impl Iterator<Item = &'a str>) -> u64 {
        let mut text = host.to_owned();
        for stem in stems {
            text.push('/');
            text.push_str(stem);
        }
        self.end(&mut text);
        hash(&text)
    }

    /// Equal for URLs of which at most separators differ, but none between digits.
    pub(super) fn characters_key(&self) -> Option<u64> {
        let mut text = format!("{} ", self.host);
        let before = text.len();
        text.push_str(&characters_of(&self.stems.join("/")));
        if text.len() < before + 4 {
            return None;
        }
        self.end(&mut text);
        Some(hash(&text))
    }

    /// Equal for files of the same name, wherever they are. `None` for the home page.
    pub(super) fn tail_key(&self) -> Option<u64> {
        let mut text = self.stems.last()?.clone();
        self.end(&mut text);
        Some(hash(&text))
    }

    /// How many segments at the end are the same.
    pub(super) fn common_tail(&self, other: &Parts) -> usize {
        let pairs = self.stems.iter().rev().zip(other.stems.iter().rev());
        pairs.take_while(|(one, other)| one == other).count()
    }

    fn end(&self, text: &mut String) {
        match self.class {
            Class::Page => {}
            Class::Image => text.push_str("|image"),
            Class::Document => text.push_str("|document"),
            Class::Other(name) => {
                text.push('|');
                text.push_str(name);
            }
        }
        if let Some(query) = &self.query {
            text.push('?');
            text.push_str(query);
        }
    }
}

/// A text in lower case, without separators, except between digits: 18-42 is not 1842.
pub(super) fn characters_of(text: &str) -> String {
    let mut kept = String::with_capacity(text.len());
    let mut is_cut = false;
    for c in text.chars() {
        if !c.is_alphanumeric() {
            is_cut = true;
            continue;
        }
        if std::mem::take(&mut is_cut)
            && c.is_ascii_digit()
            && kept.ends_with(|last: char| last.is_ascii_digit())
        {
            kept.push(' ');
        }
        kept.extend(c.to_lowercase());
    }
    kept
}

fn hash(text: &str) -> u64 {
    xxhash_rust::xxh3::xxh3_64(text.as_bytes())
}

/// What differs between two URLs that are equal when folded: the greatest of the differences, and
/// their number.
pub(super) fn difference(one: &Url, other: &Url) -> (Reason, usize) {
    let mut found = Vec::new();
    let lower = |url: &Url| percent_decode(url.path()).to_lowercase();
    let (path, other_path) = (percent_decode(one.path()), percent_decode(other.path()));
    let bare = |path: &str| path.trim_end_matches('/').to_owned();
    if bare(&path) != bare(&other_path) {
        if bare(&lower(one)) == bare(&lower(other)) {
            found.push(Reason::Case);
        } else {
            let stem = |path: &str| {
                let last = path.rsplit('/').next().unwrap_or_default().to_lowercase();
                split_extension(&last).0.to_owned()
            };
            let is_index = |path: &str| INDEX.contains(&stem(path).as_str());
            let is_extension = stem(&bare(&path)) == stem(&bare(&other_path));
            if !is_extension && (is_index(&path) || is_index(&other_path)) {
                found.push(Reason::Index);
            } else if is_extension {
                found.push(Reason::Extension);
                let cut = |path: &str| split_extension(path).0.to_owned();
                if cut(&bare(&path)) != cut(&bare(&other_path)) {
                    found.push(Reason::Case);
                }
            } else {
                found.push(Reason::Separators);
            }
        }
    }
    if path.ends_with('/') != other_path.ends_with('/') && found.is_empty() {
        found.push(Reason::Slash);
    }
    if one.host_str() != other.host_str() {
        found.push(Reason::Www);
    }
    if one.scheme() != other.scheme() {
        found.push(Reason::Scheme);
    }
    (found.first().copied().unwrap_or(Reason::Separators), found.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn parts(url: &str) -> Parts {
        Parts::of(&Url::parse(url).unwrap())
    }

    #[test]
    fn the_index_of_a_folder_is_the_folder_with_or_without_an_extension() {
        for url in ["http://a.test/docs/index", "http://a.test/docs/index.html"] {
            assert_eq!(parts(url).stems, ["docs"], "{url}");
        }
        // A page may be called so, but only index is one without an extension.
        assert_eq!(parts("http://a.test/docs/default").stems, ["docs", "default"]);
        assert_eq!(parts("http://a.test/docs/default.html").stems, ["docs"]);
    }

    #[test]
    fn urls_that_differ_in_form_are_equal_when_folded() {
        let key = parts("https://www.a.test/Paths/Lock%20House.html").key();
        for url in [
            "http://a.test/paths/lock house",
            "https://a.test/paths/lock%20house/",
            "https://a.test/paths/lock%20house/index.html",
            "https://a.test/paths/lock%20house.PHP",
            "https://a.test//paths/lock%20house.htlm",
        ] {
            assert_eq!(parts(url).key(), key, "{url}");
        }
        for url in [
            "http://b.test/paths/lock house",
            "http://a.test:8080/paths/lock house",
            "http://a.test/paths/lock house.pdf",
            "http://a.test/paths/lock house?day=1",
            "http://a.test/paths/lock",
        ] {
            assert_ne!(parts(url).key(), key, "{url}");
        }
        assert_eq!(parts("http://a.test/a.jpeg").key(), parts("http://a.test/a.PNG").key());
        assert_ne!(parts("http://a.test/a.js").key(), parts("http://a.test/a.css").key());
    }

    #[test]
    fn separators_do_not_count_in_names_that_are_long_enough() {
        let key = |path: &str| parts(&format!("http://a.test/{path}")).characters_key();
        assert_eq!(key("lock-house"), key("lock_house"));
        assert_ne!(key("lock-house"), key("lock-horse"));
        assert_eq!(key("lock/17"), key("lock_17"));
        for [one, other] in [["lock-1-7", "lock-17"], ["paths/2/3", "paths/23"]] {
            assert_ne!(key(one), key(other), "{one}");
        }
        assert!(key("a-bcd").is_some(), "four characters");
        assert_eq!(key("a-bc"), None, "three say too little");
    }

    #[test]
    fn the_greatest_difference_is_named() {
        use Reason::*;
        for (one, other, expected) in [
            ("http://a.test/x", "https://a.test/x", (Scheme, 1)),
            ("http://a.test/x", "http://www.a.test/x", (Www, 1)),
            ("http://a.test/x", "http://a.test/x/", (Slash, 1)),
            ("http://a.test/x/", "http://a.test/x/index.html", (Index, 1)),
            ("http://a.test/x.htm", "http://a.test/x.html", (Extension, 1)),
            ("http://a.test/x.html", "http://a.test/x", (Extension, 1)),
            ("http://a.test/X/y", "http://a.test/x/y", (Case, 1)),
            ("http://a.test/X.htm", "https://a.test/x.html", (Extension, 3)),
        ] {
            let url = |text| Url::parse(text).unwrap();
            assert_eq!(difference(&url(one), &url(other)), expected, "{one} {other}");
        }
    }

    #[test]
    fn extensions_are_corrected_by_one_letter() {
        for (segment, stem, name) in [
            ("a.html", "a", Some("html")),
            ("a.b.JPG", "a.b", Some("jpg")),
            ("a.htlm", "a", Some("html")),
            ("a.pfd", "a", Some("pdf")),
            ("v1.2", "v1.2", None),
            (".html", ".html", None),
            ("a.museum", "a.museum", None),
        ] {
            let (found, extension) = split_extension(segment);
            assert_eq!((found, extension.map(|e| e.name)), (stem, name), "{segment}");
        }
    }
}
