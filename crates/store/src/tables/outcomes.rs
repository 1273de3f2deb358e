//! Outcomes of requests: details that rarely change are stored once and shared.

use rummage_core::evidence::AttemptOutcome;
use rummage_core::url::hashed::{Key, Recent};
use rusqlite::{Connection, OptionalExtension, params};

use crate::db::error::StoreError;
use crate::db::row::text;
use crate::tables::interning::{take, texts_key};

/// Stores new outcomes.
#[derive(Debug, Default)]
pub(crate) struct Outcomes {
    kinds: Recent,
    recent: Recent,
    /// The last outcome of each URL in earlier runs, by its number: it mostly responds as before.
    last: Vec<Option<(Key, u32)>>,
    next: u32,
    next_kind: u32,
}

/// The columns of an outcome.
#[derive(Debug, Clone, Default, PartialEq)]
struct Columns {
    said: String,
    length: Option<u64>,
    etag: Option<String>,
    modified: Option<String>,
    title: Option<String>,
}

fn key(kind: u32, length: Option<u64>, texts: [Option<&str>; 3]) -> Key {
    let length = length.unwrap_or(u64::MAX);
    let halves = [(length >> 32) as u32, (length & u64::from(u32::MAX)) as u32];
    texts_key(&[kind, halves[0], halves[1]], texts)
}

impl Outcomes {
    pub(crate) fn load(db: &Connection) -> Result<Outcomes, StoreError> {
        let next = |table: &str| {
            let sql = format!("SELECT coalesce(max(id), 0) + 1 FROM {table}");
            db.query_row(&sql, [], |row| row.get(0))
        };
        let mut outcomes = Outcomes {
            kinds: Recent::holding(20_000),
            recent: Recent::holding(60_000),
            last: Vec::new(),
            next: next("ending")?,
            next_kind: next("ending_kind")?,
        };
        let mut select =
            db.prepare("SELECT id, said FROM ending_kind ORDER BY id DESC LIMIT 20000")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let said = row.get_ref(1)?.as_bytes().unwrap_or_default();
            outcomes.kinds.id_or(Key::of_text(said), row.get(0)?);
        }
        Ok(outcomes)
    }

    /// Loads the last outcome of each URL in earlier runs, by the number of the URL; 0 for none.
    pub(crate) fn remember(&mut self, db: &Connection, last: &[u32]) -> Result<(), StoreError> {
        if last.is_empty() {
            return Ok(());
        }
        let mut keys = vec![None; self.next as usize];
        let mut select =
            db.prepare("SELECT id, kind, length, etag, modified, title FROM ending")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let texts = [text(row, 3)?, text(row, 4)?, text(row, 5)?];
            let key = key(row.get(1)?, row.get(2)?, texts);
            if let Some(fault) = keys.get_mut(row.get::<_, usize>(0)?) {
                *fault = Some(key);
            }
        }
        let known = |&id: &u32| keys.get(id as usize).copied().flatten().map(|key| (key, id));
        self.last = last.iter().map(known).collect();
        Ok(())
    }

    /// The id of an outcome, which is stored if it is new.
    pub(crate) fn id(
        &mut self,
        db: &Connection,
        url: u32,
        outcome: &AttemptOutcome,
        title: Option<String>,
    ) -> Result<u32, StoreError> {
        let columns = columns(outcome, title);
        let kind = self.kinds.id_or(Key::of_text(columns.said.as_bytes()), self.next_kind);
        if kind == self.next_kind {
            take(&mut self.next_kind);
            db.prepare_cached("INSERT INTO ending_kind (id, said) VALUES (?1, ?2)")?
                .execute(params![kind, columns.said])?;
        }
        let texts = [&columns.etag, &columns.modified, &columns.title].map(|text| text.as_deref());
        let key = key(kind, columns.length, texts);
        let last = self.last.get(url as usize).copied().flatten();
        if let Some((_, id)) = last.filter(|(known, _)| *known == key) {
            return Ok(id);
        }
        let id = self.recent.id_or(key, self.next);
        if id == self.next {
            take(&mut self.next);
            db.prepare_cached(
                "INSERT INTO ending (id, kind, length, etag, modified, title)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
            )?
            .execute(params![
                id,
                kind,
                columns.length,
                columns.etag,
                columns.modified,
                columns.title
            ])?;
        }
        Ok(id)
    }
}

fn columns(outcome: &AttemptOutcome, title: Option<String>) -> Columns {
    let json =
        |outcome: &AttemptOutcome| serde_json::to_string(outcome).expect("outcomes are plain data");
    match outcome {
        AttemptOutcome::Failure(_) => Columns { said: json(outcome), title, ..Columns::default() },
        AttemptOutcome::Response(answer) => {
            let mut rest = answer.clone();
            Columns {
                length: rest.length.take(),
                etag: rest.etag.take(),
                modified: rest.last_modified.take(),
                said: json(&AttemptOutcome::Response(rest)),
                title,
            }
        }
    }
}

