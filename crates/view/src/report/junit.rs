//! JUnit XML: a test case for each page that was parsed.
//!
//! A page with broken links fails, with a line for each; what is doubtful or moved is in its
//! output and fails nothing. The first test case is the run itself: one that is unfinished or
//! suspicious is an error, because it cannot show that the site is in order.
//!
//! There is no standard for the format. Elements and attributes are those that build servers
//! have in common: `testsuites`, `testsuite`, `testcase`, `failure`, `error`, `system-out`.

use std::fmt::Write as _;
use std::io::Write;

use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesText, Event};
use rummage_core::findings::selection::Selection;
use rummage_core::verdict::Verdict;
use rummage_store::{LinkMatch, LinkQuery, LinkRow, OpenRun, RunState};

use crate::ViewError;
use crate::listing::Listing;
use crate::number::counted;
use crate::phrase::{cause_of, public_name};
use crate::rows::Shown;
use crate::safe::{safe, shorten};
use crate::text::{at_line, said, target};

/// URLs are cut to this many characters.
const LONGEST: usize = 300;
/// How many links of a page are written; the rest is counted.
const LINKS: usize = 200;

/// Writes the matching links of a run by page.
pub(super) fn write(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
) -> Result<Shown, ViewError> {
    let query = run.query(selection)?;
    let info = run.info();
    let pages = pages(run, selection)?;
    let mut links = 0;
    let mut failing = 0;
    let mut last_failing = None;
    query.for_each(|found| {
        links += 1;
        if fails(found) && last_failing.replace(found.page) != Some(found.page) {
            failing += 1;
        }
        Ok::<_, ViewError>(())
    })?;
    let error = error(info.state);
    let (tests, failures) = ((pages.len() + 1).to_string(), failing.to_string());
    let (errors, time) = (u8::from(error.is_some()).to_string(), info.took.as_secs_f64());
    let (time, site) = (format!("{time:.3}"), clean(&public_name(info)));
    let counts =
        [("tests", &*tests), ("failures", &*failures), ("errors", &*errors), ("time", &*time)];
    let mut xml = Writer::new_with_indent(&mut *out, b' ', 2);
    xml.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let suites = xml.create_element("testsuites").with_attribute(("name", "rummage"));
    suites.with_attributes(counts).write_inner_content(|xml| {
        let started = info.started_at.strftime("%Y-%m-%dT%H:%M:%S").to_string();
        let suite = xml
            .create_element("testsuite")
            .with_attribute(("name", &*site))
            .with_attributes(counts)
            .with_attribute(("skipped", "0"))
            .with_attribute(("timestamp", &*started));
        suite.write_inner_content(|xml| {
            of_run(xml, &site, info.number, error)?;
            pages
                .iter()
                .try_for_each(|rank| of_page(xml, &query, listing, &site, *rank))
                .map_err(std::io::Error::other)
        })?;
        Ok(())
    })?;
    out.write_all(b"\n")?;
    Ok(Shown { shown: links, all: links })
}

/// The pages that the selection takes, by rank: others would pass without having been looked at.
fn pages(run: &OpenRun<'_>, selection: &Selection) -> Result<Vec<u32>, ViewError> {
    let mut pages = Vec::new();
    for rank in 0..run.parsed() {
        if !selection.is_of_pages() || selection.takes_page(&run.url(run.page_at(rank))?) {
            pages.push(rank);
        }
    }
    Ok(pages)
}

/// Whether a link makes the test case of its page fail.
fn fails(found: &LinkMatch) -> bool {
    found.verdict == Verdict::Broken && !found.waived
}

/// Why a run proves nothing.
fn error(state: RunState) -> Option<&'static str> {
    match state {
        RunState::Finished => None,
        RunState::Suspicious => Some("The result is suspicious: something else may be broken."),
        RunState::Going | RunState::Stopped => {
            Some("The run is unfinished: something that was not checked may be broken.")
        }
    }
}

