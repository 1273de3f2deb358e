//! What a crawl need not ask: sound addresses of others that are not due yet.

use std::path::Path;

use jiff::{SignedDuration, Timestamp};
use rummage_core::due::{Checked, Rhythm, due};
use rummage_core::scope::Scope;
use rummage_store::{Address, Check, Memory, Reader};

use crate::config::Section;
use crate::failure::Failure;

/// What earlier runs of a site have seen of such addresses, and from when the moments of
/// the new run are to be counted; `None` where there are none.
pub(super) fn of_sound(
    store: &Path,
    site: &str,
    settled: &Section,
    now: Timestamp,
) -> Result<Option<(Memory, Timestamp)>, Failure> {
    let reader = Reader::open(store)?;
    let rhythm = settled.own.due.rhythm();
    let checks: Vec<Check> = reader
        .checks(site)?
        .into_iter()
        .filter(|check| check.checked.scope == Scope::External && (check.is_sound || !check.linked))
        .collect();
    let mut known: Vec<(Address, i64)> = Vec::new();
    let mut oldest = now.as_second();
    let mut each = checks.iter();
    reader.for_each_url(checks.iter().map(|check| check.address), |address, url| {
        let Some(check) = each.find(|check| check.address == address) else { return };
        if is_left_alone(url, check, &rhythm, now) {
            known.push((address, check.run));
            oldest = oldest.min(check.checked.last);
        }
    })?;
    if known.is_empty() {
        return Ok(None);
    }
    // Requests before the last one are some time older.
    let epoch_at = Timestamp::from_second(oldest).unwrap_or(now);
    let epoch_at = epoch_at.checked_sub(SignedDuration::from_hours(24)).unwrap_or(epoch_at);
    Ok(Some((Memory::of(reader, &known, epoch_at)?, epoch_at)))
}

fn is_left_alone(url: &str, check: &Check, rhythm: &Rhythm, now: Timestamp) -> bool {
    // What was made up to know a server by is as good as the answers that it is held against.
    let known = if check.linked {
        check.checked
    } else {
        Checked { word: rummage_core::due::Word::Sound, ..check.checked }
    };
    due(url, &known, rhythm).is_some_and(|(at, _)| at > now.as_second())
}
