//! `rummage arrivals`: missing URLs that visitors requested, from server access logs.

use std::collections::HashSet;
use std::fs::File;
use std::io::{self, BufRead, BufReader, Read, Write};
use std::path::Path;

use flate2::bufread::MultiGzDecoder;
use rummage_core::extract::access_log::{Arrival, Arrivals};
use rummage_core::findings::selection::{Selection, host_of};
use rummage_core::url::query::QueryRule;
use rummage_core::url::scope::Bounds;
use rummage_core::verdict::Verdict;
use rummage_store::{Backlinks, Reader, RunInfo, StoreError};
use rummage_view::{ARRIVAL_COLUMNS, ArrivalRow, ArrivalsHead, Listing, safe};
use url::Url;

use crate::args::Format;
use crate::args::{ArrivalsArgs, FailOn};
use crate::config::Config;
use crate::failure::{Exit, Failure, report_internal};
use crate::jobs::Trial;
use crate::output::Terminal;
use crate::session::Session;
use crate::{choice, urls};

/// The longest line that is read: longer ones are not from an access log.
const LONGEST: u64 = 1 << 20;

pub(crate) fn run(args: &ArrivalsArgs, session: &Session) -> Result<Exit, Failure> {
    let selection = selection(args)?;
    let sort = args.showing.sort_of(ARRIVAL_COLUMNS)?;
    let listing = Listing { sort, ..args.showing.plain_listing(session.terminal.verbose) };
    let config = &session.config;
    let store = session.store.as_path();
    let site = Site::of(args, session, config, store)?;
    let mut gathered = Arrivals::new(site.start.as_ref(), site.query.clone());
    let mut is_partial = false;
    for log in &args.logs {
        is_partial |= read(log, &mut gathered, session.terminal)?;
    }
    let mut head = ArrivalsHead {
        logs: args.logs.iter().map(|log| named(log).to_owned()).collect(),
        lines: gathered.lines,
        malformed: gathered.malformed,
        span: gathered.span,
        run: None,
    };
    is_partial |= report_malformed(&gathered, session.terminal);
    let found = gathered.finish();
    let mut rows = rows(found, &site, &selection);
    if let Some(run) = &site.run {
        head.run = Some(run.number);
        carry(&mut rows, &session.reader()?, run)?;
    }
    let mut ended = Exit::Fine;
    if args.check && !rows.is_empty() {
        ended = check(&mut rows, args, session, config, &site)?;
        rows.retain(|row| fits_now(row, &selection));
    }
    if let Some(sort) = &listing.sort {
        rummage_view::sort_arrivals(&mut rows, sort);
    }
    show(args, session.terminal, &head, &rows, &listing)?;
    if ended != Exit::Fine {
        return Ok(ended);
    }
    if is_partial {
        return Ok(Exit::Unfinished);
    }
    let any = rows.iter().any(|row| !row.is_over());
    Ok(if any && !matches!(args.fail_on, FailOn::Never) { Exit::Broken } else { Exit::Fine })
}

/// The site the logs belong to, as far as it is known.
struct Site {
    /// Its start URL.
    start: Option<Url>,
    /// Its last run.
    run: Option<RunInfo>,
    query: QueryRule,
    section: Option<String>,
}

impl Site {
    fn of(
        args: &ArrivalsArgs,
        session: &Session,
        config: &Config,
        store: &Path,
    ) -> Result<Site, Failure> {
        let at = args.options.at.as_deref().map(urls::url).transpose()?;
        let reader = if store.exists() { Some(Reader::open(store)?) } else { None };
        let run = match (&reader, &at, &session.site) {
            (None, ..) => None,
            (Some(reader), Some(at), _) => reader.last_finished_of(&urls::host(at))?,
            (Some(reader), None, Some(name)) => {
                let last = choice::last_of(reader, config, name)?;
                reader.last_finished_of(&last.site)?
            }
            (Some(reader), None, None) => match reader.last_run() {
                Ok(last) => reader.last_finished_of(&last.site)?,
                Err(StoreError::NoRun) => None,
                Err(error) => return Err(error.into()),
            },
        };
        let of_run = run.as_ref().and_then(|run| Url::parse(&run.start).ok());
        let is_web = |url: &Url| matches!(url.scheme(), "http" | "https");
        let start = at.or(of_run.filter(is_web));
        let section = start.as_ref().and_then(|url| session.section_of(&urls::host(url)));
        let settings = config.settings(section.as_deref());
        let options = args.options.clone().or(settings.options);
        let query = options.query.map_or(QueryRule::Keep, |query| query.0);
        if args.check && start.is_none() {
            return Err(Failure::Usage {
                what: "cannot check URLs: the site of these logs is unknown".to_owned(),
                hint: "Give it: --as https://www.example.test/".to_owned(),
            });
        }
        Ok(Site { start, run, query, section })
    }

