//! Writes events to the store on a thread of its own, in batches.
//!
//! A batch contains what followed from one reply; a transaction contains whole batches and ends
//! at least twice a second, so that a kill loses no more than that. If the store fails, the
//! thread ends, and the next [`Recorder::record`] reports it.

use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Condvar, Mutex, PoisonError};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use rummage_core::crawl::Event;
use rummage_store::{RunState, RunWriter, StoreError};

use crate::{EngineError, panics};

const COMMIT_EVERY: Duration = Duration::from_millis(400);
/// How many bytes of events may wait for the disk, about, before the crawl waits for it too.
const MOST_WAITING: usize = 16 << 20;

enum Message {
    /// Events, and their weight in bytes.
    Batch(Vec<Event>, usize),
    Finish(RunState),
}

/// The handle of the writing thread.
pub(crate) struct Recorder {
    messages: Sender<Message>,
    backlog: Arc<Backlog>,
    thread: JoinHandle<Result<(Option<i64>, RunState), StoreError>>,
}

/// What waits to be written.
#[derive(Default)]
struct Backlog {
    bytes: Mutex<usize>,
    shrunk: Condvar,
}

impl Backlog {
    /// Waits until there is room, and takes it. One batch alone is never too large.
    fn take(&self, bytes: usize) {
        let waiting = self.bytes.lock().unwrap_or_else(PoisonError::into_inner);
        let is_crowded = |waiting: &mut usize| *waiting > 0 && *waiting + bytes > MOST_WAITING;
        let room = self.shrunk.wait_while(waiting, is_crowded);
        *room.unwrap_or_else(PoisonError::into_inner) += bytes;
    }

    fn give_back(&self, bytes: usize) {
        *self.bytes.lock().unwrap_or_else(PoisonError::into_inner) -= bytes;
        self.shrunk.notify_all();
    }
}

/// Gives everything back when the writing thread ends, for whatever reason: nobody waits for it
/// any more.
struct Room(Arc<Backlog>);

impl Drop for Room {
    fn drop(&mut self) {
        *self.0.bytes.lock().unwrap_or_else(PoisonError::into_inner) = 0;
        self.0.shrunk.notify_all();
    }
}

/// The bytes of an event in memory, about.
fn weight(event: &Event) -> usize {
    std::mem::size_of::<Event>()
        + match event {
            Event::Discovered { url, .. } => url.len(),
            Event::Read { reading, targets, .. } => {
                reading.weight() + std::mem::size_of_val(targets.as_slice())
            }
            _ => 0,
        }
}

/// The store has failed; [`Recorder::finish`] returns the error.
#[derive(Debug)]
pub(crate) struct Failed;

impl Recorder {
    pub(crate) fn start(writer: RunWriter) -> Recorder {
        let (messages, inbox) = channel();
        let backlog = Arc::new(Backlog::default());
        let room = Room(Arc::clone(&backlog));
        let thread = std::thread::spawn(move || write(writer, &inbox, &room));
        Recorder { messages, backlog, thread }
    }

    pub(crate) fn record(&self, batch: Vec<Event>) -> Result<(), Failed> {
        let bytes = batch.iter().map(weight).sum();
        self.backlog.take(bytes);
        self.messages.send(Message::Batch(batch, bytes)).map_err(|_| Failed)
    }

    /// Writes what is left. Returns the run's number, if the start URL has responded, and its
    /// state: a complete run may not be believed.
    pub(crate) fn finish(self, state: RunState) -> Result<(Option<i64>, RunState), EngineError> {
        // If this cannot be sent, the thread's own result says why.
        let _ = self.messages.send(Message::Finish(state));
        match self.thread.join() {
            Ok(ended) => Ok(ended?),
            Err(payload) => {
                Err(EngineError::Internal { thread: "storing", message: panics::text(&*payload) })
            }
        }
    }
}

fn write(
    mut writer: RunWriter,
    inbox: &Receiver<Message>,
    room: &Room,
) -> Result<(Option<i64>, RunState), StoreError> {
    // The first commit comes with the start page, so that the run can be queried.
    let mut committed: Option<Instant> = None;
    loop {
        match inbox.recv_timeout(COMMIT_EVERY) {
            Ok(Message::Batch(batch, bytes)) => {
                for event in batch {
                    writer.handle_event(event)?;
                }
                room.0.give_back(bytes);
            }
            Ok(Message::Finish(state)) => {
                let state = writer.finish(state)?;
                return Ok((writer.run(), state));
            }
            Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => {
                writer.commit()?;
                return Ok((writer.run(), RunState::Stopped));
            }
        }
        if committed.is_none_or(|at| at.elapsed() >= COMMIT_EVERY) && writer.run().is_some() {
            writer.commit()?;
            committed = Some(Instant::now());
        }
    }
}
