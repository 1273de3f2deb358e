//! `rummage probe`: lists of URLs in every format that people have.

use std::collections::HashMap;
use std::fs;
use std::io::Write as _;

use flate2::Compression;
use flate2::write::GzEncoder;
use rummage_demo::{Act, Scenario, Tls, URLS, museum, urls};

use crate::harness::{Outcome, Stage};
use crate::options::{page, site};

fn three() -> Scenario {
    let list = "<urlset><url><loc>http://a.test/two</loc></url></urlset>";
    let list = Act::file("application/xml", list.as_bytes().to_vec());
    let paths = [("/", page("<a href=/lost>l</a>")), ("/two", page("")), ("/map.xml", list)];
    site("a.test", &paths)
}

fn stage(files: &[(&str, &[u8])]) -> Stage {
    let stage = Stage::new(&three());
    for (name, bytes) in files {
        fs::write(stage.path(name), bytes).unwrap();
    }
    stage
}

/// Each entry: line, target and verdict.
fn entries(stage: &Stage, words: &[&str], code: i32) -> Vec<(u64, String, String)> {
    let words = [&["probe"], words, &["--all", "--format", "jsonl", "--timeout", "500ms"]].concat();
    let rows = stage.run(&words).ends(code).json();
    let text =
        |row: &serde_json::Value, key: &str| row[key].as_str().unwrap_or_default().to_owned();
    rows.iter()
        .map(|row| (row["line"].as_u64().unwrap(), text(row, "target"), text(row, "verdict")))
        .collect()
}

fn expected(rows: &[(u64, &str, &str)]) -> Vec<(u64, String, String)> {
    rows.iter().map(|(line, to, verdict)| (*line, (*to).into(), (*verdict).into())).collect()
}

#[test]
fn lists_of_every_format_are_read_and_each_url_is_checked_once() {
    let both = [(1, "http://a.test/", "sound"), (2, "http://a.test/gone", "broken")];
    let packed = {
        let mut packed = GzEncoder::new(Vec::new(), Compression::fast());
        packed.write_all(b"http://a.test/\nhttp://a.test/gone\n").unwrap();
        packed.finish().unwrap()
    };
    let stage = stage(&[
        ("list.txt", b"http://a.test/\nhttp://a.test/gone # lost\n# no\n\nhttp://a.test/gone\n"),
        ("list.jsonl", b"{\"n\":1,\"url\":\"http://a.test/\"}\n\"http://a.test/gone\"\n"),
        ("list.html", b"<a href=http://a.test/>a</a>\n<img src=http://a.test/gone>"),
        ("list.xml", b"<urlset><url><loc>http://a.test/</loc></url>\n<url><loc>http://a.test/gone</loc></url></urlset>"),
        ("list.csv", b"http://a.test/,first\nhttp://a.test/gone,second\n"),
        ("list.gz", &packed),
    ]);
    for name in ["list.jsonl", "list.html", "list.xml", "list.csv", "list.gz"] {
        assert_eq!(entries(&stage, &[name], 1), expected(&both), "{name}");
    }
    let before = stage.web.requests().len();
    let found = entries(&stage, &["list.txt"], 1);
    assert_eq!(found, expected(&[both[0], both[1], (5, "http://a.test/gone", "broken")]));
    let requests = &stage.web.requests()[before..];
    let gone = requests.iter().filter(|requests| requests.path == "/gone").count();
    assert_eq!(gone, 2, "once, and once to be sure");
    assert!(!requests.iter().any(|requests| requests.path == "/lost"), "pages are not parsed");
    assert_eq!(entries(&stage, &["http://a.test/", "http://a.test/gone"], 1), expected(&both));
}

#[test]
fn a_sitemap_index_leads_to_the_urls_in_its_sitemaps() {
    let index = b"<sitemapindex><sitemap><loc>http://a.test/map.xml</loc></sitemap></sitemapindex>";
    let stage = stage(&[("index.xml", index)]);
    let found = entries(&stage, &["index.xml"], 0);
    assert!(found.contains(&(1, "http://a.test/two".into(), "sound".into())), "{found:?}");
}

#[test]
fn relative_links_in_a_file_are_not_checked_and_not_called_broken() {
    let html = b"<a href=/somewhere>s</a><a href=http://a.test/gone>g</a><a href='http://['>m</a>";
    let stage = stage(&[("saved.html", html)]);
    let found = entries(&stage, &["saved.html"], 1);
    let expected = [
        (1, "/somewhere", "skipped"),
        (1, "http://a.test/gone", "broken"),
        (1, "http://[", "broken"),
    ];
    assert_eq!(found, self::expected(&expected));
}

