//! Rules of `meta name=robots` and of the `X-Robots-Tag` header. They have no standard; search
//! engines document them alike: rules separated by commas, `none` for `noindex, nofollow`.

/// Whether the rules keep a page out of search engines. Rules for one robot, such as
/// `otherbot: noindex`, are not for all.
///
/// ```
/// use rummage_core::extract::robots_meta::says_noindex;
///
/// assert!(says_noindex("Follow, NoIndex"));
/// assert!(!says_noindex("otherbot: noindex"));
/// ```
#[must_use]
pub fn says_noindex(rules: &str) -> bool {
    let first = rules.split_once(':').map_or("", |(name, _)| name.trim());
    // Rules with a value, which look like rules for one robot.
    let is_rule = first.contains(',')
        || ["max-snippet", "max-image-preview", "max-video-preview", "unavailable_after"]
            .iter()
            .any(|known| first.eq_ignore_ascii_case(known));
    if !first.is_empty() && !is_rule {
        return false;
    }
    let mut rules = rules.split(',').map(str::trim);
    rules.any(|rule| ["noindex", "none"].iter().any(|known| rule.eq_ignore_ascii_case(known)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_noindex_and_none_keep_a_page_out() {
        for rules in [
            "noindex",
            " NONE ",
            "nofollow,noindex",
            "Max-Snippet:5, noindex",
            "noindex, max-snippet:5",
        ] {
            assert!(says_noindex(rules), "{rules}");
        }
        for rules in [
            "",
            "index",
            "nofollow",
            "noindexing",
            "a: none",
            "a: nofollow, noindex",
            "noimageindex",
        ] {
            assert!(!says_noindex(rules), "{rules}");
        }
    }
}
