//! `rummage findings`: a run once more, without asking the network.

use std::fs::File;
use std::io::Write;
use std::path::Path;

use rummage_core::findings::selection::Selection;
use rummage_store::{OpenRun, Reader, RunInfo};
use rummage_view::{Listing, RowFormat, Shown, ViewError};
use tempfile::NamedTempFile;

use crate::args::{Everywhere, FINDINGS, FailOn, FindingsArgs, Format, Showing};
use crate::config::Config;
use crate::failure::{Exit, Failure};
use crate::{choice, output, paths, sources};

pub(crate) fn run(args: &FindingsArgs, everywhere: &Everywhere) -> Result<Exit, Failure> {
    // Whatever is wrong with the words is said first.
    args.showing.listing(everywhere.verbose)?;
    let config = Config::load(everywhere.config.as_deref())?;
    let reader = paths::reader(&paths::store(everywhere.store.as_deref(), &config)?, &config)?;
    let run = choice::run(&reader, &config, everywhere, args.run)?;
    let listing = listing(&args.showing, everywhere, &config, &run)?;
    let open = reader.open_run(run)?;
    let selection = args.selecting.selection(FINDINGS);
    show(&reader, &open, &selection, &listing, &args.showing, everywhere)?;
    exit(&open, args.fail_on)
}

/// How a listing of a site is to look.
pub(super) fn listing(
    showing: &Showing,
    everywhere: &Everywhere,
    config: &Config,
    run: &RunInfo,
) -> Result<Listing, Failure> {
    let name = choice::name_of(config, everywhere, &run.site);
    let source = sources::of(run, &config.settled(name.as_deref()));
    Ok(Listing { source, ..showing.listing(everywhere.verbose)? })
}

/// Shows a run; `rummage crawl` ends with the same. A file is there in whole or not at all.
pub(super) fn show(
    reader: &Reader,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
    showing: &Showing,
    everywhere: &Everywhere,
) -> Result<(), Failure> {
    let format = showing.format()?;
    let file = showing.output.as_deref().filter(|file| file.as_os_str() != "-");
    let shown = match file {
        None => {
            let mut out = output::buffered(output::stdout(everywhere.color));
            let shown =
                write(&mut out, reader, run, selection, listing, (format, showing.csv_separator))?;
            out.flush().map_err(ViewError::from)?;
            shown
        }
        Some(file) => to_file(file, |out| {
            write(out, reader, run, selection, listing, (format, showing.csv_separator))
        })?,
    };
    tell_cut(shown, everywhere);
    Ok(())
}

/// Says that not all rows are shown: for other programs the head is not there to say so.
pub(super) fn tell_cut(shown: Option<Shown>, everywhere: &Everywhere) {
    if let Some(Shown { shown, all }) = shown.filter(|shown| shown.shown < shown.all)
        && !everywhere.quiet
    {
        let mut err = output::stderr(everywhere.color);
        let (shown, all) = (rummage_view::count(shown), rummage_view::count(all));
        let _ = writeln!(err, "{shown} of {all} rows shown: --limit");
    }
}

fn write(
    out: &mut dyn Write,
    reader: &Reader,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
    (format, separator): (Format, u8),
) -> Result<Option<Shown>, ViewError> {
    match format {
        Format::Text => {
            rummage_view::findings(out, reader, run, selection, listing)?;
            Ok(None)
        }
        Format::Md => {
            rummage_view::markdown(out, run, selection, listing)?;
            Ok(None)
        }
        Format::Json => rummage_view::json(out, run, selection, listing).map(Some),
        Format::Jsonl => {
            rummage_view::rows(out, run, selection, listing, RowFormat::Jsonl).map(Some)
        }
        Format::Csv => {
            rummage_view::rows(out, run, selection, listing, RowFormat::Csv(separator)).map(Some)
        }
    }
}

/// Writes a file beside its place, and puts it there when it is whole.
pub(super) fn to_file<T>(
    file: &Path,
    write: impl FnOnce(&mut dyn Write) -> Result<T, ViewError>,
) -> Result<T, Failure> {
    whole_file(file, |handle| {
        let mut out = output::buffered(anstream::StripStream::new(handle));
        let written = write(&mut out)?;
        out.flush().map_err(ViewError::from)?;
        Ok(written)
    })
}

/// The same, whatever is written.
pub(super) fn whole_file<T>(
    file: &Path,
    write: impl FnOnce(File) -> Result<T, Failure>,
) -> Result<T, Failure> {
    let wrong = |why: String| Failure::Usage {
        what: format!("{} cannot be written: {why}", file.display()),
        hint: "Check the folder and its permissions, or name another file with --output."
            .to_owned(),
    };
    let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty());
    let temporary = NamedTempFile::new_in(folder.unwrap_or(Path::new(".")))
        .map_err(|error| wrong(error.to_string()))?;
    let handle = temporary.as_file().try_clone().map_err(|error| wrong(error.to_string()))?;
    let written = write(handle)?;
    output::make_readable(temporary.as_file());
    temporary.persist(file).map_err(|error| wrong(error.error.to_string()))?;
    Ok(written)
}

/// What the counts of a run mean for the exit code.
pub(super) fn exit(run: &OpenRun<'_>, fail_on: FailOn) -> Result<Exit, Failure> {
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
