//! For Apache: rules of mod_rewrite, for .htaccess or a virtual host.

use std::fmt::Write as _;

use rummage_core::mend::redirects::Redirect;

use super::{decoded, is_script, regex, split};

const HEAD: &str = "\
# Redirects for Apache, made by rummage mend redirects. Put them into .htaccess, or include this
# file in the virtual host. They need mod_rewrite, and come before other rules:
#   Include /etc/apache2/redirects.conf
RewriteEngine On
";

/// The redirects as directives of mod_rewrite.
#[must_use]
pub fn apache(redirects: &[Redirect]) -> String {
    let mut text = HEAD.to_owned();
    for redirect in redirects {
        let (path, query) = split(redirect);
        let Some(decoded) = decoded(path) else {
            let _ = writeln!(text, "# left out, as its path is not text: {}", redirect.from);
            continue;
        };
        let condition = match query {
            Some(query) => Some(format!("^{}$", regex(query))),
            None if is_script(path) && !redirect.is_prefix => Some("^$".to_owned()),
            None => None,
        };
        if let Some(condition) = &condition {
            let _ = writeln!(text, "RewriteCond \"%{{QUERY_STRING}}\" {}", quoted(condition));
        }
        // In .htaccess, the path has no leading slash.
        let bare = regex(decoded.strip_prefix('/').unwrap_or(&decoded));
        let rest = if redirect.is_prefix { "(.*)" } else { "" };
        let pattern = quoted(&format!("^/?{bare}{rest}$"));
        let status = redirect.status;
        let (to, flags) = match &redirect.to {
            None => ("-".to_owned(), "G,L".to_owned()),
            Some(to) if redirect.is_prefix => {
                // The rest is escaped by the server, unless the new URL is escaped already.
                let flags = if to.contains('%') { ",NE,B" } else { "" };
                (format!("{}$1", literal(to)), format!("R={status},L{flags}"))
            }
            Some(to) => {
                // A new URL with a query takes no other; neither does one for a certain query.
                let drops = to.contains('?') || query.is_some();
                let flags = if drops { ",QSD" } else { "" };
                (literal(to), format!("R={status},L,NE{flags}"))
            }
        };
        let _ = writeln!(text, "RewriteRule {pattern} \"{to}\" [{flags}]");
    }
    text
}

/// mod_rewrite knows no escape for a quote in quotes; its patterns do.
fn quoted(pattern: &str) -> String {
    format!("\"{}\"", pattern.replace('"', "\\x22"))
}

/// A URL in which nothing refers to a part of the pattern.
fn literal(url: &str) -> String {
    url.replace('\\', "%5C").replace('"', "%22").replace('%', "\\%").replace('$', "\\$")
}
