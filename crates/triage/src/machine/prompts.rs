//! What keys do while something is typed, shown or confirmed.

use super::{ChangesPage, FilterForm, Mode, State};
use crate::effect::{Effect, View};
use crate::input::Input;
use crate::keys::Key;

impl State {
    pub(super) fn explain(&mut self, effects: &mut Vec<Effect>) {
        let Mode::Filter(form) = &mut self.mode else { return };
        let completion = self.vocabulary.complete(form.input.before());
        form.choices = completion.choices;
        form.help = completion.help;
        effects.push(Effect::Explain(form.input.text().to_owned()));
    }

    pub(super) fn handle_filter_key(
        &mut self,
        mut form: FilterForm,
        key: Key,
        effects: &mut Vec<Effect>,
    ) {
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

    pub(super) fn handle_search_key(
        &mut self,
        mut input: Input,
        key: Key,
        effects: &mut Vec<Effect>,
    ) {
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

    pub(super) fn handle_changes_key(
        &mut self,
        mut page: ChangesPage,
        key: Key,
        effects: &mut Vec<Effect>,
    ) {
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

    pub(super) fn quit(&mut self, effects: &mut Vec<Effect>) {
        if self.is_crawling() || self.journal.is_rechecking() {
            self.mode = Mode::Leaving;
        } else {
            self.has_ended = true;
            effects.push(Effect::Quit);
        }
    }

    pub(super) fn handle_leaving_key(&mut self, key: Key, effects: &mut Vec<Effect>) {
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
}
