//! How long a connection rests after a response.
//!
//! HTTP/1.1 matches responses to requests by their order (RFC 9112 §9.2). A server that sends a
//! response too many would shift all later ones by one: a missing page would pass for the page
//! before it. So a connection rests after each of its first responses. Bytes that arrive meanwhile
//! belong to no request: the connection ends. From then on, all connections to that server rest
//! after each response.

use std::sync::Arc;
use std::time::Duration;

use super::trust::Trust;

/// After how many responses a connection rests, unless bytes have arrived in a rest.
pub(super) const RESTS: u32 = 8;
/// A rest is as long as the server took to respond, within these limits. With a shorter one, a fast
/// server whose second response came 10 ms later made broken links pass for sound. After a response
/// too many, it is the longest.
pub(super) const SHORTEST_REST: Duration = Duration::from_millis(20);
pub(super) const LONGEST_REST: Duration = Duration::from_millis(50);

/// The rests of one connection.
#[derive(Debug)]
pub(super) struct Rests {
    left: u32,
    trust: Arc<Trust>,
}

impl Rests {
    pub(super) fn new(trust: Arc<Trust>) -> Rests {
        Rests { left: RESTS, trust }
    }

    /// How long the connection rests after a response that took this long.
    pub(super) fn next(&mut self, took: Duration) -> Option<Duration> {
        if self.trust.is_lost() {
            return Some(LONGEST_REST);
        }
        self.left = self.left.checked_sub(1)?;
        Some(took.clamp(SHORTEST_REST, LONGEST_REST))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_connection_rests_after_its_first_responses() {
        let mut rests = Rests::new(Arc::default());
        let long = Duration::from_secs(1);
        assert_eq!(rests.next(Duration::ZERO), Some(SHORTEST_REST));
        assert_eq!(rests.next(Duration::from_millis(30)), Some(Duration::from_millis(30)));
        assert!((2..RESTS).all(|_| rests.next(long) == Some(LONGEST_REST)));
        assert_eq!(rests.next(long), None);
    }

    #[test]
    fn after_a_response_too_many_all_connections_rest_after_each_response() {
        let trust = Arc::new(Trust::default());
        let mut old = Rests::new(Arc::clone(&trust));
        assert!((0..RESTS).all(|_| old.next(Duration::ZERO).is_some()));
        assert_eq!(old.next(Duration::ZERO), None);
        trust.handle_stray_bytes();
        assert_eq!(old.next(Duration::ZERO), Some(LONGEST_REST));
        let mut new = Rests::new(trust);
        assert!((0..RESTS * 2).all(|_| new.next(Duration::ZERO) == Some(LONGEST_REST)));
    }
}
