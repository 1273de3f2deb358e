//! The notes of a run: stored as a kind and JSON.

use std::time::Duration;

use rummage_core::Moment;
use rummage_core::crawl::Note;
use rummage_core::crawl::suspicion::Suspicion;
use rummage_core::crawl::traps::Stop;
use rusqlite::{Connection, params};
use serde::{Deserialize, Serialize};

use crate::db::error::StoreError;

/// The details of a note.
#[derive(Debug, Default, Serialize, Deserialize)]
#[serde(default, rename_all = "kebab-case")]
pub(crate) struct Detail {
    // The key that the first stores have.
    #[serde(rename = "asked-ms", skip_serializing_if = "Option::is_none")]
    requested_ms: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    kept_ms: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    sample: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    rule: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    read: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    since_us: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    at_us: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    failed: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    made: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    reason: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pages: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    before: Option<u64>,
}

pub(crate) fn write(
    db: &Connection,
    run: Option<i64>,
    url: u32,
    note: &Note,
) -> Result<(), StoreError> {
    let (kind, detail) = pack(note);
    let detail = serde_json::to_string(&detail).expect("details are plain data");
    db.prepare_cached(
        "INSERT OR IGNORE INTO note (run, kind, address, detail) VALUES (?1, ?2, ?3, ?4)",
    )?
    .execute(params![run, kind, url, detail])?;
    Ok(())
}

/// The kind of notes about results that are not believed.
const SUSPICIOUS: &str = "suspicious";

/// The kind of notes about certificates that end soon.
const CERTIFICATE_ENDS: &str = "certificate-ends";

/// The certificates that end soon, as a run saw them: a URL of the host, and when.
pub(crate) fn ending_certificates(
    db: &Connection,
    run: i64,
) -> Result<Vec<(String, Moment)>, StoreError> {
    let mut select = db.prepare_cached(
        "SELECT url, detail FROM note JOIN address ON address.id = note.address
         WHERE run = ?1 AND kind = ?2 ORDER BY url",
    )?;
    let mut rows = select.query(params![run, CERTIFICATE_ENDS])?;
    let mut certificates = Vec::new();
    while let Some(row) = rows.next()? {
        let detail: String = row.get(1)?;
        let detail = serde_json::from_str(&detail).ok();
        if let Some(Note::CertificateEnds { at }) =
            detail.and_then(|detail| unpack(CERTIFICATE_ENDS, detail))
        {
            certificates.push((row.get(0)?, at));
        }
    }
    Ok(certificates)
}

/// Why the result of a run was not believed, if it was not.
pub(crate) fn suspicion_of(db: &Connection, run: i64) -> Result<Option<Suspicion>, StoreError> {
    let mut select = db.prepare_cached("SELECT detail FROM note WHERE run = ?1 AND kind = ?2")?;
    let mut rows = select.query(params![run, SUSPICIOUS])?;
    let Some(row) = rows.next()? else { return Ok(None) };
    let detail: String = row.get(0)?;
    let note = serde_json::from_str(&detail).ok().and_then(|detail| unpack(SUSPICIOUS, detail));
    match note {
        Some(Note::Suspicious(suspicion)) => Ok(Some(suspicion)),
        _ => Err(StoreError::Damaged(format!("a note of the kind {SUSPICIOUS} is {detail:?}"))),
    }
}

fn pack(note: &Note) -> (&'static str, Detail) {
    let none = Detail::default();
    match note {
        Note::RenderedByScript => ("drawn-by-script", none),
        Note::RobotsUnknown => ("robots-unknown", none),
        Note::CrawlDelay { requested, kept } => {
            let millis = |time: &Duration| u64::try_from(time.as_millis()).ok();
            (
                "crawl-delay",
                Detail { requested_ms: millis(requested), kept_ms: millis(kept), ..none },
            )
        }
        Note::SitemapMissing => ("sitemap-missing", none),
        Note::SitemapFaulty => ("sitemap-faulty", none),
        Note::MoreSitemaps => ("more-sitemaps", none),
        Note::UrlLimit => ("url-limit", none),
        Note::Suspicious(suspicion) => {
            let (reason, pages, before) = match *suspicion {
                Suspicion::NoLinks => ("no-links", None, None),
                Suspicion::Login => ("login", None, None),
                Suspicion::Consent => ("consent", None, None),
                Suspicion::FewPages { pages, before } => ("few-pages", Some(pages), Some(before)),
            };
            (SUSPICIOUS, Detail { reason: Some(reason.to_owned()), pages, before, ..none })
        }
        Note::CredentialsInUrl => ("credentials-in-url", none),
        Note::Unreached => ("unreached", none),
        Note::Blocked { since } => {
            ("blocked", Detail { since_us: Some(since.as_micros()), ..none })
        }
        Note::CertificateEnds { at } => {
            (CERTIFICATE_ENDS, Detail { at_us: Some(at.as_micros()), ..none })
        }
        Note::Unsteady { failed, made } => {
            ("unsteady", Detail { failed: Some(*failed), made: Some(*made), ..none })
        }
        Note::NoNames { since } => {
            ("no-names", Detail { since_us: Some(since.as_micros()), ..none })
        }
        Note::NothingResolved { hosts } => {
            ("nothing-resolved", Detail { failed: Some(*hosts), ..none })
        }
        Note::Offline { since } => {
            ("offline", Detail { since_us: Some(since.as_micros()), ..none })
        }
        Note::Trap(Stop { sample, rule, read }) => {
            let (sample, rule) = (Some(sample.clone()), Some(rule.clone()));
            ("trap", Detail { sample, rule, read: Some(*read), ..none })
        }
    }
}

