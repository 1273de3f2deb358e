//! What is being filled in: a filter, a search, a waiver, a new URL.

use rummage_core::findings::waiver::WaiverKind;
use rummage_core::mend::plan::Action;
use rummage_view::TargetId;

use crate::effect::{Changes, Decision, Proposal};
use crate::input::Input;
use crate::keys::Key;

/// What keys go to.
#[derive(Debug, Default)]
pub(crate) enum Mode {
    #[default]
    List,
    Filter(FilterForm),
    Search(Input),
    Waive(WaiveForm),
    Url(UrlForm),
    /// What can be decided.
    Decide,
    /// The help, from this line on.
    Help(usize),
    Changes(ChangesPage),
    /// Something goes on that would be stopped.
    Leaving,
}

/// What a form does after a key.
#[derive(Debug, PartialEq, Eq)]
pub(crate) enum Next<T> {
    Stay,
    Close,
    Done(T),
}

/// A selection that is being typed.
#[derive(Debug, Default)]
pub(crate) struct FilterForm {
    pub(crate) input: Input,
    /// What the words before the cursor can become.
    pub(crate) choices: Vec<String>,
    /// What the option at the cursor does.
    pub(crate) help: Option<String>,
    /// What the whole means, or what is wrong with it.
    pub(crate) explained: Option<Result<String, String>>,
}

/// A waiver that is being written.
#[derive(Debug, Clone)]
pub(crate) struct WaiveForm {
    pub(crate) ids: Vec<TargetId>,
    pub(crate) kind: WaiverKind,
    pub(crate) reason: Input,
    /// The reason that is taken if none is typed.
    pub(crate) offered: String,
    pub(crate) until: Input,
    pub(crate) field: WaiveField,
    pub(crate) problem: Option<&'static str>,
}

/// A field of a waiver.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum WaiveField {
    Kind,
    Reason,
    Until,
}

impl WaiveForm {
    pub(crate) fn new(ids: Vec<TargetId>, kind: WaiverKind, offered: &str) -> WaiveForm {
        WaiveForm {
            ids,
            kind,
            reason: Input::default(),
            offered: offered.to_owned(),
            until: Input::default(),
            field: WaiveField::Reason,
            problem: None,
        }
    }

    pub(crate) fn handle_key(&mut self, key: Key) -> Next<Decision> {
        use WaiveField::{Kind, Reason, Until};
        self.problem = None;
        match (key, self.field) {
            (Key::Escape | Key::Ctrl('c'), _) => return Next::Close,
            (Key::Enter, _) => return self.finish(),
            (Key::Tab | Key::Down, Kind) | (Key::BackTab | Key::Up, Until) => self.field = Reason,
            (Key::Tab | Key::Down, Reason) | (Key::BackTab | Key::Up, Kind) => self.field = Until,
            (Key::Tab | Key::Down, Until) | (Key::BackTab | Key::Up, Reason) => self.field = Kind,
            (Key::Left | Key::Right | Key::Char(' '), Kind) => {
                self.kind = match self.kind {
                    WaiverKind::Leave => WaiverKind::Works,
                    WaiverKind::Works => WaiverKind::Leave,
                };
            }
            (key, Reason) => drop(self.reason.handle_key(key)),
            (key, Until) => drop(self.until.handle_key(key)),
            (_, Kind) => {}
        }
        Next::Stay
    }

    fn finish(&mut self) -> Next<Decision> {
        let reason = match self.reason.text().trim() {
            "" => self.offered.clone(),
            typed => typed.to_owned(),
        };
        if reason.is_empty() {
            self.field = WaiveField::Reason;
            self.problem = Some("Give a reason, for people who find the waiver a year from now.");
            return Next::Stay;
        }
        let until = self.until.text().trim().to_owned();
        Next::Done(Decision::Waive { kind: self.kind, reason, until })
    }

    /// The field that text goes into.
    pub(crate) fn input(&mut self) -> Option<&mut Input> {
        match self.field {
            WaiveField::Kind => None,
            WaiveField::Reason => Some(&mut self.reason),
            WaiveField::Until => Some(&mut self.until),
        }
    }
}

/// A new URL for targets.
#[derive(Debug)]
pub(crate) struct UrlForm {
    pub(crate) action: Action,
    pub(crate) ids: Vec<TargetId>,
    pub(crate) input: Input,
    pub(crate) proposals: Vec<Proposal>,
    /// The proposal that is in the input.
    pub(crate) chosen: Option<usize>,
    /// What is in the input was not typed: typing replaces it, other keys edit it.
    is_offered: bool,
    /// What became of the search for proposals; `None` while it goes on.
    pub(crate) searched: Option<Result<(), String>>,
    pub(crate) problem: Option<String>,
}

