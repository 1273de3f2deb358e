//! A patrol checks what is due, and nothing else, whatever happens meanwhile.

#![cfg(unix)]

use rummage_demo::{Act, Scenario};
use serde_json::Value;

use crate::harness::{Outcome, Stage};
use crate::options::{page, site};
use crate::running::{Running, wait_until};

fn a_site() -> Scenario {
    site("a.test", &[("/", page("<a href=/lost>l</a><a href=/fine>f</a>")), ("/fine", page(""))])
}

fn stage(scenario: &Scenario, more: &str) -> Stage {
    let stage = Stage::new(scenario);
    set(&stage, more);
    stage
}

fn set(stage: &Stage, more: &str) {
    let settings = format!("[site.ay]\nstart = \"http://a.test/\"\ntimeout = \"300ms\"\n{more}\n");
    std::fs::write(stage.path("rummage.toml"), settings).unwrap();
}

/// One round, with its log as objects.
fn once(stage: &Stage, code: i32) -> (Outcome, Vec<Value>) {
    let outcome = stage.run(&["patrol", "--once", "--log", "json"]).ends(code);
    let parse =
        |line: &str| serde_json::from_str(line).unwrap_or_else(|_| panic!("{line}: {outcome}"));
    let log = outcome.err.lines().map(parse).collect();
    (outcome, log)
}

fn messages(log: &[Value]) -> Vec<&str> {
    log.iter().filter_map(|entry| entry["message"].as_str()).collect()
}

#[test]
fn one_round_crawls_a_new_site_and_the_next_has_nothing_to_do() {
    let stage = stage(&a_site(), "");
    let (outcome, log) = once(&stage, 0);
    assert_eq!(messages(&log), ["patrol started", "begins", "ended", "next", "patrol stopped"]);
    assert_eq!((&log[1]["site"], &log[1]["task"]), (&"ay".into(), &"crawl".into()), "{outcome}");
    assert_eq!((&log[2]["pages"], &log[2]["broke"]), (&2.into(), &1.into()), "{outcome}");
    assert_eq!(log[3]["task"], "recheck", "{outcome}");
    assert!(log[0]["timestamp"].as_str().is_some_and(|time| time.ends_with('Z')), "{outcome}");
    assert_eq!(outcome.out, "");

    let requests = stage.web.requests().len();
    let (outcome, log) = once(&stage, 0);
    assert_eq!(messages(&log), ["patrol started", "next", "patrol stopped"], "{outcome}");
    assert_eq!(stage.web.requests().len(), requests, "nothing is due");
    let sites = stage.run(&["sites"]).ends(0);
    assert!(sites.out.contains("\npatrol   not running; stopped "), "{sites}");
}

#[test]
fn exactly_what_is_due_is_checked() {
    let stage = stage(&a_site(), "due-broken = \"1s\"");
    once(&stage, 0);
    let requests = stage.web.requests().len();
    // Rechecks are some minutes apart, so that URLs due at about the same time are checked
    // together.
    let (outcome, log) = once(&stage, 0);
    assert_eq!(messages(&log), ["patrol started", "next", "patrol stopped"], "{outcome}");
    age(&stage, 3600);
    let (outcome, log) = once(&stage, 0);
    assert_eq!(log[1]["task"], "recheck", "{outcome}");
    let paths: Vec<String> =
        stage.web.requests()[requests..].iter().map(|requests| requests.path.clone()).collect();
    assert!(paths.iter().any(|path| path == "/lost"), "{paths:?}");
    assert!(!paths.iter().any(|path| path == "/fine"), "{paths:?}");
    age(&stage, 2 * 86400);
    let (outcome, log) = once(&stage, 0);
    assert_eq!(log[1]["task"], "crawl", "{outcome}");
}

/// Moves the start of all runs this many seconds back, by the clock of the store.
fn age(stage: &Stage, seconds: i64) {
    let store = rusqlite::Connection::open(stage.path("store.db")).unwrap();
    let earlier = |column: &str| {
        format!("{column} = strftime('%Y-%m-%dT%H:%M:%SZ', {column}, '-{seconds} seconds')")
    };
    let sql = format!("UPDATE run SET {}, {}", earlier("started_at"), earlier("epoch_at"));
    assert!(store.execute(&sql, []).unwrap() > 0);
}

