//! Workers on a real PostgreSQL: every site is checked, once, whatever happens meanwhile.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use rummage_demo::{Act, Host, Scenario};
use serde_json::Value;

use super::postgres::{Postgres, READER};
use crate::harness::{Outcome, Stage, program, without_times};
use crate::options::page;
use crate::running::{Running, finish, wait_until};

/// A web with this many sites; each has four pages, broken links of its own, and links to the
/// same external URLs.
fn web(sites: usize) -> Scenario {
    let mut hosts = BTreeMap::new();
    for number in 0..sites {
        let home = format!(
            "<a href=/one>1</a><a href=/two>2</a><a href=/gone-{number}>g</a>\
             <a href=http://shared.test/fine>f</a><a href=http://shared.test/lost>l</a>\
             <a href=http://no-such-name-{}.test/>n</a>",
            number % 3
        );
        let paths = [
            ("/", page(&home)),
            ("/one", page("<img src=/lost.png alt='a picture'><a href=/three#top>3</a>")),
            ("/two", page(&"<p>text".repeat(number % 7))),
            ("/three", page("<h1 id=bottom>three</h1>")),
        ];
        let paths = paths.map(|(path, act)| (path.to_owned(), act)).into();
        hosts.insert(host(number), Host { paths, ..Host::default() });
    }
    let paths = [("/fine", page("")), ("/", page(""))].map(|(path, act)| (path.to_owned(), act));
    hosts.insert("shared.test".to_owned(), Host { paths: paths.into(), ..Host::default() });
    let start = "http://s0.test/".to_owned();
    Scenario { start, hosts, truth: Vec::new(), pages: Vec::new() }
}

fn host(number: usize) -> String {
    format!("s{number}.test")
}

/// A web, a database, and the sites in it.
struct Fleet {
    stage: Stage,
    postgres: Postgres,
}

impl Fleet {
    /// `None` if this machine has no PostgreSQL.
    fn start(scenario: &Scenario, settings: &str) -> Option<Fleet> {
        let postgres = Postgres::start()?;
        let stage = Stage::new(scenario);
        std::fs::write(stage.path("rummage.toml"), settings).unwrap();
        let fleet = Fleet { stage, postgres };
        fleet.run(&["fleet", "prepare"]).ends(0);
        fleet.run(&["fleet", "sites", "import", "rummage.toml"]).ends(0);
        Some(fleet)
    }

    fn of(sites: usize) -> Option<Fleet> {
        Fleet::start(&web(sites), &settings(sites))
    }

    #[track_caller]
    fn run(&self, words: &[&str]) -> Outcome {
        let mut command = self.stage.command(words);
        finish(words, command.env("RUMMAGE_DATABASE_URL", self.postgres.url()))
    }

    /// A worker of this name, with a folder of its own.
    fn worker(&self, name: &str, more: &[&str]) -> Running {
        let folder = self.stage.path(name).display().to_string();
        let words = ["fleet", "work", "--name", name, "--folder", &folder, "--log", "json"];
        let words = [&words[..], &["--external-rate", "1000/s"], more].concat();
        let mut command = self.stage.command(&words);
        Running::start(&words, command.env("RUMMAGE_DATABASE_URL", self.postgres.url()))
    }

    /// As if a worker had been silent for as long as a lease lasts.
    fn let_leases_run_out(&self, worker: &str) {
        self.postgres.rows(&format!(
            "UPDATE rummage.site SET renewed_at = renewed_at - interval '2 minutes'
             WHERE worker IN (SELECT id FROM rummage.worker WHERE name = '{worker}');
             UPDATE rummage.external_check SET claimed_until = clock_timestamp()
             WHERE worker IN (SELECT id FROM rummage.worker WHERE name = '{worker}')"
        ));
    }

    /// How many sites have no finished run yet.
    fn unfinished(&self) -> usize {
        let sql = "SELECT count(*) FROM rummage.site
                   WHERE run_state IS DISTINCT FROM 'finished' OR worker IS NOT NULL";
        self.postgres.rows(sql)[0].parse().unwrap()
    }

    /// How often a URL was requested.
    fn requests(&self, url: &str) -> usize {
        self.stage.web.requests().iter().filter(|request| request.url() == url).count()
    }

    /// The findings in the database, without times.
    fn findings(&self) -> Vec<Value> {
        let outcome = self.run(&["findings", "--fleet", "--format", "jsonl"]).ends(0);
        sorted(outcome.json())
    }

