//! A block per target: its verdict, the evidence, and where it appears.

use std::io::Write;

use rummage_core::crawl::nonexistent_sibling;
use rummage_core::evidence::{Attempt, AttemptOutcome};
use rummage_core::extract::elements::Element;
use rummage_core::findings::selection::Standing;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{LinkRow, Outcome, RunInfo, Totals, TraceRow};

use crate::grouping::{Block, Shared};
use crate::listing::{Listing, Source};
use crate::number::{count, counted, rest_of};
use crate::phrase::cause_of;
use crate::safe::{safe, shorten};
use crate::skipped::rule;
use crate::style::{self, FAINT, STRONG};
use crate::{ViewError, phrase};

/// URLs and link texts are cut to this many characters.
pub(super) const LONGEST: usize = 300;
const TEXT: usize = 60;

/// The target as shown: its URL, or the source text of a placeholder.
pub(crate) fn target(first: &LinkRow) -> String {
    match first.outcome.cause {
        Some(Cause::NoSuchFragment) => first.full_target(),
        Some(Cause::Placeholder) => match first.written.trim() {
            "" => "an empty URL".to_owned(),
            written => written.to_owned(),
        },
        _ => first.url.clone(),
    }
}

/// Verdict and cause: `broken  404 Not Found`.
fn headline(out: &mut dyn Write, link: &LinkRow) -> std::io::Result<()> {
    let verdict = link.outcome.verdict;
    let style = style::of(verdict);
    write!(out, "{style}{verdict}{style:#}  {}", cause_of(link))
}

/// Writes a block; `way` is the redirects of its target with their evidence.
pub(super) fn write(
    out: &mut dyn Write,
    run: &RunInfo,
    totals: &Totals,
    listing: &Listing,
    block: &Block,
    way: &[TraceRow],
) -> Result<(), ViewError> {
    headline(out, &block.first)?;
    if let Some(standing) = standing(&block.first) {
        write!(out, "  {FAINT}{standing}{FAINT:#}")?;
    }
    // A list has no site, so that nothing is external to it.
    let is_of_site = block.first.page.starts_with("http");
    if is_of_site && block.first.outcome.scope == Some(Scope::External) {
        write!(out, "  {FAINT}external{FAINT:#}")?;
    }
    writeln!(out)?;
    writeln!(out, "  {STRONG}{}{STRONG:#}", safe(&shorten(&target(&block.first), LONGEST)))?;
    if let Some(rule) = rule(run, &totals.notes, &block.first.outcome, &block.first.url) {
        writeln!(out, "  {}", safe(&shorten(&rule, LONGEST)))?;
    }
    evidence(out, block, way)?;
    if listing.verbose {
        writeln!(out, "  {FAINT}{}{FAINT:#}", prominence(block))?;
    }
    for shared in &block.shared {
        self::shared(out, totals, listing, shared)?;
    }
    for link in &block.occurrences {
        occurrence(out, listing, link)?;
    }
    let (all, shown) = (block.occurrence_count, block.occurrences.len());
    if let Some(rest) = rest_of(all, shown, "occurrence", "occurrences") {
        writeln!(out, "  {FAINT}{rest}: --unfold, or rummage trace{FAINT:#}")?;
    }
    Ok(())
}

/// The standing of a finding in words; `None` if it says nothing, as in a first run.
pub(crate) fn standing(link: &LinkRow) -> Option<String> {
    if link.waived {
        return Some("waived".to_owned());
    }
    let given_once = matches!(&*link.page, "file:///arguments" | "file:///standard-input");
    let history = link.history.filter(|_| !given_once)?;
    match history.standing {
        Standing::New if history.has_before => Some("new".to_owned()),
        Standing::Returned => Some("returned".to_owned()),
        Standing::Open if history.new_check => Some("not checked for before".to_owned()),
        Standing::Open => Some(format!("since {}", history.first_seen.strftime("%Y-%m-%d"))),
        Standing::New | Standing::Healed | Standing::Waived => None,
    }
}

