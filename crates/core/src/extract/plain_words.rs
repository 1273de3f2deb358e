//! Texts by their words alone, to be compared with known phrases.

/// Lower case, without punctuation, single spaces.
pub(crate) fn plain(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for word in text.split(|c: char| !c.is_alphanumeric() && c != '\'' && c != '’') {
        let word = word.trim_matches(['\'', '’']);
        if word.is_empty() {
            continue;
        }
        if !out.is_empty() {
            out.push(' ');
        }
        out.extend(
            word.chars().flat_map(char::to_lowercase).map(|c| if c == '’' { '\'' } else { c }),
        );
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_lower_case_with_single_spaces() {
        for (text, words) in [
            ("  404 — Page Not\nFound! ", "404 page not found"),
            ("What’s 'new'?", "what's new"),
            ("ÖFFNUNGSZEITEN", "öffnungszeiten"),
            ("?! …", ""),
        ] {
            assert_eq!(plain(text), words, "{text}");
        }
    }
}