    /// The findings of the same sites, checked on one machine with one store.
    fn findings_alone(&self) -> Vec<Value> {
        let sites = self.postgres.rows("SELECT name FROM rummage.site ORDER BY name");
        let of_site = |name: &String| {
            let store = self.stage.path(&format!("{name}.db")).display().to_string();
            let words = ["crawl", name, "--store", &store, "--format", "jsonl", "-q"];
            self.stage.run(&words).ends(1).json()
        };
        // On four threads, which is four times as fast where a site waits.
        let rows = std::thread::scope(|scope| {
            let part = |part: &'_ [String]| part.iter().flat_map(of_site).collect::<Vec<_>>();
            let threads: Vec<_> = sites
                .chunks(sites.len().div_ceil(4))
                .map(|sites| scope.spawn(move || part(sites)))
                .collect();
            threads.into_iter().flat_map(|thread| thread.join().unwrap()).collect()
        });
        sorted(rows)
    }
}

fn sorted(rows: Vec<Value>) -> Vec<Value> {
    let mut rows = without_times(rows, &["site", "first_seen"]);
    rows.sort_by_key(Value::to_string);
    rows
}

fn settings(sites: usize) -> String {
    let mut text = "[defaults]\ntimeout = \"500ms\"\n".to_owned();
    for number in 0..sites {
        let _ = write!(text, "[site.s{number}]\nstart = \"http://{}/\"\n", host(number));
    }
    text
}

#[test]
fn three_workers_find_what_one_machine_finds_and_check_each_site_once() {
    const SITES: usize = 60;
    let Some(fleet) = Fleet::of(SITES) else { return };
    let workers = ["north", "east", "south"].map(|name| fleet.worker(name, &["--once"]));
    let ends = workers.map(Running::end);
    for outcome in ends {
        assert_eq!(outcome.code, Some(0), "{outcome}");
    }
    assert_eq!(fleet.unfinished(), 0);
    for number in 0..SITES {
        let home = format!("http://{}/", host(number));
        assert_eq!(fleet.requests(&home), 1, "{home}");
    }
    let took_part = "SELECT count(*) FROM rummage.worker WHERE requests > 0";
    assert_eq!(fleet.postgres.rows(took_part), ["3"]);
    // Of all the sites that link there, one has made the request; a lost page is requested
    // again before it counts as lost.
    assert_eq!(fleet.requests("http://shared.test/fine"), 1);
    let lost = fleet.requests("http://shared.test/lost");
    assert!((1..=2).contains(&lost), "{lost}");
    let (all, alone) = (fleet.findings(), fleet.findings_alone());
    assert!(alone.len() >= 4 * SITES, "{}", alone.len());
    assert!(all == alone, "{} findings of the fleet, {} alone", all.len(), alone.len());
    // The same again has nothing to do.
    let requests = fleet.stage.web.requests().len();
    assert_eq!(fleet.worker("north", &["--once"]).end().code, Some(0));
    assert_eq!(fleet.stage.web.requests().len(), requests);
}

#[test]
fn what_a_killed_worker_had_is_finished_by_others() {
    const SITES: usize = 40;
    let Some(fleet) = Fleet::of(SITES) else { return };
    let mut victims = Vec::new();
    for name in ["first", "second", "third"] {
        let mut worker = fleet.worker(name, &["--sites", "3"]);
        for _ in 0..4 {
            worker.until("a pass", |line| line.contains("\"begins\""));
        }
        worker.signal("-KILL");
        worker.end();
        fleet.let_leases_run_out(name);
        victims.push(name);
    }
    let outcome = fleet.worker("last", &["--once"]).end();
    assert_eq!(outcome.code, Some(0), "{outcome}");
    assert_eq!(fleet.unfinished(), 0);
    assert!(fleet.findings() == fleet.findings_alone());
    // What was under way is done again, up to three passes for each worker that was killed; all
    // the rest is done once.
    let homes: Vec<usize> =
        (0..SITES).map(|number| fleet.requests(&format!("http://{}/", host(number)))).collect();
    // One of them is the request of `findings_alone`.
    let again: usize = homes.iter().map(|requests| requests - 2).sum();
    assert!(again <= 3 * victims.len(), "{homes:?}");
}

