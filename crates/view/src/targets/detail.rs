//! Everything that helps to decide about one target.

use rummage_core::url::scope::Scope;
use rummage_core::verdict::Cause;
use rummage_store::{LinkRow, Outcome, Reader};

use super::TargetList;
use super::list::TargetLine;
use crate::ViewError;
use crate::listing::Source;
use crate::number::rest_of;
use crate::phrase::on_many;
use crate::skipped::rule;
use crate::text::{at_line, entry, is_entry, trace};

/// A target with its evidence and the links to it. Texts of pages are escaped, except in `line`
/// and the URLs of occurrences.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TargetDetail {
    /// As in the list.
    pub line: TargetLine,
    /// What the verdict means and what can be done, a line each.
    pub meaning: Vec<String>,
    /// Requests, redirects and responses.
    pub evidence: Vec<String>,
    /// The results of earlier runs, if there were several.
    pub history: Vec<String>,
    /// The first links to it; those shared by many pages first, once each.
    pub occurrences: Vec<Occurrence>,
    /// How many links are not among them, in words.
    pub more: Option<String>,
}

/// A link to the target.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Occurrence {
    /// The page.
    pub page: String,
    /// Line and column: `31:7`.
    pub at: String,
    /// The tag as far as it is stored, or what stands for it.
    pub tag: String,
    /// Where on the page it is.
    pub region: Option<&'static str>,
    /// On how many pages it is, if one edit fixes them all.
    pub shared: Option<String>,
    /// The URL of the page's editor, or its file.
    pub source: Option<String>,
    /// The line of the source around the tag, as far as a caller that can read it has put it here.
    pub excerpt: Option<String>,
}

impl TargetList<'_> {
    /// The detail of the target at a position; `None` if there is no such position.
    ///
    /// # Errors
    /// See [`ViewError`].
    pub fn detail(
        &mut self,
        at: u32,
        reader: &Reader,
        source: Option<&Source>,
    ) -> Result<Option<TargetDetail>, ViewError> {
        let (Some(line), Some(first)) = (self.line(at)?, self.first(at)?) else {
            return Ok(None);
        };
        let (run, query) = (self.run(), self.query());
        let is_list = is_entry(&first);
        let outcome = match is_list || first.outcome.cause == Some(Cause::Placeholder) {
            true => Outcome { scope: None::<Scope>, ..first.outcome.clone() },
            false => first.outcome.clone(),
        };
        let mut meaning = lines(|out| trace::verdict(out, &outcome))?;
        let totals = run.totals()?;
        meaning.extend(rule(run.info(), &totals.notes, &first.outcome, &first.url));
        let is_placeholder = first.outcome.cause == Some(Cause::Placeholder);
        let (mut evidence, mut history) = (Vec::new(), Vec::new());
        if !is_placeholder {
            evidence = lines(|out| trace::requests(out, run, first.target, &first.outcome))?;
            let past = reader.past(&run.info().site, first.target)?;
            history = lines(|out| trace::past(out, &past))?;
        }
        let mut occurrences = Vec::new();
        let mut covered = 0;
        for (_, found, shared) in self.samples(at)?.to_vec() {
            let row = query.row(&found)?;
            covered += if shared { row.pages } else { 1 };
            occurrences.push(occurrence(&row, shared.then_some(totals.pages), source));
        }
        let covered = usize::try_from(covered).unwrap_or(usize::MAX);
        let more = rest_of(line.links, covered, "link", "links");
        Ok(Some(TargetDetail { line, meaning, evidence, history, occurrences, more }))
    }
}

/// A link; `pages` is how many the run parsed, if the link stands for those on many of them.
fn occurrence(row: &LinkRow, pages: Option<u64>, source: Option<&Source>) -> Occurrence {
    let is_list = is_entry(row);
    let place = |source: &Source| {
        let of_page = source.of_page(&row.page)?;
        Some(source.place(&of_page, row.line, row.column))
    };
    Occurrence {
        page: if is_list { entry(row, source) } else { row.page.clone() },
        at: if is_list { String::new() } else { at_line(row) },
        tag: if is_list { row.written.clone() } else { trace::tag(row) },
        region: row.region.map(|region| region.as_str()),
        shared: pages.map(|pages| format!("{}, one edit", on_many(row, pages))),
        source: source.and_then(place),
        excerpt: None,
    }
}

/// What a function writes: without styles, a line each.
fn lines(
    write: impl FnOnce(&mut dyn std::io::Write) -> Result<(), ViewError>,
) -> Result<Vec<String>, ViewError> {
    let mut out = Vec::new();
    write(&mut out)?;
    let styled = String::from_utf8_lossy(&out);
    let plain = anstream::adapter::strip_str(&styled).to_string();
    let lines = plain.lines().map(|line| line.strip_prefix("  ").unwrap_or(line).to_owned());
    Ok(lines.filter(|line| !line.is_empty()).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::link_row;

    #[test]
    fn an_occurrence_has_what_is_needed_to_recognise_and_edit_the_link() {
        let editor = Source::Editor("https://cms.test/edit{path}".to_owned());
        let row = LinkRow { pages: 73, ..link_row() };
        let shown = occurrence(&row, None, Some(&editor));
        assert_eq!(shown.tag, "<a href=\"/gone\">Rota</a>");
        assert_eq!((&*shown.page, &*shown.at), ("http://a.test/visit/", "31:7"));
        assert_eq!((shown.region, shown.shared), (Some("footer"), None));
        assert_eq!(shown.source.as_deref(), Some("https://cms.test/edit/visit/"));
        let shared = occurrence(&row, Some(88), None);
        assert_eq!(shared.shared.as_deref(), Some("on 73 of 88 pages, in footer, one edit"));
        assert_eq!(shared.source, None);
    }

    #[test]
    fn a_file_is_named_with_line_and_column() {
        let file = Source::File(std::rc::Rc::new(|_| Some("public/visit.html".to_owned())));
        let shown = occurrence(&link_row(), None, Some(&file));
        assert_eq!(shown.source.as_deref(), Some("public/visit.html:31:7"));
    }

    #[test]
    fn lines_have_no_styles_and_no_indent() {
        let text = lines(|out| {
            let red = crate::style::STRONG;
            Ok(write!(out, "\n  {red}broken{red:#}\n    a\n\nb\n")?)
        });
        assert_eq!(text.unwrap_or_default(), ["broken", "  a", "b"]);
    }
}
