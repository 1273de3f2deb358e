//! Puts pages together as they were when they were read, on a thread of its own.
//!
//! Where a server says that a page has not changed, what it was comes from the store. That
//! costs about as much as reading it, and so it is not done where the machine is told.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::mpsc::{Receiver, Sender, channel};

use rummage_core::crawl::Reply;
use rummage_core::evidence::{AttemptOutcome, ResponseHead};
use rummage_store::{Memory, StoreError};
use tokio::sync::mpsc::UnboundedSender;

use crate::{EngineError, panics};

/// Opens what is known of pages, on the thread that is to know it.
pub type CacheLookup = Box<dyn FnOnce() -> Result<Memory, StoreError> + Send>;

/// A reply, with what is known of its page where there is a page that is known.
pub(crate) type CacheHit = Result<Reply, EngineError>;

/// The way to the remembering thread. It ends when this is dropped.
pub(crate) struct CacheReader {
    uses: Sender<(String, Reply)>,
}

impl CacheReader {
    /// Starts the thread. Each wish is granted over `back`, in the order of the wishes; when
    /// the thread fails, the last thing that comes is why.
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
            // Nobody listens any more when the run was stopped.
            let _ = back.send(Err(failed));
        });
        CacheReader { uses }
    }

    /// The page at this address has not changed: what was it? Gives the reply back where
    /// nobody knows any more.
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