#[test]
fn a_worker_that_is_stopped_hands_its_store_to_the_next() {
    // The last page never comes while the first worker is there.
    let mut scenario = web(1);
    let paths = &mut scenario.hosts.get_mut("s0.test").unwrap().paths;
    let slow = Act::First(1, Box::new(Act::Silent), Box::new(page("<a href=/late>l</a>")));
    paths.insert("/three".to_owned(), slow);
    let settings = settings(1).replace("500ms", "100s");
    let Some(fleet) = Fleet::start(&scenario, &settings) else { return };
    let worker = fleet.worker("first", &[]);
    let three = "http://s0.test/three";
    wait_until("the slow request", || {
        fleet.requests(three) > 0 && fleet.requests("http://s0.test/two") > 0
    });
    worker.signal("-TERM");
    let began = std::time::Instant::now();
    let outcome = worker.end();
    assert_eq!(outcome.code, Some(0), "{outcome}");
    assert!(began.elapsed().as_secs() < 10, "{:?}", began.elapsed());
    assert_eq!(fleet.postgres.rows("SELECT run_state FROM rummage.site"), ["stopped"]);
    let outcome = fleet.worker("second", &["--once"]).end();
    assert_eq!(outcome.code, Some(0), "{outcome}");
    assert!(outcome.err.contains("store restored"), "{outcome}");
    assert!(outcome.err.contains("\"task\":\"resume\""), "{outcome}");
    assert_eq!(fleet.postgres.rows("SELECT run_state FROM rummage.site"), ["finished"]);
    assert_eq!(fleet.requests("http://s0.test/"), 1, "what was done is not done again");
    assert_eq!(fleet.requests(three), 2);
    let targets: BTreeSet<String> =
        fleet.findings().iter().map(|row| row["target"].as_str().unwrap().to_owned()).collect();
    assert!(targets.contains("http://s0.test/late"), "{targets:?}");
}

#[test]
fn without_a_database_workers_wait_and_then_go_on() {
    const SITES: usize = 30;
    let Some(mut fleet) = Fleet::of(SITES) else { return };
    let mut worker = fleet.worker("steady", &["--sites", "2"]);
    for _ in 0..6 {
        worker.until("a pass", |line| line.contains("\"begins\""));
    }
    fleet.postgres.stop();
    worker.until("a message", |line| line.contains("the database is not available"));
    fleet.postgres.start_again();
    for _ in 0..6 {
        worker.until("a pass", |line| line.contains("\"begins\""));
    }
    // A standby takes no writes; neither does a server that is set so.
    let sql = "ALTER DATABASE fleet SET default_transaction_read_only = on";
    fleet.postgres.run_in("postgres", sql);
    let cut = "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE usename = 'worker'";
    fleet.postgres.run_in("postgres", cut);
    // Now all wait: both passes, and the worker's own report.
    for _ in 0..3 {
        worker.until("a message", |line| line.contains("read-only transaction"));
    }
    // What is to be done about it changes while they wait.
    fleet.postgres.run_in("postgres", "ALTER ROLE worker CONNECTION LIMIT 0");
    fleet.postgres.run_in("postgres", cut);
    worker.until("a message", |line| line.contains("too many connections"));
    let sql = "ALTER DATABASE fleet RESET default_transaction_read_only";
    fleet.postgres.run_in("postgres", sql);
    fleet.postgres.run_in("postgres", "ALTER ROLE worker CONNECTION LIMIT -1");
    wait_until("all sites", || fleet.unfinished() == 0);
    worker.signal("-TERM");
    let outcome = worker.end();
    assert_eq!(outcome.code, Some(0), "{outcome}");
    for number in 0..SITES {
        let home = format!("http://{}/", host(number));
        assert_eq!(fleet.requests(&home), 1, "{home}: {outcome}");
    }
    assert_eq!(
        fleet.postgres.rows("SELECT count(*) FROM rummage.site WHERE problem IS NOT NULL"),
        ["0"]
    );
    assert!(fleet.findings() == fleet.findings_alone());
}

