//! Files that are not stores, and stores that are in use.

use std::fs;

use rummage_store::{Reader, RunWriter, StoreError};
use tempfile::TempDir;

use crate::site::{Site, fresh, new_run};

#[test]
fn there_is_one_writer_at_a_time_and_readers_are_not_blocked() {
    let site = Site::new(&[("/", "<a href=/x>x</a>")]);
    let writer = RunWriter::begin(&site.path(), new_run()).unwrap();
    assert!(matches!(RunWriter::begin(&site.path(), new_run()), Err(StoreError::Busy)));
    site.drive(writer, fresh(), 2);
    assert_eq!(site.reader().last_run().unwrap().number, 1);
    RunWriter::begin(&site.path(), new_run()).unwrap();
}

#[test]
fn a_start_url_that_never_responded_leaves_no_run() {
    let site = Site::new(&[]);
    let writer = RunWriter::begin(&site.path(), new_run()).unwrap();
    site.drive(writer, fresh(), usize::MAX);
    assert!(matches!(site.reader().last_run(), Err(StoreError::NoRun)));
}

#[test]
fn other_files_are_recognized_and_not_changed() {
    let folder = TempDir::new().unwrap();
    let path = folder.path().join("file");
    assert!(matches!(Reader::open(&path), Err(StoreError::Missing { .. })));
    fs::write(&path, "a report to the council about the parking charges, at some length").unwrap();
    assert!(matches!(Reader::open(&path), Err(StoreError::NotAStore { .. })));
    assert!(matches!(RunWriter::begin(&path, new_run()), Err(StoreError::NotAStore { .. })));
    assert!(fs::read_to_string(&path).unwrap().starts_with("a report"));

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
fn a_newer_store_is_an_error_with_both_versions() {
    let site = Site::new(&[("/", "")]);
    site.crawl();
    let db = rusqlite::Connection::open(site.path()).unwrap();
    db.pragma_update(None, "user_version", 11).unwrap();
    drop(db);
    let Err(StoreError::Newer { found, known, .. }) = Reader::open(&site.path()) else {
        panic!("a newer store was opened")
    };
    assert_eq!((found, known), (11, 10));
}

#[test]
fn a_damaged_database_page_is_an_error_and_not_a_panic() {
    let site = Site::new(&[("/", "<a href=/x>x</a>")]);
    let run = site.crawl();
    let mut bytes = fs::read(site.path()).unwrap();
    for byte in &mut bytes[4096..] {
        *byte ^= 0x5a;
    }
    fs::write(site.path(), bytes).unwrap();
    let seen = Reader::open(&site.path()).and_then(|reader| reader.open_run(run)?.totals());
    assert!(seen.is_err());
}

#[test]
fn an_unknown_stored_name_means_the_store_is_damaged() {
    for (change, word) in [
        ("UPDATE run SET state = 'asleep'", "asleep"),
        ("UPDATE verdict_span SET verdict = 'fishy'", "fishy"),
        ("UPDATE verdict_span SET cause = 'hunch'", "hunch"),
        ("UPDATE verdict_span SET scope = 'sideways'", "sideways"),
        ("UPDATE finding SET standing = 'asleep'", "asleep"),
        ("UPDATE page_version SET format = 'scroll'", "scroll"),
    ] {
        let site = Site::new(&[("/", "<a href=/x>x</a>")]);
        site.crawl();
        let db = rusqlite::Connection::open(site.path()).unwrap();
        db.pragma_update(None, "ignore_check_constraints", true).unwrap();
        assert!(db.execute(change, []).unwrap() > 0, "{change}");
        drop(db);
        let seen = Reader::open(&site.path()).and_then(|reader| {
            let run = reader.open_run(reader.last_run()?)?;
            run.totals()?;
            run.changes().map(drop)
        });
        let Err(StoreError::Damaged(reason)) = seen else { panic!("{change}: {seen:?}") };
        assert!(reason.contains(word), "{reason}");
    }
}

#[test]
fn a_store_from_before_the_first_release_is_an_error_and_not_changed() {
    let site = Site::new(&[("/", "")]);
    site.crawl();
    let db = rusqlite::Connection::open(site.path()).unwrap();
    db.pragma_update(None, "user_version", 6).unwrap();
    drop(db);
    let before = fs::read(site.path()).unwrap();
    let read = Reader::open(&site.path());
    assert!(matches!(read, Err(StoreError::TooOld { found: 6, oldest: 7, .. })));
    let written = RunWriter::begin(&site.path(), new_run());
    assert!(matches!(written, Err(StoreError::TooOld { .. })));
    assert_eq!(fs::read(site.path()).unwrap(), before);
}