impl UrlForm {
    pub(crate) fn new(action: Action, ids: Vec<TargetId>, known: Option<&str>) -> UrlForm {
        UrlForm {
            action,
            ids,
            input: Input::of(known.unwrap_or_default()),
            proposals: Vec::new(),
            chosen: None,
            is_offered: known.is_some(),
            searched: None,
            problem: None,
        }
    }

    /// Takes proposals. The best one is put in if nothing was typed.
    pub(crate) fn take(&mut self, ids: &[TargetId], found: Result<Vec<Proposal>, String>) {
        if self.ids != ids {
            return;
        }
        match found {
            Ok(found) => {
                self.proposals = found;
                self.searched = Some(Ok(()));
            }
            Err(why) => self.searched = Some(Err(why)),
        }
        if self.ids.len() == 1 && self.input.text().is_empty() {
            self.choose(0);
        }
    }

    fn choose(&mut self, at: usize) {
        if let Some(proposal) = self.proposals.get(at) {
            self.input.set(&proposal.to);
            self.chosen = Some(at);
            self.is_offered = true;
        }
    }

    /// The best proposal for each target that has one, as far as it is sure.
    pub(crate) fn best_of_each(&self) -> Vec<(TargetId, String)> {
        let best = |id: &TargetId| {
            let own = self.proposals.iter().find(|proposal| proposal.target == *id);
            own.filter(|proposal| proposal.is_sure).map(|proposal| (*id, proposal.to.clone()))
        };
        self.ids.iter().filter_map(best).collect()
    }

    pub(crate) fn handle_key(&mut self, key: Key) -> Next<Decision> {
        self.problem = None;
        let is_single = self.ids.len() == 1;
        match (key, self.chosen) {
            (Key::Escape | Key::Ctrl('c'), _) => return Next::Close,
            (Key::Enter, _) => return self.finish(),
            (Key::Down | Key::Tab, None) if is_single => self.choose(0),
            (Key::Down | Key::Tab, Some(at)) if is_single => self.choose(at + 1),
            (Key::Up | Key::BackTab, Some(at)) if is_single => self.choose(at.saturating_sub(1)),
            (Key::Char(c), _) => self.insert(c.encode_utf8(&mut [0; 4])),
            (key, _) => {
                if self.input.handle_key(key) {
                    (self.chosen, self.is_offered) = (None, false);
                }
            }
        }
        Next::Stay
    }

    /// Types or pastes text.
    pub(crate) fn insert(&mut self, text: &str) {
        if std::mem::take(&mut self.is_offered) {
            self.input = Input::default();
        }
        self.chosen = None;
        self.input.insert(text);
    }

    fn finish(&mut self) -> Next<Decision> {
        let to = self.input.text().trim().to_owned();
        if to.is_empty() && self.ids.len() > 1 && self.action == Action::Replace {
            let each = self.best_of_each();
            if !each.is_empty() {
                return Next::Done(Decision::ReplaceEach(each));
            }
        }
        if !to.starts_with("http://") && !to.starts_with("https://") {
            self.problem = Some("Give a URL that begins with http:// or https://.".to_owned());
            return Next::Stay;
        }
        Next::Done(Decision::Repair { action: self.action, to: Some(to) })
    }
}

/// What the plan would change.
#[derive(Debug, Default)]
pub(crate) struct ChangesPage {
    /// `None` until it is known.
    pub(crate) changes: Option<Result<Changes, String>>,
    /// The first line in sight.
    pub(crate) from: usize,
    /// The changes are being made.
    pub(crate) is_applying: bool,
}

impl ChangesPage {
    /// How many lines there are.
    fn len(&self) -> usize {
        match &self.changes {
            Some(Ok(changes)) => changes.lines.len(),
            _ => 0,
        }
    }

    /// Moves by so many lines of a page of this height.
    pub(crate) fn step(&mut self, by: isize, height: usize) {
        let last = self.len().saturating_sub(height);
        self.from = self.from.saturating_add_signed(by).min(last);
    }

