//! What keys do in the list and in the detail.

use rummage_core::findings::waiver::WaiverKind;
use rummage_core::mend::plan::Action;
use rummage_view::{Group, TargetId, TargetOrder, counted};

use super::journal::CannotUndo;
use super::{ChangesPage, FilterForm, Mode, Outcome, State, UrlForm, WaiveForm};
use crate::effect::{Decision, Effect, Place, View};
use crate::input::Input;
use crate::keys::{Command, Key, command};

impl State {
    pub(super) fn handle_list_key(&mut self, key: Key, effects: &mut Vec<Effect>) {
        self.message = Outcome::default();
        match command(key) {
            Some(command) => self.run(command, effects),
            None => self.say("? shows what the keys do".to_owned()),
        }
    }

    pub(super) fn run(&mut self, command: Command, effects: &mut Vec<Effect>) {
        match command {
            Command::Down => self.step(1),
            Command::Up => self.step(-1),
            Command::PageDown => self.step(self.page().cast_signed()),
            Command::PageUp => self.step(-self.page().cast_signed()),
            Command::First => self.step(isize::MIN),
            Command::Last => self.step(isize::MAX),
            Command::Open => match self.list.is_folded_here() {
                Some(is_folded) => self.list.fold(!is_folded),
                None => self.is_in_detail = self.list.current().is_some(),
            },
            Command::Back => self.is_in_detail = false,
            Command::OtherPane => self.is_in_detail = !self.is_in_detail,
            Command::Fold => self.list.fold(true),
            Command::Unfold => self.list.fold(false),
            Command::Mark => {
                self.list.toggle_mark();
                if !self.is_in_detail {
                    self.list.step(1);
                }
            }
            Command::MarkAll => {
                self.list.mark_all();
                self.say(format!(
                    "{} marked",
                    counted(self.list.marked() as u64, "target", "targets")
                ));
            }
            Command::UnmarkAll => self.list.unmark_all(),
            Command::Group => self.group(effects),
            Command::Sort => self.sort(effects),
            Command::Filter => {
                let selection = self.view.selection.clone();
                let end = if selection.is_empty() { "" } else { " " };
                let input = Input::of(&format!("{selection}{end}"));
                self.mode = Mode::Filter(FilterForm { input, ..FilterForm::default() });
                self.explain(effects);
            }
            Command::Search => self.mode = Mode::Search(Input::default()),
            Command::FindNext => self.find(true),
            Command::FindPrevious => self.find(false),
            Command::Reload => self.load(self.view.clone(), effects),
            Command::ShowTarget | Command::ShowPage | Command::EditPage => {
                self.open(command, effects);
            }
            Command::Decide => self.mode = Mode::Decide,
            Command::Recheck
            | Command::Works
            | Command::Leave
            | Command::Replace
            | Command::Unwrap
            | Command::Drop
            | Command::Redirect
            | Command::Gone => self.begin_decision(command, effects),
            Command::Undo => self.undo(effects),
            Command::Changes => {
                self.mode = Mode::Changes(ChangesPage::default());
                effects.push(Effect::ShowChanges);
            }
            Command::Help => self.mode = Mode::Help(0),
            Command::Suspend => effects.push(Effect::Suspend),
            Command::Redraw => effects.push(Effect::Redraw),
            Command::Quit => self.quit(effects),
        }
    }

    /// How many lines a screen is.
    pub(super) fn page(&self) -> usize {
        self.list.height().saturating_sub(1).max(1)
    }

    fn step(&mut self, by: isize) {
        match self.is_in_detail {
            true => self.detail.step(by),
            false => self.list.step(by),
        }
    }

    pub(super) fn load(&mut self, view: View, effects: &mut Vec<Effect>) {
        self.loading = Some(view.clone());
        effects.push(Effect::List(view));
    }

    fn group(&mut self, effects: &mut Vec<Effect>) {
        let (group, name) = match self.view.group {
            Group::Target | Group::None => (Group::Page, "page"),
            Group::Page => (Group::Host, "host"),
            Group::Host => (Group::Cause, "cause"),
            Group::Cause => (Group::Target, "target"),
        };
        self.say(format!("grouped by {name}"));
        self.load(View { group, ..self.view.clone() }, effects);
    }

