//! Missing URLs that visitors requested: as text, and as rows for other programs.

use std::io::Write;

use jiff::Timestamp;
use rummage_core::Seconds;
use rummage_core::extract::access_log::Arrival;
use rummage_store::{Backlinks, Outcome};

use crate::ViewError;
use crate::columns::{Cell, Row};
use crate::listing::Sort;
use crate::number::{count, counted, rest};
use crate::phrase::cause_of_outcome;
use crate::rows::{self, RowFormat, Shown};
use crate::safe::write_json;
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::when::day;

/// URLs are cut to this many characters.
const LONGEST: usize = 300;
/// How many referrers are shown.
const REFERRERS: usize = 3;

/// The columns of rows.
pub const ARRIVAL_COLUMNS: &[&str] = &[
    "status",
    "target",
    "hits",
    "people",
    "robots",
    "first_at",
    "last_at",
    "served_at",
    "own_referrers",
    "other_referrers",
    "without_referrer",
    "linked_pages",
    "page",
    "line",
    "verdict",
    "cause",
    "status_now",
    "final",
];

/// A missing URL that visitors requested, with what else is known about it.
#[derive(Debug)]
pub struct ArrivalRow {
    /// What the logs show.
    pub arrival: Arrival,
    /// The URL.
    pub target: String,
    /// The links to it, from the store.
    pub carried: Option<Backlinks>,
    /// Its current result, if it was checked.
    pub now: Option<Outcome>,
}

impl ArrivalRow {
    /// Whether it was served after it had been missing, or works now.
    #[must_use]
    pub fn is_over(&self) -> bool {
        use rummage_core::verdict::Verdict::{Moved, Sound};
        match &self.now {
            Some(now) => matches!(now.verdict, Sound | Moved),
            None => self.arrival.is_over(),
        }
    }

    fn row(&self) -> Row {
        let arrival = &self.arrival;
        let text = |text: String| Cell::Text(text);
        let maybe = |text: Option<String>| text.map_or(Cell::Nothing, Cell::Text);
        let now = self.now.as_ref();
        Row::new(
            ARRIVAL_COLUMNS,
            vec![
                Cell::Number(arrival.status.into()),
                text(self.target.clone()),
                Cell::Number(arrival.hits),
                Cell::Number(arrival.people()),
                Cell::Number(arrival.robots),
                text(utc(arrival.first)),
                text(utc(arrival.last)),
                maybe(arrival.fine_at.map(utc)),
                Cell::List(ranked(&arrival.own)),
                Cell::List(ranked(&arrival.others)),
                Cell::Number(arrival.from_nowhere),
                Cell::Number(self.carried.as_ref().map_or(0, |carried| carried.pages)),
                maybe(self.carried.as_ref().map(|carried| carried.first.0.clone())),
                self.carried
                    .as_ref()
                    .map_or(Cell::Nothing, |carried| Cell::Number(carried.first.1.into())),
                maybe(now.map(|now| now.verdict.as_str().to_owned())),
                maybe(now.and_then(|now| now.cause).map(|cause| cause.as_str().to_owned())),
                now.and_then(|now| now.status)
                    .map_or(Cell::Nothing, |status| Cell::Number(status.into())),
                maybe(now.and_then(|now| now.last.clone())),
            ],
        )
    }
}

/// What is shown above the arrivals.
#[derive(Debug, Clone)]
pub struct ArrivalsHead {
    /// The names of the logs.
    pub logs: Vec<String>,
    /// Lines that were read.
    pub lines: u64,
    /// Lines that were skipped because they are not in access-log format.
    pub malformed: u64,
    /// The first and last time in the logs.
    pub span: Option<(Seconds, Seconds)>,
    /// The run whose links are known.
    pub run: Option<i64>,
}

