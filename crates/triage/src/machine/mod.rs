//! What is shown, and what keys do.

mod detail;
mod forms;
mod journal;
mod list;
#[cfg(test)]
pub(crate) mod testing;

use ratatui::layout::Rect;
use rummage_core::findings::waiver::WaiverKind;
use rummage_core::mend::plan::Action;
use rummage_view::{Group, TargetId, TargetOrder};

use crate::effect::{Decision, Effect, LiveCrawl, Msg, Place, View};
use crate::input::Input;
use crate::keys::{Command, Key, command, decisions};
use crate::layout::{Layout, layout};
use crate::vocabulary::Vocabulary;

pub(crate) use detail::{DetailPane, Tone};
pub(crate) use forms::{ChangesPage, FilterForm, Mode, UrlForm, WaiveField, WaiveForm};
pub(crate) use journal::{Journal, Rechecking};
pub(crate) use list::{Line, List};

use forms::Next;
use journal::{CannotUndo, Outcome};

/// What a state begins with.
#[derive(Debug, Clone)]
pub struct Setup {
    /// What is listed first.
    pub view: View,
    /// The options of selections.
    pub vocabulary: Vocabulary,
    /// The name of the plan, for messages.
    pub plan: String,
    /// A crawl goes on meanwhile.
    pub live: Option<LiveCrawl>,
    /// Columns and lines of the terminal.
    pub size: (u16, u16),
}

/// See the [module](self).
#[derive(Debug)]
pub struct State {
    pub(crate) list: List,
    pub(crate) detail: DetailPane,
    pub(crate) journal: Journal,
    pub(crate) mode: Mode,
    /// The list that is shown.
    pub(crate) view: View,
    /// The list that is being made.
    loading: Option<View>,
    /// Keys move in the detail, not in the list.
    pub(crate) is_in_detail: bool,
    pub(crate) message: Outcome,
    pub(crate) live: Option<LiveCrawl>,
    pub(crate) plan: String,
    pub(crate) vocabulary: Vocabulary,
    size: (u16, u16),
    searched: String,
    /// The reason of the last waiver, offered for the next.
    last_reason: String,
    /// How many seconds of a crawl until the list is read again.
    until_reload: u64,
    /// How many URLs had a verdict when it was read last.
    done_at_load: u64,
    has_ended: bool,
}

impl State {
    /// A state, and what it wants done first.
    #[must_use]
    pub fn new(setup: Setup) -> (State, Vec<Effect>) {
        let Setup { view, vocabulary, plan, live, size } = setup;
        let effects = vec![Effect::List(view.clone())];
        let state = State {
            list: List::default(),
            detail: DetailPane::default(),
            journal: Journal::default(),
            mode: Mode::List,
            loading: Some(view.clone()),
            view,
            is_in_detail: false,
            message: Outcome::default(),
            live,
            plan,
            vocabulary,
            size,
            searched: String::new(),
            last_reason: String::new(),
            until_reload: 1,
            done_at_load: 0,
            has_ended: false,
        };
        let mut state = state;
        state.fit();
        (state, effects)
    }

    /// Takes news, and returns what is to be done about it.
    pub fn update(&mut self, msg: Msg) -> Vec<Effect> {
        let mut effects = Vec::new();
        self.handle(msg, &mut effects);
        self.fit();
        let missing = self.list.missing();
        if !missing.is_empty() {
            effects.push(Effect::Rows(self.list.generation, missing));
        }
        if let Some((at, id)) = self.list.current()
            && self.detail.wants(id)
        {
            effects.push(Effect::Detail(self.list.generation, at, id));
        }
        effects
    }

    /// The commands that do what was done in this session.
    #[must_use]
    pub fn commands(&self) -> Vec<String> {
        self.journal.commands()
    }

    /// Whether targets were checked again.
    #[must_use]
    pub fn has_rechecked(&self) -> bool {
        self.journal.has_rechecked()
    }

    /// Whether it has asked to quit.
    #[must_use]
    pub fn has_ended(&self) -> bool {
        self.has_ended
    }

