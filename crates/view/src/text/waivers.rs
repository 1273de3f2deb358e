//! What is set aside: what a waiver covers, how old it is, whether it is needed still.

use std::collections::BTreeMap;
use std::io::{self, Write};

use jiff::civil::Date;
use rummage_core::findings::waiver::Aside;
use rummage_core::verdict::Verdict;
use rummage_store::RunInfo;

use super::blocks::LONGEST;
use crate::number::{count, counted};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};

/// Targets that are named.
const SHOWN: usize = 20;
/// Patterns that are named in a list.
const PATTERNS: usize = 4;

/// What a waiver covers.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Covered {
    /// The targets, with what is said of them.
    pub targets: BTreeMap<String, Verdict>,
    /// The links to them.
    pub links: u64,
}

/// A waiver as it is shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WaiverRow {
    /// Why it is set aside.
    pub aside: Aside,
    /// The same, in words.
    pub reason: String,
    /// Who decided.
    pub by: Option<String>,
    /// When.
    pub made: Option<Date>,
    /// How many days ago.
    pub age: Option<i64>,
    /// From when it holds no more.
    pub until: Option<Date>,
    /// In how many days that is; none left where it has ended.
    pub left: Option<i64>,
    /// Its patterns, by kind.
    pub patterns: Vec<(&'static str, String)>,
    /// What it covers now.
    pub covered: Covered,
    /// Targets that answer otherwise than when somebody looked.
    pub reopened: u64,
}

impl WaiverRow {
    fn has_ended(&self) -> bool {
        self.left.is_some_and(|left| left <= 0)
    }
}

/// Writes what a waiver would cover.
///
/// # Errors
/// When the output cannot be written.
pub fn would_waive(out: &mut dyn Write, row: &WaiverRow, covered: &Covered) -> io::Result<()> {
    writeln!(out, "would set aside {}, as --{}{}", extent(covered), row.aside.as_str(), end(row))?;
    targets(out, covered)?;
    writeln!(out, "{FAINT}nothing was written: leave out --dry-run, and give a --reason{FAINT:#}")
}

/// Writes what a new waiver covers.
///
/// # Errors
/// When the output cannot be written.
pub fn waived(
    out: &mut dyn Write,
    row: &WaiverRow,
    covered: &Covered,
    number: usize,
    path: &str,
) -> io::Result<()> {
    writeln!(out, "set aside {}, as --{}{}", extent(covered), row.aside.as_str(), end(row))?;
    targets(out, covered)?;
    let path = safe(path);
    writeln!(
        out,
        "{FAINT}waiver {number} in {path}; rummage waive --lift {number} takes it back{FAINT:#}"
    )
}

/// Writes what was taken back.
///
/// # Errors
/// When the output cannot be written.
pub fn lifted(out: &mut dyn Write, rows: &[WaiverRow]) -> io::Result<()> {
    for row in rows {
        writeln!(out, "lifted: {}", safe(&shorten(&row.reason, LONGEST)))?;
        patterns(out, row)?;
    }
    Ok(())
}

/// Writes all waivers, with what each covers in a run.
///
/// # Errors
/// When the output cannot be written.
pub fn waivers(
    out: &mut dyn Write,
    run: &RunInfo,
    rows: &[WaiverRow],
    path: &str,
) -> io::Result<()> {
    if rows.is_empty() {
        return writeln!(out, "nothing is set aside; rummage waive -h tells how it is done");
    }
    let many = counted(rows.len() as u64, "waiver", "waivers");
    let (path, site, number) = (safe(path), safe(&run.site), run.number);
    writeln!(out, "{STRONG}{many}{STRONG:#} in {path}, beside run {number} of {site}")?;
    for (at, row) in rows.iter().enumerate() {
        writeln!(out)?;
        write(out, at + 1, row)?;
    }
    Ok(())
}

fn write(out: &mut dyn Write, number: usize, row: &WaiverRow) -> io::Result<()> {
    write!(out, "{STRONG}{number:>3}  {:5}{STRONG:#}", row.aside.as_str())?;
    let reason = if row.reason.is_empty() { "no reason is given" } else { &row.reason };
    writeln!(out, "  {}", safe(&shorten(reason, LONGEST)))?;
    let made = match (row.made, row.age) {
        (Some(made), Some(age)) => {
            let by = row.by.as_deref().map_or(String::new(), |by| format!(" by {}", safe(by)));
            format!("made {made}{by}, {}", ago(age))
        }
        _ => "nobody wrote down when it was made".to_owned(),
    };
    writeln!(out, "            {FAINT}{made}{}{FAINT:#}", end(row))?;
    patterns(out, row)?;
    let style = style::of(Verdict::Doubtful);
    let lift = format!("rummage waive --lift {number}");
    if row.has_ended() {
        write!(out, "            {style}has ended{style:#}")?;
        let covered = &row.covered;
        let open = if covered.links > 0 {
            format!("; open again: {}", extent(covered))
        } else {
            String::new()
        };
        writeln!(out, "{open}; {lift} takes it out of the file")?;
        return Ok(());
    }
    if row.reopened > 0 {
        let many = counted(row.reopened, "target answers", "targets answer");
        writeln!(
            out,
            "            {style}reopened{style:#}: {many} otherwise than when somebody looked"
        )?;
    }
    if row.covered.links > 0 {
        writeln!(out, "            covers {}", extent(&row.covered))?;
    } else if row.reopened == 0 {
        writeln!(out, "            {style}covers nothing any more{style:#}: {lift}")?;
    }
    Ok(())
}

/// `, until 2027-05-22 (180 days left)`
fn end(row: &WaiverRow) -> String {
    match (row.until, row.left) {
        (Some(until), Some(left)) if left > 0 => {
            let left = counted(left.unsigned_abs(), "day", "days");
            format!(", until {until} ({left} left)")
        }
        (Some(until), _) => format!(", until {until}"),
        (None, _) if row.aside == Aside::Works => {
            ", for as long as it answers as it does".to_owned()
        }
        (None, _) => ", without an end".to_owned(),
    }
}

fn ago(days: i64) -> String {
    match days {
        ..=0 => "today".to_owned(),
        1 => "a day ago".to_owned(),
        days => format!("{} days ago", count(days.unsigned_abs())),
    }
}

/// `3 targets, 412 links`
fn extent(covered: &Covered) -> String {
    let targets = counted(covered.targets.len() as u64, "target", "targets");
    format!("{targets} on {}", counted(covered.links, "link", "links"))
}

fn targets(out: &mut dyn Write, covered: &Covered) -> io::Result<()> {
    for (target, verdict) in covered.targets.iter().take(SHOWN) {
        let style = style::of(*verdict);
        let name = safe(&shorten(target, LONGEST)).to_string();
        writeln!(out, "  {style}{:8}{style:#} {name}", verdict.as_str())?;
    }
    let more = covered.targets.len().saturating_sub(SHOWN) as u64;
    if more > 0 {
        writeln!(out, "  {FAINT}and {} more{FAINT:#}", count(more))?;
    }
    Ok(())
}

fn patterns(out: &mut dyn Write, row: &WaiverRow) -> io::Result<()> {
    for (kind, pattern) in row.patterns.iter().take(PATTERNS) {
        writeln!(out, "            {FAINT}{kind:6}{FAINT:#} {}", safe(&shorten(pattern, LONGEST)))?;
    }
    let more = row.patterns.len().saturating_sub(PATTERNS) as u64;
    if more > 0 {
        writeln!(out, "            {FAINT}and {} more patterns{FAINT:#}", count(more))?;
    }
    Ok(())
}
