//! The columns of rows, the same in every format: their names, order and values.

use std::borrow::Cow;
use std::cmp::Ordering;

use crate::text::is_entry;
use rummage_core::evidence::ResponseHead;
use rummage_core::findings::prominence::Prominence;
use rummage_core::findings::selection::Standing;
use rummage_core::url::userinfo::is_masked;
use rummage_core::verdict::Cause;
use rummage_store::{LinkRow, Outcome, TargetRow};
use serde::ser::{Serialize, SerializeMap, Serializer};

/// More redirects than this get a note.
const MANY_HOPS: u32 = 5;

/// The columns of a link.
pub(crate) const LINK_COLUMNS: &[&str] = &[
    "verdict",
    "cause",
    "status",
    "target",
    "final",
    "scope",
    "page",
    "line",
    "column",
    "element",
    "attribute",
    "text",
    "written",
    "region",
    "rel",
    "shared",
    "standing",
    "notes",
    "first_seen",
    "checked_at",
    "ms",
    "attempts",
    "page_title",
    "link_title",
    "edit",
];

/// The columns of a link in the findings of a fleet.
pub(crate) const FLEET_COLUMNS: &[&str] = &after_site();

const fn after_site() -> [&'static str; LINK_COLUMNS.len() + 1] {
    let mut columns = ["site"; LINK_COLUMNS.len() + 1];
    let mut at = 0;
    while at < LINK_COLUMNS.len() {
        columns[at + 1] = LINK_COLUMNS[at];
        at += 1;
    }
    columns
}

/// The columns of a target.
pub(crate) const TARGET_COLUMNS: &[&str] = &[
    "verdict",
    "cause",
    "status",
    "target",
    "final",
    "scope",
    "type",
    "bytes",
    "title",
    "ms",
    "depth",
    "pages",
    "server",
    "charset",
    "standing",
    "notes",
    "first_seen",
    "checked_at",
    "description",
    "modified",
    "places",
    "edit",
];

/// One value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Cell {
    /// Unknown or none.
    Nothing,
    /// A number.
    Number(u64),
    /// A text.
    Text(String),
    /// A list of words.
    List(Vec<String>),
}

/// The values of a row, in the order of its columns.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Row {
    columns: &'static [&'static str],
    cells: Vec<Cell>,
}

impl Row {
    /// A row with these columns, one for each value.
    pub(crate) fn new(columns: &'static [&'static str], cells: Vec<Cell>) -> Row {
        assert_eq!(columns.len(), cells.len(), "one value for each column");
        Row { columns, cells }
    }

    /// The values.
    #[must_use]
    pub(crate) fn cells(&self) -> &[Cell] {
        &self.cells
    }

    /// The value of a column; nothing if there is no such column.
    pub(crate) fn cell(&self, column: &str) -> &Cell {
        let at = self.columns.iter().position(|name| *name == column);
        at.and_then(|at| self.cells.get(at)).unwrap_or(&Cell::Nothing)
    }
}

impl Serialize for Row {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(Some(self.cells.len()))?;
        for (column, cell) in self.columns.iter().zip(&self.cells) {
            map.serialize_entry(column, cell)?;
        }
        map.end()
    }
}

impl Serialize for Cell {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Cell::Nothing => serializer.serialize_none(),
            Cell::Number(number) => serializer.serialize_u64(*number),
            Cell::Text(text) => serializer.serialize_str(text),
            Cell::List(words) => words.serialize(serializer),
        }
    }
}

impl Cell {
    /// The value as text; empty for nothing.
    #[must_use]
    pub(crate) fn text(&self) -> Cow<'_, str> {
        match self {
            Cell::Nothing => Cow::Borrowed(""),
            Cell::Number(number) => Cow::Owned(number.to_string()),
            Cell::Text(text) => Cow::Borrowed(text),
            Cell::List(words) => Cow::Owned(words.join("; ")),
        }
    }

    /// Orders numbers by size and text without regard to case; nothing comes last.
    pub(crate) fn compare(&self, other: &Cell) -> Ordering {
        match (self, other) {
            (Cell::Nothing, Cell::Nothing) => Ordering::Equal,
            (Cell::Nothing, _) => Ordering::Greater,
            (_, Cell::Nothing) => Ordering::Less,
            (Cell::Number(one), Cell::Number(other)) => one.cmp(other),
            (one, other) => {
                let (one, other) = (one.text(), other.text());
                one.to_lowercase().cmp(&other.to_lowercase()).then_with(|| one.cmp(&other))
            }
        }
    }
}

impl From<&str> for Cell {
    fn from(text: &str) -> Cell {
        Cell::Text(text.to_owned())
    }
}

impl From<String> for Cell {
    fn from(text: String) -> Cell {
        Cell::Text(text)
    }
}

impl From<u64> for Cell {
    fn from(number: u64) -> Cell {
        Cell::Number(number)
    }
}

fn maybe(value: Option<impl Into<Cell>>) -> Cell {
    value.map_or(Cell::Nothing, Into::into)
}

fn standing(row: &LinkRow) -> Cell {
    if row.waived {
        return Standing::Waived.as_str().into();
    }
    maybe(row.history.map(|history| history.standing.as_str()))
}

/// What a row of a link has that is not known of the link alone.
#[derive(Debug, Clone, Default)]
pub(crate) struct Around {
    /// How long the last request for the target took, in milliseconds.
    pub(crate) ms: Option<u64>,
    /// How many requests the verdict on the target took.
    pub(crate) attempts: u64,
    /// The title of the page with the link.
    pub(crate) page_title: Option<String>,
    /// Where the page is edited.
    pub(crate) edit: Option<String>,
}

