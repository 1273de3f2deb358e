//! The examples of docs/keeping-watch.md, run as they stand there.

use rummage_demo::museum;

use crate::harness::Stage;

/// The words of a command line, with quotes.
fn words(line: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut quoted = false;
    for c in line.chars() {
        match c {
            '\'' => quoted = !quoted,
            ' ' if !quoted => words.push(String::new()),
            c => words.last_mut().unwrap().push(c),
        }
    }
    words
}

/// The examples: a command, and lines that it says. What follows … may be anything.
fn examples(doc: &str) -> Vec<(String, Vec<String>)> {
    let mut examples: Vec<(String, Vec<String>)> = Vec::new();
    let blocks = doc.split("```console\n").skip(1).map(|rest| rest.split("```").next().unwrap());
    for line in blocks.flat_map(str::lines) {
        match line.strip_prefix("$ rummage ") {
            Some(command) => examples.push((command.to_owned(), Vec::new())),
            None => examples.last_mut().expect("a command comes first").1.push(line.to_owned()),
        }
    }
    examples
}

#[test]
fn the_examples_do_what_is_written() {
    let doc = include_str!("../../../../docs/keeping-watch.md");
    let stage = Stage::new(&museum());
    let examples = examples(doc);
    assert!(examples.len() > 9);
    for (command, lines) in examples {
        let words = words(&command);
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let said = stage.run(&words);
        assert!(matches!(said.code, Some(0 | 1)), "{said}");
        for line in lines {
            let start = line.split('…').next().unwrap();
            let whole = !line.contains('…');
            let is = |told: &str| told == line || (!whole && told.starts_with(start));
            assert!(said.out.lines().any(is), "{line:?} in {said}");
        }
    }
}