/// Writes arrivals as text: what is still missing first, what is fixed in a section of its own.
///
/// # Errors
/// See [`ViewError`].
pub fn arrivals(
    out: &mut dyn Write,
    head: &ArrivalsHead,
    rows: &[ArrivalRow],
    limit: Option<usize>,
    verbose: bool,
) -> Result<(), ViewError> {
    let names: Vec<String> = head.logs.iter().map(|name| safe(name).to_string()).collect();
    write!(out, "{STRONG}{}{STRONG:#}", names.join(", "))?;
    let span = head.span.map(|(first, last)| format!(", {}", days(first, last)));
    let lines = counted(head.lines, "line", "lines");
    writeln!(out, "  {FAINT}{lines}{}{FAINT:#}", span.unwrap_or_default())?;
    if head.malformed > 0 {
        let lines = counted(head.malformed, "line", "lines");
        writeln!(out, "skipped {lines} not in access-log format")?;
    }
    let (over, missing): (Vec<_>, Vec<_>) = rows.iter().partition(|row| row.is_over());
    let sum = |of: fn(&Arrival) -> u64| missing.iter().map(|row| of(&row.arrival)).sum::<u64>();
    writeln!(
        out,
        "{} missing: {} by people, {} by robots",
        counted(missing.len() as u64, "URL", "URLs"),
        counted(sum(Arrival::people), "request", "requests"),
        count(sum(|arrival| arrival.robots)),
    )?;
    if !over.is_empty() {
        writeln!(out, "{} fixed since", counted(over.len() as u64, "URL", "URLs"))?;
    }
    let most = limit.unwrap_or(usize::MAX);
    for row in missing.iter().take(most) {
        block(out, head, row, verbose)?;
    }
    if let Some(rest) = rest(missing.len() as u64, most) {
        writeln!(out, "\n{FAINT}{rest}: --limit{FAINT:#}")?;
    }
    if !over.is_empty() {
        writeln!(out, "\n{STRONG}fixed{STRONG:#}")?;
    }
    for row in over.iter().take(most) {
        let target = safe(&shorten(&row.target, LONGEST)).to_string();
        writeln!(out, "  {target}  {FAINT}{}{FAINT:#}", healed(row))?;
    }
    Ok(())
}

fn healed(row: &ArrivalRow) -> String {
    let was = format!("{} until {}", row.arrival.status, date(row.arrival.last));
    match &row.now {
        Some(now) => match now.moved_to.as_ref().or(now.last.as_ref()) {
            Some(to) if *to != row.target => {
                format!("{was}; now redirects to {}", safe(&shorten(to, LONGEST)))
            }
            _ => format!("{was}; works now"),
        },
        None => format!("{was}; served {}", row.arrival.fine_at.map(date).unwrap_or_default()),
    }
}

fn block(
    out: &mut dyn Write,
    head: &ArrivalsHead,
    row: &ArrivalRow,
    verbose: bool,
) -> Result<(), ViewError> {
    let ArrivalRow { arrival, target, carried, now } = row;
    writeln!(out)?;
    let requests = |number| counted(number, "request", "requests");
    let who = match (arrival.people(), arrival.robots) {
        (0, robots) => format!("{} by robots", requests(robots)),
        (people, 0) => format!("{} by people", requests(people)),
        (people, robots) => {
            format!("{} by people, {} by robots", requests(people), count(robots))
        }
    };
    let style = style::of(rummage_core::verdict::Verdict::Broken);
    writeln!(
        out,
        "{style}{}{style:#}  {who}  {FAINT}{}{FAINT:#}",
        arrival.status,
        days(arrival.first, arrival.last)
    )?;
    writeln!(out, "  {STRONG}{}{STRONG:#}", safe(&shorten(target, LONGEST)))?;
    if let Some(now) = now {
        let style = style::of(now.verdict);
        writeln!(out, "  now {style}{}{style:#}  {}", now.verdict, cause_of_outcome(now))?;
    }
    if let Some(Backlinks { pages, first: (page, line, column) }) = carried {
        let pages = counted(*pages, "page", "pages");
        let page = safe(&shorten(page, LONGEST)).to_string();
        writeln!(out, "  linked from {pages}, first {page} {line}:{column}")?;
    } else if let Some(run) = head.run {
        writeln!(out, "  {FAINT}no page linked to it in run {run}{FAINT:#}")?;
    }
    referrers(out, "from your pages", &arrival.own, verbose)?;
    referrers(out, "from other sites", &arrival.others, verbose)?;
    Ok(())
}

fn referrers(
    out: &mut dyn Write,
    what: &str,
    list: &std::collections::HashMap<String, u64>,
    verbose: bool,
) -> Result<(), ViewError> {
    if list.is_empty() {
        return Ok(());
    }
    let most = if verbose { usize::MAX } else { REFERRERS };
    let ranked = ranked(list);
    let named = |page: &String| {
        let times = list.get(page).copied().unwrap_or_default();
        let times = if times > 1 { format!(" ({})", count(times)) } else { String::new() };
        format!("{}{times}", safe(&shorten(page, LONGEST)))
    };
    let shown: Vec<String> = ranked.iter().take(most).map(named).collect();
    let more =
        rest(ranked.len() as u64, most).map_or(String::new(), |rest| format!(", {rest}: -v"));
    writeln!(out, "  {what}: {}{more}", shown.join(", "))?;
    Ok(())
}

