//! Writes the results of a run: to standard output, or to files.

use rummage_core::findings::selection::Selection;
use rummage_store::{OpenRun, Reader};
use rummage_view::Listing;

use crate::args::{Format, Showing};
use crate::config::Section;
use crate::failure::Failure;
use crate::output::Terminal;
use crate::sources;

/// Writes the files named in the settings, after any run of a site. Each is written completely
/// or not at all.
pub(crate) fn write_files(
    reader: &Reader,
    run: &OpenRun<'_>,
    settings: &Section,
    terminal: Terminal,
) -> Result<(), Failure> {
    for file in &settings.own.write {
        let showing = Showing::of_file(file);
        let source = sources::of(run.info(), settings);
        let listing = Listing { source, ..showing.listing(terminal.verbose)? };
        list(reader, run, &Selection::default(), &listing, &showing, terminal)?;
    }
    Ok(())
}

/// A run, what to list of it, and how.
pub(crate) type ListedRun<'a> = (OpenRun<'a>, Selection, Listing);

/// Lists the links of several runs, one after the other.
pub(crate) fn list_all(
    reader: &Reader,
    runs: &[ListedRun<'_>],
    showing: &Showing,
    terminal: Terminal,
) -> Result<(), Failure> {
    let destination = showing.destination()?;
    if destination.form == Format::Json {
        return Err(Failure::Usage {
            what: "--format json is one list of the targets of one run".to_owned(),
            hint: "Use --format jsonl for several sites.".to_owned(),
        });
    }
    destination.write(terminal, |out, form| {
        if let Format::Rows(format) = form {
            return rummage_view::rows_of_all(out, runs, format).map(Some);
        }
        for (number, (run, selection, listing)) in runs.iter().enumerate() {
            if number > 0 {
                writeln!(out)?;
            }
            match form {
                Format::Markdown => rummage_view::markdown(out, run, selection, listing)?,
                _ => rummage_view::findings(out, reader, run, selection, listing)?,
            }
        }
        Ok(None)
    })
}

/// Lists the links of a run. A file is written completely or not at all.
pub(crate) fn list(
    reader: &Reader,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
    showing: &Showing,
    terminal: Terminal,
) -> Result<(), Failure> {
    showing.destination()?.write(terminal, |out, form| match form {
        Format::Text => {
            rummage_view::findings(out, reader, run, selection, listing)?;
            Ok(None)
        }
        Format::Markdown => {
            rummage_view::markdown(out, run, selection, listing)?;
            Ok(None)
        }
        Format::Json => rummage_view::json(out, run, selection, listing).map(Some),
        Format::Rows(format) => rummage_view::rows(out, run, selection, listing, format).map(Some),
    })
}
