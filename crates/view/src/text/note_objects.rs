//! Notes about a run as JSON objects, for programs.

use std::io::{self, Write};

use rummage_core::crawl::Note;
use rummage_store::{RunInfo, Totals};
use serde::Serialize;

use super::totals;
use crate::phrase;
use crate::safe::write_json;

#[derive(Serialize)]
struct NoteObject<'a> {
    note: &'static str,
    url: Option<&'a str>,
    text: String,
}

/// Writes all notes, each on a line of its own.
pub(super) fn write(out: &mut dyn Write, run: &RunInfo, totals: &Totals) -> io::Result<()> {
    let of_notes = totals.notes.iter().map(|row| NoteObject {
        note: kind(&row.note),
        url: Some(&row.url),
        text: phrase::note(run, row),
    });
    let overloaded = totals::slowed(run, totals);
    let of_strain = overloaded.map(|text| NoteObject { note: "overloaded", url: None, text });
    for object in of_notes.chain(of_strain) {
        write_json(out, &object)?;
        writeln!(out)?;
    }
    Ok(())
}

/// The name of a kind of note.
fn kind(note: &Note) -> &'static str {
    match note {
        Note::RenderedByScript => "rendered-by-script",
        Note::RobotsUnknown => "robots-unknown",
        Note::CrawlDelay { .. } => "crawl-delay",
        Note::SitemapMissing => "sitemap-missing",
        Note::SitemapFaulty => "sitemap-faulty",
        Note::MoreSitemaps => "more-sitemaps",
        Note::CredentialsInUrl => "credentials-in-url",
        Note::Unreached => "unreached",
        Note::Suspicious(_) => "suspicious",
        Note::UrlLimit => "url-limit",
        Note::Trap(_) => "trap",
        Note::Blocked { .. } => "blocked",
        Note::CertificateEnds { .. } => "certificate-ends",
        Note::Unsteady { .. } => "unsteady",
        Note::NoNames { .. } => "no-names",
        Note::NothingResolved { .. } => "nothing-resolved",
        Note::Offline { .. } => "offline",
    }
}
