//! The options of a selection: what can be typed next, and what it means.

/// An option of a selection.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OptionInfo {
    /// Its name, with two hyphens.
    pub name: String,
    /// What it does, in one line.
    pub help: String,
    /// Whether it takes a value.
    pub takes_value: bool,
    /// The values it can have, if there is a list of them.
    pub values: Vec<String>,
}

/// All options.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Vocabulary {
    /// In the order of the help.
    pub options: Vec<OptionInfo>,
}

/// What can be typed next.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Completion {
    /// The text before the cursor, completed as far as all choices agree.
    pub(crate) text: String,
    /// The choices.
    pub(crate) choices: Vec<String>,
    /// What the option at the cursor does.
    pub(crate) help: Option<String>,
}

impl Vocabulary {
    /// What can be typed after this text.
    pub(crate) fn complete(&self, before: &str) -> Completion {
        let (start, word) = match before.rfind(' ') {
            Some(at) => (&before[..=at], &before[at + 1..]),
            None => ("", before),
        };
        let previous = start.split_whitespace().next_back().unwrap_or_default();
        let (head, option, value) = match word.split_once('=') {
            Some((name, value)) => (format!("{start}{name}="), self.named(name), value),
            None => (start.to_owned(), self.named(previous), word),
        };
        if let Some(option) = option.filter(|option| option.takes_value) {
            // Of a list, the last one is being typed.
            let (list, last) = value
                .rsplit_once(',')
                .map_or(("", value), |(list, last)| (&value[..=list.len()], last));
            let fits = option.values.iter().filter(|one| one.starts_with(last));
            let choices: Vec<String> = fits.cloned().collect();
            let text = format!("{head}{list}{}", common(&choices, last));
            return Completion { text, choices, help: Some(option.help.clone()) };
        }
        if !word.starts_with('-') {
            let help = (!word.is_empty()).then(|| "links with this word: --search".to_owned());
            return Completion { text: before.to_owned(), choices: Vec::new(), help };
        }
        let fits: Vec<&OptionInfo> =
            self.options.iter().filter(|option| option.name.starts_with(word)).collect();
        let choices: Vec<String> = fits.iter().map(|option| option.name.clone()).collect();
        let end = if let [_] = fits.as_slice() { " " } else { "" };
        let text = format!("{head}{}{end}", common(&choices, word));
        let exact = fits.iter().find(|option| option.name == word);
        let help = exact.or(fits.first().filter(|_| fits.len() == 1));
        Completion { text, choices, help: help.map(|option| option.help.clone()) }
    }

    fn named(&self, name: &str) -> Option<&OptionInfo> {
        self.options.iter().find(|option| option.name == name)
    }
}

/// What all choices begin with; what was typed if there are none.
fn common(choices: &[String], typed: &str) -> String {
    let Some((first, others)) = choices.split_first() else { return typed.to_owned() };
    let mut end = first.len();
    for other in others {
        let same = first.bytes().zip(other.bytes()).take_while(|(one, other)| one == other).count();
        end = end.min(same);
    }
    while !first.is_char_boundary(end) {
        end -= 1;
    }
    first[..end].to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn vocabulary() -> Vocabulary {
        let option = |name: &str, takes_value, values: &[&str]| OptionInfo {
            name: name.to_owned(),
            help: format!("help of {name}"),
            takes_value,
            values: values.iter().map(|value| (*value).to_owned()).collect(),
        };
        Vocabulary {
            options: vec![
                option("--verdict", true, &["broken", "doubtful", "moved"]),
                option("--standing", true, &["new", "open"]),
                option("--status", true, &[]),
                option("--new", false, &[]),
            ],
        }
    }

    #[test]
    fn names_and_values_are_completed_as_far_as_they_agree() {
        let vocabulary = vocabulary();
        for (typed, completed, choices) in [
            ("--v", "--verdict ", 1),
            ("--st", "--sta", 2),
            ("--verdict ", "--verdict ", 3),
            ("--verdict d", "--verdict doubtful", 1),
            ("--verdict=b", "--verdict=broken", 1),
            ("--verdict broken,m", "--verdict broken,moved", 1),
            ("--new --ver", "--new --verdict ", 1),
            ("rota", "rota", 0),
            ("--status 40", "--status 40", 0),
            ("--zzz", "--zzz", 0),
            ("", "", 0),
        ] {
            let found = vocabulary.complete(typed);
            assert_eq!((&*found.text, found.choices.len()), (completed, choices), "{typed}");
        }
    }

    #[test]
    fn the_option_at_the_cursor_is_explained() {
        let vocabulary = vocabulary();
        for (typed, help) in [
            ("--status", Some("help of --status")),
            ("--sta", None),
            ("--ver", Some("help of --verdict")),
            ("--status 4", Some("help of --status")),
            ("--new ro", Some("links with this word: --search")),
            ("", None),
        ] {
            assert_eq!(vocabulary.complete(typed).help.as_deref(), help, "{typed}");
        }
    }
}
