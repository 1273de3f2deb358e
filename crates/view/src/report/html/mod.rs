//! A report for people: one HTML file that needs no network, no server and no other file.
//!
//! The findings are in it once as data for its script, and once as a plain list for browsers
//! without scripts. All text is escaped here; the script only ever sets text, so that nothing
//! from a page can run. A Content Security Policy (CSP Level 3) allows its own script and style
//! by their hashes, and no connection.

mod charts;
mod data;
mod intro;
mod plain_list;

use std::io::Write;

use askama::Template;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use rummage_core::findings::selection::Selection;
use rummage_core::verdict::Verdict;
use rummage_store::{OpenRun, Reader, RunInfo, RunState, Totals};
use sha2::{Digest as _, Sha256};

use crate::ViewError;
use crate::heading::Logo;
use crate::listing::Listing;
use crate::number::{count, counted, duration};
use crate::phrase::public_name;
use crate::rows::{Shown, grouped};
use crate::safe::{safe, shorten};
use crate::text::summary_lines;
use crate::when::when;
use data::Data;

const SCRIPT: &str = include_str!("../../../templates/report.js");
const STYLE: &str = include_str!("../../../templates/report.css");

/// How many links are in a report. A browser shows this many without delay, and the file stays
/// below 3 MB.
const LINKS: usize = 10_000;
/// The list without scripts ends where the file would become larger than this, in bytes.
const LARGEST: usize = 2_900_000;
/// Titles are cut to this many characters.
const TITLE: usize = 120;

#[derive(Template)]
#[template(path = "report.html")]
struct Page<'a> {
    policy: String,
    style: &'static str,
    script: &'static str,
    title: String,
    /// The data URL of the logo; empty for none.
    logo: String,
    run: String,
    /// What the findings are a part of; empty if they are all.
    part: String,
    /// Why the result must not be taken for complete; empty if it may.
    warning: &'static str,
    intro: String,
    /// What was checked and what was not, in the words of the terminal.
    summary: Vec<String>,
    totals: Vec<Total>,
    runs: String,
    causes: String,
    matches: String,
    cut: String,
    list: &'a str,
    data: &'a str,
}

struct Total {
    number: String,
    name: &'static str,
}

/// Writes the matching links of a run as an HTML report.
pub(super) fn write(
    out: &mut dyn Write,
    reader: &Reader,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
) -> Result<Shown, ViewError> {
    let (totals, heading) = (run.totals()?, &listing.heading);
    let query = run.query(selection)?;
    let mut grouped = grouped(&query, listing)?;
    let (data, shown) = Data::of(&mut grouped, listing, LINKS)?;
    let info = run.info();
    let names: Vec<String> = [&heading.title, &info.title]
        .into_iter()
        .flatten()
        .map(|title| safe(&shorten(title.trim(), TITLE)).to_string())
        .filter(|title| !title.is_empty())
        .collect();
    let site = safe(&shorten(&public_name(info), TITLE)).to_string();
    let data_text = data.to_json()?;
    let list = plain_list::of(&data, LARGEST.saturating_sub(data_text.len()));
    let page = Page {
        policy: policy(),
        style: STYLE,
        script: SCRIPT,
        title: names.into_iter().next().unwrap_or_else(|| site.clone()),
        logo: heading.logo.as_ref().map_or(String::new(), as_url),
        run: format!(
            "{site}, run {}, {}, took {}",
            info.number,
            when(info.started_at),
            duration(info.took)
        ),
        part: part(heading.part.as_deref(), selection),
        warning: warning(info),
        intro: heading.intro.as_deref().map_or(String::new(), intro::html),
        summary: summary_lines(reader, run, &totals, listing.verbose)?,
        totals: by_verdict(&totals),
        runs: charts::of_runs(&charts::last_runs(reader, info)?),
        causes: charts::of_causes(&grouped),
        matches: format!(
            "{}, {}",
            counted(grouped.groups().len() as u64, "target", "targets"),
            counted(grouped.links, "link", "links")
        ),
        cut: cut(shown, heading.all_links_in.as_deref()),
        list: &list,
        data: &data_text,
    };
    page.write_into(out)?;
    Ok(shown)
}

/// What the findings are a part of.
fn part(name: Option<&str>, selection: &Selection) -> String {
    let is_left_out = |verdict| !selection.verdicts.contains(verdict);
    let lacks = [Verdict::Broken, Verdict::Doubtful, Verdict::Moved].iter().any(is_left_out);
    match name {
        Some(name) => format!(
            "The findings are those on the pages of {}. The totals are of the whole site.",
            safe(&shorten(name, TITLE))
        ),
        None if lacks || selection.is_narrow() => {
            "The findings are a selection. The totals are of the whole site.".to_owned()
        }
        None => String::new(),
    }
}

