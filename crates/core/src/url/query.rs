//! What happens to the query strings of internal URLs.

use url::Url;

use crate::url::pattern::fits;

/// Which parts of a query are dropped before a URL is requested.
///
/// ```
/// use rummage_core::url::query::QueryRule;
/// use url::Url;
///
/// let mut url = Url::parse("http://a.test/?id=7&session=a8").unwrap();
/// QueryRule::DropNames(vec!["session".to_owned()]).apply(&mut url);
/// assert_eq!(url.as_str(), "http://a.test/?id=7");
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum QueryRule {
    /// None.
    #[default]
    Keep,
    /// The whole query.
    Drop,
    /// Parameters with these names, in which `*` matches any text.
    DropNames(Vec<String>),
}

impl QueryRule {
    /// Applies the rule to a URL. Parameters that are kept stay as written.
    pub fn apply(&self, url: &mut Url) {
        let Some(query) = url.query() else { return };
        let kept = match self {
            QueryRule::Keep => return,
            QueryRule::Drop => None,
            QueryRule::DropNames(names) => {
                let stays = |part: &&str| {
                    let decoded = url::form_urlencoded::parse(part.as_bytes()).next();
                    let name = decoded.map(|(name, _)| name).unwrap_or_default();
                    !names.iter().any(|dropped| fits(dropped, &name))
                };
                let kept: Vec<&str> = query.split('&').filter(stays).collect();
                (!kept.is_empty()).then(|| kept.join("&"))
            }
        };
        url.set_query(kept.as_deref());
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parameters_that_are_kept_stay_as_written() {
        let names = |names: &[&str]| {
            QueryRule::DropNames(names.iter().map(|&name| name.to_owned()).collect())
        };
        for (rule, before, after) in [
            (QueryRule::Keep, "?a=%41&", "?a=%41&"),
            (QueryRule::Drop, "?a=1", ""),
            (QueryRule::Drop, "", ""),
            (names(&["b"]), "?c=%2f&b=1&b&a=+", "?c=%2f&a=+"),
            (names(&["a"]), "?a=1", ""),
            (names(&["utm_*"]), "?utm_source=x&utm=1", "?utm=1"),
            (names(&["s p"]), "?s%20p=1&s+p=2&q", "?q"),
        ] {
            let mut url = Url::parse(&format!("http://a.test/x{before}")).unwrap();
            rule.apply(&mut url);
            assert_eq!(url.as_str(), format!("http://a.test/x{after}"), "{rule:?} {before}");
        }
    }
}
