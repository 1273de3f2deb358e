//! The head of a listing: site, run, and totals.

use std::io::{self, Write};
use std::time::Duration;

use rummage_core::crawl::Note;
use rummage_core::verdict::Verdict;
use rummage_store::{NoteRow, RequestCounts, RunInfo, RunKind, RunState, Totals};

use crate::number::{count, counted, duration, rest};
use crate::phrase;
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::when::when;

/// Titles are cut to this many characters.
const TITLE: usize = 60;

/// The first line: site and run.
pub(crate) fn head(out: &mut dyn Write, run: &RunInfo) -> io::Result<()> {
    let started = when(run.started_at);
    let title = run.title.as_deref().filter(|title| !title.is_empty());
    if let Some(title) = title {
        write!(out, "{STRONG}{}{STRONG:#}  ", safe(&shorten(title, TITLE)))?;
    }
    let took = duration(run.took);
    let site = safe(&run.site);
    let kind = match run.kind {
        RunKind::Crawl => String::new(),
        kind => format!("{}, ", kind.as_str()),
    };
    writeln!(out, "{site}  {FAINT}{kind}run {}, {started}, took {took}{FAINT:#}", run.number)
}

/// Which run of which site it is, in a few words, without a style.
#[must_use]
pub fn run_title(run: &RunInfo) -> String {
    let title = run.title.as_deref().filter(|title| !title.is_empty());
    let title = title.map_or(String::new(), |title| format!("{}  ", safe(&shorten(title, TITLE))));
    let state = match run.state {
        RunState::Going => ", unfinished",
        RunState::Stopped => ", not finished",
        RunState::Suspicious => ", suspicious",
        RunState::Finished => "",
    };
    format!("{title}{}  run {}{state}", safe(&run.site), run.number)
}

/// The totals of the whole run, and what was not checked.
pub(crate) fn counts(
    out: &mut dyn Write,
    run: &RunInfo,
    totals: &Totals,
    verbose: bool,
) -> io::Result<()> {
    counts_alone(out, run, totals)?;
    notes(out, run, totals, verbose)?;
    for text in slowed(run, totals) {
        writeln!(out, "{text}")?;
    }
    Ok(())
}

/// The same without notes.
pub(super) fn counts_alone(out: &mut dyn Write, run: &RunInfo, totals: &Totals) -> io::Result<()> {
    if !run.state.is_complete() {
        unfinished(out, run, totals)?;
    }
    suspicion(out, run, &totals.notes)?;
    let keeps = matches!(run.kind, RunKind::Recheck | RunKind::Page) && totals.recalled > 0;
    if keeps {
        write!(out, "Requested {}; ", counted(totals.requests.linked, "URL", "URLs"))?;
        recalled(out, run, totals)?;
        writeln!(
            out,
            "All {} to {} on {}:",
            counted(totals.links, "link", "links"),
            targets(totals.targets),
            parsed(totals),
        )?;
    } else if run.kind == RunKind::Probe {
        let entries = counted(totals.links, "entry", "entries");
        writeln!(out, "Checked {entries} with {}", targets(totals.targets))?;
    } else {
        writeln!(
            out,
            "Checked {} to {} on {}",
            counted(totals.links, "link", "links"),
            targets(totals.targets),
            parsed(totals),
        )?;
    }
    if !keeps {
        recalled(out, run, totals)?;
    }
    verdicts(out, totals)?;
    not_checked(out, totals)?;
    requests(out, run, &totals.requests)
}

/// Where requests were slowed down, in words.
pub(super) fn slowed(run: &RunInfo, totals: &Totals) -> impl Iterator<Item = String> {
    // External hosts are always requested at a gentle pace, so only the site's own host is of
    // interest.
    totals.slowed.iter().filter(|slowed| slowed.server == run.site).map(|slowed| {
        let (server, strain) = (safe(&slowed.server), phrase::strain(slowed.strain));
        let times = counted(slowed.times, "time", "times");
        let start =
            format!("{server} was overloaded ({strain}), so requests were slowed down {times}, ");
        if slowed.gap.is_zero() {
            let least = slowed.lowest;
            format!("{start}to {least} concurrent requests: --per-host {least} starts at that")
        } else {
            let rate = rate(slowed.gap);
            format!("{start}to one every {}: --rate {rate} starts at that", duration(slowed.gap))
        }
    })
}

