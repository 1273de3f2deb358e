//! No single temporary failure, wherever it happens in a run, changes a verdict.

use proptest::prelude::*;
use rummage_core::crawl::Settings;
use rummage_core::evidence::{
    AttemptOutcome, DnsFailure, Failure, ResponseHead, Stage, TlsFailure,
};

use crate::web::{Act, Web, page};

/// A web with something of everything.
fn web() -> Web {
    let sorry = "<title>Shop</title><p>We have looked everywhere, and found nothing of that kind.";
    let mut web = Web::default()
        .on(
            "http://a.test/",
            Act::Page(
                "<title>Home</title><a href=/p0>p</a><a href=/gone>g</a><a href=/shut>s</a>
                 <a href=/old>o</a><a href=/shop/lost>l</a><a href=/moved>m</a><a href=/down>d</a>
                 <a href=/round>r</a><a href='/p1#nowhere'>n</a><img src=/x.png><img src=/y.png>
                 <a href=http://b.test/1>1</a><a href=http://b.test/2>2</a><a href=http://c.test/>c</a>
                 <a href=http://nowhere.test/>w</a><a href=htp://x/>x</a>"
                    .into(),
            ),
        )
        .on("http://a.test/gone", Act::Status(410))
        .on("http://a.test/shut", Act::Status(403))
        .on("http://a.test/old", Act::Redirect(301, "/".into()))
        .on("http://a.test/moved", Act::Redirect(301, "/p2".into()))
        .on("http://a.test/down", Act::Status(500))
        .on("http://a.test/round", Act::Redirect(302, "/round".into()))
        .on("http://a.test/x.png", Act::File("image/png"))
        .on("http://a.test/shop/cards", page(&[]))
        .on("http://b.test/1", page(&[]))
        .on("http://b.test/2", Act::Status(404))
        .on("http://c.test/", Act::Status(403))
        .on("http://nowhere.test/", Act::Fail(Failure::Dns(DnsFailure::NoSuchName)))
        .fallback("http://a.test/shop/", Act::Page(sorry.into()));
    for n in 0..6 {
        let next = format!("/p{}", n + 1);
        let html = format!(
            "<title>Page {n}</title><p>Words of its own, once more: {next}<a href={next}>next</a>"
        );
        web = web.on(&format!("http://a.test/p{n}"), Act::Page(html));
    }
    web.on("http://a.test/p6", page(&[]))
}

fn passing() -> impl Strategy<Value = AttemptOutcome> {
    let status =
        |status| AttemptOutcome::Response(ResponseHead { status, ..ResponseHead::default() });
    let cut = ResponseHead {
        status: 200,
        truncated: true,
        media_type: Some("text/html".into()),
        ..ResponseHead::default()
    };
    let busy = ResponseHead { status: 503, retry_after: Some(5), ..ResponseHead::default() };
    prop::sample::select(vec![
        AttemptOutcome::Failure(Failure::Timeout(Stage::Connect)),
        AttemptOutcome::Failure(Failure::Timeout(Stage::Tls)),
        AttemptOutcome::Failure(Failure::Timeout(Stage::FirstByte)),
        AttemptOutcome::Failure(Failure::Timeout(Stage::Body)),
        AttemptOutcome::Failure(Failure::Refused),
        AttemptOutcome::Failure(Failure::Reset),
        AttemptOutcome::Failure(Failure::Unreachable),
        AttemptOutcome::Failure(Failure::Dns(DnsFailure::Silence)),
        AttemptOutcome::Failure(Failure::Dns(DnsFailure::ServerFailure("SERVFAIL".into()))),
        AttemptOutcome::Failure(Failure::Tls(TlsFailure::Other("cut off".into()))),
        status(408),
        status(425),
        status(429),
        status(500),
        status(502),
        status(503),
        status(504),
        AttemptOutcome::Response(busy),
        AttemptOutcome::Response(cut),
    ])
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn a_temporary_failure_changes_no_verdict(
        struck in 0usize..60,
        outcome in passing(),
        concurrency in prop::sample::select(vec![1u32, 3, 64]),
    ) {
        let settings = Settings { concurrency, ..Settings::default() };
        let calm = web().crawl(settings.clone());
        let seen = web().struck(struck, outcome).crawl(settings);
        prop_assert_eq!(&seen.verdicts, &calm.verdicts);
        let sorted = |mut list: Vec<String>| { list.sort(); list.dedup(); list };
        prop_assert_eq!(sorted(seen.missing), sorted(calm.missing));
        prop_assert_eq!(sorted(seen.faults), sorted(calm.faults));
        prop_assert_eq!(sorted(seen.pages), sorted(calm.pages));
        prop_assert_eq!(seen.crawl.halt(), None);
    }
}
