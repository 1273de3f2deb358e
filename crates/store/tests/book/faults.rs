//! Files that are no store, and stores that are in use.

use std::fs;

use rummage_store::{Reader, RunWriter, StoreError};
use tempfile::TempDir;

use crate::keeper::{Keeper, fresh, new_run};

#[test]
fn there_is_one_writer_at_a_time_and_readers_go_on() {
    let keeper = Keeper::new(&[("/", "<a href=/x>x</a>")]);
    let writer = RunWriter::begin(&keeper.path(), new_run()).unwrap();
    assert!(matches!(RunWriter::begin(&keeper.path(), new_run()), Err(StoreError::Busy)));
    keeper.drive(writer, fresh(), 2);
    assert_eq!(keeper.reader().last_run().unwrap().number, 1);
    RunWriter::begin(&keeper.path(), new_run()).unwrap();
}

#[test]
fn a_start_that_was_never_reached_leaves_no_run() {
    let keeper = Keeper::new(&[]);
    let writer = RunWriter::begin(&keeper.path(), new_run()).unwrap();
    keeper.drive(writer, fresh(), usize::MAX);
    assert!(matches!(keeper.reader().last_run(), Err(StoreError::NoRun)));
}

#[test]
fn other_files_are_told_apart_and_left_alone() {
    let folder = TempDir::new().unwrap();
    let path = folder.path().join("file");
    assert!(matches!(Reader::open(&path), Err(StoreError::Missing { .. })));
    fs::write(&path, "a letter to the council about the parking charges, in some length").unwrap();
    assert!(matches!(Reader::open(&path), Err(StoreError::NotAStore { .. })));
    assert!(matches!(RunWriter::begin(&path, new_run()), Err(StoreError::NotAStore { .. })));
    assert!(fs::read_to_string(&path).unwrap().starts_with("a letter"));

    let other = folder.path().join("other.db");
    rusqlite::Connection::open(&other).unwrap().execute_batch("CREATE TABLE t (x)").unwrap();
    assert!(matches!(Reader::open(&other), Err(StoreError::NotAStore { .. })));
    assert!(matches!(RunWriter::begin(&other, new_run()), Err(StoreError::NotAStore { .. })));
    assert!(matches!(
        RunWriter::begin(&path.join("below-a-file"), new_run()),
        Err(StoreError::CannotOpen { .. })
    ));
}

#[test]
fn a_newer_store_is_refused_with_both_versions() {
    let keeper = Keeper::new(&[("/", "")]);
    keeper.crawl();
    let db = rusqlite::Connection::open(keeper.path()).unwrap();
    db.pragma_update(None, "user_version", 7).unwrap();
    drop(db);
    let Err(StoreError::Newer { found, known, .. }) = Reader::open(&keeper.path()) else {
        panic!("a newer store was opened")
    };
    assert_eq!((found, known), (7, 3));
}

#[test]
fn a_damaged_page_of_the_file_is_an_error_and_no_panic() {
    let keeper = Keeper::new(&[("/", "<a href=/x>x</a>")]);
    let run = keeper.crawl();
    let mut bytes = fs::read(keeper.path()).unwrap();
    for byte in &mut bytes[4096..] {
        *byte ^= 0x5a;
    }
    fs::write(keeper.path(), bytes).unwrap();
    let seen = Reader::open(&keeper.path()).and_then(|reader| reader.totals(run.number));
    assert!(seen.is_err());
}

#[test]
fn a_store_of_the_first_version_is_brought_up_to_date_by_whoever_opens_it() {
    let keeper = Keeper::new(&[("/", "<a href=/gone>x</a>")]);
    let db = rusqlite::Connection::open(keeper.path()).unwrap();
    db.execute_batch(include_str!("../../src/schema.sql")).unwrap();
    db.execute_batch(
        "PRAGMA application_id = 0x52554d4d; PRAGMA user_version = 1;
         INSERT INTO address VALUES (1, 'http://a.test/'), (2, 'http://a.test/deep');
         INSERT INTO run VALUES
             (1, 'a.test', 1, 'a.test', '{}', '0', '2026-11-23T10:00:00Z', 0, 'finished');
         INSERT INTO verdict VALUES
             (1, 2, 'internal', 'sound', NULL, 200, NULL, 2, 0, NULL, 5, 1, 1);
         INSERT INTO page_version VALUES (1, 1, x'00', 'Old', NULL, 0, x'', 0, x'');
         INSERT INTO run_page VALUES (1, 1, 1, 0, 0);",
    )
    .unwrap();
    drop(db);
    let reader = keeper.reader();
    let run = reader.last_run().unwrap();
    let totals = reader.totals(run.number).unwrap();
    assert_eq!((totals.pages, totals.sheets), (1, 0));
    assert_eq!(totals.not_read.iter().map(|of| of.pages).collect::<Vec<_>>(), [1]);
    assert_eq!(keeper.crawl().number, 2);
}
