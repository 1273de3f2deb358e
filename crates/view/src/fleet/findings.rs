//! The findings of all sites of a fleet, in the formats of any other listing.

use std::io::Write;

use rummage_core::findings::selection::{Selection, Standing};
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};
use serde_json::{Map, Value};

use crate::ViewError;
use crate::columns::{Cell, FLEET_COLUMNS, Row};
use crate::number::counted;
use crate::rows::{OpenRows, RowFormat, Shown};
use crate::safe::{safe, shorten};
use crate::style::{FAINT, STRONG};
use crate::text::lines::line;

/// Names of sites are cut to this many characters.
const NAME: usize = 100;

/// A listing that is written row by row.
pub struct FleetListing<'a> {
    form: Form<'a>,
    selection: &'a Selection,
    limit: u64,
    shown: Shown,
    failing: Option<Selection>,
    any_failing: bool,
}

enum Form<'a> {
    Text {
        out: &'a mut dyn Write,
        /// The site of the last row.
        site: Option<String>,
    },
    Rows(OpenRows<'a>),
}

impl<'a> FleetListing<'a> {
    /// A listing as text, or as rows in a format.
    ///
    /// # Errors
    /// See [`ViewError`].
    pub fn new(
        out: &'a mut dyn Write,
        format: Option<RowFormat>,
        selection: &'a Selection,
        limit: Option<usize>,
    ) -> Result<FleetListing<'a>, ViewError> {
        let form = match format {
            Some(format) => Form::Rows(format.open_rows(out, FLEET_COLUMNS)?),
            None => Form::Text { out, site: None },
        };
        let limit = limit.map_or(u64::MAX, |limit| limit as u64);
        let shown = Shown { shown: 0, all: 0 };
        Ok(FleetListing { form, selection, limit, shown, failing: None, any_failing: false })
    }

    /// The same, with the links that make a command fail.
    #[must_use]
    pub fn failing_on(self, failing: Option<Selection>) -> FleetListing<'a> {
        FleetListing { failing, ..self }
    }

    /// Whether some of the links that matched make the command fail.
    #[must_use]
    pub fn is_failing(&self) -> bool {
        self.any_failing
    }

    /// Writes a row of a site, if it matches; `json` is the row of the link as an object.
    ///
    /// # Errors
    /// See [`ViewError`]. What is not an object is not written.
    pub fn add(&mut self, site: &str, json: &str) -> Result<(), ViewError> {
        let Ok(Value::Object(link)) = serde_json::from_str(json) else { return Ok(()) };
        if !takes(self.selection, &link) {
            return Ok(());
        }
        self.any_failing |= self.failing.as_ref().is_some_and(|failing| takes(failing, &link));
        self.shown.all += 1;
        if self.shown.all > self.limit {
            return Ok(());
        }
        self.shown.shown += 1;
        let row = row(site, &link);
        match &mut self.form {
            Form::Rows(rows) => rows.row(&row),
            Form::Text { out, site: last } => {
                if last.as_deref() != Some(site) {
                    let gap = if last.is_some() { "\n" } else { "" };
                    writeln!(out, "{gap}{STRONG}{}{STRONG:#}", safe(&shorten(site, NAME)))?;
                    *last = Some(site.to_owned());
                }
                line(*out, &row)
            }
        }
    }

    /// Ends the listing, and returns how much was written.
    ///
    /// # Errors
    /// See [`ViewError`].
    pub fn end(self) -> Result<Shown, ViewError> {
        let Shown { shown, all } = self.shown;
        match self.form {
            Form::Rows(rows) => rows.end()?,
            Form::Text { out, .. } if all == 0 => {
                writeln!(out, "{FAINT}no link of the fleet matches{FAINT:#}")?;
            }
            Form::Text { out, .. } => {
                let links = counted(all, "link", "links");
                let cut = if shown < all { format!("{shown} of {links}") } else { links };
                writeln!(out, "\n{FAINT}{cut}{FAINT:#}")?;
            }
        }
        Ok(self.shown)
    }
}

fn text<'l>(link: &'l Map<String, Value>, column: &str) -> Option<&'l str> {
    link.get(column)?.as_str()
}

/// The row with the columns that this version knows.
fn row(site: &str, link: &Map<String, Value>) -> Row {
    let cell = |column: &&str| match link.get(*column) {
        _ if *column == "site" => site.into(),
        Some(Value::Number(number)) => number.as_u64().map_or(Cell::Nothing, Cell::Number),
        Some(Value::String(text)) => text.as_str().into(),
        Some(Value::Array(words)) => {
            Cell::List(words.iter().filter_map(Value::as_str).map(str::to_owned).collect())
        }
        _ => Cell::Nothing,
    };
    Row::new(FLEET_COLUMNS, FLEET_COLUMNS.iter().map(cell).collect())
}

