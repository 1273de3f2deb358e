//! From what a terminal reports to news for the state.

use crossterm::event::{Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use rummage_triage::{Key, Msg};

/// The news of an event, if it is any.
pub(super) fn news(event: Event) -> Option<Msg> {
    match event {
        Event::Key(key) if key.kind != KeyEventKind::Release => self::key(key).map(Msg::Key),
        Event::Paste(text) => Some(Msg::Pasted(text)),
        Event::Resize(width, height) => Some(Msg::Resized(width, height)),
        _ => None,
    }
}

fn key(KeyEvent { code, modifiers, .. }: KeyEvent) -> Option<Key> {
    Some(match code {
        KeyCode::Char(c) if modifiers.contains(KeyModifiers::CONTROL) => {
            Key::Ctrl(c.to_ascii_lowercase())
        }
        KeyCode::Char(_) if modifiers.contains(KeyModifiers::ALT) => return None,
        KeyCode::Char(c) => Key::Char(c),
        KeyCode::Up => Key::Up,
        KeyCode::Down => Key::Down,
        KeyCode::Left => Key::Left,
        KeyCode::Right => Key::Right,
        KeyCode::PageUp => Key::PageUp,
        KeyCode::PageDown => Key::PageDown,
        KeyCode::Home => Key::Home,
        KeyCode::End => Key::End,
        KeyCode::Enter => Key::Enter,
        KeyCode::Esc => Key::Escape,
        KeyCode::Tab => Key::Tab,
        KeyCode::BackTab => Key::BackTab,
        KeyCode::Backspace => Key::Backspace,
        KeyCode::Delete => Key::Delete,
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_with_modifiers_are_other_keys() {
        let pressed = |code, modifiers| key(KeyEvent::new(code, modifiers));
        let c = KeyCode::Char('C');
        assert_eq!(pressed(c, KeyModifiers::CONTROL), Some(Key::Ctrl('c')));
        assert_eq!(pressed(c, KeyModifiers::SHIFT), Some(Key::Char('C')));
        assert_eq!(pressed(c, KeyModifiers::ALT), None);
        assert_eq!(pressed(KeyCode::F(1), KeyModifiers::NONE), None);
    }
}
