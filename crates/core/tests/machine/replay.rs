//! A run that was stopped anywhere continues to the same end.

use proptest::prelude::*;
use rummage_core::crawl::{Crawl, Settings};
use rummage_core::evidence::Failure;
use url::Url;

use crate::web::{Act, Web, page};

fn web() -> Web {
    let mut web = Web::default()
        .on(
            "http://a.test/",
            page(&["/p0", "/p7", "/down", "/gone", "/old", "/p3#nowhere", "mailto:x@a.test"]),
        )
        .on("http://a.test/down", Act::Fail(Failure::Refused))
        .on("http://a.test/old", Act::Redirect(301, "/p5".into()));
    for n in 0..30 {
        let links = [format!("/p{}", n + 1), format!("/gone{n}")];
        web = web.on(&format!("http://a.test/p{n}"), page(&[&links[0], &links[1]]));
    }
    web
}

fn fresh(settings: &Settings) -> Crawl {
    Crawl::new(settings.clone(), vec![Url::parse("http://a.test/").unwrap()])
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn a_run_stopped_anywhere_ends_like_an_uninterrupted_one(
        stop in 1usize..110,
        concurrency in 1u32..9,
        max_pages in prop::option::of(1u32..30),
        depth in prop::option::of(0u32..9),
    ) {
        let settings = Settings { concurrency, max_pages, depth, ..Settings::default() };
        let timeout = settings.retry.timeout;
        let whole = web().crawl(settings.clone());
        let first = web().drive(fresh(&settings), timeout, Default::default(), stop);

        let mut crawl = fresh(&settings);
        for (url, reply) in &first.replies {
            prop_assert!(crawl.handle_replayed(url, reply.clone()));
        }
        crawl.handle_resumed();
        let second = web().drive(crawl, timeout, first.end, usize::MAX);
        prop_assert_eq!(&second.verdicts, &whole.verdicts);
        prop_assert_eq!(second.missing.len(), whole.missing.len());
        prop_assert_eq!(second.crawl.progress(), whole.crawl.progress());
        let requested = first.replies.len() + second.started;
        prop_assert_eq!(requested, whole.started, "nothing is requested twice");
    }
}
