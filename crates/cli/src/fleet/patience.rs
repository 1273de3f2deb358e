//! Waiting: for the database, for a signal.

use std::collections::BTreeSet;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use rummage_engine::Stop;
use rummage_fleet::{FleetError, gap};
use tokio::sync::watch;
use tracing::{debug, error, info, warn};

/// Does something with the database until it succeeds, with growing gaps in between; `None` if
/// the worker is stopped meanwhile, or if it fails in a way that time does not heal.
pub(super) async fn patiently<T, F>(
    what: &str,
    stop: &mut Stop,
    mut work: impl FnMut() -> F,
) -> Option<T>
where
    F: Future<Output = Result<T, FleetError>>,
{
    let (mut failures, news) = (0, News::default());
    loop {
        let done = tokio::select! {
            biased;
            done = work() => done,
            // What it was about to do is undone when its connection is given up.
            () = rummage_engine::stopped(stop) => return None,
        };
        match done {
            Ok(result) => {
                if failures > 0 {
                    info!("the database is available again");
                }
                return Some(result);
            }
            Err(reason) if reason.may_pass() => {
                failures += 1;
                let wait = gap(failures);
                let seconds = wait.as_secs();
                if news.is_new(&reason) {
                    warn!(reason = %reason, seconds, "{what}; waiting");
                } else {
                    debug!(reason = %reason, seconds, "{what}; waiting");
                }
                if nap(wait, stop).await {
                    return None;
                }
            }
            Err(reason) => {
                error!(reason = sentence(&reason), "{what}");
                return None;
            }
        }
    }
}

/// What a log has said of one wait: each reason is news once, since what has to be done may
/// change with it.
#[derive(Clone, Debug, Default)]
pub(super) struct News(Arc<Mutex<BTreeSet<String>>>);

impl News {
    /// No wait has more reasons, unless they differ in something that does not matter.
    const MOST: usize = 16;

    /// Whether this reason was not reported yet. It counts as reported from now on.
    pub(super) fn is_new(&self, reason: &FleetError) -> bool {
        let mut reported = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        reported.len() < Self::MOST && reported.insert(reason.to_string())
    }
}

/// Waits; returns true as soon as the worker is stopped.
pub(super) async fn nap(time: Duration, stop: &mut Stop) -> bool {
    tokio::select! {
        () = tokio::time::sleep(time) => false,
        () = rummage_engine::stopped(stop) => true,
    }
}

/// True as soon as one of two signals is.
pub(super) fn either(one: Stop, other: Stop) -> Stop {
    let (sender, stop) = watch::channel(false);
    tokio::spawn(async move {
        let (mut one, mut other) = (one, other);
        tokio::select! {
            () = rummage_engine::stopped(&mut one) => {}
            () = rummage_engine::stopped(&mut other) => {}
            () = sender.closed() => return,
        }
        let _ = sender.send(true);
    });
    stop
}

/// What is wrong in one line, for a log.
pub(super) fn sentence(error: &FleetError) -> String {
    match error.hint() {
        "" => error.to_string(),
        hint => format!("{error}. {hint}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_reason_of_a_wait_is_reported_once() {
        let unavailable = |reason: &str| FleetError::Unavailable(reason.to_owned());
        let news = News::default();
        let is_new = ["read-only", "read-only", "too many connections", "read-only"]
            .map(|reason| news.is_new(&unavailable(reason)));
        assert_eq!(is_new, [true, false, true, false]);
        let of_many = (0..100).filter(|n| news.is_new(&unavailable(&n.to_string()))).count();
        assert_eq!(of_many, News::MOST - 2);
    }
}
