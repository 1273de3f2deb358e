//! The URLs in a `srcset` (HTML, "Parsing a srcset attribute").
//!
//! A URL may contain commas: only one at its end separates candidates.

/// The URLs of the candidates, in order.
pub(super) fn candidates(value: &str) -> Vec<&str> {
    let mut found = Vec::new();
    let mut rest = value;
    loop {
        rest = rest.trim_start_matches(|c: char| c == ',' || c.is_ascii_whitespace());
        if rest.is_empty() {
            return found;
        }
        let end = rest.find(|c: char| c.is_ascii_whitespace()).unwrap_or(rest.len());
        let (url, after) = rest.split_at(end);
        let bare = url.trim_end_matches(',');
        if !bare.is_empty() {
            found.push(bare);
        }
        rest = if bare.len() < url.len() { after } else { after_descriptors(after) };
    }
}

/// The rest after the comma that ends the descriptors; commas in parentheses do not count.
fn after_descriptors(text: &str) -> &str {
    let mut in_parentheses = false;
    for (at, c) in text.char_indices() {
        match c {
            '(' => in_parentheses = true,
            ')' => in_parentheses = false,
            ',' if !in_parentheses => return &text[at + 1..],
            _ => {}
        }
    }
    ""
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn candidates_are_split_as_in_browsers() {
        for (value, expected) in [
            ("a.jpg", &["a.jpg"][..]),
            ("a.jpg 1x, b.jpg 2x", &["a.jpg", "b.jpg"]),
            ("a.jpg, b.jpg", &["a.jpg", "b.jpg"]),
            ("a.jpg,b.jpg 2x", &["a.jpg,b.jpg"]),
            ("/w_100,h_50/a.jpg 100w,\n b.jpg", &["/w_100,h_50/a.jpg", "b.jpg"]),
            ("a.jpg foo(1,2) 1x, b.jpg", &["a.jpg", "b.jpg"]),
            (" , ,a.jpg,, ", &["a.jpg"]),
            ("data:,x 1x, b.jpg 2x", &["data:,x", "b.jpg"]),
            ("", &[]),
        ] {
            assert_eq!(candidates(value), expected, "{value:?}");
        }
    }
}
