//! The same file name in another folder or on another host.

use url::Url;

use super::look::{Found, Look};
use crate::mend::Reason;
use crate::mend::folded::Parts;
use crate::mend::known::Id;
use crate::verdict::Cause;

/// File names that are in more places than this say little.
const MANY: usize = 40;
/// How many are offered.
const OFFERED: usize = 3;

pub(super) fn make(look: &Look<'_>, found: &mut Found<'_>) {
    let same = look.known.with_tail(&look.parts);
    if same.is_empty() || same.len() > 20 * MANY {
        return;
    }
    let rated = same.iter().filter_map(|id| {
        let parts = Parts::of(&Url::parse(look.known.url(*id)).ok()?);
        let tail = look.parts.common_tail(&parts);
        // Folders in common that are not at the end.
        let folders = &look.parts.stems[..look.parts.stems.len() - tail];
        let shared = folders.iter().filter(|folder| parts.stems.contains(folder)).count();
        Some((tail, usize::from(parts.host == look.parts.host), shared, *id))
    });
    let mut rated: Vec<(usize, usize, usize, Id)> = rated.collect();
    rated.sort_unstable_by(|one, other| {
        (other.0, other.1, other.2).cmp(&(one.0, one.1, one.2)).then(one.3.cmp(&other.3))
    });
    let name = look.parts.stems.last().map_or(0, |name| name.chars().count());
    let is_alone = same.len() == 1;
    for (tail, same_host, shared, id) in rated.into_iter().take(OFFERED) {
        let mut score: u8 = match tail {
            1 if same.len() > MANY => 40,
            1 if is_alone && name >= 4 => 76,
            1 => 62,
            2 => 82,
            _ => 86,
        };
        score += u8::try_from((same_host + shared).min(3)).unwrap_or_default();
        if same_host == 0 {
            // Only a host that is gone can have moved as a whole.
            score -= match (is_gone(look), tail) {
                (true, 1) => 20,
                (true, _) => 0,
                (false, _) => 25,
            };
        }
        found.offer_known(id, Reason::Moved, score);
    }
}

/// Whether the host itself does not respond, so that it may have another name now.
fn is_gone(look: &Look<'_>) -> bool {
    let never_connects = matches!(
        look.fault.cause,
        Some(
            Cause::Nxdomain
                | Cause::NoAddress
                | Cause::DnsFailure
                | Cause::ConnectionRefused
                | Cause::Unreachable
                | Cause::PrivateAddress
        )
    );
    never_connects && !look.known.has_host(&look.parts.host)
}
