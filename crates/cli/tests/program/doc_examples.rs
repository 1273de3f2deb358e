//! Runs the examples of README.md and of the pages in docs.

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

#[test]
fn the_examples_of_reports_work() {
    let doc = include_str!("../../../../docs/reports.md");
    assert!(steps(doc).len() > 3);
    let stage = Stage::new(&museum());
    check(&stage, doc);
    for name in ["report.html", "links.sarif", "visit.csv", "sitemap.xml"] {
        assert!(stage.path(name).exists(), "{name}");
    }
    let routes = doc.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
    std::fs::write(stage.path("owners.toml"), routes).unwrap();
    stage.run(&["report", "-o", "links.html", "--route", "owners.toml"]).ends(0);
    for name in ["links-ann-lee.html", "links-ben.html", "links-rest.html"] {
        assert!(stage.path(name).exists(), "{name}");
    }
}

/// Each script of the page, run by a shell: the pages are as in the demo, with what is broken in
/// the baseline.
#[cfg(unix)]
#[test]
fn the_recipes_of_continuous_integration_work() {
    use std::process::Command;

    let doc = include_str!("../../../../docs/continuous-integration.md");
    let stage = Stage::new(&museum());
    stage.run(&["demo", "files", "."]).ends(0);
    let scripts = doc.split("```sh\n").skip(1).map(|rest| rest.split("```").next().unwrap());
    let scripts: Vec<&str> = scripts.collect();
    assert!(scripts.len() > 6, "{scripts:?}");
    let program = std::path::Path::new(env!("CARGO_BIN_EXE_rummage")).parent().unwrap();
    let path = std::env::var("PATH").unwrap();
    let run = |script: &str| {
        let words = ["-e", "-c", script];
        let mut shell = Command::new("bash");
        shell.args(words).current_dir(stage.folder.path());
        shell.env("PATH", format!("{}:{path}", program.display()));
        for (name, value) in stage.command(&[]).get_envs() {
            shell.env(name, value.unwrap_or_default());
        }
        shell.env_remove("RUMMAGE_STORE");
        shell.env("PREVIEW_URL", "https://www.ashlock-canal.test/").env("RUMMAGE_TIMEOUT", "500ms");
        finish(&words, &mut shell)
    };
    for script in &scripts {
        let outcome = run(script);
        // The preview is the live museum, of which all that is broken is new.
        let expected = if script.contains("PREVIEW_URL") { 1 } else { 0 };
        assert_eq!(outcome.code, Some(expected), "{script}\n{outcome}");
    }
    for name in ["links.html", "links.xml", "links.sarif", "links.baseline"] {
        assert!(stage.path(name).exists(), "{name}");
    }
    // Something new breaks the build, and the reports are written all the same.
    let index = stage.path("public/index.html");
    let html = std::fs::read_to_string(&index).unwrap() + "<a href=/brand-new>new</a>";
    std::fs::write(index, html).unwrap();
    std::fs::remove_file(stage.path("links.html")).unwrap();
    let whole = scripts.iter().find(|script| script.contains("exit $code")).unwrap();
    let outcome = run(whole);
    assert_eq!(outcome.code, Some(1), "{outcome}");
    assert!(outcome.err.contains("1 target is newly broken or doubtful"), "{outcome}");
    assert!(stage.path("links.html").exists());
}
