//! The sites of a store and their runs, one line each.

use std::io::Write;

use rummage_store::{RunState, SiteRow};

use crate::ViewError;
use crate::number::{count, duration};
use crate::safe::{safe, shorten};
use crate::style::{FAINT, STRONG};
use crate::when::when;

/// Names are cut to this many characters.
const NAME: usize = 60;

const NO_SITE: &str = "no site yet: rummage crawl www.example.test";

/// Writes an overview of the sites, each with its name in the settings file, if any.
///
/// # Errors
/// See [`ViewError`].
pub fn sites(out: &mut dyn Write, sites: &[(Option<String>, SiteRow)]) -> Result<(), ViewError> {
    let rows: Vec<Vec<String>> = sites
        .iter()
        .map(|(name, site)| {
            let host = safe(&shorten(&site.last.site, NAME)).to_string();
            let mut row = vec![name.clone().unwrap_or_else(|| host.clone())];
            row.push(safe(&shorten(&site.last.start, NAME)).to_string());
            row.push(site.runs.to_string());
            row.extend(cells(site));
            row
        })
        .collect();
    table(
        out,
        &["site", "start", "runs", "last run", "state", "took", "pages", "open", "new"],
        &rows,
        NO_SITE,
    )
}

/// Writes the runs, oldest first.
///
/// # Errors
/// See [`ViewError`].
pub fn runs(out: &mut dyn Write, runs: &[SiteRow]) -> Result<(), ViewError> {
    let rows: Vec<Vec<String>> = runs
        .iter()
        .map(|row| {
            let site = safe(&shorten(&row.last.site, NAME)).to_string();
            let mut cells = self::cells(row);
            let fixed = count(row.changes.healed);
            cells.insert(0, row.last.number.to_string());
            cells.insert(1, site);
            cells.insert(2, row.last.kind.as_str().to_owned());
            cells.push(fixed);
            cells
        })
        .collect();
    let columns =
        ["run", "site", "kind", "began", "state", "took", "pages", "open", "new", "fixed"];
    table(out, &columns, &rows, NO_SITE)
}

/// The columns of a run: time, state, duration, pages, open and new findings.
fn cells(row: &SiteRow) -> Vec<String> {
    let state = match row.last.state {
        RunState::Finished => "finished",
        RunState::Suspicious => "suspicious",
        RunState::Stopped => "stopped",
        RunState::Going => "running, or killed",
    };
    let changes = row.changes;
    let new = changes.broke + changes.returned;
    vec![
        when(row.last.started_at),
        state.to_owned(),
        duration(row.last.took),
        count(row.pages),
        count(changes.broken_and_doubtful),
        count(new),
    ]
}

/// Writes a table, or `empty` if it has no rows.
pub(crate) fn table(
    out: &mut dyn Write,
    columns: &[&str],
    rows: &[Vec<String>],
    empty: &str,
) -> Result<(), ViewError> {
    let width = |at: usize| {
        let cells = rows.iter().map(|row| row[at].chars().count());
        cells.chain([columns[at].len()]).max().unwrap_or_default()
    };
    let widths: Vec<usize> = (0..columns.len()).map(width).collect();
    let is_number = |at: usize| {
        rows.iter().any(|row| row[at].starts_with(|c: char| c.is_ascii_digit()))
            && rows.iter().all(|row| row[at].chars().all(|c| c.is_ascii_digit() || c == ','))
    };
    let mut line = |cells: &[&str], strong: bool| -> Result<(), ViewError> {
        let mut text = String::new();
        for (at, cell) in cells.iter().enumerate() {
            let gap = " ".repeat(widths[at] - cell.chars().count());
            let (before, after) =
                if is_number(at) { (gap.as_str(), "") } else { ("", gap.as_str()) };
            text.push_str(&format!("{before}{cell}{after}  "));
        }
        let text = text.trim_end();
        match strong {
            true => writeln!(out, "{STRONG}{text}{STRONG:#}")?,
            false => writeln!(out, "{text}")?,
        }
        Ok(())
    };
    line(columns, true)?;
    for row in rows {
        line(&row.iter().map(String::as_str).collect::<Vec<_>>(), false)?;
    }
    if rows.is_empty() {
        writeln!(out, "{FAINT}{empty}{FAINT:#}")?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn drawn(rows: &[Vec<String>]) -> String {
        let mut out = Vec::new();
        table(&mut out, &["site", "pages"], rows, NO_SITE).expect("memory accepts all writes");
        let text = String::from_utf8(out).expect("it is text");
        text.replace(&format!("{STRONG}"), "").replace(&format!("{STRONG:#}"), "")
    }

    #[test]
    fn columns_fit_their_values_and_numbers_are_right_aligned() {
        let row = |site: &str, pages: &str| vec![site.to_owned(), pages.to_owned()];
        let table = drawn(&[row("a.test", "1,204"), row("a-longer-name.test", "7")]);
        assert_eq!(
            table,
            "site                pages\na.test              1,204\na-longer-name.test      7\n"
        );
        // One that is not known is not text.
        let table = drawn(&[row("a.test", ""), row("b.test", "12")]);
        assert_eq!(table, "site    pages\na.test\nb.test     12\n");
    }

    #[test]
    fn an_empty_table_suggests_a_command() {
        assert!(drawn(&[]).contains("rummage crawl"));
    }
}
