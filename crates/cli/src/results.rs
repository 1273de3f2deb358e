//! Writes the results of a run: to standard output, or to files.

use std::io::Write;
use std::path::Path;

use rummage_core::findings::selection::Selection;
use rummage_store::{OpenRun, Reader};
use rummage_view::{Group, Heading, Listing, Masked, Shown, ViewError};

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
    if let Format::Json | Format::Report(_) = destination.form {
        let name = destination.form.info().name;
        return Err(Failure::Usage {
            what: format!("--format {name} is about one run"),
            hint: "Use --format jsonl or csv for several sites, or name one with --site."
                .to_owned(),
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
    })?;
    Ok(())
}

/// Lists the links of a run. A file is written completely or not at all. If a report cannot have
/// all links, a table beside it does.
pub(crate) fn list(
    reader: &Reader,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
    showing: &Showing,
    terminal: Terminal,
) -> Result<(), Failure> {
    let destination = showing.destination()?;
    // What a limit leaves out is not wanted.
    let beside = showing.links_beside().filter(|_| listing.limit.is_none());
    let name = beside.as_deref().and_then(Path::file_name).map(|name| name.display().to_string());
    let heading = Heading { all_links_in: name, ..listing.heading.clone() };
    let is_report = matches!(destination.form, Format::Report(_));
    let masks = listing.mask_secrets.unwrap_or(is_report);
    let listing = Listing { heading, mask_secrets: Some(masks), ..listing.clone() };
    let shown = destination.write(terminal, |out, form| {
        if !masks {
            return write(out, reader, run, selection, &listing, form);
        }
        let mut masked = Masked::new(out);
        let shown = write(&mut masked, reader, run, selection, &listing, form)?;
        masked.finish()?;
        Ok(shown)
    })?;
    let is_cut = shown.is_some_and(|shown| shown.shown < shown.all);
    let Some(table) = beside.filter(|_| is_report && is_cut) else { return Ok(()) };
    let all = Listing { sort: None, group: Group::None, ..listing };
    list(reader, run, selection, &all, &Showing::of_file(&table), terminal)
}

fn write(
    out: &mut dyn Write,
    reader: &Reader,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
    form: Format,
) -> Result<Option<Shown>, ViewError> {
    match form {
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
        Format::Report(format) => format.write(out, reader, run, selection, listing).map(Some),
    }
}
