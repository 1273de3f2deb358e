//! The checks of each address over the runs of a site, as far as they say when the next is
//! due.

use rummage_core::due::{Checked, Seconds, Word};
use rummage_core::scope::Scope;
use rummage_core::verdict::Verdict;
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

/// The same, while the runs are walked; times in seconds since 1970, up to 2106.
#[derive(Debug, Clone, Copy)]
struct State {
    run: u32,
    last: u32,
    since: u32,
    times: u32,
    word: Word,
    scope: Scope,
    is_new: bool,
}

impl Reader {
    /// Gives the checks of all addresses that the last run of a site knows, with their
    /// texts, by their numbers. Runs that are under way do not count.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub fn for_each_check(
        &self,
        site: &str,
        mut take: impl FnMut(&Check, &str),
    ) -> Result<(), StoreError> {
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
            for (address, at) in (0u32..).zip(asked).filter(|(_, at)| *at > 0) {
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
                        State { run: number, last: at, times: state.times + 1, scope, ..state }
                    }
                    earlier => State {
                        run: number,
                        last: at,
                        since: at,
                        times: 1,
                        word,
                        scope,
                        is_new: earlier.is_none(),
                    },
                });
            }
        }
        let mut select = self.db.prepare("SELECT id, url FROM address ORDER BY id")?;
        let mut rows = select.query([])?;
        while let Some(row) = rows.next()? {
            let address: u32 = row.get(0)?;
            let state = states.get(address as usize).copied().flatten();
            let (Some(state), Some(saying)) = (state, last.of(address)) else { continue };
            let check = Check {
                address: Address(address),
                run: state.run.into(),
                linked: saying.linked,
                is_sound: saying.verdict == Verdict::Sound,
                checked: Checked {
                    word: state.word,
                    scope: state.scope,
                    last: state.last.into(),
                    since: state.since.into(),
                    times: state.times,
                    is_new: state.is_new,
                    waived: false,
                },
            };
            take(&check, row.get_ref(1)?.as_str().unwrap_or_default());
        }
        Ok(())
    }
}

/// When a run asked each address last, in seconds since 1970; 0 for what it did not.
fn asked_at(db: &Connection, run: &RunInfo) -> Result<Vec<u32>, StoreError> {
    let epoch = run.epoch_at.as_second();
    let mut asked: Vec<u32> = Vec::new();
    for_each_entry(db, run.number, |entry| {
        let Some(request) = entry.request.filter(|request| !request.recalled) else { return };
        let index = entry.address as usize;
        if asked.len() <= index {
            asked.resize(index + 1, 0);
        }
        let after = Seconds::try_from(request.at_us / 1_000_000).unwrap_or(Seconds::MAX / 4);
        asked[index] = u32::try_from(epoch.saturating_add(after)).unwrap_or(u32::MAX);
    })?;
    Ok(asked)
}
