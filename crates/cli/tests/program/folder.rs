//! A folder of built pages, several start URLs, a sitemap as start, a start URL with a login.

use std::collections::BTreeSet;
use std::fs;

use rummage_demo::{Act, BUILT_TRUTH, BUILT_UNREACHED, Scenario, museum, write_files};

use crate::harness::{Stage, program};
use crate::options::{page, site};
use crate::running::finish;

const AT: &str = "https://www.ashlock-canal.test/";

fn at_hand() -> Stage {
    let stage = Stage::new(&museum());
    write_files(stage.folder.path()).unwrap();
    stage
}

/// Whether a web server sends such a file is not known.
#[test]
#[cfg(unix)]
fn a_symbolic_link_out_of_the_folder_is_not_called_missing() {
    let stage = at_hand();
    fs::create_dir(stage.path("linked")).unwrap();
    fs::write(stage.path("elsewhere.html"), "<a href=/secret>x</a>").unwrap();
    fs::write(stage.path("linked/index.html"), "<a href=out.html>x</a><a href=gone.html>y</a>")
        .unwrap();
    std::os::unix::fs::symlink("../elsewhere.html", stage.path("linked/out.html")).unwrap();
    let outcome = stage.run(&["crawl", "linked", "--as", AT, "--format", "jsonl"]).ends(1);
    let rows = outcome.json();
    let brief = |row: &serde_json::Value| {
        ["written", "verdict", "cause"].map(|key| row[key].as_str().unwrap().to_owned())
    };
    let found: BTreeSet<_> = rows.iter().map(brief).collect();
    let expected =
        [["gone.html", "broken", "not-found"], ["out.html", "doubtful", "out-of-folder"]];
    assert_eq!(found, expected.map(|row| row.map(str::to_owned)).into(), "{outcome}");

    // The home page has to be there.
    fs::create_dir(stage.path("empty")).unwrap();
    std::os::unix::fs::symlink("../elsewhere.html", stage.path("empty/index.html")).unwrap();
    let outcome = stage.run(&["crawl", "empty"]).ends(2);
    assert!(outcome.err.contains("Symbolic links out of the folder are not followed"), "{outcome}");
}

#[test]
fn findings_in_the_built_museum_have_file_line_and_column() {
    let stage = at_hand();
    let words = ["crawl", "./public", "--as", AT, "--timeout", "500ms"];
    let outcome = stage.run(&words).ends(1);
    let rows = stage.run(&["findings", "--format", "jsonl", "--group", "target"]).ends(0).json();
    let found: BTreeSet<(String, String)> = rows
        .iter()
        .map(|row| (row["target"].as_str().unwrap().into(), row["cause"].as_str().unwrap().into()))
        .collect();
    let truth =
        BUILT_TRUTH.iter().map(|(target, cause, _)| (target.to_string(), cause.to_string()));
    assert_eq!(found, truth.collect());
    for (target, _, place) in BUILT_TRUTH {
        let block =
            outcome.out.split("\n\n").find(|block| block.contains(&format!("  {target}\n")));
        let block = block.unwrap_or_else(|| panic!("{target} in {outcome}"));
        assert!(
            block.lines().any(|line| line == format!("    public/{place}")),
            "{place} in {block}"
        );
    }
    assert!(outcome.out.contains(&format!("{BUILT_UNREACHED} is unreached: no link leads to it")));
    assert_eq!(outcome.out.matches(" is unreached").count(), 1, "{outcome}");
    let requests: Vec<String> =
        stage.web.requests().into_iter().map(|requests| requests.host).collect();
    assert!(!requests.iter().any(|host| host == "www.ashlock-canal.test"), "it is read from disk");
    assert!(requests.iter().any(|host| host == "trains.westshire.test"), "others are requested");

    // In another folder, and later: the store knows where it was.
    let trace = stage.run(&["trace", "/boats/heron.html", "--source"]).ends(0);
    assert!(
        trace.out.contains("17:36") && trace.out.contains("<a href=\"heron.html\">"),
        "{trace}"
    );
    fs::write(stage.path("public/boats/heron.html"), "<title>Heron</title>").unwrap();
    let again = stage.run(&["recheck", "/boats/heron.html"]).ends(0);
    assert!(again.out.contains("1 fixed"), "{again}");
}

