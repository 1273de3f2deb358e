//! The encoding that a body names in its first bytes.

use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE, WINDOWS_1252, X_USER_DEFINED};

/// For a page: a `meta` (HTML, "Prescan a byte stream to determine its encoding"), else an XML
/// declaration.
pub(super) fn of_page(bytes: &[u8]) -> Option<&'static Encoding> {
    let text = bytes.to_ascii_lowercase();
    let mut rest = &text[..];
    while let Some(at) = memchr::memchr(b'<', rest) {
        rest = &rest[at..];
        if rest.starts_with(b"<!--") {
            // `<!-->` is a whole comment.
            let Some(end) = memchr::memmem::find(&rest[2..], b"-->") else { break };
            rest = &rest[end + 5..];
        } else if rest.starts_with(b"<meta")
            && rest.get(5).is_some_and(|b| b" \t\n\r\x0c/".contains(b))
        {
            let (attributes, after) = attributes(&rest[6..]);
            if let Some(encoding) = of_meta(&attributes) {
                return Some(encoding);
            }
            rest = after;
        } else if rest.len() > 1 && (rest[1].is_ascii_alphabetic() || rest.starts_with(b"</")) {
            let name = rest[1..].iter().position(|b| b" \t\n\r\x0c>".contains(b));
            rest = attributes(&rest[1 + name.unwrap_or(rest.len() - 1)..]).1;
        } else if rest.starts_with(b"<!") || rest.starts_with(b"<?") {
            let end = memchr::memchr(b'>', rest).unwrap_or(rest.len() - 1);
            rest = &rest[end + 1..];
        } else {
            rest = &rest[1..];
        }
    }
    of_xml(bytes)
}

/// For XML: its declaration (XML 1.0 §4.3.3).
pub(super) fn of_xml(bytes: &[u8]) -> Option<&'static Encoding> {
    let declaration = bytes.strip_prefix(b"<?xml")?;
    let end = memchr::memchr(b'>', declaration)?;
    let declaration = &declaration[..end];
    let at = memchr::memmem::find(declaration, b"encoding")?;
    let value = declaration[at + 8..].trim_ascii_start().strip_prefix(b"=")?.trim_ascii_start();
    let quote = *value.first().filter(|quote| matches!(quote, b'"' | b'\''))?;
    let value = &value[1..];
    named(&value[..memchr::memchr(quote, value)?])
}

/// For a stylesheet: `@charset "…";` at its very start (CSS Syntax, "The input byte stream").
pub(super) fn of_stylesheet(bytes: &[u8]) -> Option<&'static Encoding> {
    let value = bytes.strip_prefix(b"@charset \"")?;
    let end = memchr::memchr(b'"', value)?;
    value[end..].starts_with(b"\";").then(|| named(&value[..end])).flatten()
}

/// A body that could be read byte by byte is not UTF-16, whatever it names.
fn named(label: &[u8]) -> Option<&'static Encoding> {
    let encoding = Encoding::for_label(label)?;
    Some(if encoding == UTF_16BE || encoding == UTF_16LE {
        UTF_8
    } else if encoding == X_USER_DEFINED {
        WINDOWS_1252
    } else {
        encoding
    })
}

type Attribute<'a> = (&'a [u8], &'a [u8]);

