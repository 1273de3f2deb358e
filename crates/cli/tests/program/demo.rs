//! `rummage demo`, as run by someone who has just built the tool.

use crate::harness::program;
use crate::running::{Running, finish};

#[test]
fn the_demo_shows_each_command_before_its_output_and_cleans_up() {
    let folder = tempfile::TempDir::new().unwrap();
    let words = ["demo", "--quiet"];
    let outcome = finish(&words, program(&words).env("TMPDIR", folder.path())).ends(0);
    let mut rest = outcome.out.as_str();
    for step in [
        "$ rummage crawl www.ashlock-canal.test --timeout 500ms\n",
        "48 broken, 20 doubtful, 2 moved",
        "$ rummage findings --verdict doubtful\n",
        "http://reviews.daytrips.test/ashlock",
        "$ rummage trace trains.westshire.test/timetable\n",
        "redirect 1 to http://trains.westshire.test/timetables/ashlock-halt",
        "$ rummage patrol --once\n",
        "To: editor@ashlock-canal.test\nSubject: www.ashlock-canal.test: 2 newly broken, 1 fixed; ",
        "https://www.ashlock-canal.test/volunteers/rota.html",
    ] {
        let at = rest.find(step).unwrap_or_else(|| panic!("{step} is missing in\n{outcome}"));
        rest = &rest[at + step.len()..];
    }
    assert_eq!(outcome.err, "");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0, "the folder is left empty");
}

/// Serves the web and returns the environment variables for it.
fn served(web: &mut Running) -> Vec<(String, String)> {
    let mut environment = Vec::new();
    web.until("list of commands", |line| {
        if let Some(variable) = line.strip_prefix("  export ") {
            let (name, value) = variable.split_once('=').unwrap();
            environment.push((name.to_owned(), value.trim_matches('\'').to_owned()));
        }
        line.starts_with("  rummage trace")
    });
    environment
}

#[test]
#[cfg(unix)]
fn the_web_can_be_served_alone_until_it_is_stopped() {
    let folder = tempfile::TempDir::new().unwrap();
    let serve = ["demo", "serve"];
    let mut web = Running::start(&serve, program(&serve).env("TMPDIR", folder.path()));
    let environment = served(&mut web);
    let words =
        ["crawl", "www.ashlock-canal.test", "--max-pages", "1", "--externals", "note", "-q"];
    let crawl = finish(&words, program(&words).envs(environment));
    web.signal("-TERM");
    web.end().ends(0);
    assert!(crawl.out.contains("1 page, 1 stylesheet and 1 sitemap"), "{crawl}");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0, "the folder is left empty");
}