#[test]
fn a_folder_is_recognized_by_its_name_and_mistakes_are_errors() {
    let stage = at_hand();
    let outcome = stage.run(&["crawl", "public", "--externals", "note"]).ends(1);
    assert!(outcome.err.contains("http://public.invalid/ stands for"), "{outcome}");
    assert!(outcome.err.contains("With --as URL"), "{outcome}");
    let complaint = |words: &[&str]| stage.run(words).ends(2).err;
    fs::create_dir(stage.path("a.test")).unwrap();
    assert!(
        complaint(&["crawl", "a.test"])
            .contains("a.test is both a folder here and a possible host")
    );
    assert!(complaint(&["crawl", "./nowhere"]).contains("cannot read the folder"));
    assert!(complaint(&["crawl", "./urls.csv"]).contains("is a file"));
    assert!(complaint(&["crawl", "b.test", "--as", AT]).contains("b.test is not a folder"));
    assert!(complaint(&["crawl", "b.test", "./public"]).contains("must be the only START"));
    let outcome = complaint(&["crawl", "./a.test", "--as", AT]);
    assert!(outcome.contains("there is no index.html in"), "{outcome}");
}

#[test]
fn a_folder_in_the_settings_file_may_have_tidy_paths() {
    let stage = at_hand();
    fs::write(stage.path("public/about.html"), "<a href=/imprint>i</a><a href=/>h</a>").unwrap();
    let file = format!(
        "[site.new]\nstart = \"public\"\nas = \"{AT}\"\ntidy-paths = true\nexternals = \"note\"\n"
    );
    fs::write(stage.path("rummage.toml"), file).unwrap();
    fs::create_dir(stage.path("below")).unwrap();
    let mut command = stage.command(&["crawl"]);
    command.current_dir(stage.path("below")).env_remove("RUMMAGE_STORE");
    finish(&["crawl"], &mut command).ends(1);
    let mut command =
        stage.command(&["trace", "https://www.ashlock-canal.test/imprint", "--site", "new"]);
    let trace = finish(&["trace"], command.env_remove("RUMMAGE_STORE")).ends(0);
    assert!(trace.out.contains(&format!("{AT}imprint\n  sound")), "{trace}");
}

/// Three sites with a page or two, one of them with a page without links to it.
fn sites() -> Scenario {
    let list = "<urlset><url><loc>http://a.test/</loc></url><url><loc>http://a.test/lonely</loc></url></urlset>";
    let list = Act::file("application/xml", list.as_bytes().to_vec());
    let mut scenario = site(
        "a.test",
        &[
            ("/", page("<a href=/one>1</a><a href=http://b.test/>b</a>")),
            ("/one", page("")),
            ("/lonely", page("<a href=/lost>l</a>")),
            ("/hidden/", page("<a href=/lost-too>l</a>")),
            ("/maps/all.xml", list),
        ],
    );
    let other = site("b.test", &[("/", page("<a href=/gone>g</a>")), ("/x", page(""))]);
    scenario.hosts.extend(other.hosts);
    scenario
}

#[test]
fn several_start_urls_are_crawled_in_one_run() {
    let stage = Stage::new(&sites());
    let words = ["crawl", "http://a.test", "http://a.test/hidden/", "b.test"];
    let outcome = stage.run(&words).ends(1);
    assert!(outcome.out.contains(" on 4 pages\n"), "{outcome}");
    for lost in ["http://a.test/lost-too\n", "http://b.test/gone\n"] {
        assert!(outcome.out.contains(lost), "{lost} in {outcome}");
    }
    let again = stage.run(&["recheck"]).ends(1);
    assert!(again.out.contains("2 unchanged"), "{again}");
}

