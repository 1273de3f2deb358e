//! `rummage probe`: verdicts for lists of URLs.

use std::collections::HashMap;
use std::io::Write;

use rummage_core::crawl::Note;
use rummage_core::extract::lists::Table;
use rummage_core::findings::selection::Selection;
use rummage_store::{NoteRow, OpenRun, Reader, RunState, StoreError};
use rummage_view::{Listing, ViewError};

use super::findings;
use crate::args::{FINDINGS, ProbeArgs};
use crate::config::Section;
use crate::failure::{Exit, Failure, report_internal};
use crate::inputs::{Input, read_all};
use crate::jobs::{CrawlJob, runtime};
use crate::listing::whole_file;
use crate::output::Terminal;
use crate::session::Session;
use crate::signals::stop_on_signal;
use crate::sources;
use crate::watch::ProgressReporter;

/// The columns appended to a table.
const COLUMNS: [&str; 4] = ["verdict", "cause", "status", "final"];

pub(crate) fn run(args: &ProbeArgs, session: &Session) -> Result<Exit, Failure> {
    let listing = args.showing.listing(session.terminal.verbose)?;
    let context = session.context(&args.options, None);
    let (pass, table, is_partial) = if args.resume {
        let (run, lists) = Reader::open(&session.store)?.unfinished_probe()?;
        (CrawlJob::resume_probe(context, run, lists)?, None, false)
    } else {
        let mut inputs = read_all(&args.inputs, args.column.as_deref())?;
        let table = if args.append_columns { Some(only_table(&mut inputs)?) } else { None };
        let is_partial = report_problems(&inputs, session.terminal);
        let lists = inputs.into_iter().map(|input| (input.url, input.document)).collect();
        (CrawlJob::probe(context, lists, None)?, table, is_partial)
    };
    let mut reporter =
        ProgressReporter::new(session.terminal, pass.given_start.clone(), None).without_head();
    let ended = runtime()?.block_on(async { pass.drive(stop_on_signal(), &mut reporter).await });
    reporter.finish();
    let ended = ended?;
    if ended.run == 0 {
        return Ok(Exit::Unfinished);
    }
    let reader = session.reader()?;
    let run = reader.open_run(reader.run(ended.run)?)?;
    match table {
        Some((bytes, table)) => append(&run, &bytes, &table, args)?,
        None => {
            let selection = args.selecting.selection(FINDINGS);
            let source = sources::of(run.info(), &Section::default());
            let listing = Listing { source, ..listing };
            findings::show(&reader, &run, &selection, &listing, &args.showing, session.terminal)?;
        }
    }
    let is_faulty = |row: &NoteRow| row.note == Note::SitemapFaulty;
    let is_partial = is_partial || run.notes()?.iter().any(is_faulty);
    let exit = if ended.state == RunState::Stopped || is_partial {
        Exit::Unfinished
    } else {
        findings::exit(&run, args.fail_on)?
    };
    Ok(report_internal(&ended.internal_errors, exit, session.terminal))
}

/// The table to append columns to, which must be the only input.
fn only_table(inputs: &mut [Input]) -> Result<(Vec<u8>, Table), Failure> {
    let wrong = |what: String| Failure::Usage {
        what,
        hint: "Give one table: rummage probe urls.csv --append-columns".to_owned(),
    };
    match inputs {
        [only] => {
            only.table.take().ok_or_else(|| wrong(format!("{} is not a CSV table", only.name)))
        }
        _ => Err(wrong("--append-columns needs a single table".to_owned())),
    }
}

/// Reports what could not be read. Returns whether there was anything.
fn report_problems(inputs: &[Input], terminal: Terminal) -> bool {
    let mut err = terminal.stderr();
    let problems = inputs.iter().flat_map(|input| &input.problems);
    let io_error = problems.map(|problem| {
        let _ = writeln!(err, "{}", rummage_view::safe(problem));
    });
    io_error.count() > 0
}

/// Writes the table with the verdict of each row's URL appended.
fn append(run: &OpenRun<'_>, bytes: &[u8], table: &Table, args: &ProbeArgs) -> Result<(), Failure> {
    let mut said: HashMap<u32, [String; 4]> = HashMap::new();
    let selection = Selection::all();
    let query = run.query(&selection)?;
    query.for_each(|found| {
        let row = query.row(found)?;
        let outcome = row.outcome;
        let columns = [
            outcome.verdict.as_str().to_owned(),
            outcome.cause.map_or_else(String::new, |cause| cause.as_str().to_owned()),
            outcome.status.map_or_else(String::new, |status| status.to_string()),
            outcome.last.unwrap_or_default(),
        ];
        said.insert(row.line, columns);
        Ok::<_, StoreError>(())
    })?;
    let text = table.append(bytes, COLUMNS, |line| said.remove(&line));
    match args.showing.output.as_deref().filter(|file| file.as_os_str() != "-") {
        // Written byte for byte: nothing is sanitized.
        None => {
            let mut out = std::io::stdout();
            out.write_all(&text).and_then(|()| out.flush()).map_err(ViewError::from)?;
            Ok(())
        }
        Some(file) => {
            whole_file(file, |mut handle| Ok(handle.write_all(&text).map_err(ViewError::from)?))
        }
    }
}