    /// Whether a list is being made.
    pub(crate) fn is_loading(&self) -> bool {
        self.loading.is_some()
    }

    pub(crate) fn layout(&self) -> Layout {
        layout(Rect::new(0, 0, self.size.0, self.size.1), self.is_in_detail)
    }

    fn fit(&mut self) {
        let list = self.layout().list;
        // While only the detail is shown, the list keeps its place.
        if let Some(list) = list {
            self.list.set_height(list.height.into());
        }
    }

    fn handle(&mut self, msg: Msg, effects: &mut Vec<Effect>) {
        match msg {
            Msg::Key(key) => self.handle_key(key, effects),
            Msg::Pasted(text) => self.handle_pasted(&text, effects),
            Msg::Resized(width, height) => self.size = (width, height),
            Msg::Index(mut index) => {
                if let Some(view) = self.loading.take() {
                    self.view = view;
                }
                self.journal.take_earlier(std::mem::take(&mut index.decided));
                self.detail.refresh();
                self.until_reload = 1 + 5 * index.took.as_secs();
                self.list.replace(index);
            }
            Msg::Refused(why) => {
                self.loading = None;
                self.fail(why);
            }
            Msg::Rows(generation, rows) => self.list.take_rows(generation, rows),
            Msg::Detail(id, detail) => self.detail.take(id, detail),
            Msg::Matches(generation, found) => {
                let count = self.list.take_matches(generation, found);
                match count {
                    0 => self.fail(format!("no target has \"{}\" in it", self.searched)),
                    1 => self.say("1 match".to_owned()),
                    count => self.say(format!("{count} matches; n goes to the next")),
                }
            }
            Msg::Explained(explained) => {
                if let Mode::Filter(form) = &mut self.mode {
                    form.explained = Some(explained);
                }
            }
            Msg::Proposed(ids, found) => {
                if let Mode::Url(form) = &mut self.mode {
                    form.take(&ids, found);
                }
            }
            Msg::Decided(number, result) => {
                self.message = self.journal.handle_decided(number, result);
            }
            Msg::Undone(number, result) => {
                self.message = self.journal.handle_undone(number, result);
            }
            Msg::Rechecked(results, command) => {
                let same = results.iter().filter(|(_, one)| one.is_same).count();
                let changed = results.len() - same;
                self.journal.handle_rechecked(results, command);
                self.say(format!("rechecked: {changed} changed, {same} as before"));
            }
            Msg::NotRechecked(ids, why) => {
                self.journal.handle_not_rechecked(&ids);
                self.fail(why);
            }
            Msg::Changes(changes) => {
                if let Mode::Changes(page) = &mut self.mode {
                    page.changes = Some(changes);
                }
            }
            Msg::Applied(result) => self.handle_applied(result),
            Msg::Live(live) => self.handle_live(live, effects),
            Msg::Note(text) => self.say(text),
        }
    }

    /// Reads the list again when the crawl has found more: less often if that takes long.
    fn handle_live(&mut self, live: LiveCrawl, effects: &mut Vec<Effect>) {
        let ends = live.has_ended && self.is_crawling();
        let is_due = !live.has_ended && self.until_reload == 0 && live.done != self.done_at_load;
        self.until_reload = self.until_reload.saturating_sub(1);
        if (ends || is_due) && !self.is_loading() {
            self.done_at_load = live.done;
            self.load(self.view.clone(), effects);
        }
        self.live = Some(live);
    }

    fn handle_applied(&mut self, result: Result<crate::effect::Applied, String>) {
        match result {
            Ok(applied) => {
                self.journal.handle_deed(applied.command);
                self.mode = Mode::List;
                self.say(applied.summary);
            }
            Err(why) => {
                if let Mode::Changes(page) = &mut self.mode {
                    page.is_applying = false;
                }
                self.fail(why);
            }
        }
    }

    fn say(&mut self, message: String) {
        self.message = Outcome { message, is_error: false };
    }

    fn fail(&mut self, message: String) {
        self.message = Outcome { message, is_error: true };
    }

