//! What a crawl need not ask: sound addresses of others that are not due yet.

use jiff::{SignedDuration, Timestamp};
use rummage_core::RULES_VERSION;
use rummage_core::schedule::policy::{Checked, Rhythm, due_at};
use rummage_core::url::scope::Scope;
use rummage_store::{Address, Check, Memory, Reader, RunInfo};

use super::means::Settled;
use crate::args::Asking;
use crate::failure::Failure;

/// What earlier runs of a site have seen of such addresses and of its pages, and from when the moments of
/// the new run are to be counted; `None` where there are none.
pub(super) fn of_sound(
    settled: &Settled<'_>,
    site: &str,
    now: Timestamp,
) -> Result<Option<(Memory, Timestamp)>, Failure> {
    let reader = Reader::open(settled.store)?;
    let rhythm = settled.own.own.due.rhythm();
    let mut known: Vec<(Address, i64)> = Vec::new();
    let mut oldest = now.as_second();
    reader.for_each_check(site, |check, url| {
        let may = check.checked.scope == Scope::External && (check.is_sound || !check.linked);
        if may && is_left_alone(url, check, &rhythm, now) {
            known.push((check.address, check.run));
            oldest = oldest.min(check.checked.last);
        }
    })?;
    let read_alike = last_alike(&reader, site, &settled.asking)?;
    if known.is_empty() && read_alike.is_none() {
        return Ok(None);
    }
    // Requests before the last one are some time older.
    let epoch_at = Timestamp::from_second(oldest).unwrap_or(now);
    let epoch_at = epoch_at.checked_sub(SignedDuration::from_hours(24)).unwrap_or(epoch_at);
    let memory = Memory::of(reader, &known, epoch_at)?;
    let memory = match read_alike {
        Some(run) => memory.with_pages(run)?,
        None => memory,
    };
    Ok(Some((memory, epoch_at)))
}

/// The last run of a site, where it asked with the same fields and read pages as we do:
/// what it read is what would be read now, if nothing has changed.
fn last_alike(reader: &Reader, site: &str, asking: &Asking) -> Result<Option<i64>, Failure> {
    let Some(run) = reader.last_finished_of(site)? else { return Ok(None) };
    Ok(reads_alike(&run, asking).then_some(run.number))
}

/// Whether a run of the same tool asked with the same fields, and read as much of a page.
pub(super) fn reads_alike(run: &RunInfo, asking: &Asking) -> bool {
    const KEYS: [&str; 3] = ["user-agent", "user", "max-size"];
    let now = serde_json::to_value(asking.without_secrets()).unwrap_or_default();
    let then: serde_json::Value = serde_json::from_str(&run.options).unwrap_or_default();
    run.rules == RULES_VERSION
        && !run.own_fields
        && asking.header.is_empty()
        && KEYS.iter().all(|key| now[key] == then[key])
}

fn is_left_alone(url: &str, check: &Check, rhythm: &Rhythm, now: Timestamp) -> bool {
    // What was made up to know a server by is as good as the answers that it is held against.
    let known = if check.linked {
        check.checked
    } else {
        Checked { word: rummage_core::schedule::policy::Word::Sound, ..check.checked }
    };
    let now = now.as_second();
    due_at(url, &known, rhythm, now).is_some_and(|(at, _)| at > now)
}
