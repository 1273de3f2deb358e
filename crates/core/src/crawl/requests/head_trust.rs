//! Whether a server's responses to HEAD can be trusted (RFC 9110 §9.3.2: they should be those to
//! GET).
//!
//! A HEAD with any result but a direct success is repeated with GET. A success is trusted once
//! GET has confirmed the first few of its server. A HEAD that reports an HTML page where another
//! type is expected is never trusted.

use std::collections::HashMap;

use crate::crawl::messages::{ServerId, UrlId};
use crate::evidence::{AttemptOutcome, ResponseHead};

/// How many times GET has to agree.
const PROOFS: u32 = 8;

/// What is known about HEAD for all servers.
#[derive(Debug, Default)]
pub(in crate::crawl) struct HeadTrust(HashMap<ServerId, Record>);

/// What is known about HEAD for one server.
#[derive(Debug, Default)]
struct Record {
    /// The URLs that GET is to confirm.
    doubted: Vec<UrlId>,
    proofs: u32,
    lies: bool,
}

impl HeadTrust {
    /// Whether a server's HEAD is worth trying at all.
    pub(super) fn trusts_head(&self, server: ServerId) -> bool {
        self.0.get(&server).is_none_or(|record| !record.lies)
    }

    /// A success by HEAD, just now. Whether it is final; otherwise GET is to confirm it.
    pub(in crate::crawl) fn handle_success(&mut self, server: ServerId, id: UrlId) -> bool {
        let record = self.0.entry(server).or_default();
        // GETs that are under way do not count against it: on a busy server, some always are.
        let is_trusted = record.proofs >= PROOFS && !record.lies;
        if !is_trusted {
            record.doubted.push(id);
        }
        is_trusted
    }

    /// A GET has ended. If it contradicts a successful HEAD, no further HEAD of the server counts.
    pub(in crate::crawl) fn handle_get(
        &mut self,
        server: ServerId,
        id: UrlId,
        outcome: &AttemptOutcome,
    ) {
        let Some(record) = self.0.get_mut(&server) else { return };
        let Some(at) = record.doubted.iter().position(|doubted| *doubted == id) else { return };
        record.doubted.swap_remove(at);
        if matches!(outcome, AttemptOutcome::Response(head) if head.is_success()) {
            record.proofs += 1;
        } else {
            record.lies = true;
        }
    }
}

/// Whether a response to HEAD may be final. `wanted`: a link expects another type than a page.
pub(in crate::crawl) fn may_be_final(outcome: &AttemptOutcome, wanted: bool) -> bool {
    let AttemptOutcome::Response(head) = outcome else { return false };
    head.is_success() && !(wanted && is_suspicious(head))
}

/// An HTML page where another type is expected, or a response without any content.
fn is_suspicious(head: &ResponseHead) -> bool {
    head.is_html() || head.media_type.is_none()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn says(status: u16) -> AttemptOutcome {
        let media_type = Some("image/png".to_owned());
        AttemptOutcome::Response(ResponseHead { status, media_type, ..ResponseHead::default() })
    }

    #[test]
    fn head_is_trusted_once_get_has_confirmed_eight_successes() {
        let (server, url) = (ServerId::from_index(0), UrlId::from_index);
        let mut trust = HeadTrust::default();
        for number in 0..8 {
            assert!(!trust.handle_success(server, url(number)));
            trust.handle_get(server, url(number), &says(200));
        }
        assert!(trust.handle_success(server, url(8)), "its HEAD is trusted");

        let mut trust = HeadTrust::default();
        for number in 0..9 {
            assert!(!trust.handle_success(server, url(number)), "GET has confirmed none yet");
        }
        (0..8).for_each(|number| trust.handle_get(server, url(number), &says(200)));
        assert!(trust.handle_success(server, url(9)), "one GET is under way");
        trust.handle_get(server, url(8), &says(404));
        assert!(!trust.handle_success(server, url(10)), "it has lied after all");

        let mut trust = HeadTrust::default();
        assert!(!trust.handle_success(server, url(0)));
        assert!(trust.trusts_head(server), "one success is no lie");
        trust.handle_get(server, url(1), &says(404));
        assert!(trust.trusts_head(server), "GET of a URL without a successful HEAD proves nothing");
        trust.handle_get(server, url(0), &says(404));
        assert!(!trust.trusts_head(server));
        assert!(trust.trusts_head(ServerId::from_index(1)), "other servers are not affected");
    }

    #[test]
    fn only_a_success_of_the_type_that_a_link_expects_may_be_final() {
        assert!(!may_be_final(&says(404), false), "not a success");
        let typed = |media_type: Option<&str>| {
            let media_type = media_type.map(str::to_owned);
            let head = ResponseHead { status: 200, media_type, ..ResponseHead::default() };
            AttemptOutcome::Response(head)
        };
        assert!(may_be_final(&says(200), true), "an image, as expected");
        for media_type in [Some("text/html"), None] {
            assert!(!may_be_final(&typed(media_type), true), "{media_type:?}");
            assert!(may_be_final(&typed(media_type), false), "a page is expected");
        }
    }
}
