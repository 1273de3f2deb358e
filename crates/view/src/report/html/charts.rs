//! Charts as inline SVG: bars with their numbers beside them. Broken bars are solid, doubtful ones
//! hatched, so that they differ without color as well. Colors come from the style of the report.

use std::fmt::Write as _;

use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{Reader, RunInfo, RunKind, RunState, StoreError};

use super::plain_list::escaped;
use crate::grouping::Grouped;
use crate::number::count;

/// How many runs and causes are drawn.
const RUNS: usize = 12;
const CAUSES: usize = 8;

/// A run in the chart.
pub(super) struct Bar {
    number: i64,
    day: String,
    broken: u64,
    doubtful: u64,
}

/// The last runs of a site, up to this one, that were completed and are believed.
pub(super) fn last_runs(reader: &Reader, run: &RunInfo) -> Result<Vec<Bar>, StoreError> {
    let mut runs = reader.runs()?;
    runs.retain(|known| {
        let is_counted = known.state == RunState::Finished
            && matches!(known.kind, RunKind::Crawl | RunKind::Recheck);
        known.site == run.site
            && known.number <= run.number
            && (known.number == run.number || is_counted)
    });
    runs.drain(..runs.len().saturating_sub(RUNS));
    let bars = runs.into_iter().map(|info| {
        let (number, day) = (info.number, info.started_at.strftime("%-d %b").to_string());
        let totals = reader.open_run(info)?.totals()?;
        Ok(Bar { number, day, broken: totals.broken, doubtful: totals.doubtful })
    });
    bars.collect()
}