    fn handle_pasted(&mut self, text: &str, effects: &mut Vec<Effect>) {
        match &mut self.mode {
            Mode::Filter(form) => {
                form.input.insert(text);
                self.explain(effects);
            }
            Mode::Search(input) => input.insert(text),
            Mode::Waive(form) => {
                if let Some(input) = form.input() {
                    input.insert(text);
                }
            }
            Mode::Url(form) => {
                form.input.insert(text.trim());
                form.chosen = None;
            }
            // Keys that were pasted by mistake decide nothing.
            _ => {}
        }
    }

    fn handle_key(&mut self, key: Key, effects: &mut Vec<Effect>) {
        match std::mem::take(&mut self.mode) {
            Mode::List => self.handle_list_key(key, effects),
            Mode::Filter(form) => self.handle_filter_key(form, key, effects),
            Mode::Search(input) => self.handle_search_key(input, key, effects),
            Mode::Waive(mut form) => match form.handle_key(key) {
                Next::Stay => self.mode = Mode::Waive(form),
                Next::Close => {}
                Next::Done(decision) => {
                    self.last_reason = form.reason.text().trim().to_owned();
                    self.decide(form.ids, decision, effects);
                }
            },
            Mode::Url(mut form) => match form.handle_key(key) {
                Next::Stay => self.mode = Mode::Url(form),
                Next::Close => {}
                Next::Done(Decision::ReplaceEach(each)) => {
                    let ids = each.iter().map(|(id, _)| *id).collect();
                    self.decide(ids, Decision::ReplaceEach(each), effects);
                }
                Next::Done(decision) => self.decide(form.ids, decision, effects),
            },
            Mode::Decide => {
                let mut all = decisions().bindings.iter();
                if let Some(binding) = all.find(|binding| binding.keys.contains(&key)) {
                    self.run(binding.command, effects);
                }
            }
            Mode::Help(from) => {
                self.mode = match key {
                    Key::Down | Key::Char('j') => Mode::Help(from + 1),
                    Key::Up | Key::Char('k') => Mode::Help(from.saturating_sub(1)),
                    Key::PageDown | Key::Char(' ') => Mode::Help(from + self.page()),
                    Key::PageUp => Mode::Help(from.saturating_sub(self.page())),
                    _ => Mode::List,
                };
            }
            Mode::Changes(page) => self.handle_changes_key(page, key, effects),
            Mode::Leaving => self.handle_leaving_key(key, effects),
        }
    }

    fn handle_list_key(&mut self, key: Key, effects: &mut Vec<Effect>) {
        self.message = Outcome::default();
        match command(key) {
            Some(command) => self.run(command, effects),
            None => self.say("? shows what the keys do".to_owned()),
        }
    }

    fn run(&mut self, command: Command, effects: &mut Vec<Effect>) {
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
                    rummage_view::counted(self.list.marked() as u64, "target", "targets")
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
    fn page(&self) -> usize {
        self.list.height().saturating_sub(1).max(1)
    }

    fn step(&mut self, by: isize) {
        match self.is_in_detail {
            true => self.detail.step(by),
            false => self.list.step(by),
        }
    }

    fn load(&mut self, view: View, effects: &mut Vec<Effect>) {
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
            None => self.say("its links are not known yet".to_owned()),
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
            return self.fail("the crawl goes on; check again when it has ended".to_owned());
        }
        self.journal.begin_recheck(&ids);
        self.say(format!(
            "checking {} again",
            rummage_view::counted(ids.len() as u64, "target", "targets")
        ));
        self.after_decision();
        effects.push(Effect::Recheck(ids));
    }

