//! What server errors usually mean, by status: who can fix it, and when to check again.
//!
//! Sources: RFC 9110 §15.6; RFC 5842 §7.2 (508); RFC 4918 §11.5 (507). The codes from 520 to 530
//! are in no standard; proxies in front of servers send them.

use super::Cause;

/// The first and the last status of a kind, and what to do.
const BY_STATUS: &[(u16, u16, &str)] = &[
    (
        500,
        500,
        "a program on the server failed; its owner finds the reason in the error log. Check \
                again after a change, or in a day.",
    ),
    (
        501,
        501,
        "the server does not support the request at all; its owner may have to configure it. \
                Look at the page in a browser.",
    ),
    (
        502,
        502,
        "the server in front got an invalid response from the one behind it, often because \
                that is down or restarting. The owner restarts it; check again in an hour.",
    ),
    (
        503,
        503,
        "the server is overloaded or in maintenance, and usually back by itself. Check again \
                in an hour, or after the time in Retry-After.",
    ),
    (
        504,
        504,
        "the server behind the one in front did not respond in time: it is slow, overloaded or \
                down. The owner looks at that one; check again in an hour.",
    ),
    (
        507,
        507,
        "the disk or quota of the server is full; its owner frees space. Check again in a day.",
    ),
    (
        508,
        508,
        "the server found an endless loop in its own resources, such as a rule that includes \
                itself. The owner corrects the configuration; waiting does not help.",
    ),
    (
        520,
        530,
        "a proxy in front could not use the response of the server behind it: that is down, \
                unreachable, or has a bad certificate. Its owner looks at that server; check again in \
                an hour.",
    ),
];

impl Cause {
    /// What to do about it, with what is special to a status.
    #[must_use]
    pub fn advice_for(self, status: Option<u16>) -> Option<&'static str> {
        let is_of = |(from, to, _): &&(u16, u16, &str)| {
            matches!(self, Cause::ServerError | Cause::AccessRefused)
                && status.is_some_and(|it| (*from..=*to).contains(&it))
        };
        BY_STATUS.iter().find(is_of).map(|(.., advice)| *advice).or_else(|| self.advice())
    }

    /// The statuses with advice of their own, and that.
    pub fn advice_by_status() -> impl Iterator<Item = (u16, u16, &'static str)> {
        BY_STATUS.iter().copied()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn server_errors_have_advice_by_status() {
        let of = |status| Cause::ServerError.advice_for(Some(status)).expect("there is advice");
        let known = [500, 501, 502, 503, 504, 507, 508, 520, 525, 530];
        let mut different: Vec<&str> = known.iter().map(|status| of(*status)).collect();
        different.dedup();
        assert_eq!(different.len(), 8);
        for other in [505, 519, 531, 599] {
            assert_eq!(Some(of(other)), Cause::ServerError.advice(), "{other}");
        }
        assert_eq!(Cause::NotFound.advice_for(Some(500)), Cause::NotFound.advice());
        // Codes in no standard are refusals as well.
        assert_eq!(Cause::AccessRefused.advice_for(Some(521)), Some(of(521)));
        assert_eq!(Cause::ServerError.advice_for(None), Cause::ServerError.advice());
    }

    #[test]
    fn the_advice_by_status_is_that_of_the_status() {
        assert!(Cause::advice_by_status().count() > 5);
        for (from, to, advice) in Cause::advice_by_status() {
            for status in [from, to] {
                assert_eq!(Cause::ServerError.advice_for(Some(status)), Some(advice), "{status}");
            }
        }
    }
}