#[test]
fn a_worker_that_comes_back_late_changes_nothing() {
    let mut scenario = web(1);
    let paths = &mut scenario.hosts.get_mut("s0.test").unwrap().paths;
    let slow = Act::First(1, Box::new(Act::Silent), Box::new(page("")));
    paths.insert("/three".to_owned(), slow);
    let settings = settings(1).replace("500ms", "3s");
    let Some(fleet) = Fleet::start(&scenario, &settings) else { return };
    let mut late = fleet.worker("late", &[]);
    wait_until("the slow request", || fleet.requests("http://s0.test/three") > 0);
    late.signal("-STOP");
    fleet.let_leases_run_out("late");
    let outcome = fleet.worker("next", &["--once"]).end();
    assert_eq!(outcome.code, Some(0), "{outcome}");
    let state = "SELECT token, run_state, pages, open, due_at, passed_at FROM rummage.site";
    let before = fleet.postgres.rows(state);
    late.signal("-CONT");
    late.until("a message", |line| line.contains("another worker has taken over s0"));
    late.signal("-TERM");
    assert_eq!(late.end().code, Some(0));
    assert_eq!(fleet.postgres.rows(state), before);
    assert!(fleet.findings() == fleet.findings_alone());
}

#[test]
fn digests_are_delivered_once_by_whichever_worker() {
    const SITES: usize = 12;
    let mut settings = settings(SITES);
    let mail = "digest-to = [\"editor@a.test\"]\ndigest-from = \"rummage@a.test\"\n";
    settings.insert_str(settings.find("[site.").unwrap(), mail);
    let Some(fleet) = Fleet::start(&web(SITES), &settings) else { return };
    fleet.stage.web.refuse_emails(1);
    let workers = ["north", "south"].map(|name| fleet.worker(name, &["--once"]));
    let _ = workers.map(Running::end);
    let waiting = "SELECT count(*) FROM rummage.outbox WHERE next_at IS NOT NULL";
    assert_eq!(fleet.postgres.rows(waiting), ["1"], "the refused one is kept");
    assert_eq!(fleet.stage.web.emails().len(), SITES - 1);
    let status = fleet.run(&["fleet", "status"]).ends(0);
    assert!(status.out.contains("1 digest is waiting: "), "{status}");
    assert!(status.out.contains("mailbox busy"), "{status}");
    fleet.postgres.rows("UPDATE rummage.outbox SET next_at = now() WHERE next_at IS NOT NULL");
    assert_eq!(fleet.worker("north", &["--once"]).end().code, Some(0));
    let emails = fleet.stage.web.emails();
    let ids: BTreeSet<_> = emails.iter().map(|email| email.field("Message-ID").unwrap()).collect();
    assert_eq!((emails.len(), ids.len()), (SITES, SITES));
}

#[test]
fn a_changed_site_is_checked_again_with_its_new_settings() {
    let Some(fleet) = Fleet::of(2) else { return };
    assert_eq!(fleet.worker("one", &["--once"]).end().code, Some(0));
    let again = fleet.run(&["fleet", "sites", "import", "rummage.toml"]).ends(0);
    assert_eq!(again.out, "0 sites added, 0 changed, 2 unchanged\n");
    let waivers = "[[waiver]]\nas = \"leave\"\nreason = \"known\"\ntarget = [\"*/lost.png\"]\n";
    std::fs::write(fleet.stage.path("waivers.toml"), waivers).unwrap();
    let changed = fleet.run(&["fleet", "sites", "import", "rummage.toml"]).ends(0);
    assert_eq!(changed.out, "0 sites added, 2 changed, 0 unchanged\n");
    let pictures = ["findings", "--fleet", "--target", "*/lost.png", "--format", "jsonl"];
    assert_eq!(fleet.run(&pictures).ends(0).json().len(), 2);
    // They are due, but a pass that finds nothing due within the site has nothing to do: the
    // waivers apply all the same.
    assert_eq!(fleet.worker("one", &["--once"]).end().code, Some(0));
    assert_eq!(fleet.run(&pictures).ends(0).json().len(), 0);

    fleet.run(&["fleet", "sites", "remove", "s1"]).ends(0);
    let sites = fleet.run(&["fleet", "sites"]).ends(0);
    assert!(sites.out.contains("\ns0 ") && !sites.out.contains("\ns1 "), "{sites}");
    let left = "SELECT count(*) FROM rummage.finding WHERE site = 's1'
                UNION ALL SELECT count(*) FROM rummage.chunk WHERE site = 's1'";
    assert_eq!(fleet.postgres.rows(left), ["0", "0"]);
    let missing = fleet.run(&["fleet", "sites", "crawl", "s1"]).ends(2);
    assert!(missing.err.contains("the fleet has no site \"s1\""), "{missing}");

    // Nothing is due, but it is requested.
    let homes = fleet.requests("http://s0.test/");
    fleet.run(&["fleet", "sites", "crawl", "s0"]).ends(0);
    assert_eq!(fleet.worker("one", &["--once"]).end().code, Some(0));
    assert_eq!(fleet.requests("http://s0.test/"), homes + 1);
    let wanted = "SELECT count(*) FROM rummage.site WHERE wanted IS NOT NULL";
    assert_eq!(fleet.postgres.rows(wanted), ["0"]);

    // Without its saved store, it is crawled as if for the first time.
    let homes = fleet.requests("http://s0.test/");
    fleet.run(&["fleet", "sites", "reset", "s0"]).ends(0);
    assert_eq!(fleet.worker("one", &["--once"]).end().code, Some(0));
    assert_eq!(fleet.requests("http://s0.test/"), homes + 1);
}

