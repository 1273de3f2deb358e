//! The bytes of a source as text and back, so that nothing else changes: byte order mark, encoding
//! and line endings stay.

use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE};

use super::kind::Kind;
use crate::extract::decode_text;

/// A source as text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Source {
    /// The text, without a byte order mark.
    pub text: String,
    /// The encoding.
    pub encoding: &'static Encoding,
    mark: Vec<u8>,
    /// Each byte is the character of the same number: the bytes are not valid in the encoding, but
    /// ASCII is ASCII.
    is_bytewise: bool,
}

impl Source {
    /// Decodes a source. `None` if it cannot be encoded again without a change.
    #[must_use]
    pub fn decode(bytes: &[u8], kind: Kind) -> Option<Source> {
        let mark = match Encoding::for_bom(bytes) {
            Some((_, length)) => bytes[..length].to_vec(),
            None => Vec::new(),
        };
        let (text, encoding) = match kind {
            Kind::Html | Kind::Xhtml | Kind::Css => decode_text(bytes, kind.format()),
            Kind::Markdown | Kind::Exact => {
                let encoding = Encoding::for_bom(bytes).map_or(UTF_8, |(encoding, _)| encoding);
                (encoding.decode(bytes).0.into_owned(), encoding)
            }
        };
        let source = Source { text, encoding, mark, is_bytewise: false };
        if source.encode(&source.text).is_some_and(|again| again == bytes) {
            return Some(source);
        }
        if !source.mark.is_empty() || !encoding.is_ascii_compatible() || has_ascii_inside(encoding)
        {
            return None;
        }
        let text = bytes.iter().map(|byte| char::from(*byte)).collect();
        Some(Source { text, encoding, mark: Vec::new(), is_bytewise: true })
    }

    /// The bytes of a new text; `None` if the encoding lacks one of its characters.
    #[must_use]
    pub fn encode(&self, text: &str) -> Option<Vec<u8>> {
        let mut bytes = self.mark.clone();
        if self.is_bytewise {
            for c in text.chars() {
                bytes.push(u8::try_from(u32::from(c)).ok()?);
            }
        } else if self.encoding == UTF_16LE {
            bytes.extend(text.encode_utf16().flat_map(u16::to_le_bytes));
        } else if self.encoding == UTF_16BE {
            bytes.extend(text.encode_utf16().flat_map(u16::to_be_bytes));
        } else {
            let (encoded, _, is_lacking) = self.encoding.encode(text);
            if is_lacking {
                return None;
            }
            bytes.extend_from_slice(&encoded);
        }
        Some(bytes)
    }
}

/// Whether bytes of ASCII can be a part of other characters.
fn has_ascii_inside(encoding: &'static Encoding) -> bool {
    ["Shift_JIS", "GBK", "gb18030", "Big5", "ISO-2022-JP"].contains(&encoding.name())
}

impl Kind {
    fn format(self) -> crate::extract::Format {
        match self {
            Kind::Xhtml => crate::extract::Format::Xhtml,
            Kind::Css => crate::extract::Format::Css,
            _ => crate::extract::Format::Html,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Without a declaration, XML is UTF-8, and HTML may be Windows-1252.
    #[test]
    fn the_kind_decides_about_the_encoding() {
        let decoded = |bytes: &[u8], kind| Source::decode(bytes, kind).map(|source| source.text);
        let latin = b"<?xml version='1.0' encoding='iso-8859-2'?><p>\xb1";
        assert_eq!(
            decoded(latin, Kind::Xhtml).as_deref(),
            Some("<?xml version='1.0' encoding='iso-8859-2'?><p>ą")
        );
        // XML has no meta element for it.
        let meta = "<meta charset='iso-8859-2'/>ą".as_bytes();
        assert!(decoded(meta, Kind::Xhtml).is_some_and(|text| text.contains('ą')));
        assert!(decoded(meta, Kind::Html).is_some_and(|text| !text.contains('ą')));
        let style = b"@charset \"iso-8859-2\"; a::after { content: '\xb1' }";
        assert!(decoded(style, Kind::Css).is_some_and(|text| text.contains('ą')));
        assert!(decoded(style, Kind::Html).is_some_and(|text| !text.contains('ą')));
    }

    #[test]
    fn bytes_come_back_as_they_were() {
        let utf16: Vec<u8> = [0xfe, 0xff]
            .into_iter()
            .chain("<p>é".encode_utf16().flat_map(u16::to_be_bytes))
            .collect();
        for bytes in [
            "<p>é\r\n".as_bytes(),
            "\u{feff}<p>é".as_bytes(),
            b"<meta charset=iso-8859-1><p>\xe9",
            b"<p>\xe9",
            b"<meta charset=utf-8><p>\xe9 and \xc3\xa9",
            b"<meta charset=shift_jis><p>\x83\x65",
            &utf16,
            b"",
        ] {
            let source = Source::decode(bytes, Kind::Html).unwrap();
            assert_eq!(source.encode(&source.text).as_deref(), Some(bytes));
            let longer = source.encode(&format!("{}x", source.text)).unwrap();
            assert!(longer.starts_with(bytes) && longer.len() > bytes.len());
        }
    }

    #[test]
    fn what_cannot_be_written_back_is_refused() {
        assert_eq!(Source::decode(b"<meta charset=shift_jis><p>\x83", Kind::Html), None);
        assert_eq!(Source::decode(b"\xff\xfe<", Kind::Html), None);
    }
}
