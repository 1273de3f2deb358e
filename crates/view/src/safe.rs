//! Makes text from pages safe to show.

use std::fmt;

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

fn is_hostile(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{2069}' | '\u{feff}')
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
    fn what_is_cut_says_so() {
        assert_eq!(shorten("towpath", 7), "towpath");
        assert_eq!(shorten("towpaths", 7), "towpat…");
    }
}
