//! One job on a watched site.

use std::path::Path;
use std::time::Duration;

use jiff::Timestamp;
use rummage_engine::{Clock, Ended, Fetch, Fetcher, InternalError, Stop};
use rummage_store::RunState;
use tokio::sync::watch;
use tracing::{error, info, warn};

use super::log::Listener;
use super::site::Site;
use crate::clock::WallClock;
use crate::config::Config;
use crate::failure::Failure;
use crate::jobs::CrawlJob;
use crate::output::Terminal;
use crate::{paths, results};

/// How long to sleep at most before reading the clock again.
pub(super) const NAP: Duration = Duration::from_secs(60);

/// Runs a job until it ends, it is stopped, quiet hours begin, or the budget is spent. Its
/// requests are made by what is put around the fetcher.
pub(crate) async fn drive<F: Fetch>(
    site: &Site,
    pass: CrawlJob,
    around: impl FnOnce(Fetcher, Clock) -> F,
    stop: &Stop,
) -> Result<Ended, Failure> {
    let (sender, own_stop) = watch::channel(false);
    let mut listener = Listener::new(site.name.clone());
    let quiet = site.quiet_from();
    let mut others = stop.clone();
    let halt = async {
        tokio::select! {
            _ = others.wait_for(|stopped| *stopped) => {}
            () = sleep_until(site.clock, quiet) => info!("quiet hours begin; the rest waits"),
        }
        let _ = sender.send(true);
        std::future::pending::<()>().await;
    };
    tokio::select! {
        ended = pass.drive_by(around, own_stop, &mut listener) => ended,
        () = halt => unreachable!("it waits forever"),
    }
}

/// Logs the results of a job on a site of this name. Returns whether it is complete.
pub(crate) fn report(
    store: &Path,
    (name, config, clock): (&str, &Config, WallClock),
    ended: &Ended,
    stopped: bool,
) -> bool {
    for InternalError { url, message } in &ended.internal_errors {
        error!(site = %name, run = ended.run, url, message, "internal error");
    }
    let reader = paths::reader(store, config, clock);
    let row = reader.and_then(|reader| Ok(reader.site_row(reader.run(ended.run)?, 1)?));
    match (ended.state, row) {
        (RunState::Finished, Ok(row)) => {
            let changes = row.changes;
            info!(
                site = %name,
                run = ended.run,
                pages = row.pages,
                broke = changes.broke + changes.returned,
                healed = changes.healed,
                open = changes.broken_and_doubtful,
                "ended"
            );
        }
        (RunState::Suspicious, _) => {
            let hint = "rummage findings shows why; rummage crawl --accept believes it";
            warn!(site = %name, run = ended.run, hint, "suspicious result");
        }
        (RunState::Finished, Err(failure)) => {
            warn!(site = %name, run = ended.run, reason = failure.sentence(), "ended");
        }
        _ => {
            let reason = match (stopped, ended.spent) {
                (true, _) => "stop requested",
                (_, true) => "hourly budget spent; the rest waits",
                _ => "continues later",
            };
            info!(site = %name, run = ended.run, reason, "stopped");
        }
    }
    ended.state == RunState::Finished && ended.internal_errors.is_empty()
}

/// Writes the files named in the settings of a site, after a complete run.
pub(crate) fn write_files(
    store: &Path,
    (config, clock): (&Config, WallClock),
    site: &Site,
    ended: &Ended,
    terminal: Terminal,
) -> Result<(), Failure> {
    if !ended.state.is_complete() || ended.run == 0 {
        return Ok(());
    }
    let reader = paths::reader(store, config, clock)?;
    let run = reader.open_run(reader.run(ended.run)?)?;
    results::write_files(&reader, &run, site.settings(), terminal)
}

/// Waits until the wall clock shows this time, even if it jumps.
async fn sleep_until(clock: WallClock, at: Option<Timestamp>) {
    let Some(at) = at else { return std::future::pending().await };
    loop {
        let left = at.duration_since(clock.now());
        match Duration::try_from(left) {
            Ok(left) if !left.is_zero() => tokio::time::sleep(left.min(NAP)).await,
            _ => return,
        }
    }
}
