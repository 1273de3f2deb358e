//! From the options for showing links to a format and a destination.

use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};

use rummage_view::{Group, Listing, Shown, Sort, ViewError, columns};
use tempfile::NamedTempFile;

use crate::args::{Format, GroupChoice, Showing};
use crate::failure::Failure;
use crate::output::{self, Terminal};
use crate::values::{nearest, one_of};

/// Where an output goes, and in which format.
#[derive(Debug)]
pub(crate) struct Destination {
    pub(crate) form: Format,
    /// `None` for standard output.
    file: Option<PathBuf>,
}

impl Destination {
    /// Whether a person will read it on standard output.
    pub(crate) fn is_for_reading_here(&self) -> bool {
        self.form == Format::Text && self.file.is_none()
    }

    /// Writes the output. A file is written completely or not at all. Rows cut off by a limit are
    /// reported on standard error, because the formats for programs have no room for it.
    pub(crate) fn write(
        &self,
        terminal: Terminal,
        write: impl FnOnce(&mut dyn Write, Format) -> Result<Option<Shown>, ViewError>,
    ) -> Result<Option<Shown>, Failure> {
        // What is for programs has no styles to strip.
        let is_styled = matches!(self.form, Format::Text | Format::Markdown);
        let shown = match &self.file {
            None => {
                let stdout: Box<dyn Write> = match is_styled {
                    true => Box::new(terminal.stdout()),
                    false => Box::new(std::io::stdout()),
                };
                let mut out = output::buffered(stdout);
                let shown = write(&mut out, self.form)?;
                out.flush().map_err(ViewError::from)?;
                shown
            }
            Some(file) => whole_file(file, |handle| {
                let handle: Box<dyn Write> = match is_styled {
                    true => Box::new(anstream::StripStream::new(handle)),
                    false => Box::new(handle),
                };
                let mut out = output::buffered(handle);
                let shown = write(&mut out, self.form)?;
                out.flush().map_err(ViewError::from)?;
                Ok(shown)
            })?,
        };
        if !terminal.quiet {
            self.announce(terminal, shown);
        }
        Ok(shown)
    }

    /// How much was written where, on standard error.
    fn announce(&self, terminal: Terminal, shown: Option<Shown>) {
        let is_report = matches!(self.form, Format::Report(_));
        let cut = shown.filter(|shown| shown.shown < shown.all);
        let cut = cut.map(|Shown { shown, all }| {
            let (shown, all) = (rummage_view::count(shown), rummage_view::count(all));
            if is_report {
                format!("{shown} of {all} links")
            } else {
                format!("{shown} of {all} rows")
            }
        });
        if let Some(cut) = cut.as_ref().filter(|_| !is_report) {
            let _ = writeln!(terminal.stderr(), "{cut} shown: --limit");
        }
        let Some(file) = &self.file else { return };
        let name = rummage_view::safe(&file.display().to_string()).to_string();
        let (one, many) = match self.form {
            Format::Report(format) => format.entries(),
            _ => ("row", "rows"),
        };
        let written = match (shown, cut) {
            (None, _) => format!("written to {name}"),
            (Some(Shown { shown: 0, .. }), _) => {
                format!("nothing matches the selection: no {many} in {name}")
            }
            (Some(_), Some(cut)) if is_report => format!("{cut} in {name}"),
            (Some(Shown { shown, .. }), _) => {
                format!("{} in {name}", rummage_view::counted(shown, one, many))
            }
        };
        let _ = writeln!(terminal.stderr(), "{written}");
    }
}

/// Writes a file under a temporary name, and renames it when it is complete.
pub(crate) fn whole_file<T>(
    file: &Path,
    write: impl FnOnce(File) -> Result<T, Failure>,
) -> Result<T, Failure> {
    let wrong = |reason: String| Failure::Usage {
        what: format!("cannot write {}: {reason}", file.display()),
        hint: "Check the folder and its permissions, or name another file with --output."
            .to_owned(),
    };
    // A device or a pipe is written to, not replaced.
    if file.metadata().is_ok_and(|known| !known.is_file() && !known.is_dir()) {
        let opened = File::options().write(true).open(file);
        return write(opened.map_err(|error| wrong(error.to_string()))?);
    }
    let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty());
    let temporary = NamedTempFile::new_in(folder.unwrap_or(Path::new(".")))
        .map_err(|error| wrong(error.to_string()))?;
    let handle = temporary.as_file().try_clone().map_err(|error| wrong(error.to_string()))?;
    let written = write(handle)?;
    output::make_readable(temporary.as_file());
    temporary.persist(file).map_err(|error| wrong(error.error.to_string()))?;
    Ok(written)
}

impl Showing {
    /// The defaults for a file: everything follows from its extension.
    pub(crate) fn of_file(path: &Path) -> Showing {
        Showing {
            group: None,
            unfold: false,
            sort: None,
            limit: None,
            format: None,
            output: Some(path.to_owned()),
            csv_separator: b',',
        }
    }

