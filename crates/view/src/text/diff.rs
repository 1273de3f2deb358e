//! The changes of a file as a unified diff.

use std::io::Write;

use anstyle::AnsiColor;
use similar::{ChangeTag, TextDiff};

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
    let diff = TextDiff::from_lines(old, new);
    writeln!(out, "--- {}\n+++ {}", quoted("a", name), quoted("b", name))?;
    for hunk in diff.unified_diff().context_radius(CONTEXT).iter_hunks() {
        writeln!(out, "{}", hunk.header())?;
        // Written here and not by `similar`, which replaces what is not UTF-8.
        for change in hunk.iter_changes() {
            write!(out, "{}", change.tag())?;
            out.write_all(change.value())?;
            if !change.value().ends_with(b"\n") {
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
    let diff = TextDiff::from_lines(old, new);
    writeln!(out, "{STRONG}{}{STRONG:#}", safe(name))?;
    for hunk in diff.unified_diff().context_radius(CONTEXT).iter_hunks() {
        writeln!(out, "{faint}{}{faint:#}", hunk.header())?;
        for change in hunk.iter_changes() {
            let text = change.value().trim_end_matches(['\n', '\r']);
            match change.tag() {
                ChangeTag::Delete => writeln!(out, "{red}-{}{red:#}", safe(text))?,
                ChangeTag::Insert => writeln!(out, "{green}+{}{green:#}", safe(text))?,
                ChangeTag::Equal => writeln!(out, " {}", safe(text))?,
            }
        }
    }
    writeln!(out)?;
    Ok(())
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
    fn names_with_special_characters_are_quoted() {
        assert_eq!(quoted("a", "x\"y"), "\"a/x\\\"y\"");
        assert_eq!(quoted("b", "é.html"), "b/é.html");
    }
}
