//! Whether a server's HEAD can be believed (RFC 9110 §9.3.2: it should say what GET
//! would).
//!
//! A HEAD that says anything but a direct success is repeated by GET. One that succeeds is
//! believed once its server has proved honest: the first few are repeated by GET as well. And
//! one that says of an image that it is a page never is.

use std::collections::HashMap;

use crate::crawl::messages::{ServerId, UrlId};
use crate::evidence::{AttemptOutcome, ResponseHead};

/// GET has to agree this many times.
const PROOFS: u32 = 8;

/// What is known of the HEAD of all servers.
#[derive(Debug, Default)]
pub(in crate::crawl) struct HeadTrust(HashMap<ServerId, Record>);

/// What is known of the HEAD of one server.
#[derive(Debug, Default)]
struct Record {
    /// Those that GET was to confirm, and whose response is not in.
    doubted: Vec<UrlId>,
    proofs: u32,
    asked: u32,
    lies: bool,
    believed: Vec<UrlId>,
}

impl HeadTrust {
    /// Whether HEAD is tried first at a server at all.
    pub(super) fn trusts_head(&self, server: ServerId) -> bool {
        self.0.get(&server).is_none_or(|record| !record.lies)
    }

    /// Whether a response to HEAD is the last word. `wanted`: a link wants something else
    /// than a page there.
    pub(in crate::crawl) fn handle_head(
        &mut self,
        server: ServerId,
        id: UrlId,
        wanted: bool,
        outcome: &AttemptOutcome,
    ) -> bool {
        let AttemptOutcome::ResponseHead(answer) = outcome else { return false };
        if !answer.is_success() || (wanted && is_suspicious(answer)) {
            return false;
        }
        let record = self.0.entry(server).or_default();
        if record.asked < PROOFS || record.proofs < record.asked {
            record.asked += 1;
            record.doubted.push(id);
            return false;
        }
        record.believed.push(id);
        true
    }

    /// A GET has ended. Where it belies a HEAD that said all is well, gives the URLs that
    /// were believed by HEAD alone: nothing that the server said that way counts.
    pub(in crate::crawl) fn handle_get(
        &mut self,
        server: ServerId,
        id: UrlId,
        outcome: &AttemptOutcome,
    ) -> Vec<UrlId> {
        let Some(record) = self.0.get_mut(&server) else { return Vec::new() };
        let Some(at) = record.doubted.iter().position(|doubted| *doubted == id) else {
            return Vec::new();
        };
        record.doubted.swap_remove(at);
        if matches!(outcome, AttemptOutcome::ResponseHead(answer) if answer.is_success()) {
            record.proofs += 1;
            return Vec::new();
        }
        record.lies = true;
        std::mem::take(&mut record.believed)
    }
}

/// A page where something else is wanted, or a response without any content to speak of.
fn is_suspicious(answer: &ResponseHead) -> bool {
    answer.is_html() || answer.media_type.is_none()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn says(status: u16) -> AttemptOutcome {
        let media_type = Some("image/png".to_owned());
        AttemptOutcome::ResponseHead(ResponseHead { status, media_type, ..ResponseHead::default() })
    }

    #[test]
    fn what_was_believed_before_a_lie_is_requested_again() {
        let (server, url) = (ServerId::from_index(0), UrlId::from_index);
        let mut trust = HeadTrust::default();
        for number in 0..8 {
            assert!(!trust.handle_head(server, url(number), false, &says(200)));
            assert_eq!(trust.handle_get(server, url(number), &says(200)), []);
        }
        assert!(trust.handle_head(server, url(8), false, &says(200)), "it has proved honest");
        assert!(!trust.handle_head(server, url(9), false, &says(404)), "no success");
        let mut trust = HeadTrust::default();
        assert!(!trust.handle_head(server, url(0), false, &says(200)));
        assert_eq!(trust.handle_get(server, url(0), &says(404)), []);
        assert!(!trust.trusts_head(server));
    }
}
