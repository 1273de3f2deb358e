//! The changes of a file as a unified diff.

use std::io::Write;
use std::ops::Range;

use anstyle::AnsiColor;
use similar::{Algorithm, DiffOp, DiffTag, capture_diff_slices, group_diff_ops};

use crate::ViewError;
use crate::safe::safe;
use crate::style::STRONG;

/// Lines of context around a change.
const CONTEXT: usize = 3;

/// The name of a file in a diff. Git quotes names with special characters.
fn quoted(side: &str, name: &str) -> String {
    let name = format!("{side}/{name}");
    if !name.contains(['"', '\\']) && !name.chars().any(char::is_control) {
        // A tab ends a name with blanks.
        return if name.contains(' ') { format!("{name}\t") } else { name };
    }
    let mut text = "\"".to_owned();
    for c in name.chars() {
        match c {
            '"' | '\\' => text.extend(['\\', c]),
            '\n' => text.push_str("\\n"),
            '\t' => text.push_str("\\t"),
            c if c.is_control() => text.push_str(&format!("\\{:03o}", u32::from(c))),
            c => text.push(c),
        }
    }
    text.push('"');
    text
}

/// Writes the changes of a file as `git apply` and `patch` accept them: bytes as they are.
///
/// # Errors
/// See [`ViewError`].
pub fn patch(out: &mut dyn Write, name: &str, old: &[u8], new: &[u8]) -> Result<(), ViewError> {
    let (old, new) = (lines(old), lines(new));
    writeln!(out, "--- {}\n+++ {}", quoted("a", name), quoted("b", name))?;
    for hunk in hunks(&old, &new) {
        writeln!(out, "{}", header(&hunk))?;
        for (sign, line) in changes(&hunk, &old, &new) {
            write!(out, "{sign}")?;
            out.write_all(line)?;
            if !line.ends_with(b"\n") {
                out.write_all(b"\n\\ No newline at end of file\n")?;
            }
        }
    }
    Ok(())
}

/// Writes the changes of a file for a terminal, and an empty line.
///
/// # Errors
/// See [`ViewError`].
pub fn diff(out: &mut dyn Write, name: &str, old: &str, new: &str) -> Result<(), ViewError> {
    let (red, green) = (AnsiColor::Red.on_default(), AnsiColor::Green.on_default());
    let faint = AnsiColor::Cyan.on_default();
    let (old, new) = (lines(old.as_bytes()), lines(new.as_bytes()));
    writeln!(out, "{STRONG}{}{STRONG:#}", safe(name))?;
    for hunk in hunks(&old, &new) {
        writeln!(out, "{faint}{}{faint:#}", header(&hunk))?;
        for (sign, line) in changes(&hunk, &old, &new) {
            let text = String::from_utf8_lossy(line);
            let text = safe(text.trim_end_matches(['\n', '\r']));
            match sign {
                '-' => writeln!(out, "{red}-{text}{red:#}")?,
                '+' => writeln!(out, "{green}+{text}{green:#}")?,
                _ => writeln!(out, " {text}")?,
            }
        }
    }
    writeln!(out)?;
    Ok(())
}

/// The lines of a text, each with its end.
fn lines(text: &[u8]) -> Vec<&[u8]> {
    text.split_inclusive(|byte| *byte == b'\n').collect()
}

/// The changes with their context. Where URLs were replaced, lines correspond one to one: nothing
/// is searched for, however many have changed.
fn hunks(old: &[&[u8]], new: &[&[u8]]) -> Vec<Vec<DiffOp>> {
    let ops = if old.len() == new.len() {
        line_by_line(old, new)
    } else {
        capture_diff_slices(Algorithm::Myers, old, new)
    };
    group_diff_ops(ops, CONTEXT)
}