    /// Whether there is something that can be made now.
    pub(crate) fn can_apply(&self) -> bool {
        let has_some = matches!(&self.changes, Some(Ok(changes)) if changes.files > 0);
        has_some && !self.is_applying
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const A: TargetId = TargetId(1);
    const B: TargetId = TargetId(2);

    fn proposal(target: TargetId, to: &str) -> Proposal {
        Proposal { target, to: to.to_owned(), is_sure: true, why: "w".to_owned() }
    }

    #[test]
    fn a_waiver_needs_a_reason() {
        let mut form = WaiveForm::new(vec![A], WaiverKind::Leave, "");
        assert_eq!(form.handle_key(Key::Enter), Next::Stay);
        assert!(form.problem.is_some());
        form.handle_key(Key::Char('x'));
        assert!(form.problem.is_none());
        form.handle_key(Key::Tab);
        for c in "30d".chars() {
            form.handle_key(Key::Char(c));
        }
        form.handle_key(Key::Tab);
        form.handle_key(Key::Char(' '));
        let (kind, reason, until) = (WaiverKind::Works, "x".to_owned(), "30d".to_owned());
        assert_eq!(
            form.handle_key(Key::Enter),
            Next::Done(Decision::Waive { kind, reason, until })
        );
        assert_eq!(form.handle_key(Key::Escape), Next::Close);
    }

    #[test]
    fn fields_are_reached_in_both_directions() {
        use WaiveField::{Kind, Reason, Until};
        let mut form = WaiveForm::new(vec![A], WaiverKind::Leave, "r");
        for (key, field) in [
            (Key::Tab, Until),
            (Key::Tab, Kind),
            (Key::Tab, Reason),
            (Key::BackTab, Kind),
            (Key::Up, Until),
            (Key::Up, Reason),
        ] {
            form.handle_key(key);
            assert_eq!(form.field, field, "{key:?}");
        }
    }

    #[test]
    fn proposals_are_chosen_with_arrows_and_changed_by_typing() {
        let mut form = UrlForm::new(Action::Replace, vec![A], None);
        form.take(&[B], Ok(vec![proposal(B, "http://b.test/")]));
        assert!(form.proposals.is_empty(), "they are for another form");
        form.take(&[A], Ok(vec![proposal(A, "http://a.test/1"), proposal(A, "http://a.test/2")]));
        assert_eq!(form.input.text(), "http://a.test/1");
        form.handle_key(Key::Down);
        form.handle_key(Key::Down);
        assert_eq!(form.input.text(), "http://a.test/2");
        form.handle_key(Key::Up);
        form.handle_key(Key::End);
        form.handle_key(Key::Char('x'));
        assert_eq!((form.input.text(), form.chosen), ("http://a.test/1x", None));
        let to = Some("http://a.test/1x".to_owned());
        let done = Decision::Repair { action: Action::Replace, to };
        assert_eq!(form.handle_key(Key::Enter), Next::Done(done));
    }

    #[test]
    fn typing_replaces_what_was_offered() {
        let mut form = UrlForm::new(Action::Replace, vec![A], Some("http://a.test/moved"));
        form.handle_key(Key::Char('h'));
        form.handle_key(Key::Char('t'));
        assert_eq!(form.input.text(), "ht");
        form.take(&[A], Ok(vec![proposal(A, "http://a.test/1")]));
        form.handle_key(Key::Down);
        form.insert("http://a.test/pasted");
        assert_eq!((form.input.text(), form.chosen), ("http://a.test/pasted", None));
        let mut form = WaiveForm::new(vec![A], WaiverKind::Leave, "as before");
        form.handle_key(Key::Char('x'));
        assert_eq!(form.reason.text(), "x");
        form.handle_key(Key::Backspace);
        let (kind, reason) = (WaiverKind::Leave, "as before".to_owned());
        let waived = Decision::Waive { kind, reason, until: String::new() };
        assert_eq!(form.handle_key(Key::Enter), Next::Done(waived));
    }

    #[test]
    fn what_was_typed_is_not_overwritten() {
        let mut form = UrlForm::new(Action::Redirect, vec![A], None);
        form.handle_key(Key::Char('h'));
        form.take(&[A], Ok(vec![proposal(A, "http://a.test/1")]));
        assert_eq!(form.input.text(), "h");
        assert_eq!(form.handle_key(Key::Enter), Next::Stay);
        assert!(form.problem.is_some());
    }

    #[test]
    fn each_of_many_gets_its_own_best_proposal() {
        let mut form = UrlForm::new(Action::Replace, vec![A, B, TargetId(3)], None);
        assert_eq!(form.handle_key(Key::Enter), Next::Stay, "there is none yet");
        let unsure = Proposal { is_sure: false, ..proposal(TargetId(3), "http://z.test/") };
        let found = vec![proposal(A, "http://x.test/"), proposal(B, "http://y.test/"), unsure];
        form.take(&[A, B, TargetId(3)], Ok(found));
        assert_eq!(form.input.text(), "", "one URL for all is typed");
        let each = vec![(A, "http://x.test/".to_owned()), (B, "http://y.test/".to_owned())];
        assert_eq!(form.handle_key(Key::Enter), Next::Done(Decision::ReplaceEach(each)));
    }
}
