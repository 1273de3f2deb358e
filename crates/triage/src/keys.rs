//! Keys, and what they do in the list. The help screen is made from the same table.

/// A key, as a terminal reports it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs, reason = "keys are what they are called")]
pub enum Key {
    Char(char),
    Ctrl(char),
    Up,
    Down,
    Left,
    Right,
    PageUp,
    PageDown,
    Home,
    End,
    Enter,
    Escape,
    Tab,
    BackTab,
    Backspace,
    Delete,
}

/// What a key does in the list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Command {
    Down,
    Up,
    PageDown,
    PageUp,
    First,
    Last,
    Open,
    Back,
    OtherPane,
    Fold,
    Unfold,
    Mark,
    MarkAll,
    UnmarkAll,
    Group,
    Sort,
    Filter,
    Search,
    FindNext,
    FindPrevious,
    Reload,
    ShowTarget,
    ShowPage,
    EditPage,
    Decide,
    Recheck,
    Works,
    Leave,
    Replace,
    Unwrap,
    Drop,
    Redirect,
    Gone,
    Undo,
    Changes,
    Help,
    Suspend,
    Redraw,
    Quit,
}

/// Keys that do the same, with their help.
pub(crate) struct Binding {
    pub(crate) keys: &'static [Key],
    pub(crate) command: Command,
    /// The keys as help shows them.
    pub(crate) shown: &'static str,
    pub(crate) help: &'static str,
}

/// Bindings under a heading.
pub(crate) struct Chapter {
    pub(crate) title: &'static str,
    pub(crate) bindings: &'static [Binding],
}

const fn binding(
    keys: &'static [Key],
    command: Command,
    shown: &'static str,
    help: &'static str,
) -> Binding {
    Binding { keys, command, shown, help }
}

/// All keys of the list.
pub(crate) const CHAPTERS: &[Chapter] = &[
    Chapter {
        title: "Move",
        bindings: &[
            binding(&[Key::Down, Key::Char('j')], Command::Down, "↓ j", "next line"),
            binding(&[Key::Up, Key::Char('k')], Command::Up, "↑ k", "previous line"),
            binding(&[Key::PageDown, Key::Ctrl('f')], Command::PageDown, "PgDn", "one screen down"),
            binding(&[Key::PageUp, Key::Ctrl('b')], Command::PageUp, "PgUp", "one screen up"),
            binding(&[Key::Home, Key::Char('g')], Command::First, "Home g", "first line"),
            binding(&[Key::End, Key::Char('G')], Command::Last, "End G", "last line"),
            binding(&[Key::Enter], Command::Open, "Enter", "go to the links of the target"),
            binding(&[Key::Escape], Command::Back, "Esc", "back to the list"),
            binding(&[Key::Tab, Key::BackTab], Command::OtherPane, "Tab", "list or links"),
            binding(&[Key::Left], Command::Fold, "←", "close the group"),
            binding(&[Key::Right], Command::Unfold, "→", "open the group"),
        ],
    },
    Chapter {
        title: "Find",
        bindings: &[
            binding(&[Key::Char('f')], Command::Filter, "f", "filter with the options of findings"),
            binding(&[Key::Char('/')], Command::Search, "/", "search the targets"),
            binding(&[Key::Char('n')], Command::FindNext, "n", "next match"),
            binding(&[Key::Char('N')], Command::FindPrevious, "N", "previous match"),
            binding(&[Key::Char('b')], Command::Group, "b", "group by page, host, cause, target"),
            binding(&[Key::Char('s')], Command::Sort, "s", "sort: worst, most links, newest, URL"),
            binding(&[Key::Char('R')], Command::Reload, "R", "read the store again"),
        ],
    },
    Chapter {
        title: "Look",
        bindings: &[
            binding(&[Key::Char('o')], Command::ShowTarget, "o", "open the target in the browser"),
            binding(&[Key::Char('p')], Command::ShowPage, "p", "open the page in the browser"),
            binding(&[Key::Char('e')], Command::EditPage, "e", "edit the page"),
        ],
    },
    Chapter {
        title: "Mark",
        bindings: &[
            binding(&[Key::Char(' ')], Command::Mark, "Space", "mark or unmark"),
            binding(&[Key::Char('a')], Command::MarkAll, "a", "mark all that are listed"),
            binding(&[Key::Char('A')], Command::UnmarkAll, "A", "unmark all"),
        ],
    },
    Chapter {
        title: "Decide, for what is marked, or for the current line",
        bindings: &[
            binding(&[Key::Char('r')], Command::Recheck, "r", "check it again now"),
            binding(
                &[Key::Char('w')],
                Command::Works,
                "w",
                "waive: a person checked that it works",
            ),
            binding(&[Key::Char('l')], Command::Leave, "l", "waive: known, leave it"),
            binding(&[Key::Char('c')], Command::Replace, "c", "change the URL of the links"),
            binding(&[Key::Char('x')], Command::Unwrap, "x", "remove the links, keep their text"),
            binding(&[Key::Char('X')], Command::Drop, "X", "remove the elements, such as images"),
            binding(&[Key::Char('t')], Command::Redirect, "t", "redirect the target on the server"),
            binding(&[Key::Char('T')], Command::Gone, "T", "have the server respond 410 Gone"),
            binding(&[Key::Char('u')], Command::Undo, "u", "undo the last decision"),
            binding(&[Key::Char('v')], Command::Changes, "v", "view and apply the plan's changes"),
        ],
    },
    Chapter {
        title: "Other",
        bindings: &[
            binding(&[Key::Char('d')], Command::Decide, "d", "show what can be decided"),
            binding(&[Key::Char('?')], Command::Help, "?", "this help"),
            binding(&[Key::Ctrl('l')], Command::Redraw, "Ctrl-L", "redraw the screen"),
            binding(&[Key::Ctrl('z')], Command::Suspend, "Ctrl-Z", "back to the shell; fg returns"),
            binding(&[Key::Char('q'), Key::Ctrl('c')], Command::Quit, "q", "leave"),
        ],
    },
];

/// The chapter about decisions.
pub(crate) fn decisions() -> &'static Chapter {
    let has_recheck = |chapter: &&Chapter| {
        chapter.bindings.iter().any(|binding| binding.command == Command::Recheck)
    };
    CHAPTERS.iter().find(has_recheck).expect("the table has it")
}

/// What a key does in the list.
pub(crate) fn command(key: Key) -> Option<Command> {
    let all = CHAPTERS.iter().flat_map(|chapter| chapter.bindings);
    all.into_iter().find(|binding| binding.keys.contains(&key)).map(|binding| binding.command)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_documentation_has_the_same_keys() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/triage.md");
        let doc = std::fs::read_to_string(path).expect("it is in the repository");
        let rows: Vec<&str> = doc.lines().filter(|line| line.starts_with("| ")).skip(2).collect();
        let all = CHAPTERS.iter().flat_map(|chapter| chapter.bindings);
        let shown: Vec<String> =
            all.map(|binding| format!("| {} | {} |", binding.shown, binding.help)).collect();
        assert_eq!(rows, shown);
    }

    #[test]
    fn no_key_does_two_things() {
        let all: Vec<Key> = CHAPTERS
            .iter()
            .flat_map(|chapter| chapter.bindings)
            .flat_map(|binding| binding.keys.iter().copied())
            .collect();
        for (at, key) in all.iter().enumerate() {
            assert!(!all[..at].contains(key), "{key:?}");
        }
        assert_eq!(command(Key::Char('w')), Some(Command::Works));
        assert_eq!(command(Key::Char('µ')), None);
        assert_eq!(decisions().bindings[0].command, Command::Recheck);
    }
}
