//! A run that was stopped after any reply goes on to the same end.

use rummage_core::extract::Extractor;
use rummage_core::selection::Selection;
use rummage_store::{RunState, RunWriter, StoreError};

use crate::keeper::{Keeper, fresh, lines, new_run, rows};

fn keeper() -> Keeper {
    Keeper::new(&[
        (
            "/",
            "<title>Home</title><base href='/x/'><a rel=nofollow href=one>1</a><img src=/p alt=p>",
        ),
        ("/x/one", "<nav><a href=/two>2</a><a href=/gone>g</a></nav><a href='#no'>n</a>"),
        ("/two", ">/three"),
        ("/three", "<p id=q><a href='htp://a.test/'>bad</a><a href=/x/one#yes>y</a>"),
        ("/p", "<title>a picture that is a page</title>"),
    ])
}

#[test]
fn wherever_it_stops_it_goes_on_and_asks_nothing_twice() {
    let whole = keeper();
    let run = whole.crawl();
    let expected = lines(&rows(&whole.reader(), &run, &Selection::all()));
    let replies = whole.drive(RunWriter::begin(&keeper().path(), new_run()).unwrap(), fresh(), 99);
    for stop in 1..replies {
        let keeper = keeper();
        let writer = RunWriter::begin(&keeper.path(), new_run()).unwrap();
        assert_eq!(keeper.drive(writer, fresh(), stop), stop);

        let reader = keeper.reader();
        let unfinished = reader.unfinished().unwrap();
        assert_eq!((unfinished.run.state, unfinished.options.as_str()), (RunState::Going, "{}"));
        let mut crawl = fresh();
        let take = |address: &str, reply| {
            assert!(crawl.handle_replayed(address, reply));
            Ok(())
        };
        reader.for_each_reply(unfinished.run.number, take).unwrap();
        let writer = RunWriter::resume(&keeper.path(), unfinished.run.number, new_run()).unwrap();
        let more = keeper.drive(writer, crawl, usize::MAX);

        assert_eq!(stop + more, replies, "stopped after {stop}");
        let run = keeper.reader().last_run().unwrap();
        assert_eq!(lines(&rows(&keeper.reader(), &run, &Selection::all())), expected);
        assert!(matches!(keeper.reader().unfinished(), Err(StoreError::NothingToResume)));
    }
}

#[test]
fn what_was_read_of_a_page_comes_back_as_it_was() {
    let keeper = keeper();
    let run = keeper.crawl();
    let mut seen = 0;
    let take = |address: &str, reply: rummage_core::crawl::Reply| {
        let Some(reading) = reply.reading else { return Ok(()) };
        let html = &keeper.pages[address.trim_start_matches("http://a.test")];
        let mut extractor = Extractor::new(Some("utf-8"), 1 << 20);
        extractor.feed(html.as_bytes());
        let original = extractor.finish();
        assert!(reading.links().eq(original.links()), "{address}");
        assert_eq!((reading.title(), reading.base()), (original.title(), original.base()));
        assert_eq!(reading.places(), original.places());
        seen += 1;
        Ok(())
    };
    keeper.reader().for_each_reply(run.number, take).unwrap();
    assert_eq!(seen, 3);
}

#[test]
fn a_run_that_was_not_finished_counts_what_was_not_asked() {
    let keeper = keeper();
    let writer = RunWriter::begin(&keeper.path(), new_run()).unwrap();
    keeper.drive(writer, fresh(), 1);
    let reader = keeper.reader();
    let run = reader.last_run().unwrap();
    assert_eq!(reader.totals(run.number).unwrap().not_asked, 2);
    let skipped = lines(&rows(&reader, &run, &Selection::all()));
    assert_eq!(skipped, ["skipped / one", "skipped / /p"]);
}
