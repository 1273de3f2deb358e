//! JSON: one object a target, with its evidence and all its links.

use std::io::Write;

use rummage_core::evidence::{Attempt, Ending};
use rummage_core::findings::selection::Selection;
use rummage_store::{Address, OpenRun, TraceRow};
use serde::Serialize;

use super::target::target_row;
use super::write::{Shown, gathered};
use crate::cells::{self, Row};
use crate::gather::Gathered;
use crate::listing::Listing;
use crate::{ViewError, phrase};

/// A target.
#[derive(Serialize)]
struct Target {
    #[serde(flatten)]
    row: Row,
    evidence: Vec<Hop>,
    links: Vec<Row>,
}

/// One address on the way to where the hops end.
#[derive(Serialize)]
struct Hop {
    address: String,
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
    /// It failed while its host showed strain, and did not count.
    strained: bool,
}

/// Writes the targets that fit as one list.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn json(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
) -> Result<Shown, ViewError> {
    let sift = run.sift(selection)?;
    list(out, run, &gathered(&sift, listing)?, listing.limit)
}

/// Writes one address with its evidence and the links to it, as a list: a fragment that
/// is missing is a target of its own.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn json_of(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    address: Address,
    selection: &Selection,
) -> Result<Shown, ViewError> {
    let sift = run.sift_to(address, selection)?;
    let gathered = Gathered::of(&sift)?;
    list(out, run, &gathered, None)
}

fn list(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    gathered: &Gathered<'_>,
    limit: Option<usize>,
) -> Result<Shown, ViewError> {
    let mut shown = 0;
    out.write_all(b"[")?;
    gathered.for_each_block(limit, true, |block| {
        let way = run.way(block.first.target)?;
        let target = Target {
            row: target_row(run, &block.first, &block.group)?,
            evidence: way.into_iter().map(|hop| self::hop(run, hop)).collect(),
            links: block.places.iter().map(cells::of_link).collect(),
        };
        out.write_all(if shown == 0 { b"\n" } else { b",\n" })?;
        serde_json::to_writer(&mut *out, &target).map_err(std::io::Error::from)?;
        shown += 1;
        Ok::<_, ViewError>(())
    })?;
    out.write_all(b"\n]\n")?;
    Ok(Shown { shown, all: gathered.groups().len() as u64 })
}

fn hop(run: &OpenRun<'_>, hop: TraceRow) -> Hop {
    let attempts = hop.attempts.iter().map(|attempt| request(run, attempt)).collect();
    Hop { address: hop.address, attempts }
}

fn request(run: &OpenRun<'_>, attempt: &Attempt) -> Request {
    Request {
        at: phrase::timestamp(run.info(), attempt.at).to_string(),
        method: attempt.method.as_str(),
        status: attempt.ending.status(),
        failure: match &attempt.ending {
            Ending::Answer(_) => None,
            failure @ Ending::Failure(_) => Some(phrase::ending(failure)),
        },
        ms: u64::try_from(attempt.took.as_millis()).unwrap_or(u64::MAX),
        strained: attempt.strained,
    }
}
