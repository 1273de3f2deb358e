//! JSON Lines: each value is a string, or an object with a URL.

use serde_json::Value;

use super::entry::{Entry, Fault, LONGEST_LINE, List, is_url};
use super::lines::too_long;

/// The keys that may contain the URL, in this order; else the first string that is a URL.
const KEYS: [&str; 5] = ["target", "url", "address", "href", "loc"];

/// Parses JSON Lines.
#[must_use]
pub fn json_lines(bytes: &[u8]) -> List {
    let mut list = List::default();
    for (line, bytes) in (1u32..).zip(bytes.split(|byte| *byte == b'\n')) {
        if bytes.len() > LONGEST_LINE {
            list.faults.push(too_long(line));
            continue;
        }
        let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
        if bytes.trim_ascii().is_empty() {
            continue;
        }
        let found = match serde_json::from_slice::<Value>(bytes) {
            Ok(value) => written(&value).ok_or_else(|| "no URL".to_owned()),
            Err(error) => Err(format!("not valid JSON: {error}")),
        };
        match found {
            Ok(written) => list.entries.push(Entry::of(&written, line)),
            Err(what) => list.faults.push(Fault { line, what }),
        }
    }
    list
}

fn written(value: &Value) -> Option<String> {
    match value {
        Value::String(text) => Some(text.clone()),
        Value::Object(link_header) => {
            let named = KEYS.iter().find_map(|key| link_header.get(*key)?.as_str());
            let any = || link_header.values().filter_map(Value::as_str).find(|text| is_url(text));
            named.or_else(any).map(str::to_owned)
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_of_the_greatest_length_is_parsed() {
        let list = |length: usize| {
            let list = json_lines(format!("\"{}\"", "x".repeat(length - 2)).as_bytes());
            let faults: Vec<String> = list.faults.into_iter().map(|fault| fault.what).collect();
            (list.entries.len(), faults)
        };
        assert_eq!(list(LONGEST_LINE), (1, vec![]));
        assert_eq!(list(LONGEST_LINE + 1), (0, vec![too_long(1).what]));
    }

    #[test]
    fn objects_may_have_their_url_under_any_key() {
        let list = json_lines(
            b"{\"id\":1,\"url\":\"https://a.test/\"}\n\"www.b.test\"\n\n{\"x\":\"https://c.test/\"}\n\
              {\"x\":1}\n{\"url\":\n[1]",
        );
        let entries: Vec<(u32, &str)> =
            list.entries.iter().map(|entry| (entry.line, entry.written.as_str())).collect();
        assert_eq!(
            entries,
            [(1, "https://a.test/"), (2, "https://www.b.test"), (4, "https://c.test/")]
        );
        let faults: Vec<u32> = list.faults.iter().map(|fault| fault.line).collect();
        assert_eq!(faults, [5, 6, 7]);
        assert!(list.faults[1].what.starts_with("not valid JSON: "), "{:?}", list.faults);
    }
}
