//! From the bytes of a page to text.
//!
//! The encoding comes from a byte order mark, else the `Content-Type`, else the first 1024 bytes
//! (HTML, "Determining the character encoding"); without any of these, text is UTF-8 as long as
//! it is valid, then windows-1252.

use encoding_rs::{CoderResult, Encoding, UTF_8, WINDOWS_1252};

use super::prescan;

/// How many bytes are searched for the name of an encoding.
const PRESCAN: usize = 1024;

/// How a body may name its encoding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Hints {
    Html,
    Xml,
    Css,
    /// Not at all: it is always UTF-8.
    Utf8,
}

pub(super) struct Decoder {
    state: State,
    hints: Hints,
}

enum State {
    /// Too few bytes to decide.
    Sniffing {
        seen: Vec<u8>,
        charset: Option<&'static Encoding>,
    },
    /// No encoding was named; up to three bytes of an incomplete character wait.
    Guessing {
        partial: Vec<u8>,
    },
    Known(encoding_rs::Decoder),
    /// UTF-8 without a byte order mark, of which nothing was wrong or incomplete so far.
    SoundUtf8,
}

impl Decoder {
    pub(super) fn new(charset: Option<&str>, hints: Hints) -> Decoder {
        let charset = match hints {
            Hints::Utf8 => Some(UTF_8),
            _ => charset.and_then(|label| Encoding::for_label(label.as_bytes())),
        };
        Decoder { state: State::Sniffing { seen: Vec::new(), charset }, hints }
    }

    /// The encoding of the page, as far as is known so far.
    pub(super) fn encoding(&self) -> &'static Encoding {
        match &self.state {
            State::Sniffing { .. } | State::Guessing { .. } | State::SoundUtf8 => UTF_8,
            State::Known(decoder) => decoder.encoding(),
        }
    }

    /// The next bytes as text where they are, if that is possible without a copy.
    pub(super) fn view<'a>(&mut self, bytes: &'a [u8]) -> Option<&'a str> {
        self.decide_by_first(bytes);
        if matches!(self.state, State::SoundUtf8) { std::str::from_utf8(bytes).ok() } else { None }
    }

    pub(super) fn feed(&mut self, bytes: &[u8], out: &mut String) {
        self.decide_by_first(bytes);
        match &mut self.state {
            State::Sniffing { seen, charset } => {
                seen.extend_from_slice(bytes);
                if seen.len() >= enough(*charset) {
                    self.decide_by_seen(out);
                }
            }
            State::Guessing { partial } if partial.is_empty() => self.guess(bytes, out),
            State::Guessing { partial } => {
                partial.extend_from_slice(bytes);
                let bytes = std::mem::take(partial);
                self.guess(&bytes, out);
            }
            State::Known(decoder) => decode(decoder, bytes, false, out),
            State::SoundUtf8 => {
                let mut decoder = UTF_8.new_decoder_without_bom_handling();
                decode(&mut decoder, bytes, false, out);
                self.state = State::Known(decoder);
            }
        }
    }

    pub(super) fn finish(&mut self, out: &mut String) {
        self.decide_by_seen(out);
        match &mut self.state {
            State::Guessing { partial } => {
                let partial = std::mem::take(partial);
                decode(&mut WINDOWS_1252.new_decoder_without_bom_handling(), &partial, true, out);
            }
            State::Known(decoder) => decode(decoder, &[], true, out),
            State::SoundUtf8 => {}
            State::Sniffing { .. } => unreachable!("decided just now"),
        }
    }

    /// If these are the first bytes of the body, and enough, they decide.
    fn decide_by_first(&mut self, bytes: &[u8]) {
        if let State::Sniffing { seen, charset } = &self.state
            && seen.is_empty()
            && bytes.len() >= enough(*charset)
        {
            self.state = self.hints.decide(bytes, *charset);
        }
    }

    /// Decides by what was gathered, and decodes it.
    fn decide_by_seen(&mut self, out: &mut String) {
        if let State::Sniffing { seen, charset } = &mut self.state {
            let seen = std::mem::take(seen);
            self.state = self.hints.decide(&seen, *charset);
            self.feed(&seen, out);
        }
    }

    /// Takes text as UTF-8, up to the first byte that is invalid.
    fn guess(&mut self, bytes: &[u8], out: &mut String) {
        let (sound, rest, is_torn) = match std::str::from_utf8(bytes) {
            Ok(text) => (text, &[][..], true),
            Err(error) => {
                let (sound, rest) = bytes.split_at(error.valid_up_to());
                let sound = std::str::from_utf8(sound).expect("valid up to there");
                (sound, rest, error.error_len().is_none())
            }
        };
        out.push_str(sound);
        if is_torn {
            self.state = State::Guessing { partial: rest.to_vec() };
        } else {
            let mut decoder = WINDOWS_1252.new_decoder_without_bom_handling();
            decode(&mut decoder, rest, false, out);
            self.state = State::Known(decoder);
        }
    }
}

/// How many of the first bytes are needed to decide.
fn enough(charset: Option<&Encoding>) -> usize {
    if charset.is_some() { 3 } else { PRESCAN }
}

