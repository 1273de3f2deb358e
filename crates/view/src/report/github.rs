//! Annotations for GitHub Actions: workflow commands, one line for each link (GitHub Docs,
//! "Workflow commands for GitHub Actions", setting an error, warning or notice message).

use std::io::Write;

use rummage_core::findings::selection::Selection;
use rummage_core::verdict::Verdict;
use rummage_store::{LinkRow, OpenRun};

use crate::ViewError;
use crate::listing::{Listing, Source};
use crate::phrase::cause_of;
use crate::rows::Shown;
use crate::safe::{safe, shorten};
use crate::text::{said, target};

/// URLs are cut to this many characters.
const LONGEST: usize = 300;

/// Writes the matching links of a run.
pub(super) fn write(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
) -> Result<Shown, ViewError> {
    let query = run.query(selection)?;
    let limit = listing.limit.map_or(u64::MAX, |limit| limit as u64);
    let mut all = 0;
    query.for_each(|found| {
        all += 1;
        if all <= limit {
            out.write_all(line(&query.row(found)?, listing.source.as_ref()).as_bytes())?;
        }
        Ok::<_, ViewError>(())
    })?;
    Ok(Shown { shown: all.min(limit), all })
}

/// A link; with its file, if it is in one, so that it is shown beside the line.
fn line(row: &LinkRow, source: Option<&Source>) -> String {
    let level = match row.outcome.verdict {
        Verdict::Broken => "error",
        Verdict::Doubtful => "warning",
        Verdict::Moved | Verdict::Sound | Verdict::Skipped => "notice",
    };
    let file = match source {
        Some(source @ Source::File(_)) => source.of_page(&row.page),
        _ => None,
    };
    let mut place = String::new();
    if let Some(file) = &file {
        place = format!(" file={}", property(file));
        if row.line > 0 {
            place.push_str(&format!(",line={},col={}", row.line, row.column));
        }
    }
    let name = shorten(&target(row), LONGEST).to_string();
    let (verdict, link) = (row.outcome.verdict, said(row));
    let mut message = format!("{name}: {} ({verdict}, {link})", cause_of(row));
    if file.is_none() {
        message.push_str(&format!(" on {}", shorten(&row.page, LONGEST)));
        if row.line > 0 {
            message.push_str(&format!(" {}:{}", row.line, row.column));
        }
    }
    format!("::{level}{place}::{}\n", escaped(&safe(&message).to_string()))
}

/// What would end a message, or begin an escape.
fn escaped(text: &str) -> String {
    text.replace('%', "%25").replace('\r', "%0D").replace('\n', "%0A")
}

/// The same for a value before the message, which commas and colons would end as well.
fn property(text: &str) -> String {
    escaped(&safe(text).to_string()).replace(':', "%3A").replace(',', "%2C")
}

#[cfg(test)]
mod tests {
    use std::rc::Rc;

    use super::*;
    use crate::testing::link_row;

    #[test]
    fn a_link_in_a_file_is_annotated_there_and_any_other_names_its_page() {
        let mut link = link_row();
        let source = Source::File(Rc::new(|_| Some("public/a,b:c%.html".to_owned())));
        assert_eq!(
            line(&link, Some(&source)),
            "::error file=public/a%2Cb%3Ac%25.html,line=31,col=7::http://a.test/gone: \
             404 Not Found (broken, a \"Rota\")\n"
        );
        link.outcome.verdict = Verdict::Doubtful;
        link.text = Some("100%\n::error::x".to_owned());
        assert_eq!(
            line(&link, None),
            "::warning::http://a.test/gone: 404 Not Found (doubtful, a \"100%25\\u{a}::error::x\") \
             on http://a.test/visit/ 31:7\n"
        );
    }
}