#[test]
fn quiet_hours_and_a_budget_delay_it() {
    let stage = stage(&a_site(), "quiet-hours = [\"00:00-12:00\", \"12:00-00:00\"]");
    let (outcome, log) = once(&stage, 0);
    assert_eq!(messages(&log), ["patrol started", "next", "patrol stopped"], "{outcome}");
    assert!(stage.web.requests().is_empty());

    set(&stage, "patrol-per-hour = 3");
    let (outcome, log) = once(&stage, 3);
    assert_eq!(log[2]["reason"], "hourly budget spent; the rest waits", "{outcome}");
    let requests = stage.web.requests().len();
    assert_eq!(requests, 3, "{outcome}");
    // Another process knows what was spent.
    let (outcome, log) = once(&stage, 0);
    assert_eq!(messages(&log), ["patrol started", "next", "patrol stopped"], "{outcome}");
    assert_eq!(log[1]["task"], "resume", "{outcome}");
    assert_eq!(stage.web.requests().len(), requests);
    age(&stage, 3601);
    set(&stage, "patrol-per-hour = 300");
    let (outcome, log) = once(&stage, 0);
    assert_eq!(log[1]["task"], "resume", "{outcome}");
    let ended = log.iter().find(|entry| entry["message"] == "ended").unwrap();
    assert_eq!((&ended["run"], &ended["pages"]), (&1.into(), &2.into()), "{outcome}");
    set(&stage, "quiet-hours = [\"late\"]");
    let outcome = stage.run(&["patrol", "--once"]).ends(2);
    assert!(outcome.err.contains("such as 22:00-06:00"), "{outcome}");
}

/// A running patrol, with its log.
struct Up(Running);

impl Up {
    fn start(stage: &Stage) -> Up {
        let words = ["patrol", "--log", "json"];
        Up(Running::start(&words, &mut stage.command(&words)))
    }

    /// Reads on until this message appears.
    fn until(&mut self, message: &str) -> Value {
        let parse = |line: &str| serde_json::from_str::<Value>(line).unwrap();
        let line = self.0.until(message, |line| parse(line)["message"] == message);
        parse(&line)
    }

    fn end(self, name: &str) -> Option<i32> {
        self.0.signal(name);
        self.0.end().code
    }
}

#[test]
fn a_patrol_runs_alone_publishes_its_status_and_stops_on_request() {
    let stage = stage(&a_site(), "");
    let mut up = Up::start(&stage);
    let waits = up.until("waits");
    assert_eq!(waits["task"], "recheck");
    let outcome = stage.run(&["patrol"]).ends(4);
    let process = up.0.id();
    assert!(
        outcome.err.contains("a patrol of this store is already running: process"),
        "{outcome}"
    );
    assert!(outcome.err.contains(&format!("kill {process}")), "{outcome}");
    let sites = stage.run(&["sites"]).ends(0);
    assert!(sites.out.contains(&format!(", process {process}; recheck of ay: ")), "{sites}");
    // Other commands may write to the store meanwhile.
    stage.run(&["crawl", "ay", "-q"]).ends(1);
    assert_eq!(up.end("-TERM"), Some(0));
    let sites = stage.run(&["sites"]).ends(0);
    assert!(sites.out.contains("\npatrol   not running; stopped "), "{sites}");
}

/// A site whose last page never responds, unless it was requested before.
fn slow() -> Scenario {
    let hangs = Act::First(1, Box::new(Act::Silent), Box::new(page("")));
    site("a.test", &[("/", page("<a href=/last>l</a><a href=/lost>x</a>")), ("/last", hangs)])
}

