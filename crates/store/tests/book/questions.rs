//! The questions of `docs/store.md` are asked.

use crate::keeper::Keeper;

#[test]
fn every_query_of_the_docs_runs_and_finds_something() {
    let foot = "<footer><a href=/gone>Rota</a></footer>";
    let mut keeper = Keeper::new(&[
        ("/", &format!("<a href=/a>a</a><a href=/b>b</a>{foot}")),
        ("/a", &format!("<a href=/gone-too>x</a>{foot}")),
        ("/b", foot),
    ]);
    keeper.crawl();
    keeper.pages.insert("/gone-too", "back".to_owned());
    keeper.crawl();
    let text = include_str!("../../../../docs/store.md");
    let queries: Vec<&str> = text
        .split("```sql\n")
        .skip(1)
        .map(|rest| rest.split("```").next().unwrap_or_default())
        .collect();
    assert_eq!(queries.len(), 5);
    let db = rusqlite::Connection::open(keeper.path()).unwrap();
    for query in queries {
        let mut select = db.prepare(query).unwrap_or_else(|error| panic!("{error}\n{query}"));
        let columns = select.column_count();
        let mut rows = select.query([]).unwrap();
        let first = rows.next().unwrap().unwrap_or_else(|| panic!("nothing is found\n{query}"));
        let known = (0..columns)
            .filter(|column| first.get_ref(*column).unwrap() != rusqlite::types::ValueRef::Null);
        assert!(known.count() >= 3, "{query}");
    }
    // The link in the footer is one edit on three pages.
    let pages: i64 = db
        .query_row(
            "SELECT count(*) FROM open_finding GROUP BY fingerprint ORDER BY 1 DESC",
            [],
            |row| row.get(0),
        )
        .unwrap();
    assert_eq!(pages, 3);
}
