//! Reports on a run, to hand over: to a person, to a build server, to an editor. A new format is
//! a file here and a row in the table below.

mod baseline;
mod github;
mod html;
mod junit;
mod sarif;

use std::io::Write;

use rummage_core::findings::selection::Selection;
use rummage_store::{OpenRun, Reader};

use crate::ViewError;
use crate::format_info::FormatInfo;
use crate::listing::Listing;
use crate::rows::Shown;
pub use baseline::baseline;

/// A format of reports.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ReportFormat {
    /// A page for people, in one file.
    Html,
    /// JUnit XML.
    Junit,
    /// SARIF 2.1.0.
    Sarif,
    /// Annotations for GitHub Actions.
    Github,
    /// The known targets.
    Baseline,
}

const TABLE: &[(ReportFormat, FormatInfo)] = &[
    (
        ReportFormat::Html,
        FormatInfo {
            name: "html",
            help: "A page to open in a browser: one file, which needs no network",
            extensions: &["html", "htm"],
        },
    ),
    (
        ReportFormat::Junit,
        FormatInfo {
            name: "junit",
            help: "JUnit XML: a test case for each page, which fails if it has a broken link",
            extensions: &["xml"],
        },
    ),
    (
        ReportFormat::Sarif,
        FormatInfo {
            name: "sarif",
            help: "SARIF 2.1.0: a result for each link, with its file or page, line and column",
            extensions: &["sarif"],
        },
    ),
    (
        ReportFormat::Github,
        FormatInfo {
            name: "github",
            help: "Annotations for GitHub Actions, for standard output",
            extensions: &[],
        },
    ),
    (
        ReportFormat::Baseline,
        FormatInfo {
            name: "baseline",
            help: "The broken and doubtful targets, sorted, for --baseline",
            extensions: &["baseline"],
        },
    ),
];

impl ReportFormat {
    /// Every format.
    pub fn all() -> impl Iterator<Item = ReportFormat> {
        TABLE.iter().map(|(format, _)| *format)
    }

    /// What users need to know about it.
    #[must_use]
    pub fn info(self) -> FormatInfo {
        let row = TABLE.iter().find(|(format, _)| *format == self);
        row.expect("every format has a row").1
    }

    /// What it has one entry for, one and many: `link`, `links`.
    #[must_use]
    pub fn entries(self) -> (&'static str, &'static str) {
        match self {
            ReportFormat::Baseline => ("target", "targets"),
            _ => ("link", "links"),
        }
    }

    /// Whether a title, a picture and an introduction can stand above it.
    #[must_use]
    pub fn has_heading(self) -> bool {
        self == ReportFormat::Html
    }

    /// Writes the matching links of a run.
    ///
    /// # Errors
    /// See [`ViewError`].
    pub fn write(
        self,
        out: &mut dyn Write,
        reader: &Reader,
        run: &OpenRun<'_>,
        selection: &Selection,
        listing: &Listing,
    ) -> Result<Shown, ViewError> {
        match self {
            ReportFormat::Html => html::write(out, reader, run, selection, listing),
            ReportFormat::Junit => junit::write(out, run, selection, listing),
            ReportFormat::Github => github::write(out, run, selection, listing),
            ReportFormat::Baseline => baseline::write(out, run, selection),
            ReportFormat::Sarif => sarif::write(out, reader, run, selection, listing),
        }
    }
}
