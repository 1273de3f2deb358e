//! Queries compared with a naive filter over all rows; and what they need in the store.

use proptest::prelude::*;
use rummage_core::extract::elements::Element;
use rummage_core::extract::reading::Region;
use rummage_core::findings::selection::{Selection, Status};
use rummage_core::url::pattern::Pattern;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{LinkRow, Reader, StoreError};

use crate::site::{Site, lines, rows};

/// A site with a few of everything: pages, images, fragments, placeholders, redirects.
fn site() -> Site {
    let menu = "<nav><ul><li><a href=/>Home</a><li><a href=/gone>Rota</a></ul></nav>";
    let foot = "<footer><p><a href=/old>Imprint</a> <a href='#'>up</a></p></footer>";
    let page = |own: &str| format!("<title>t</title>{menu}<main>{own}</main>{foot}");
    Site::new(&[
        ("/", &page("<a href=/a>A</a><a href=/b>B b</a><img src=/lost.png alt='A boat'>")),
        ("/a", &page("<a href=/b#here>here</a><a href=/b#not>Not here</a><a href=/gone>Rota</a>")),
        ("/b", &page("<p id=here><a href='htp://x'>bad</a><a href=mailto:a@b.test>email</a>")),
        ("/old", ">/c"),
        ("/c", &page("<img src=/lost.png alt='A boat'><link href=/s.css rel=stylesheet>")),
    ])
}

fn brief(row: &LinkRow) -> (String, u32, u32, String, Verdict) {
    (row.page.clone(), row.line, row.column, row.written.clone(), row.outcome.verdict)
}

/// The selection, implemented naively.
fn takes(selection: &Selection, row: &LinkRow) -> bool {
    let any = |patterns: &[Pattern], text: &str| {
        patterns.is_empty() || patterns.iter().any(|pattern| pattern.matches(text))
    };
    let outcome = &row.outcome;
    let text = row.text.clone().unwrap_or_default().to_lowercase();
    let in_all = [&row.page, &row.url, &row.written, &text].map(|text| text.to_lowercase());
    selection.verdicts.contains(&outcome.verdict)
        && (selection.causes.is_empty()
            || outcome.cause.is_some_and(|cause| selection.causes.contains(&cause)))
        && (selection.statuses.is_empty()
            || outcome
                .status
                .is_some_and(|code| selection.statuses.iter().any(|status| status.takes(code))))
        && (selection.scope.is_none() || selection.scope == outcome.scope)
        && (selection.elements.is_empty() || selection.elements.contains(&row.element))
        && (any(&selection.targets, &row.url) || any(&selection.targets, &row.full_target()))
        && any(&selection.pages, &row.page)
        && selection.text.iter().all(|word| text.contains(word))
        && selection.search.iter().all(|word| in_all.iter().any(|text| text.contains(word)))
}

fn some<T: Clone + std::fmt::Debug + 'static>(values: Vec<T>) -> impl Strategy<Value = Vec<T>> {
    let most = values.len();
    // Mostly nothing, so that combined filters match something.
    prop_oneof![2 => Just(Vec::new()), 1 => prop::sample::subsequence(values, 1..=most)]
}

fn selections() -> impl Strategy<Value = Selection> {
    let words = |list: &[&str]| list.iter().map(|&word| word.to_owned()).collect::<Vec<_>>();
    let patterns = |list: &[&str]| list.iter().map(|text| Pattern::new(text)).collect::<Vec<_>>();
    let elements = words(&["a", "img", "link"]);
    assert!(elements.iter().all(|name| Element::named(name).is_some()));
    (
        prop::sample::subsequence(Verdict::ALL.to_vec(), 1..=5),
        some(vec![Cause::NotFound, Cause::NoSuchFragment, Cause::Placeholder, Cause::OtherScheme]),
        some(vec![Status::Code(404), Status::Class(2), Status::Class(3)]),
        prop::option::weighted(0.2, Just(Scope::Internal)),
        some(elements),
        some(patterns(&["/b*", "/gone", "png", "http://a.test/b#not"])),
        some(patterns(&["/", "/a", "/c"])),
        some(words(&["ro", "a", "here"])),
        some(words(&["b", "boat", "/a"])),
    )
        .prop_map(
            |(verdicts, causes, statuses, scope, elements, targets, pages, text, search)| {
                let of = Selection::of(&verdicts);
                Selection { causes, statuses, scope, elements, targets, pages, text, search, ..of }
            },
        )
}

#[test]
fn any_selection_matches_like_a_naive_filter() {
    let site = site();
    let run = site.crawl();
    let reader = site.reader();
    let all = rows(&reader, &run, &Selection::all());
    assert!(all.len() > 25, "{}", all.len());
    let runner = ProptestConfig::with_cases(400);
    proptest!(runner, |(selection in selections())| {
        let found: Vec<_> = rows(&reader, &run, &selection).iter().map(brief).collect();
        let expected: Vec<_> =
            all.iter().filter(|row| takes(&selection, row)).map(brief).collect();
        prop_assert_eq!(found, expected);
    });
}