    /// The same, to a file with this name added to its own, if there is one: `report-NAME.html`.
    pub(crate) fn named(&self, name: &str) -> Showing {
        let Some(file) = self.file() else { return self.clone() };
        let stem = file.file_stem().unwrap_or_default().to_string_lossy();
        let end = file.extension().map(|end| format!(".{}", end.to_string_lossy()));
        let named = format!("{stem}-{name}{}", end.unwrap_or_default());
        Showing { output: Some(file.with_file_name(named)), ..self.clone() }
    }

    /// The file beside that of a report, for links which the report cannot have.
    pub(crate) fn links_beside(&self) -> Option<PathBuf> {
        let file = self.file()?;
        let stem = file.file_stem()?.to_str()?;
        Some(file.with_file_name(format!("{stem}-links.csv")))
    }

    /// Where the listing goes, and in which format.
    pub(crate) fn destination(&self) -> Result<Destination, Failure> {
        let form = match self.format()? {
            Format::Rows(rows) => Format::Rows(rows.separated_by(self.csv_separator)),
            other => other,
        };
        Ok(Destination { form, file: self.file().map(Path::to_owned) })
    }

    /// The file that was named; `None` for standard output.
    pub(crate) fn file(&self) -> Option<&Path> {
        self.output.as_deref().filter(|file| file.as_os_str() != "-")
    }

    /// The format: as named, else by the ending of the file, else text.
    fn format(&self) -> Result<Format, Failure> {
        if let Some(format) = self.format {
            return Ok(format);
        }
        let Some(file) = self.file() else {
            return Ok(Format::Text);
        };
        let extension =
            file.extension().and_then(|extension| extension.to_str()).unwrap_or_default();
        Format::of_extension(extension).ok_or_else(|| {
            let extensions = Format::usual_extensions();
            let (last, others) = extensions.split_last().expect("there are formats");
            Failure::Usage {
                what: format!("the extension of {} is not that of a known format", file.display()),
                hint: format!(
                    "Use .{} or .{last}, or give a format with --format.",
                    others.join(", .")
                ),
            }
        })
    }

    /// The order, by one of these columns.
    pub(crate) fn sort_of(&self, columns: &[&str]) -> Result<Option<Sort>, Failure> {
        self.sort.as_deref().map(|text| sort_by(text, columns)).transpose()
    }

    /// How a listing that is grouped in its own way is to look.
    pub(crate) fn plain_listing(&self, verbose: bool) -> Listing {
        Listing { limit: self.limit, verbose, ..Listing::by(Group::None) }
    }

    /// The grouping, order and limit of the listing.
    pub(crate) fn listing(&self, verbose: bool) -> Result<Listing, Failure> {
        let form = self.destination()?.form;
        let group = match (self.group, form) {
            (Some(GroupChoice::Target), _) => Group::Target,
            (Some(GroupChoice::Page), _) => Group::Page,
            (Some(GroupChoice::Host), _) => Group::Host,
            (Some(GroupChoice::Cause), _) => Group::Cause,
            (Some(GroupChoice::None), _) => Group::None,
            (None, Format::Rows(_)) => Group::None,
            (None, _) => Group::Target,
        };
        if form == Format::Json && group != Group::Target {
            return Err(Failure::Usage {
                what: "--format json groups by target, and cannot group otherwise".to_owned(),
                hint: "Leave out --group, or use --format jsonl for one row per link.".to_owned(),
            });
        }
        let sort = self.sort.as_deref().map(|text| sort(text, group, form)).transpose()?;
        Ok(Listing {
            unfold: self.unfold,
            sort,
            limit: self.limit,
            verbose,
            recap: output::stdout_scrolls(),
            ..Listing::by(group)
        })
    }
}

/// Parses `KEY` or `KEY:desc`, where KEY is a column of the grouping.
fn sort(text: &str, group: Group, form: Format) -> Result<Sort, Failure> {
    let rows = matches!(form, Format::Rows(_));
    sort_by(
        text,
        match group {
            Group::Target | Group::None => columns(group),
            _ if rows => columns(Group::None),
            Group::Page => &["page", "title", "depth", "links"],
            Group::Host => &["host", "targets", "links"],
            Group::Cause => &["cause", "targets", "links"],
        },
    )
}

/// Parses `KEY` or `KEY:desc`, where KEY is one of `keys`.
fn sort_by(text: &str, keys: &[&str]) -> Result<Sort, Failure> {
    let (key, descending) = match text.split_once(':') {
        None | Some((_, "asc")) => (text.trim_end_matches(":asc"), false),
        Some((key, "desc")) => (key, true),
        Some((_, way)) => {
            return Err(Failure::Usage {
                what: format!("--sort {text}: the order is asc or desc, not {way}"),
                hint: "Use --sort KEY or --sort KEY:desc.".to_owned(),
            });
        }
    };
    if keys.contains(&key) {
        return Ok(Sort { key: key.to_owned(), descending });
    }
    let near = nearest(key, keys.iter().copied());
    let meant = near.map(|near| format!("Did you mean {near}? ")).unwrap_or_default();
    Err(Failure::Usage {
        what: format!("cannot sort by \"{key}\""),
        hint: format!("{meant}The keys are {}.", one_of(keys)),
    })
}
