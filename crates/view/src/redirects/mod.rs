//! Redirects in the forms of servers, one file each.

mod apache;
mod list;
mod nginx;

use percent_encoding::percent_decode_str;
use rummage_core::mend::redirects::Redirect;

pub use apache::apache;
pub use list::{csv, json};
pub use nginx::nginx;

/// Scripts whose path may be missing alone and work with a query: for others, a redirect applies
/// with any query.
fn is_script(path: &str) -> bool {
    let ending = path.rsplit_once('.').map(|(_, ending)| ending.to_ascii_lowercase());
    ending.is_some_and(|ending| {
        ["php", "asp", "aspx", "jsp", "cgi", "pl", "cfm"].contains(&ending.as_str())
    })
}

/// Path and query of an old URL.
fn split(redirect: &Redirect) -> (&str, Option<&str>) {
    match redirect.from.split_once('?') {
        Some((path, query)) => (path, Some(query)),
        None => (&redirect.from, None),
    }
}

/// A path as servers compare it: percent-decoded. `None` if that is not text.
fn decoded(path: &str) -> Option<String> {
    let text = percent_decode_str(path).decode_utf8().ok()?;
    (!text.contains(char::is_control)).then(|| text.into_owned())
}

/// A text that a regular expression matches as it is (PCRE, "Backslash").
fn regex(text: &str) -> String {
    let mut escaped = String::with_capacity(text.len());
    for c in text.chars() {
        if "\\^$.|?*+()[]{}".contains(c) {
            escaped.push('\\');
        }
        escaped.push(c);
    }
    escaped
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    fn redirect(from: &str, is_prefix: bool, to: Option<&str>) -> Redirect {
        let status = if to.is_some() { 301 } else { 410 };
        Redirect { from: from.to_owned(), is_prefix, to: to.map(str::to_owned), status }
    }

    fn all() -> Vec<Redirect> {
        vec![
            redirect("/old", false, Some("https://a.test/new")),
            redirect("/lock%20%22A%22.html", false, Some("https://a.test/lock%20a?x=$1#y")),
            redirect("/page.php", false, Some("https://a.test/page")),
            redirect("/page.php?id=3&b=1", false, Some("https://a.test/three")),
            redirect("/gone", false, None),
            redirect("/paths/", true, Some("https://a.test/trails/")),
        ]
    }

    fn rules(text: &str) -> Vec<&str> {
        text.lines().filter(|line| !line.starts_with('#') && !line.is_empty()).collect()
    }

    #[test]
    fn nginx_compares_exactly_and_keeps_queries() {
        assert_eq!(
            rules(&nginx(&all())),
            [
                r#"location = "/old" { return 301 "https://a.test/new$is_args$args"; }"#,
                r#"location = "/lock \"A\".html" { return 301 "https://a.test/lock%20a?x=%241#y"; }"#,
                r#"if ($request_uri = "/page.php") { return 301 "https://a.test/page"; }"#,
                r#"if ($request_uri = "/page.php?id=3&b=1") { return 301 "https://a.test/three"; }"#,
                r#"location = "/gone" { return 410; }"#,
                r#"if ($request_uri ~ "^/paths/(.*)$") { return 301 "https://a.test/trails/$1"; }"#,
            ]
        );
    }

    #[test]
    fn apache_compares_exactly_and_keeps_queries() {
        assert_eq!(
            rules(&apache(&all())),
            [
                "RewriteEngine On",
                r#"RewriteRule "^/?old$" "https://a.test/new" [R=301,L,NE]"#,
                r#"RewriteRule "^/?lock \x22A\x22\.html$" "https://a.test/lock\%20a?x=\$1#y" [R=301,L,NE,QSD]"#,
                r#"RewriteCond "%{QUERY_STRING}" "^$""#,
                r#"RewriteRule "^/?page\.php$" "https://a.test/page" [R=301,L,NE]"#,
                r#"RewriteCond "%{QUERY_STRING}" "^id=3&b=1$""#,
                r#"RewriteRule "^/?page\.php$" "https://a.test/three" [R=301,L,NE,QSD]"#,
                r#"RewriteRule "^/?gone$" "-" [G,L]"#,
                r#"RewriteRule "^/?paths/(.*)$" "https://a.test/trails/$1" [R=301,L]"#,
            ]
        );
    }

    #[test]
    fn lists_have_all_of_it() {
        let text = csv(&all()).unwrap();
        assert!(text.starts_with("from,to,status,prefix\n/old,https://a.test/new,301,false\n"));
        let json: serde_json::Value = serde_json::from_str(&json(&all())).unwrap();
        assert_eq!(json[4]["to"], serde_json::Value::Null);
        assert_eq!(json[5]["prefix"], true);
    }
}
