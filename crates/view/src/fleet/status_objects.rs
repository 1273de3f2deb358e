//! A fleet for other programs.

use std::io::Write;

use rummage_fleet::status::{FleetStatus, WorkerStatus};
use serde::Serialize;

use crate::ViewError;
use crate::safe::write_json;

#[derive(Serialize)]
struct FleetObject<'a> {
    kind: &'static str,
    at: String,
    sites: u64,
    leased: u64,
    queued: u64,
    oldest: Option<&'a str>,
    oldest_seconds: Option<u64>,
    next_at: Option<String>,
    failing: u64,
    findings: u64,
    external_checks: u64,
    undelivered: u64,
    saved_bytes: u64,
}

#[derive(Serialize)]
struct WorkerObject<'a> {
    kind: &'static str,
    worker: &'a str,
    version: &'a str,
    running: bool,
    started_at: String,
    silent_seconds: u64,
    requests: u64,
    requests_per_minute: u64,
    sites: Vec<&'a str>,
}

/// Writes the state of a fleet as JSON Lines: an object for the fleet, then one for each worker.
///
/// # Errors
/// See [`ViewError`].
pub fn fleet_status_rows(out: &mut dyn Write, status: &FleetStatus) -> Result<(), ViewError> {
    let fleet = FleetObject {
        kind: "fleet",
        at: status.now.to_string(),
        sites: status.sites,
        leased: status.leased,
        queued: status.queued,
        oldest: status.oldest.as_ref().map(|(name, _)| name.as_str()),
        oldest_seconds: status.oldest.as_ref().map(|(_, wait)| wait.as_secs()),
        next_at: status.next_at.map(|at| at.to_string()),
        failing: status.failing_count,
        findings: status.findings,
        external_checks: status.external_checks,
        undelivered: status.undelivered,
        saved_bytes: status.saved_bytes,
    };
    write_json(out, &fleet)?;
    writeln!(out)?;
    for WorkerStatus {
        name,
        version,
        started_at,
        silent,
        is_up,
        sites,
        requests,
        requests_per_minute,
        ..
    } in &status.workers
    {
        let worker = WorkerObject {
            kind: "worker",
            worker: name,
            version,
            running: *is_up,
            started_at: started_at.to_string(),
            silent_seconds: silent.as_secs(),
            requests: *requests,
            requests_per_minute: *requests_per_minute,
            sites: sites.iter().map(|(site, _)| site.as_str()).collect(),
        };
        write_json(out, &worker)?;
        writeln!(out)?;
    }
    Ok(())
}