/// An outcome, and the title that came with it.
pub(crate) fn read(
    db: &Connection,
    id: u32,
) -> Result<(AttemptOutcome, Option<String>), StoreError> {
    let found = db
        .prepare_cached(
            "SELECT said, length, etag, modified, title FROM ending
             JOIN ending_kind ON ending_kind.id = kind WHERE ending.id = ?1",
        )?
        .query_row([id], |row| {
            let columns = Columns {
                said: row.get(0)?,
                length: row.get(1)?,
                etag: row.get(2)?,
                modified: row.get(3)?,
                title: row.get(4)?,
            };
            Ok(columns)
        })
        .optional()?;
    let missing = || StoreError::Damaged(format!("outcome {id} is missing"));
    let columns = found.ok_or_else(missing)?;
    let mut outcome: AttemptOutcome = serde_json::from_str(&columns.said)
        .map_err(|error| StoreError::Damaged(error.to_string()))?;
    if let AttemptOutcome::Response(answer) = &mut outcome {
        answer.length = columns.length;
        answer.etag = columns.etag;
        answer.last_modified = columns.modified;
    }
    Ok((outcome, columns.title))
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use rummage_core::evidence::{DnsFailure, Failure, ResponseHead, SetCookie};

    use super::*;

    fn store() -> Connection {
        let db = Connection::open_in_memory().unwrap();
        db.execute_batch(include_str!("../db/schema.sql")).unwrap();
        db
    }

    fn page(length: u64, etag: &str) -> AttemptOutcome {
        AttemptOutcome::Response(ResponseHead {
            status: 200,
            media_type: Some("text/html".to_owned()),
            server: Some("towpath".to_owned()),
            length: Some(length),
            etag: Some(etag.to_owned()),
            last_modified: Some("Mon, 23 Nov 2026 10:00:00 GMT".to_owned()),
            ..ResponseHead::default()
        })
    }

    fn count(db: &Connection, table: &str) -> u32 {
        db.query_row(&format!("SELECT count(*) FROM {table}"), [], |row| row.get(0)).unwrap()
    }

    #[test]
    fn outcomes_round_trip() {
        let db = store();
        let mut outcomes = Outcomes::load(&db).unwrap();
        let cookie =
            SetCookie { name: "a".to_owned(), hash: 7, expired: true, ..SetCookie::default() };
        let hostile = ResponseHead {
            status: 301,
            location: Some("\"\u{1b}".to_owned()),
            ..ResponseHead::default()
        };
        let all = [
            (page(7, "\"x\""), Some("A title")),
            (page(u64::MAX >> 1, ""), None),
            (AttemptOutcome::Response(ResponseHead { cookies: vec![cookie], ..hostile }), None),
            (AttemptOutcome::Failure(Failure::Dns(DnsFailure::NoSuchName)), None),
            (AttemptOutcome::Failure(Failure::BadResponse("no HTTP".to_owned())), Some("?")),
        ];
        let ids: Vec<u32> = (1..)
            .zip(&all)
            .map(|(url, (outcome, title))| {
                outcomes.id(&db, url, outcome, title.map(str::to_owned)).unwrap()
            })
            .collect();
        for (id, (outcome, title)) in ids.iter().zip(&all) {
            let (read, read_title) = read(&db, *id).unwrap();
            assert_eq!((&read, read_title.as_deref()), (outcome, *title));
        }
        assert!(matches!(read(&db, 99), Err(StoreError::Damaged(_))));
    }

    #[test]
    fn an_outcome_equal_to_the_last_one_adds_no_row() {
        let db = store();
        let mut outcomes = Outcomes::load(&db).unwrap();
        let first = outcomes.id(&db, 1, &page(1, "a"), None).unwrap();
        let second = outcomes.id(&db, 2, &page(2, "b"), None).unwrap();
        assert_eq!(outcomes.id(&db, 1, &page(1, "a"), None).unwrap(), first);
        assert_eq!(
            outcomes.id(&db, 3, &page(2, "b"), None).unwrap(),
            second,
            "whichever URL it is"
        );
        assert_ne!(outcomes.id(&db, 1, &page(1, "c"), None).unwrap(), first);
        assert_ne!(outcomes.id(&db, 1, &page(1, "a"), Some("t".to_owned())).unwrap(), first);
        assert_eq!((count(&db, "ending"), count(&db, "ending_kind")), (4, 1));

        let mut later = Outcomes::load(&db).unwrap();
        later.remember(&db, &[0, first, second]).unwrap();
        assert_eq!(later.id(&db, 1, &page(1, "a"), None).unwrap(), first);
        assert_eq!(later.id(&db, 2, &page(2, "b"), None).unwrap(), second);
        let new = later.id(&db, 2, &page(9, "b"), None).unwrap();
        assert_eq!(new, 5, "numbering continues");
        assert_eq!((count(&db, "ending"), count(&db, "ending_kind")), (5, 1));
    }
}
