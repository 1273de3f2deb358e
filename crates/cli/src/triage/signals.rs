//! Signals while the view is open: to end, and to make way for the shell.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use crate::failure::Failure;
use crate::signals::{leave_signals_to_view, stop_requested};

/// What was signalled and not dealt with yet.
#[derive(Debug, Clone, Default)]
pub(super) struct Signals {
    end: Arc<AtomicBool>,
    suspend: Arc<AtomicBool>,
}

impl Signals {
    /// Watches for signals on a thread of its own.
    pub(super) fn watch() -> Result<Signals, Failure> {
        let signals = Signals::default();
        let runtime = tokio::runtime::Builder::new_current_thread()
            .enable_all()
            .build()
            .map_err(|reason| Failure::System { what: "cannot watch for signals", reason })?;
        leave_signals_to_view();
        let flags = signals.clone();
        std::thread::spawn(move || {
            runtime.block_on(async {
                tokio::select! {
                    () = stop_requested() => flags.end.store(true, Ordering::Relaxed),
                    () = suspends(&flags.suspend) => {}
                }
            });
        });
        Ok(signals)
    }

    pub(super) fn is_any(&self) -> bool {
        self.wants_end() || self.suspend.load(Ordering::Relaxed)
    }

    pub(super) fn wants_end(&self) -> bool {
        self.end.load(Ordering::Relaxed)
    }

    /// Whether to suspend; once for each signal.
    pub(super) fn takes_suspend(&self) -> bool {
        self.suspend.swap(false, Ordering::Relaxed)
    }
}

/// Waits for requests to suspend, as long as the program runs.
#[cfg(unix)]
async fn suspends(flag: &AtomicBool) {
    use tokio::signal::unix::{SignalKind, signal};
    let kind = SignalKind::from_raw(rustix::process::Signal::TSTP.as_raw());
    let Ok(mut suspend) = signal(kind) else { return std::future::pending().await };
    while suspend.recv().await.is_some() {
        flag.store(true, Ordering::Relaxed);
    }
}

#[cfg(not(unix))]
async fn suspends(_flag: &AtomicBool) {
    std::future::pending().await
}

/// Stops this job, until the shell lets it go on.
pub(super) fn stop_here() {
    #[cfg(unix)]
    {
        let _ = rustix::process::kill_current_process_group(rustix::process::Signal::STOP);
    }
}
