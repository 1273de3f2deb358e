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

/// What users need to know about a format.
struct About {
    format: ReportFormat,
    name: &'static str,
    help: &'static str,
    extensions: &'static [&'static str],
}

const TABLE: &[About] = &[
    About {
        format: ReportFormat::Html,
        name: "html",
        help: "A page to open in a browser: one file, which needs no network",
        extensions: &["html", "htm"],
    },
    About {
        format: ReportFormat::Junit,
        name: "junit",
        help: "JUnit XML: a test case for each page, which fails if it has a broken link",
        extensions: &["xml"],
    },
    About {
        format: ReportFormat::Sarif,
        name: "sarif",
        help: "SARIF 2.1.0: a result for each link, with its file or page, line and column",
        extensions: &["sarif"],
    },
    About {
        format: ReportFormat::Github,
        name: "github",
        help: "Annotations for GitHub Actions, for standard output",
        extensions: &[],
    },
    About {
        format: ReportFormat::Baseline,
        name: "baseline",
        help: "The broken and doubtful targets, sorted, for --baseline",
        extensions: &["baseline"],
    },
];

impl ReportFormat {
    /// Every format.
    pub fn all() -> impl Iterator<Item = ReportFormat> {
        TABLE.iter().map(|about| about.format)
    }

    /// Its name for `--format`.
    #[must_use]
    pub fn name(self) -> &'static str {
        self.about().name
    }

    /// Its description in the help.
    #[must_use]
    pub fn help(self) -> &'static str {
        self.about().help
    }

    /// The file extensions it is recognized by, the usual one first; none if it is not for files.
    #[must_use]
    pub fn extensions(self) -> &'static [&'static str] {
        self.about().extensions
    }

    /// What it has one entry for, one and many: `link`, `links`.
    #[must_use]
    pub fn entries(self) -> (&'static str, &'static str) {
        match self {
            ReportFormat::Baseline => ("target", "targets"),
            _ => ("link", "links"),
        }
    }

    fn about(self) -> &'static About {
        let is_same = |about: &&About| about.format == self;
        TABLE.iter().find(is_same).expect("every format has a row")
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
            ReportFormat::Junit => junit::write(out, run, selection),
            ReportFormat::Github => github::write(out, run, selection, listing),
            ReportFormat::Baseline => baseline::write(out, run, selection),
            ReportFormat::Sarif => sarif::write(out, reader, run, selection, listing),
        }
    }
}
