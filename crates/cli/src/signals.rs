//! Waits for a request to stop: Ctrl-C, SIGTERM, a closed terminal.

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

/// The first Ctrl-C (or SIGTERM) stops the crawl; the second exits at once.
pub(crate) fn stop_on_signal() -> Stop {
    let (sender, stop) = watch::channel(false);
    tokio::spawn(async move {
        stop_requested().await;
        let _ = sender.send(true);
        stop_requested().await;
        std::process::exit(Exit::Unfinished as i32);
    });
    stop
}
