//! For nginx: a file to include in a `server` block.
//!
//! Paths are compared by `location =`, which is exact and looked up in a tree; `map` would ignore
//! letter case, and redirect a corrected URL to itself. What depends on the query is compared with
//! `$request_uri`.

use std::fmt::Write as _;

use rummage_core::mend::redirects::Redirect;

use super::{decoded, is_script, regex, split};

const HEAD: &str = "\
# Redirects for nginx, made by rummage mend redirects. Include this file in the server block:
#   include /etc/nginx/redirects.conf;
";

/// The redirects as nginx directives.
#[must_use]
pub fn nginx(redirects: &[Redirect]) -> String {
    let mut text = HEAD.to_owned();
    for redirect in redirects {
        let (path, query) = split(redirect);
        let status = redirect.status;
        let line = if redirect.is_prefix {
            let to = redirect.to.as_deref().unwrap_or_default();
            let pattern = format!("^{}(.*)$", regex(&redirect.from));
            let to = format!("{}$1", literal(to));
            format!("if ($request_uri ~ {}) {{ return {status} \"{to}\"; }}", quoted(&pattern))
        } else {
            let exact = decoded(path).filter(|_| query.is_none() && !is_script(path));
            let action = match &redirect.to {
                None => format!("return {status};"),
                Some(to) => {
                    // A new URL with a query, or anchor, takes no other.
                    let keeps = exact.is_some() && !to.contains(['?', '#']);
                    let rest = if keeps { "$is_args$args" } else { "" };
                    format!("return {status} \"{}{rest}\";", literal(to))
                }
            };
            match exact {
                Some(path) => format!("location = {} {{ {action} }}", quoted(&path)),
                None => format!("if ($request_uri = {}) {{ {action} }}", quoted(&redirect.from)),
            }
        };
        let _ = writeln!(text, "{line}");
    }
    text
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}

/// A URL in which nothing is a variable.
fn literal(url: &str) -> String {
    url.replace('\\', "%5C").replace('"', "%22").replace('$', "%24")
}
