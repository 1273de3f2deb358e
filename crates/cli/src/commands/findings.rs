//! `rummage findings`: the results of a run, from the store.

use std::io::Write as _;

use rummage_core::findings::selection::{Selection, Standing};
use rummage_core::verdict::Verdict;
use rummage_fleet::Database;
use rummage_store::{LinkQuery, OpenRun, Reader, RunInfo, RunState, StoreError};
use rummage_view::{FleetListing, Listing, ViewError};

use crate::args::{FINDINGS, FailOn, FindingsArgs, Format, Showing, Since, StoredLinks};
use crate::baseline::Known;
use crate::config::Config;
use crate::failure::{Exit, Failure};
use crate::fleet::address::address;
use crate::jobs::runtime;
use crate::output::{self, Terminal};
use crate::session::Session;
use crate::{results, sources};

pub(crate) fn run(args: &FindingsArgs, session: &Session) -> Result<Exit, Failure> {
    if args.fleet {
        return of_fleet(args, session);
    }
    // Invalid options are reported first.
    args.showing.listing(session.terminal.verbose)?;
    let known = Known::of(args.known.baseline.as_deref())?;
    let config = &session.config;
    let reader = session.reader()?;
    if is_of_all_sites(session) {
        return of_all_sites(args, session, &reader, known.as_ref());
    }
    let run = session.run(&reader, args.stored.run)?;
    let listing = listing(&args.showing, session, config, &run)?;
    let selection = selection(&args.stored, session, &reader, &run)?;
    let open = reader.open_run(run)?;
    show(&reader, &open, &selection, &listing, &args.showing, session.terminal)?;
    exit_for(&open, args.fail_on, known.as_ref(), session.terminal)
}

/// Whether `--site all` was given, and no site has this name.
fn is_of_all_sites(session: &Session) -> bool {
    session.site.as_deref() == Some("all") && !session.config.sites.contains_key("all")
}

/// The last run of each site, one after the other.
fn of_all_sites(
    args: &FindingsArgs,
    session: &Session,
    reader: &Reader,
    known: Option<&Known>,
) -> Result<Exit, Failure> {
    if args.stored.run.is_some() {
        return Err(Failure::Usage {
            what: "--run names a run of one site, and --site all names every site".to_owned(),
            hint: "Leave out one of them.".to_owned(),
        });
    }
    let mut runs = Vec::new();
    for row in reader.sites()? {
        let listing = listing(&args.showing, session, &session.config, &row.last)?;
        let selection = selection(&args.stored, session, reader, &row.last)?;
        runs.push((reader.open_run(row.last)?, selection, listing));
    }
    results::list_all(reader, &runs, &args.showing, session.terminal)?;
    let exits = runs.iter().map(|(run, ..)| exit_for(run, args.fail_on, known, session.terminal));
    let exits = exits.collect::<Result<Vec<Exit>, Failure>>()?;
    Ok(exits.into_iter().max().unwrap_or(Exit::Fine))
}

/// The findings of a fleet, from its database.
fn of_fleet(args: &FindingsArgs, session: &Session) -> Result<Exit, Failure> {
    let destination = args.showing.destination()?;
    let format = match destination.form {
        Format::Text => None,
        Format::Rows(format) => Some(format),
        other => {
            return Err(Failure::Usage {
                what: format!("--format {} is about one run, not a fleet", other.info().name),
                hint: "Use --format text, jsonl or csv.".to_owned(),
            });
        }
    };
    let database = Database::at(address(&args.database)?)?;
    let selection = args.stored.selecting.selection(FINDINGS);
    let runtime = runtime()?;
    runtime.block_on(database.check())?;
    let mut is_failing = false;
    let mut problem = None;
    let written = destination.write(session.terminal, |out, _| {
        let mut listing = FleetListing::new(out, format, &selection, args.showing.limit)?
            .failing_on(failing(args.fail_on));
        let mut after = None;
        loop {
            let rows = database.findings(session.site.as_deref(), after.as_ref(), FLEET_ROWS);
            let rows = match runtime.block_on(rows) {
                Ok(rows) => rows,
                Err(error) => {
                    // A file is not written if it would not be complete.
                    let cut = std::io::Error::other("the database is not available");
                    problem = Some(error);
                    return Err(ViewError::Write(cut));
                }
            };
            let Some(last) = rows.last() else { break };
            after = Some((last.site.clone(), last.number));
            for row in &rows {
                listing.add(&row.site, &row.json)?;
            }
        }
        is_failing = listing.is_failing();
        let shown = listing.end()?;
        // A text says itself how much of it there is.
        Ok(format.map(|_| shown))
    });
    if let Some(problem) = problem {
        return Err(problem.into());
    }
    written?;
    Ok(if is_failing { Exit::Broken } else { Exit::Fine })
}

