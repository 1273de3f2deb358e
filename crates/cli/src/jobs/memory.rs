//! What a crawl need not check: working external URLs that are not due yet.

use jiff::{SignedDuration, Timestamp};
use rummage_core::RULES_VERSION;
use rummage_core::schedule::policy::{Checked, RecheckPolicy, due_at};
use rummage_core::url::scope::Scope;
use rummage_store::{Check, Memory, Reader, RunInfo, StoredUrl};

use super::context::JobSettings;
use crate::args::CheckOptions;
use crate::failure::Failure;

/// What earlier runs of a site know of such URLs and of its pages, and the time from which the
/// new run's moments are counted; `None` if there is nothing to reuse.
pub(super) fn of_sound(
    job: &JobSettings<'_>,
    site: &str,
    now: Timestamp,
) -> Result<Option<(Memory, Timestamp)>, Failure> {
    let reader = Reader::open(job.store)?;
    let policy = job.own.own.due.policy();
    let mut known: Vec<(StoredUrl, i64)> = Vec::new();
    let mut oldest = now.as_second();
    reader.for_each_check(site, |check, url| {
        let may = check.checked.scope == Scope::External && (check.is_sound || !check.linked);
        if may && is_left_alone(url, check, &policy, now) {
            known.push((check.url, check.run));
            oldest = oldest.min(check.checked.checked_at);
        }
    })?;
    let read_alike = last_alike(&reader, site, &job.options)?;
    if known.is_empty() && read_alike.is_none() {
        return Ok(None);
    }
    // Retries precede the last request by some time.
    let epoch_at = Timestamp::from_second(oldest).unwrap_or(now);
    let epoch_at = epoch_at.checked_sub(SignedDuration::from_hours(24)).unwrap_or(epoch_at);
    let memory = Memory::of(reader, &known, epoch_at)?;
    let memory = match read_alike {
        Some(run) => memory.with_pages(run)?,
        None => memory,
    };
    Ok(Some((memory, epoch_at)))
}

/// The last run of a site, if it sent the same headers and parsed pages as this version does:
/// what it read is what would be read now, if nothing has changed.
fn last_alike(reader: &Reader, site: &str, options: &CheckOptions) -> Result<Option<i64>, Failure> {
    let Some(run) = reader.last_finished_of(site)? else { return Ok(None) };
    Ok(reads_alike(&run, options).then_some(run.number))
}

/// Whether a run of the same version sent the same headers and read as much of a page.
pub(super) fn reads_alike(run: &RunInfo, options: &CheckOptions) -> bool {
    const KEYS: [&str; 4] = ["user-agent", "user", "max-size", "max-links"];
    let now = serde_json::to_value(options.without_secrets()).unwrap_or_default();
    let then: serde_json::Value = serde_json::from_str(&run.options).unwrap_or_default();
    run.rules == RULES_VERSION
        && !run.own_fields
        && options.header.is_empty()
        && KEYS.iter().all(|key| now[key] == then[key])
}

fn is_left_alone(url: &str, check: &Check, policy: &RecheckPolicy, now: Timestamp) -> bool {
    // Nonexistent test URLs are as reliable as the responses they are compared with.
    let known = if check.linked {
        check.checked
    } else {
        Checked { last: rummage_core::schedule::policy::LastOutcome::Sound, ..check.checked }
    };
    let now = now.as_second();
    due_at(url, &known, policy, now).is_some_and(|(at, _)| at > now)
}