    /// The URL of a path; the path alone if the site is unknown.
    fn target(&self, path: &str) -> String {
        let joined = self.start.as_ref().and_then(|start| {
            // `//x` is a path here, not a host.
            let mut url = start.join("/").ok()?;
            let (path, query) = path.split_once('?').map_or((path, None), |(p, q)| (p, Some(q)));
            url.set_path(path);
            url.set_query(query);
            Some(url)
        });
        joined.map_or_else(|| path.to_owned(), String::from)
    }
}

/// The selection. Options that apply only to links are rejected.
fn selection(args: &ArrivalsArgs) -> Result<Selection, Failure> {
    let selection = args.selecting.selection(&Verdict::ALL);
    let of_links = [
        ("--element", !selection.elements.is_empty()),
        ("--text", !selection.text.is_empty()),
        ("--standing", !selection.standings.is_empty()),
        ("--scope", selection.scope.is_some()),
    ];
    if let Some((name, _)) = of_links.into_iter().find(|(_, given)| *given) {
        return Err(Failure::Usage {
            what: format!("{name} selects links, but a log has none"),
            hint: "Use --status, --target, --host, --page or --search.".to_owned(),
        });
    }
    let of_now = selection.verdicts != Verdict::ALL || !selection.causes.is_empty();
    if of_now && !args.check {
        return Err(Failure::Usage {
            what: "--verdict and --cause select by the current response, which was not checked"
                .to_owned(),
            hint: "Add --check.".to_owned(),
        });
    }
    Ok(selection)
}

/// The arrivals that match.
fn rows(found: Vec<Arrival>, site: &Site, selection: &Selection) -> Vec<ArrivalRow> {
    let fits = |row: &ArrivalRow| {
        let Selection { statuses, targets, hosts, pages, search, .. } = selection;
        let arrival = &row.arrival;
        let referrers = || arrival.own.keys().chain(arrival.others.keys());
        let target = row.target.to_lowercase();
        (statuses.is_empty() || statuses.iter().any(|status| status.takes(arrival.status)))
            && (targets.is_empty() || targets.iter().any(|pattern| pattern.matches(&row.target)))
            && (hosts.is_empty() || hosts.iter().any(|host| host.matches(host_of(&row.target))))
            && (pages.is_empty()
                || referrers().any(|page| pages.iter().any(|pattern| pattern.matches(page))))
            && search.iter().all(|word| {
                target.contains(word) || referrers().any(|page| page.to_lowercase().contains(word))
            })
    };
    let row = |arrival: Arrival| {
        let target = site.target(&arrival.path);
        ArrivalRow { arrival, target, carried: None, now: None }
    };
    found.into_iter().map(row).filter(fits).collect()
}

/// Whether the current response matches.
fn fits_now(row: &ArrivalRow, selection: &Selection) -> bool {
    let Some(now) = &row.now else { return true };
    let verdict = selection.verdicts.contains(&now.verdict);
    let cause = selection.causes.is_empty()
        || now.cause.is_some_and(|cause| selection.causes.contains(&cause));
    verdict && cause
}

/// Adds the pages that link to each URL, under any of the site's names.
fn carry(rows: &mut [ArrivalRow], reader: &Reader, run: &RunInfo) -> Result<(), Failure> {
    let mut wanted = HashSet::new();
    let forms: Vec<Vec<String>> = rows.iter().map(|row| forms(&row.target)).collect();
    wanted.extend(forms.iter().flatten().cloned());
    let carried = reader.open_run(run.clone())?.carried(&wanted)?;
    for (row, forms) in rows.iter_mut().zip(forms) {
        let of_form = forms.iter().filter_map(|form| carried.get(form));
        row.carried = of_form
            .cloned()
            .reduce(|one, other| Backlinks { pages: one.pages + other.pages, first: one.first });
    }
    Ok(())
}

/// A URL over http and https, with `www.` and without.
fn forms(target: &str) -> Vec<String> {
    let Ok(url) = Url::parse(target) else { return vec![target.to_owned()] };
    let bounds = Bounds::around(&url, &[]);
    let hosts: Vec<&str> = url.host_str().into_iter().chain(bounds.twin()).collect();
    let mut forms = Vec::new();
    for scheme in ["https", "http"] {
        for host in &hosts {
            let mut form = url.clone();
            if form.set_host(Some(host)).is_ok() && form.set_scheme(scheme).is_ok() {
                forms.push(form.into());
            }
        }
    }
    forms
}