#[test]
fn the_museums_spreadsheet_gets_its_verdicts_and_is_otherwise_unchanged() {
    let stage = Stage::new(&museum());
    fs::write(stage.path("urls.csv"), urls()).unwrap();
    let words = ["probe", "urls.csv", "--append-columns", "--timeout", "500ms"];
    let outcome = stage.run(&[&words[..], &["-o", "checked.csv"]].concat()).ends(1);
    assert_eq!(outcome.out, "");
    let checked = fs::read_to_string(stage.path("checked.csv")).unwrap();
    let mut columns: HashMap<usize, Vec<&str>> = HashMap::new();
    for (place, (line, was)) in checked.split("\r\n").zip(urls().split("\r\n")).enumerate() {
        let added = line.strip_prefix(was).unwrap_or_else(|| panic!("{line} was {was}"));
        columns.insert(place, added.split(';').skip(1).collect());
    }
    assert_eq!(columns[&0], ["verdict", "cause", "status", "final"]);
    for (place, (what, url, _, verdict, cause, status)) in (1..).zip(URLS) {
        let status = if *status == 0 { String::new() } else { status.to_string() };
        assert_eq!(columns[&place][..3], [*verdict, *cause, status.as_str()], "{what} {url}");
    }
    assert_eq!(columns[&6][3], "http://trains.westshire.test/timetables/ashlock-halt");
    assert_eq!(stage.run(&words).ends(1).out, checked, "the same on standard output");
}

fn probe(stage: &Stage, words: &[&str], code: i32) -> Outcome {
    stage.run(&[&["probe", "--timeout", "500ms"], words].concat()).ends(code)
}

#[test]
fn unreadable_lines_are_reported_and_the_rest_is_checked() {
    let long =
        [b"http://a.test/\n".as_slice(), &vec![b'x'; 3 << 20], b"\nhttp://a.test/gone\n"].concat();
    let mut truncated = GzEncoder::new(Vec::new(), Compression::none());
    for number in 0..2 {
        writeln!(truncated, "http://a.test/?{number}").unwrap();
    }
    let truncated = truncated.finish().unwrap();
    let bomb = "<!DOCTYPE x [<!ENTITY a \"aaaaaaaaaa\"><!ENTITY b \"&a;&a;&a;&a;&a;&a;&a;&a;\">]>\
        <urlset><url><loc>http://a.test/&b;</loc></url></urlset>";
    let stage = stage(&[
        ("empty.txt", b""),
        ("prose.txt", b"Dear all,\nthe list is not ready.\nIt will be soon.\nYours\n"),
        ("broken.txt", b"http://a.test/\nhttp://a.test/\xff\xfe\nhttp://a.test/two\n"),
        ("long.txt", &long),
        ("long.csv", &long),
        ("ragged.csv", b"n,url\n1,http://a.test/\n2\n3,http://a.test/two,more\n"),
        ("truncated.gz", &truncated[..truncated.len() - 24]),
        ("bomb.xml", bomb.as_bytes()),
        ("noaddress.csv", b"a,b\n1,2\n"),
    ]);
    for (name, complaint, entries) in [
        ("empty.txt", "empty.txt contains no URL", 0),
        ("prose.txt", "prose.txt contains no URL", 0),
        ("broken.txt", "broken.txt, line 2: not UTF-8; line skipped", 2),
        ("long.txt", "long.txt, line 2: longer than 1 MiB", 2),
        ("ragged.csv", "ragged.csv, line 3: it ends before column 2", 2),
        ("long.csv", "long.csv, line 2: longer than 1 MiB; everything before it was read", 1),
        ("noaddress.csv", "noaddress.csv contains no URL", 0),
    ] {
        let outcome = probe(&stage, &[name], 3);
        assert!(outcome.err.contains(complaint), "{complaint} in {outcome}");
        let what = match entries {
            1 => "Checked 1 entry ".to_owned(),
            many => format!("Checked {many} entries "),
        };
        assert!(outcome.out.contains(&what), "{what} in {outcome}");
    }
    let outcome = probe(&stage, &["truncated.gz", "--limit", "1"], 3);
    assert!(outcome.err.contains("truncated.gz: its gzip data ends early"), "{outcome}");
    assert!(!outcome.out.contains("Checked 0 entries"), "what came before is checked: {outcome}");
    let outcome = probe(&stage, &["bomb.xml"], 3);
    assert!(outcome.out.contains("bomb.xml is not a valid sitemap, or is incomplete"), "{outcome}");
}