#[test]
fn a_database_of_another_version_is_refused_with_advice() {
    let Some(fleet) = Fleet::of(1) else { return };
    fleet.postgres.rows("UPDATE rummage.fleet SET version = version + 1");
    for words in [&["fleet", "work"][..], &["fleet", "prepare"], &["findings", "--fleet"]] {
        let outcome = fleet.run(words).ends(4);
        assert!(outcome.err.contains("supports versions up to"), "{outcome}");
        assert!(outcome.err.contains("Use the newer rummage on every machine."), "{outcome}");
    }
    fleet.postgres.rows("UPDATE rummage.fleet SET version = 0");
    let outcome = fleet.run(&["fleet", "status"]).ends(4);
    assert!(outcome.err.contains("rummage fleet prepare"), "{outcome}");
    fleet.postgres.rows("DROP SCHEMA rummage CASCADE");
    let outcome = fleet.run(&["fleet", "sites"]).ends(4);
    assert!(outcome.err.contains("the database has no tables of Rummage yet"), "{outcome}");
}

#[test]
fn a_dashboard_reads_results_and_nothing_else() {
    let Some(fleet) = Fleet::of(2) else { return };
    assert_eq!(fleet.worker("one", &["--once"]).end().code, Some(0));
    let document = include_str!("../../../../../docs/fleet.md");
    let blocks: Vec<&str> =
        document.split("```sql\n").skip(1).map(|rest| rest.split("```").next().unwrap()).collect();
    let (grants, queries) = blocks.split_first().unwrap();
    let grants = grants.replace("dashboard", READER).replace("PASSWORD", "x");
    let grants: Vec<&str> = grants.lines().filter(|line| line.starts_with("GRANT")).collect();
    assert!(!grants.is_empty());
    fleet.postgres.rows(&grants.join("\n"));
    assert!(queries.len() >= 6, "{}", queries.len());
    for query in queries {
        let rows = fleet.postgres.rows_as(READER, query);
        assert!(rows.is_ok(), "{query}: {rows:?}");
    }
    for table in ["site", "outbox", "chunk", "external_check"] {
        let rows = fleet.postgres.rows_as(READER, &format!("SELECT * FROM rummage.{table}"));
        assert!(rows.is_err_and(|error| error.contains("permission denied")), "{table}");
    }
}

#[test]
fn a_suspicious_result_stays_a_problem_until_it_is_accepted() {
    let settings = settings(1);
    let Some(fleet) = Fleet::of(1) else { return };
    assert_eq!(fleet.worker("one", &["--once"]).end().code, Some(0));
    let before = fleet.findings().len();
    assert!(before > 0);
    // Only a start page is left, as in maintenance.
    let mut small = web(1);
    small.hosts.get_mut("s0.test").unwrap().paths =
        [("/".to_owned(), page("We will be back soon."))].into();
    let fleet = Fleet { stage: Stage::new(&small), ..fleet };
    std::fs::write(fleet.stage.path("rummage.toml"), &settings).unwrap();
    fleet.run(&["fleet", "sites", "crawl", "s0"]).ends(0);
    let outcome = fleet.worker("one", &["--once"]).end();
    assert_eq!(outcome.code, Some(3), "{outcome}");
    assert_eq!(fleet.findings().len(), before, "what was found is not taken for fixed");
    let status = || fleet.run(&["fleet", "status"]).ends(0).out;
    assert!(status().contains("s0: suspicious result, not believed"), "{}", status());
    // A pass that has nothing to do does not make it well.
    fleet.postgres.rows("UPDATE rummage.site SET due_at = now()");
    assert_eq!(fleet.worker("one", &["--once"]).end().code, Some(0));
    assert!(status().contains("s0: suspicious result, not believed"), "{}", status());
    fleet.run(&["fleet", "sites", "crawl", "s0", "--accept"]).ends(0);
    assert_eq!(fleet.worker("one", &["--once"]).end().code, Some(0));
    assert!(!status().contains("suspicious"), "{}", status());
    assert_eq!(fleet.findings().len(), 0);
}

