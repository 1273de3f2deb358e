//! Messages about credentials that were not sent.

use rummage_core::crawl::StartProblem;
use rummage_core::url::credentials::origin_of;
use rummage_engine::Fetcher;
use url::Url;

use crate::values::one_of;

/// Origins of the site that the user did not name, if any were requested.
pub(super) fn warning(fetcher: &Fetcher) -> Option<String> {
    let without = fetcher.without_credentials();
    let first = without.first()?;
    let all = one_of(&without.iter().map(String::as_str).collect::<Vec<_>>());
    Some(format!(
        "warning: no credentials were sent to {all}, which you did not name; to send them: \
         --credentials-for {first}"
    ))
}

/// What to do when the start URL gives no page, if it is because of credentials. `http` is the
/// URL that is not tried after https.
pub(super) fn hint(
    problem: &StartProblem,
    fetcher: &Fetcher,
    http: Option<&Url>,
) -> Option<String> {
    let url = Url::parse(problem.url()).ok()?;
    if fetcher.withholds_credentials_from(&url) {
        let origin = origin_of(&url);
        return Some(format!(
            "Your credentials were not sent to {origin}, which you did not name; to send them: \
             --credentials-for {origin}"
        ));
    }
    if problem.is_no_such_name() && fetcher.has_wildcard_for(&url) {
        let host = url.host_str().unwrap_or_default();
        return Some(format!(
            "Check the spelling of the host name. A --connect rule with * is for hosts that a DNS \
             server knows; for this one, give its full name: --connect {host}=IP:PORT"
        ));
    }
    let http = http?;
    Some(format!(
        "With credentials, only https is tried. If they may go over the network unencrypted: {http}"
    ))
}