fn of_run<W: Write>(
    xml: &mut Writer<W>,
    site: &str,
    number: i64,
    error: Option<&str>,
) -> std::io::Result<()> {
    let name = format!("run {number} is complete");
    let case = xml.create_element("testcase");
    let case = case.with_attributes([("name", name.as_str()), ("classname", site)]);
    match error {
        None => case.write_empty()?,
        Some(error) => case.write_inner_content(|xml| {
            xml.create_element("error").with_attribute(("message", error)).write_empty()?;
            Ok(())
        })?,
    };
    Ok(())
}

fn of_page<W: Write>(
    xml: &mut Writer<W>,
    query: &LinkQuery<'_>,
    listing: &Listing,
    site: &str,
    rank: u32,
) -> Result<(), ViewError> {
    let page = query.run().url(query.run().page_at(rank))?;
    // A list is known by its file, a page by its URL.
    let file = listing.source.as_ref().filter(|_| !page.starts_with("http"));
    let page = file.and_then(|source| source.of_page(&page)).unwrap_or(page);
    let page = clean(&shorten(&page, LONGEST));
    let found = query.on_page(rank)?;
    let (failing, others): (Vec<_>, Vec<_>) = found.iter().partition(|found| fails(found));
    let case = xml.create_element("testcase");
    let case = case.with_attributes([("name", page.as_str()), ("classname", site)]);
    if found.is_empty() {
        case.write_empty()?;
        return Ok(());
    }
    let (failure, output) = (lines(query, &failing)?, lines(query, &others)?);
    case.write_inner_content(|xml| {
        if !failing.is_empty() {
            let message = counted(failing.len() as u64, "broken link", "broken links");
            let failure_element = xml
                .create_element("failure")
                .with_attributes([("message", message.as_str()), ("type", "broken")]);
            failure_element.write_text_content(BytesText::new(&failure))?;
        }
        if !others.is_empty() {
            xml.create_element("system-out").write_text_content(BytesText::new(&output))?;
        }
        Ok(())
    })?;
    Ok(())
}

/// A line for each link: place, link, target, verdict and cause.
fn lines(query: &LinkQuery<'_>, some: &[&LinkMatch]) -> Result<String, ViewError> {
    let mut text = String::new();
    for found in some.iter().take(LINKS) {
        text.push_str(&line(&query.row(found)?));
    }
    if let Some(rest) = crate::number::rest(some.len() as u64, LINKS) {
        let _ = writeln!(text, "{rest}");
    }
    Ok(text)
}

fn line(row: &LinkRow) -> String {
    let target = shorten(&target(row), LONGEST).to_string();
    let verdict = row.outcome.verdict;
    let line = format!("{} {}: {target}: {verdict}, {}", at_line(row), said(row), cause_of(row));
    clean(&line) + "\n"
}

/// Text that XML can have (XML 1.0 §2.2, Char), without what a terminal or an editor may obey.
fn clean(text: &str) -> String {
    safe(text).to_string().replace(['\u{fffe}', '\u{ffff}'], "\u{fffd}")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::link_row;

    #[test]
    fn a_line_names_place_link_target_and_cause() {
        let mut link = link_row();
        assert_eq!(line(&link), "31:7 a \"Rota\": http://a.test/gone: broken, 404 Not Found\n");
        link.text = Some("a\u{0}b\u{ffff}\n</failure>".to_owned());
        let line = line(&link);
        assert!(line.contains("a\\u{0}b\u{fffd}\\u{a}</failure>"), "{line}");
        assert_eq!(line.matches('\n').count(), 1);
    }

    #[test]
    fn only_a_finished_run_is_no_error() {
        assert_eq!(error(RunState::Finished), None);
        for state in [RunState::Suspicious, RunState::Going, RunState::Stopped] {
            assert!(error(state).is_some_and(|why| why.contains("may be broken")), "{state:?}");
        }
    }
}