/// Whether a link matches a selection, as it would in the store of its site.
fn takes(selection: &Selection, link: &Map<String, Value>) -> bool {
    let text = |column: &str| text(link, column);
    let verdict = text("verdict").and_then(Verdict::named);
    let cause = text("cause").and_then(Cause::named);
    let status = link.get("status").and_then(Value::as_u64);
    let status = status.and_then(|status| u16::try_from(status).ok());
    let scopes = [Scope::Internal, Scope::External];
    let scope = scopes.into_iter().find(|scope| Some(scope.as_str()) == text("scope"));
    let (target, page) = (text("target").unwrap_or_default(), text("page").unwrap_or_default());
    let whole = target.split('#').next().unwrap_or_default();
    let standing = text("standing").and_then(Standing::named);
    let is_waived = standing == Some(Standing::Waived);
    let fits_standing = selection.standings.is_empty()
        || standing.is_some_and(|standing| selection.standings.contains(&standing));
    let searched = ["target", "page", "text", "written"].map(|column| text(column).unwrap_or(""));
    verdict.is_some_and(|verdict| selection.takes_verdict(verdict, cause, status))
        && (selection.takes_url(target, scope) || selection.takes_url(whole, scope))
        && selection.takes_page(page)
        && selection.takes_link(text("element").unwrap_or(""), text("rel"), text("text"))
        && selection.takes_waived(is_waived)
        && fits_standing
        && selection.finds(searched.into_iter())
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;
    use crate::testing::plain;
    use rummage_core::url::pattern::Pattern;

    const GONE: &str = r#"{"verdict":"broken","cause":"not-found","status":404,
        "target":"http://b.test/gone#top","scope":"external","page":"http://a.test/visit/",
        "line":31,"column":7,"element":"a","attribute":"href","text":"Rota","written":"/gone",
        "rel":"nofollow","standing":"new","notes":["nofollow"],"later-column":1}"#;

    fn link() -> Map<String, Value> {
        serde_json::from_str(GONE).unwrap()
    }

    fn listed(format: Option<RowFormat>, selection: &Selection, limit: Option<usize>) -> String {
        plain(|out| {
            let mut listing = FleetListing::new(out, format, selection, limit)?;
            for site in ["museum", "museum", "old \u{1b}[31mred"] {
                listing.add(site, GONE)?;
            }
            listing.add("museum", "not an object")?;
            assert!(!listing.is_failing());
            listing.end().map(drop)
        })
    }

    #[test]
    fn text_has_a_heading_for_each_site() {
        let text = listed(None, &Selection::default(), None);
        let line =
            "broken   not-found 404 http://b.test/gone#top http://a.test/visit/ 31:7 a \"Rota\"";
        let expected =
            format!("museum\n{line}\n{line}\n\nold \\u{{1b}}[31mred\n{line}\n\n3 links\n");
        assert_eq!(text, expected);
        let cut = listed(None, &Selection::default(), Some(1));
        assert_eq!(cut, format!("museum\n{line}\n\n1 of 3 links\n"));
        let none = listed(None, &Selection::of(&[Verdict::Moved]), None);
        assert_eq!(none, "no link of the fleet matches\n");
    }

    #[test]
    fn rows_have_the_columns_of_a_link_and_the_site() {
        let csv = listed(Some(RowFormat::Csv(b',')), &Selection::default(), Some(1));
        let mut lines = csv.lines();
        assert_eq!(lines.next().unwrap(), FLEET_COLUMNS.join(","));
        assert!(lines.next().unwrap().starts_with("museum,broken,not-found,404,http://b.test/"));
        assert_eq!(lines.next(), None);
        let json = listed(Some(RowFormat::Jsonl), &Selection::default(), Some(1));
        let row: Map<String, Value> = serde_json::from_str(&json).unwrap();
        assert_eq!(row.keys().collect::<Vec<_>>().len(), FLEET_COLUMNS.len());
        assert_eq!((&row["line"], &row["notes"]), (&31.into(), &serde_json::json!(["nofollow"])));
        assert_eq!(FLEET_COLUMNS[..4], ["site", "verdict", "cause", "status"]);
        assert_eq!(FLEET_COLUMNS.last(), Some(&"edit"));
    }

    #[test]
    fn every_kind_of_filter_applies() {
        let base = Selection::default;
        let takes = |selection: Selection| takes(&selection, &link());
        let pattern = |text: &str| vec![Pattern::new(text)];
        assert!(takes(base()) && !takes(Selection::of(&[Verdict::Doubtful])));
        assert!(takes(Selection { hosts: pattern("b.test"), ..base() }));
        assert!(!takes(Selection { hosts: pattern("a.test"), ..base() }));
        assert!(takes(Selection { targets: pattern("http://b.test/gone"), ..base() }));
        assert!(!takes(Selection { pages: pattern("/news/*"), ..base() }));
        assert!(!takes(Selection { scope: Some(Scope::Internal), ..base() }));
        assert!(!takes(Selection { elements: vec!["img".to_owned()], ..base() }));
        assert!(takes(Selection { rels: vec!["nofollow".to_owned()], ..base() }));
        assert!(takes(Selection { text: vec!["rota".to_owned()], ..base() }));
        assert!(!takes(Selection { search: vec!["punts".to_owned()], ..base() }));
        assert!(takes(Selection { standings: vec![Standing::New], ..base() }));
        assert!(!takes(Selection { standings: vec![Standing::Open], ..base() }));
    }
}