/// The targets of the whole run: all of them, each once.
fn by_verdict(totals: &Totals) -> Vec<Total> {
    let skipped: u64 = totals.skipped.iter().map(|skip| skip.targets).sum();
    [
        (totals.broken, "broken"),
        (totals.doubtful, "doubtful"),
        (totals.moved, "moved"),
        (totals.waived, "waived"),
        (skipped, "not checked"),
        (totals.sound, "sound"),
    ]
    .map(|(number, name)| Total { number: count(number), name })
    .into()
}

/// Why a result must not be taken for complete.
fn warning(run: &RunInfo) -> &'static str {
    match run.state {
        RunState::Finished => "",
        RunState::Suspicious => {
            "This result is suspicious. Something that was not listed may be broken."
        }
        RunState::Going | RunState::Stopped => {
            "This run is unfinished. Something that is not listed may be broken."
        }
    }
}

/// What the report does not have.
fn cut(Shown { shown, all }: Shown, all_links_in: Option<&str>) -> String {
    if shown >= all {
        return String::new();
    }
    let (shown, all) = (count(shown), counted(all, "link", "links"));
    match all_links_in {
        Some(file) => format!("This report has {shown} of {all}. All are in {}.", safe(file)),
        None => format!("This report has {shown} of {all}. All are in CSV: --format csv."),
    }
}

/// Only this script and this style, and pictures within the file.
fn policy() -> String {
    let hash = |text: &str| format!("'sha256-{}'", STANDARD.encode(Sha256::digest(text)));
    format!(
        "default-src 'none'; script-src {}; style-src {}; img-src data:; base-uri 'none'; \
         form-action 'none'",
        hash(SCRIPT),
        hash(STYLE)
    )
}

/// A picture within the file (RFC 2397).
fn as_url(logo: &Logo) -> String {
    format!("data:{};base64,{}", logo.media_type, STANDARD.encode(&logo.bytes))
}

#[cfg(test)]
mod tests {
    use rummage_core::url::secrets::masked;

    use super::*;

    /// Otherwise, the policy would refuse them.
    #[test]
    fn script_and_style_are_not_masked_and_end_nothing() {
        for text in [SCRIPT, STYLE] {
            assert_eq!(masked(text), text);
            assert!(!text.contains("</"), "it would end its element");
        }
        assert!(!SCRIPT.contains("innerHTML") && !SCRIPT.contains("eval("));
    }

    #[test]
    fn a_report_of_some_findings_says_so() {
        assert_eq!(part(None, &Selection::default()), "");
        assert_eq!(part(None, &Selection::all()), "");
        let broken = Selection::of(&[Verdict::Broken]);
        assert!(part(None, &broken).starts_with("The findings are a selection."));
        let named = part(Some("ann"), &Selection::default());
        assert!(named.starts_with("The findings are those on the pages of ann."));
    }

    #[test]
    fn what_is_left_out_is_said() {
        let shown = Shown { shown: 7, all: 7 };
        assert_eq!(cut(shown, Some("x.csv")), "");
        let shown = Shown { shown: 7, all: 1000 };
        assert_eq!(
            cut(shown, Some("x.csv")),
            "This report has 7 of 1,000 links. All are in x.csv."
        );
        assert!(cut(shown, None).ends_with("All are in CSV: --format csv."));
    }

    #[test]
    fn only_a_finished_run_has_no_warning() {
        let of = |state| warning(&RunInfo { state, ..crate::testing::run_info() });
        assert_eq!(of(RunState::Finished), "");
        for state in [RunState::Suspicious, RunState::Going, RunState::Stopped] {
            assert!(of(state).contains("may be broken"), "{state:?}");
        }
    }

    #[test]
    fn the_targets_of_a_run_are_counted_once() {
        use rummage_core::verdict::Cause;
        use rummage_store::SkipCount;
        let skipped = [(Cause::Excluded, 2), (Cause::External, 3)];
        let skipped = skipped.map(|(cause, targets)| SkipCount { cause, targets }).to_vec();
        let totals = Totals { broken: 1, waived: 4, sound: 6000, skipped, ..Totals::default() };
        let of = |name| by_verdict(&totals).into_iter().find(|total| total.name == name);
        let number = |name| of(name).map(|total| total.number).unwrap_or_default();
        assert_eq!(number("not checked"), "5");
        assert_eq!(
            (number("broken"), number("waived"), number("sound")),
            ("1".into(), "4".into(), "6,000".into())
        );
    }
}
