//! From broken links to repairs: propose, apply, redirect, confirm.

use std::collections::BTreeMap;
use std::path::Path;

use rummage_demo::{
    Act, CurableSite, MOVED_TRUTH, access_log, curable, moved, museum, write_pages,
};
use serde_json::Value;

use crate::harness::{Outcome, Stage, program};
use crate::options::{page, site};
use crate::running::finish;

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
        assert!(100 * right >= 97 * curable, "seed {seed}: {right} of {curable}\n{report}");
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
    assert!(shown.out.contains("would change"), "{shown}");
    assert_eq!(read(&stage.path("site"), &site.files), site.files, "a diff changes nothing");
    stage.run(&[&apply[..], &["--write"]].concat()).ends(0);
    let fixed = read(&stage.path("site"), &site.files);
    for (name, old) in &site.files {
        only_references_differ(name, old, &fixed[name]);
    }
    let again = stage.run(&[&apply[..], &["--write"]].concat()).ends(0);
    assert!(again.out.contains("nothing to change"), "{again}");

    // The same web with the new files, and the same store.
    let plan = Plan::read(&stage.path("plan.toml"));
    let later = Stage::new(&site.serving(&fixed));
    std::fs::copy(stage.path("plan.toml"), later.path("plan.toml")).unwrap();
    std::fs::copy(stage.path("store.db"), later.path("store.db")).unwrap();
    let confirmed = later.run(&["mend", "confirm", "plan.toml", "-q"]).ends(0);
    assert!(confirmed.out.ends_with(" done, 0 not yet, 0 failed\n"), "{confirmed}");
    let left = |outcome: &Outcome| -> Vec<String> {
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

const MUSEUM: &str = "https://www.ashlock-canal.test/";

/// The museum's web, and its pages as copied from the old server in `moved/`, crawled.
fn copied() -> Stage {
    let stage = Stage::new(&museum());
    write_pages(&stage.path("moved"), moved()).unwrap();
    stage.run(&["crawl", "./moved", "--as", MUSEUM, "-q"]).ends(1);
    stage
}

#[test]
fn a_copy_from_an_old_server_is_mended_by_one_rule_and_what_the_demo_says() {
    let stage = copied();
    let said = stage.run(&["mend", "propose", "-o", "plan.toml"]).ends(0);
    assert!(said.out.contains("by 1 rule: 5 targets"), "{said}");
    let plan = Plan::read(&stage.path("plan.toml"));
    for (target, cure) in MOVED_TRUTH {
        let (to, _) = plan.cure(target);
        assert_eq!(to.as_deref(), *cure, "{target}");
    }
    insta::assert_snapshot!(
        "a_plan_as_a_table",
        stage.run(&["mend", "show", "plan.toml"]).ends(0).out
    );
    let apply = ["mend", "apply", "plan.toml", "--files", "moved", "--write"];
    let done = stage.run(&apply).ends(0);
    insta::assert_snapshot!("a_diff_of_mended_pages", done.out);
    let confirmed = stage.run(&["mend", "confirm", "plan.toml"]).ends(0);
    assert_eq!(confirmed.out, "7 done, 0 not yet, 0 failed\n");
    let left = stage.run(&["findings", "--format", "jsonl"]).ends(0).json();
    let mut left: Vec<&str> = left.iter().map(|row| row["target"].as_str().unwrap()).collect();
    left.dedup();
    let hopeless = MOVED_TRUTH.iter().filter(|(_, cure)| cure.is_none()).map(|(target, _)| *target);
    let mut hopeless: Vec<&str> = hopeless.collect();
    left.sort_unstable();
    hopeless.sort_unstable();
    assert_eq!(left, hopeless);
}

#[test]
fn confirm_says_what_is_not_done_yet_and_what_failed() {
    let stage = copied();
    let plan = format!(
        "site = \"{MUSEUM}\"\n\
         [[mend]]\ntarget = \"{MUSEUM}boats/perseverence.html\"\naction = \"replace\"\n\
         to = \"{MUSEUM}boats/perseverance.html\"\n\
         [[mend]]\ntarget = \"{MUSEUM}paths/Towpath.html\"\naction = \"replace\"\n\
         to = \"{MUSEUM}paths/nowhere.html\"\n\
         [[mend]]\ntarget = \"http://trains.westshire.test/timetable\"\naction = \"redirect\"\n\
         to = \"http://trains.westshire.test/timetables/ashlock-halt\"\n\
         [[mend]]\ntarget = \"http://archive.westshire.test/canals/ashlock/plans\"\naction = \"gone\"\n\
         [[mend]]\ntarget = \"http://users.westshire.test/~museum/boats/tugs.html\"\naction = \"leave\"\n"
    );
    std::fs::write(stage.path("plan.toml"), plan).unwrap();
    let said = stage.run(&["mend", "confirm", "plan.toml", "-v"]).ends(1).out;
    let row = |target: &str| {
        let line =
            said.lines().find(|line| line.ends_with(target)).unwrap_or_else(|| panic!("{said}"));
        line.split("  ").next().unwrap().trim().to_owned()
    };
    assert_eq!(row("boats/perseverence.html"), "not yet", "{said}");
    assert_eq!(row("paths/Towpath.html"), "failed", "{said}");
    assert_eq!(row("trains.westshire.test/timetable"), "done", "{said}");
    assert_eq!(row("canals/ashlock/plans"), "done", "{said}");
    assert!(said.ends_with("2 done, 1 not yet, 1 failed\n"), "{said}");
    let other = "site = \"https://other.test/\"\n";
    std::fs::write(stage.path("other.toml"), other).unwrap();
    let said = stage.run(&["mend", "confirm", "other.toml"]).ends(2);
    assert!(said.err.contains("the plan is for https://other.test/"), "{said}");
}

#[test]
fn what_visitors_request_becomes_redirects_most_wanted_first() {
    let stage = Stage::new(&museum());
    std::fs::write(stage.path("access.log"), access_log()).unwrap();
    stage.run(&["crawl", MUSEUM, "--timeout", "500ms", "-q"]).ends(1);
    stage.run(&["arrivals", "access.log", "-o", "missing.toml"]).ends(0);
    let plan = Plan::read(&stage.path("missing.toml"));
    assert!(!plan.mends.is_empty());
    let actions = plan.mends.values().map(|(action, ..)| action.as_str());
    assert!(actions.clone().all(|action| ["redirect", "gone", "leave"].contains(&action)));
    let action = |path: &str| plan.mends[&format!("{MUSEUM}{path}")].0.as_str();
    assert_eq!(action("volunteers/rota.html"), "leave", "the site links to it");
    assert_eq!(action("visitors/opening.htm"), "gone");
    let text = std::fs::read_to_string(stage.path("missing.toml")).unwrap();
    let visits = text.lines().filter_map(|line| line.strip_prefix("visits = "));
    let visits: Vec<u64> = visits.map(|number| number.parse().unwrap()).collect();
    assert!(visits.is_sorted_by(|one, other| one >= other), "{text}");
    assert_eq!(visits.len(), plan.mends.len());
    let again = stage.run(&["mend", "propose", "--arrivals", "access.log", "-o", "missing.toml"]);
    assert!(again.ends(0).out.contains("0 entries added"));
    let csv = stage.run(&["mend", "redirects", "missing.toml", "--for", "csv"]).ends(0).out;
    let gone = plan.mends.values().filter(|(action, ..)| action == "gone").count();
    assert_eq!(csv.lines().filter(|line| line.ends_with(",,410,false")).count(), gone, "{csv}");
}

/// A folder with a plan that replaces `/old`, and no store.
struct Folder(tempfile::TempDir);

impl Folder {
    fn new(files: &[(&str, &[u8])]) -> Folder {
        let folder = Folder(tempfile::TempDir::new().unwrap());
        for (name, bytes) in files {
            folder.write(&format!("site/{name}"), bytes);
        }
        let plan = "site = \"https://a.test/\"\n[[mend]]\ntarget = \"https://a.test/old\"\n\
            action = \"replace\"\nto = \"https://a.test/new\"\n";
        folder.write("plan.toml", plan.as_bytes());
        folder
    }

    fn path(&self, name: &str) -> std::path::PathBuf {
        self.0.path().join(name)
    }

    fn write(&self, name: &str, bytes: &[u8]) {
        let path = self.path(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, bytes).unwrap();
    }

    fn read(&self, name: &str) -> Vec<u8> {
        std::fs::read(self.path(name)).unwrap()
    }

    fn run(&self, words: &[&str]) -> Outcome {
        let words = [words, &["--store", "none.db"]].concat();
        finish(&words, program(&words).current_dir(self.0.path()))
    }

    fn apply(&self, more: &[&str]) -> Outcome {
        self.run(&[&["mend", "apply", "plan.toml", "--files", "site"], more].concat())
    }
}

#[test]
fn bytes_that_are_no_reference_stay_whatever_the_encoding() {
    let utf16: Vec<u8> = [0xff, 0xfe]
        .into_iter()
        .chain("<a href=/old>é</a>\r\n".encode_utf16().flat_map(u16::to_le_bytes))
        .collect();
    let folder = Folder::new(&[
        ("latin.html", b"<meta charset=iso-8859-1>\r\n<p>caf\xe9 <A HREF='/old#s'>\xe9</A>"),
        ("mark.html", b"\xef\xbb\xbf<a href=/old>x</a>\n"),
        ("utf16.html", &utf16),
        ("broken.html", b"<meta charset=utf-8><a href=/old>\xff\xc3</a>\r"),
        ("post.md", b"[x](/old) \\[x](/old)\r\n"),
        ("data.json", b"{\"url\": \"https://a.test/old\"}"),
        (".hidden/x.html", b"<a href=/old>"),
        ("node_modules/x.html", b"<a href=/old>"),
    ]);
    let done = folder.apply(&["--write", "--also", "*.json"]).ends(0);
    assert!(done.out.contains("changed 6 links in 6 files of 6 looked at"), "{done}");
    assert_eq!(
        folder.read("site/latin.html"),
        b"<meta charset=iso-8859-1>\r\n<p>caf\xe9 <A HREF='/new#s'>\xe9</A>"
    );
    assert_eq!(folder.read("site/mark.html"), b"\xef\xbb\xbf<a href=/new>x</a>\n");
    let expected = String::from_utf16_lossy(
        &utf16.chunks(2).map(|c| u16::from_le_bytes([c[0], c[1]])).collect::<Vec<_>>(),
    );
    let found = folder.read("site/utf16.html");
    let found: Vec<u16> = found.chunks(2).map(|c| u16::from_le_bytes([c[0], c[1]])).collect();
    assert_eq!(String::from_utf16_lossy(&found), expected.replace("old", "new"));
    assert_eq!(folder.read("site/broken.html"), b"<meta charset=utf-8><a href=/new>\xff\xc3</a>\r");
    assert_eq!(folder.read("site/post.md"), b"[x](/new) \\[x](/old)\r\n");
    assert_eq!(folder.read("site/data.json"), b"{\"url\": \"https://a.test/new\"}");
    assert_eq!(folder.read("site/.hidden/x.html"), b"<a href=/old>");
}

#[cfg(unix)]
#[test]
fn permissions_stay_and_symbolic_links_are_not_followed() {
    use std::os::unix::fs::{PermissionsExt as _, symlink};
    let folder = Folder::new(&[("a.html", b"<a href=/old>x</a>")]);
    folder.write("outside/b.html", b"<a href=/old>x</a>");
    symlink(folder.path("outside"), folder.path("site/out")).unwrap();
    symlink(folder.path("outside/b.html"), folder.path("site/b.html")).unwrap();
    let mode = std::fs::Permissions::from_mode(0o640);
    std::fs::set_permissions(folder.path("site/a.html"), mode).unwrap();
    let done = folder.apply(&["--write"]).ends(0);
    assert!(done.out.contains("changed 1 link in 1 file of 1 looked at"), "{done}");
    assert_eq!(folder.read("outside/b.html"), b"<a href=/old>x</a>");
    let mode = std::fs::metadata(folder.path("site/a.html")).unwrap().permissions().mode();
    assert_eq!(mode & 0o777, 0o640);
}

#[test]
fn an_interrupted_change_is_completed_by_the_next_command() {
    let folder =
        Folder::new(&[("a.html", b"<a href=/old>x</a>"), ("b.html", b"<a href=/old>y</a>")]);
    // As a kill after the first of two renames leaves it.
    folder.write("site/a.html", b"<a href=/new>x</a>");
    folder.write("site/.rummage-mend-2", b"<a href=/new>y</a>");
    let journal = "[{\"name\":\"a.html\",\"temporary\":\".rummage-mend-1\"},\
        {\"name\":\"b.html\",\"temporary\":\".rummage-mend-2\"}]";
    folder.write("site/.rummage-mend.journal", journal.as_bytes());
    let shown = folder.apply(&[]).ends(0);
    assert!(shown.err.contains("a change of these files was interrupted"), "{shown}");
    assert_eq!(folder.read("site/b.html"), b"<a href=/old>y</a>", "a diff changes nothing");
    let done = folder.apply(&["--write"]).ends(0);
    assert!(done.err.contains("completed the change of 2 files"), "{done}");
    assert!(done.out.contains("nothing to change"), "{done}");
    assert_eq!(folder.read("site/b.html"), b"<a href=/new>y</a>");
    assert!(!folder.path("site/.rummage-mend.journal").exists());
}

#[test]
fn links_that_no_file_has_are_listed_for_fixing_by_hand() {
    let stage = copied();
    let plan = format!(
        "site = \"{MUSEUM}\"\n[[rule]]\nfrom = \"http://users.westshire.test/~museum/\"\nto = \"{MUSEUM}\"\n"
    );
    std::fs::write(stage.path("plan.toml"), plan).unwrap();
    std::fs::remove_file(stage.path("moved/boats/hazel.html")).unwrap();
    let shown = stage.run(&["mend", "apply", "plan.toml", "--files", "moved"]).ends(0);
    assert!(shown.out.contains("1 link to fix by hand"), "{shown}");
    let line = shown.out.lines().find(|line| line.contains("boats/hazel.html:")).unwrap();
    assert!(
        line.contains("~museum/boats/heron.html  \"Heron\"  (not found in the files)"),
        "{line}"
    );
}

#[test]
fn an_existing_file_of_redirects_is_shown_as_a_diff_before_it_is_replaced() {
    let folder = Folder::new(&[]);
    let words = ["mend", "redirects", "plan.toml", "--for", "json", "-o", "out.json"];
    folder.run(&words).ends(0);
    let first: Vec<Value> = serde_json::from_slice(&folder.read("out.json")).unwrap();
    assert_eq!(
        (&first[0]["from"], &first[0]["to"]),
        (&"/old".into(), &"https://a.test/new".into())
    );
    assert!(folder.run(&words).ends(0).err.contains("out.json is up to date"));
    folder.write("out.json", b"[]\n");
    let shown = folder.run(&words).ends(0);
    assert!(
        shown.out.contains("+    \"from\": \"/old\",") && shown.err.contains("--write replaces it"),
        "{shown}"
    );
    assert_eq!(folder.read("out.json"), b"[]\n");
    folder.run(&[&words[..], &["--write"]].concat()).ends(0);
    assert_ne!(folder.read("out.json"), b"[]\n");
}

#[test]
fn mistakes_in_plans_and_arguments_are_explained() {
    let folder = Folder::new(&[]);
    folder.write("bad.toml", b"[[mend]]\ntarget = \"x\"\naction = \"replce\"\n");
    for (words, expected) in [
        (&["mend", "show", "none.toml"][..], "cannot read the plan none.toml"),
        (&["mend", "show", "bad.toml"], "bad.toml, line 1: there is no action \"replce\""),
        (&["mend", "apply", "plan.toml", "--files", "nowhere"], "cannot read the folder nowhere"),
        (
            &["mend", "apply", "plan.toml", "--files", "site", "--as", "ftp://a.test"],
            "not an http or https URL",
        ),
        (&["mend", "redirects", "plan.toml", "--for", "iis"], "invalid value 'iis'"),
        (&["mend", "redirects", "bad.toml", "--for", "csv"], "line 1"),
    ] {
        let said = folder.run(words).ends(2);
        assert!(said.err.contains(expected), "{said}");
    }
    let shipped = std::fs::read_to_string(concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/../../docs/plan.schema.json"
    ))
    .unwrap();
    let schema = folder.run(&["mend", "show", "--schema"]).ends(0).out;
    assert_eq!(schema, shipped, "rummage mend show --schema > docs/plan.schema.json");
}

