//! Certificates of the site's own hosts that end soon.

use std::collections::HashSet;

use crate::Moment;
use crate::crawl::board::Board;
use crate::crawl::messages::{Note, ServerId, UrlId};
use crate::evidence::AttemptOutcome;

/// The servers whose certificate is known to be valid for long, or was noted.
#[derive(Debug, Default)]
pub(super) struct Certificates(HashSet<ServerId>);

impl Certificates {
    /// A server responded: notes, once, that its certificate ends soon.
    pub(super) fn handle_outcome(
        &mut self,
        board: &mut Board,
        now: Moment,
        (server, id): (ServerId, UrlId),
        outcome: &AttemptOutcome,
    ) {
        let AttemptOutcome::Response(answer) = outcome else { return };
        let Some(left) = answer.certificate_left else { return };
        if !board.requests.is_own(server) || !self.0.insert(server) {
            return;
        }
        if left < board.settings.certificate_ends {
            board.note(id, Note::CertificateEnds { at: now + left });
        }
    }
}