#[test]
fn an_encrypted_connection_is_only_made_to_the_right_server() {
    let Some(postgres) = Postgres::start() else { return };
    let postgres = postgres.with_tls();
    let secure = format!("{}?sslmode=require", postgres.url());
    let run = |url: &str, authority: Option<&std::path::Path>| {
        let words = ["fleet", "prepare"];
        let mut command = program(&words);
        command.env("RUMMAGE_DATABASE_URL", url);
        if let Some(authority) = authority {
            command.env("SSL_CERT_FILE", authority);
        }
        finish(&words, &mut command)
    };
    let outcome = run(&secure, None).ends(2);
    assert!(outcome.err.contains("the database cannot be trusted"), "{outcome}");
    assert!(outcome.err.contains("SSL_CERT_FILE"), "{outcome}");
    // The certificate is for the address, not for this name.
    let authority = postgres.authority.as_deref();
    let other = secure.replace("127.0.0.1", "localhost");
    let outcome = run(&other, authority).ends(2);
    assert!(outcome.err.contains("the database cannot be trusted"), "{outcome}");
    run(&secure, authority).ends(0);
    let log = "SELECT count(*) FROM rummage.fleet";
    assert_eq!(postgres.rows(log), ["1"]);
}

/// What a pass has used is no second observation for the next one, also if the pass was not saved.
#[test]
fn what_was_observed_before_a_lost_pass_is_not_used_again() {
    let lost = "http://shared.test/lost";
    let Some(fleet) = Fleet::of(1) else { return };
    assert_eq!(fleet.worker("one", &["--once"]).end().code, Some(0));
    let once = fleet.requests(lost);
    // As if its worker had been killed before it could save the pass.
    fleet.postgres.rows(
        "UPDATE rummage.site
         SET worker = (SELECT max(id) FROM rummage.worker), passed_at = NULL, wanted = 'crawl',
             renewed_at = now() - interval '2 minutes', due_at = now()",
    );
    assert_eq!(fleet.worker("one", &["--once"]).end().code, Some(0));
    assert_eq!(fleet.requests("http://s0.test/"), 2);
    assert!(fleet.requests(lost) > once, "{once}");
}

/// Whatever a page contains, its findings can be stored; and the secrets of the worker stay there.
#[test]
fn a_hostile_page_cannot_keep_a_site_from_being_saved() {
    // Not compressible, and longer than an index entry may be.
    let noise: String =
        (0..4000u32).map(|at| format!("{:x}", at.wrapping_mul(2_654_435_761))).collect();
    let home = format!(
        "<a href='http://{noise}.test/'>h</a><a href='x-{noise}:y'>s</a><a href='mailto:{noise}'>m</a>\
         <a href='/lost-&#0;-\u{1}\u{202e}{noise}'>&#0;\\u0000 \u{1b}[31m</a>"
    );
    let mut scenario = web(1);
    scenario.hosts.get_mut("s0.test").unwrap().paths.insert("/".to_owned(), page(&home));
    let command = "digest-command = [\"/bin/sh\", \"-c\", \"env > environment\"]\n";
    let settings = settings(1) + command;
    let Some(fleet) = Fleet::start(&scenario, &settings) else { return };
    let outcome = fleet.worker("one", &["--once"]).end();
    assert_eq!(outcome.code, Some(0), "{outcome}");
    assert!(!outcome.err.contains("not shared"), "{outcome}");
    assert_eq!(fleet.unfinished(), 0, "{outcome}");
    assert!(fleet.findings().len() >= 2, "{outcome}");
    let text = fleet.run(&["findings", "--fleet"]).ends(0).out;
    assert!(!text.contains(['\u{1b}', '\u{202e}', '\u{1}']), "{text}");
    let seen = std::fs::read_to_string(fleet.stage.path("environment")).unwrap();
    assert!(seen.contains("RUMMAGE_STORE=") && !seen.contains("RUMMAGE_DATABASE_URL"), "{seen}");
}