#[test]
fn a_rule_leaves_alone_what_was_not_found_broken() {
    let links = ["", "bollard", "towpath", "tunnel", "members"]
        .map(|name| format!("<a href=/tours/{name}>x</a><a href=/trails/{name}>x</a>"));
    let refused = Act::status(401);
    let mut paths: Vec<(&str, Act)> =
        ["/trails/", "/trails/bollard", "/trails/towpath", "/trails/tunnel"]
            .map(|path| (path, page("here")))
            .into();
    paths.extend([("/", page(&links.concat())), ("/tours/members", refused.clone())]);
    paths.push(("/trails/members", refused));
    let scenario = site("a.test", &paths);
    let stage = Stage::new(&scenario);
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    stage.run(&["mend", "propose", "-o", "plan.toml"]).ends(0);
    let plan = Plan::read(&stage.path("plan.toml"));
    assert_eq!(plan.rules, [("http://a.test/tours/".into(), "http://a.test/trails/".into())]);
    // It needs a password, and works for those who have one.
    assert_eq!(plan.mends["http://a.test/tours/members"].0, "leave");
    assert!(!plan.mends.contains_key("http://a.test/tours/tunnel"));
    // A link to the prefix itself hides none of the others.
    let confirmed = stage.run(&["mend", "confirm", "plan.toml", "-v"]).ends(1).out;
    assert!(confirmed.contains("4 links are left"), "{confirmed}");
}

