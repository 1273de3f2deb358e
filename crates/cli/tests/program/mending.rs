//! From broken links to repairs: propose, apply, redirect, confirm.

use std::collections::BTreeMap;
use std::path::Path;

use rummage_demo::{CurableSite, curable};

use crate::harness::Stage;

/// A stage with the files of a site in `site/`, crawled.
fn crawled(site: &CurableSite) -> Stage {
    let stage = Stage::new(&site.web());
    write(&stage.path("site"), &site.files);
    stage.run(&["crawl", &site.start, "-q"]).ends(1);
    stage
}

fn write(root: &Path, files: &BTreeMap<String, Vec<u8>>) {
    for (name, bytes) in files {
        let path = root.join(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, bytes).unwrap();
    }
}

fn read(root: &Path, like: &BTreeMap<String, Vec<u8>>) -> BTreeMap<String, Vec<u8>> {
    like.keys().map(|name| (name.clone(), std::fs::read(root.join(name)).unwrap())).collect()
}

/// What a plan does with targets: single repairs and rules.
struct Plan {
    mends: BTreeMap<String, (String, Option<String>, String)>,
    rules: Vec<(String, String)>,
}

impl Plan {
    fn read(path: &Path) -> Plan {
        let text = std::fs::read_to_string(path).unwrap();
        let plan: toml_edit::DocumentMut = text.parse().unwrap();
        let tables = |name: &str| {
            let tables = plan.get(name).and_then(|item| item.as_array_of_tables()).cloned();
            tables.unwrap_or_default()
        };
        let word = |table: &toml_edit::Table, key: &str| {
            table.get(key).and_then(|item| item.as_str()).map(str::to_owned)
        };
        let mend = |table: &toml_edit::Table| {
            let confidence = word(table, "confidence").unwrap_or_default();
            let done = (word(table, "action").unwrap(), word(table, "to"), confidence);
            (word(table, "target").unwrap(), done)
        };
        let rule =
            |table: &toml_edit::Table| (word(table, "from").unwrap(), word(table, "to").unwrap());
        Plan {
            mends: tables("mend").iter().map(mend).collect(),
            rules: tables("rule").iter().map(rule).collect(),
        }
    }

    /// The new URL of a target, and how sure it is.
    fn cure(&self, target: &str) -> (Option<String>, String) {
        if let Some((_, to, confidence)) = self.mends.get(target) {
            return (to.clone(), confidence.clone());
        }
        let by_rule = self.rules.iter().find_map(|(from, to)| match from.split_once('*') {
            None => Some(format!("{to}{}", target.strip_prefix(from)?)),
            Some((before, after)) => {
                let middle = target.strip_prefix(before)?.strip_suffix(after)?;
                Some(to.replace('*', middle))
            }
        });
        (by_rule, "rule".to_owned())
    }
}

#[test]
fn most_faults_get_the_right_cure_and_hardly_any_a_wrong_one_with_confidence() {
    for seed in [1, 2] {
        let site = curable(seed);
        let stage = crawled(&site);
        stage.run(&["mend", "propose", "-o", "plan.toml", "-q"]).ends(0);
        let plan = Plan::read(&stage.path("plan.toml"));
        let (mut right, mut wrong, mut report) = (0, 0, String::new());
        let curable = site.faults.iter().filter(|fault| fault.cure.is_some()).count();
        for fault in &site.faults {
            let (to, confidence) = plan.cure(&fault.target);
            if to == fault.cure && fault.cure.is_some() {
                right += 1;
                continue;
            }
            if fault.cure.is_none() && to.is_none() {
                continue;
            }
            let is_sure = to.is_some() && (confidence == "high" || confidence == "rule");
            wrong += usize::from(is_sure);
            report += &format!(
                "{}: {}\n  {to:?} ({confidence}), not {:?}\n",
                fault.kind, fault.target, fault.cure
            );
        }
        assert!(100 * right >= 95 * curable, "seed {seed}: {right} of {curable}\n{report}");
        assert!(100 * wrong <= curable, "seed {seed}: {wrong} wrong\n{report}");
    }
}

#[test]
fn after_apply_and_confirm_no_fault_with_a_cure_remains_and_no_other_byte_has_changed() {
    let site = curable(3);
    let stage = crawled(&site);
    stage.run(&["mend", "propose", "-o", "plan.toml", "-q"]).ends(0);
    let apply = ["mend", "apply", "plan.toml", "--files", "site"];
    let shown = stage.run(&apply).ends(0);
    assert!(shown.err.contains("would change"), "{shown}");
    assert_eq!(read(&stage.path("site"), &site.files), site.files, "a diff changes nothing");
    stage.run(&[&apply[..], &["--write"]].concat()).ends(0);
    let fixed = read(&stage.path("site"), &site.files);
    for (name, old) in &site.files {
        only_references_differ(name, old, &fixed[name]);
    }
    let again = stage.run(&[&apply[..], &["--write"]].concat()).ends(0);
    assert!(again.err.contains("nothing to change"), "{again}");

    // The same web with the new files, and the same store.
    let plan = Plan::read(&stage.path("plan.toml"));
    let later = Stage::new(&site.serving(&fixed));
    std::fs::copy(stage.path("plan.toml"), later.path("plan.toml")).unwrap();
    std::fs::copy(stage.path("store.db"), later.path("store.db")).unwrap();
    let confirmed = later.run(&["mend", "confirm", "plan.toml", "-q"]).ends(0);
    assert!(confirmed.out.ends_with(" done, 0 not yet, 0 failed\n"), "{confirmed}");
    let left = |outcome: &crate::harness::Outcome| -> Vec<String> {
        let rows = outcome.json().into_iter();
        rows.map(|row| row["target"].as_str().unwrap().to_owned()).collect()
    };
    let crawled = later.run(&["crawl", &site.start, "-q", "--format", "jsonl"]);
    let found = later.run(&["findings", "--format", "jsonl"]).ends(0);
    for targets in [left(&crawled), left(&found)] {
        for fault in site.faults.iter().filter(|fault| plan.cure(&fault.target).0 == fault.cure) {
            let is_left = targets.contains(&fault.target);
            assert_eq!(is_left, fault.cure.is_none(), "{}: {}", fault.kind, fault.target);
        }
    }
}

/// Every line is as it was, or differs only in the URLs in it.
#[track_caller]
fn only_references_differ(name: &str, old: &[u8], new: &[u8]) {
    let (old, new) = (String::from_utf8_lossy(old), String::from_utf8_lossy(new));
    let (old, new): (Vec<&str>, Vec<&str>) = (old.split('\n').collect(), new.split('\n').collect());
    assert_eq!(old.len(), new.len(), "{name}");
    for (old, new) in old.into_iter().zip(new) {
        let outside = |line: &str| -> Vec<String> {
            let parts = line.split(['"', '\'']).enumerate();
            let parts = parts.filter(|(_, part)| !part.contains('/'));
            parts.map(|(_, part)| part.to_owned()).collect()
        };
        if old != new {
            assert!(old.to_lowercase().contains("href") || old.contains("src="), "{name}: {old}");
            assert_eq!(outside(old), outside(new), "{name}: {old} became {new}");
        }
    }
}
