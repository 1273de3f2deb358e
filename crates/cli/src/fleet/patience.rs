//! Waiting: for the database, for a signal.

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
    let mut failures = 0;
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
                // The first time is news.
                match failures {
                    1 => warn!(reason = %reason, seconds = wait.as_secs(), "{what}; waiting"),
                    _ => debug!(reason = %reason, seconds = wait.as_secs(), "{what}; waiting"),
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
