//! Waits for a request to stop: Ctrl-C, SIGTERM, a closed terminal.

use std::sync::{Mutex, Once, PoisonError};

use rummage_engine::Stop;
use tokio::sync::watch;

use crate::failure::Exit;

/// Waits for the next signal.
#[cfg(unix)]
pub(crate) async fn stop_requested() {
    use tokio::signal::unix::{SignalKind, signal};
    let (end, hang_up) = (signal(SignalKind::terminate()), signal(SignalKind::hangup()));
    let (Ok(mut end), Ok(mut hang_up)) = (end, hang_up) else {
        return drop(tokio::signal::ctrl_c().await);
    };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        _ = end.recv() => {}
        _ = hang_up.recv() => {}
    }
}

/// Waits for the next signal.
#[cfg(not(unix))]
pub(crate) async fn stop_requested() {
    let _ = tokio::signal::ctrl_c().await;
}

/// What the next signal is about.
enum Concern {
    /// Work that can be stopped, while there is a receiver.
    Work(watch::Sender<bool>),
    /// The full-screen view, which watches for signals itself.
    View,
}

static CONCERN: Mutex<Option<Concern>> = Mutex::new(None);

/// The first Ctrl-C (or SIGTERM) stops the work that gets this; the second exits at once, and so
/// does the first when the work has ended, such as while its results are written.
pub(crate) fn stop_on_signal() -> Stop {
    static WATCHER: Once = Once::new();
    let (sender, stop) = watch::channel(false);
    set_concern(Concern::Work(sender));
    // On a thread of its own: it outlives the runtime that does the work.
    WATCHER.call_once(|| {
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build();
        // Without it, a signal ends the program, as it would any other.
        if let Ok(runtime) = runtime {
            std::thread::spawn(move || runtime.block_on(watch_for_signals()));
        }
    });
    stop
}

/// From now on, a view deals with signals.
pub(crate) fn leave_signals_to_view() {
    set_concern(Concern::View);
}

fn set_concern(concern: Concern) {
    *CONCERN.lock().unwrap_or_else(PoisonError::into_inner) = Some(concern);
}

async fn watch_for_signals() {
    loop {
        stop_requested().await;
        let concern = CONCERN.lock().unwrap_or_else(PoisonError::into_inner);
        let is_handled = match &*concern {
            Some(Concern::Work(sender)) => !*sender.borrow() && sender.send(true).is_ok(),
            Some(Concern::View) => true,
            None => false,
        };
        if !is_handled {
            std::process::exit(Exit::Unfinished as i32);
        }
    }
}
