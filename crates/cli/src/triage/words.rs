//! Commands as words and as lines of a shell.

use rummage_triage::Vocabulary;
use rummage_view::safe;

/// Words as a line that a POSIX shell takes apart into the same words.
pub(crate) fn line(words: &[String]) -> String {
    words.iter().map(|word| quoted(word)).collect::<Vec<_>>().join(" ")
}

fn quoted(word: &str) -> String {
    let is_plain = |c: char| c.is_ascii_alphanumeric() || "-_./:=,@%+~#".contains(c);
    if !word.is_empty() && word.chars().all(is_plain) && !word.starts_with(['#', '~']) {
        return word.to_owned();
    }
    format!("'{}'", safe(word).to_string().replace('\'', "'\\''"))
}

/// Takes a line apart into words, as a shell does with quotes and backslashes.
pub(crate) fn split(line: &str) -> Result<Vec<String>, String> {
    let mut words = Vec::new();
    let mut word: Option<String> = None;
    let mut chars = line.chars();
    while let Some(c) = chars.next() {
        match c {
            ' ' | '\t' => words.extend(word.take()),
            '\'' | '"' => {
                let text = word.get_or_insert_default();
                loop {
                    match chars.next() {
                        Some(end) if end == c => break,
                        Some('\\') if c == '"' => text.extend(chars.next()),
                        Some(other) => text.push(other),
                        None => return Err(format!("the {c} has no end")),
                    }
                }
            }
            '\\' => word.get_or_insert_default().extend(chars.next()),
            c => word.get_or_insert_default().push(c),
        }
    }
    words.extend(word);
    Ok(words)
}

/// A selection as typed, as the words of options: a word alone is one to search for.
pub(crate) fn options(line: &str, vocabulary: &Vocabulary) -> Result<Vec<String>, String> {
    let mut words = Vec::new();
    let mut typed = split(line)?.into_iter();
    while let Some(word) = typed.next() {
        if !word.starts_with('-') {
            words.extend(["--search".to_owned(), word]);
            continue;
        }
        let known = vocabulary.options.iter().find(|option| option.name == word);
        words.push(word);
        if known.is_some_and(|option| option.takes_value) {
            words.extend(typed.next());
        }
    }
    Ok(words)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;
    use crate::triage::vocabulary::vocabulary;

    #[test]
    fn words_are_quoted_so_that_a_shell_reads_them_back() {
        for (word, expected) in [
            ("http://a.test/x?y=1&z", "'http://a.test/x?y=1&z'"),
            ("http://a.test/x#y", "http://a.test/x#y"),
            ("#", "'#'"),
            ("", "''"),
            ("it's", "'it'\\''s'"),
            ("a b", "'a b'"),
            ("$(rm)", "'$(rm)'"),
            ("--until", "--until"),
        ] {
            assert_eq!(quoted(word), expected);
            assert_eq!(split(expected).unwrap(), [word]);
        }
        assert_eq!(split("a  \"b \\\" c\" d\\ e").unwrap(), ["a", "b \" c", "d e"]);
        assert!(split("'a").is_err());
        assert_eq!(quoted("a\u{1b}[2J"), "'a\\u{1b}[2J'", "a terminal obeys nothing");
    }

    #[test]
    fn a_word_alone_is_searched_for() {
        let vocabulary = vocabulary();
        let options = |line: &str| options(line, &vocabulary).unwrap().join(" ");
        assert_eq!(
            options("rota --verdict broken hours"),
            "--search rota --verdict broken --search hours"
        );
        assert_eq!(options("--new rota --host=a.test"), "--new --search rota --host=a.test");
        assert_eq!(options("--host"), "--host");
        assert_eq!(options(" "), "");
    }
}
