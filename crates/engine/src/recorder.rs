//! Writes events to the store on a thread of its own, in batches.
//!
//! A batch contains what followed from one reply; a transaction contains whole batches and ends
//! at least twice a second, so that a kill loses no more than that. If the store fails, the
//! thread ends, and the next [`Recorder::record`] reports it.

use std::sync::mpsc::{Receiver, RecvTimeoutError, SyncSender, sync_channel};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use rummage_core::crawl::Event;
use rummage_store::{RunState, RunWriter, StoreError};

use crate::{EngineError, panics};

const COMMIT_EVERY: Duration = Duration::from_millis(400);
/// How many batches may wait for the disk before the crawl waits for it too.
const BATCHES: usize = 128;

enum Message {
    Batch(Vec<Event>),
    Finish(RunState),
}

/// The handle of the writing thread.
pub(crate) struct Recorder {
    messages: SyncSender<Message>,
    thread: JoinHandle<Result<Option<i64>, StoreError>>,
}

/// The store has failed; [`Recorder::finish`] returns the error.
#[derive(Debug)]
pub(crate) struct Failed;

impl Recorder {
    pub(crate) fn start(writer: RunWriter) -> Recorder {
        let (messages, inbox) = sync_channel(BATCHES);
        let thread = std::thread::spawn(move || write(writer, &inbox));
        Recorder { messages, thread }
    }

    pub(crate) fn record(&self, batch: Vec<Event>) -> Result<(), Failed> {
        self.messages.send(Message::Batch(batch)).map_err(|_| Failed)
    }

    /// Writes what is left and returns the run's number, if the start URL has responded.
    pub(crate) fn finish(self, state: RunState) -> Result<Option<i64>, EngineError> {
        // If this cannot be sent, the thread's own result says why.
        let _ = self.messages.send(Message::Finish(state));
        match self.thread.join() {
            Ok(run) => Ok(run?),
            Err(payload) => {
                Err(EngineError::Internal { thread: "storing", message: panics::text(&*payload) })
            }
        }
    }
}

fn write(mut writer: RunWriter, inbox: &Receiver<Message>) -> Result<Option<i64>, StoreError> {
    // The first commit comes with the start page, so that the run can be queried.
    let mut committed: Option<Instant> = None;
    loop {
        match inbox.recv_timeout(COMMIT_EVERY) {
            Ok(Message::Batch(batch)) => {
                for event in batch {
                    writer.handle_event(event)?;
                }
            }
            Ok(Message::Finish(state)) => {
                writer.finish(state)?;
                return Ok(writer.run());
            }
            Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => {
                writer.commit()?;
                return Ok(writer.run());
            }
        }
        if committed.is_none_or(|at| at.elapsed() >= COMMIT_EVERY) && writer.run().is_some() {
            writer.commit()?;
            committed = Some(Instant::now());
        }
    }
}
