//! A run that was stopped after any reply continues to the same end.

use rummage_core::findings::selection::Selection;
use rummage_store::{RunState, RunWriter, StoreError};

use crate::site::{Site, fresh, lines, new_run, read, rows};

fn site() -> Site {
    Site::new(&[
        (
            "/",
            "<title>Home</title><base href='/x/'><a rel=nofollow href=one>1</a><img src=/p alt=p>",
        ),
        (
            "/x/one",
            "<link rel=stylesheet href=/s.css><nav><a href=/two>2</a><a href=/gone>g</a></nav><a href='#no'>n</a>",
        ),
        ("/two", ">/three"),
        ("/three", "<p id=q><a href='htp://a.test/'>bad</a><a href=/x/one#yes>y</a>"),
        ("/p", "<title>a picture that is a page</title>"),
        ("/robots.txt", "User-agent: *\nDisallow: /hidden\nSitemap: /map.xml"),
        ("/map.xml", "<urlset><url><loc>http://a.test/hidden</loc></url></urlset>"),
        ("/hidden", "<script></script>a shell"),
        ("/s.css", "@import 'no.css'"),
    ])
}

#[test]
fn a_run_stopped_anywhere_continues_without_repeating_requests() {
    let whole = site();
    let run = whole.crawl();
    let expected = lines(&rows(&whole.reader(), &run, &Selection::all()));
    let replies = whole.drive(RunWriter::begin(&site().path(), new_run()).unwrap(), fresh(), 99);
    // A run begins when the start URL has responded and may be crawled: after two replies.
    for stop in 2..replies {
        let site = site();
        let writer = RunWriter::begin(&site.path(), new_run()).unwrap();
        assert_eq!(site.drive(writer, fresh(), stop), stop);

        let reader = site.reader();
        let unfinished = reader.unfinished().unwrap();
        assert_eq!((unfinished.state, unfinished.options.as_str()), (RunState::Going, "{}"));
        let mut crawl = fresh();
        let take = |url: &str, reply| {
            assert!(crawl.handle_replayed(url, reply));
            Ok(())
        };
        reader.for_each_reply(unfinished.number, take).unwrap();
        crawl.handle_resumed();
        let writer = RunWriter::resume(&site.path(), unfinished.number, new_run()).unwrap();
        let more = site.drive(writer, crawl, usize::MAX);

        assert_eq!(stop + more, replies, "stopped after {stop}");
        let run = site.reader().last_run().unwrap();
        assert_eq!(lines(&rows(&site.reader(), &run, &Selection::all())), expected);
        assert!(matches!(site.reader().unfinished(), Err(StoreError::NothingToResume)));
    }
}

#[test]
fn stored_pages_round_trip() {
    let site = site();
    let run = site.crawl();
    let mut seen = 0;
    let take = |url: &str, reply: rummage_core::crawl::Response| {
        let Some(reading) = reply.reading else { return Ok(()) };
        let page = &site.pages[url.trim_start_matches("http://a.test")];
        let original = read(reading.format, page);
        assert!(reading.links().eq(original.links()), "{url}");
        assert_eq!((reading.title(), reading.base()), (original.title(), original.base()));
        assert_eq!(reading.anchors(), original.anchors());
        assert_eq!((reading.sketch, reading.rules()), (original.sketch, original.rules()));
        assert_eq!((reading.scripted, reading.faulty), (original.scripted, original.faulty));
        seen += 1;
        Ok(())
    };
    site.reader().for_each_reply(run.number, take).unwrap();
    assert_eq!(seen, 6, "three pages, a style sheet, robots.txt and a sitemap");
}

#[test]
fn an_unfinished_run_counts_what_was_not_checked() {
    let site = site();
    let writer = RunWriter::begin(&site.path(), new_run()).unwrap();
    site.drive(writer, fresh(), 2);
    let reader = site.reader();
    let run = reader.last_run().unwrap();
    assert_eq!(reader.open_run(run.clone()).unwrap().totals().unwrap().not_asked, 3);
    let skipped = lines(&rows(&reader, &run, &Selection::all()));
    assert_eq!(skipped, ["skipped / one", "skipped / /p", "skipped /robots.txt /map.xml"]);
}
