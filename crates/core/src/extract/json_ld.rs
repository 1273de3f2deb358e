//! The URLs in structured data (JSON-LD 1.1, with the vocabulary of schema.org).
//!
//! Properties whose value is a URL count. `@id` and `@context` are identifiers, which need not
//! lead anywhere, and templates such as `https://a.test/?q={term}` are not URLs. Text that is not
//! JSON (RFC 8259) is read up to the error: browsers ignore it, and so do most readers.

use super::json;

/// Properties whose strings are URLs, absolute or relative.
const URLS: &[&str] = &[
    "url",
    "image",
    "logo",
    "contenturl",
    "embedurl",
    "thumbnailurl",
    "thumbnail",
    "photo",
    "primaryimageofpage",
    "sameas",
    "mainentityofpage",
    "downloadurl",
    "installurl",
    "discussionurl",
    "screenshot",
    "relatedlink",
    "significantlink",
    "isbasedonurl",
    "hasmap",
    "map",
    "menu",
    "hasmenu",
    "coderepository",
    "trailer",
];

/// Properties whose strings may be URLs or text.
const URLS_OR_TEXT: &[&str] = &[
    "item",
    "license",
    "isbasedon",
    "citation",
    "publishingprinciples",
    "usageinfo",
    "acquirelicensepage",
    "archivedat",
    "ispartof",
    "haspart",
    "target",
    "video",
    "audio",
    "softwarehelp",
    "releasenotes",
];

/// A URL, the property with it, as written, and the offset at which its string begins.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Found {
    pub(super) property: String,
    pub(super) url: String,
    pub(super) offset: usize,
}

/// Calls back with the URLs in a text.
pub(super) fn urls(text: &str, mut found: impl FnMut(Found)) {
    json::strings(text, |path, url, offset| {
        if let Some(property) = path.last().filter(|property| is_url(property, &url)) {
            found(Found { property: property.clone(), url, offset });
        }
    });
}

/// Whether the value of a property is a URL.
fn is_url(property: &str, value: &str) -> bool {
    // A prefix names the vocabulary: `schema:url`.
    let name = property.rsplit(':').next().unwrap_or_default().to_ascii_lowercase();
    let value = value.trim();
    let is_template = value.contains('{');
    if value.is_empty() || is_template || value.contains(char::is_whitespace) {
        return false;
    }
    let is_plain = ["http://", "https://", "/", "./", "../"].iter().any(|s| value.starts_with(s));
    URLS.contains(&name.as_str()) || (is_plain && URLS_OR_TEXT.contains(&name.as_str()))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn read(text: &str) -> Vec<(String, String)> {
        let mut all = Vec::new();
        urls(text, |found| all.push((found.property, found.url)));
        all
    }

    fn pairs(expected: &[(&str, &str)]) -> Vec<(String, String)> {
        expected.iter().map(|(one, two)| ((*one).to_owned(), (*two).to_owned())).collect()
    }

    #[test]
    fn properties_with_urls_count_and_identifiers_do_not() {
        let text = r#"{
            "@context": "https://schema.org", "@id": "https://a.test/#me", "@type": "Museum",
            "name": "https://a.test/name", "url": "https://a.test/",
            "logo": {"@type": "ImageObject", "url": "/logo.png", "width": 60},
            "image": ["one.jpg", "https:\/\/a.test\/two.jpg"],
            "sameAs": ["https://b.test/ashlock", ""],
            "license": "CC BY 4.0", "isBasedOn": "https://c.test/x",
            "potentialAction": {"target": {"urlTemplate": "https://a.test/?q={q}"}, "url": "/?q={q}"},
            "schema:contentUrl": "/film.mp4", "ok": true, "n": -1.5e3, "none": null, "empty": {}, "no": []
        }"#;
        let expected = [
            ("url", "https://a.test/"),
            ("url", "/logo.png"),
            ("image", "one.jpg"),
            ("image", "https://a.test/two.jpg"),
            ("sameAs", "https://b.test/ashlock"),
            ("isBasedOn", "https://c.test/x"),
            ("schema:contentUrl", "/film.mp4"),
        ];
        assert_eq!(read(text), pairs(&expected));
        let graph = r#"[{"@graph": [{"url": "/a"}, {"item": {"url": "/b"}}]}]"#;
        assert_eq!(read(graph), pairs(&[("url", "/a"), ("url", "/b")]));
    }

    #[test]
    fn escapes_are_those_of_json() {
        let text = r#"{"u\u0072l": "\/\u00e4\ud83d\ude00\ud800x\n"}"#;
        assert_eq!(read(text), pairs(&[("url", "/ä😀\u{fffd}x\n")]));
        assert_eq!(read(r#"{"url": "/\q", "image": "/x"}"#), []);
    }

    #[test]
    fn what_comes_before_an_error_counts() {
        for text in [
            r#"{"url": "/a", }"#,
            r#"{"url": "/a" "image": "/b"}"#,
            r#"{"url": "/a", image: "/b"}"#,
            r#"{"url": "/a", "image": "/b"#,
            r#"{"url": "/a", "image" "/b"}"#,
            r#"{"url": "/a", "x": ], "image": "/b"}"#,
        ] {
            assert_eq!(read(text), pairs(&[("url", "/a")]), "{text}");
        }
        for text in ["", "<!-- x -->", "\"https://a.test/\"", "url"] {
            assert_eq!(read(text), [], "{text}");
        }
        assert_eq!(read(&"[".repeat(100_000)), []);
        let deep = format!("{}{}{}", "[".repeat(60), r#"{"url": "/a"}"#, "]".repeat(60));
        assert_eq!(read(&deep).len(), 1);
    }

    proptest! {
        #[test]
        fn any_text_is_read_without_a_panic(text in ".*", cut in 0usize..200) {
            read(&text);
            let json = r#"{"url": ["/\u00e4", {"image": "\ud83d\ude00"}], "x": [1, true]}"#;
            if let Some(part) = json.get(..cut.min(json.len())) {
                read(&format!("{part}{text}"));
            }
        }
    }
}
