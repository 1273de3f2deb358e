//! Link contents by number: targets, fingerprints and texts.

use std::cell::{OnceCell, RefCell};
use std::collections::HashMap;
use std::rc::Rc;

use rusqlite::Connection;

use crate::codec::contents;
use crate::db::error::StoreError;

/// The contents of a link, with element and attribute as text.
pub(crate) type LinkContent<'a> = contents::LinkContent<'a, &'a str>;

/// The first unused number for link contents.
pub(crate) fn end(db: &Connection) -> Result<u32, StoreError> {
    let sql = "SELECT coalesce((SELECT first + count FROM mark ORDER BY first DESC LIMIT 1), 1)";
    Ok(db.query_row(sql, [], |row| row.get(0))?)
}

/// How many rows are cached, and with how many bytes: a hostile page has a large one.
const ROWS_HELD: usize = 1500;
const BYTES_HELD: usize = 16 << 20;

/// The link contents of a store.
#[derive(Debug)]
pub(crate) struct LinkContents<'a> {
    db: &'a Connection,
    index: Index,
}

/// Cached data about the link contents of a store.
#[derive(Debug)]
pub(crate) struct Index {
    words: HashMap<u32, String>,
    /// The number of the first link content of each row, in order.
    firsts: Vec<u32>,
    held: RefCell<Held>,
}

type Row = Rc<Raw>;

/// The texts of some link contents, and where each begins.
#[derive(Debug)]
struct Raw {
    says: Vec<u8>,
    starts: Vec<u32>,
    /// Their targets; empty until needed.
    targets: OnceCell<Vec<u32>>,
}

/// A cache of rows; when there are too many, the older ones are dropped.
#[derive(Debug, Default)]
struct Held {
    young: HashMap<u32, Row>,
    bytes: usize,
    old: HashMap<u32, Row>,
}

impl<'a> LinkContents<'a> {
    pub(crate) fn of_store(db: &'a Connection) -> Result<LinkContents<'a>, StoreError> {
        let mut select = db.prepare("SELECT id, text FROM word")?;
        let words = select
            .query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?
            .collect::<Result<_, _>>()?;
        let mut select = db.prepare("SELECT first FROM mark ORDER BY first")?;
        let firsts = select.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?;
        Ok(LinkContents { db, index: Index { words, firsts, held: RefCell::default() } })
    }

    /// The first unused number.
    pub(crate) fn end(&self) -> Result<u32, StoreError> {
        end(self.db)
    }

    /// Calls `take` with every link content, its target and fingerprint, in order.
    pub(crate) fn for_each(
        &self,
        mut take: impl FnMut(u32, u32, u64) -> Result<(), StoreError>,
    ) -> Result<(), StoreError> {
        let mut select =
            self.db.prepare("SELECT first, targets, prints FROM mark ORDER BY first")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let first: u32 = row.get(0)?;
            let targets = contents::targets(row.get_ref(1)?.as_blob().unwrap_or_default());
            let prints = contents::prints(row.get_ref(2)?.as_blob().unwrap_or_default());
            for (content, (target, print)) in (first..).zip(targets.zip(prints)) {
                take(content, target, print)?;
            }
        }
        Ok(())
    }

    /// Passes the contents of a link to a function.
    pub(crate) fn with<T>(
        &self,
        content: u32,
        look: impl FnOnce(&LinkContent<'_>) -> T,
    ) -> Result<T, StoreError> {
        self.said(content, |said| {
            Ok(look(&LinkContent {
                element: self.word(said.element)?,
                attribute: self.word(said.attribute)?,
                region: said.region,
                ancestor_hash: said.ancestor_hash,
                scripted: said.scripted,
                written: said.written,
                fragment: said.fragment,
                text: said.text,
                rel: said.rel,
                title: said.title,
            }))
        })?
    }

    /// The same with the numbers of its words.
    pub(crate) fn said<T>(
        &self,
        content: u32,
        look: impl FnOnce(&contents::LinkContent<'_>) -> T,
    ) -> Result<T, StoreError> {
        let first = self.first(content);
        let row = self.row(first)?;
        let start = row.starts.get((content - first) as usize);
        let said = start.and_then(|start| contents::unpack_content(&row.says[*start as usize..]));
        let said = said
            .ok_or_else(|| StoreError::Damaged(format!("link contents {content} are missing")))?;
        Ok(look(&said))
    }

    /// The first link content of the row that contains this one.
    fn first(&self, content: u32) -> u32 {
        let row = self.index.firsts.partition_point(|first| *first <= content).checked_sub(1);
        row.map_or(0, |row| self.index.firsts[row])
    }

    /// The target of a link content.
    pub(crate) fn target(&self, content: u32) -> Result<u32, StoreError> {
        let first = self.first(content);
        let row = self.row(first)?;
        if row.targets.get().is_none() {
            let bytes: Vec<u8> = self
                .db
                .prepare_cached("SELECT targets FROM mark WHERE first = ?1")?
                .query_row([first], |row| row.get(0))?;
            let _ = row.targets.set(contents::targets(&bytes).collect());
        }
        let target = row.targets.get().and_then(|all| all.get((content - first) as usize)).copied();
        target.ok_or_else(|| StoreError::Damaged(format!("link contents {content} are missing")))
    }

    /// The fingerprint of a link content.
    pub(crate) fn print(&self, content: u32) -> Result<u64, StoreError> {
        let first = self.first(content);
        let bytes: Vec<u8> = self
            .db
            .prepare_cached("SELECT prints FROM mark WHERE first = ?1")?
            .query_row([first], |row| row.get(0))?;
        let print = contents::prints(&bytes).nth((content - first) as usize);
        print.ok_or_else(|| StoreError::Damaged(format!("link contents {content} are missing")))
    }

    fn row(&self, first: u32) -> Result<Row, StoreError> {
        let mut held = self.index.held.borrow_mut();
        if let Some(row) = held.young.get(&first) {
            return Ok(Rc::clone(row));
        }
        let row = match held.old.get(&first) {
            Some(row) => Rc::clone(row),
            None => self.read(first)?,
        };
        if held.young.len() >= ROWS_HELD || held.bytes > BYTES_HELD {
            held.old = std::mem::take(&mut held.young);
            held.bytes = 0;
        }
        held.bytes += row.says.len() + 8 * row.starts.len();
        held.young.insert(first, Rc::clone(&row));
        Ok(row)
    }

    fn read(&self, first: u32) -> Result<Row, StoreError> {
        let says: Vec<u8> = self
            .db
            .prepare_cached("SELECT says FROM mark_text WHERE first = ?1")?
            .query_row([first], |row| row.get(0))?;
        let starts = contents::starts(&says);
        Ok(Rc::new(Raw { says, starts, targets: OnceCell::new() }))
    }

    fn word(&self, id: u32) -> Result<&str, StoreError> {
        let missing = || StoreError::Damaged(format!("word {id} is missing"));
        self.index.words.get(&id).map(String::as_str).ok_or_else(missing)
    }
}