/// The row of a link.
#[must_use]
pub(crate) fn of_link(row: &LinkRow, around: Around) -> Row {
    let outcome = &row.outcome;
    let place = |number: u32| maybe(Some(u64::from(number)).filter(|number| *number > 0));
    let cells = vec![
        outcome.verdict.as_str().into(),
        maybe(outcome.cause.map(|cause| cause.as_str())),
        maybe(outcome.status.map(u64::from)),
        row.full_target().into(),
        maybe(outcome.last.clone()),
        // A list has no site, so nothing in it is external.
        maybe(outcome.scope.filter(|_| !is_entry(row)).map(|scope| scope.as_str())),
        row.page.as_str().into(),
        place(row.line),
        place(row.column),
        row.element.as_str().into(),
        row.attribute.as_str().into(),
        maybe(row.text.clone()),
        row.written.as_str().into(),
        maybe(row.region.map(|region| region.as_str())),
        maybe(row.rel.clone()),
        row.pages.into(),
        standing(row),
        Cell::List(link_notes(row)),
        maybe(row.history.map(|history| history.first_seen.to_string())),
        maybe(outcome.checked_at.map(|at| at.to_string())),
        maybe(around.ms),
        around.attempts.into(),
        maybe(around.page_title),
        maybe(row.title.clone()),
        maybe(around.edit),
    ];
    Row { columns: LINK_COLUMNS, cells }
}

/// The row of a target: its verdict, from its first link, and its response.
#[must_use]
pub(crate) fn of_target(
    first: &LinkRow,
    target: &TargetRow,
    prominence: Prominence,
    places: Vec<String>,
    edit: Option<String>,
) -> Row {
    let own = first.outcome.cause.is_some_and(Cause::is_of_link);
    let (outcome, answer) = (&first.outcome, target.answer.as_ref());
    let said = |pick: fn(&ResponseHead) -> Option<String>| maybe(answer.and_then(pick));
    let name = if own { first.full_target() } else { first.url.clone() };
    let cells = vec![
        outcome.verdict.as_str().into(),
        maybe(outcome.cause.map(|cause| cause.as_str())),
        maybe(outcome.status.map(u64::from)),
        name.into(),
        maybe(outcome.last.clone()),
        maybe(outcome.scope.map(|scope| scope.as_str())),
        said(|answer| answer.media_type.clone()),
        maybe(answer.and_then(|answer| answer.length)),
        maybe(target.title.clone()),
        maybe(target.took.and_then(|took| u64::try_from(took.as_millis()).ok())),
        maybe(target.depth.map(u64::from)),
        u64::from(prominence.pages).into(),
        said(|answer| answer.server.clone()),
        said(|answer| answer.charset.clone()),
        standing(first),
        Cell::List(notes(outcome)),
        maybe(first.history.map(|history| history.first_seen.to_string())),
        maybe(outcome.checked_at.map(|at| at.to_string())),
        maybe(target.description.clone()),
        said(|answer| answer.last_modified.clone()),
        Cell::List(places),
        maybe(edit),
    ];
    Row { columns: TARGET_COLUMNS, cells }
}

fn link_notes(row: &LinkRow) -> Vec<String> {
    let mut notes = Vec::new();
    let is_nofollow = |word: &str| word.eq_ignore_ascii_case("nofollow");
    if row.rel.as_deref().is_some_and(|rel| rel.split_ascii_whitespace().any(is_nofollow)) {
        notes.push("nofollow".to_owned());
    }
    if is_masked(&row.written) {
        notes.push("credentials-in-url".to_owned());
    }
    if row.for_script {
        notes.push("script-fragment".to_owned());
    }
    notes.extend(self::notes(&row.outcome));
    // The previous run could not have found it: this version or these settings check more.
    if row.history.is_some_and(|history| history.new_check) {
        notes.push("new-check".to_owned());
    }
    notes
}

fn notes(outcome: &Outcome) -> Vec<String> {
    let mut notes = Vec::new();
    if outcome.hops > MANY_HOPS {
        notes.push("many-hops".to_owned());
    }
    if let Some(reason) = outcome.not_parsed {
        notes.push(format!("not-read: {}", reason.as_str()));
    }
    notes
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_sort_numbers_by_size_and_text_without_case() {
        let mut cells = [
            Cell::Nothing,
            Cell::from("b"),
            Cell::from("B"),
            Cell::from("a"),
            Cell::Nothing,
            Cell::from("Ä"),
        ];
        cells.sort_by(Cell::compare);
        let texts: Vec<_> = cells.iter().map(|cell| cell.text().into_owned()).collect();
        assert_eq!(texts, ["a", "B", "b", "Ä", "", ""]);
        assert_eq!(Cell::from(9).compare(&Cell::from(10)), Ordering::Less);
    }

    #[test]
    fn a_row_is_an_object_with_all_keys_in_order() {
        let mut cells = vec![Cell::Nothing; TARGET_COLUMNS.len()];
        cells[0] = "broken".into();
        cells[2] = Cell::Number(404);
        cells[15] = Cell::List(vec!["many-hops".to_owned()]);
        let row = Row { columns: TARGET_COLUMNS, cells };
        let json = serde_json::to_string(&row).expect("a row is plain data");
        assert!(json.starts_with(r#"{"verdict":"broken","cause":null,"status":404,"target":null"#));
        assert!(json.contains(r#""standing":null,"notes":["many-hops"],"first_seen":null"#));
        assert_eq!(row.cell("status"), &Cell::Number(404));
        assert_eq!(row.cell("no-such-column"), &Cell::Nothing);
    }
}
