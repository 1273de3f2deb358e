//! `rummage arrivals`: missing URLs that visitors requested, from server access logs.

use std::collections::HashSet;
use std::path::Path;

use rummage_core::extract::access_log::{Arrival, Arrivals};
use rummage_core::findings::selection::{Selection, host_of};
use rummage_core::url::query::QueryRule;
use rummage_core::url::scope::Bounds;
use rummage_core::verdict::Verdict;
use rummage_store::{Backlinks, Reader, RunInfo, StoreError};
use rummage_view::{ARRIVAL_COLUMNS, ArrivalRow, ArrivalsHead, Listing};
use url::Url;

use super::mend;
use crate::args::Format;
use crate::args::{ArrivalsArgs, FailOn, ProposeArgs};
use crate::config::Config;
use crate::failure::{Exit, Failure, report_internal};
use crate::jobs::Trial;
use crate::output::Terminal;
use crate::session::Session;
use crate::{access_logs, choice, urls};

pub(crate) fn run(args: &ArrivalsArgs, session: &Session) -> Result<Exit, Failure> {
    let output = args.showing.output.clone();
    if let Some(plan) = output.filter(|file| file.extension().is_some_and(|end| end == "toml")) {
        // A plan of redirects, instead of a list.
        let propose = ProposeArgs {
            output: Some(plan),
            arrivals: args.logs.clone(),
            selecting: args.selecting.clone(),
            options: args.options.clone(),
        };
        return mend::propose(&propose, session);
    }
    if let Format::Report(format) = args.showing.destination()?.form {
        return Err(Failure::Usage {
            what: format!(
                "--format {} is about the links of a run, not about logs",
                format.info().name
            ),
            hint: "Use text, csv, jsonl, json or md.".to_owned(),
        });
    }
    let selection = selection(args)?;
    let sort = args.showing.sort_of(ARRIVAL_COLUMNS)?;
    let listing = Listing { sort, ..args.showing.plain_listing(session.terminal.verbose) };
    let config = &session.config;
    let store = session.store.as_path();
    let site = Site::of(args, session, config, store)?;
    let mut gathered = Arrivals::new(site.start.as_ref(), site.query.clone());
    let is_partial = access_logs::read(&args.logs, &mut gathered, session.terminal)?;
    let mut head = ArrivalsHead {
        logs: args.logs.iter().map(|log| access_logs::named(log).to_owned()).collect(),
        lines: gathered.lines,
        malformed: gathered.malformed,
        span: gathered.span,
        run: None,
    };
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
        let joined = self.start.as_ref().and_then(|start| access_logs::url(start, path));
        joined.unwrap_or_else(|| path.to_owned())
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
        Format::Report(_) => unreachable!("refused before any work"),
    })?;
    Ok(())
}
