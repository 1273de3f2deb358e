//! What a pass leaves in the database, read from the store of its site.

use std::path::Path;

use rummage_core::findings::selection::{Selection, Standing, host_of};
use rummage_fleet::findings::Finding;
use rummage_fleet::outbox::NewDigest;
use rummage_fleet::snapshots::Manifest;
use rummage_fleet::{Database, Lease, Pass, RunSums};
use rummage_store::{LinkRow, Outbox, QueuedDigest, Reader, RunInfo, StoreError, prune};
use tracing::warn;
use xxhash_rust::xxh3::xxh3_64;

use crate::args::FINDINGS;
use crate::clock::WallClock;
use crate::config::Config;
use crate::failure::Failure;
use crate::{paths, sources};

/// Digests that the store of a site has queued, and the database now has.
#[derive(Default)]
pub(super) struct Posted(Vec<QueuedDigest>);

/// Deletes old runs, if there are many: a store in a fleet is looked after by its worker alone. Not
/// after every pass, because most of the store is written anew, and sent.
pub(super) fn delete_old_runs(store: &Path) -> Result<(), StoreError> {
    const MANY: usize = 40;
    const KEPT: u32 = 20;
    if Reader::open(store)?.runs()?.len() > MANY {
        prune(store, KEPT, None, false)?;
    }
    Ok(())
}

/// Copies the store, and sends what is new in it; `None` if there is no store yet.
pub(super) async fn snapshot(
    database: &Database,
    lease: &Lease,
    store: &Path,
    copy: &Path,
) -> Result<Option<Manifest>, Failure> {
    let (from, to) = (store.to_owned(), copy.to_owned());
    let copied = tokio::task::spawn_blocking(move || rummage_store::copy(&from, &to)).await;
    match copied.map_err(|_| Failure::Internal("the copy of a store has failed"))? {
        Ok(()) => {}
        Err(StoreError::Missing { .. }) => return Ok(None),
        Err(error) => return Err(error.into()),
    }
    let manifest = database.upload(&lease.site, copy).await;
    // It is made anew each time.
    let _ = std::fs::remove_file(copy);
    Ok(Some(manifest?))
}

/// The findings, sums and digests of a site, as far as the database does not have them.
pub(super) fn gather(
    store: &Path,
    config: &Config,
    lease: &Lease,
    clock: WallClock,
) -> Result<(Pass, Posted), Failure> {
    let mut pass = Pass::default();
    let reader = paths::reader(store, config, clock)?;
    let Ok(last) = reader.last_run() else { return Ok((pass, Posted::default())) };
    pass.state = Some(last.state.as_str().to_owned());
    let finished = reader.last_finished_of(&last.site)?;
    let results_of = |run: &RunInfo| results_of(run, lease, clock);
    if let Some(run) = finished.filter(|run| lease.results_of != Some(results_of(run))) {
        let row = reader.site_row(run.clone(), 1)?;
        let (began_at, results_of) = (run.started_at, results_of(&run));
        let (findings, left_out) = findings(&reader, run, config, lease)?;
        let open = row.changes.broken_and_doubtful;
        pass.run = Some(RunSums { results_of, began_at, pages: row.pages, open, left_out });
        pass.findings = Some(findings);
    }
    drop(reader);
    let posted = match Outbox::open(store)? {
        Some(outbox) => outbox.due(clock.now())?,
        None => Vec::new(),
    };
    pass.digests = posted
        .iter()
        .map(|digest| NewDigest {
            channel: digest.channel.as_str().to_owned(),
            message_id: digest.digest.message_id.clone(),
            json: digest.json.clone(),
        })
        .collect();
    Ok((pass, Posted(posted)))
}

/// What the findings of a run depend on. Waivers end at the end of a day.
fn results_of(run: &RunInfo, lease: &Lease, clock: WallClock) -> String {
    let day = lease.waivers.as_ref().map(|_| clock.today().to_string()).unwrap_or_default();
    let waivers = lease.waivers.as_deref().unwrap_or_default();
    let texts = xxh3_64(format!("{}\0{waivers}", lease.settings).as_bytes());
    format!("{} {texts:016x} {day}", run.started_at)
}

/// How many links of a site the database has at most: a broken link in a footer is on every page.
const MOST: usize = 100_000;

/// The findings of a run, the worst first, and how many are left out.
fn findings(
    reader: &Reader,
    run: RunInfo,
    config: &Config,
    lease: &Lease,
) -> Result<(Vec<Finding>, u64), Failure> {
    let source = sources::of(&run, &config.settings(Some(&lease.site)));
    let run = reader.open_run(run)?;
    let (mut findings, mut left_out) = (Vec::new(), 0);
    rummage_view::each_link(&run, &Selection::of(FINDINGS), source.as_ref(), |link, row| {
        if findings.len() < MOST {
            findings.push(finding(link, row));
        } else {
            left_out += 1;
        }
    })?;
    Ok((findings, left_out))
}

fn finding(link: LinkRow, row: String) -> Finding {
    let history = link.history.filter(|_| !link.waived);
    let standing = match link.waived {
        true => Some(Standing::Waived),
        false => history.map(|history| history.standing),
    };
    let place = |number: u32| Some(number).filter(|number| *number > 0);
    Finding {
        verdict: link.outcome.verdict.as_str().to_owned(),
        cause: link.outcome.cause.map(|cause| cause.as_str().to_owned()),
        status: link.outcome.status,
        host: host_of(&link.url).to_owned(),
        target: link.full_target(),
        scope: link.outcome.scope.map(|scope| scope.as_str().to_owned()),
        page: link.page,
        line: place(link.line),
        column: place(link.column),
        element: link.element,
        text: link.text,
        written: link.written,
        region: link.region.map(|region| region.as_str().to_owned()),
        standing: standing.map(|standing| standing.as_str().to_owned()),
        first_seen: link.history.map(|history| history.first_seen),
        checked_at: link.outcome.checked_at,
        row,
    }
}

impl Posted {
    /// The database has them: they are not sent from the store.
    pub(super) fn handle_posted(&self, store: &Path, clock: WallClock) {
        if self.0.is_empty() {
            return;
        }
        // If this fails, they are entered again, which changes nothing.
        let marked = Outbox::open(store).and_then(|outbox| {
            let Some(outbox) = outbox else { return Ok(()) };
            self.0.iter().try_for_each(|digest| outbox.handle_delivered(digest, clock.now()))
        });
        if let Err(error) = marked {
            warn!(reason = %error, "could not mark digests as passed on");
        }
    }
}
