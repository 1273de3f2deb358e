//! Digests: sent once, by email or to a command, and kept until they are delivered.

use rummage_demo::{Act, Scenario, Tls};
use serde_json::Value;

use crate::harness::Stage;
use crate::options::{page, site};
use crate::running::finish;

/// Who is notified, and about which site.
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
fn a_crawl_emails_each_change_once() {
    let stage = stage(&a_site(HOME), SETTINGS);
    let outcome = stage.run(&["crawl", "ay"]).ends(1);
    assert!(outcome.err.contains("digest of a.test sent by mail: to Zoë"), "{outcome}");
    let emails = stage.web.emails();
    assert_eq!(emails.len(), 1);
    let email = &emails[0];
    assert!(email.secure, "STARTTLS is the default");
    assert_eq!(email.from, "rummage@a.test");
    assert_eq!(email.to, ["editor@a.test", "keeper@a.test"]);
    assert_eq!(email.subject(), "a.test: 1 found; 1 open");
    for text in [email.text(), email.html()] {
        assert!(text.contains("http://a.test/lost"), "{text}");
        assert!(text.contains("The lost page"), "{text}");
        assert!(text.contains("rummage findings --site ay"), "{text}");
    }
    assert!(email.text().contains("on http://a.test/ 1:"), "{}", email.text());

    // Nothing has changed: no email.
    let again = stage.run(&["crawl", "ay"]).ends(1);
    stage.run(&["recheck", "--site", "ay"]).ends(1);
    assert!(!again.err.contains("digest"), "{again}");
    assert_eq!(stage.web.emails().len(), 1);
}

#[test]
fn newly_broken_and_fixed_links_are_one_email_in_the_same_thread() {
    let one = stage(&a_site(HOME), SETTINGS);
    one.run(&["crawl", "ay"]).ends(1);
    let two = stage(&a_site("<a href=/mislaid>m</a><a href=/fine>f</a>"), SETTINGS);
    let store = one.path("store.db").display().to_string();
    two.run(&["crawl", "ay", "--store", &store]).ends(1);
    let (first, second) = (&one.web.emails()[0], &two.web.emails()[0]);
    assert_eq!(second.subject(), "a.test: 1 newly broken, 1 fixed; 1 open");
    let thread = first.field("References").unwrap();
    assert_eq!(second.field("References").unwrap(), thread);
    assert_eq!(second.field("In-Reply-To").unwrap(), thread);
    assert_ne!(first.field("Message-ID"), second.field("Message-ID"));
    let text = second.text();
    let at = |what: &str| text.find(what).unwrap_or_else(|| panic!("{what} in {text}"));
    assert!(at("http://a.test/mislaid") < at("1 fixed\n"));
    assert!(at("1 fixed\n") < at("http://a.test/lost"));
    assert!(text.contains("rummage compare 1 2"), "{text}");
}

#[test]
fn a_rejected_email_is_kept_shown_and_retried_with_the_same_id() {
    let stage = stage(&a_site(HOME), SETTINGS);
    stage.web.refuse_emails(1);
    let outcome = stage.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(outcome.err.contains("451 4.3.0 mailbox busy"), "{outcome}");
    assert!(outcome.err.contains("it is kept, and retried"), "{outcome}");
    let sites = stage.run(&["sites"]).ends(0);
    assert!(sites.out.contains("1 digest of a.test not delivered: tried once"), "{sites}");
    assert!(sites.out.contains("mailbox busy"), "{sites}");
    // Not at once: the delay grows.
    stage.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(stage.web.emails().is_empty());

    // The server accepts it, and the connection is lost before it can reply.
    make_due(&stage);
    stage.web.drop_connection_after_email();
    let outcome = stage.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(outcome.err.contains("cannot reach"), "{outcome}");
    make_due(&stage);
    let outcome = stage.run(&["crawl", "ay"]).ends(1);
    assert!(outcome.err.contains("digest of a.test sent by mail"), "{outcome}");
    let emails = stage.web.emails();
    let ids: Vec<_> = emails.iter().map(|email| email.field("Message-ID").unwrap()).collect();
    assert_eq!(ids.len(), 2);
    assert_eq!(ids[0], ids[1], "a mail client recognizes it as one email");
    assert!(!stage.run(&["sites"]).ends(0).out.contains("not delivered"));
}

/// Makes the next attempt due, by the clock of the store.
fn make_due(stage: &Stage) {
    let store = rusqlite::Connection::open(stage.path("store.db")).unwrap();
    let past = "UPDATE outbox SET next_at = '2020-01-01T00:00:00Z' WHERE next_at IS NOT NULL";
    assert_eq!(store.execute(past, []).unwrap(), 1);
}

#[test]
fn a_command_gets_the_digest_as_json_and_its_error_is_shown() {
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
    let outcome = failing.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(outcome.err.contains("sh ended with 7: no chat today"), "{outcome}");
    let absent = "digest-command = [\"./not-there\"]\n";
    let absent = stage(&a_site(HOME), &format!("{start}{absent}"));
    let outcome = absent.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(outcome.err.contains("cannot start ./not-there"), "{outcome}");
}

#[test]
fn a_temporary_failure_is_not_reported_after_one_run() {
    let failing = [("/", page("<a href=/fails>f</a>")), ("/fails", Act::status(500))];
    let stage = stage(&site("a.test", &failing), SETTINGS);
    stage.run(&["crawl", "ay", "-q"]).ends(1);
    assert!(stage.web.emails().is_empty(), "a second look comes first");
    stage.run(&["recheck", "--site", "ay", "-q"]).ends(1);
    assert!(stage.web.emails().is_empty(), "the two lie less than half an hour apart");
    let store = rusqlite::Connection::open(stage.path("store.db")).unwrap();
    let earlier = "UPDATE finding SET wrong_since = '2020-01-01T00:00:00Z'";
    assert_eq!(store.execute(earlier, []).unwrap(), 1);
    stage.run(&["recheck", "--site", "ay", "-q"]).ends(1);
    assert_eq!(stage.web.emails()[0].subject(), "a.test: 1 newly broken; 1 open");
}