fn of_meta(attributes: &[Attribute<'_>]) -> Option<&'static Encoding> {
    let value = |wanted: &[u8]| {
        attributes.iter().find(|(name, _)| *name == wanted).map(|(_, value)| *value)
    };
    if let Some(charset) = value(b"charset") {
        return named(charset);
    }
    value(b"http-equiv").filter(|kind| *kind == b"content-type")?;
    named(charset_in(value(b"content")?)?)
}

/// HTML, "Extracting a character encoding from a meta element".
fn charset_in(content: &[u8]) -> Option<&[u8]> {
    let mut rest = content;
    loop {
        let at = memchr::memmem::find(rest, b"charset")?;
        rest = rest[at + 7..].trim_ascii_start();
        if let Some(value) = rest.strip_prefix(b"=") {
            let value = value.trim_ascii_start();
            return match value.first()? {
                quote @ (b'"' | b'\'') => {
                    let value = &value[1..];
                    Some(&value[..memchr::memchr(*quote, value)?])
                }
                _ => {
                    let ends = |b: &u8| *b == b';' || b.is_ascii_whitespace();
                    Some(&value[..value.iter().position(ends).unwrap_or(value.len())])
                }
            };
        }
    }
}

/// The attributes of a tag, and what follows it (HTML, "get an attribute").
fn attributes(mut rest: &[u8]) -> (Vec<Attribute<'_>>, &[u8]) {
    let is_space = |b: u8| b" \t\n\r\x0c".contains(&b);
    let mut found = Vec::new();
    loop {
        let skipped = rest.iter().position(|&b| !is_space(b) && b != b'/').unwrap_or(rest.len());
        rest = &rest[skipped..];
        match rest.first() {
            None => return (found, rest),
            Some(b'>') => return (found, &rest[1..]),
            Some(_) => {}
        }
        let end = 1 + rest[1..]
            .iter()
            .position(|&b| is_space(b) || b"=/>".contains(&b))
            .unwrap_or(rest.len() - 1);
        let name = &rest[..end];
        rest = rest[end..].trim_ascii_start();
        let Some(after) = rest.strip_prefix(b"=") else {
            found.push((name, &[][..]));
            continue;
        };
        let after = after.trim_ascii_start();
        let (value, next) = match after.first() {
            Some(quote @ (b'"' | b'\'')) => {
                let inner = &after[1..];
                let end = memchr::memchr(*quote, inner).unwrap_or(inner.len());
                (&inner[..end], inner.get(end + 1..).unwrap_or_default())
            }
            _ => {
                let ends = |&b: &u8| is_space(b) || b == b'>';
                after.split_at(after.iter().position(ends).unwrap_or(after.len()))
            }
        };
        found.push((name, value));
        rest = next;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn page(text: &str) -> &'static str {
        of_page(text.as_bytes()).map_or("-", Encoding::name)
    }

    #[test]
    fn a_meta_names_the_encoding() {
        for (text, expected) in [
            ("<meta charset=shift_jis>", "Shift_JIS"),
            ("<META HTTP-EQUIV='content-type' content='text/html; charset=\"koi8-r\"'>", "KOI8-R"),
            ("<html lang='>'><meta/charset = 'latin1'>", "windows-1252"),
            ("<!-- <meta charset=koi8-r> --><meta charset=utf-8>", "UTF-8"),
            ("<!--><meta charset=koi8-r>", "KOI8-R"),
            ("<p title='<meta charset=koi8-r>'>", "-"),
            ("<meta name=description content='charset=koi8-r'>", "-"),
            ("<metadata charset=koi8-r>", "-"),
            ("<meta charset=no-such>", "-"),
            ("<meta charset=utf-16>", "UTF-8"),
            ("<?xml version='1.0' encoding='euc-jp'?><html>", "EUC-JP"),
            ("<meta http-equiv=content-type content='charset; charset=koi8-r;x'>", "KOI8-R"),
            ("<meta charset", "-"),
            ("<", "-"),
        ] {
            assert_eq!(page(text), expected, "{text}");
        }
    }

    #[test]
    fn a_stylesheet_names_its_encoding_at_the_very_start() {
        assert_eq!(of_stylesheet(b"@charset \"koi8-r\"; a{}").map(Encoding::name), Some("KOI8-R"));
        for text in [" @charset \"koi8-r\";", "@charset 'koi8-r';", "@charset \"koi8-r\""] {
            assert_eq!(of_stylesheet(text.as_bytes()), None, "{text}");
        }
    }
}
