//! What is shown, and what keys do.

mod browse;
mod detail;
mod forms;
mod journal;
mod list;
mod prompts;
#[cfg(test)]
pub(crate) mod testing;

use ratatui::layout::Rect;
use rummage_core::findings::waiver::WaiverKind;
use rummage_view::TargetId;

use crate::effect::{Decision, Effect, LiveCrawl, Msg, View};
use crate::keys::{Key, decisions};
use crate::layout::{Layout, layout};
use crate::vocabulary::Vocabulary;

pub(crate) use detail::{DetailPane, Tone};
pub(crate) use forms::{ChangesPage, FilterForm, Mode, UrlForm, WaiveField, WaiveForm};
pub(crate) use journal::{Journal, Rechecking};
pub(crate) use list::{Line, List};

use forms::Next;
use journal::Outcome;

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

/// Everything that the view shows, and what keys do to it.
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

    /// Whether it has ended.
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
                self.say(format!("rechecked: {changed} changed, {same} unchanged"));
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
                self.journal.handle_irreversible(applied.command);
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
            Mode::Url(form) => form.insert(text.trim()),
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
                    if let Decision::Waive { reason, .. } = &decision {
                        self.last_reason = reason.clone();
                    }
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
