//! The URLs in structured data (JSON-LD 1.1, with the vocabulary of schema.org).
//!
//! Properties whose value is a URL count. `@id` and `@context` are identifiers, which need not
//! lead anywhere, and templates such as `https://a.test/?q={term}` are not URLs. Text that is not
//! JSON (RFC 8259) is read up to the error: browsers ignore it, and so do most readers.

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

/// A URL, and the property with it, as written.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Found {
    pub(super) property: String,
    pub(super) url: String,
}

/// How deep values may be nested.
const DEEPEST: usize = 64;

/// Calls back with the URLs in a text.
pub(super) fn urls(text: &str, mut found: impl FnMut(Found)) {
    let mut scanner = Scanner { text: text.as_bytes(), at: 0 };
    let _ = scanner.value(None, DEEPEST, &mut found);
}

struct Scanner<'a> {
    text: &'a [u8],
    at: usize,
}

/// The text is not JSON from here on.
struct NotJson;

impl Scanner<'_> {
    /// Reads a value of this property.
    fn value(
        &mut self,
        property: Option<&str>,
        depth: usize,
        found: &mut impl FnMut(Found),
    ) -> Result<(), NotJson> {
        if depth == 0 {
            return Err(NotJson);
        }
        match self.peek().ok_or(NotJson)? {
            b'{' => self.object(depth, found),
            b'[' => {
                self.at += 1;
                self.list(b']', |scanner| scanner.value(property, depth - 1, found))
            }
            b'"' => {
                let url = self.string()?;
                if let Some(property) = property.filter(|property| is_url(property, &url)) {
                    found(Found { property: property.to_owned(), url });
                }
                Ok(())
            }
            _ => self.literal(),
        }
    }

    fn object(&mut self, depth: usize, found: &mut impl FnMut(Found)) -> Result<(), NotJson> {
        self.at += 1;
        self.list(b'}', |scanner| {
            let property = scanner.string()?;
            if scanner.peek() != Some(b':') {
                return Err(NotJson);
            }
            scanner.at += 1;
            scanner.value(Some(&property), depth - 1, found)
        })
    }

    /// Members separated by commas, up to the end.
    fn list(
        &mut self,
        end: u8,
        mut member: impl FnMut(&mut Self) -> Result<(), NotJson>,
    ) -> Result<(), NotJson> {
        if self.peek() == Some(end) {
            self.at += 1;
            return Ok(());
        }
        loop {
            member(self)?;
            let next = self.peek();
            self.at += 1;
            match next {
                Some(b',') => {}
                Some(byte) if byte == end => return Ok(()),
                _ => return Err(NotJson),
            }
        }
    }

    /// A number, `true`, `false` or `null`.
    fn literal(&mut self) -> Result<(), NotJson> {
        let start = self.at;
        let is_part = |byte: &u8| byte.is_ascii_alphanumeric() || b"+-.".contains(byte);
        self.at += self.text[start..].iter().take_while(|byte| is_part(byte)).count();
        if self.at == start { Err(NotJson) } else { Ok(()) }
    }

    fn string(&mut self) -> Result<String, NotJson> {
        if self.peek() != Some(b'"') {
            return Err(NotJson);
        }
        self.at += 1;
        let mut bytes = Vec::new();
        loop {
            let byte = *self.text.get(self.at).ok_or(NotJson)?;
            self.at += 1;
            match byte {
                b'"' => return Ok(String::from_utf8_lossy(&bytes).into_owned()),
                b'\\' => {
                    let c = self.escaped()?;
                    bytes.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
                }
                _ => bytes.push(byte),
            }
        }
    }

    /// What follows a backslash (RFC 8259 §7).
    fn escaped(&mut self) -> Result<char, NotJson> {
        let byte = *self.text.get(self.at).ok_or(NotJson)?;
        self.at += 1;
        Ok(match byte {
            b'"' | b'\\' | b'/' => char::from(byte),
            b'b' => '\u{8}',
            b'f' => '\u{c}',
            b'n' => '\n',
            b'r' => '\r',
            b't' => '\t',
            b'u' => {
                let first = self.unit()?;
                let is_pair =
                    (0xd800..0xdc00).contains(&first) && self.text[self.at..].starts_with(b"\\u");
                if !is_pair {
                    return Ok(char::from_u32(first).unwrap_or(char::REPLACEMENT_CHARACTER));
                }
                self.at += 2;
                let second = self.unit()?.wrapping_sub(0xdc00);
                let code = 0x10000 + ((first - 0xd800) << 10) + (second & 0x3ff);
                char::from_u32(code).unwrap_or(char::REPLACEMENT_CHARACTER)
            }
            _ => return Err(NotJson),
        })
    }

    fn unit(&mut self) -> Result<u32, NotJson> {
        let digits = self.text.get(self.at..self.at + 4).ok_or(NotJson)?;
        self.at += 4;
        let digits = std::str::from_utf8(digits).map_err(|_| NotJson)?;
        u32::from_str_radix(digits, 16).map_err(|_| NotJson)
    }

    /// The next byte that is not white space.
    fn peek(&mut self) -> Option<u8> {
        while self.text.get(self.at).is_some_and(u8::is_ascii_whitespace) {
            self.at += 1;
        }
        self.text.get(self.at).copied()
    }
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
