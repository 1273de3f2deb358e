//! `rummage findings`: the last run once more, without asking the network.

use std::io::Write;

use rummage_core::selection::Selection;
use rummage_store::{Reader, RunInfo};
use rummage_view::ViewError;

use crate::args::{Everywhere, FailOn, FindingsArgs, Format};
use crate::failure::{Exit, Failure};
use crate::{output, paths};

pub(crate) fn run(args: &FindingsArgs, everywhere: Everywhere) -> Result<Exit, Failure> {
    let reader = Reader::open(&paths::store(everywhere.store)?)?;
    let run = reader.last_run()?;
    let mut out = output::buffered(output::stdout(everywhere.color));
    show(&mut out, &reader, &run, &args.selecting.selection(), args.format)?;
    exit(&reader, &run, args.fail_on)
}

/// Shows a run; `rummage crawl` ends with the same.
pub(super) fn show(
    out: &mut dyn Write,
    reader: &Reader,
    run: &RunInfo,
    selection: &Selection,
    format: Format,
) -> Result<(), ViewError> {
    match format {
        Format::Text => rummage_view::findings(out, reader, run, selection)?,
        Format::Jsonl => rummage_view::jsonl(out, reader, run, selection, |_| true)?,
    }
    Ok(out.flush()?)
}

/// What the counts of a run mean for the exit code.
pub(super) fn exit(reader: &Reader, run: &RunInfo, fail_on: FailOn) -> Result<Exit, Failure> {
    let totals = reader.totals(run.number)?;
    let failed = match fail_on {
        FailOn::Never => false,
        FailOn::Broken => totals.broken > 0,
        FailOn::Doubtful => totals.broken + totals.doubtful > 0,
    };
    Ok(if failed { Exit::Broken } else { Exit::Fine })
}
