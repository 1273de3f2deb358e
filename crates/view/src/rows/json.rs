//! JSON: one object per target, with its evidence and all links to it.

use std::io::Write;

use rummage_core::evidence::{Attempt, AttemptOutcome};
use rummage_core::findings::selection::Selection;
use rummage_store::{OpenRun, StoredUrl, TraceRow};
use serde::Serialize;

use super::link::RowMaker;
use super::write::{Shown, grouped};
use crate::columns::Row;
use crate::grouping::Grouped;
use crate::listing::Listing;
use crate::safe::write_json;
use crate::{ViewError, phrase};

/// A target.
#[derive(Serialize)]
struct Target {
    #[serde(flatten)]
    row: Row,
    evidence: Vec<Hop>,
    links: Vec<Row>,
}

/// One redirect hop.
#[derive(Serialize)]
struct Hop {
    #[serde(rename = "address")]
    url: String,
    attempts: Vec<Request>,
}

/// One request.
#[derive(Serialize)]
struct Request {
    at: String,
    method: &'static str,
    status: Option<u16>,
    failure: Option<String>,
    ms: u64,
    /// It failed while its host was slowing down, and does not count.
    strained: bool,
}

/// Writes the matching targets as one list.
///
/// # Errors
/// See [`ViewError`].
pub fn json(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
) -> Result<Shown, ViewError> {
    let query = run.query(selection)?;
    let rows = RowMaker::new(run, listing.source.as_ref());
    list(out, run, &rows, &grouped(&query, listing)?, listing.limit)
}

/// Writes one URL with its evidence and the links to it, as a list: a missing fragment is a
/// target of its own.
///
/// # Errors
/// See [`ViewError`].
pub fn json_of(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    url: StoredUrl,
    selection: &Selection,
) -> Result<Shown, ViewError> {
    let query = run.query_to(url, selection)?;
    let grouped = Grouped::of(&query)?;
    list(out, run, &RowMaker::new(run, None), &grouped, None)
}

fn list(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    rows: &RowMaker<'_>,
    grouped: &Grouped<'_>,
    limit: Option<usize>,
) -> Result<Shown, ViewError> {
    let mut shown = 0;
    out.write_all(b"[")?;
    grouped.for_each_block(limit, true, |block| {
        let way = run.way(block.first.target)?;
        let links = block.occurrences.iter().map(|link| rows.link(link));
        let links = links.collect::<Result<Vec<Row>, ViewError>>()?;
        let target = Target {
            row: rows.target(&block.first, block.prominence, &block.occurrences)?,
            evidence: way.into_iter().map(|hop| self::hop(run, hop)).collect(),
            links,
        };
        out.write_all(if shown == 0 { b"\n" } else { b",\n" })?;
        write_json(out, &target)?;
        shown += 1;
        Ok::<_, ViewError>(())
    })?;
    out.write_all(b"\n]\n")?;
    Ok(Shown { shown, all: grouped.groups().len() as u64 })
}

fn hop(run: &OpenRun<'_>, hop: TraceRow) -> Hop {
    let attempts = hop.attempts.iter().map(|attempt| request(run, attempt)).collect();
    Hop { url: hop.url, attempts }
}

fn request(run: &OpenRun<'_>, attempt: &Attempt) -> Request {
    Request {
        at: phrase::timestamp(run.info(), attempt.at).to_string(),
        method: attempt.method.as_str(),
        status: attempt.outcome.status(),
        failure: match &attempt.outcome {
            AttemptOutcome::Response(_) => None,
            failure @ AttemptOutcome::Failure(_) => Some(phrase::outcome(failure)),
        },
        ms: u64::try_from(attempt.took.as_millis()).unwrap_or(u64::MAX),
        strained: attempt.strained,
    }
}