/// Why the block comes at this position.
fn prominence(block: &Block) -> String {
    let prominence = &block.prominence;
    let nearest = match prominence.nearest() {
        None => "not reachable from the start URL".to_owned(),
        Some(0) => "on the start page".to_owned(),
        Some(depth) => {
            format!("nearest page {} from the start URL", counted(depth.into(), "link", "links"))
        }
    };
    let pages = counted(u64::from(prominence.pages), "page", "pages");
    format!("reach {}: on {pages}, {nearest}", count(prominence.weight.into()))
}

fn shared(
    out: &mut dyn Write,
    totals: &Totals,
    listing: &Listing,
    shared: &Shared,
) -> Result<(), ViewError> {
    let link = &shared.first;
    write!(out, "  {}", phrase::on_many(link, totals.pages))?;
    writeln!(out, ", one edit: {}  {FAINT}first on {}{FAINT:#}", said(link), at(link))?;
    if !shared.samples.is_empty() {
        let samples: Vec<String> =
            shared.samples.iter().map(|page| safe(&shorten(page, LONGEST)).to_string()).collect();
        writeln!(out, "    {FAINT}also on {}{FAINT:#}", samples.join(", "))?;
    }
    editor(out, listing, link)
}

/// One occurrence: position, element and text, region.
fn occurrence(out: &mut dyn Write, listing: &Listing, link: &LinkRow) -> Result<(), ViewError> {
    if is_entry(link) {
        return Ok(writeln!(out, "  {}", entry(link, listing.source.as_ref()))?);
    }
    write!(out, "  {}  {}", at(link), said(link))?;
    match link.region {
        Some(region) => writeln!(out, "  {FAINT}in {}{FAINT:#}", region.as_str())?,
        None => writeln!(out)?,
    }
    editor(out, listing, link)
}

/// The URL or file for editing the page.
pub(super) fn editor(
    out: &mut dyn Write,
    listing: &Listing,
    link: &LinkRow,
) -> Result<(), ViewError> {
    let source = listing.source.as_ref();
    if let Some(source) = source.and_then(|source| source.of(&link.page, link.line, link.column)) {
        writeln!(out, "    {FAINT}{}{FAINT:#}", safe(&shorten(&source, LONGEST)))?;
    }
    Ok(())
}

/// The evidence: redirects, and the last response.
fn evidence(out: &mut dyn Write, block: &Block, way: &[TraceRow]) -> Result<(), ViewError> {
    let outcome = &block.first.outcome;
    if let Some(moved_to) = &outcome.moved_to {
        writeln!(out, "  now at {}", safe(&shorten(moved_to, LONGEST)))?;
    }
    if outcome.cause == Some(Cause::NoSuchFragment) {
        let page = outcome.last.as_deref().unwrap_or(&block.first.url);
        writeln!(out, "  anchors of {} checked", safe(&shorten(page, LONGEST)))?;
        return Ok(());
    }
    let of_link = [Cause::Placeholder, Cause::MixedContent];
    if matches!(outcome.verdict, Verdict::Moved | Verdict::Skipped)
        || outcome.cause.is_some_and(|cause| of_link.contains(&cause))
    {
        return Ok(());
    }
    if outcome.cause == Some(Cause::WrongType) {
        writeln!(out, "  the server sends an HTML page even with a browser's Accept header")?;
        return Ok(());
    }
    let Some(last) = way.last().filter(|last| !last.attempts.is_empty()) else { return Ok(()) };
    if way.len() > 1 {
        let hops = counted(way.len() as u64 - 1, "redirect", "redirects");
        writeln!(out, "  by {hops} to {}", safe(&shorten(&last.url, LONGEST)))?;
    }
    writeln!(out, "  {}", phrase::attempts(&last.attempts))?;
    Ok(likeness(out, outcome, &last.url, &last.attempts)?)
}

/// The evidence of a block in one line.
pub(crate) fn evidence_text(block: &Block, way: &[TraceRow]) -> Result<String, ViewError> {
    let mut lines = Vec::new();
    evidence(&mut lines, block, way)?;
    let lines = String::from_utf8_lossy(&lines);
    Ok(lines.lines().map(str::trim).collect::<Vec<_>>().join("; "))
}

