//! Puts pages together as they were when they were read, on a thread of its own.
//!
//! Where a server says that a page has not changed, what it was comes from the store. That
//! costs about as much as reading it, and so it is not done where the machine is told.

use std::sync::mpsc::{Receiver, Sender, channel};

use rummage_core::crawl::Reply;
use rummage_core::outcome::{Answer, Ending};
use rummage_store::{Memory, StoreError};
use tokio::sync::mpsc::UnboundedSender;

/// Opens what is known of pages, on the thread that is to know it.
pub type Remember = Box<dyn FnOnce() -> Result<Memory, StoreError> + Send>;

/// A reply, with what is known of its page where there is a page that is known.
pub(crate) type Remembered = Result<Reply, StoreError>;

/// The way to the remembering thread. It ends when this is dropped.
pub(crate) struct Rememberer {
    wishes: Sender<(String, Reply)>,
}

impl Rememberer {
    /// Starts the thread. Whoever sends a wish gets it back over `back`, in the order of the
    /// wishes.
    pub(crate) fn start<T: Send + 'static>(
        open: Remember,
        back: UnboundedSender<T>,
        wrap: impl Fn(Remembered) -> T + Send + 'static,
    ) -> Rememberer {
        let (wishes, inbox) = channel();
        std::thread::spawn(move || answer(open, &inbox, |reply| back.send(wrap(reply)).is_ok()));
        Rememberer { wishes }
    }

    /// The page at this address has not changed: what was it? Gives the reply back where
    /// nobody knows any more.
    pub(crate) fn remember(&self, url: String, reply: Reply) -> Option<Reply> {
        self.wishes.send((url, reply)).err().map(|unsent| unsent.0.1)
    }
}

fn answer(
    open: Remember,
    inbox: &Receiver<(String, Reply)>,
    give_back: impl Fn(Remembered) -> bool,
) {
    let memory = match open() {
        Ok(memory) => memory,
        Err(problem) => {
            give_back(Err(problem));
            return;
        }
    };
    while let Ok((url, mut reply)) = inbox.recv() {
        let remembered = match memory.page(&url) {
            Ok(Some((answer, reading))) => {
                reply.attempt.ending = Ending::Answer(Answer { unchanged: true, ..answer });
                reply.reading = Some(reading);
                Ok(reply)
            }
            Ok(None) => Ok(reply),
            Err(problem) => Err(problem),
        };
        if !give_back(remembered) {
            return;
        }
    }
}