#[test]
fn candidates_are_requested_under_the_rules_of_a_crawl() {
    let stage = Stage::new(&museum());
    let page = "<title>x</title><a href=http://office.ashlock-canal.test/plans>plans</a>
        <a href=\"http://office.ashlock-canal.test/more).\">more</a><a href=/vist/>visit</a>
        <a href=/visit/>visit</a><a href=www.ironwork-society.test/members/>members</a>";
    std::fs::create_dir(stage.path("site")).unwrap();
    std::fs::write(stage.path("site/index.html"), page).unwrap();
    stage.run(&["crawl", "./site", "--as", MUSEUM, "-q", "--externals", "note"]).ends(1);
    let before = stage.web.requests().len();
    stage.run(&["mend", "propose", "-o", "noted.toml"]).ends(0);
    let later = stage.web.requests().split_off(before);
    assert!(later.is_empty(), "externals are only noted: {later:?}");
    stage.run(&["crawl", "./site", "--as", MUSEUM, "-q"]).ends(1);
    stage.run(&["mend", "propose", "--verdict", "broken,doubtful", "-o", "plan.toml"]).ends(0);
    let requests = stage.web.requests();
    assert!(requests.iter().any(|request| request.host == "ironwork-society.test"));
    let plan = Plan::read(&stage.path("plan.toml"));
    assert!(plan.mends.iter().all(|(target, (_, to, _))| to.as_ref() != Some(target)));
    assert!(requests.iter().all(|request| request.host != "office.ashlock-canal.test"));
}

