//! Marks by their number: which are of interest, and what they say.

use std::cell::RefCell;
use std::collections::HashMap;
use std::rc::Rc;

use rummage_core::reading::Region;
use rusqlite::Connection;

use crate::StoreError;
use crate::pack::marks;

/// What a mark says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Said {
    pub(crate) element: Rc<str>,
    pub(crate) attribute: Rc<str>,
    pub(crate) region: Option<Region>,
    pub(crate) surroundings: u32,
    pub(crate) scripted: bool,
    pub(crate) written: String,
    pub(crate) fragment: Option<String>,
    pub(crate) text: Option<String>,
    pub(crate) rel: Option<String>,
}

/// Rows of marks that are held unpacked.
const ROWS_HELD: usize = 1500;

/// The marks of a store.
#[derive(Debug)]
pub(crate) struct Marks<'a> {
    db: &'a Connection,
    words: HashMap<u32, Rc<str>>,
    /// The first mark of each row, in order.
    firsts: Vec<u32>,
    held: RefCell<Held>,
}

type Row = Rc<[Said]>;

/// Rows that were looked at lately; when there are too many, the older ones go.
#[derive(Debug, Default)]
struct Held {
    young: HashMap<u32, Row>,
    old: HashMap<u32, Row>,
}

impl<'a> Marks<'a> {
    pub(crate) fn of_store(db: &'a Connection) -> Result<Marks<'a>, StoreError> {
        let mut select = db.prepare("SELECT id, text FROM word")?;
        let words = select
            .query_map([], |row| Ok((row.get(0)?, Rc::from(row.get::<_, String>(1)?))))?
            .collect::<Result<_, _>>()?;
        let mut select = db.prepare("SELECT first FROM mark ORDER BY first")?;
        let firsts = select.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?;
        Ok(Marks { db, words, firsts, held: RefCell::default() })
    }

    /// Gives every mark with its target and fingerprint, in their order.
    pub(crate) fn for_each(
        &self,
        mut take: impl FnMut(u32, u32, u64) -> Result<(), StoreError>,
    ) -> Result<(), StoreError> {
        let mut select =
            self.db.prepare("SELECT first, targets, prints FROM mark ORDER BY first")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let first: u32 = row.get(0)?;
            let targets = marks::targets(row.get_ref(1)?.as_blob().unwrap_or_default());
            let prints = marks::prints(row.get_ref(2)?.as_blob().unwrap_or_default());
            for (mark, (target, print)) in (first..).zip(targets.zip(prints)) {
                take(mark, target, print)?;
            }
        }
        Ok(())
    }

    /// Gives what a mark says to a function.
    pub(crate) fn with<T>(
        &self,
        mark: u32,
        look: impl FnOnce(&Said) -> T,
    ) -> Result<T, StoreError> {
        let row = self.firsts.partition_point(|first| *first <= mark).checked_sub(1);
        let first = row.map_or(0, |row| self.firsts[row]);
        let says = self.row(first)?;
        let said = says.get((mark - first) as usize);
        said.map(look).ok_or_else(|| StoreError::Damaged(format!("mark {mark} is missing")))
    }

    /// The fingerprint of a mark.
    pub(crate) fn print(&self, mark: u32) -> Result<u64, StoreError> {
        let row = self.firsts.partition_point(|first| *first <= mark).checked_sub(1);
        let first = row.map_or(0, |row| self.firsts[row]);
        let octets: Vec<u8> = self
            .db
            .prepare_cached("SELECT prints FROM mark WHERE first = ?1")?
            .query_row([first], |row| row.get(0))?;
        let print = marks::prints(&octets).nth((mark - first) as usize);
        print.ok_or_else(|| StoreError::Damaged(format!("mark {mark} is missing")))
    }

    fn row(&self, first: u32) -> Result<Row, StoreError> {
        let mut held = self.held.borrow_mut();
        if let Some(row) = held.young.get(&first) {
            return Ok(Rc::clone(row));
        }
        let row = match held.old.get(&first) {
            Some(row) => Rc::clone(row),
            None => self.read(first)?,
        };
        if held.young.len() >= ROWS_HELD {
            held.old = std::mem::take(&mut held.young);
        }
        held.young.insert(first, Rc::clone(&row));
        Ok(row)
    }

    fn read(&self, first: u32) -> Result<Row, StoreError> {
        let says: Vec<u8> = self
            .db
            .prepare_cached("SELECT says FROM mark_text WHERE first = ?1")?
            .query_row([first], |row| row.get(0))?;
        let owned = |text: Option<&str>| text.map(str::to_owned);
        marks::says(&says)
            .map(|said| {
                Ok(Said {
                    element: self.word(said.element)?,
                    attribute: self.word(said.attribute)?,
                    region: said.region,
                    surroundings: said.surroundings,
                    scripted: said.scripted,
                    written: said.written.to_owned(),
                    fragment: owned(said.fragment),
                    text: owned(said.text),
                    rel: owned(said.rel),
                })
            })
            .collect()
    }

    fn word(&self, id: u32) -> Result<Rc<str>, StoreError> {
        let missing = || StoreError::Damaged(format!("word {id} is missing"));
        self.words.get(&id).cloned().ok_or_else(missing)
    }
}
