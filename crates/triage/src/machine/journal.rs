//! What was decided in this session, in order, and what holds now.

use std::collections::{BTreeMap, HashMap};

use rummage_core::verdict::Verdict;
use rummage_view::TargetId;

use crate::effect::{Decided, Decision, Recheck};

/// A decision, or something else that was done.
#[derive(Debug)]
struct Entry {
    number: u64,
    ids: Vec<TargetId>,
    decision: Option<Decision>,
    /// What each target had before.
    before: Vec<Option<String>>,
    state: EntryState,
    commands: Vec<String>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum EntryState {
    /// It is being carried out, or taken back.
    Pending,
    Done,
    Gone,
}

/// What is known of a recheck.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Rechecking {
    Running,
    Done(Recheck),
}

/// See the [module](self).
#[derive(Debug, Default)]
pub(crate) struct Journal {
    entries: Vec<Entry>,
    /// The decision on each target, in a word.
    labels: HashMap<TargetId, String>,
    rechecks: BTreeMap<TargetId, Rechecking>,
    last: u64,
}

/// Why nothing is taken back.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum CannotUndo {
    Nothing,
    Pending,
}

impl Journal {
    /// Decisions from before this session.
    pub(crate) fn take_earlier(&mut self, decided: Vec<(TargetId, String)>) {
        let own: HashMap<TargetId, String> = self
            .entries
            .iter()
            .filter(|entry| entry.state != EntryState::Gone)
            .flat_map(|entry| &entry.ids)
            .filter_map(|id| Some((*id, self.labels.get(id)?.clone())))
            .collect();
        self.labels = decided.into_iter().collect();
        self.labels.extend(own);
    }

    /// Begins to carry out a decision, and returns its number.
    pub(crate) fn begin(&mut self, ids: Vec<TargetId>, decision: Decision) -> u64 {
        self.last += 1;
        let mut before = Vec::with_capacity(ids.len());
        for id in &ids {
            before.push(self.labels.insert(*id, decision.label()));
        }
        self.entries.push(Entry {
            number: self.last,
            ids,
            decision: Some(decision),
            before,
            state: EntryState::Pending,
            commands: Vec::new(),
        });
        self.last
    }

    /// What became of a decision. One that failed leaves no trace.
    pub(crate) fn handle_decided(
        &mut self,
        number: u64,
        result: Result<Decided, String>,
    ) -> Outcome {
        let Some(at) = self.entries.iter().position(|entry| entry.number == number) else {
            return Outcome::default();
        };
        match result {
            Ok(Decided { summary, commands }) => {
                self.entries[at].state = EntryState::Done;
                self.entries[at].commands = commands;
                Outcome { message: summary, is_error: false }
            }
            Err(why) => {
                self.put_back(at);
                Outcome { message: why, is_error: true }
            }
        }
    }

    /// Begins to take back the last decision, and returns its number.
    pub(crate) fn begin_undo(&mut self) -> Result<u64, CannotUndo> {
        let mut entries = self.entries.iter_mut().rev();
        let last =
            entries.find(|entry| entry.decision.is_some() && entry.state != EntryState::Gone);
        let last = last.ok_or(CannotUndo::Nothing)?;
        match last.state {
            EntryState::Done => {
                last.state = EntryState::Pending;
                Ok(last.number)
            }
            _ => Err(CannotUndo::Pending),
        }
    }

    /// What became of taking a decision back.
    pub(crate) fn handle_undone(&mut self, number: u64, result: Result<String, String>) -> Outcome {
        let Some(at) = self.entries.iter().position(|entry| entry.number == number) else {
            return Outcome::default();
        };
        match result {
            Ok(message) => {
                self.put_back(at);
                Outcome { message, is_error: false }
            }
            Err(why) => {
                self.entries[at].state = EntryState::Done;
                Outcome { message: why, is_error: true }
            }
        }
    }

    fn put_back(&mut self, at: usize) {
        let entry = &mut self.entries[at];
        entry.state = EntryState::Gone;
        entry.commands.clear();
        for (id, before) in entry.ids.iter().zip(entry.before.drain(..)) {
            match before {
                Some(label) => drop(self.labels.insert(*id, label)),
                None => drop(self.labels.remove(id)),
            }
        }
    }

    pub(crate) fn begin_recheck(&mut self, ids: &[TargetId]) {
        self.rechecks.extend(ids.iter().map(|id| (*id, Rechecking::Running)));
    }

    pub(crate) fn handle_rechecked(&mut self, results: Vec<(TargetId, Recheck)>, command: String) {
        self.rechecks.extend(results.into_iter().map(|(id, one)| (id, Rechecking::Done(one))));
        self.handle_irreversible(command);
    }

    pub(crate) fn handle_not_rechecked(&mut self, ids: &[TargetId]) {
        for id in ids {
            self.rechecks.remove(id);
        }
    }

    /// Something was done that cannot be taken back.
    pub(crate) fn handle_irreversible(&mut self, command: String) {
        self.last += 1;
        self.entries.push(Entry {
            number: self.last,
            ids: Vec::new(),
            decision: None,
            before: Vec::new(),
            state: EntryState::Done,
            commands: vec![command],
        });
    }

    /// The decision on a target, in a word.
    pub(crate) fn label(&self, id: TargetId) -> Option<&str> {
        self.labels.get(&id).map(String::as_str)
    }

    pub(crate) fn recheck(&self, id: TargetId) -> Option<&Rechecking> {
        self.rechecks.get(&id)
    }

    /// Whether a recheck is under way.
    pub(crate) fn is_rechecking(&self) -> bool {
        self.rechecks.values().any(|one| *one == Rechecking::Running)
    }