fn targets(number: u64) -> String {
    counted(number, "target", "targets")
}

/// What each request was for. The parts add up to the whole.
fn requests(out: &mut dyn Write, run: &RunInfo, requests: &RequestCounts) -> io::Result<()> {
    let parts = [
        (requests.linked, "linked URL", "linked URLs"),
        (requests.unlinked, "unlinked page", "unlinked pages"),
        (requests.redirect_hops, "redirect hop", "redirect hops"),
        (requests.again, "confirmation or retry", "confirmations and retries"),
        (requests.rules, "robots.txt or sitemap", "robots.txt and sitemaps"),
        (requests.test_urls, "nonexistent test URL", "nonexistent test URLs"),
        (requests.side, "check of a server or network", "checks of servers and the network"),
    ];
    let some = parts.into_iter().filter(|(number, ..)| *number > 0);
    let parts: Vec<String> = some.map(|(number, one, many)| counted(number, one, many)).collect();
    let all = match (requests.sum(), run.reads_folder()) {
        (all, false) => counted(all, "request", "requests"),
        (all, true) => counted(all, "file read or request", "files read and requests"),
    };
    let colon = if parts.is_empty() { "" } else { ": " };
    writeln!(out, "{FAINT}{all}{colon}{}{FAINT:#}", parts.join(", "))
}

/// Why a result is not believed, if it is not.
pub(super) fn suspicion(out: &mut dyn Write, run: &RunInfo, notes: &[NoteRow]) -> io::Result<()> {
    let style = style::of(Verdict::Doubtful);
    for row in notes.iter().filter(|row| is_first(row)) {
        writeln!(out, "{style}This result is suspicious{style:#}: {}", phrase::note(run, row))?;
    }
    Ok(())
}

/// The targets by verdict, in one line.
pub(crate) fn verdicts(out: &mut dyn Write, totals: &Totals) -> io::Result<()> {
    let by_verdict = [
        (Verdict::Broken, totals.broken),
        (Verdict::Doubtful, totals.doubtful),
        (Verdict::Moved, totals.moved),
        (Verdict::Sound, totals.sound),
    ];
    for (occurrence, (verdict, number)) in by_verdict.into_iter().enumerate() {
        let style = if number > 0 { style::of(verdict) } else { FAINT };
        let gap = if occurrence > 0 { ", " } else { "" };
        write!(out, "{gap}{style}{} {verdict}{style:#}", count(number))?;
    }
    if totals.waived > 0 {
        write!(out, ", {FAINT}{} waived{FAINT:#}", count(totals.waived))?;
    }
    writeln!(out)?;
    Ok(())
}

/// URLs that were not checked again, and how old their results are.
fn recalled(out: &mut dyn Write, run: &RunInfo, totals: &Totals) -> io::Result<()> {
    if totals.recalled == 0 {
        return Ok(());
    }
    let known = counted(totals.recalled, "URL", "URLs");
    write!(out, "{known} not checked again: results of an earlier run")?;
    if let Some(since) = totals.recalled_since {
        let age = run.started_at.duration_since(since);
        let age = Duration::try_from(age).unwrap_or_default();
        write!(out, ", up to {} old", duration(age))?;
    }
    writeln!(out)
}

/// An interval between requests, as `--rate` accepts it.
fn rate(gap: Duration) -> String {
    match 1000 / gap.as_millis().max(1) {
        0 => format!("1/{}ms", gap.as_millis()),
        many => format!("{many}/s"),
    }
}

fn unfinished(out: &mut dyn Write, run: &RunInfo, totals: &Totals) -> io::Result<()> {
    let style = style::of(Verdict::Doubtful);
    if let Some(process) = totals.writer {
        let since = when(run.started_at);
        return writeln!(
            out,
            "{style}This run is in progress{style:#} since {since} (pid {process})"
        );
    }
    match run.state {
        RunState::Going => write!(out, "{style}This run was killed{style:#}")?,
        _ => write!(out, "{style}This run is unfinished{style:#}")?,
    }
    if totals.not_asked > 0 {
        let known = counted(totals.not_asked, "known URL was", "known URLs were");
        write!(out, ": {known} not checked")?;
    }
    match run.kind {
        RunKind::Crawl | RunKind::Recheck => {
            writeln!(out, ". Continue it with: rummage crawl --resume")
        }
        RunKind::Probe => writeln!(out, ". Continue it with: rummage probe --resume"),
        RunKind::Page => writeln!(out, ". Continue it with: rummage page --resume"),
    }
}

