//! Values in URLs that look like secrets: for reports that are handed over.
//!
//! Which parameters hold secrets is a guess by their names. A value that is masked by mistake
//! costs a reader little; one that is shown can open a door.

use std::borrow::Cow;

use super::userinfo::MASK;

/// Names of parameters, in lower case and without `-` and `_`.
const NAMES: &[&str] = &[
    "apikey",
    "auth",
    "authorization",
    "jwt",
    "key",
    "otp",
    "pass",
    "passwd",
    "password",
    "pin",
    "pwd",
    "sas",
    "secret",
    "session",
    "sessionid",
    "sid",
    "sig",
    "signature",
    "ticket",
    "token",
];
/// What longer names end with.
const ENDS: &[&str] =
    &["apikey", "key", "password", "secret", "sessid", "sig", "signature", "token"];
/// What stands before a name: separators in a URL (WHATWG URL, "application/x-www-form-urlencoded"),
/// `;` at the end of `&amp;`, and the same percent-encoded in a URL within a URL.
const BEFORE: &[&str] = &["?", "&", ";", "#", "%3F", "%3f", "%26", "%23", "%3B", "%3b"];
/// What stands between a name and its value.
const EQUALS: &[&str] = &["=", "%3D", "%3d"];

/// Text with [`MASK`] for values of URL parameters that look like secrets.
///
/// ```
/// use rummage_core::url::secrets::masked;
///
/// let url = "https://a.test/f?page=2&access_token=cafe#top";
/// assert_eq!(masked(url), "https://a.test/f?page=2&access_token=***#top");
/// assert_eq!(masked("https://a.test/?monkey=1"), "https://a.test/?monkey=1");
/// ```
#[must_use]
pub fn masked(text: &str) -> Cow<'_, str> {
    let mut out = Cow::Borrowed("");
    let mut kept = 0;
    let mut from = 0;
    while let Some(equals) = text[from..].find(['=', '%']).map(|at| from + at) {
        from = equals + 1;
        let Some(sign) = EQUALS.iter().find(|sign| text[equals..].starts_with(**sign)) else {
            continue;
        };
        let start = equals + sign.len();
        let end = start + value_length(&text[start..], sign.len() > 1);
        if end > start && is_secret(&text[..equals]) {
            let out = out.to_mut();
            out.push_str(&text[kept..start]);
            out.push_str(MASK);
            (kept, from) = (end, end);
        }
    }
    if kept == 0 {
        return Cow::Borrowed(text);
    }
    out.to_mut().push_str(&text[kept..]);
    out
}

/// The length of a value in bytes: up to what cannot be in one, or ends it. Markdown escapes some
/// characters by a backslash.
fn value_length(text: &str, is_encoded: bool) -> usize {
    let ends = |c: char| c.is_whitespace() || c.is_control() || "&#;\"'<>()[]{}|^`,".contains(c);
    let is_end = |(at, c): &(usize, char)| match c {
        '\\' => !text[at + 1..].starts_with(['_', '*', '~']),
        c => ends(*c),
    };
    let end = text.char_indices().find(is_end).map_or(text.len(), |(at, _)| at);
    let inner = ["%26", "%23", "%3B", "%3b"];
    let inner = inner.iter().filter(|_| is_encoded).filter_map(|sign| text[..end].find(sign));
    inner.min().unwrap_or(end)
}

/// Whether text ends with a separator and the name of a secret.
fn is_secret(text: &str) -> bool {
    let is_of_name = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.' | '\\');
    let encoded = |from: usize| BEFORE.iter().any(|sign| text[from..].starts_with(*sign));
    // Percent-encoded separators end in characters that names have as well.
    let mut start = text.trim_end_matches(is_of_name).len();
    if text[..start].ends_with('%') && encoded(start - 1) {
        start += 2;
    } else if !BEFORE.iter().any(|sign| text[..start].ends_with(sign)) {
        return false;
    }
    let Some(name) = text.get(start..) else { return false };
    let plain: String =
        name.chars().filter(|c| !"-_.\\".contains(*c)).map(|c| c.to_ascii_lowercase()).collect();
    let is_longer = |end: &&&str| {
        let has_part = name.contains(['-', '_', '.']) || name.contains(char::is_uppercase);
        plain.ends_with(**end) && (has_part || **end != "key")
    };
    NAMES.contains(&plain.as_str()) || ENDS.iter().any(|end| is_longer(&end))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn secrets_are_masked_wherever_a_url_is() {
        for (text, expected) in [
            ("/a?token=x", "/a?token=***"),
            ("/a?a=1&amp;sig=x&amp;b=2", "/a?a=1&amp;sig=***&amp;b=2"),
            ("/a?X-Amz-Signature=ab%2Fcd&x=1", "/a?X-Amz-Signature=***&x=1"),
            ("/a#access_token=x", "/a#access_token=***"),
            ("/login?next=%2Fb%3Fapi_key%3Dx%26c%3D1", "/login?next=%2Fb%3Fapi_key%3D***%26c%3D1"),
            ("{\"u\":\"/a?key=x\",\"v\":1}", "{\"u\":\"/a?key=***\",\"v\":1}"),
            ("a /b?pass=x, c", "a /b?pass=***, c"),
            ("/a?accessKey=x", "/a?accessKey=***"),
            ("?PASSWORD=geheim", "?PASSWORD=***"),
            ("/f?a=1\\&access\\_token=ca\\_fe\\*1\\&b=2", "/f?a=1\\&access\\_token=***\\&b=2"),
            ("{\"a\":\"?sid=1\\\"x\\u003c\"}", "{\"a\":\"?sid=***\\\"x\\u003c\"}"),
        ] {
            assert_eq!(masked(text), expected);
        }
    }

    #[test]
    fn all_else_stays() {
        for text in [
            "",
            "=",
            "?token=",
            "/token=x",
            "?monkey=1",
            "?keyword=canal",
            "?page=2&sort=key",
            "%",
            "%3",
            "?q=a%3Db",
            "?author=x",
            "ü?ü=ü",
            "?tokens=3",
        ] {
            assert_eq!(masked(text), text, "{text}");
        }
    }
}
