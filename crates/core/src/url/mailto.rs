//! Whether a `mailto:` URL has a valid recipient (RFC 6068 §2).

use crate::url::fragment::percent_decode;

/// Whether an email can be sent: `to`, in the path or as a header field, contains addresses and
/// nothing else. A message with a body but without a recipient is for the user to forward.
#[must_use]
pub fn is_addressed(path: &str, query: Option<&str>) -> bool {
    let fields: Vec<(String, String)> = query
        .unwrap_or_default()
        .split('&')
        .filter_map(|field| field.split_once('='))
        .map(|(name, value)| (name.to_ascii_lowercase(), percent_decode(value)))
        .collect();
    let to = percent_decode(path);
    let field =
        |name: &str| fields.iter().find(|(known, _)| known == name).map(|(_, value)| value.trim());
    let has_to = field("to").is_some_and(|to| !to.is_empty());
    if to.trim().is_empty() && !has_to {
        return field("body").is_some_and(|body| !body.is_empty());
    }
    let all = [to.as_str(), field("to").unwrap_or_default()];
    all.iter().filter(|list| !list.trim().is_empty()).all(|list| list.split(',').all(is_address))
}

/// An email address (RFC 6068 §2, `addr-spec`): something, `@`, a host. A name with the address
/// in angle brackets is widely understood.
fn is_address(text: &str) -> bool {
    let text = text.trim();
    let text = match text.rsplit_once('<') {
        Some((_, address)) => address.trim_end_matches('>').trim(),
        None => text,
    };
    let Some((local, host)) = text.rsplit_once('@') else { return false };
    let is_quoted = local.len() > 2 && local.starts_with('"') && local.ends_with('"');
    let local_fits = !local.is_empty()
        && (is_quoted
            || !local.contains(|c: char| c.is_whitespace() || "()<>[]:;@\\,\"".contains(c)));
    let host_fits = !host.is_empty()
        && !host.starts_with(['.', '-'])
        && !host.contains("..")
        && !host.contains(|c: char| c.is_whitespace() || "()<>;@\\,\"/?".contains(c));
    local_fits && host_fits
}

#[cfg(test)]
mod tests {
    use super::*;

    fn is_fine(address: &str) -> bool {
        let (path, query) = match address.split_once('?') {
            Some((path, query)) => (path, Some(query)),
            None => (address, None),
        };
        is_addressed(path, query)
    }

    #[test]
    fn valid_recipients_are_accepted() {
        for address in [
            "keeper@a.test",
            "keeper@a.test,clerk@a.test?subject=Locks",
            "?to=keeper@a.test",
            "keeper%40a.test",
            "keeper+locks@a.test",
            "?to=keeper+locks@a.test",
            "lock&keeper=5@a.test",
            "\"lock keeper\"@a.test",
            "The Keeper <keeper@a.test>",
            "keeper@localhost",
            "keeper@schleuse-köln.test",
            "?subject=Look&body=https://a.test/",
        ] {
            assert!(is_fine(address), "{address}");
        }
    }

    #[test]
    fn missing_or_invalid_recipients_are_not() {
        for address in [
            "",
            "?subject=Locks",
            "keeper",
            "keeper@",
            "@a.test",
            "keeper a.test",
            "keeper@a.test;clerk@a.test",
            "http://a.test/",
            "keeper@a..test",
            "?to=keeper",
            "\"\"@a.test",
        ] {
            assert!(!is_fine(address), "{address}");
        }
    }
}
