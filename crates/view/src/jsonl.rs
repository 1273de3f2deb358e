//! JSON Lines: one object a link, the same keys always, `null` where unknown.

use std::io::Write;

use rummage_core::selection::Selection;
use rummage_store::{LinkRow, Reader, RunInfo};
use serde::Serialize;

use crate::ViewError;

/// More redirects than this are worth a note.
const MANY_HOPS: u32 = 5;

/// The keys, in their order.
#[derive(Debug, Serialize)]
struct Line<'a> {
    verdict: &'a str,
    cause: Option<&'a str>,
    status: Option<u16>,
    target: String,
    r#final: Option<&'a str>,
    scope: Option<&'a str>,
    page: &'a str,
    line: Option<u32>,
    column: Option<u32>,
    element: &'a str,
    attribute: &'a str,
    text: Option<&'a str>,
    written: &'a str,
    region: Option<&'a str>,
    rel: Option<&'a str>,
    shared: u64,
    standing: Option<&'a str>,
    notes: Vec<String>,
    first_seen: Option<String>,
    checked_at: Option<String>,
}

/// Writes the selected links of a run, each on a line.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn links(
    out: &mut dyn Write,
    reader: &Reader,
    run: &RunInfo,
    selection: &Selection,
    mut takes: impl FnMut(&LinkRow) -> bool,
) -> Result<(), ViewError> {
    reader.for_each_link(run, selection, |row| {
        if takes(&row) {
            serde_json::to_writer(&mut *out, &line(&row)).map_err(std::io::Error::from)?;
            out.write_all(b"\n")?;
        }
        Ok(())
    })
}

fn line(row: &LinkRow) -> Line<'_> {
    Line {
        verdict: row.outcome.verdict.as_str(),
        cause: row.outcome.cause.map(|cause| cause.as_str()),
        status: row.outcome.status,
        target: row.target(),
        r#final: row.outcome.last.as_deref(),
        scope: row.outcome.scope.map(|scope| scope.as_str()),
        page: &row.page,
        line: Some(row.line).filter(|line| *line > 0),
        column: Some(row.column).filter(|column| *column > 0),
        element: &row.element,
        attribute: &row.attribute,
        text: row.text.as_deref(),
        written: &row.written,
        region: row.region.as_deref(),
        rel: row.rel.as_deref(),
        shared: row.pages,
        standing: None,
        notes: notes(row),
        first_seen: None,
        checked_at: row.outcome.checked_at.map(|at| at.to_string()),
    }
}

fn notes(row: &LinkRow) -> Vec<String> {
    let mut notes = Vec::new();
    let is_nofollow = |word: &str| word.eq_ignore_ascii_case("nofollow");
    if row.rel.as_deref().is_some_and(|rel| rel.split_ascii_whitespace().any(is_nofollow)) {
        notes.push("nofollow".to_owned());
    }
    if row.for_script {
        notes.push("script-fragment".to_owned());
    }
    if row.outcome.hops > MANY_HOPS {
        notes.push("many-hops".to_owned());
    }
    if let Some(reason) = row.outcome.not_read {
        notes.push(format!("not-read: {}", reason.as_str()));
    }
    notes
}
