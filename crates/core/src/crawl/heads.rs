//! Whether a server's HEAD can be believed (RFC 9110 §9.3.2: it should say what GET
//! would).
//!
//! A HEAD that says anything but a direct success is asked again by GET. One that
//! succeeds is believed once its server has proved honest: the first few are asked by
//! GET as well. And one that says of a picture that it is a page never is.

use super::{AddressId, Crawl};
use crate::crawl::frontier::ServerId;
use crate::evidence::{Answer, Ending};

/// So many times GET has to agree.
const PROOFS: u32 = 8;

/// What is known of the HEAD of one server.
#[derive(Debug, Default)]
pub(super) struct Heads {
    /// Those that GET was asked to confirm, and whose answer is not in.
    doubted: Vec<AddressId>,
    proofs: u32,
    asked: u32,
    lies: bool,
    believed: Vec<AddressId>,
}

impl Crawl {
    /// Whether HEAD is asked first at a server at all.
    pub(super) fn asks_head(&self, server: ServerId) -> bool {
        self.heads.get(&server).is_none_or(|heads| !heads.lies)
    }

    /// Whether an answer to HEAD is the last word.
    pub(super) fn is_believed(&mut self, server: ServerId, id: AddressId, ending: &Ending) -> bool {
        let Ending::Answer(answer) = ending else { return false };
        let wanted = self.entry(id).uses.wanted().is_some();
        if !answer.is_success() || (wanted && is_suspicious(answer)) {
            return false;
        }
        let heads = self.heads.entry(server).or_default();
        if heads.asked < PROOFS || heads.proofs < heads.asked {
            heads.asked += 1;
            heads.doubted.push(id);
            return false;
        }
        heads.believed.push(id);
        true
    }

    /// GET was asked after a HEAD that said all is well.
    pub(super) fn compare_with_head(&mut self, server: ServerId, id: AddressId, ending: &Ending) {
        let Some(heads) = self.heads.get_mut(&server) else { return };
        let Some(at) = heads.doubted.iter().position(|doubted| *doubted == id) else { return };
        heads.doubted.swap_remove(at);
        if matches!(ending, Ending::Answer(answer) if answer.is_success()) {
            heads.proofs += 1;
            return;
        }
        // It says well of what is not: nothing that it said counts.
        heads.lies = true;
        for id in std::mem::take(&mut heads.believed) {
            self.entry_mut(id).by_get = true;
            self.progress.done -= 1;
            self.queue(id, false, false);
        }
    }
}

/// A page where something else is wanted, or an answer without any content to speak of.
fn is_suspicious(answer: &Answer) -> bool {
    answer.is_html() || answer.media_type.is_none()
}
