//! Runs the examples of README.md, docs/keeping-watch.md and docs/mending.md.

use rummage_demo::museum;

use crate::harness::Stage;
use crate::running::finish;

/// Splits a command line, with quotes.
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

/// A step of the document, in order.
enum Step {
    /// A command, and lines of its output. Anything may follow after ….
    Example(String, Vec<String>),
    /// The settings in force from there on.
    Settings(String),
}

fn steps(doc: &str) -> Vec<Step> {
    let mut steps = Vec::new();
    for block in doc.split("```").skip(1).step_by(2) {
        if let Some(settings) =
            block.strip_prefix("toml\n").filter(|text| text.starts_with("[site"))
        {
            steps.push(Step::Settings(settings.to_owned()));
        }
        for line in block.strip_prefix("console\n").into_iter().flat_map(str::lines) {
            match (line.strip_prefix("$ rummage "), steps.last_mut()) {
                (Some(command), _) => steps.push(Step::Example(command.to_owned(), Vec::new())),
                (None, Some(Step::Example(_, lines))) => lines.push(line.to_owned()),
                (None, _) => panic!("a command comes first: {line}"),
            }
        }
    }
    steps
}

/// Runs the examples of a document, in order, and looks for the lines that it shows.
fn check(stage: &Stage, doc: &str) {
    for step in steps(doc) {
        let (command, lines) = match step {
            Step::Example(command, lines) => (command, lines),
            Step::Settings(text) => {
                std::fs::write(stage.path("rummage.toml"), text).unwrap();
                continue;
            }
        };
        let words = words(&command);
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let mut program = stage.command(&words);
        // The simulated web has hosts that do not respond.
        let outcome = finish(&words, program.env("RUMMAGE_TIMEOUT", "500ms"));
        assert!(matches!(outcome.code, Some(0 | 1)), "{outcome}");
        for line in lines {
            let start = line.split('…').next().unwrap();
            let whole = !line.contains('…');
            let is = |shown: &str| shown == line || (!whole && shown.starts_with(start));
            assert!(outcome.out.lines().any(is), "{line:?} in {outcome}");
        }
    }
}

#[test]
fn the_examples_of_keeping_watch_work() {
    let doc = include_str!("../../../../docs/keeping-watch.md");
    assert!(steps(doc).len() > 12);
    check(&Stage::new(&museum()), doc);
}

#[test]
fn the_examples_of_mending_work() {
    let doc = include_str!("../../../../docs/mending.md");
    assert!(steps(doc).len() > 5);
    let stage = Stage::new(&museum());
    check(&stage, doc);
    // The entries that it shows are as they are in the plan.
    let plan = std::fs::read_to_string(stage.path("plan.toml")).unwrap();
    let shown = doc.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
    for entry in shown.trim().split("\n\n") {
        assert!(plan.contains(entry), "{entry} in {plan}");
    }
}

#[test]
fn the_examples_of_the_readme_work() {
    let doc = include_str!("../../../../README.md");
    assert!(steps(doc).len() > 12);
    let stage = Stage::new(&museum());
    stage.run(&["demo", "files", "."]).ends(0);
    check(&stage, doc);
    let sheet = std::fs::read_to_string(stage.path("checked.csv")).unwrap();
    assert!(sheet.lines().next().unwrap().ends_with(";verdict;cause;status;final"), "{sheet}");
    assert!(std::fs::read_to_string(stage.path("broken.csv")).unwrap().lines().count() > 100);
}