/// Referrers, most frequent first.
fn ranked(list: &std::collections::HashMap<String, u64>) -> Vec<String> {
    let mut pages: Vec<(&String, u64)> = list.iter().map(|(page, times)| (page, *times)).collect();
    pages.sort_by(|a, b| (b.1, a.0).cmp(&(a.1, b.0)));
    pages.into_iter().map(|(page, _)| page.clone()).collect()
}

fn days(first: Seconds, last: Seconds) -> String {
    let (first, last) = (date(first), date(last));
    if first == last { first } else { format!("{first} to {last}") }
}

fn date(at: Seconds) -> String {
    Timestamp::from_second(at).map(day).unwrap_or_default()
}

fn utc(at: Seconds) -> String {
    Timestamp::from_second(at).map_or_else(|_| String::new(), |at| at.to_string())
}

/// Writes arrivals as rows.
///
/// # Errors
/// See [`ViewError`].
pub fn arrival_rows(
    out: &mut dyn Write,
    arrivals: &[ArrivalRow],
    limit: Option<usize>,
    format: RowFormat,
) -> Result<Shown, ViewError> {
    let all = arrivals.len();
    let shown = all.min(limit.unwrap_or(usize::MAX));
    let rows = arrivals.iter().take(shown).map(ArrivalRow::row);
    rows::write_rows(out, ARRIVAL_COLUMNS, rows, format)?;
    Ok(Shown { shown: shown as u64, all: all as u64 })
}

/// Writes arrivals as one JSON list.
///
/// # Errors
/// See [`ViewError`].
pub fn arrival_json(
    out: &mut dyn Write,
    arrivals: &[ArrivalRow],
    limit: Option<usize>,
) -> Result<Shown, ViewError> {
    let all = arrivals.len();
    let shown = all.min(limit.unwrap_or(usize::MAX));
    out.write_all(b"[")?;
    for (at, arrival) in arrivals.iter().take(shown).enumerate() {
        out.write_all(if at == 0 { b"\n" } else { b",\n" })?;
        write_json(out, &arrival.row())?;
    }
    out.write_all(b"\n]\n")?;
    Ok(Shown { shown: shown as u64, all: all as u64 })
}

/// Writes arrivals as a Markdown list with checkboxes.
///
/// # Errors
/// See [`ViewError`].
pub fn arrival_markdown(
    out: &mut dyn Write,
    head: &ArrivalsHead,
    arrivals: &[ArrivalRow],
    limit: Option<usize>,
) -> Result<(), ViewError> {
    let names: Vec<&str> = head.logs.iter().map(String::as_str).collect();
    writeln!(out, "# Missing, by {}\n", crate::markdown::text(&names.join(", ")))?;
    let missing = arrivals.iter().filter(|row| !row.is_over());
    for row in missing.take(limit.unwrap_or(usize::MAX)) {
        let arrival = &row.arrival;
        let target = crate::markdown::text(&shorten(&row.target, LONGEST));
        let people = counted(arrival.people(), "request", "requests");
        writeln!(out, "- [ ] {}, {people} by people: {target}", arrival.status)?;
        if let Some(carried) = &row.carried {
            let (page, line, column) = &carried.first;
            let page = crate::markdown::text(&shorten(page, LONGEST));
            let pages = counted(carried.pages, "page", "pages");
            writeln!(out, "  - linked from {pages}, first {page} {line}:{column}")?;
        }
        for page in ranked(&arrival.own).iter().take(REFERRERS) {
            writeln!(out, "  - from {}", crate::markdown::text(&shorten(page, LONGEST)))?;
        }
    }
    Ok(())
}