#[test]
fn a_sitemap_as_start_lists_pages_and_shows_which_no_link_reaches() {
    let stage = Stage::new(&sites());
    let outcome = stage.run(&["crawl", "http://a.test/maps/all.xml"]).ends(1);
    assert!(outcome.err.contains("is a sitemap; the crawl starts at http://a.test/"), "{outcome}");
    assert!(outcome.out.contains("http://a.test/lost\n"), "{outcome}");
    assert!(
        outcome.out.contains("note  http://a.test/lonely is unreached: no link leads"),
        "{outcome}"
    );
    assert_eq!(outcome.out.matches("unreached").count(), 1, "{outcome}");
    // If not all links were followed, that is unknown.
    let words = ["crawl", "http://a.test/maps/all.xml", "--max-pages", "2"];
    assert!(!stage.run(&words).ends(0).out.contains("unreached"));
}

#[test]
fn the_password_for_a_start_url_comes_from_netrc_and_is_not_stored() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/x>x</a>"))]));
    let netrc =
        "machine b.test login ada password wrong\nmachine a.test login ada password sesame\n";
    fs::write(stage.path("netrc"), netrc).unwrap();
    let words = ["crawl", "http://a.test", "--user", "ada"];
    let mut command = stage.command(&words);
    finish(&words, command.env("NETRC", stage.path("netrc"))).ends(1);
    // `ada:sesame` (RFC 7617 §2).
    let sent: BTreeSet<_> =
        stage.web.requests().into_iter().map(|requests| requests.authorization).collect();
    assert_eq!(sent, BTreeSet::from([Some("Basic YWRhOnNlc2FtZQ==".to_owned())]));
    let store = fs::read(stage.path("store.db")).unwrap();
    for secret in [&b"sesame"[..], b"YWRhOnNlc2FtZQ"] {
        assert!(!store.windows(secret.len()).any(|bytes| bytes == secret));
    }
    let mut command = stage.command(&words);
    let nowhere = finish(&words, command.env("NETRC", "/nowhere")).ends(2);
    assert!(nowhere.err.contains("add an entry to ~/.netrc"), "{nowhere}");
    // No other host gets that password, whatever belongs to the site.
    let before = stage.web.requests().len();
    for more in [&["b.test"][..], &["--within", "b.test/"]] {
        let words = [&words[..], more].concat();
        let mut command = stage.command(&words);
        let outcome = finish(&words, command.env("NETRC", stage.path("netrc"))).ends(1);
        let warns = outcome.err.contains("no credentials were sent to http://b.test");
        assert_eq!(warns, more == ["b.test"], "{outcome}");
    }
    for request in &stage.web.requests()[before..] {
        assert_eq!(request.authorization.is_some(), request.host == "a.test", "{request:?}");
    }
}

#[test]
fn the_demo_writes_files_and_shows_commands_for_them() {
    let folder = tempfile::TempDir::new().unwrap();
    let words = ["demo", "files", "local copy"];
    let mut command = program(&words);
    let outcome = finish(&words, command.current_dir(folder.path())).ends(0);
    assert!(outcome.out.contains("rummage probe local copy/urls.csv"), "{outcome}");
    for name in ["public/index.html", "urls.csv", "access.log"] {
        assert!(folder.path().join("local copy").join(name).is_file(), "{name}");
    }
}

