//! What the tests of this crate share: plain records, and output without styles.

use std::time::Duration;

use jiff::Timestamp;
use rummage_store::{RunInfo, RunKind, RunState};

/// What a function writes, without colors and weights.
pub(crate) fn plain<E: std::fmt::Debug>(
    write: impl FnOnce(&mut dyn std::io::Write) -> Result<(), E>,
) -> String {
    let mut out = Vec::new();
    write(&mut out).expect("memory accepts all writes");
    let styled = String::from_utf8(out).expect("it is text");
    anstream::adapter::strip_str(&styled).to_string()
}

/// The third run, a finished crawl of `a.test`.
pub(crate) fn run_info() -> RunInfo {
    RunInfo {
        number: 3,
        site: "a.test".to_owned(),
        start: "http://a.test/".to_owned(),
        given_start: "a.test".to_owned(),
        version: "1.0.0".to_owned(),
        rules: 1,
        options: "{}".to_owned(),
        bounds: String::new(),
        placeholders_are_broken: false,
        title: Some("The A".to_owned()),
        kind: RunKind::Crawl,
        own_fields: false,
        started_at: Timestamp::UNIX_EPOCH,
        epoch_at: Timestamp::UNIX_EPOCH,
        took: Duration::from_millis(1500),
        state: RunState::Finished,
    }
}