/// Sorts arrivals by a column.
pub fn sort_arrivals(arrivals: &mut Vec<ArrivalRow>, sort: &Sort) {
    let mut keyed: Vec<(Cell, ArrivalRow)> = std::mem::take(arrivals)
        .into_iter()
        .map(|row| (row.row().cell(&sort.key).clone(), row))
        .collect();
    keyed.sort_by(|one, other| rows::compare(&one.0, &other.0, sort));
    arrivals.extend(keyed.into_iter().map(|(_, row)| row));
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use rummage_core::url::query::QueryRule;

    use super::*;

    /// 2026-11-02 12:00 UTC.
    const NOON: Seconds = 1_793_620_800;

    fn row(path: &str, people: u64, robots: u64) -> ArrivalRow {
        let arrival = Arrival {
            path: path.to_owned(),
            status: 404,
            hits: people + robots,
            robots,
            first: NOON,
            last: NOON + 3 * 86_400,
            fine_at: None,
            own: HashMap::new(),
            others: HashMap::new(),
            from_nowhere: 0,
        };
        let target = format!("https://a.test{path}");
        ArrivalRow { arrival, target, carried: None, now: None }
    }

    fn head() -> ArrivalsHead {
        ArrivalsHead {
            logs: vec!["access.log".to_owned()],
            lines: 1_200,
            malformed: 1,
            span: Some((NOON, NOON)),
            run: Some(7),
        }
    }

    fn text(rows: &[ArrivalRow], verbose: bool) -> String {
        let mut out = Vec::new();
        arrivals(&mut out, &head(), rows, Some(2), verbose).expect("memory accepts all writes");
        let styled = String::from_utf8(out).expect("it is text");
        anstream::adapter::strip_str(&styled).to_string()
    }

    #[test]
    fn missing_urls_show_visitors_referrers_and_linking_pages() {
        let mut linked = row("/old", 1_204, 3);
        for number in 0..5u64 {
            linked.arrival.own.insert(format!("https://a.test/{number}"), 9 - number);
        }
        linked.arrival.others.insert("https://b.test/\u{1b}[2J".to_owned(), 1);
        linked.carried =
            Some(Backlinks { pages: 2, first: ("https://a.test/0".to_owned(), 31, 7) });
        let mut over = row("/back", 1, 0);
        over.arrival.fine_at = Some(NOON + 9 * 86_400);
        let rows = [linked, row("/probe", 0, 40), row("/third", 0, 1), over];
        insta::assert_snapshot!(text(&rows, false), @r"
        access.log  1,200 lines, 2026-11-02
        skipped 1 line not in access-log format
        3 URLs missing: 1,204 requests by people, 44 by robots
        1 URL fixed since

        404  1,204 requests by people, 3 by robots  2026-11-02 to 2026-11-05
          https://a.test/old
          linked from 2 pages, first https://a.test/0 31:7
          from your pages: https://a.test/0 (9), https://a.test/1 (8), https://a.test/2 (7), and 2 more: -v
          from other sites: https://b.test/\u{1b}[2J

        404  40 requests by robots  2026-11-02 to 2026-11-05
          https://a.test/probe
          no page linked to it in run 7

        and 1 more: --limit

        fixed
          https://a.test/back  404 until 2026-11-05; served 2026-11-11
        ");
        assert!(text(&rows, true).contains("https://a.test/4 (5)\n"), "all referrers");
    }

    #[test]
    fn rows_have_a_value_for_each_column_and_can_be_sorted_by_any() {
        let mut rows = vec![row("/a", 1, 9), row("/b", 5, 0), row("/c", 3, 2)];
        for column in ARRIVAL_COLUMNS {
            let sort = Sort { key: (*column).to_owned(), descending: true };
            sort_arrivals(&mut rows, &sort);
            assert_eq!(rows.len(), 3, "{column}");
        }
        sort_arrivals(&mut rows, &Sort { key: "robots".to_owned(), descending: true });
        let order: Vec<&str> = rows.iter().map(|row| row.arrival.path.as_str()).collect();
        assert_eq!(order, ["/a", "/c", "/b"]);
        let mut out = Vec::new();
        let shown = arrival_rows(&mut out, &rows, Some(1), RowFormat::Csv(b',')).expect("memory");
        assert_eq!((shown.shown, shown.all), (1, 3));
        let csv = String::from_utf8(out).expect("it is text");
        assert_eq!(csv.lines().count(), 2, "{csv}");
        assert_eq!(csv.lines().next().map(|line| line.split(',').count()), Some(18), "{csv}");
    }

    #[test]
    fn markdown_escapes_text_from_logs() {
        let mut odd = row("/[x](javascript:1)|*", 1, 0);
        odd.target = "https://a.test/[x](javascript:1)|*".to_owned();
        let mut out = Vec::new();
        arrival_markdown(&mut out, &head(), &[odd], None).expect("memory accepts all writes");
        let md = String::from_utf8(out).expect("it is text");
        assert!(!md.contains("[x](javascript"), "{md}");
    }

    #[test]
    fn logs_of_an_unknown_site_are_shown() {
        let grouped = rummage_core::extract::access_log::Arrivals::new(None, QueryRule::Keep);
        assert!(grouped.finish().is_empty());
        let mut out = Vec::new();
        let nothing = ArrivalsHead { run: None, span: None, malformed: 0, ..head() };
        arrivals(&mut out, &nothing, &[row("/x", 1, 0)], None, false)
            .expect("memory accepts all writes");
        let named = String::from_utf8(out).expect("it is text");
        assert!(!named.contains("as run"), "{named}");
    }
}