#[test]
fn a_waived_finding_is_not_reported_until_its_waiver_ends() {
    let stage = stage(&a_site(HOME), SETTINGS);
    std::fs::write(
        stage.path("waivers.toml"),
        "[[waiver]]\nas = \"leave\"\nreason = \"known\"\nuntil = 2999-01-01\ntarget = [\"/lost\"]\n",
    )
    .unwrap();
    stage.run(&["crawl", "ay", "-q"]).ends(0);
    assert!(stage.web.emails().is_empty());
    stage.run(&["waive", "--lift", "1"]).ends(0);
    stage.run(&["crawl", "ay", "-q"]).ends(1);
    assert_eq!(stage.web.emails()[0].subject(), "a.test: 1 no longer waived; 1 open");
}

#[test]
fn a_test_digest_reports_the_result() {
    let login = "digest-user = \"keeper\"\ndigest-password = \"env:POST\"\n";
    let stage = stage(&a_site(HOME), &format!("{SETTINGS}{login}"));
    let words = ["patrol", "--test-digest"];
    let outcome = stage.run(&words).ends(4);
    assert!(
        outcome.out.contains("POST, the password of keeper, is not in the environment"),
        "{outcome}"
    );
    let outcome = finish(&words, stage.command(&words).env("POST", "sesame")).ends(0);
    assert!(outcome.out.contains("digest of ay sent by mail: to Zoë"), "{outcome}");
    let email = &stage.web.emails()[0];
    assert_eq!(email.user, Some(("keeper".to_owned(), "sesame".to_owned())));
    assert!(email.text().contains("a test, not a broken link"), "{}", email.text());
    assert!(!stage.path("store.db").exists(), "it is no run");

    std::fs::write(stage.path("rummage.toml"), "[site.ay]\nstart = \"a.test\"\n").unwrap();
    let outcome = stage.run(&words).ends(2);
    assert!(outcome.err.contains("digests have no recipients"), "{outcome}");
    assert!(outcome.err.contains("digest-to = ["), "{outcome}");
    std::fs::write(stage.path("rummage.toml"), format!("{SETTINGS}digest-password = \"hush\"\n"))
        .unwrap();
    let outcome = stage.run(&words).ends(2);
    assert!(outcome.err.contains("give env:") && !outcome.err.contains("hush"), "{outcome}");
}

#[test]
fn the_connection_is_secured_as_set_and_rejections_are_reported() {
    let sent = |more: &str, to: &str| {
        let settings =
            format!("[site.ay]\nstart = \"http://a.test/\"\ndigest-to = [\"{to}\"]\n{more}\n");
        let stage = stage(&a_site(HOME), &settings);
        let words = ["patrol", "--test-digest"];
        let mut command = stage.command(&words);
        if more.contains("\"tls\"") {
            command.env("RUMMAGE_DIGEST_SERVER", stage.web.mail_over_tls.to_string());
        }
        let outcome = finish(&words, command.env("POST", "wrong"));
        let secure: Vec<bool> = stage.web.emails().iter().map(|email| email.secure).collect();
        (outcome, secure)
    };
    for (security, expected) in [("starttls", true), ("tls", true), ("none", false)] {
        let (outcome, secure) = sent(&format!("digest-security = \"{security}\""), "e@a.test");
        assert_eq!((outcome.code, secure), (Some(0), vec![expected]), "{security}: {outcome}");
    }
    let (outcome, secure) =
        sent("digest-user = \"keeper\"\ndigest-password = \"env:POST\"", "e@a.test");
    assert!(
        outcome.out.contains("535") && outcome.out.contains("invalid credentials"),
        "{outcome}"
    );
    assert_eq!((outcome.code, secure.len()), (Some(4), 0));
    assert!(!outcome.out.contains("wrong") && !outcome.err.contains("wrong"), "{outcome}");
    let (outcome, _) = sent("", "nobody@elsewhere.test");
    assert!(outcome.out.contains("no such mailbox"), "{outcome}");
    let (outcome, _) = sent("", "no address");
    assert!(outcome.out.contains("no address is not an email address"), "{outcome}");
}

#[test]
fn a_certificate_that_ends_soon_is_noted_and_digests_link_to_the_editor() {
    let mut scenario = a_site(HOME);
    let host = scenario.hosts.get_mut("a.test").unwrap();
    (host.tls, host.secure) = (Tls::EndsSoon, true);
    let settings =
        SETTINGS.replace("http://", "https://") + "editor-link = \"https://cms.test/edit{path}\"\n";
    let stage = stage(&scenario, &settings);
    let outcome = stage.run(&["crawl", "ay"]).ends(1);
    let note = "note  the certificate of a.test ends in 10 days, on ";
    assert_eq!(outcome.out.matches(note).count(), 1, "{outcome}");
    let email = &stage.web.emails()[0];
    for text in [email.text(), email.html()] {
        assert!(text.contains("The certificate of a.test ends on "), "{text}");
        assert!(text.contains("https://cms.test/edit/"), "{text}");
    }
    // The note is that of a run: one that reuses results has it as well, unless it is not wanted.
    let outcome = stage.run(&["recheck", "--site", "ay"]).ends(1);
    assert!(outcome.out.contains(note), "{outcome}");
    let outcome = stage.run(&["crawl", "ay", "--certificate-ends", "5d"]).ends(1);
    assert!(!outcome.out.contains("certificate"), "{outcome}");
}
