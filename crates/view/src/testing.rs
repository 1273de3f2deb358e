//! What the tests of this crate share: plain records, and output without styles.

use std::time::Duration;

use jiff::Timestamp;
use rummage_core::Moment;
use rummage_core::evidence::{Attempt, AttemptOutcome, Method, ResponseHead};
use rummage_core::extract::reading::Region;
use rummage_core::findings::prominence::Prominence;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{LinkRow, Outcome, RunInfo, RunKind, RunState, StoredUrl, TraceRow};

use crate::grouping::Block;

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

/// A result of `http://a.test/gone`, requested directly.
pub(crate) fn outcome(verdict: Verdict, cause: Option<Cause>, status: Option<u16>) -> Outcome {
    Outcome {
        verdict,
        cause,
        status,
        last: Some("http://a.test/gone".to_owned()),
        moved_to: None,
        hops: 0,
        scope: Some(Scope::Internal),
        not_parsed: None,
        checked_at: None,
    }
}

/// A broken link in the footer of a page.
pub(crate) fn link_row() -> LinkRow {
    LinkRow {
        target: StoredUrl::from_index(1),
        url: "http://a.test/gone".to_owned(),
        fragment: None,
        outcome: outcome(Verdict::Broken, Some(Cause::NotFound), Some(404)),
        for_script: false,
        page_number: rummage_store::StoredUrl::from_index(1),
        page: "http://a.test/visit/".to_owned(),
        line: 31,
        column: 7,
        element: "a".to_owned(),
        attribute: "href".to_owned(),
        text: Some("Rota".to_owned()),
        written: "/gone".to_owned(),
        region: Some(Region::Footer),
        rel: None,
        title: None,
        pages: 1,
        depth: Some(1),
        history: None,
        waived: false,
    }
}

/// A block of this link and two occurrences of it.
pub(crate) fn block(first: LinkRow) -> Block {
    let mut prominence = Prominence::default();
    prominence.add(Some(1), first.region);
    prominence.add(Some(2), first.region);
    let second = LinkRow { page: "http://a.test/news/".to_owned(), line: 4, ..first.clone() };
    Block {
        prominence,
        links: 2,
        occurrences: vec![first.clone(), second],
        first,
        occurrence_count: 2,
        shared: Vec::new(),
    }
}

/// A hop with one GET for each status.
pub(crate) fn hop(url: &str, statuses: &[u16]) -> TraceRow {
    let attempt = |status: &u16| {
        let head = ResponseHead { status: *status, ..ResponseHead::default() };
        let took = Duration::from_millis(3);
        Attempt::new(Moment::START, took, Method::Get, AttemptOutcome::Response(head))
    };
    let attempts = statuses.iter().map(attempt).collect();
    TraceRow { url: url.to_owned(), attempts, title: None, page: None }
}
