//! Waiting while the database is not available.

use std::time::Duration;

use rummage_engine::Stop;
use rummage_fleet::{FleetError, gap};
use tracing::{debug, error, info, warn};

use super::sentence;

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
        match work().await {
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
