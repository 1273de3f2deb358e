//! The URL in a `meta` refresh (HTML, "Shared declarative refresh steps").

/// The URL that the page redirects to; `None` for one that only reloads.
pub(super) fn target(content: &str) -> Option<&str> {
    let rest = content.trim_ascii_start();
    let rest = rest.trim_start_matches(|c: char| c.is_ascii_digit());
    if rest.len() == content.trim_ascii_start().len() && !rest.starts_with('.') {
        return None;
    }
    let rest = rest.trim_start_matches(|c: char| c.is_ascii_digit() || c == '.');
    if !rest.starts_with(|c: char| c == ';' || c == ',' || c.is_ascii_whitespace()) {
        return None;
    }
    let rest = rest.trim_ascii_start();
    let rest = rest.strip_prefix([';', ',']).unwrap_or(rest).trim_ascii_start();
    let url = without_url_word(rest).unwrap_or(rest);
    let url = match url.chars().next() {
        Some(quote @ ('"' | '\'')) => {
            let inner = &url[1..];
            inner.find(quote).map_or(inner, |end| &inner[..end])
        }
        _ => url,
    };
    (!url.is_empty()).then_some(url)
}

fn without_url_word(text: &str) -> Option<&str> {
    let word = text.get(..3)?;
    let rest = text[3..].trim_ascii_start().strip_prefix('=')?;
    word.eq_ignore_ascii_case("url").then(|| rest.trim_ascii_start())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn refreshes_are_parsed_as_in_browsers() {
        for (content, expected) in [
            ("0; url=/new", Some("/new")),
            ("5;URL='/new' x", Some("/new")),
            ("5,/new", Some("/new")),
            (" 1.5 \"/new\"", Some("/new")),
            (".; url=/new", Some("/new")),
            ("0;url", Some("url")),
            ("30", None),
            ("0;", None),
            ("url=/new", None),
            ("5x; url=/new", None),
        ] {
            assert_eq!(target(content), expected, "{content:?}");
        }
    }
}
