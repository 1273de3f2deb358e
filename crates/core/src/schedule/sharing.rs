//! How long what one pass has observed of an external URL serves the passes of other sites.

use crate::Seconds;
use crate::evidence::{AttemptOutcome, DnsFailure, Failure, ResponseHead};
use crate::schedule::policy::RecheckPolicy;

/// How long the outcome of a request may be reused by others: as long as the URL would be left
/// alone if it had been checked once. Nobody waits longer than that for news because another site
/// links there as well.
#[must_use]
pub fn reuse_for(outcome: &AttemptOutcome, policy: &RecheckPolicy) -> Seconds {
    let [first, second, ..] = policy.passing;
    match outcome {
        AttemptOutcome::Response(ResponseHead { status: 200..=399, .. }) => policy.new,
        // What says "later" may be over soon (RFC 9110 §15.5.9, §15.6; RFC 6585 §4).
        AttemptOutcome::Response(ResponseHead { status: 408 | 425 | 429 | 500.., .. })
        | AttemptOutcome::Failure(_) => first,
        AttemptOutcome::Response(_) => second,
    }
}

/// Whether an outcome is evidence for other workers too. A failure may be that of the worker's
/// own machine or network: it counts only if it concerns the server, and if some server has
/// responded to this worker lately.
#[must_use]
pub fn is_for_others(outcome: &AttemptOutcome, since_last_response: Option<Seconds>) -> bool {
    /// How long a response shows that the network works.
    const LATELY: Seconds = 30;
    match outcome {
        // The values of cookies are not kept, and a redirect may depend on them.
        AttemptOutcome::Response(response) => {
            !response.is_redirect() || response.cookies.is_empty()
        }
        AttemptOutcome::Failure(failure) => {
            is_of_server(failure) && since_last_response.is_some_and(|ago| ago <= LATELY)
        }
    }
}

fn is_of_server(failure: &Failure) -> bool {
    match failure {
        Failure::Dns(DnsFailure::NoSuchName | DnsFailure::NoAddress)
        | Failure::Timeout(_)
        | Failure::Refused
        | Failure::Reset
        | Failure::Tls(_)
        | Failure::BadResponse(_) => true,
        Failure::Dns(DnsFailure::ServerFailure(_) | DnsFailure::Silence)
        | Failure::Unreachable
        | Failure::NoIpv6
        | Failure::Proxy(_)
        | Failure::Private(_)
        | Failure::PrivateName
        | Failure::OutOfFolder
        | Failure::Internal(_) => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::evidence::SetCookie;

    fn response(status: u16) -> AttemptOutcome {
        AttemptOutcome::Response(ResponseHead { status, ..ResponseHead::default() })
    }

    fn failure() -> AttemptOutcome {
        AttemptOutcome::Failure(Failure::Dns(DnsFailure::NoSuchName))
    }

    #[test]
    fn what_works_is_reused_for_a_day_and_what_may_pass_for_half_an_hour() {
        let minutes = |outcome: &AttemptOutcome| reuse_for(outcome, &RecheckPolicy::default()) / 60;
        for status in [200, 204, 301, 399] {
            assert_eq!(minutes(&response(status)), 24 * 60, "{status}");
        }
        for status in [400, 403, 404, 410, 499] {
            assert_eq!(minutes(&response(status)), 120, "{status}");
        }
        for status in [408, 425, 429, 500, 503, 599] {
            assert_eq!(minutes(&response(status)), 30, "{status}");
        }
        assert_eq!(minutes(&failure()), 30);
    }

    #[test]
    fn a_failure_is_shared_only_by_a_worker_whose_network_works() {
        assert!(is_for_others(&response(503), None));
        let with_cookie = |status| {
            let cookies = vec![SetCookie::default()];
            AttemptOutcome::Response(ResponseHead { status, cookies, ..ResponseHead::default() })
        };
        assert!(is_for_others(&with_cookie(200), None));
        assert!(!is_for_others(&with_cookie(302), None));
        assert!(is_for_others(&response(302), None));
        assert!(!is_for_others(&failure(), None));
        assert!(is_for_others(&failure(), Some(30)));
        assert!(!is_for_others(&failure(), Some(31)));
        for own in [
            Failure::Dns(DnsFailure::Silence),
            Failure::Unreachable,
            Failure::NoIpv6,
            Failure::Proxy(String::new()),
            Failure::PrivateName,
            Failure::Internal(String::new()),
        ] {
            assert!(!is_for_others(&AttemptOutcome::Failure(own.clone()), Some(0)), "{own:?}");
        }
    }
}