/// Checks each URL now. Returns how that ended, if not well.
fn check(
    rows: &mut [ArrivalRow],
    args: &ArrivalsArgs,
    session: &Session,
    config: &Config,
    site: &Site,
) -> Result<Exit, Failure> {
    let settings = config.settings(site.section.as_deref());
    let options = args.options.clone().or(settings.options);
    let trial =
        Trial { session, options: &options, own: site.start.as_ref(), folder: None, once: false };
    let urls: Vec<String> = rows.iter().map(|row| row.target.clone()).collect();
    let tried = trial.run(&urls, "arrivals")?;
    for (row, outcome) in rows.iter_mut().zip(tried.outcomes) {
        row.now = outcome;
    }
    let exit = if tried.is_whole { Exit::Fine } else { Exit::Unfinished };
    Ok(report_internal(&tried.internal_errors, exit, session.terminal))
}

fn named(log: &str) -> &str {
    if log == "-" { "standard input" } else { log }
}

/// Reads a log, line by line. Returns whether part of it could not be read.
fn read(log: &str, into: &mut Arrivals, terminal: Terminal) -> Result<bool, Failure> {
    let cannot = |reason: io::Error| Failure::Usage {
        what: format!("cannot read {}: {reason}", safe(log)),
        hint: "Give an access log, or - for standard input.".to_owned(),
    };
    let source: Box<dyn Read> = match log {
        "-" => Box::new(io::stdin()),
        log => Box::new(File::open(log).map_err(cannot)?),
    };
    let mut source = BufReader::with_capacity(256 * 1024, source);
    let is_packed = source.fill_buf().map_err(cannot)?.starts_with(&[0x1f, 0x8b]);
    let mut lines: Box<dyn BufRead> = if is_packed {
        Box::new(BufReader::with_capacity(256 * 1024, MultiGzDecoder::new(source)))
    } else {
        Box::new(source)
    };
    let (before, samples) = (into.lines, into.samples.len());
    let (mut number, mut line) = (0, Vec::new());
    loop {
        line.clear();
        number += 1;
        match (&mut lines).take(LONGEST).read_until(b'\n', &mut line) {
            Ok(0) => break,
            Ok(_) => into.handle_line(number, &line),
            Err(reason) => {
                let what =
                    if is_packed { "the gzip data ends early" } else { "cannot be read further" };
                let mut err = terminal.stderr();
                let log = safe(named(log));
                let _ = writeln!(
                    err,
                    "{log}, line {number}: {what} ({reason}); everything before was counted"
                );
                return Ok(true);
            }
        }
        if line.len() as u64 == LONGEST && !line.ends_with(b"\n") {
            skip_line(&mut *lines);
        }
    }
    for (number, text) in &into.samples[samples..] {
        let mut err = terminal.stderr();
        let (log, text) = (safe(named(log)), safe(text));
        let _ = writeln!(err, "{log}, line {number} is not in access-log format: {text}");
    }
    if into.lines == before {
        let mut err = terminal.stderr();
        let _ = writeln!(err, "{} is empty", safe(named(log)));
        return Ok(true);
    }
    Ok(false)
}

/// Skips to the end of a line without keeping it.
fn skip_line(lines: &mut dyn BufRead) {
    loop {
        let Ok(some) = lines.fill_buf() else { return };
        if some.is_empty() {
            return;
        }
        let (end, is_end) = match some.iter().position(|byte| *byte == b'\n') {
            Some(end) => (end + 1, true),
            None => (some.len(), false),
        };
        lines.consume(end);
        if is_end {
            return;
        }
    }
}

/// Reports how many more lines were skipped. Returns whether all of them were.
fn report_malformed(gathered: &Arrivals, terminal: Terminal) -> bool {
    if gathered.malformed == 0 {
        return false;
    }
    let mut err = terminal.stderr();
    let more = gathered.malformed - gathered.samples.len() as u64;
    if more > 0 {
        let _ = writeln!(err, "and {} more", rummage_view::count(more));
    }
    if gathered.malformed == gathered.lines {
        let _ = writeln!(err, "no line is in Common or Combined Log Format");
        return true;
    }
    false
}

fn show(
    args: &ArrivalsArgs,
    terminal: Terminal,
    head: &ArrivalsHead,
    rows: &[ArrivalRow],
    listing: &Listing,
) -> Result<(), Failure> {
    let limit = listing.limit;
    args.showing.destination()?.write(terminal, |out, form| match form {
        Format::Text => {
            rummage_view::arrivals(out, head, rows, limit, listing.verbose)?;
            Ok(None)
        }
        Format::Markdown => {
            rummage_view::arrival_markdown(out, head, rows, limit)?;
            Ok(None)
        }
        Format::Json => rummage_view::arrival_json(out, rows, limit).map(Some),
        Format::Rows(format) => rummage_view::arrival_rows(out, rows, limit, format).map(Some),
    })
}
