//! Keeps the lease of a site while it is checked.

use std::sync::Arc;
use std::time::Instant;

use rummage_fleet::{FleetError, Lease, RENEWAL, SAFE, gap};
use tokio::sync::watch;
use tracing::{debug, warn};

use super::patience::sentence;
use super::workplace::Workplace;

/// Renews a lease at its interval. Stops the pass when another worker has the site, or might have
/// it soon: no site is checked by two workers at once.
pub(super) async fn keep(
    workplace: Arc<Workplace>,
    lease: Lease,
    mut task: watch::Receiver<&'static str>,
    halt: watch::Sender<bool>,
) {
    let mut renewed = Instant::now();
    let mut failures = 0;
    loop {
        let wait = if failures == 0 { RENEWAL } else { gap(failures).min(RENEWAL) };
        let safe = SAFE.saturating_sub(renewed.elapsed());
        tokio::select! {
            () = tokio::time::sleep(wait.min(safe)) => {}
            // The status shows it at once.
            Ok(()) = task.changed(), if failures == 0 => {}
            // The pass has ended, however.
            () = halt.closed() => return,
        }
        // The lease lasts from the moment when the server renews it, which is after this one.
        let requested = Instant::now();
        let text = *task.borrow_and_update();
        let renewal = workplace.leases.renew(&lease, text);
        let left = SAFE.saturating_sub(renewed.elapsed());
        match tokio::time::timeout(left, renewal).await {
            Ok(Ok(())) => {
                renewed = requested;
                failures = 0;
            }
            Ok(Err(error @ FleetError::LeaseLost { .. })) => {
                warn!(site = %lease.site, reason = sentence(&error), "stops");
                break;
            }
            Ok(Err(error)) => {
                failures += 1;
                debug!(site = %lease.site, reason = %error, "could not renew the lease");
            }
            Err(_) => failures += 1,
        }
        if renewed.elapsed() >= SAFE {
            warn!(site = %lease.site, "stops: the lease could not be renewed");
            break;
        }
    }
    let _ = halt.send(true);
}