/// How many rows are fetched from a fleet's database at a time.
const FLEET_ROWS: i64 = 2000;

/// The selection, with `--since` as a run of this site.
pub(crate) fn selection(
    stored: &StoredLinks,
    session: &Session,
    reader: &Reader,
    run: &RunInfo,
) -> Result<Selection, Failure> {
    let selection = stored.selecting.selection(FINDINGS);
    let found_from = match stored.since {
        None => None,
        Some(Since::Run(number)) => Some(number),
        Some(Since::Moment(when)) => {
            let from = when.ago(session.clock.now());
            let mut runs = reader.runs()?.into_iter();
            let first = runs.find(|known| known.site == run.site && known.started_at >= from);
            Some(first.map_or(i64::MAX, |first| first.number))
        }
    };
    Ok(Selection { found_from, ..selection })
}

/// The grouping and format of a listing of a site.
pub(super) fn listing(
    showing: &Showing,
    session: &Session,
    config: &Config,
    run: &RunInfo,
) -> Result<Listing, Failure> {
    let name = session.section_of(&run.site);
    let source = sources::of(run, &config.settings(name.as_deref()));
    Ok(Listing { source, ..showing.listing(session.terminal.verbose)? })
}

/// Shows a run; `rummage crawl` ends the same way. A file is written completely or not at all.
pub(super) fn show(
    reader: &Reader,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
    showing: &Showing,
    terminal: Terminal,
) -> Result<(), Failure> {
    // Formats for programs have no room for totals and notes.
    let destination = showing.destination()?;
    if !destination.is_for_reading_here() && !terminal.quiet {
        let mut err = output::buffered(terminal.stderr());
        if destination.form.is_json() {
            rummage_view::summary_with_objects(&mut err, reader, run)?;
        } else {
            rummage_view::summary(&mut err, reader, run, terminal.verbose)?;
        }
        err.flush().map_err(ViewError::from)?;
    }
    results::list(reader, run, selection, listing, showing, terminal)
}

/// With --quiet, a run that found nothing new since the one before says nothing, so that cron
/// sends no email.
pub(super) fn is_old_news(
    reader: &Reader,
    run: &OpenRun<'_>,
    terminal: Terminal,
) -> Result<bool, Failure> {
    let may_be = terminal.quiet && run.info().state == RunState::Finished;
    Ok(may_be && reader.run_before(run.info())?.is_some() && !run.changes()?.is_worse())
}

/// The links that make a command about some of them fail; `None` if none do.
pub(super) fn failing(fail_on: FailOn) -> Option<Selection> {
    let verdicts = match fail_on {
        FailOn::Never => return None,
        FailOn::New | FailOn::Doubtful => vec![Verdict::Broken, Verdict::Doubtful],
        FailOn::Broken => vec![Verdict::Broken],
    };
    let standings = match fail_on {
        FailOn::New => vec![Standing::New, Standing::Returned],
        _ => Vec::new(),
    };
    Some(Selection { verdicts, standings, ..Selection::default() })
}

/// Whether a query finds a link that is not waived.
pub(super) fn has_any(query: &LinkQuery<'_>) -> Result<bool, StoreError> {
    let mut any = false;
    query.for_each(|found| {
        any = any || !query.row(found)?.waived;
        Ok::<_, StoreError>(())
    })?;
    Ok(any)
}

/// The exit code for a run: by its totals, or by what a baseline does not have.
pub(super) fn exit_for(
    run: &OpenRun<'_>,
    fail_on: FailOn,
    known: Option<&Known>,
    terminal: Terminal,
) -> Result<Exit, Failure> {
    match known {
        None => exit(run, fail_on),
        Some(known) => known.exit(run, terminal),
    }
}

/// The exit code for the totals of a run.
pub(super) fn exit(run: &OpenRun<'_>, fail_on: FailOn) -> Result<Exit, Failure> {
    // It finds fewer broken links than there are.
    let is_read_only = fail_on == FailOn::Never && !run.info().state.is_complete();
    if run.info().state != RunState::Finished && !is_read_only {
        return Ok(Exit::Unfinished);
    }
    let failed = match fail_on {
        FailOn::Never => false,
        FailOn::New => run.changes()?.is_worse(),
        FailOn::Broken => run.totals()?.broken > 0,
        FailOn::Doubtful => {
            let totals = run.totals()?;
            totals.broken + totals.doubtful > 0
        }
    };
    Ok(if failed { Exit::Broken } else { Exit::Fine })
}