fn not_checked(out: &mut dyn Write, totals: &Totals) -> io::Result<()> {
    let all: u64 = totals.skipped.iter().map(|skip| skip.targets).sum();
    if all > 0 {
        let reasons: Vec<String> = totals
            .skipped
            .iter()
            .map(|skip| format!("{} {}", count(skip.targets), phrase::skipped(skip.cause)))
            .collect();
        writeln!(out, "{} not checked: {}", count(all), reasons.join(", "))?;
    }
    let all: u64 = totals.not_parsed.iter().map(|count| count.pages).sum();
    if all > 0 {
        let reasons: Vec<String> = match &totals.not_parsed[..] {
            [only] => vec![phrase::not_parsed(only.reason).to_owned()],
            several => several
                .iter()
                .map(|of| format!("{} ({})", phrase::not_parsed(of.reason), count(of.pages)))
                .collect(),
        };
        let pages = counted(all, "page", "pages");
        writeln!(out, "{pages} not parsed for links: {}", reasons.join(", "))?;
    }
    if totals.cut > 0 {
        let pages = counted(totals.cut, "page was", "pages were");
        writeln!(
            out,
            "{pages} read only up to --max-size or --max-links; links beyond that were not checked"
        )?;
    }
    if totals.cut_sitemaps > 0 {
        let sitemaps = counted(totals.cut_sitemaps, "sitemap was", "sitemaps were");
        writeln!(out, "{sitemaps} read only up to 50 MiB; entries beyond that were not used")?;
    }
    if totals.cut_robots > 0 {
        let many = count(totals.cut_robots);
        writeln!(
            out,
            "{many} robots.txt read only up to 500 KiB; rules beyond that were not used"
        )?;
    }
    Ok(())
}

/// Whether a note comes before the totals.
fn is_first(row: &NoteRow) -> bool {
    matches!(row.note, Note::Suspicious(_))
}

/// How many notes of a kind are shown; the rest is counted. URL patterns that were skipped are
/// all named.
const NOTES: usize = 3;
const TRAPS: usize = 20;

fn notes(out: &mut dyn Write, run: &RunInfo, totals: &Totals, verbose: bool) -> io::Result<()> {
    let kind = |row: &&NoteRow| std::mem::discriminant(&row.note);
    let style = style::of(Verdict::Doubtful);
    let rows: Vec<&NoteRow> = totals.notes.iter().filter(|row| !is_first(row)).collect();
    for alike in rows.chunk_by(|one, other| kind(one) == kind(other)) {
        let most = match alike[0].note {
            _ if verbose => usize::MAX,
            Note::Trap(_) => TRAPS,
            _ => NOTES,
        };
        for row in alike.iter().take(most) {
            writeln!(out, "{style}note{style:#}  {}", phrase::note(run, row))?;
        }
        if let Some(rest) = rest(alike.len() as u64, most) {
            writeln!(out, "{style}note{style:#}  {rest} like this: -v shows all")?;
        }
    }
    Ok(())
}

/// What was parsed: pages, and other sources of URLs.
fn parsed(totals: &Totals) -> String {
    let others = [
        (totals.stylesheets, "stylesheet", "stylesheets"),
        (totals.sitemaps, "sitemap", "sitemaps"),
        (totals.feeds, "feed", "feeds"),
        (totals.manifests, "manifest", "manifests"),
        (totals.lists, "list", "lists"),
    ];
    let is_of_lists = totals.pages == 0 && totals.lists + totals.sitemaps > 0;
    let mut parts = Vec::new();
    if !is_of_lists {
        parts.push(counted(totals.pages, "page", "pages"));
    }
    let some = others.into_iter().filter(|(number, ..)| *number > 0);
    parts.extend(some.map(|(number, one, many)| counted(number, one, many)));
    match parts.split_last() {
        Some((last, rest)) if !rest.is_empty() => format!("{} and {last}", rest.join(", ")),
        _ => parts.concat(),
    }
}

