//! A worker of a fleet: takes sites that are due, checks them, saves the results.
//!
//! [`lane`] checks one site after another; a worker has several. [`keeper`] renews the lease
//! meanwhile, and stops the pass if that fails for too long. [`place`] is where the store of a
//! site is worked on, [`results`] is what a pass leaves in the database, [`shared`] makes requests
//! for external URLs once for all sites, [`mailroom`] delivers digests. While the database is not
//! available, [`patience`] waits.

pub(crate) mod address;
mod keeper;
mod lane;
mod mailroom;
mod patience;
mod place;
mod results;
mod shared;
pub(crate) mod site_files;
mod workplace;

use std::collections::VecDeque;
use std::panic::AssertUnwindSafe;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use rummage_engine::Stop;
use rummage_fleet::{Address, Database};
use tokio::sync::{mpsc, watch};
use tracing::{error, info, warn};

use crate::failure::{Exit, Failure};
use crate::session::Session;
use crate::signals::stop_on_signal;
use lane::Lane;
use patience::{either, patiently};
use shared::Checks;
pub(crate) use workplace::WorkSettings;
use workplace::Workplace;

/// How often a worker reports that it is there.
const BEAT: Duration = Duration::from_secs(5);
const BEATS_A_MINUTE: usize = 12;
/// How often digests are looked for, and old checks are forgotten.
const ERRANDS: Duration = Duration::from_secs(20);

/// How long a worker that ends waits for the database.
const FAREWELL: Duration = Duration::from_secs(2);
/// How long a worker that ends waits for a digest that is being delivered.
const GRACE: Duration = Duration::from_secs(2);

/// Runs a worker until a signal stops it, or nothing is due any more.
pub(crate) async fn work(
    address: Address,
    settings: WorkSettings,
    session: &Session,
) -> Result<Exit, Failure> {
    let database = || Database::at(address.clone());
    let leases = database()?;
    let fleet = leases.check().await?;
    std::fs::create_dir_all(&settings.folder).map_err(|reason| Failure::System {
        what: "cannot create the folder for stores",
        reason,
    })?;
    let _lock = place::lock(&settings.folder)?;
    let worker = leases.register(&settings.name, env!("CARGO_PKG_VERSION")).await?;
    let stop = stop_on_signal();
    info!(worker = %worker.name, database = %address, sites = settings.sites, "worker started");
    let checks = Checks::new(database()?.relaxed(), worker.clone(), settings.external_interval);
    let workplace = Arc::new(Workplace {
        results: database()?,
        checks: Arc::new(checks),
        session: session.clone(),
        incomplete: AtomicBool::new(false),
        settings,
        worker,
        fleet,
        leases,
    });
    let (end, ending) = watch::channel(false);
    let beat = tokio::spawn(beat(workplace.clone(), ending.clone()));
    let errands = tokio::spawn(errands(workplace.clone(), ending));
    let is_well = run_lanes(&workplace, &stop).await?;
    // A digest that is being delivered is not cut off, if that does not take long.
    let _ = end.send(true);
    let _ = beat.await;
    let abort = errands.abort_handle();
    if tokio::time::timeout(GRACE, errands).await.is_err() {
        abort.abort();
    }
    if workplace.settings.once && !*stop.borrow() {
        mailroom::deliver(&workplace, &stop).await;
    }
    // What could not be handed back is taken by others when its lease has run out.
    let signed_off = async {
        workplace.leases.report(&workplace.worker, workplace.checks.requests(), 0).await?;
        workplace.leases.sign_off(&workplace.worker).await
    };
    match tokio::time::timeout(FAREWELL, signed_off).await {
        Ok(Ok(())) => {}
        Ok(Err(error)) => warn!(reason = %error, "could not sign off"),
        Err(_) => warn!("could not sign off: the database does not respond"),
    }
    info!(worker = %workplace.worker.name, "worker stopped");
    if !is_well {
        return Err(Failure::Internal("a thread of the worker has failed"));
    }
    let incomplete = workplace.incomplete.load(Ordering::Relaxed) || *stop.borrow();
    Ok(if workplace.settings.once && incomplete { Exit::Unfinished } else { Exit::Fine })
}

/// Runs the lanes of a worker to their end. Returns false if one has panicked, which stops the
/// others: a worker with fewer lanes than it should have would go unnoticed.
async fn run_lanes(workplace: &Arc<Workplace>, stop: &Stop) -> Result<bool, Failure> {
    let (halt, halted) = watch::channel(false);
    let stop = either(stop.clone(), halted);
    let (ended, mut ends) = mpsc::unbounded_channel();
    for number in 0..workplace.settings.sites {
        let lane = Lane::new(workplace.clone(), stop.clone());
        let runtime = tokio::runtime::Handle::current();
        let ended = ended.clone();
        // A lane reads and writes a store: it has a thread of its own.
        let thread = std::thread::Builder::new().name(format!("lane {number}")).spawn(move || {
            let run = AssertUnwindSafe(|| runtime.block_on(lane.run()));
            let _ = ended.send(std::panic::catch_unwind(run).is_ok());
        });
        thread.map_err(|reason| Failure::System { what: "cannot start threads", reason })?;
    }
    drop(ended);
    let mut is_well = true;
    while let Some(ended_well) = ends.recv().await {
        if !ended_well {
            is_well = false;
            error!("a thread has failed; the worker stops");
            let _ = halt.send(true);
        }
    }
    Ok(is_well)
}

/// Reports that the worker is there, until it is stopped.
async fn beat(workplace: Arc<Workplace>, mut stop: Stop) {
    // What it had made, a minute ago and since.
    let mut made = VecDeque::new();
    loop {
        let requests = workplace.checks.requests();
        made.push_back(requests);
        if made.len() > BEATS_A_MINUTE + 1 {
            made.pop_front();
        }
        let lately = requests - made.front().copied().unwrap_or(requests);
        let report = || workplace.leases.report(&workplace.worker, requests, lately);
        if patiently("cannot report to the database", &mut stop.clone(), report).await.is_none() {
            return;
        }
        if patience::nap(BEAT, &mut stop).await {
            return;
        }
    }
}

/// Delivers digests and forgets what is old, until the worker is stopped.
async fn errands(workplace: Arc<Workplace>, mut stop: Stop) {
    loop {
        mailroom::deliver(&workplace, &stop).await;
        if let Err(error) = workplace.results.prune_checks().await
            && !error.may_pass()
        {
            warn!(reason = %error, "could not forget old checks");
        }
        if patience::nap(ERRANDS, &mut stop).await {
            return;
        }
    }
}