#[test]
fn a_patrol_that_is_stopped_or_killed_continues_where_it_was() {
    for name in ["-TERM", "-KILL"] {
        let stage = Stage::new(&slow());
        set(&stage, "");
        let settings = std::fs::read_to_string(stage.path("rummage.toml")).unwrap();
        let settings = settings.replace("300ms", "20s");
        std::fs::write(stage.path("rummage.toml"), settings).unwrap();
        let mut up = Up::start(&stage);
        up.until("begins");
        // Results are stored within a second, and can be read meanwhile.
        wait_until("stored page", || {
            let outcome = stage.run(&["findings"]);
            outcome.out.contains("on 1 page\n")
                && stage.web.requests().iter().any(|request| request.path == "/last")
        });
        let code = up.end(name);
        assert_eq!(code, (name == "-TERM").then_some(0));
        let sites = stage.run(&["sites"]).ends(0);
        let killed = sites.out.contains("was killed");
        assert_eq!(killed, name == "-KILL", "{sites}");
        let (outcome, log) = once(&stage, 0);
        assert_eq!(log[1]["task"], "resume", "{outcome}");
        let ended = log.iter().find(|entry| entry["message"] == "ended").unwrap();
        assert_eq!((&ended["pages"], &ended["run"]), (&2.into(), &1.into()), "{outcome}");
        let homes = stage.web.requests().iter().filter(|requests| requests.path == "/").count();
        assert_eq!(homes, 1, "what was read is not read again");
    }
}

#[test]
fn a_patrol_waits_for_another_command_that_writes_to_the_store() {
    let stage = stage(&slow(), "");
    let words = ["crawl", "ay", "--timeout", "20s", "-v"];
    let mut crawl = Running::start(&words, &mut stage.command(&words));
    crawl.until("response for the home page", |line| line.starts_with("GET http://a.test/ 200"));
    let (outcome, log) = once(&stage, 3);
    assert!(
        messages(&log).contains(&"waiting for another command to finish writing to the store"),
        "{outcome}"
    );
    crawl.signal("-INT");
    crawl.end().ends(3);
    let (outcome, log) = once(&stage, 0);
    assert_eq!(log[1]["task"], "resume", "{outcome}");
}

#[test]
fn a_site_that_cannot_be_checked_is_retried_later_and_others_are_checked() {
    let stage = stage(&a_site(), "[site.bee]\nstart = \"http://b.test/\"\ntimeout = \"100ms\"");
    let (outcome, log) = once(&stage, 3);
    let ended: Vec<&Value> = log.iter().filter(|entry| entry["message"] == "ended").collect();
    assert_eq!(ended.len(), 1, "{outcome}");
    assert_eq!(ended[0]["site"], "ay");
    let wrong = log.iter().find(|entry| entry["level"] == "ERROR").unwrap();
    assert_eq!(wrong["message"], "bee could not be checked; retrying later");
    assert!(wrong["reason"].as_str().unwrap().contains("b.test"), "{outcome}");
    let sites = stage.run(&["sites"]).ends(0);
    assert!(sites.out.contains("bee could not be checked"), "{sites}");
}

#[test]
fn an_invalid_waivers_file_is_reported_before_any_request() {
    let stage = stage(&a_site(), "");
    std::fs::write(stage.path("waivers.toml"), "[[waiver]]\nas = \"never\"\n").unwrap();
    let outcome = stage.run(&["patrol", "--once"]).ends(2);
    assert!(outcome.err.contains("waivers.toml"), "{outcome}");
    assert!(stage.web.requests().is_empty());
    std::fs::remove_file(stage.path("waivers.toml")).unwrap();
    once(&stage, 0);
}

#[test]
fn a_patrol_without_sites_suggests_a_command() {
    let stage = Stage::new(&a_site());
    let outcome = stage.run(&["patrol", "--once"]).ends(2);
    assert!(outcome.err.contains("no site to watch"), "{outcome}");
    // Without a settings file it watches the sites in the store.
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    let (outcome, log) = once(&stage, 0);
    assert_eq!(log[0]["sites"], "a.test", "{outcome}");
    let outcome = stage.run(&["patrol", "--site", "sea"]).ends(2);
    assert!(outcome.err.contains("has no run of sea"), "{outcome}");
}
