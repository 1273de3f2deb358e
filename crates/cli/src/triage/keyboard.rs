//! Reads the terminal on a thread of its own: reading a terminal that is gone may never end.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::Sender;
use std::sync::{Arc, Condvar, Mutex};
use std::time::Duration;

use crossterm::event;
use rummage_triage::Msg;

use super::keys;

/// How long to wait for keys before anything else is looked at.
const WAIT: Duration = Duration::from_millis(50);

/// How long to wait for the rest of a key.
const SOON: Duration = Duration::from_millis(1);
/// How often to wait so long for the thread to stop reading: half a key may hold it up.
const PATIENCE: u32 = 20;

/// What the thread is allowed to do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum State {
    Reads,
    /// It is to stop reading.
    Wanted,
    /// It does not read.
    Paused,
}

/// The thread that reads.
pub(super) struct Keyboard {
    state: Arc<(Mutex<State>, Condvar)>,
    is_lost: Arc<AtomicBool>,
}

impl Keyboard {
    /// Begins to read: news goes to `news`.
    pub(super) fn open(news: Sender<Msg>) -> Keyboard {
        let state = Arc::new((Mutex::new(State::Reads), Condvar::new()));
        let is_lost = Arc::new(AtomicBool::new(false));
        let (shared, lost) = (Arc::clone(&state), Arc::clone(&is_lost));
        // It is not waited for: it may hang in a terminal that is gone.
        std::thread::spawn(move || {
            if read(&shared, &news).is_err() {
                lost.store(true, Ordering::Relaxed);
            }
        });
        Keyboard { state, is_lost }
    }

    /// Whether the terminal is gone.
    pub(super) fn is_lost(&self) -> bool {
        self.is_lost.load(Ordering::Relaxed)
    }

    /// Leaves the keys to something else.
    pub(super) fn lend<T>(&self, use_it: impl FnOnce() -> T) -> T {
        self.set(State::Wanted);
        let (state, changed) = &*self.state;
        let mut current = state.lock().expect("no thread panics while it holds this");
        let mut waits = 0;
        while *current != State::Paused && !self.is_lost() && waits < PATIENCE {
            waits += 1;
            let waited = changed.wait_timeout(current, WAIT);
            current = waited.expect("no thread panics while it holds this").0;
        }
        drop(current);
        let result = use_it();
        self.set(State::Reads);
        result
    }

    fn set(&self, to: State) {
        let (state, changed) = &*self.state;
        *state.lock().expect("no thread panics while it holds this") = to;
        changed.notify_all();
    }
}

/// Reads until the terminal is gone or nothing is wanted from it any more.
fn read(shared: &(Mutex<State>, Condvar), news: &Sender<Msg>) -> std::io::Result<()> {
    let (state, changed) = shared;
    loop {
        let mut current = state.lock().expect("no thread panics while it holds this");
        while *current != State::Reads {
            *current = State::Paused;
            changed.notify_all();
            current = changed.wait(current).expect("no thread panics while it holds this");
        }
        drop(current);
        if !has_key()? {
            continue;
        }
        // One key may be many bytes, and many keys may come at once. (Without any time to wait,
        // the library would not read.)
        while event::poll(SOON)? {
            let Some(msg) = keys::news(event::read()?) else { continue };
            if news.send(msg).is_err() {
                return Ok(());
            }
        }
    }
}

/// Waits a while for a key; an error if the other end of the terminal is gone. (The library that
/// reads keys would never stop reading then, so that it does not wait itself.)
#[cfg(unix)]
fn has_key() -> std::io::Result<bool> {
    use rustix::event::{PollFd, PollFlags, Timespec, poll};
    let stdin = std::io::stdin();
    let mut fds = [PollFd::new(&stdin, PollFlags::IN)];
    let wait = Timespec { tv_sec: 0, tv_nsec: WAIT.subsec_nanos().into() };
    match poll(&mut fds, Some(&wait)) {
        // A signal.
        Err(error) if error == rustix::io::Errno::INTR => return Ok(false),
        other => other?,
    };
    let gone = PollFlags::HUP | PollFlags::ERR | PollFlags::NVAL;
    match fds[0].revents() {
        what if what.intersects(gone) => Err(std::io::Error::other("the terminal is gone")),
        what => Ok(what.contains(PollFlags::IN)),
    }
}

#[cfg(not(unix))]
fn has_key() -> std::io::Result<bool> {
    event::poll(WAIT)
}