/// For a page that does not itself say it is missing: the page it is compared with.
pub(super) fn likeness(
    out: &mut dyn Write,
    outcome: &Outcome,
    url: &str,
    attempts: &[Attempt],
) -> std::io::Result<()> {
    let test_url = nonexistent_sibling(url)
        .filter(|_| outcome.cause == Some(Cause::Soft404) && !says_missing(attempts));
    let Some(test_url) = test_url else { return Ok(()) };
    let test_url = safe(&shorten(&test_url, LONGEST)).to_string();
    writeln!(out, "  same text as {test_url}, a nonexistent test URL")
}

/// Whether the page text itself says that the page is missing.
fn says_missing(attempts: &[Attempt]) -> bool {
    attempts.iter().any(|attempt| match &attempt.outcome {
        AttemptOutcome::Response(answer) => answer.signs.says_missing.is_some(),
        AttemptOutcome::Failure(_) => false,
    })
}

/// Page, line and column of a link.
pub(crate) fn at(row: &LinkRow) -> String {
    if is_entry(row) {
        return entry(row, None);
    }
    if row.line == 0 {
        return format!("{} in a response header", safe(&shorten(&row.page, LONGEST)));
    }
    format!("{} {}:{}", safe(&shorten(&row.page, LONGEST)), row.line, row.column)
}

/// Line and column of a link.
pub(crate) fn at_line(row: &LinkRow) -> String {
    if row.line == 0 { "header".to_owned() } else { format!("{}:{}", row.line, row.column) }
}

/// Whether a link is an entry of a list from the user.
pub(crate) fn is_entry(row: &LinkRow) -> bool {
    row.element == Element::ENTRY.name()
}

/// File and line of an entry of a list, in the form that terminals make clickable.
pub(crate) fn entry(row: &LinkRow, source: Option<&Source>) -> String {
    if let Some(named) = source.and_then(|source| source.of(&row.page, 0, 0)) {
        return format!("{}:{}", safe(&shorten(&named, LONGEST)), row.line);
    }
    let path = row.page.strip_prefix("file://").unwrap_or(&row.page);
    match path {
        "/arguments" => format!("argument {}", row.line),
        "/standard-input" => format!("standard input, line {}", row.line),
        path => format!("{}:{}", safe(&shorten(&decoded(path), LONGEST)), row.line),
    }
}

/// A percent-decoded path, if the result is UTF-8.
fn decoded(path: &str) -> String {
    percent_encoding::percent_decode_str(path)
        .decode_utf8()
        .map_or_else(|_| path.to_owned(), std::borrow::Cow::into_owned)
}

/// A link as shown: its element, its text or else its source text, and its region.
pub(crate) fn said(row: &LinkRow) -> String {
    let text = row.text.as_deref().filter(|text| !text.is_empty());
    // What is written in a list is the target itself.
    if text.is_none() && is_entry(row) {
        return row.element.clone();
    }
    let text = text.map_or_else(
        || format!("{}={}", row.attribute, safe(&shorten(&row.written, TEXT))),
        |text| format!("\"{}\"", safe(&shorten(text, TEXT))),
    );
    let rel = row.rel.as_deref().map(|rel| format!(" rel={}", safe(&shorten(rel, TEXT))));
    format!("{} {text}{}", row.element, rel.unwrap_or_default())
}

#[cfg(test)]
mod tests {
    use jiff::Timestamp;
    use rummage_core::findings::selection::Standing;
    use rummage_store::History;

    use super::*;
    use crate::listing::Group;
    use crate::testing::{block, hop, link_row, outcome, plain, run_info};

    fn shown_as(listing: &Listing, block: &Block, way: &[TraceRow]) -> String {
        let totals = Totals { pages: 88, ..Totals::default() };
        plain(|out| write(out, &run_info(), &totals, listing, block, way))
    }

