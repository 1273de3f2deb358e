//! Waivers: what each covers, how old it is, whether it is still needed.

use std::collections::BTreeMap;
use std::io::{self, Write};

use jiff::civil::Date;
use rummage_core::findings::waiver::WaiverKind;
use rummage_core::verdict::Verdict;
use rummage_store::RunInfo;

use super::blocks::LONGEST;
use crate::number::{count, counted, rest, rest_of};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};

/// How many targets are named.
const SHOWN: usize = 20;
/// How many patterns are named in a list.
const PATTERNS: usize = 4;

/// What a waiver covers.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Covered {
    /// The targets, with their verdicts.
    pub targets: BTreeMap<String, Verdict>,
    /// The number of links to them.
    pub links: u64,
}

/// A waiver as it is shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WaiverRow {
    /// The kind of waiver.
    pub kind: WaiverKind,
    /// The reason.
    pub reason: String,
    /// Who decided.
    pub by: Option<String>,
    /// The date of the decision.
    pub made: Option<Date>,
    /// How many days ago.
    pub age: Option<i64>,
    /// The date on which it ends.
    pub until: Option<Date>,
    /// How many days are left; zero or less if it has ended.
    pub left: Option<i64>,
    /// Its patterns, by kind.
    pub patterns: Vec<(&'static str, String)>,
    /// What it covers now.
    pub covered: Covered,
    /// Targets that respond differently from when a person checked them.
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
/// If `out` cannot be written.
pub fn would_waive(out: &mut dyn Write, row: &WaiverRow, covered: &Covered) -> io::Result<()> {
    writeln!(out, "would waive {}, as --{}{}", extent(covered), row.kind.as_str(), end(row))?;
    targets(out, covered)?;
    writeln!(out, "{FAINT}nothing was written; to waive, give --reason without --dry-run{FAINT:#}")
}

/// Writes what a new waiver covers.
///
/// # Errors
/// If `out` cannot be written.
pub fn waived(
    out: &mut dyn Write,
    row: &WaiverRow,
    covered: &Covered,
    number: usize,
    path: &str,
) -> io::Result<()> {
    writeln!(out, "waived {}, as --{}{}", extent(covered), row.kind.as_str(), end(row))?;
    targets(out, covered)?;
    let path = safe(path);
    writeln!(
        out,
        "{FAINT}waiver {number} in {path}; rummage waive --lift {number} removes it{FAINT:#}"
    )
}

/// Writes which waivers were lifted.
///
/// # Errors
/// If `out` cannot be written.
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
/// If `out` cannot be written.
pub fn waivers(
    out: &mut dyn Write,
    run: &RunInfo,
    rows: &[WaiverRow],
    path: &str,
) -> io::Result<()> {
    if rows.is_empty() {
        return writeln!(out, "no waivers; see rummage waive -h");
    }
    let many = counted(rows.len() as u64, "waiver", "waivers");
    let (path, site, number) = (safe(path), safe(&run.site), run.number);
    writeln!(out, "{STRONG}{many}{STRONG:#} in {path}, applied to run {number} of {site}")?;
    for (at, row) in rows.iter().enumerate() {
        writeln!(out)?;
        write(out, at + 1, row)?;
    }
    Ok(())
}

fn write(out: &mut dyn Write, number: usize, row: &WaiverRow) -> io::Result<()> {
    write!(out, "{STRONG}{number:>3}  {:5}{STRONG:#}", row.kind.as_str())?;
    let reason = if row.reason.is_empty() { "no reason given" } else { &row.reason };
    writeln!(out, "  {}", safe(&shorten(reason, LONGEST)))?;
    let made = match (row.made, row.age) {
        (Some(made), Some(age)) => {
            let by = row.by.as_deref().map_or(String::new(), |by| format!(" by {}", safe(by)));
            format!("made {made}{by}, {}", ago(age))
        }
        _ => "date not recorded".to_owned(),
    };
    writeln!(out, "            {FAINT}{made}{}{FAINT:#}", end(row))?;
    patterns(out, row)?;
    let style = style::of(Verdict::Doubtful);
    let lift = format!("rummage waive --lift {number}");
    if row.has_ended() {
        write!(out, "            {style}ended{style:#}")?;
        let covered = &row.covered;
        let open = if covered.links > 0 {
            format!("; open again: {}", extent(covered))
        } else {
            String::new()
        };
        writeln!(out, "{open}; {lift} removes it")?;
        return Ok(());
    }
    if row.reopened > 0 {
        let many = counted(row.reopened, "target responds", "targets respond");
        writeln!(
            out,
            "            {style}reopened{style:#}: {many} differently from when it was waived"
        )?;
    }
    if row.covered.links > 0 {
        writeln!(out, "            covers {}", extent(&row.covered))?;
    } else if row.reopened == 0 {
        writeln!(out, "            {style}no longer covers anything{style:#}: {lift}")?;
    }
    Ok(())
}

/// The waiver that covers a target: its number, reason and end.
pub(super) fn of_target(out: &mut dyn Write, number: usize, row: &WaiverRow) -> io::Result<()> {
    let reason = if row.reason.is_empty() { "no reason given" } else { &row.reason };
    let by = row.by.as_deref().map_or(String::new(), |by| format!(", by {}", safe(by)));
    let kind = row.kind.as_str();
    let reason = safe(&shorten(reason, LONGEST)).to_string();
    writeln!(out, "  waived ({kind}, waiver {number}){by}{}: {reason}", end(row))
}

/// `, until 2027-05-22 (180 days left)`
fn end(row: &WaiverRow) -> String {
    match (row.until, row.left) {
        (Some(until), Some(left)) if left > 0 => {
            let left = counted(left.unsigned_abs(), "day", "days");
            format!(", until {until} ({left} left)")
        }
        (Some(until), _) => format!(", until {until}"),
        (None, _) if row.kind == WaiverKind::Works => {
            ", while it responds as it does now".to_owned()
        }
        (None, _) => ", no end date".to_owned(),
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
    if let Some(rest) = rest(covered.targets.len() as u64, SHOWN) {
        writeln!(out, "  {FAINT}{rest}{FAINT:#}")?;
    }
    Ok(())
}

fn patterns(out: &mut dyn Write, row: &WaiverRow) -> io::Result<()> {
    for (kind, pattern) in row.patterns.iter().take(PATTERNS) {
        writeln!(out, "            {FAINT}{kind:6}{FAINT:#} {}", safe(&shorten(pattern, LONGEST)))?;
    }
    let rest = rest_of(row.patterns.len() as u64, PATTERNS, "pattern", "patterns");
    if let Some(rest) = rest {
        writeln!(out, "            {FAINT}{rest}{FAINT:#}")?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use jiff::civil::date;

    use super::*;
    use crate::testing::{plain, run_info};

    fn covered(count: usize) -> Covered {
        let target = |n: usize| (format!("http://a.test/{n:02}"), Verdict::Broken);
        Covered { targets: (0..count).map(target).collect(), links: 2 * count as u64 }
    }

    fn row() -> WaiverRow {
        WaiverRow {
            kind: WaiverKind::Leave,
            reason: "comes back in spring".to_owned(),
            by: Some("Ada".to_owned()),
            made: Some(date(2027, 1, 31)),
            age: Some(1),
            until: Some(date(2027, 5, 1)),
            left: Some(90),
            patterns: vec![("target", "/rota*".to_owned())],
            covered: covered(1),
            reopened: 0,
        }
    }

    fn list(row: WaiverRow) -> String {
        plain(|out| waivers(out, &run_info(), &[row], "waivers.toml"))
    }

    #[test]
    fn a_waiver_shows_its_reason_age_end_patterns_and_what_it_covers() {
        insta::assert_snapshot!(list(row()), @"
        1 waiver in waivers.toml, applied to run 3 of a.test

          1  leave  comes back in spring
                    made 2027-01-31 by Ada, a day ago, until 2027-05-01 (90 days left)
                    target /rota*
                    covers 1 target on 2 links
        ");
    }

    #[test]
    fn an_ended_waiver_has_no_days_left() {
        for left in [0, -12] {
            let text = list(WaiverRow { left: Some(left), ..row() });
            assert!(text.contains(", until 2027-05-01\n"), "{text}");
            assert!(text.contains("ended; open again: 1 target on 2 links"), "{text}");
            assert!(!text.contains("covers"), "{text}");
        }
        let text = list(WaiverRow { left: Some(1), ..row() });
        assert!(text.contains("(1 day left)") && text.contains("covers 1 target"), "{text}");
        let over = WaiverRow { left: Some(-1), covered: Covered::default(), ..row() };
        assert!(list(over).contains("ended; rummage waive --lift 1 removes it"));
    }

    #[test]
    fn a_waiver_that_covers_nothing_or_was_reopened_shows_it() {
        let none = WaiverRow { covered: Covered::default(), ..row() };
        assert!(list(none.clone()).contains("no longer covers anything: rummage waive --lift 1"));
        let text = list(WaiverRow { reopened: 2, ..none });
        assert!(text.contains("reopened: 2 targets respond differently"), "{text}");
        assert!(!text.contains("no longer covers"), "{text}");
    }

    #[test]
    fn an_end_is_a_date_or_a_condition() {
        let without = WaiverRow { until: None, left: None, ..row() };
        assert_eq!(end(&without), ", no end date");
        let works = WaiverRow { kind: WaiverKind::Works, ..without };
        assert_eq!(end(&works), ", while it responds as it does now");
        let unsigned = WaiverRow { made: None, reason: String::new(), ..row() };
        let text = list(unsigned);
        assert!(text.contains("no reason given") && text.contains("date not recorded"), "{text}");
        assert_eq!([-1, 0, 1, 2].map(ago), ["today", "today", "a day ago", "2 days ago"]);
    }

    #[test]
    fn the_rest_is_counted_only_if_there_is_one() {
        let would = |count| plain(|out| would_waive(out, &row(), &covered(count)));
        assert!(!would(SHOWN).contains("more"), "{}", would(SHOWN));
        assert!(would(SHOWN + 1).contains("  and 1 more\n"), "{}", would(SHOWN + 1));
        let with = |count| {
            let pattern = |n| ("target", format!("/{n}"));
            list(WaiverRow { patterns: (0..count).map(pattern).collect(), ..row() })
        };
        assert!(!with(PATTERNS).contains("more"), "{}", with(PATTERNS));
        assert!(with(PATTERNS + 2).contains("and 2 more patterns"), "{}", with(PATTERNS + 2));
    }

    #[test]
    fn waiving_and_lifting_show_how_to_undo_them() {
        let text = plain(|out| waived(out, &row(), &covered(1), 4, "waivers.toml"));
        insta::assert_snapshot!(text, @"
        waived 1 target on 2 links, as --leave, until 2027-05-01 (90 days left)
          broken   http://a.test/00
        waiver 4 in waivers.toml; rummage waive --lift 4 removes it
        ");
        insta::assert_snapshot!(plain(|out| lifted(out, &[row()])), @"
        lifted: comes back in spring
                    target /rota*
        ");
        let none = plain(|out| waivers(out, &run_info(), &[], "waivers.toml"));
        assert_eq!(none, "no waivers; see rummage waive -h\n");
    }
}
