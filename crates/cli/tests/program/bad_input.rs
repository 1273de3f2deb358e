//! Invalid input and bad luck: one sentence on what is wrong, one on what to do, the exit code.

use std::fs;

use rummage_demo::{Act, ConnectionMode, Host, Scenario, museum};

use crate::harness::{Stage, program};
use crate::options::{page, site};
use crate::running::{Running, finish};

/// Standard error of the program, without the folder's name.
fn complaint(stage: &Stage, words: &[&str], code: i32) -> String {
    let outcome = stage.run(words).ends(code);
    assert_eq!(outcome.out, "", "{outcome}");
    outcome.err.replace(stage.folder.path().to_str().unwrap(), "[folder]")
}

fn with(host: &str, what: Host) -> Scenario {
    let mut scenario = site("a.test", &[("/", page("<a href=/>Home</a>"))]);
    scenario.hosts.insert(host.to_owned(), what);
    scenario
}

#[test]
fn starts_that_cannot_be_crawled() {
    let refusing = Host { reach: ConnectionMode::Refuses, ..Host::default() };
    let stage = Stage::new(&with("down.test", refusing));
    insta::assert_snapshot!(complaint(&stage, &["crawl", "nowhere.test"], 4), @"
    error: cannot fetch the start page http://nowhere.test/: host name does not exist (NXDOMAIN)
      Check the spelling of the host name. A --connect rule with * is for hosts that a DNS server knows; for this one, give its full name: --connect nowhere.test=IP:PORT
    ");
    let words = ["crawl", "down.test", "--timeout", "200ms"];
    insta::assert_snapshot!(complaint(&stage, &words, 4), @r"
    error: cannot fetch the start page http://down.test/: connection refused
      Check that the server is running, and the port.
    ");
    insta::assert_snapshot!(complaint(&stage, &["crawl", "http://a.test/none"], 4), @r"
    error: cannot fetch the start page http://a.test/none: 404
      Open it in a browser, or start from another page of the site.
    ");
    insta::assert_snapshot!(complaint(&stage, &["crawl", "./public"], 2), @r"
    error: cannot read the folder [folder]/public: No such file or directory (os error 2)
      Give a folder of built pages, such as ./public.
    ");
    insta::assert_snapshot!(complaint(&stage, &["crawl", "ftp://a.test/"], 2), @r"
    error: ftp://a.test/ is not an http or https URL
      Give a URL such as https://www.example.test/, or a host name such as www.example.test.
    ");
    let outcome = stage.run(&["findings"]).ends(4);
    assert!(
        outcome.err.contains("the store contains no run"),
        "a bad start leaves no run: {outcome}"
    );
}

#[test]
fn starts_that_are_no_pages() {
    let paths = [
        ("/doc.pdf", Act::file("application/pdf", b"%PDF".to_vec())),
        ("/round", Act::redirect(302, "/round")),
        ("/login", Act::status(401)),
    ];
    let stage = Stage::new(&site("a.test", &paths));
    insta::assert_snapshot!(complaint(&stage, &["crawl", "http://a.test/doc.pdf"], 4), @r"
    error: the start URL http://a.test/doc.pdf is application/pdf, not an HTML page
      Give the URL of a page of the site, such as its home page.
    ");
    insta::assert_snapshot!(complaint(&stage, &["crawl", "http://a.test/round"], 4), @r"
    error: the redirects of the start URL lead nowhere: stopped at http://a.test/round
      Open it in a browser, and give the URL of the page that is shown.
    ");
    insta::assert_snapshot!(complaint(&stage, &["crawl", "http://a.test/login"], 4), @r"
    error: cannot fetch the start page http://a.test/login: 401
      Send the header the server expects with --header, or start from another page.
    ");
}

#[test]
fn values_that_cannot_be() {
    for (words, what) in [
        (&["crawl", "a.test", "--timeout", "5"][..], "give a number and a unit, such as 500ms"),
        (
            &["crawl", "a.test", "--rate", "fast"],
            "give a number of requests and a time, such as 2/s",
        ),
        (&["crawl", "a.test", "--connect", "b"], "give a host, = and an IP address with a port"),
        (
            &["crawl", "a.test", "--proxy", "socks5://p.test"],
            "only http proxies are supported, not socks5",
        ),
        (&["crawl", "a.test", "--hops", "0"], "0 is not in 1..=100"),
        (&["crawl", "a.test", "--fragments", "some"], "[possible values: internal, all, none]"),
        (&["crawl", "a.test", "--dns", "localhost"], "invalid socket address"),
        (&["crawl", "a.test", "--concurrency", "0"], "0 is not in 1..=1000"),
        (&["crawl", "a.test", "--header", "X: env:RUMMAGE_NOT_SET"], "RUMMAGE_NOT_SET is not set"),
        (&["crawl", "a.test", "--externals", "maybe"], "[possible values: check, note]"),
        (&["crawl", "a.test", "--ca-cert", "none.pem"], "--ca-cert: cannot use none.pem"),
        (
            &["findings", "--verdict", "rotten"],
            "a verdict is broken, doubtful, moved, sound or skipped",
        ),
        (&["crawl", "a.test", "--dephth", "2"], "--depth"),
        (&["crawl"], "no start URL"),
        (&["crwal", "a.test"], "crawl"),
    ] {
        let outcome = finish(words, &mut program(words)).ends(2);
        assert!(outcome.err.contains(what), "{what:?} in {outcome}");
        assert_eq!(outcome.out, "");
    }
}

#[test]
fn unusable_stores_are_not_changed() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/>Home</a>"))]));
    fs::write(stage.path("notes.txt"), "these are my own notes, not a database at all").unwrap();
    fs::write(stage.path("file"), "").unwrap();
    let crawl =
        |store: &str, code| complaint(&stage, &["crawl", "http://a.test", "--store", store], code);
    insta::assert_snapshot!(crawl("notes.txt", 4), @r"
    error: notes.txt is not a Rummage store
      The file was not changed. Name another file with --store.
    ");
    let kept = fs::read_to_string(stage.path("notes.txt")).unwrap();
    assert_eq!(kept, "these are my own notes, not a database at all");
    let outcome = crawl("file/store.db", 4);
    assert!(outcome.starts_with("error: cannot open the store file/store.db"), "{outcome}");
    insta::assert_snapshot!(complaint(&stage, &["findings", "--store", "none.db"], 4), @r"
    error: no store at none.db
      Run rummage crawl first, or name the file with --store.
    ");
    assert!(!stage.path("none.db").exists());
}

/// Root may read and write anything: if the tests run as root, the program runs as user `nobody`.
#[cfg(unix)]
#[test]
fn a_read_only_store_is_read_and_not_written() {
    use std::os::unix::fs::{MetadataExt, PermissionsExt};
    use std::os::unix::process::CommandExt;

    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/none>x</a>"))]));
    stage.run(&["crawl", "http://a.test", "--store", "kept/store.db"]).ends(1);
    fs::copy(env!("CARGO_BIN_EXE_rummage"), stage.path("rummage")).unwrap();
    let modes = [("", 0o755), ("kept/store.db", 0o444), ("kept", 0o555)];
    let set = |mode| fs::Permissions::from_mode(mode);
    for (name, mode) in modes {
        fs::set_permissions(stage.path(name), set(mode)).unwrap();
    }
    let run = |words: &[&str], folder: &str| {
        let mut command = std::process::Command::new(stage.path("rummage"));
        command.args(words).env_clear().current_dir(stage.path(folder));
        if fs::metadata(stage.path("rummage")).unwrap().uid() == 0 {
            command.uid(65_534).gid(65_534);
        }
        finish(words, &mut command)
    };
    let listed = run(&["findings", "--store", "kept/store.db"], "").ends(0);
    assert!(listed.out.contains("http://a.test/none"), "{listed}");
    let crawl = ["crawl", "http://a.test", "--store", "store.db"];
    let refused = run(&crawl, "kept").ends(4);
    fs::set_permissions(stage.path("kept"), set(0o755)).unwrap();
    insta::assert_snapshot!(refused.err, @r"
    error: cannot open the store store.db: Permission denied (os error 13)
      Check the folder and its permissions, or name another file with --store.
    ");
}

#[test]
fn a_store_of_a_newer_version_is_an_error() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/>Home</a>"))]));
    stage.run(&["crawl", "http://a.test"]).ends(0);
    // The version is at offset 60 of the header (SQLite file format, §1.3).
    let mut bytes = fs::read(stage.path("store.db")).unwrap();
    bytes[60..64].copy_from_slice(&99u32.to_be_bytes());
    fs::write(stage.path("store.db"), &bytes).unwrap();
    let outcome = complaint(&stage, &["crawl", "http://a.test"], 4);
    assert!(
        outcome.contains("has version 99; this rummage supports versions up to 10"),
        "{outcome}"
    );
    assert!(outcome.contains("Use the newer rummage"), "{outcome}");
}

#[test]
fn a_closed_pipe_ends_a_reading_command_quietly() {
    let stage = Stage::new(&museum());
    let crawl = ["crawl", "www.ashlock-canal.test", "--externals", "note", "--exclude", "/webcam/"];
    stage.run(&[&crawl[..], &["--timeout", "500ms"]].concat()).ends(1);
    let (reader, writer) = std::io::pipe().unwrap();
    drop(reader);
    let words = ["findings", "--all", "--format", "jsonl", "-q"];
    let outcome = Running::start_into(&words, &mut stage.command(&words), writer).end().ends(0);
    assert_eq!(outcome.err, "");
}

#[test]
fn help_lists_the_commands_and_succeeds() {
    for words in [
        &["--help"][..],
        &["crawl", "--help"],
        &["findings", "-h"],
        &["trace", "-h"],
        &["--version"],
    ] {
        let outcome = finish(words, &mut program(words)).ends(0);
        assert_eq!(outcome.err, "");
        assert!(!outcome.out.is_empty());
    }
}

#[test]
fn settings_have_the_bounds_of_options() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/>Home</a>"))]));
    for (key, reason) in [
        ("concurrency = 0", "0 is not in 1..=1000"),
        ("hops = 4294967295", "4294967295 is not in 1..=100"),
        ("attempts = -1", "-1 is not in 1..=10"),
        ("rate = \"1/999999999999s\"", "give a number of requests and a time"),
        ("rate = \"1/2d\"", "the slowest rate is 1/1d"),
        ("timeout = \"2h\"", "the longest time-out is 1h"),
        ("crawl-every = \"1s\"", "the shortest interval is 1m"),
        ("max-size = \"9G\"", "the maximum is 1G"),
        ("max-urls = 0", "0 is not in"),
        ("externals = \"chek\"", ""),
    ] {
        std::fs::write(stage.path("rummage.toml"), format!("[defaults]\n{key}\n")).unwrap();
        let outcome = stage.run(&["crawl", "http://a.test"]).ends(2);
        assert!(outcome.err.contains("line 2"), "{outcome}");
        assert!(outcome.err.contains(reason), "{outcome}");
    }
    assert_eq!(stage.web.requests(), []);
    let fine =
        "[defaults]\nconcurrency = 5\nexclude = [\"/x\", \"-y\"]\ngentle = false\nrate = \"9/s\"\n";
    std::fs::write(stage.path("rummage.toml"), fine).unwrap();
    stage.run(&["crawl", "http://a.test"]).ends(0);
}

#[cfg(target_os = "linux")]
#[test]
fn a_list_may_be_a_named_pipe_and_a_device_is_not_replaced() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/>Home</a>"))]));
    let pipe = stage.path("pipe");
    let mode = rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR;
    rustix::fs::mknodat(rustix::fs::CWD, &pipe, rustix::fs::FileType::Fifo, mode, 0).unwrap();
    let write = pipe.clone();
    let writer = std::thread::spawn(move || std::fs::write(write, "http://a.test/gone\n").unwrap());
    let words = ["probe", pipe.to_str().unwrap(), "--format", "jsonl", "-o", "/dev/null"];
    let outcome = stage.run(&words);
    writer.join().unwrap();
    assert_eq!(outcome.code, Some(1), "{outcome}");
    use std::os::unix::fs::FileTypeExt;
    assert!(std::fs::metadata("/dev/null").unwrap().file_type().is_char_device());
}

/// The file is read by every command: a wrong variable is reported as such, by those that use it.
#[test]
fn a_wrong_variable_is_not_an_error_of_the_settings_file() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/>Home</a>"))]));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(0);
    fs::write(stage.path("rummage.toml"), "[defaults]\ntimeout = \"5s\"\n").unwrap();
    let words = ["findings"];
    finish(&words, stage.command(&words).env("RUMMAGE_RATE", "often")).ends(0);
    let words = ["crawl", "http://a.test"];
    let outcome = finish(&words, stage.command(&words).env("RUMMAGE_RATE", "often")).ends(2);
    assert!(outcome.err.contains("--rate") && !outcome.err.contains("rummage.toml"), "{outcome}");
}

/// An unset variable of a script is an empty argument, which must not stand for everything.
#[test]
fn an_empty_target_or_pattern_is_an_error_everywhere() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/none>gone</a>"))]));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    for words in [
        &["waive", "", "--reason", "x"][..],
        &["waive", "--target", " ", "--reason", "x"],
        &["recheck", ""],
        &["trace", ""],
        &["page", ""],
        &["crawl", "http://a.test", "--exclude", ""],
        &["findings", "--host", "", "--all"],
        &["findings", "--search", ""],
    ] {
        let outcome = stage.run(words).ends(2);
        assert!(outcome.err.contains("is empty: it would match"), "{outcome}");
        assert!(outcome.err.contains(&format!("Usage: rummage {}", words[0])), "{outcome}");
    }
    let tab = ["findings", "--format", "csv", "--csv-separator", "\t", "-q"];
    assert!(stage.run(&tab).ends(0).out.contains('\t'), "a tab is not empty");
    let outcome = stage.run(&["waive", "--reason", "x"]).ends(2);
    assert!(outcome.err.contains("or --all for all findings"), "{outcome}");
    let waivers = stage.path("waivers.toml");
    assert!(!waivers.exists());
    std::fs::write(&waivers, "[[waiver]]\ntarget = \"\"\nreason = \"x\"\n").unwrap();
    let outcome = stage.run(&["findings"]).ends(2);
    assert!(outcome.err.contains("target is empty"), "{outcome}");
    std::fs::remove_file(&waivers).unwrap();
    stage.run(&["waive", "--all", "--reason", "closing"]).ends(0);
    stage.run(&["findings"]).ends(0);
    std::fs::write(stage.path("rummage.toml"), "[defaults]\nexclude = [\"\"]\n").unwrap();
    let outcome = stage.run(&["crawl", "http://a.test"]).ends(2);
    assert!(outcome.err.contains("line 2") && outcome.err.contains("empty"), "{outcome}");
}

#[test]
fn what_people_type_leads_on() {
    let stage = Stage::new(&site("a.test", &[("/", page("<a href=/>home</a>"))]));
    let outcome = stage.run(&["http://a.test/", "-q"]).ends(0);
    assert!(outcome.out.starts_with("Home  a.test  run 1"), "{outcome}");
    let outcome = stage.run(&["help", "crawl"]).ends(0);
    assert!(outcome.out.contains("--max-pages"), "{outcome}");
    // Patterns of another kind match nothing, and are told apart.
    let odd =
        stage.run(&["crawl", "http://a.test", "--exclude", "^/x$", "--exclude", "/y"]).ends(0);
    let literal = "--exclude '^/x$' excluded no URL; only * is special in patterns\n";
    assert!(odd.err.contains(literal), "{odd}");
    let anchored =
        "--exclude '/y' excluded no URL; with a leading /, it is compared with the start";
    assert!(odd.err.contains(anchored), "{odd}");
    let odd = stage.run(&["findings", "--page", "^/news/.*$"]).ends(0);
    assert!(odd.out.contains("only * is special: ^/news/.*$ is taken literally"), "{odd}");
    stage.run(&["schedule", "--as-of", "4w"]).ends(0);
    stage.run(&["schedule", "--as-of", "tomorrow"]).ends(0);
    let unknown = ["crawl", "http://a.test", "--max-depth", "3"];
    let mut command = stage.command(&unknown);
    command.env("RUMMAGE_TIMEOUT", "5s");
    insta::assert_snapshot!(crate::running::finish(&unknown, &mut command).ends(2).err, @r"
    error: unexpected argument '--max-depth' found

      tip: use --depth

    Usage: rummage crawl [OPTIONS] [START]...

    For more information, try '--help'.
    ");
}