    fn shown(block: &Block, way: &[TraceRow]) -> String {
        shown_as(&Listing::by(Group::Target), block, way)
    }

    #[test]
    fn a_target_outside_the_site_is_external_and_one_in_a_list_is_not() {
        let mut link = link_row();
        link.outcome.scope = Some(Scope::External);
        let way = [hop("http://a.test/gone", &[404])];
        let first_line = |link: &LinkRow| {
            let text = shown(&block(link.clone()), &way);
            text.lines().next().unwrap_or_default().to_owned()
        };
        assert_eq!(first_line(&link), "broken  404 Not Found  external");
        assert_eq!(first_line(&link_row()), "broken  404 Not Found");
        link.page = "file:///srv/list.csv".to_owned();
        assert_eq!(first_line(&link), "broken  404 Not Found");
    }

    #[test]
    fn a_block_has_verdict_target_evidence_and_occurrences() {
        let text = shown(&block(link_row()), &[hop("http://a.test/gone", &[404, 404])]);
        insta::assert_snapshot!(text, @r#"
        broken  404 Not Found
          http://a.test/gone
          2 × GET: 404 (3 ms)
          http://a.test/visit/ 31:7  a "Rota"  in footer
          http://a.test/news/ 4:7  a "Rota"  in footer
        "#);
    }

    #[test]
    fn redirects_are_counted_and_the_last_hop_is_the_evidence() {
        let way = [hop("http://a.test/gone", &[301]), hop("http://a.test/new", &[404])];
        let text = shown(&block(link_row()), &way);
        assert!(
            text.contains("  by 1 redirect to http://a.test/new\n  GET: 404 (3 ms)\n"),
            "{text}"
        );
        let without = shown(&block(link_row()), &[]);
        assert!(!without.contains("GET") && !without.contains("redirect"), "{without}");
    }

    #[test]
    fn the_evidence_depends_on_the_cause() {
        let way = [hop("http://a.test/gone", &[200])];
        let with = |verdict, cause, change: fn(&mut LinkRow)| {
            let mut row =
                LinkRow { outcome: outcome(verdict, Some(cause), Some(200)), ..link_row() };
            change(&mut row);
            shown(&block(row), &way)
        };
        let text = with(Verdict::Broken, Cause::NoSuchFragment, |row| {
            row.fragment = Some("winter".to_owned());
        });
        assert!(text.starts_with("broken  no anchor #winter on the page\n"), "{text}");
        assert!(text.contains("  http://a.test/gone#winter\n"), "{text}");
        assert!(text.contains("  anchors of http://a.test/gone checked\n"), "{text}");
        let text = with(Verdict::Moved, Cause::MovedPermanently, |row| {
            row.outcome.moved_to = Some("http://a.test/new".to_owned());
        });
        assert!(
            text.contains("moved permanently\n") && text.contains("  now at http://a.test/new\n")
        );
        assert!(!text.contains("GET"), "{text}");
        let text = with(Verdict::Broken, Cause::WrongType, |row| {
            (row.element, row.attribute) = ("img".to_owned(), "src".to_owned());
        });
        assert!(text.starts_with("broken  HTML page where an image is expected\n"), "{text}");
        assert!(text.contains("even with a browser's Accept header"), "{text}");
        let text = with(Verdict::Doubtful, Cause::Placeholder, |row| row.written = " ".to_owned());
        assert!(text.contains("  an empty URL\n") && !text.contains("GET"), "{text}");
        let text = with(Verdict::Doubtful, Cause::Soft404, |_| {});
        assert!(text.contains("a nonexistent test URL") && text.contains("GET: 200"), "{text}");
        let text = with(Verdict::Doubtful, Cause::RedirectedHome, |_| {});
        assert!(!text.contains("nonexistent"), "{text}");
    }

    #[test]
    fn the_standing_is_shown_unless_it_is_no_news() {
        let history = History {
            standing: Standing::New,
            first_run: 1,
            first_seen: Timestamp::UNIX_EPOCH,
            has_before: true,
            new_check: false,
        };
        let first_line =
            |row: LinkRow| shown(&block(row), &[]).lines().next().unwrap_or_default().to_owned();
        let with = |history| first_line(LinkRow { history: Some(history), ..link_row() });
        let open = History { standing: Standing::Open, ..history };
        assert_eq!(with(history), "broken  404 Not Found  new");
        assert_eq!(with(History { has_before: false, ..history }), "broken  404 Not Found");
        assert_eq!(with(open), "broken  404 Not Found  since 1970-01-01");
        assert_eq!(
            with(History { new_check: true, ..open }),
            "broken  404 Not Found  not checked for before"
        );
        let returned = History { standing: Standing::Returned, ..history };
        assert_eq!(with(returned), "broken  404 Not Found  returned");
        let waived = LinkRow { history: Some(open), waived: true, ..link_row() };
        assert_eq!(first_line(waived), "broken  404 Not Found  waived");
        for page in ["file:///arguments", "file:///standard-input"] {
            let given = LinkRow { history: Some(open), page: page.to_owned(), ..link_row() };
            assert_eq!(first_line(given), "broken  404 Not Found", "{page} has no earlier run");
        }
    }

    #[test]
    fn a_shared_link_takes_one_line_with_samples_and_the_rest_is_counted() {
        let first = LinkRow { pages: 73, ..link_row() };
        let mut block = block(first.clone());
        let samples = vec!["http://a.test/b".to_owned(), "http://a.test/c".to_owned()];
        block.shared = vec![Shared { first, fold: 0, samples }];
        block.occurrences.truncate(1);
        block.occurrence_count = 8;
        insta::assert_snapshot!(shown(&block, &[]), @r#"
        broken  404 Not Found
          http://a.test/gone
          on 73 of 88 pages, in footer, one edit: a "Rota"  first on http://a.test/visit/ 31:7
            also on http://a.test/b, http://a.test/c
          http://a.test/visit/ 31:7  a "Rota"  in footer
          and 7 more occurrences: --unfold, or rummage trace
        "#);
        block.occurrence_count = 1;
        assert!(!shown(&block, &[]).contains("more"), "{}", shown(&block, &[]));
    }

    #[test]
    fn verbose_listings_show_the_reach_and_an_editor_shows_its_link() {
        let verbose = Listing { verbose: true, ..Listing::by(Group::Target) };
        let text = shown_as(&verbose, &block(link_row()), &[]);
        assert!(text.contains("on 2 pages, nearest page 1 link from the start URL"), "{text}");
        let edit = Source::Editor("https://cms.test/edit?path={path}".to_owned());
        let edit = Listing { source: Some(edit), ..Listing::by(Group::Target) };
        let text = shown_as(&edit, &block(link_row()), &[]);
        assert!(text.contains("    edit: https://cms.test/edit?path=/visit/\n"), "{text}");
    }

    #[test]
    fn places_are_positions_headers_arguments_lines_and_files() {
        let entry = |page: &str| LinkRow {
            page: page.to_owned(),
            element: Element::ENTRY.name().to_owned(),
            line: 3,
            ..link_row()
        };
        assert_eq!(at(&link_row()), "http://a.test/visit/ 31:7");
        let header = LinkRow { line: 0, column: 0, ..link_row() };
        assert_eq!(at(&header), "http://a.test/visit/ in a response header");
        assert_eq!((at_line(&header), at_line(&link_row())), ("header".into(), "31:7".into()));
        assert_eq!(at(&entry("file:///arguments")), "argument 3");
        assert_eq!(at(&entry("file:///standard-input")), "standard input, line 3");
        assert_eq!(at(&entry("file:///home/ada/my%20list.txt")), "/home/ada/my list.txt:3");
        assert_eq!(at(&entry("file:///a%ff")), "/a%ff:3", "not UTF-8: as it is");
        let untitled = LinkRow { text: Some(String::new()), ..link_row() };
        assert_eq!(said(&untitled), "a href=/gone");
        assert_eq!(said(&link_row()), "a \"Rota\"");
    }
}