impl Hints {
    /// How a body is decoded that begins like this.
    fn decide(self, seen: &[u8], charset: Option<&'static Encoding>) -> State {
        if let Some((encoding, _)) = Encoding::for_bom(seen) {
            return State::Known(encoding.new_decoder_with_bom_removal());
        }
        let start = &seen[..seen.len().min(PRESCAN)];
        let said = charset.or_else(|| match self {
            Hints::Html => prescan::of_page(start),
            Hints::Xml => prescan::of_xml(start),
            Hints::Css => prescan::of_stylesheet(start),
            Hints::Utf8 => None,
        });
        match said {
            Some(encoding) if encoding == UTF_8 => State::SoundUtf8,
            Some(encoding) => State::Known(encoding.new_decoder_without_bom_handling()),
            None => State::Guessing { partial: Vec::new() },
        }
    }
}

fn decode(decoder: &mut encoding_rs::Decoder, bytes: &[u8], last: bool, out: &mut String) {
    let mut rest = bytes;
    loop {
        // The worst case is three times as long, and rare.
        out.reserve(rest.len() + 16);
        let (result, read, _) = decoder.decode_to_string(rest, out, last);
        rest = &rest[read..];
        if result == CoderResult::InputEmpty {
            return;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn text(charset: Option<&str>, bytes: &[u8]) -> String {
        let whole = {
            let (mut decoder, mut out) = (Decoder::new(charset, Hints::Html), String::new());
            decoder.feed(bytes, &mut out);
            decoder.finish(&mut out);
            out
        };
        let (mut decoder, mut out) = (Decoder::new(charset, Hints::Html), String::new());
        for byte in bytes {
            decoder.feed(&[*byte], &mut out);
        }
        decoder.finish(&mut out);
        assert_eq!(out, whole, "byte by byte gives the same result");
        whole
    }

    /// The same in two pieces, where they are if possible. Returns how many were not copied, too.
    fn viewed(charset: Option<&str>, bytes: &[u8], cut: usize) -> (String, u32) {
        let (mut decoder, mut out) = (Decoder::new(charset, Hints::Html), String::new());
        let mut views = 0;
        for piece in [&bytes[..cut], &bytes[cut..]] {
            if let Some(text) = decoder.view(piece) {
                out.push_str(text);
                views += 1;
            } else {
                decoder.feed(piece, &mut out);
            }
        }
        decoder.finish(&mut out);
        (out, views)
    }

    #[test]
    fn sound_utf_8_is_not_copied_and_all_else_is_read_the_same() {
        let long = |start: &[u8], end: &[u8]| [start, &[b'x'; PRESCAN], end].concat();
        let named = b"<meta charset=utf-8>";
        for (charset, bytes, views) in [
            (Some("utf-8"), long(b"", "für".as_bytes()), 2),
            (None, long(named, "für".as_bytes()), 2),
            (None, long(b"", "für".as_bytes()), 0),
            (Some("utf-8"), long(b"\xef\xbb\xbf", b"end"), 0),
            (Some("windows-1252"), long(named, b"f\xfcr"), 0),
            (None, long(b"<meta charset=windows-1252>", b"f\xfcr"), 0),
            (Some("utf-8"), long(b"", b"f\xfcr und f\xc3\xbcr \xc3"), 1),
        ] {
            for cut in PRESCAN..bytes.len() {
                let (out, _) = viewed(charset, &bytes, cut);
                assert_eq!(out, text(charset, &bytes), "cut at {cut}");
            }
            assert_eq!(viewed(charset, &bytes, PRESCAN).1, views, "{charset:?}, {views} views");
        }
        let (out, views) = viewed(Some("utf-8"), b"\xef\xbb\xbfend", 2);
        assert_eq!((&*out, views), ("end", 0), "two bytes of a mark");
    }

    #[test]
    fn a_byte_order_mark_wins_over_the_header_and_that_over_the_meta() {
        assert_eq!(text(Some("iso-8859-1"), b"\xef\xbb\xbf\xc3\xbc"), "ü");
        assert_eq!(text(Some("iso-8859-1"), b"<meta charset=utf-8>\xfc"), "<meta charset=utf-8>ü");
        assert_eq!(text(None, b"\xff\xfea\0"), "a");
    }

    #[test]
    fn a_meta_names_the_encoding_in_either_form() {
        for meta in [
            "<meta charset='windows-1252'>",
            "<META http-equiv=Content-Type content=\"text/html; charset=windows-1252\">",
        ] {
            let mut bytes = meta.as_bytes().to_vec();
            bytes.push(0x80);
            assert_eq!(text(None, &bytes), format!("{meta}€"));
        }
        assert_eq!(text(None, "<meta charset=utf-16>ü".as_bytes()), "<meta charset=utf-16>ü");
    }

    #[test]
    fn unnamed_encodings_are_utf_8_as_long_as_it_is_valid() {
        assert_eq!(text(None, "Schleuse für".as_bytes()), "Schleuse für");
        assert_eq!(text(None, b"Schleuse f\xfcr"), "Schleuse für");
        assert_eq!(text(None, b"x\xc3"), "xÃ");
    }
}
