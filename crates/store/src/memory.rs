//! What an earlier run has seen, for a run that need not ask it again.

use std::collections::{HashMap, HashSet};

use jiff::Timestamp;
use rummage_core::Moment;
use rummage_core::crawl::{AddressId, Reply};
use rummage_core::outcome::{Ending, Method};
use rummage_core::reading::Reading;
use rusqlite::Connection;

use crate::evidence::Evidence;
use crate::known::Key;
use crate::marks::Marks;
use crate::records::{Address, RunInfo};
use crate::replay::titled;
use crate::{Reader, StoreError};

/// What earlier runs have seen, by address. See the [module](self).
#[derive(Debug)]
pub struct Memory {
    reader: Reader,
    /// Where the moments of the run begin that is told.
    epoch_at: Timestamp,
    known: HashMap<Key, (u32, i64)>,
    seen: HashMap<i64, Seen>,
}

/// What one run has seen.
#[derive(Debug)]
struct Seen {
    epoch_at: Timestamp,
    evidence: Evidence,
    versions: HashMap<u32, u32>,
}

impl Memory {
    /// What a run knows, but for some addresses.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn of_run(
        reader: Reader,
        run: &RunInfo,
        epoch_at: Timestamp,
        but: &HashSet<String>,
    ) -> Result<Memory, StoreError> {
        let mut addresses = Vec::new();
        crate::writer::asked::for_each_entry(&reader.db, run.number, |entry| {
            if entry.request.is_some() {
                addresses.push((Address(entry.address), run.number));
            }
        })?;
        let mut memory = Memory::of(reader, &addresses, epoch_at)?;
        for url in but {
            memory.known.remove(&Key::of_text(url.as_bytes()));
        }
        Ok(memory)
    }

    /// What runs have seen of these addresses.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn of(
        reader: Reader,
        addresses: &[(Address, i64)],
        epoch_at: Timestamp,
    ) -> Result<Memory, StoreError> {
        let mut memory = Memory { reader, epoch_at, known: HashMap::new(), seen: HashMap::new() };
        let mut wanted: HashMap<i64, Vec<bool>> = HashMap::new();
        for (address, run) in addresses {
            let of_run = wanted.entry(*run).or_default();
            if of_run.len() <= address.index() {
                of_run.resize(address.index() + 1, false);
            }
            of_run[address.index()] = true;
            let key = key(&memory.reader.db, *address)?;
            memory.known.insert(key, (address.0, *run));
        }
        for (run, wanted) in wanted {
            let is_wanted =
                |address: u32| wanted.get(address as usize).copied().unwrap_or_default();
            let seen = Seen {
                epoch_at: memory.reader.run(run)?.epoch_at,
                evidence: Evidence::of_run(&memory.reader.db, run, is_wanted)?,
                versions: versions(&memory.reader.db, run)?,
            };
            memory.seen.insert(run, seen);
        }
        Ok(memory)
    }

    /// What was seen when an address was asked last, in its order; empty where nothing is
    /// known of it.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn recall(&self, url: &str) -> Result<Vec<Reply>, StoreError> {
        let Some((address, run)) = self.known.get(&Key::of_text(url.as_bytes())) else {
            return Ok(Vec::new());
        };
        let Some(seen) = self.seen.get(run) else { return Ok(Vec::new()) };
        let (mut attempts, title) = seen.evidence.attempts(&self.reader.db, *address)?;
        // What a chain of redirects with its cookies was told is asked anew.
        attempts.retain(|attempt| attempt.hop.is_none());
        let mut replies = Vec::with_capacity(attempts.len());
        for mut attempt in attempts {
            let success = matches!(&attempt.ending, Ending::Answer(answer) if answer.is_success());
            let may_have_page = success && attempt.method == Method::Get;
            let version = seen.versions.get(address).filter(|_| may_have_page);
            let reading = match version {
                Some(version) => Some(self.reading(*version)?),
                None => title.as_deref().map(titled),
            };
            attempt.at = self.moment(seen.epoch_at, attempt.at);
            replies.push(Reply { id: AddressId::from_index(0), attempt, reading });
        }
        Ok(replies)
    }

    fn reading(&self, version: u32) -> Result<Reading, StoreError> {
        self.reader.reading(version, &Marks::of_store(&self.reader.db)?)
    }

    /// A moment of an earlier run as one of the run that is told.
    fn moment(&self, epoch_at: Timestamp, at: Moment) -> Moment {
        let between = epoch_at.duration_since(self.epoch_at).as_micros();
        let micros = i128::from(at.as_micros()) + between;
        Moment::from_micros(u64::try_from(micros).unwrap_or_default())
    }
}

fn key(db: &Connection, address: Address) -> Result<Key, StoreError> {
    let mut select = db.prepare_cached("SELECT url FROM address WHERE id = ?1")?;
    let mut rows = select.query([address.0])?;
    let row = rows
        .next()?
        .ok_or_else(|| StoreError::Damaged(format!("address {} is missing", address.0)))?;
    Ok(Key::of_text(row.get_ref(0)?.as_bytes().unwrap_or_default()))
}

fn versions(db: &Connection, run: i64) -> Result<HashMap<u32, u32>, StoreError> {
    let mut select = db.prepare_cached("SELECT address, version FROM run_page WHERE run = ?1")?;
    let rows = select.query_map([run], |row| Ok((row.get(0)?, row.get(1)?)))?;
    Ok(rows.collect::<Result<_, _>>()?)
}
