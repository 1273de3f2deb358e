//! Restores pages as they were when they were parsed, on a thread of its own.
//!
//! If a server responds that a page has not changed, its contents come from the store. That takes
//! about as long as parsing it, so it is not done on the thread of the machine.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::mpsc::{Receiver, Sender, channel};

use rummage_core::crawl::Reply;
use rummage_core::evidence::{AttemptOutcome, ResponseHead};
use rummage_store::{Memory, StoreError};
use tokio::sync::mpsc::UnboundedSender;

use crate::{EngineError, panics};

/// Opens the stored pages, on the thread that reads them.
pub type CacheLookup = Box<dyn FnOnce() -> Result<Memory, StoreError> + Send>;

/// A reply, with the contents of its page if they are stored.
pub(crate) type CacheHit = Result<Reply, EngineError>;

/// The handle of the thread. The thread ends when this is dropped.
pub(crate) struct CacheReader {
    uses: Sender<(String, Reply)>,
}

impl CacheReader {
    /// Starts the thread. Each look-up is answered over `back`, in order; if the thread fails,
    /// its last message is the error.
    pub(crate) fn start(open: CacheLookup, back: UnboundedSender<CacheHit>) -> CacheReader {
        let (uses, inbox) = channel();
        std::thread::spawn(move || {
            let work = AssertUnwindSafe(|| answer(open, &inbox, &back));
            let failed = match catch_unwind(work) {
                Ok(Ok(())) => return,
                Ok(Err(problem)) => problem.into(),
                Err(payload) => {
                    let message = panics::text(&*payload);
                    EngineError::Internal { thread: "page cache", message }
                }
            };
            // There is no receiver any more when the run was stopped.
            let _ = back.send(Err(failed));
        });
        CacheReader { uses }
    }

    /// The page at this URL has not changed: looks up its contents. Returns the reply if they are
    /// not stored.
    pub(crate) fn remember(&self, url: String, reply: Reply) -> Option<Reply> {
        self.uses.send((url, reply)).err().map(|unsent| unsent.0.1)
    }
}

fn answer(
    open: CacheLookup,
    inbox: &Receiver<(String, Reply)>,
    back: &UnboundedSender<CacheHit>,
) -> Result<(), StoreError> {
    let memory = open()?;
    while let Ok((url, mut reply)) = inbox.recv() {
        if let Some((answer, reading)) = memory.page(&url)? {
            reply.response.attempt.outcome =
                AttemptOutcome::Response(ResponseHead { unchanged: true, ..answer });
            reply.response.reading = Some(reading);
        }
        if back.send(Ok(reply)).is_err() {
            break;
        }
    }
    Ok(())
}
