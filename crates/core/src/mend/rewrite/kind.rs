//! How sources are parsed.

/// How a source is parsed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// HTML: attributes with URLs.
    Html,
    /// XHTML: the same, by the rules of XML where they differ.
    Xhtml,
    /// CSS: `url()` and `@import`.
    Css,
    /// Markdown (CommonMark): links, images, definitions, autolinks, and HTML in it.
    Markdown,
    /// Anything else: URLs as they are written, between characters that cannot be part of one.
    Exact,
}

impl Kind {
    /// The kind of a file by its extension, in any letter case; `None` if it is not known.
    #[must_use]
    pub fn of_name(name: &str) -> Option<Kind> {
        let (_, ending) = name.rsplit_once('.')?;
        match ending.to_ascii_lowercase().as_str() {
            "html" | "htm" => Some(Kind::Html),
            "xhtml" => Some(Kind::Xhtml),
            "css" => Some(Kind::Css),
            "md" | "markdown" => Some(Kind::Markdown),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_extension_decides() {
        for (name, expected) in [
            ("index.html", Some(Kind::Html)),
            ("OLD.HTM", Some(Kind::Html)),
            ("a.xhtml", Some(Kind::Xhtml)),
            ("a.b.css", Some(Kind::Css)),
            ("README.md", Some(Kind::Markdown)),
            ("notes.Markdown", Some(Kind::Markdown)),
            ("a.txt", None),
            ("md", None),
        ] {
            assert_eq!(Kind::of_name(name), expected, "{name}");
        }
    }
}