    /// Whether a recheck has ended.
    pub(crate) fn has_rechecked(&self) -> bool {
        self.rechecks.values().any(|one| *one != Rechecking::Running)
    }

    /// The last decision in full, if it is about a target.
    pub(crate) fn decision(&self, id: TargetId) -> Option<&Decision> {
        let mut entries = self.entries.iter().rev();
        let last = entries.find(|entry| {
            entry.decision.is_some() && entry.state != EntryState::Gone && entry.ids.contains(&id)
        });
        last.and_then(|entry| entry.decision.as_ref())
    }

    /// How many targets were decided on in this session, or are fixed as a recheck showed.
    pub(crate) fn done(&self) -> usize {
        let decided = self
            .entries
            .iter()
            .filter(|entry| entry.decision.is_some() && entry.state != EntryState::Gone);
        let mut ids: std::collections::BTreeSet<TargetId> =
            decided.flat_map(|entry| entry.ids.iter().copied()).collect();
        let is_fixed = |one: &Rechecking| match one {
            Rechecking::Done(recheck) => matches!(recheck.verdict, None | Some(Verdict::Sound)),
            Rechecking::Running => false,
        };
        ids.extend(self.rechecks.iter().filter(|(_, one)| is_fixed(one)).map(|(id, _)| *id));
        ids.len()
    }

    /// The commands that do what was done, in order, without what was taken back.
    pub(crate) fn commands(&self) -> Vec<String> {
        self.entries.iter().flat_map(|entry| entry.commands.iter().cloned()).collect()
    }
}

/// A message for the last line.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Outcome {
    pub(crate) message: String,
    pub(crate) is_error: bool,
}

#[cfg(test)]
mod tests {
    use rummage_core::findings::waiver::WaiverKind;
    use rummage_core::mend::plan::Action;

    use super::*;

    const A: TargetId = TargetId(1);
    const B: TargetId = TargetId(2);

    fn leave() -> Decision {
        let (reason, until) = ("r".to_owned(), String::new());
        Decision::Waive { kind: WaiverKind::Leave, reason, until }
    }

    fn drop_it() -> Decision {
        Decision::Repair { action: Action::Drop, to: None }
    }

    fn done(command: &str) -> Result<Decided, String> {
        Ok(Decided { summary: "done".to_owned(), commands: vec![command.to_owned()] })
    }

    #[test]
    fn a_decision_holds_at_once_and_goes_if_it_fails() {
        let mut journal = Journal::default();
        let number = journal.begin(vec![A], leave());
        assert_eq!(journal.label(A), Some("leave"));
        let failed = journal.handle_decided(number, Err("disk full".to_owned()));
        assert_eq!((failed.message.as_str(), failed.is_error), ("disk full", true));
        assert_eq!((journal.label(A), journal.commands().len(), journal.done()), (None, 0, 0));
        assert_eq!(journal.begin_undo(), Err(CannotUndo::Nothing));
    }

    #[test]
    fn decisions_are_taken_back_in_reverse_order() {
        let mut journal = Journal::default();
        journal.take_earlier(vec![(B, "works".to_owned())]);
        let first = journal.begin(vec![A, B], leave());
        journal.handle_decided(first, done("one"));
        let second = journal.begin(vec![A], drop_it());
        assert_eq!(journal.begin_undo(), Err(CannotUndo::Pending), "it is not saved yet");
        journal.handle_decided(second, done("two"));
        assert_eq!(journal.commands(), ["one", "two"]);
        assert_eq!((journal.label(A), journal.decision(B)), (Some("drop"), Some(&leave())));
        assert_eq!(journal.begin_undo(), Ok(second));
        assert_eq!(journal.begin_undo(), Err(CannotUndo::Pending), "it goes on");
        journal.handle_undone(second, Ok("back".to_owned()));
        assert_eq!((journal.label(A), journal.commands()), (Some("leave"), vec!["one".to_owned()]));
        assert_eq!(journal.begin_undo(), Ok(first));
        let failed = journal.handle_undone(first, Err("changed".to_owned()));
        assert!(failed.is_error);
        assert_eq!(journal.label(A), Some("leave"), "it still holds");
        assert_eq!(journal.begin_undo(), Ok(first));
        journal.handle_undone(first, Ok("back".to_owned()));
        assert_eq!((journal.label(A), journal.label(B)), (None, Some("works")));
        assert_eq!(journal.done(), 0);
    }

    #[test]
    fn rechecks_stay_done() {
        let mut journal = Journal::default();
        journal.begin_recheck(&[A, B]);
        assert!(journal.is_rechecking());
        let fixed =
            Recheck { verdict: Some(Verdict::Sound), cause: "200 OK".to_owned(), is_same: false };
        journal.handle_rechecked(vec![(A, fixed.clone())], "rummage recheck a".to_owned());
        assert_eq!(journal.recheck(A), Some(&Rechecking::Done(fixed)));
        journal.handle_not_rechecked(&[B]);
        assert_eq!((journal.recheck(B), journal.is_rechecking()), (None, false));
        assert_eq!((journal.begin_undo(), journal.done()), (Err(CannotUndo::Nothing), 1));
        assert_eq!(journal.commands(), ["rummage recheck a"]);
    }

    #[test]
    fn a_list_read_anew_keeps_what_is_being_saved() {
        let mut journal = Journal::default();
        journal.begin(vec![A], leave());
        journal.take_earlier(vec![(A, "drop".to_owned()), (B, "works".to_owned())]);
        assert_eq!((journal.label(A), journal.label(B)), (Some("leave"), Some("works")));
        assert_eq!(journal.handle_decided(99, done("x")), Outcome::default());
        assert_eq!(journal.handle_undone(99, Ok(String::new())), Outcome::default());
    }
}