#[test]
fn mistakes_are_explained() {
    let stage =
        stage(&[("list.csv", b"n,url\n1,http://a.test/\n"), ("list.txt", b"http://a.test/\n")]);
    let complaint = |words: &[&str]| probe(&stage, words, 2).err;
    assert!(complaint(&["lost.csv"]).contains("lost.csv is neither a URL nor an existing file"));
    assert!(complaint(&["."]).contains("To check the links of a built site: rummage crawl ."));
    let outcome = complaint(&["list.csv", "--column", "adress"]);
    assert!(outcome.contains("there is no column adress; there is n, url"), "{outcome}");
    assert!(complaint(&["list.txt", "--append-columns"]).contains("list.txt is not a CSV"));
    let outcome = complaint(&["list.csv", "list.txt", "--append-columns"]);
    assert!(outcome.contains("a single table"), "{outcome}");
    stage.run(&["probe"]).ends(2);
}

#[test]
fn a_probe_is_a_run_and_the_default_site_stays_that_of_the_last_crawl() {
    let stage = stage(&[("list.txt", b"http://a.test/gone\n")]);
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    probe(&stage, &["list.txt"], 1);
    let outcome = stage.run(&["findings"]).ends(0);
    assert!(outcome.out.contains("a.test  run 1, "), "{outcome}");
    let outcome = stage.run(&["findings", "--run", "2"]).ends(0);
    assert!(outcome.out.contains("./list.txt  probe, run 2, "), "{outcome}");
    let outcome = probe(&stage, &["list.txt"], 1);
    assert!(
        outcome.out.contains(": 0 newly broken, 0 returned, 0 fixed, 1 still open"),
        "{outcome}"
    );
}

#[test]
fn options_about_a_site_mean_nothing_for_a_list() {
    let stage = Stage::new(&site("a.test", &[("/", page(""))]));
    let help = stage.run(&["probe", "--help"]).ends(0).out;
    for (option, value) in
        [("--depth", "3"), ("--as", "https://a.test/"), ("--robots", "ignore"), ("--within", "/x/")]
    {
        assert!(!help.contains(&format!("{option} ")), "{option} in {help}");
        let outcome = stage.run(&["probe", "http://a.test/", option, value]).ends(2);
        assert!(outcome.err.contains(&format!("{option} means nothing for a list")), "{outcome}");
    }
    assert!(help.contains("--timeout ") && help.contains("--exclude "), "{help}");
    // In the settings file they are for sites.
    std::fs::write(stage.path("rummage.toml"), "[defaults]\ndepth = 3\n").unwrap();
    stage.run(&["probe", "http://a.test/"]).ends(0);
}

#[test]
fn a_host_without_a_scheme_is_tried_over_http_after_https() {
    let mut scenario = site("plain.test", &[("/", page("")), ("/fine", page(""))]);
    scenario.hosts.get_mut("plain.test").unwrap().tls = Tls::Plain;
    let bad = site("expired.test", &[("/", page(""))]);
    scenario.hosts.extend(bad.hosts);
    scenario.hosts.get_mut("expired.test").unwrap().tls = Tls::Expired;
    let stage = Stage::new(&scenario);
    let list = "plain.test\nplain.test/fine\nplain.test/gone\nexpired.test\nhttps://plain.test/x\n\
                https://plain.test/y\nplain.test/y\nplain.test/z\nhttps://plain.test/z\n";
    fs::write(stage.path("list.txt"), list).unwrap();
    let words = ["probe", "list.txt", "--timeout", "500ms", "--all", "--format", "jsonl"];
    let outcome = stage.run(&words).ends(1);
    let row = |row: &serde_json::Value| {
        let text = |key: &str| row[key].as_str().unwrap_or_default().to_owned();
        (row["line"].as_u64().unwrap(), text("verdict"), text("cause"), text("final"))
    };
    let rows: Vec<_> = outcome.json().iter().map(row).collect();
    let expected = [
        (1, "sound", "redirected", "http://plain.test/"),
        (2, "sound", "redirected", "http://plain.test/fine"),
        (3, "broken", "not-found", "http://plain.test/gone"),
        // Browsers show its certificate, and go no further.
        (4, "broken", "tls-expired", "https://expired.test/"),
        (5, "broken", "tls-failure", "https://plain.test/x"),
        // What a line asks for by its scheme is checked there, whatever other lines leave open.
        (6, "broken", "tls-failure", "https://plain.test/y"),
        (7, "broken", "tls-failure", "https://plain.test/y"),
        (8, "broken", "tls-failure", "https://plain.test/z"),
        (9, "broken", "tls-failure", "https://plain.test/z"),
    ];
    let expected = expected.map(|(line, verdict, cause, last)| {
        (line, verdict.to_owned(), cause.to_owned(), last.to_owned())
    });
    assert_eq!(rows, expected);
}
