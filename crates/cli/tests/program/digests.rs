//! Digests: told once, by mail or to a command, and kept until somebody takes them.

use rummage_demo::{Act, Scenario};
use serde_json::Value;

use crate::harness::Stage;
use crate::options::{page, site};

/// Who is told, and of what site.
const SETTINGS: &str = "[site.ay]
start = \"http://a.test/\"
timeout = \"300ms\"
digest-to = [\"Zoë <editor@a.test>\", \"keeper@a.test\"]
digest-from = \"Rummage <rummage@a.test>\"
";

fn a_site(home: &str) -> Scenario {
    site("a.test", &[("/", page(home)), ("/fine", page(""))])
}

/// A stage with these settings.
fn stage(scenario: &Scenario, settings: &str) -> Stage {
    let stage = Stage::new(scenario);
    std::fs::write(stage.path("rummage.toml"), settings).unwrap();
    stage
}

const HOME: &str = "<footer><a href=/lost>The <b>lost</b> page</a></footer><a href=/fine>f</a>";

#[test]
fn a_crawl_tells_by_mail_what_changed_and_nothing_twice() {
    let stage = stage(&a_site(HOME), SETTINGS);
    let said = stage.run(&["crawl", "ay"]).ends(1);
    assert!(said.err.contains("digest of a.test sent by mail: to Zoë"), "{said}");
    let letters = stage.web.letters();
    assert_eq!(letters.len(), 1);
    let letter = &letters[0];
    assert!(letter.secure, "STARTTLS is the preset");
    assert_eq!(letter.from, "rummage@a.test");
    assert_eq!(letter.to, ["editor@a.test", "keeper@a.test"]);
    assert_eq!(letter.subject(), "a.test: 1 found; 1 open");
    for text in [letter.text(), letter.html()] {
        assert!(text.contains("http://a.test/lost"), "{text}");
        assert!(text.contains("The lost page"), "{text}");
        assert!(text.contains("rummage findings --site ay"), "{text}");
    }
    assert!(letter.text().contains("on http://a.test/ 1:"), "{}", letter.text());

    // Nothing has changed: nobody hears of it.
    let again = stage.run(&["crawl", "ay"]).ends(1);
    stage.run(&["recheck", "--site", "ay"]).ends(1);
    assert!(!again.err.contains("digest"), "{again}");
    assert_eq!(stage.web.letters().len(), 1);
}

#[test]
fn what_broke_and_what_healed_are_one_letter_in_the_same_thread() {
    let one = stage(&a_site(HOME), SETTINGS);
    one.run(&["crawl", "ay"]).ends(1);
    let two = stage(&a_site("<a href=/mislaid>m</a><a href=/fine>f</a>"), SETTINGS);
    let store = one.path("store.db").display().to_string();
    two.run(&["crawl", "ay", "--store", &store]).ends(1);
    let (first, second) = (&one.web.letters()[0], &two.web.letters()[0]);
    assert_eq!(second.subject(), "a.test: 1 broke, 1 healed; 1 open");
    let thread = first.field("References").unwrap();
    assert_eq!(second.field("References").unwrap(), thread);
    assert_eq!(second.field("In-Reply-To").unwrap(), thread);
    assert_ne!(first.field("Message-ID"), second.field("Message-ID"));
    let text = second.text();
    let at = |what: &str| text.find(what).unwrap_or_else(|| panic!("{what} in {text}"));
    assert!(at("http://a.test/mislaid") < at("1 healed\n"));
    assert!(at("1 healed\n") < at("http://a.test/lost"));
    assert!(text.contains("rummage compare 1 2"), "{text}");
}

#[test]
fn a_letter_that_is_not_taken_is_kept_shown_and_tried_again_as_the_same_one() {
    let stage = stage(&a_site(HOME), SETTINGS);
    stage.web.refuse_letters(1);
    let said = stage.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(said.err.contains("451 4.3.0 the keeper is at lunch"), "{said}");
    assert!(said.err.contains("it waits, and is tried again"), "{said}");
    let sites = stage.run(&["sites"]).ends(0);
    assert!(sites.out.contains("1 digest of a.test not delivered: tried once"), "{sites}");
    assert!(sites.out.contains("the keeper is at lunch"), "{sites}");
    // Not at once: the gap grows.
    stage.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(stage.web.letters().is_empty());

    // The server takes it, and the line is lost before it can say so.
    make_due(&stage);
    stage.web.lose_line_after_letter();
    let said = stage.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(said.err.contains("was not reached"), "{said}");
    make_due(&stage);
    let said = stage.run(&["crawl", "ay"]).ends(1);
    assert!(said.err.contains("digest of a.test sent by mail"), "{said}");
    let letters = stage.web.letters();
    let ids: Vec<_> = letters.iter().map(|letter| letter.field("Message-ID").unwrap()).collect();
    assert_eq!(ids.len(), 2);
    assert_eq!(ids[0], ids[1], "a mail reader knows that it is one letter");
    assert!(!stage.run(&["sites"]).ends(0).out.contains("not delivered"));
}

/// Waits for the next attempt, by the clock of the store.
fn make_due(stage: &Stage) {
    let store = rusqlite::Connection::open(stage.path("store.db")).unwrap();
    let past = "UPDATE outbox SET next_at = '2020-01-01T00:00:00Z' WHERE next_at IS NOT NULL";
    assert_eq!(store.execute(past, []).unwrap(), 1);
}

#[test]
fn a_command_gets_the_digest_as_json_and_its_words_when_it_fails() {
    let command = "digest-command = [\"sh\", \"-c\", \"cat > digest.json\"]\n";
    let start = "[site.ay]\nstart = \"http://a.test/\"\n";
    let fine = stage(&a_site(HOME), &format!("{start}{command}"));
    fine.run(&["crawl", "ay", "-q"]).ends(1);
    let text = std::fs::read_to_string(fine.path("digest.json")).unwrap();
    let digest: Value = serde_json::from_str(&text).unwrap();
    assert_eq!((&digest["schema"], &digest["site"]), (&1.into(), &"a.test".into()));
    assert_eq!(digest["counts"]["broke"], 1);
    let broke = &digest["broke"][0];
    assert_eq!((&broke["target"], &broke["status"]), (&"http://a.test/lost".into(), &404.into()));
    let place = &broke["places"][0];
    assert_eq!((&place["text"], &place["region"]), (&"The lost page".into(), &"footer".into()));

    let wrong = "digest-command = [\"sh\", \"-c\", \"echo no chat today >&2; exit 7\"]\n";
    let failing = stage(&a_site(HOME), &format!("{start}{wrong}"));
    let said = failing.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(said.err.contains("sh ended with 7: no chat today"), "{said}");
    let absent = "digest-command = [\"./not-there\"]\n";
    let absent = stage(&a_site(HOME), &format!("{start}{absent}"));
    let said = absent.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(said.err.contains("./not-there cannot be started"), "{said}");
}

#[test]
fn what_may_pass_is_not_told_by_one_run() {
    let failing = [("/", page("<a href=/fails>f</a>")), ("/fails", Act::status(500))];
    let stage = stage(&site("a.test", &failing), SETTINGS);
    stage.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(stage.web.letters().is_empty(), "a second look comes first");
    stage.run(&["recheck", "--site", "ay", "-q"]).ends(1);
    assert!(stage.web.letters().is_empty(), "the two lie less than half an hour apart");
    let store = rusqlite::Connection::open(stage.path("store.db")).unwrap();
    let earlier = "UPDATE finding SET wrong_since = '2020-01-01T00:00:00Z'";
    assert_eq!(store.execute(earlier, []).unwrap(), 1);
    stage.run(&["recheck", "--site", "ay", "-q"]).ends(1);
    assert_eq!(stage.web.letters()[0].subject(), "a.test: 1 broke; 1 open");
}

#[test]
fn what_is_waived_is_not_told_until_that_ends() {
    let stage = stage(&a_site(HOME), SETTINGS);
    std::fs::write(
        stage.path("waivers.toml"),
        "[[waiver]]\nas = \"leave\"\nreason = \"known\"\nuntil = 2999-01-01\ntarget = [\"/lost\"]\n",
    )
    .unwrap();
    stage.run(&["crawl", "ay", "-q"]).ends(0);
    assert!(stage.web.letters().is_empty());
    stage.run(&["waive", "--lift", "1"]).ends(0);
    stage.run(&["crawl", "ay", "-q"]).ends(1);
    assert_eq!(stage.web.letters()[0].subject(), "a.test: 1 set aside no more; 1 open");
}

#[test]
fn a_test_digest_says_how_it_went() {
    let login = "digest-user = \"keeper\"\ndigest-password = \"env:POST\"\n";
    let stage = stage(&a_site(HOME), &format!("{SETTINGS}{login}"));
    let words = ["patrol", "--test-digest"];
    let said = stage.run(&words).ends(4);
    assert!(said.out.contains("the password of keeper is not in the environment: POST"), "{said}");
    let output = stage.command(&words).env("POST", "sesame").output().unwrap();
    let said = crate::harness::said(&words, output).ends(0);
    assert!(said.out.contains("digest of ay sent by mail: to Zoë"), "{said}");
    let letter = &stage.web.letters()[0];
    assert_eq!(letter.user, Some(("keeper".to_owned(), "sesame".to_owned())));
    assert!(letter.text().contains("a test, no fault of yours"), "{}", letter.text());
    assert!(!stage.path("store.db").exists(), "it is no run");

    std::fs::write(stage.path("rummage.toml"), "[site.ay]\nstart = \"a.test\"\n").unwrap();
    let said = stage.run(&words).ends(2);
    assert!(said.err.contains("nobody is told"), "{said}");
    assert!(said.err.contains("digest-to = ["), "{said}");
    std::fs::write(stage.path("rummage.toml"), format!("{SETTINGS}digest-password = \"hush\"\n"))
        .unwrap();
    let said = stage.run(&words).ends(2);
    assert!(said.err.contains("write env:") && !said.err.contains("hush"), "{said}");
}

#[test]
fn the_line_is_as_secure_as_the_settings_say_and_refusals_are_told() {
    let sent = |more: &str, to: &str| {
        let settings =
            format!("[site.ay]\nstart = \"http://a.test/\"\ndigest-to = [\"{to}\"]\n{more}\n");
        let stage = stage(&a_site(HOME), &settings);
        let words = ["patrol", "--test-digest"];
        let mut command = stage.command(&words);
        let said = crate::harness::said(&words, command.env("POST", "wrong").output().unwrap());
        let secure: Vec<bool> = stage.web.letters().iter().map(|letter| letter.secure).collect();
        (said, secure)
    };
    for (security, expected) in [("starttls", true), ("tls", true), ("none", false)] {
        let (said, secure) = sent(&format!("digest-security = \"{security}\""), "e@a.test");
        assert_eq!((said.code, secure), (Some(0), vec![expected]), "{security}: {said}");
    }
    let (said, secure) =
        sent("digest-user = \"keeper\"\ndigest-password = \"env:POST\"", "e@a.test");
    assert!(said.out.contains("535") && said.out.contains("who are you?"), "{said}");
    assert_eq!((said.code, secure.len()), (Some(4), 0));
    assert!(!said.out.contains("wrong") && !said.err.contains("wrong"), "{said}");
    let (said, _) = sent("", "nobody@elsewhere.test");
    assert!(said.out.contains("nobody of that name lives here"), "{said}");
    let (said, _) = sent("", "no address");
    assert!(said.out.contains("no address is no mail address"), "{said}");
}
