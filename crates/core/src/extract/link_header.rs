//! The `Link` header of a response (RFC 8288 §3).

/// One link in a header.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Link {
    /// The text between `<` and `>`.
    pub target: String,
    /// The `rel` parameter.
    pub rel: Option<String>,
}

/// The links in one value of the header, as far as it can be parsed.
#[must_use]
pub fn links(value: &str) -> Vec<Link> {
    let mut found = Vec::new();
    let mut rest = value;
    while let Some(start) = rest.find('<') {
        let after = &rest[start + 1..];
        let Some(end) = after.find('>') else { break };
        let (parameters, next) = until_comma(&after[end + 1..]);
        found.push(Link { target: after[..end].trim().to_owned(), rel: rel(parameters) });
        rest = next;
    }
    found
}

/// Splits a text at the first separator outside a quoted string.
fn part(text: &str, sign: char) -> Option<(&str, &str)> {
    let (mut quoted, mut escaped) = (false, false);
    for (at, c) in text.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' if quoted => escaped = true,
            '"' => quoted = !quoted,
            c if c == sign && !quoted => return Some((&text[..at], &text[at + c.len_utf8()..])),
            _ => {}
        }
    }
    None
}

fn until_comma(text: &str) -> (&str, &str) {
    part(text, ',').unwrap_or((text, ""))
}

/// The first `rel` counts (RFC 8288 §3.3).
fn rel(parameters: &str) -> Option<String> {
    let mut rest = parameters;
    loop {
        let (parameter, next) = part(rest, ';').unwrap_or((rest, ""));
        if let Some((name, value)) = parameter.split_once('=')
            && name.trim().eq_ignore_ascii_case("rel")
        {
            return Some(value.trim().trim_matches('"').to_owned());
        }
        if next.is_empty() {
            return None;
        }
        rest = next;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn seen(value: &str) -> Vec<String> {
        let show = |link: Link| format!("{} {}", link.target, link.rel.unwrap_or_default());
        links(value).into_iter().map(show).collect()
    }

    #[test]
    fn links_are_separated_by_commas_outside_of_urls_and_strings() {
        for (value, expected) in [
            ("</a.css>; rel=preload; as=style", &["/a.css preload"][..]),
            ("</a>; rel=\"next\", </b>;title=\"x, <y>\";rel=prev", &["/a next", "/b prev"]),
            ("<http://a.test/?x,y>; REL = next; rel=prev", &["http://a.test/?x,y next"]),
            ("</a>", &["/a "]),
            ("</a>; title=\"a\\\"; rel=x\"; rel=y", &["/a y"]),
            // A backslash escapes within quotes alone.
            ("</a>; t=\\\"x, </b>\"; rel=next", &["/a next"]),
            ("no link", &[]),
            ("</truncated", &[]),
        ] {
            assert_eq!(seen(value), expected, "{value}");
        }
    }
}
