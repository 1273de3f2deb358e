//! The settings file: written, parsed, rejected, and overridden by the command line.

use std::fs;

use rummage_demo::Act;

use crate::harness::Stage;
use crate::options::{page, site};
use crate::running::finish;

fn stage() -> Stage {
    let links = "<a href=/in>in</a><a href=/old/1>old</a><a href=#>top</a><a href=/gone>g</a>";
    Stage::new(&site(
        "a.test",
        &[("/", page(links)), ("/in", page("")), ("/old/1", Act::status(410))],
    ))
}

#[test]
fn init_writes_a_file_once_and_a_crawl_uses_its_site() {
    let stage = stage();
    let outcome = stage.run(&["init", "http://a.test/"]).ends(0);
    assert_eq!(outcome.out, "Wrote rummage.toml. Next: rummage crawl a\n");
    let written = fs::read_to_string(stage.path("rummage.toml")).unwrap();
    assert!(written.contains("[site.a]\nstart = \"http://a.test/\""), "{written}");
    let outcome = stage.run(&["init"]).ends(2);
    assert!(outcome.err.contains("already exists; nothing was changed"), "{outcome}");
    assert_eq!(fs::read_to_string(stage.path("rummage.toml")).unwrap(), written);
    for words in [&["crawl"][..], &["crawl", "a"], &["crawl", "http://a.test"]] {
        let outcome = stage.run(words).ends(1);
        assert!(outcome.err.contains("with the settings of [site.a]"), "{outcome}");
    }
    let outcome = stage.run(&["sites"]).ends(0);
    assert!(outcome.out.lines().nth(1).is_some_and(|line| line.starts_with("a ")), "{outcome}");
}

#[test]
fn the_store_is_beside_the_settings_unless_another_is_named() {
    let stage = stage();
    fs::write(stage.path("rummage.toml"), "[site.a]\nstart = \"a.test\"\n").unwrap();
    fs::create_dir(stage.path("deep")).unwrap();
    let mut command = stage.command(&["crawl", "http://a.test", "-q"]);
    command.env_remove("RUMMAGE_STORE").current_dir(stage.path("deep"));
    finish(&["crawl"], &mut command).ends(1);
    assert!(stage.path("rummage.db").exists());
    assert!(!stage.path("store.db").exists());
}

#[test]
fn precedence_of_settings_and_their_sources() {
    let stage = stage();
    let file = "[defaults]\ntimeout = \"7s\"\nhops = 9\nattempts = 2\n\n\
                [site.a]\nstart = \"http://a.test\"\nhops = 8\nexclude = [\"/x/*\", \"/y\"]\n\
                header = [\"X-Key: hush\"]\n";
    fs::write(stage.path("rummage.toml"), file).unwrap();
    let mut command = stage.command(&["settings", "a", "--per-host", "3"]);
    command.env("RUMMAGE_ATTEMPTS", "5");
    let outcome = finish(&["settings"], &mut command).ends(0);
    let line = |key: &str| {
        let found = outcome.out.lines().find(|line| line.split_whitespace().next() == Some(key));
        let words: Vec<&str> = found.unwrap_or_default().split_whitespace().collect();
        words.join(" ")
    };
    assert_eq!(line("timeout"), "timeout 7s rummage.toml, line 2, [defaults]");
    assert_eq!(line("hops"), "hops 8 rummage.toml, line 8, [site.a]");
    assert_eq!(line("attempts"), "attempts 5 environment, RUMMAGE_ATTEMPTS");
    assert_eq!(line("per-host"), "per-host 3 command line");
    assert_eq!(line("externals"), "externals check built in");
    assert_eq!(line("exclude"), "exclude /x/*, /y rummage.toml, line 9, [site.a]");
    assert!(!outcome.out.contains("hush"), "{outcome}");
}

#[test]
fn errors_in_the_file_have_line_and_column() {
    let stage = stage();
    for (text, what, hint) in [
        (
            "[defaults]\ntimout = \"5s\"\n",
            "line 2, column 1: there is no key \"timout\"",
            "Did you mean timeout?",
        ),
        ("[defaults]\nper_hots = 4\n", "there is no key \"per_hots\"", "Did you mean per-host?"),
        ("[defaults]\nper_host = 4\nper-host = 5\n", "per-host is set twice", "Remove one"),
        (
            "[defaults]\n  timeout = \"5\"\n",
            "line 2, column 13: timeout: give a number and a unit",
            "For example: timeout = \"20s\"",
        ),
        ("[defaults]\nhops = \"many\"\n", "line 2, column 8: hops: ", "hops = 20"),
        ("[defualts]\n", "line 1, column 2", "Did you mean [defaults]?"),
        ("timeout = \"5s\"\n", "is not in a known section", "[defaults]"),
        ("[defaults\n", "line 1", "Correct"),
        ("[defaults]\nstart = \"a.test\"\n", "start is not allowed in [defaults]", "[site.museum]"),
        ("[site.a]\nexternals = \"maybe\"\n", "externals: ", "externals = \"check\""),
        ("[site.a]\nwrite = [\"a.xls\"]\n", "xls", ".csv"),
        (
            "[[site.a.expect]]\ntarget = \"/x\"\nstatus = 99\n",
            "99 is not a status code",
            "100 to 599",
        ),
        ("[[site.a.expect]]\ntarget = \"/x\"\nstaus = 410\n", "expect: ", "status = 410"),
        ("[site.a]\n", "[site.a] has no start URL", "Add a line such as start"),
        (
            "[site.a]\nstart=\"a\"\n[site.b]\nstart=\"b\"\n",
            "has 2 sites",
            "Name one of them: a or b",
        ),
    ] {
        fs::write(stage.path("rummage.toml"), text).unwrap();
        let outcome = stage.run(&["crawl"]).ends(2);
        assert!(outcome.err.contains(what), "{what:?} in {outcome}");
        assert!(outcome.err.contains(hint), "{hint:?} in {outcome}");
    }
    let outcome = stage.run(&["crawl", "--config", "none.toml", "a.test"]).ends(2);
    assert!(outcome.err.contains("cannot read none.toml"), "{outcome}");
    let outcome = stage.run(&["findings", "--site", "museun"]);
    assert!(outcome.code == Some(2) || outcome.code == Some(4), "{outcome}");
}