#[test]
fn what_has_changed_since_the_diff_is_not_written() {
    let folder =
        Folder::new(&[("a.html", b"<a href=/old>x</a>"), ("b.html", b"<a href=/old>y</a>")]);
    folder.apply(&[]).ends(0);
    folder.write("site/b.html", b"<a href=/old>z</a>");
    let refused = folder.apply(&["--write"]).ends(4);
    assert!(
        refused.err.contains("b.html has changed since the diff; nothing was written"),
        "{refused}"
    );
    assert_eq!(folder.read("site/a.html"), b"<a href=/old>x</a>");
    folder.apply(&[]).ends(0);
    folder.apply(&["--write"]).ends(0);
    assert_eq!(folder.read("site/b.html"), b"<a href=/new>z</a>");
    assert!(!folder.path("plan.toml.seen").exists());
    // Another plan than the one whose diff was shown is not written either.
    folder.write("site/b.html", b"<a href=/old>z</a>");
    folder.apply(&[]).ends(0);
    let plan = String::from_utf8(folder.read("plan.toml")).unwrap();
    folder.write("plan.toml", plan.replace("a.test/new", "a.test/other").as_bytes());
    folder.apply(&["--write"]).ends(4);
    assert_eq!(folder.read("site/b.html"), b"<a href=/old>z</a>");
}