/// Broken and doubtful targets by run, one bar a run; empty if there is only one.
pub(super) fn of_runs(bars: &[Bar]) -> String {
    const HEIGHT: u64 = 120;
    const STEP: usize = 52;
    if bars.len() < 2 {
        return String::new();
    }
    let most = bars.iter().map(|bar| bar.broken + bar.doubtful).max().unwrap_or_default().max(1);
    let width = bars.len() * STEP + 8;
    let described: Vec<String> = bars
        .iter()
        .map(|bar| format!("run {}: {} broken, {} doubtful", bar.number, bar.broken, bar.doubtful))
        .collect();
    let mut svg = open(width, 176, "Broken and doubtful targets by run", &described.join("; "));
    for (at, bar) in bars.iter().enumerate() {
        let (left, middle) = (at * STEP + 12, at * STEP + 12 + 18);
        let height = |number: u64| (number * HEIGHT).div_ceil(most);
        let (broken, doubtful) = (height(bar.broken), height(bar.doubtful));
        let base = 24 + HEIGHT;
        let mut rect = |class: &str, from: u64, height: u64| {
            if height > 0 {
                let top = from - height;
                let _ = write!(
                    svg,
                    r#"<rect class="{class}" x="{left}" y="{top}" width="36" height="{height}"/>"#
                );
            }
            from - height
        };
        let top = rect("bar-broken", base, broken);
        let top = rect("bar-doubtful", top, doubtful);
        let all = count(bar.broken + bar.doubtful);
        let _ =
            write!(svg, r#"<text x="{middle}" y="{}" text-anchor="middle">{all}</text>"#, top - 5);
        let _ = write!(
            svg,
            r#"<text class="faint" x="{middle}" y="{}" text-anchor="middle">run {}</text>"#,
            base + 15,
            bar.number
        );
        let _ = write!(
            svg,
            r#"<text class="faint" x="{middle}" y="{}" text-anchor="middle">{}</text>"#,
            base + 29,
            bar.day
        );
    }
    let _ = write!(svg, r#"<path class="axis" d="M4 {}H{}"/></svg>"#, 24 + HEIGHT, width - 4);
    svg
}

/// The targets of a report by cause, most frequent first; empty if there are none.
pub(super) fn of_causes(grouped: &Grouped<'_>) -> String {
    let mut causes: Vec<(Verdict, Option<Cause>, u64)> = Vec::new();
    for group in grouped.groups() {
        let (verdict, cause) = (group.first.verdict, group.first.cause);
        match causes.iter_mut().find(|known| (known.0, known.1) == (verdict, cause)) {
            Some(known) => known.2 += 1,
            None => causes.push((verdict, cause, 1)),
        }
    }
    causes.sort_by_key(|(_, _, number)| std::cmp::Reverse(*number));
    let words = |verdict: Verdict, cause: Option<Cause>| match cause {
        Some(cause) => cause.words().to_owned(),
        None => verdict.to_string(),
    };
    let mut bars: Vec<(String, String, u64)> = causes
        .iter()
        .take(CAUSES)
        .map(|(verdict, cause, number)| {
            (format!("bar-{verdict}"), words(*verdict, *cause), *number)
        })
        .collect();
    let rest: u64 = causes.iter().skip(CAUSES).map(|(_, _, number)| number).sum();
    if rest > 0 {
        bars.push((String::new(), "other causes".to_owned(), rest));
    }
    bars_across(&bars)
}

/// Bars from left to right: class, name and number of each. What has no class has no bar.
fn bars_across(bars: &[(String, String, u64)]) -> String {
    const NAME: usize = 300;
    const LONGEST: u64 = 200;
    const STEP: usize = 22;
    let Some(most) = bars.iter().filter(|(class, ..)| !class.is_empty()).map(|bar| bar.2).max()
    else {
        return String::new();
    };
    let described: Vec<String> =
        bars.iter().map(|(_, name, number)| format!("{name}: {number}")).collect();
    let mut svg =
        open(NAME + 260, bars.len() * STEP + 6, "Targets by cause", &described.join("; "));
    for (at, (class, name, number)) in bars.iter().enumerate() {
        let length = if class.is_empty() { 0 } else { *number };
        let (top, width) = (at * STEP + 4, (length * LONGEST).div_ceil(most.max(1)));
        let base = top + 12;
        let _ = write!(
            svg,
            r#"<text x="{}" y="{base}" text-anchor="end">{}</text>"#,
            NAME - 8,
            escaped(name)
        );
        let _ = write!(
            svg,
            r#"<rect class="{class}" x="{NAME}" y="{top}" width="{width}" height="15"/>"#
        );
        let after = NAME + usize::try_from(width).unwrap_or_default() + 6;
        let _ = write!(svg, r#"<text x="{after}" y="{base}">{}</text>"#, count(*number));
    }
    svg.push_str("</svg>");
    svg
}

/// The start of a picture: its size, and its content in words for those who cannot see it.
fn open(width: usize, height: usize, name: &str, described: &str) -> String {
    let described = escaped(described);
    format!(
        r#"<svg viewBox="0 0 {width} {height}" width="{width}" height="{height}" role="img" aria-label="{name}. {described}">"#
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    fn bar(number: i64, broken: u64, doubtful: u64) -> Bar {
        Bar { number, day: "3 Mar".to_owned(), broken, doubtful }
    }

    #[test]
    fn one_run_is_no_chart() {
        assert_eq!(of_runs(&[]), "");
        assert_eq!(of_runs(&[bar(1, 3, 0)]), "");
    }

    #[test]
    fn bars_are_as_high_as_their_numbers_and_stand_on_the_axis() {
        let svg = of_runs(&[bar(7, 30, 10), bar(8, 0, 0), bar(9, 1, 0)]);
        insta::assert_snapshot!(svg.replace("/>", "/>\n").replace("</text>", "</text>\n"), @r##"
        <svg viewBox="0 0 164 176" width="164" height="176" role="img" aria-label="Broken and doubtful targets by run. run 7: 30 broken, 10 doubtful; run 8: 0 broken, 0 doubtful; run 9: 1 broken, 0 doubtful"><rect class="bar-broken" x="12" y="54" width="36" height="90"/>
        <rect class="bar-doubtful" x="12" y="24" width="36" height="30"/>
        <text x="30" y="19" text-anchor="middle">40</text>
        <text class="faint" x="30" y="159" text-anchor="middle">run 7</text>
        <text class="faint" x="30" y="173" text-anchor="middle">3 Mar</text>
        <text x="82" y="139" text-anchor="middle">0</text>
        <text class="faint" x="82" y="159" text-anchor="middle">run 8</text>
        <text class="faint" x="82" y="173" text-anchor="middle">3 Mar</text>
        <rect class="bar-broken" x="116" y="141" width="36" height="3"/>
        <text x="134" y="136" text-anchor="middle">1</text>
        <text class="faint" x="134" y="159" text-anchor="middle">run 9</text>
        <text class="faint" x="134" y="173" text-anchor="middle">3 Mar</text>
        <path class="axis" d="M4 144H160"/>
        </svg>
        "##);
    }

    #[test]
    fn the_rest_of_the_causes_is_a_number_without_a_bar() {
        assert_eq!(bars_across(&[]), "");
        let bars = [("bar-broken", "a <b>", 4), ("bar-doubtful", "c", 1), ("", "other causes", 90)];
        let bars = bars.map(|(class, name, number)| (class.to_owned(), name.to_owned(), number));
        let svg = bars_across(&bars);
        assert_eq!(svg.matches("height=\"15\"").count(), 3, "{svg}");
        for width in [
            "\"bar-broken\" x=\"300\" y=\"4\" width=\"200\"",
            "y=\"26\" width=\"50\"",
            "y=\"48\" width=\"0\"",
        ] {
            assert!(svg.contains(width), "{width} in {svg}");
        }
        assert!(svg.contains("a &lt;b&gt;") && svg.contains(">90</text>"), "{svg}");
    }
}