/// The same site, live and from a folder, with digests for those who watch the live one.
#[test]
fn a_preview_has_a_history_of_its_own_and_sends_no_digest() {
    let live = site("a.test", &[("/", page("<a href=/none>x</a> <a href=/gone>y</a>"))]);
    let stage = Stage::new(&live);
    let toml = "[site.a]\nstart = \"http://a.test/\"\ndigest-to = [\"editor@a.test\"]\n";
    fs::write(stage.path("rummage.toml"), toml).unwrap();
    stage.run(&["crawl", "a", "-q"]).ends(1);
    let sent = stage.web.emails().len();
    fs::create_dir(stage.path("public")).unwrap();
    let built = "<title>Home</title><a href=/new>n</a> <a href=/gone>y</a>";
    fs::write(stage.path("public/index.html"), built).unwrap();
    let preview = ["crawl", "./public", "--as", "http://a.test/"];
    let outcome = stage.run(&preview).ends(1);
    assert!(!outcome.out.contains("since run"), "{outcome}");
    assert_eq!(stage.web.emails().len(), sent);
    let outcome = stage.run(&["crawl", "a"]).ends(1);
    assert!(outcome.out.contains("0 newly broken, 0 returned, 0 fixed, 2 still open"), "{outcome}");
    let outcome = stage.run(&preview).ends(1);
    assert!(outcome.out.contains("0 newly broken, 0 returned, 0 fixed, 2 still open"), "{outcome}");
    let outcome = stage.run(&["recheck", "http://a.test/gone"]).ends(1);
    assert!(outcome.out.contains("public"), "the last run was of the folder: {outcome}");
    assert_eq!(stage.web.emails().len(), sent);
    // Each is found by what it is called.
    let sites = stage.run(&["sites"]).ends(0).out;
    assert!(sites.contains("a.test from ") && sites.contains("\na  "), "{sites}");
    let of_live = stage.run(&["findings", "--site", "a"]).ends(0).out;
    assert!(of_live.contains("/none") && !of_live.contains("/new"), "{of_live}");
    // A page is the one on the web.
    let outcome = stage.run(&["page", "http://a.test/"]).ends(1);
    assert!(outcome.out.contains("/none"), "{outcome}");
    // Digests of a folder are sent if it is the start of a site in the settings.
    let toml =
        "[site.b]\nstart = \"public\"\nas = \"http://b.test/\"\ndigest-to = [\"b@a.test\"]\n";
    fs::write(stage.path("rummage.toml"), toml).unwrap();
    stage.run(&["crawl", "b", "-q"]).ends(1);
    assert_eq!(stage.web.emails().len(), sent + 1);
}

/// Nothing listens at the URL where it will be published, and its robots.txt is outside.
#[test]
fn a_folder_for_a_host_that_is_not_live_needs_no_robots_txt() {
    let stage = Stage::new(&site("other.test", &[("/", page(""))]));
    fs::create_dir(stage.path("docs")).unwrap();
    fs::write(stage.path("docs/index.html"), "<a href=there.html>x</a><a href=/docs/>up</a>")
        .unwrap();
    fs::write(stage.path("docs/there.html"), "<a href=./>Home</a>").unwrap();
    let outcome = stage.run(&["crawl", "./docs", "--as", "https://new.test/docs/"]).ends(0);
    assert!(outcome.out.contains(" on 2 pages\n"), "{outcome}");
    let outcome = stage.run(&["crawl", "./docs", "--as", "new.test"]).ends(1);
    assert!(outcome.out.contains("https://new.test/docs/\n"), "a bare host: {outcome}");
}

#[test]
fn a_folder_is_no_proof_that_names_are_resolved() {
    let mut scenario = sites();
    scenario.hosts.clear();
    let stage = Stage::new(&scenario);
    std::fs::create_dir(stage.path("site")).unwrap();
    let links: String = (1..=4).map(|n| format!("<a href=http://host{n}.test/>{n}</a>")).collect();
    let page = format!("<title>Home</title>{links}<a href=gone.html>g</a>");
    std::fs::write(stage.path("site/index.html"), page).unwrap();
    let outcome = stage.run(&["crawl", "site", "--timeout", "500ms"]).ends(3);
    assert!(outcome.out.contains("\n1 broken, 4 doubtful, 0 moved, 0 sound\n"), "{outcome}");
    assert!(outcome.out.contains("note  none of 4 host names could be resolved"), "{outcome}");
}