pub(crate) fn unpack(kind: &str, detail: Detail) -> Option<Note> {
    Some(match kind {
        "drawn-by-script" => Note::RenderedByScript,
        "robots-unknown" => Note::RobotsUnknown,
        "crawl-delay" => Note::CrawlDelay {
            requested: Duration::from_millis(detail.requested_ms?),
            kept: Duration::from_millis(detail.kept_ms?),
        },
        "sitemap-missing" => Note::SitemapMissing,
        "sitemap-faulty" => Note::SitemapFaulty,
        "more-sitemaps" => Note::MoreSitemaps,
        "url-limit" => Note::UrlLimit,
        SUSPICIOUS => Note::Suspicious(match detail.reason?.as_str() {
            "no-links" => Suspicion::NoLinks,
            "login" => Suspicion::Login,
            "consent" => Suspicion::Consent,
            "few-pages" => Suspicion::FewPages { pages: detail.pages?, before: detail.before? },
            _ => return None,
        }),
        "credentials-in-url" => Note::CredentialsInUrl,
        "unreached" => Note::Unreached,
        "blocked" => Note::Blocked { since: Moment::from_micros(detail.since_us?) },
        CERTIFICATE_ENDS => Note::CertificateEnds { at: Moment::from_micros(detail.at_us?) },
        "unsteady" => Note::Unsteady { failed: detail.failed?, made: detail.made? },
        "no-names" => Note::NoNames { since: Moment::from_micros(detail.since_us?) },
        "nothing-resolved" => Note::NothingResolved { hosts: detail.failed? },
        "offline" => Note::Offline { since: Moment::from_micros(detail.since_us?) },
        "trap" => {
            Note::Trap(Stop { sample: detail.sample?, rule: detail.rule?, read: detail.read? })
        }
        _ => return None,
    })
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn every_note_is_read_as_it_was_written() {
        let since = Moment::from_micros(7);
        let (requested, kept) = (Duration::from_millis(5000), Duration::from_millis(2000));
        let stop = Stop { sample: "/a".to_owned(), rule: "/*".to_owned(), read: 3 };
        let mut kinds = std::collections::BTreeSet::new();
        for note in [
            Note::RenderedByScript,
            Note::RobotsUnknown,
            Note::CrawlDelay { requested, kept },
            Note::SitemapMissing,
            Note::SitemapFaulty,
            Note::MoreSitemaps,
            Note::UrlLimit,
            Note::CredentialsInUrl,
            Note::Unreached,
            Note::Blocked { since },
            Note::Unsteady { failed: 3, made: 10 },
            Note::NoNames { since },
            Note::NothingResolved { hosts: 4 },
            Note::Offline { since },
            Note::Trap(stop),
            Note::Suspicious(Suspicion::NoLinks),
            Note::Suspicious(Suspicion::Login),
            Note::Suspicious(Suspicion::Consent),
            Note::Suspicious(Suspicion::FewPages { pages: 1, before: 10 }),
        ] {
            let (kind, detail) = pack(&note);
            let is_new = kinds.insert(kind) || matches!(note, Note::Suspicious(_));
            assert!(is_new, "{kind} is used twice");
            let detail = serde_json::from_str(&serde_json::to_string(&detail).unwrap()).unwrap();
            assert_eq!(unpack(kind, detail), Some(note));
        }
        assert_eq!(unpack("unknown", Detail::default()), None);
    }
}