#[cfg(test)]
mod tests {
    use jiff::Timestamp;
    use rummage_core::crawl::NotParsed;
    use rummage_core::verdict::Cause;
    use rummage_store::{NotParsedCount, SkipCount, SlowedServer};

    use super::*;
    use crate::testing::{plain, run_info};

    fn totals() -> Totals {
        let requests = RequestCounts { linked: 1, rules: 1, ..RequestCounts::default() };
        Totals { pages: 1, links: 1, targets: 1, requests, sound: 1, ..Totals::default() }
    }

    fn shown(run: &RunInfo, totals: &Totals) -> String {
        plain(|out| counts(out, run, totals, false))
    }

    fn lines(totals: &Totals) -> String {
        shown(&run_info(), totals)
    }

    #[test]
    fn a_clean_run_takes_two_lines() {
        let text = plain(|out| head(out, &run_info())) + &lines(&totals());
        insta::assert_snapshot!(text.replace(&when(Timestamp::UNIX_EPOCH), "[when]"), @"
        The A  a.test  run 3, [when], took 1.5 s
        Checked 1 link to 1 target on 1 page
        0 broken, 0 doubtful, 0 moved, 1 sound
        2 requests: 1 linked URL, 1 robots.txt or sitemap
        ");
    }

    #[test]
    fn everything_that_was_not_checked_is_counted_with_its_reason() {
        let skip = |cause, targets| SkipCount { cause, targets };
        let not_parsed = |reason, pages| NotParsedCount { reason, pages };
        let totals = Totals {
            pages: 1_234,
            stylesheets: 2,
            sitemaps: 1,
            waived: 3,
            broken: 4,
            skipped: vec![skip(Cause::External, 1_000), skip(Cause::Trap, 1)],
            not_parsed: vec![not_parsed(NotParsed::Robots, 2), not_parsed(NotParsed::Depth, 1)],
            cut: 1,
            cut_sitemaps: 2,
            cut_robots: 1,
            ..totals()
        };
        insta::assert_snapshot!(lines(&totals), @"
        Checked 1 link to 1 target on 1,234 pages, 2 stylesheets and 1 sitemap
        4 broken, 0 doubtful, 0 moved, 1 sound, 3 waived
        1,001 not checked: 1,000 external, 1 endless URL pattern
        3 pages not parsed for links: disallowed by robots.txt (2), deeper than --depth (1)
        1 page was read only up to --max-size or --max-links; links beyond that were not checked
        2 sitemaps were read only up to 50 MiB; entries beyond that were not used
        1 robots.txt read only up to 500 KiB; rules beyond that were not used
        2 requests: 1 linked URL, 1 robots.txt or sitemap
        ");
        let one = Totals { not_parsed: vec![not_parsed(NotParsed::Robots, 1)], ..self::totals() };
        assert!(lines(&one).contains("1 page not parsed for links: disallowed by robots.txt\n"));
    }

    #[test]
    fn an_unfinished_run_shows_how_to_continue_it() {
        let stopped = RunInfo { state: RunState::Stopped, ..run_info() };
        let text = shown(&stopped, &Totals { not_asked: 1, ..totals() });
        let first = "This run is unfinished: 1 known URL was not checked. \
                     Continue it with: rummage crawl --resume\n";
        assert!(text.starts_with(first), "{text}");
        let text = shown(&stopped, &totals());
        assert!(text.starts_with("This run is unfinished. Continue it with"), "{text}");
        let killed = RunInfo { state: RunState::Going, ..run_info() };
        let text = shown(&killed, &Totals { not_asked: 1, ..totals() });
        assert!(text.starts_with("This run was killed: 1 known URL was not checked."), "{text}");
        let text = shown(&killed, &Totals { not_asked: 1, writer: Some(4711), ..totals() });
        assert!(text.starts_with("This run is in progress since "), "{text}");
        assert!(text.contains(" (pid 4711)\nChecked"), "{text}");
        let probe = RunInfo { kind: RunKind::Probe, ..stopped };
        assert!(
            shown(&probe, &totals())
                .starts_with("This run is unfinished. Continue it with: rummage probe --resume\nChecked 1 entry with 1 target\n")
        );
    }

    #[test]
    fn every_request_is_accounted_for() {
        let requests = RequestCounts {
            linked: 1_199,
            unlinked: 1,
            redirect_hops: 1,
            again: 3,
            rules: 2,
            test_urls: 1,
            side: 4,
            local_files: 9,
        };
        let shown = |run: &RunInfo, requests| plain(|out| super::requests(out, run, &requests));
        insta::assert_snapshot!(shown(&run_info(), requests), @"1,211 requests: 1,199 linked URLs, 1 unlinked page, 1 redirect hop, 3 confirmations and retries, 2 robots.txt and sitemaps, 1 nonexistent test URL, 4 checks of servers and the network");
        let folder = RunInfo { site: "a.test from /srv/site".to_owned(), ..run_info() };
        assert!(shown(&folder, requests).starts_with("1,211 files read and requests: 1,199 "));
        assert_eq!(shown(&run_info(), RequestCounts::default()), "0 requests\n");
    }

    #[test]
    fn reused_results_are_counted_with_their_age() {
        assert!(!lines(&totals()).contains("not checked again"));
        let recalled = Totals { recalled: 55, ..totals() };
        assert!(
            lines(&recalled).contains("55 URLs not checked again: results of an earlier run\n")
        );
        let since = Timestamp::UNIX_EPOCH - jiff::SignedDuration::from_hours(5);
        let recalled = Totals { recalled_since: Some(since), ..recalled };
        assert!(lines(&recalled).contains("earlier run, up to 5"), "{}", lines(&recalled));
    }

    #[test]
    fn only_the_rest_of_many_notes_is_counted() {
        let note =
            |n: usize| NoteRow { url: format!("http://a.test/{n}"), note: Note::RenderedByScript };
        let with =
            |count: usize| lines(&Totals { notes: (0..count).map(note).collect(), ..totals() });
        assert_eq!(with(NOTES).matches("note  ").count(), NOTES);
        assert!(!with(NOTES).contains("like this"), "{}", with(NOTES));
        assert!(with(NOTES + 2).contains("note  and 2 more like this: -v shows all\n"));
        let notes = Totals { notes: (0..9).map(note).collect(), ..totals() };
        let verbose = plain(|out| counts(out, &run_info(), &notes, true));
        assert_eq!(verbose.matches("note  http").count(), 9);
    }

    #[test]
    fn an_overload_of_the_site_shows_the_option_that_avoids_it() {
        let slowed = |server: &str, gap| SlowedServer {
            server: server.to_owned(),
            times: 2,
            strain: rummage_core::crawl::pace::Strain::TooMany,
            lowest: 4,
            gap: Duration::from_millis(gap),
        };
        let with = |slowed| lines(&Totals { slowed: vec![slowed], ..totals() });
        assert!(
            with(slowed("a.test", 0)).contains("2 times, to 4 concurrent requests: --per-host 4")
        );
        assert!(with(slowed("a.test", 250)).contains("to one every 250 ms: --rate 4/s starts"));
        assert!(with(slowed("a.test", 2000)).contains("--rate 1/2000ms"));
        assert!(
            !with(slowed("b.test", 0)).contains("overloaded"),
            "external hosts are always slow"
        );
    }

    #[test]
    fn sources_are_listed_with_commas_and_and() {
        let of = |pages, stylesheets, sitemaps, lists| {
            parsed(&Totals { pages, stylesheets, sitemaps, lists, ..Totals::default() })
        };
        assert_eq!(of(0, 0, 0, 0), "0 pages");
        assert_eq!(of(2, 0, 0, 0), "2 pages");
        assert_eq!(of(1, 0, 1, 0), "1 page and 1 sitemap");
        assert_eq!(of(3, 2, 1, 0), "3 pages, 2 stylesheets and 1 sitemap");
        assert_eq!(of(0, 0, 0, 2), "2 lists");
        assert_eq!(of(0, 1, 0, 0), "0 pages and 1 stylesheet");
    }
}