fn line_by_line(old: &[&[u8]], new: &[&[u8]]) -> Vec<DiffOp> {
    let mut ops = Vec::new();
    let mut from = 0;
    for at in 1..=old.len() {
        let is_same = old[from] == new[from];
        if at < old.len() && (old[at] == new[at]) == is_same {
            continue;
        }
        let length = at - from;
        ops.push(match is_same {
            true => DiffOp::Equal { old_index: from, new_index: from, len: length },
            false => DiffOp::Replace {
                old_index: from,
                old_len: length,
                new_index: from,
                new_len: length,
            },
        });
        from = at;
    }
    ops
}

/// The header of a hunk, `@@ -from,count +from,count @@`.
fn header(hunk: &[DiffOp]) -> String {
    let range = |ranges: Vec<Range<usize>>| {
        let start = ranges.first().map_or(0, |first| first.start);
        let end = ranges.last().map_or(0, |last| last.end);
        match end - start {
            1 => format!("{}", start + 1),
            0 => format!("{start},0"),
            count => format!("{},{count}", start + 1),
        }
    };
    let old = range(hunk.iter().map(DiffOp::old_range).collect());
    let new = range(hunk.iter().map(DiffOp::new_range).collect());
    format!("@@ -{old} +{new} @@")
}

/// The lines of a hunk, each with its sign.
fn changes<'a>(
    hunk: &'a [DiffOp],
    old: &'a [&'a [u8]],
    new: &'a [&'a [u8]],
) -> impl Iterator<Item = (char, &'a [u8])> {
    hunk.iter().flat_map(move |op| {
        let is_same = op.tag() == DiffTag::Equal;
        let removed =
            old[op.old_range()].iter().map(move |line| (if is_same { ' ' } else { '-' }, *line));
        let added = new[op.new_range()].iter().filter(move |_| !is_same).map(|line| ('+', *line));
        removed.chain(added)
    })
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn a_patch_keeps_bytes_and_line_ends() {
        let mut out = Vec::new();
        patch(&mut out, "a b/x.html", b"1\r\n\xe9\r\n3", b"1\r\n\xe8\r\n3").unwrap();
        let expected: &[u8] = b"--- a/a b/x.html\t\n+++ b/a b/x.html\t\n@@ -1,3 +1,3 @@\n 1\r\n\
            -\xe9\r\n+\xe8\r\n 3\n\\ No newline at end of file\n";
        assert_eq!(String::from_utf8_lossy(&out), String::from_utf8_lossy(expected));
        assert_eq!(out, expected);
    }

    #[test]
    fn lines_that_go_and_lines_that_change_are_found() {
        let text =
            |lines: &[&str]| lines.iter().map(|line| format!("{line}\n")).collect::<String>();
        let old = text(&["1", "2", "3", "4", "5", "6", "7", "8", "9", "10", "11", "12"]);
        for (new, expected) in [
            (old.replace("2\n3", "2\nx"), "@@ -1,6 +1,6 @@\n 1\n 2\n-3\n+x\n 4\n 5\n 6\n"),
            (old.replace("1\n2\n", "1\n"), "@@ -1,5 +1,4 @@\n 1\n-2\n 3\n 4\n 5\n"),
            (
                old.replacen("1\n", "a\n", 1).replace("12\n", "b\n"),
                "@@ -1,4 +1,4 @@\n-1\n+a\n 2\n 3\n 4\n@@ -9,4 +9,4 @@\n 9\n 10\n 11\n-12\n+b\n",
            ),
        ] {
            let mut out = Vec::new();
            patch(&mut out, "x", old.as_bytes(), new.as_bytes()).unwrap();
            let found = String::from_utf8(out).unwrap();
            assert_eq!(found, format!("--- a/x\n+++ b/x\n{expected}"));
        }
    }

    #[test]
    fn names_with_special_characters_are_quoted() {
        assert_eq!(quoted("a", "x\"y"), "\"a/x\\\"y\"");
        assert_eq!(quoted("b", "é.html"), "b/é.html");
    }
}
