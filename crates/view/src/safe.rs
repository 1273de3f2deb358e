//! Makes text from pages safe to show.

use std::borrow::Cow;
use std::fmt;
use std::io::{self, Write};

use serde::Serialize;

/// Shows text without interpreting it: control characters, and those that change the writing
/// direction, are written as escapes.
///
/// ```
/// use rummage_view::safe;
///
/// assert_eq!(safe("Lock\u{1b}[31m 9").to_string(), "Lock\\u{1b}[31m 9");
/// ```
#[must_use]
pub fn safe(text: &str) -> Safe<'_> {
    Safe(text)
}

/// Text that is displayed safely. See [`safe`].
#[derive(Debug, Clone, Copy)]
pub struct Safe<'a>(&'a str);

impl fmt::Display for Safe<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut plain = 0;
        for (at, c) in self.0.char_indices().filter(|(_, c)| is_hostile(*c)) {
            f.write_str(&self.0[plain..at])?;
            write!(f, "{}", c.escape_unicode())?;
            plain = at + c.len_utf8();
        }
        f.write_str(&self.0[plain..])
    }
}

/// Characters that a terminal, an editor or a spreadsheet may obey instead of showing: controls
/// (Unicode category Cc), those that change the writing direction or are invisible (UAX #9,
/// Bidi_Control; category Cf as far as it hides text), and line separators.
fn is_hostile(c: char) -> bool {
    c.is_control()
        || matches!(c,
            '\u{61c}'
            | '\u{180e}'
            | '\u{200b}'..='\u{200f}'
            | '\u{2028}'..='\u{202e}'
            | '\u{2060}'..='\u{206f}'
            | '\u{feff}'
            | '\u{fff9}'..='\u{fffb}'
            | '\u{e0000}'..='\u{e007f}')
}

/// Text with U+FFFD in place of what may be obeyed.
pub(crate) fn plain(text: &str) -> Cow<'_, str> {
    let is_printable = text.bytes().all(|byte| (0x20..0x7f).contains(&byte));
    if !is_printable && text.contains(is_hostile) {
        Cow::Owned(text.replace(is_hostile, "\u{fffd}"))
    } else {
        Cow::Borrowed(text)
    }
}

/// JSON with escapes for what may be obeyed. Serializers escape only the first 32 characters of
/// Unicode (RFC 8259 §7); all others occur within strings alone.
#[must_use]
pub fn safe_json(json: &str) -> Cow<'_, str> {
    let is_left = |c: char| !c.is_ascii_control() && is_hostile(c) || c == '\u{7f}';
    // Most text is ASCII, which takes no look at each character.
    let is_plain = json.bytes().all(|byte| byte < 0x7f);
    if is_plain || !json.contains(is_left) {
        return Cow::Borrowed(json);
    }
    let mut out = String::with_capacity(json.len() + 16);
    for c in json.chars() {
        if is_left(c) {
            for unit in c.encode_utf16(&mut [0; 2]) {
                out.push_str(&format!("\\u{unit:04x}"));
            }
        } else {
            out.push(c);
        }
    }
    Cow::Owned(out)
}

/// Writes a value as JSON that nothing obeys.
pub(crate) fn write_json(out: &mut dyn Write, value: &impl Serialize) -> io::Result<()> {
    let json = serde_json::to_string(value)?;
    out.write_all(safe_json(&json).as_bytes())
}

/// Cuts a text to this many characters, with an ellipsis if it was cut.
pub(crate) fn shorten(text: &str, most: usize) -> String {
    match text.char_indices().nth(most) {
        None => text.to_owned(),
        Some(_) => {
            let end = text.char_indices().nth(most.saturating_sub(1)).map_or(0, |(at, _)| at);
            format!("{}…", &text[..end])
        }
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn control_and_bidi_characters_are_escaped() {
        assert_eq!(safe("a\tb\r\n").to_string(), "a\\u{9}b\\u{d}\\u{a}");
        assert_eq!(safe("\u{202e}gpj.exe").to_string(), "\\u{202e}gpj.exe");
        assert_eq!(safe("\u{9b}31m").to_string(), "\\u{9b}31m");
        assert_eq!(safe("Überfahrt → 𝄞").to_string(), "Überfahrt → 𝄞");
    }

    #[test]
    fn no_control_of_unicode_passes() {
        let bidi = "\u{61c}\u{200e}\u{200f}\u{202a}\u{202b}\u{202c}\u{202d}\u{202e}\u{2066}\u{2067}\
                    \u{2068}\u{2069}";
        let controls = (0..=0x1f).chain(0x7f..=0x9f).filter_map(char::from_u32);
        for c in controls.chain(bidi.chars()) {
            let text = format!("a{c}b");
            assert!(!safe(&text).to_string().contains(c), "{c:?}");
            assert_eq!(plain(&text), "a\u{fffd}b", "{c:?}");
            let mut json = Vec::new();
            write_json(&mut json, &text).unwrap();
            let json = String::from_utf8(json).unwrap();
            assert!(!json.contains(c), "{c:?}");
            assert_eq!(serde_json::from_str::<String>(&json).unwrap(), text, "nothing is lost");
        }
        for text in ["Überfahrt → 𝄞", "日本", "e\u{301}", "a\u{ad}b", "\u{fffd}"] {
            assert_eq!((plain(text), safe_json(text)), (text.into(), text.into()));
        }
        let tags = "\u{e0041}";
        assert_eq!(safe_json(tags), "\\udb40\\udc41");
    }

    #[test]
    fn what_is_cut_says_so() {
        assert_eq!(shorten("towpath", 7), "towpath");
        assert_eq!(shorten("towpaths", 7), "towpat…");
    }
}
