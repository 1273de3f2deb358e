//! What programs read is valid by the schema that describes it.

use std::fs;

use rummage_demo::museum;
use serde_json::Value;

use super::agreement::parsed;
use crate::harness::{Outcome, Stage};

#[track_caller]
fn check(schema: &Value, value: &Value) {
    let validator = jsonschema::validator_for(schema).unwrap();
    let faults: Vec<String> =
        validator.iter_errors(value).map(|fault| format!("{fault}")).take(3).collect();
    assert!(faults.is_empty(), "{faults:#?}");
}

fn crawled() -> Stage {
    let stage = Stage::new(&museum());
    stage.run(&["crawl", "www.ashlock-canal.test", "--timeout", "500ms", "-q"]).ends(1);
    stage.run(&["waive", "/attic/lost.html", "--reason", "an old page"]).ends(0);
    stage
}

#[test]
fn json_is_valid_by_its_schema() {
    let stage = crawled();
    let schema = parsed(&stage.run(&["report", "--schema"]).ends(0).out);
    for words in [
        &["--format", "jsonl", "--all"][..],
        &["--format", "jsonl", "--group", "target", "--all"],
        &["--format", "json", "--all"],
        &["--format", "json", "--standing", "waived"],
    ] {
        let words = [&["report"], words].concat();
        let outcome: Outcome = stage.run(&words).ends(0);
        let values = match words[2] {
            "json" => vec![parsed(&outcome.out)],
            _ => outcome.json(),
        };
        assert!(!values.is_empty(), "{words:?}");
        values.iter().for_each(|value| check(&schema, value));
    }
    let validator = jsonschema::validator_for(&schema).unwrap();
    assert!(!validator.is_valid(&parsed("{\"verdict\":\"broken\"}")), "keys are required");
}

/// The schema is that of the OASIS standard.
#[test]
fn sarif_is_valid_by_the_schema_of_the_standard() {
    let schema = parsed(include_str!("sarif-2.1.0.schema.json"));
    let stage = crawled();
    for words in [&["-o", "r.sarif"][..], &["-o", "r.sarif", "--all"]] {
        stage.run(&[&["report"], words].concat()).ends(0);
        let log = parsed(&fs::read_to_string(stage.path("r.sarif")).unwrap());
        check(&schema, &log);
    }
    stage.run(&["recheck", "--verdict", "broken", "--timeout", "500ms", "-q"]);
    stage.run(&["report", "-o", "r.sarif", "--standing", "waived"]).ends(0);
    let log = parsed(&fs::read_to_string(stage.path("r.sarif")).unwrap());
    check(&schema, &log);
    let results = log["runs"][0]["results"].as_array().unwrap();
    assert!(!results.is_empty());
    for result in results {
        assert_eq!(result["suppressions"][0]["kind"], "external", "{result}");
        assert_eq!(result["baselineState"], "unchanged", "{result}");
    }
}

/// In a folder, results name files, relative to the folder in which the command runs.
#[test]
fn results_of_a_folder_name_files() {
    let stage = Stage::new(&museum());
    let folder = stage.path("public/a b");
    fs::create_dir_all(&folder).unwrap();
    let html = "<title>t</title>\n<p><a href=/gone.html>g</a> [x](y)";
    fs::write(folder.join("50%#.html"), html).unwrap();
    fs::write(stage.path("public/index.html"), "<a href='a%20b/50%25%23.html'>x</a>").unwrap();
    stage.run(&["crawl", "./public", "--as", "https://a.test/", "-q", "-o", "r.sarif"]).ends(1);
    let log = parsed(&fs::read_to_string(stage.path("r.sarif")).unwrap());
    check(&parsed(include_str!("sarif-2.1.0.schema.json")), &log);
    // The path of this machine is of no use to others.
    let here = stage.folder.path().display().to_string();
    for name in ["r.sarif", "r.html", "r.xml", "r.md", "r.baseline"] {
        stage.run(&["report", "-o", name]).ends(0);
        let text = fs::read_to_string(stage.path(name)).unwrap();
        assert!(!text.contains(&here) && text.contains("a.test"), "{name}: {text}");
    }
    let place = &log["runs"][0]["results"][0]["locations"][0]["physicalLocation"];
    assert_eq!(place["artifactLocation"]["uri"], "public/a%20b/50%25%23.html");
    assert_eq!(
        (&place["region"]["startLine"], &place["region"]["startColumn"]),
        (&2.into(), &4.into())
    );
}
