//! One URL per line; a line that begins with `#` is a comment.

use super::entry::{Entry, Fault, LONGEST_LINE, List};

/// Parses lines of text. Angle brackets around a URL are removed (RFC 3986, appendix C); a
/// comment may follow after white space.
///
/// ```
/// use rummage_core::extract::lists::lines;
///
/// let list = lines(b"# partners\n<http://a.test/>\nb.test/map # the map\n");
/// let entries: Vec<_> = list.entries.iter().map(|it| (it.line, it.written.as_str())).collect();
/// assert_eq!(entries, [(2, "http://a.test/"), (3, "https://b.test/map")]);
/// ```
#[must_use]
pub fn lines(bytes: &[u8]) -> List {
    let mut list = List::default();
    for (line, bytes) in (1u32..).zip(bytes.split(|byte| *byte == b'\n')) {
        if bytes.len() > LONGEST_LINE {
            list.faults.push(too_long(line));
            continue;
        }
        let text = match std::str::from_utf8(bytes) {
            Ok(text) => text.trim_start_matches('\u{feff}').trim(),
            Err(_) => {
                list.faults.push(Fault { line, what: "not UTF-8".to_owned() });
                continue;
            }
        };
        let text = text.split_once(" #").map_or(text, |(before, _)| before.trim_end());
        let bare = text.strip_prefix('<').and_then(|text| text.strip_suffix('>')).unwrap_or(text);
        if !bare.is_empty() && !bare.starts_with('#') {
            list.entries.push(Entry::of(bare, line));
        }
    }
    list
}

pub(super) fn too_long(line: u32) -> Fault {
    let what = format!("longer than {} MiB, so not a URL", LONGEST_LINE >> 20);
    Fault { line, what }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_line_except_comments_is_an_entry() {
        let list = lines(
            b"\xef\xbb\xbf# ours\r\nhttps://a.test/x#y\r\n\n  <http://b.test/> # theirs\n\xff\xfe\nwww.c.test",
        );
        let entries: Vec<(u32, &str)> =
            list.entries.iter().map(|entry| (entry.line, entry.written.as_str())).collect();
        assert_eq!(
            entries,
            [(2, "https://a.test/x#y"), (4, "http://b.test/"), (6, "https://www.c.test")]
        );
        assert_eq!(list.faults, [Fault { line: 5, what: "not UTF-8".to_owned() }]);
    }

    #[test]
    fn an_endless_line_is_not_a_url() {
        let long = [b"https://a.test/\n".as_slice(), &vec![b'x'; LONGEST_LINE + 1]].concat();
        let list = lines(&long);
        assert_eq!((list.entries.len(), list.faults.len()), (1, 1));
        assert!(list.faults[0].what.contains("longer than 1 MiB"), "{:?}", list.faults);
    }
}