    fn is_crawling(&self) -> bool {
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

    fn decide(&mut self, ids: Vec<TargetId>, decision: Decision, effects: &mut Vec<Effect>) {
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

    fn explain(&mut self, effects: &mut Vec<Effect>) {
        let Mode::Filter(form) = &mut self.mode else { return };
        let completion = self.vocabulary.complete(form.input.before());
        form.choices = completion.choices;
        form.help = completion.help;
        effects.push(Effect::Explain(form.input.text().to_owned()));
    }

    fn handle_filter_key(&mut self, mut form: FilterForm, key: Key, effects: &mut Vec<Effect>) {
        match key {
            Key::Escape | Key::Ctrl('c') => return,
            Key::Enter => {
                if let Some(Err(_)) = form.explained {
                    self.mode = Mode::Filter(form);
                    return;
                }
                let mut selection = form.input.text().trim().to_owned();
                // Between quotes, spaces are part of a value.
                if !selection.contains(['\'', '"', '\\']) {
                    selection = selection.split_whitespace().collect::<Vec<_>>().join(" ");
                }
                self.load(View { selection, ..self.view.clone() }, effects);
                return;
            }
            Key::Tab => {
                let completed = self.vocabulary.complete(form.input.before()).text;
                form.input.set_before(&completed);
            }
            key => drop(form.input.handle_key(key)),
        }
        self.mode = Mode::Filter(form);
        self.explain(effects);
    }

    fn handle_search_key(&mut self, mut input: Input, key: Key, effects: &mut Vec<Effect>) {
        match key {
            Key::Escape | Key::Ctrl('c') => {}
            Key::Enter if input.text().is_empty() => {}
            Key::Enter => {
                self.searched = input.text().to_owned();
                effects.push(Effect::Find(self.list.generation, self.searched.clone()));
            }
            key => {
                input.handle_key(key);
                self.mode = Mode::Search(input);
            }
        }
    }

    fn handle_changes_key(&mut self, mut page: ChangesPage, key: Key, effects: &mut Vec<Effect>) {
        // The list and the lines around it make room for the changes.
        let height = usize::from(self.size.1.saturating_sub(3)).max(1);
        let screen = height.cast_signed();
        match key {
            Key::Down | Key::Char('j') => page.step(1, height),
            Key::Up | Key::Char('k') => page.step(-1, height),
            Key::PageDown | Key::Char(' ') => page.step(screen, height),
            Key::PageUp => page.step(-screen, height),
            Key::Home => page.step(isize::MIN, height),
            Key::End => page.step(isize::MAX, height),
            Key::Char('y') if page.can_apply() => {
                page.is_applying = true;
                effects.push(Effect::Apply);
            }
            Key::Escape | Key::Char('q') | Key::Ctrl('c') => return,
            _ => {}
        }
        self.mode = Mode::Changes(page);
    }

    fn quit(&mut self, effects: &mut Vec<Effect>) {
        if self.is_crawling() || self.journal.is_rechecking() {
            self.mode = Mode::Leaving;
        } else {
            self.has_ended = true;
            effects.push(Effect::Quit);
        }
    }

    fn handle_leaving_key(&mut self, key: Key, effects: &mut Vec<Effect>) {
        match key {
            Key::Char('s') | Key::Ctrl('c') => {
                effects.push(Effect::StopCrawl);
                self.has_ended = true;
                effects.push(Effect::Quit);
            }
            Key::Char('w') => {
                self.has_ended = true;
                effects.push(Effect::Quit);
            }
            Key::Escape => {}
            _ => self.mode = Mode::Leaving,
        }
    }

    /// The decision on a target in full.
    pub(crate) fn decision_text(&self, id: TargetId) -> Option<String> {
        match self.journal.decision(id)? {
            Decision::Waive { kind, reason, until } => {
                let kind = match kind {
                    WaiverKind::Works => "waived, works",
                    WaiverKind::Leave => "waived, leave",
                };
                let until = if until.is_empty() { String::new() } else { format!(" ({until})") };
                Some(format!("{kind}{until}: {reason}"))
            }
            Decision::Repair { action, to: Some(to) } => {
                Some(format!("in {}: {} by {to}", self.plan, action.as_str()))
            }
            Decision::Repair { action, to: None } => {
                Some(format!("in {}: {}", self.plan, action.as_str()))
            }
            Decision::ReplaceEach(each) => {
                let (_, to) = each.iter().find(|(own, _)| *own == id)?;
                Some(format!("in {}: replace by {to}", self.plan))
            }
        }
    }
}

#[cfg(test)]
mod tests;