#[test]
fn a_query_knows_the_region_of_any_link_and_passes_wanted_targets_alone() {
    let site = site();
    let run = site.crawl();
    let reader = site.reader();
    let open = reader.open_run(run).unwrap();
    let (all_selection, moved_selection) = (Selection::all(), Selection::of(&[Verdict::Moved]));
    let (all, moved) = (open.query(&all_selection).unwrap(), open.query(&moved_selection).unwrap());
    let mut regions = Vec::new();
    all.for_each(|found| {
        let row = all.row(found)?;
        assert_eq!(all.region(found)?, row.region, "{}", row.written);
        assert_eq!(moved.region(found)?, row.region, "{}, which is not its own", row.written);
        regions.push(row.region);
        Ok::<_, StoreError>(())
    })
    .unwrap();
    assert!(regions.contains(&Some(Region::Main)) && regions.contains(&Some(Region::Footer)));

    let (gone, _) = open.find("http://a.test/gone", 1).unwrap().remove(0);
    let mut written = Vec::new();
    let take = |found: &rummage_store::LinkMatch| {
        written.push((found.target, all.row(found)?.written));
        Ok::<_, StoreError>(())
    };
    all.for_each_to(|target| target == gone, take).unwrap();
    assert_eq!(written, vec![(gone, "/gone".to_owned()); 5], "in four menus, and once more");
}

#[test]
fn links_to_a_url_and_links_on_a_page_are_those_of_the_whole_run() {
    let site = site();
    let run = site.crawl();
    let reader = site.reader();
    let open = reader.open_run(run.clone()).unwrap();
    let all_selection = Selection::all();
    let all = rows(&reader, &run, &all_selection);
    for (stored, url) in open.find("http", 99).unwrap() {
        let gather = |query: rummage_store::LinkQuery<'_>| -> Vec<_> {
            let mut found = Vec::new();
            query
                .for_each(|link| {
                    found.push(brief(&query.row(link)?));
                    Ok::<_, StoreError>(())
                })
                .unwrap();
            found
        };
        let to: Vec<_> = all.iter().filter(|row| row.url == url).map(brief).collect();
        assert_eq!(gather(open.query_to(stored, &all_selection).unwrap()), to, "{url}");
        let on: Vec<_> = all.iter().filter(|row| row.page == url).map(brief).collect();
        let on_page = open.query_on(stored, &all_selection).unwrap();
        assert_eq!(on_page.map(gather).unwrap_or_default(), on, "{url}");
    }
}

#[test]
fn each_link_has_its_own_fault_and_others_to_the_same_url_have_none() {
    let own = "<a href=/page#there>1</a><img src=/page><a href=/page#not>2</a><a href=' # '>3</a>
               <a href=/>4</a>";
    let site = Site::new(&[("/", own), ("/page", "<p id=there>")]);
    let run = site.crawl();
    let reader = site.reader();
    let found = rows(&reader, &run, &Selection::all());
    let found: Vec<_> = found.iter().map(|row| (row.written.as_str(), row.outcome.cause)).collect();
    assert_eq!(
        found,
        [
            ("/page#there", None),
            ("/page", Some(Cause::WrongType)),
            ("/page#not", Some(Cause::NoSuchFragment)),
            (" # ", Some(Cause::Placeholder)),
            ("/", None),
        ]
    );
}

/// The number of rows in a table.
fn count(site: &Site, table: &str) -> i64 {
    let db = rusqlite::Connection::open(site.path()).unwrap();
    db.query_row(&format!("SELECT count(*) FROM {table}"), [], |row| row.get(0)).unwrap()
}

#[test]
fn a_second_run_of_an_unchanged_site_adds_only_requests_and_verdicts() {
    let site = site();
    site.crawl();
    let tables = ["address", "page_version", "mark", "mark_text", "word", "ending", "finding"];
    let before = tables.map(|table| count(&site, table));
    let verdicts = count(&site, "verdict");
    site.crawl();
    assert_eq!(tables.map(|table| count(&site, table)), before);
    assert_eq!(count(&site, "verdict"), 2 * verdicts);
    assert_eq!(count(&site, "run_page"), 8);
    // What is simply sound has no row: here, all pages except the start, which no menu names as a
    // page to check, and the end of the redirect.
    assert!(verdicts < 14, "{verdicts}");
}

#[test]
fn a_changed_page_adds_only_its_own_link_contents() {
    let mut site = site();
    site.crawl();
    let before = count(&site, "mark");
    let page = site.pages["/b"].replace("bad", "worse");
    site.pages.insert("/b", page);
    site.crawl();
    assert_eq!(count(&site, "mark"), before + 1);
    assert_eq!(count(&site, "page_version"), 5);
    let reader = Reader::open(&site.path()).unwrap();
    for (number, word) in [(1, "bad"), (2, "worse")] {
        let run = reader.run(number).unwrap();
        let mut selection = Selection::all();
        selection.text = vec![word.to_owned()];
        assert_eq!(rows(&reader, &run, &selection).len(), 1, "each run keeps what it saw");
    }
}

/// The same link, on two pages of which one is what it names.
#[test]
fn a_verdict_that_depends_on_the_page_is_that_of_each_page() {
    let page = |title: &str| {
        let menu = "<a href=''>Hours</a><a href='[link]'>x</a><a href=/two>Two</a>";
        format!("<title>{title}</title><base href='/hours'>{menu}")
    };
    let site = Site::new(&[
        ("/", &page("Museum")),
        ("/two", &page("Hours | Museum")),
        ("/hours", "<title>Hours</title>"),
        ("/[link]", "<title>It works</title>"),
    ]);
    let run = site.crawl();
    let rows = rows(&site.reader(), &run, &Selection::default());
    let places = lines(&rows);
    assert_eq!(
        places,
        ["doubtful / ", "doubtful / [link]", "doubtful /two [link]"],
        "the menu names the second page"
    );
}
