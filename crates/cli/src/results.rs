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
