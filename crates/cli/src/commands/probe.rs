//! `rummage probe`: verdicts for lists of addresses.

use std::collections::HashMap;
use std::io::Write;

use rummage_core::crawl::Note;
use rummage_core::extract::lists::Table;
use rummage_core::findings::selection::Selection;
use rummage_store::{NoteRow, OpenRun, RunState, StoreError};
use rummage_view::{Listing, ViewError};

use super::findings;
use crate::args::{FINDINGS, ProbeArgs};
use crate::config::Section;
use crate::failure::{Exit, Failure, report_internal};
use crate::inputs::{Input, read_all};
use crate::listing::whole_file;
use crate::output::Terminal;
use crate::passes::{Pass, runtime};
use crate::session::Session;
use crate::signals::stop_on_signal;
use crate::sources;
use crate::watch::Teller;

/// The columns that are put behind a table.
const COLUMNS: [&str; 4] = ["verdict", "cause", "status", "final"];

pub(crate) fn run(args: &ProbeArgs, session: &Session) -> Result<Exit, Failure> {
    let listing = args.showing.listing(session.terminal.verbose)?;
    let mut inputs = read_all(&args.inputs, args.column.as_deref())?;
    let table = if args.append_columns { Some(only_table(&mut inputs)?) } else { None };
    let is_partial = tell_problems(&inputs, session.terminal);
    let lists = inputs.into_iter().map(|input| (input.url, input.document)).collect();
    let pass = Pass::probe(session.means(&args.asking, None), lists, None)?;
    let mut teller = Teller::new(session.terminal, pass.asked_for.clone(), None).without_head();
    let ended = runtime()?.block_on(async { pass.drive(stop_on_signal(), &mut teller).await });
    teller.finish();
    let ended = ended?;
    if ended.run == 0 {
        return Ok(Exit::Unfinished);
    }
    let reader = session.reader()?;
    let run = reader.open_run(reader.run(ended.run)?)?;
    match table {
        Some((octets, table)) => append(&run, &octets, &table, args)?,
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

/// The table that columns are to be put behind: the only input.
fn only_table(inputs: &mut [Input]) -> Result<(Vec<u8>, Table), Failure> {
    let wrong = |what: String| Failure::Usage {
        what,
        hint: "Give one table: rummage probe addresses.csv --append-columns".to_owned(),
    };
    match inputs {
        [only] => only
            .table
            .take()
            .ok_or_else(|| wrong(format!("{} is no table, and has no columns", only.name))),
        _ => Err(wrong("columns can be put behind one table alone".to_owned())),
    }
}

/// Says what could not be read. Gives whether there was something.
fn tell_problems(inputs: &[Input], terminal: Terminal) -> bool {
    let mut err = terminal.stderr();
    let problems = inputs.iter().flat_map(|input| &input.problems);
    let told = problems.map(|problem| {
        let _ = writeln!(err, "{}", rummage_view::safe(problem));
    });
    told.count() > 0
}

/// Writes the table once more, with what is said of each row's address behind it.
fn append(
    run: &OpenRun<'_>,
    octets: &[u8],
    table: &Table,
    args: &ProbeArgs,
) -> Result<(), Failure> {
    let mut said: HashMap<u32, [String; 4]> = HashMap::new();
    let selection = Selection::all();
    let sift = run.sift(&selection)?;
    sift.for_each(|found| {
        let row = sift.row(found)?;
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
    let text = table.append(octets, COLUMNS, |line| said.remove(&line));
    match args.showing.output.as_deref().filter(|file| file.as_os_str() != "-") {
        // As it is, to the octet: nothing is taken out of it on the way.
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
