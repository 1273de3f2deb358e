//! A plan of repairs: what happens to each target, how sure that is, and why.

use std::io::Write;

use rummage_core::mend::Confidence;

use crate::ViewError;
use crate::safe::safe;
use crate::style::{FAINT, STRONG, of_confidence};

/// A rule or a single repair.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RepairRow<'a> {
    /// What is done.
    pub action: &'a str,
    /// How sure it is.
    pub confidence: Option<Confidence>,
    /// The target, or what URLs start with.
    pub target: &'a str,
    /// The new URL.
    pub to: Option<&'a str>,
    /// Why, with what evidence, and how often.
    pub note: String,
}

/// The width of the columns for action and confidence.
const ACTION: usize = 9;
const CONFIDENCE: usize = 7;

/// Writes a plan: three lines for each repair, so that long URLs stay whole.
///
/// # Errors
/// See [`ViewError`].
pub fn repairs(out: &mut dyn Write, rows: &[RepairRow<'_>]) -> Result<(), ViewError> {
    for row in rows {
        let confidence = row.confidence.map_or("", Confidence::as_str);
        let style = of_confidence(row.confidence);
        write!(out, "{STRONG}{:ACTION$}{STRONG:#}", row.action)?;
        writeln!(out, "{style}{confidence:CONFIDENCE$}{style:#}{}", safe(row.target))?;
        let indent = ACTION + CONFIDENCE - 3;
        if let Some(to) = row.to {
            writeln!(out, "{:indent$}-> {}", "", safe(to))?;
        }
        if !row.note.is_empty() {
            writeln!(out, "{:indent$}   {FAINT}{}{FAINT:#}", "", safe(&row.note))?;
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::plain;

    #[test]
    fn the_new_url_and_the_note_stand_below_the_target() {
        let full = RepairRow {
            action: "replace",
            confidence: Some(Confidence::High),
            target: "http://a.test/old\u{1b}[31m",
            to: Some("http://a.test/new"),
            note: "renamed; on 3 pages".to_owned(),
        };
        let bare = RepairRow { action: "leave", confidence: None, to: None, ..full.clone() };
        let bare = RepairRow { target: "http://a.test/gone", note: String::new(), ..bare };
        let expected = "\
replace  high   http://a.test/old\\u{1b}[31m
             -> http://a.test/new
                renamed; on 3 pages
leave           http://a.test/gone
";
        assert_eq!(plain(|out| repairs(out, &[full, bare])), expected);
    }
}
