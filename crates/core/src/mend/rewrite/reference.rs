//! How a new URL is written: in the style of the reference that it replaces.

use url::{Position, Url};

/// The reference to `to` on a page with this base: relative, from the root, without scheme, or
/// absolute, as `written` is, unless that would lead elsewhere.
pub(super) fn in_style_of(written: &str, base: &Url, to: &str) -> String {
    let Ok(new) = Url::parse(to) else { return to.to_owned() };
    let written = written.trim();
    let leads_there = |reference: &String| base.join(reference).is_ok_and(|url| url == new);
    let shorter = if has_scheme(written) {
        None
    } else if written.starts_with("//") {
        Some(new[Position::AfterScheme..].trim_start_matches(':').to_owned())
    } else if new.origin() != base.origin() {
        None
    } else if written.starts_with('#')
        && new[..Position::AfterQuery] == base[..Position::AfterQuery]
    {
        new.fragment().map(|fragment| format!("#{fragment}"))
    } else if written.starts_with('/') {
        Some(new[Position::BeforePath..].to_owned())
    } else {
        let relative = base.make_relative(&new).filter(|reference| !reference.is_empty());
        relative.map(|reference| like_dot(written, reference))
    };
    let from_root = || {
        let may = !has_scheme(written) && new.origin() == base.origin();
        may.then(|| new[Position::BeforePath..].to_owned())
    };
    shorter
        .filter(leads_there)
        .or_else(|| from_root().filter(leads_there))
        .unwrap_or_else(|| to.to_owned())
}

/// `./x` stays `./y`.
fn like_dot(written: &str, reference: String) -> String {
    if written.starts_with("./") && !reference.starts_with('.') {
        return format!("./{reference}");
    }
    reference
}

fn has_scheme(written: &str) -> bool {
    let Some(end) = written.find(':') else { return false };
    let scheme = &written[..end];
    scheme.starts_with(|c: char| c.is_ascii_alphabetic())
        && scheme.chars().all(|c| c.is_ascii_alphanumeric() || "+-.".contains(c))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn references_keep_their_style() {
        let base = Url::parse("https://a.test/paths/lock/page.html").unwrap();
        for (written, to, expected) in [
            ("https://a.test/x", "https://a.test/y#z", "https://a.test/y#z"),
            ("HTTP://b.test", "https://b.test/", "https://b.test/"),
            ("//b.test/x", "https://b.test/y", "//b.test/y"),
            ("//b.test/x", "http://b.test/y", "http://b.test/y"),
            ("/x", "https://a.test/y?q=1#z", "/y?q=1#z"),
            ("/x", "https://b.test/y", "https://b.test/y"),
            ("x", "https://a.test/paths/lock/y", "y"),
            ("x", "https://a.test/paths/y", "../y"),
            ("../x#a", "https://a.test/paths/y#b", "../y#b"),
            ("./x", "https://a.test/paths/lock/y", "./y"),
            ("x", "https://a.test/", "../../"),
            ("www.b.test/x", "https://www.b.test/x", "https://www.b.test/x"),
            ("#a", "https://a.test/paths/lock/page.html#b", "#b"),
            ("page.html#a", "https://a.test/paths/lock/page.html#b", "#b"),
            ("x", "https://a.test/paths/lock/a:b", "/paths/lock/a:b"),
            ("htp://b.test/", "http://b.test/", "http://b.test/"),
        ] {
            let new = in_style_of(written, &base, to);
            assert_eq!(new, expected, "{written:?}");
            assert_eq!(base.join(&new).unwrap().as_str(), to);
        }
    }
}
