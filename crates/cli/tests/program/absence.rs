//! A site that refuses every request, and one whose server is restarted.

use rummage_demo::{Act, Host, Scenario};

use crate::harness::Stage;
use crate::options::{page, site};
use crate::running::Running;

/// A site with this many pages, all linked from the home page.
fn fan(pages: usize) -> Scenario {
    let links: String = (0..pages).map(|n| format!("<a href=/p{n}>{n}</a>")).collect();
    let paths: Vec<(String, Act)> =
        (0..pages).map(|n| (format!("/p{n}"), page(&format!("Words of page {n} alone")))).collect();
    let mut paths: Vec<(&str, Act)> =
        paths.iter().map(|(p, act)| (p.as_str(), act.clone())).collect();
    paths.push(("/", page(&links)));
    site("a.test", &paths)
}

#[test]
fn a_site_that_refuses_everything_is_not_broken_and_the_run_can_be_continued() {
    let mut scenario = fan(60);
    let host = scenario.hosts.get_mut("a.test").unwrap();
    *host = Host { refuses: 30..60, ..host.clone() };
    let stage = Stage::new(&scenario);
    let outcome =
        stage.run(&["crawl", "http://a.test", "--per-host", "2", "--timeout", "500ms"]).ends(3);
    assert!(outcome.out.contains("\n0 broken"), "{outcome}");
    assert!(outcome.out.contains("has refused every request since"), "{outcome}");
    assert!(outcome.out.contains("Continue it with: rummage crawl --resume"), "{outcome}");
    assert!(
        outcome.err.contains("not finished; continue with: rummage crawl --resume"),
        "{outcome}"
    );
    let requests = stage.web.requests().len();
    assert!(requests < 50, "{requests} requests to a server that refuses");

    let mut ends = 3;
    for _ in 0..20 {
        let outcome = stage.run(&["crawl", "--resume", "--timeout", "500ms"]);
        ends = outcome.code.unwrap();
        if ends == 0 {
            assert!(outcome.out.contains(" on 61 pages\n"), "{outcome}");
            assert!(outcome.out.contains("0 broken, 0 doubtful"), "{outcome}");
            break;
        }
    }
    assert_eq!(ends, 0, "the server has enough of refusing in the end");
}

#[test]
fn a_restart_in_the_middle_causes_no_false_alarm() {
    let stage = Stage::new(&fan(200));
    let words =
        ["crawl", "http://a.test", "-v", "--per-host", "4", "--timeout", "1s", "--format", "jsonl"];
    let mut crawl = Running::start(&words, &mut stage.command(&words));
    let (mut fine, mut refused) = (0, 0);
    crawl.for_each_line(|line| {
        fine += u32::from(line.contains(" 200 "));
        refused += u32::from(line.contains("connection refused"));
        if fine == 60 {
            stage.web.set_up(false);
        }
        // After the fourth failure in a row, only the canary is requested, at growing intervals.
        if refused == 6 {
            stage.web.set_up(true);
        }
    });
    let outcome = crawl.end().ends(0);
    assert_eq!(outcome.out, "", "nothing is broken, doubtful or moved");
    assert!(refused >= 6, "the server was away: {refused}");
    let outcome = stage.run(&["findings"]).ends(0);
    assert!(outcome.out.contains(" on 201 pages\n"), "{outcome}");
}
