//! The output compared with the truth about every planted fault: nothing missed, no false alarms.
//! On the museum, and on generated webs.

use std::collections::BTreeMap;

use rummage_demo::{Fault, FaultLink, FaultLinks, Scenario, generated, museum};
use serde_json::Value;

use crate::harness::{Stage, without_times};

/// A fault as one line: verdict, cause, status and target, then its links.
fn planted(scenario: &Scenario) -> BTreeMap<String, Vec<String>> {
    let line = |fault: &Fault| {
        let Fault { target, verdict, cause, status, places } = fault;
        let places = match places {
            FaultLinks::On(places) => places.clone(),
            FaultLinks::EveryPage(element, text) => {
                let place =
                    |page: &String| FaultLink { page: page.clone(), element, text: text.clone() };
                scenario.pages.iter().map(place).collect()
            }
        };
        let place =
            |place: FaultLink| format!("{} {} \"{}\"", place.page, place.element, place.text);
        let mut places: Vec<String> = places.into_iter().map(place).collect();
        places.sort();
        let status = status.map_or("none".to_owned(), |status| status.to_string());
        (format!("{verdict} {cause} {status} {target}"), places)
    };
    scenario.truth.iter().map(line).collect()
}

/// The same from the output.
fn found(lines: &[Value]) -> BTreeMap<String, Vec<String>> {
    let mut found: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for line in lines {
        let text = |key: &str| line[key].as_str().unwrap_or_default();
        let status = line["status"].as_u64().map_or("none".to_owned(), |status| status.to_string());
        let fault = format!("{} {} {status} {}", text("verdict"), text("cause"), text("target"));
        let place = format!("{} {} \"{}\"", text("page"), text("element"), text("text"));
        found.entry(fault).or_default().push(place);
    }
    for places in found.values_mut() {
        places.sort();
    }
    found
}

fn check(scenario: &Scenario) {
    let stage = Stage::new(scenario);
    let words = ["crawl", &scenario.start, "--timeout", "500ms", "--format", "jsonl"];
    let outcome = stage.run(&words).ends(1);
    let (found, planted) = (found(&outcome.json()), planted(scenario));
    let only_in = |one: &BTreeMap<_, _>, other: &BTreeMap<_, _>| -> Vec<String> {
        let differs = one.iter().filter(|(fault, places)| other.get(*fault) != Some(*places));
        differs.map(|(fault, places)| format!("{fault} on {places:?}")).collect()
    };
    let (false_alarms, missed) = (only_in(&found, &planted), only_in(&planted, &found));
    assert!(
        false_alarms.is_empty() && missed.is_empty(),
        "{}\nsaid, and not so: {false_alarms:#?}\nso, and not said: {missed:#?}",
        scenario.start
    );

    let pages: Vec<String> = stage
        .run(&["findings", "--all", "--format", "jsonl"])
        .ends(0)
        .json()
        .iter()
        .map(|line| line["page"].as_str().unwrap().to_owned())
        .collect();
    for page in &scenario.pages {
        assert!(pages.contains(page), "{page} was not read");
    }
}

#[test]
fn every_fault_of_the_museum_is_found_and_nothing_else() {
    check(&museum());
}

#[test]
fn every_fault_of_generated_webs_is_found_and_nothing_else() {
    std::thread::scope(|scope| {
        for seed in 1..=6 {
            scope.spawn(move || check(&generated(seed)));
        }
    });
}

#[test]
fn every_url_is_requested_once_unless_it_is_missing_or_failing() {
    let scenario = generated(77);
    let stage = Stage::new(&scenario);
    stage.run(&["crawl", &scenario.start, "--timeout", "500ms"]).ends(1);
    let mut times: BTreeMap<(String, String), u32> = BTreeMap::new();
    for requests in stage.web.requests() {
        *times.entry((requests.host, requests.path)).or_default() += 1;
    }
    // The start page may be requested again as the canary of its server.
    for page in scenario.pages.iter().filter(|page| **page != scenario.start) {
        let (host, path) = page.strip_prefix("http://").unwrap().split_once('/').unwrap();
        let times = times.get(&(host.to_owned(), format!("/{path}")));
        assert_eq!(times, Some(&1), "{page}");
    }
    // Three attempts; and if several fail at once, up to three that do not count.
    let too_often: Vec<_> =
        times.iter().filter(|((_, path), times)| path != "/" && **times > 6).collect();
    assert!(too_often.is_empty(), "{too_often:#?}");
    let start = scenario.start.trim_start_matches("http://").trim_end_matches('/');
    assert!(times[&(start.to_owned(), "/".to_owned())] <= 8, "{times:#?}");
}

#[test]
fn the_same_web_gives_the_same_lines() {
    let scenario = generated(5);
    let lines = || {
        let stage = Stage::new(&scenario);
        let words = ["crawl", &scenario.start, "--timeout", "500ms", "--format", "jsonl", "--all"];
        without_times(stage.run(&words).ends(1).json(), &["first_seen"])
    };
    assert_eq!(lines(), lines());
}
