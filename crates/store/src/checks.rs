//! The checks of each address over the runs of a site, as far as they say when the next is
//! due.

use rummage_core::due::{Checked, Seconds, Word};
use rummage_core::scope::Scope;
use rusqlite::Connection;

use crate::records::{Address, RunInfo, RunState};
use crate::sayings::Sayings;
use crate::writer::asked::for_each_entry;
use crate::{Reader, StoreError};

/// An address that was asked, with its checks.
#[derive(Debug, Clone, Copy)]
pub struct Check {
    /// The address.
    pub address: Address,
    /// The run that asked it last.
    pub run: i64,
    /// A link names it; it is not only a hop on the way to others.
    pub linked: bool,
    /// What the last run says of it is that it is sound.
    pub is_sound: bool,
    /// Its checks.
    pub checked: Checked,
}

/// The same, while the runs are walked.
#[derive(Debug, Clone, Copy)]
struct State {
    run: u32,
    last: Seconds,
    since: Seconds,
    times: u32,
    word: Word,
    scope: Scope,
    is_new: bool,
}

impl Reader {
    /// The checks of all addresses that the last run of a site knows, by their numbers.
    /// Runs that are under way do not count.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn checks(&self, site: &str) -> Result<Vec<Check>, StoreError> {
        let runs: Vec<RunInfo> = self
            .runs()?
            .into_iter()
            .filter(|run| run.site == site && run.state != RunState::Going)
            .collect();
        let mut states: Vec<Option<State>> = Vec::new();
        let mut last = Sayings::default();
        for run in &runs {
            last = Sayings::of_run(&self.db, run.number)?;
            let asked = asked_at(&self.db, run)?;
            for (address, at) in (0u32..).zip(&asked).filter(|(_, at)| **at > 0) {
                let Some(saying) = last.of(address).filter(|saying| !saying.recalled) else {
                    continue;
                };
                let word = Word::of(saying.verdict, saying.cause);
                let (Some(word), Some(scope)) = (word, saying.scope) else { continue };
                let index = address as usize;
                if states.len() <= index {
                    states.resize(index + 1, None);
                }
                let number = u32::try_from(run.number).unwrap_or(u32::MAX);
                states[index] = Some(match states[index] {
                    Some(state) if state.word == word => {
                        State { run: number, last: *at, times: state.times + 1, scope, ..state }
                    }
                    earlier => State {
                        run: number,
                        last: *at,
                        since: *at,
                        times: 1,
                        word,
                        scope,
                        is_new: earlier.is_none(),
                    },
                });
            }
        }
        let known = |(address, state): (u32, Option<State>)| {
            let (state, saying) = (state?, last.of(address)?);
            Some(Check {
                address: Address(address),
                run: state.run.into(),
                linked: saying.linked,
                is_sound: saying.verdict == rummage_core::verdict::Verdict::Sound,
                checked: Checked {
                    word: state.word,
                    scope: state.scope,
                    last: state.last,
                    since: state.since,
                    times: state.times,
                    is_new: state.is_new,
                    waived: false,
                },
            })
        };
        Ok((0u32..).zip(states).filter_map(known).collect())
    }

    /// Gives the texts of some addresses, in their order, which is that of their numbers.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn for_each_url(
        &self,
        addresses: impl IntoIterator<Item = Address>,
        mut take: impl FnMut(Address, &str),
    ) -> Result<(), StoreError> {
        let mut select = self.db.prepare("SELECT id, url FROM address ORDER BY id")?;
        let mut rows = select.query([])?;
        let mut wanted = addresses.into_iter().peekable();
        while let Some(row) = rows.next()? {
            let id: u32 = row.get(0)?;
            while wanted.next_if(|address| address.0 < id).is_some() {}
            match wanted.peek() {
                None => break,
                Some(address) if address.0 == id => {
                    take(*address, row.get_ref(1)?.as_str().unwrap_or_default());
                }
                Some(_) => {}
            }
        }
        Ok(())
    }
}

/// When a run asked each address last, in seconds since 1970; 0 for what it did not.
fn asked_at(db: &Connection, run: &RunInfo) -> Result<Vec<Seconds>, StoreError> {
    let epoch = run.epoch_at.as_second();
    let mut asked: Vec<Seconds> = Vec::new();
    for_each_entry(db, run.number, |entry| {
        let Some(request) = entry.request.filter(|request| !request.recalled) else { return };
        let index = entry.address as usize;
        if asked.len() <= index {
            asked.resize(index + 1, 0);
        }
        let after = Seconds::try_from(request.at_us / 1_000_000).unwrap_or(Seconds::MAX / 4);
        asked[index] = epoch.saturating_add(after);
    })?;
    Ok(asked)
}