    fn sort(&mut self, effects: &mut Vec<Effect>) {
        let (order, name) = match self.view.order {
            TargetOrder::Worst => (TargetOrder::MostLinks, "most links first"),
            TargetOrder::MostLinks => (TargetOrder::Newest, "newest first"),
            TargetOrder::Newest => (TargetOrder::Url, "by URL"),
            TargetOrder::Url => (TargetOrder::Worst, "worst first"),
        };
        self.say(format!("sorted: {name}"));
        self.load(View { order, ..self.view.clone() }, effects);
    }

    fn find(&mut self, forwards: bool) {
        if !self.list.find(forwards) {
            self.say("/ searches the targets".to_owned());
        }
    }

    fn open(&mut self, command: Command, effects: &mut Vec<Effect>) {
        let Some((_, id)) = self.list.current() else {
            return self.say("go to a target first".to_owned());
        };
        let occurrence = self.detail.occurrence(id);
        let place = match command {
            Command::ShowTarget => {
                self.detail.of(id).map(|detail| Place::Url(detail.line.target.clone()))
            }
            Command::ShowPage => occurrence.map(|one| Place::Url(one.page.clone())),
            _ => match occurrence {
                Some(one) => match &one.source {
                    Some(source) => Some(Place::Source(source.clone())),
                    None => {
                        return self.fail(
                            "it is not known where the page is edited: set editor-link in \
                             rummage.toml, or crawl a folder"
                                .to_owned(),
                        );
                    }
                },
                None => None,
            },
        };
        match place {
            Some(place) => effects.push(Effect::Open(place)),
            None => self.say("its links are still being loaded".to_owned()),
        }
    }

    fn begin_decision(&mut self, command: Command, effects: &mut Vec<Effect>) {
        let ids = self.list.chosen();
        if ids.is_empty() {
            return self.say("go to a target, or mark some with Space".to_owned());
        }
        let repair = |action| Decision::Repair { action, to: None };
        match command {
            Command::Recheck => self.recheck(ids, effects),
            Command::Works => self.waive(ids, WaiverKind::Works),
            Command::Leave => self.waive(ids, WaiverKind::Leave),
            Command::Replace => self.new_url(Action::Replace, ids, effects),
            Command::Redirect => self.new_url(Action::Redirect, ids, effects),
            Command::Unwrap => self.decide(ids, repair(Action::Unwrap), effects),
            Command::Drop => self.decide(ids, repair(Action::Drop), effects),
            _ => self.decide(ids, repair(Action::Gone), effects),
        }
    }

    fn recheck(&mut self, ids: Vec<TargetId>, effects: &mut Vec<Effect>) {
        if self.is_crawling() {
            return self
                .fail("the crawl is still running; check again when it has finished".to_owned());
        }
        self.journal.begin_recheck(&ids);
        self.say(format!("checking {} again", counted(ids.len() as u64, "target", "targets")));
        self.after_decision();
        effects.push(Effect::Recheck(ids));
    }

    pub(super) fn is_crawling(&self) -> bool {
        self.live.as_ref().is_some_and(|live| !live.has_ended)
    }

    fn waive(&mut self, ids: Vec<TargetId>, kind: WaiverKind) {
        self.mode = Mode::Waive(WaiveForm::new(ids, kind, &self.last_reason));
    }

    fn new_url(&mut self, action: Action, ids: Vec<TargetId>, effects: &mut Vec<Effect>) {
        let known = match ids.as_slice() {
            [id] => self.list.row_of(*id).and_then(|row| row.moved_to.clone()),
            _ => None,
        };
        effects.push(Effect::Propose(ids.clone()));
        self.mode = Mode::Url(UrlForm::new(action, ids, known.as_deref()));
    }

    pub(super) fn decide(
        &mut self,
        ids: Vec<TargetId>,
        decision: Decision,
        effects: &mut Vec<Effect>,
    ) {
        let number = self.journal.begin(ids.clone(), decision.clone());
        self.say("saving".to_owned());
        self.after_decision();
        effects.push(Effect::Decide(number, ids, decision));
    }

    /// Goes on to the next target, unless the decision was about what is marked.
    fn after_decision(&mut self) {
        if self.list.marked() > 0 {
            self.list.unmark_all();
        } else {
            self.list.step(1);
        }
    }

    fn undo(&mut self, effects: &mut Vec<Effect>) {
        match self.journal.begin_undo() {
            Ok(number) => effects.push(Effect::Undo(number)),
            Err(CannotUndo::Nothing) => self.say("there is nothing to undo".to_owned()),
            Err(CannotUndo::Pending) => {
                self.say("the last decision is still being saved".to_owned())
            }
        }
    }
}