#[test]
fn expected_responses_files_and_editors_are_set_per_site() {
    let stage = stage();
    let file = "[site.a]\nstart = \"http://a.test\"\nwrite = [\"broken.csv\", \"all/of.jsonl\"]\n\
                editor_link = \"https://cms.test/edit{path}\"\nplaceholders = \"broken\"\n\
                [[site.a.expect]]\ntarget = \"/old/*\"\nstatus = 410\n\
                [[site.a.expect]]\ntarget = \"/in\"\nstatus = 404\n";
    fs::write(stage.path("rummage.toml"), file).unwrap();
    fs::create_dir(stage.path("all")).unwrap();
    let outcome = stage.run(&["crawl"]).ends(1);
    assert!(outcome.out.contains("edit: https://cms.test/edit/\n"), "{outcome}");
    let csv = fs::read_to_string(stage.path("broken.csv")).unwrap();
    let causes: Vec<&str> =
        csv.lines().skip(1).map(|line| line.split(',').nth(1).unwrap()).collect();
    assert_eq!(causes, ["not-as-expected", "placeholder", "not-found"], "410 is as expected");
    assert!(fs::read_to_string(stage.path("all/of.jsonl")).unwrap().lines().count() == 3);
    let outcome = stage.run(&["settings"]).ends(0);
    assert!(outcome.out.contains("410 /old/*"), "{outcome}");
}

#[test]
fn the_schema_is_printed_as_it_is_shipped() {
    let outcome = stage().run(&["settings", "--schema"]).ends(0);
    let same = outcome.out == include_str!("../../../../docs/rummage.schema.json");
    assert!(same, "rummage settings --schema > docs/rummage.schema.json");
}

#[test]
fn a_missing_secret_stops_a_crawl_but_not_reading_commands() {
    let stage = stage();
    stage.run(&["crawl", "http://a.test"]).ends(1);
    let file = "[defaults]\nheader = [\"X-Key: env:RUMMAGE_TEST_NO_SECRET\"]\n";
    fs::write(stage.path("rummage.toml"), file).unwrap();
    stage.run(&["findings"]).ends(0);
    stage.run(&["settings"]).ends(0);
    let outcome = stage.run(&["crawl", "http://a.test"]).ends(2);
    assert!(outcome.err.contains("cannot send the header x-key"), "{outcome}");
    assert!(outcome.err.contains("RUMMAGE_TEST_NO_SECRET is not set"), "{outcome}");
}

#[test]
fn paths_are_relative_to_the_settings_file() {
    let stage = stage();
    fs::create_dir(stage.path("deep")).unwrap();
    fs::write(stage.path("rules.txt"), "User-agent: *\nDisallow: /in\n").unwrap();
    let file =
        "[site.a]\nstart = \"http://a.test\"\nrobots = \"./rules.txt\"\nwrite = [\"b.csv\"]\n";
    fs::write(stage.path("rummage.toml"), file).unwrap();
    let mut command = stage.command(&["crawl"]);
    let outcome = finish(&["crawl"], command.current_dir(stage.path("deep"))).ends(1);
    assert!(outcome.out.contains("disallowed by robots.txt"), "{outcome}");
    assert!(stage.path("b.csv").exists() && !stage.path("deep/b.csv").exists());
}

#[test]
fn options_of_every_command_have_defaults_in_the_file() {
    let stage = stage();
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    let set = |keys: &str| fs::write(stage.path("rummage.toml"), keys).unwrap();
    set("[defaults]\nformat = \"csv\"\nlimit = 1\nsort = \"target:desc\"\nfail-on = \"broken\"\n\
         group = \"target\"\nverbose = true\ncolor = \"always\"\n");
    let outcome = stage.run(&["findings"]).ends(1);
    assert_eq!(outcome.out.lines().count(), 2, "{outcome}");
    assert!(outcome.out.starts_with("verdict,cause,status,target,final,scope,type"), "{outcome}");
    // The command line overrides them, and the extension of a file says its format.
    let outcome = stage.run(&["findings", "--format", "text", "--fail-on", "never"]).ends(0);
    assert!(outcome.out.contains("\u{1b}["), "in color: {outcome}");
    stage.run(&["findings", "-o", "list.md", "-q"]).ends(1);
    assert!(fs::read_to_string(stage.path("list.md")).unwrap().starts_with("# "));
    // Formats that a command does not have are not for it.
    let outcome = stage.run(&["recheck", "--color", "never"]).ends(1);
    assert!(outcome.out.contains("recheck, run 2"), "{outcome}");
    let outcome = stage.run(&["settings"]).ends(0);
    assert!(outcome.out.contains("rummage.toml, line 3, [defaults]"), "{outcome}");
    for (keys, wrong) in [
        ("[defaults]\nformat = \"xml\"\n", "line 2, column 10: format: invalid value 'xml'"),
        ("[defaults]\nlimit = \"many\"\n", "line 2, column 9: limit: "),
        ("[site.a]\ngroup = \"host\"\n", "group is not allowed in the section of a site"),
    ] {
        set(keys);
        let outcome = stage.run(&["findings"]).ends(2);
        assert!(outcome.err.contains(wrong), "{outcome}");
    }
}
