//! The message id of a digest (RFC 5322 §3.6.4).

use crate::model::RunInfo;

/// The unique message id of the digest of a run.
pub(crate) fn message_id(run: &RunInfo) -> String {
    format!("rummage.{}.{}@{}", run.started_at.as_microsecond(), run.number, domain(&run.site))
}

/// The site as the right half of a message id: its host, without the port.
fn domain(site: &str) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() || c == '-' || c == '.' { c } else { '-' };
    let host = site.rsplit_once(':').map_or(site, |(host, _)| host);
    host.chars().map(plain).collect()
}

#[cfg(test)]
mod tests {
    use super::domain;

    #[test]
    fn the_domain_of_a_message_id_is_a_plain_host_name() {
        assert_eq!(domain("www.a.test"), "www.a.test");
        assert_eq!(domain("localhost:8000"), "localhost");
        assert_eq!(domain("[::1]:8000"), "---1-");
    }
}
