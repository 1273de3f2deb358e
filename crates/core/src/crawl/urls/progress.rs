//! The progress of a crawl, counted where phases change and nowhere else.

use super::entry::{Entry, Phase};
use crate::crawl::progress::Progress;
use crate::verdict::Verdict;

/// What one entry contributes to the counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Share {
    known: bool,
    done: bool,
    broken: bool,
    to_confirm: bool,
}

impl Share {
    pub(super) fn of(entry: &Entry) -> Share {
        let is_web = entry.server.is_some();
        let judged = entry.judged();
        // What was not requested, by a rule or because there is no server, is not work done.
        let checked = judged.is_some_and(|judged| judged.verdict != Verdict::Skipped);
        let unrequested = matches!(entry.phase, Phase::Unrequested(_));
        Share {
            known: is_web && !unrequested && (judged.is_none() || checked),
            done: is_web && checked,
            // A URL that is only a redirect hop, or a nonexistent test URL, is not a broken link.
            broken: entry.linked && judged.is_some_and(|it| it.verdict == Verdict::Broken),
            to_confirm: entry.linked && entry.phase == Phase::Unconfirmed,
        }
    }
}

/// Replaces the previous contribution of an entry by the current one.
pub(super) fn count(progress: &mut Progress, before: Share, now: Share) {
    let change = |count: &mut u64, before: bool, now: bool| {
        *count = *count + u64::from(now) - u64::from(before);
    };
    change(&mut progress.known, before.known, now.known);
    change(&mut progress.done, before.done, now.done);
    change(&mut progress.broken, before.broken, now.broken);
    change(&mut progress.to_confirm, before.to_confirm, now.to_confirm);
}
