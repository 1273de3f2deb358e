//! Notifications at the end of a run: each change once, in the same transaction.

use jiff::{SignedDuration, Timestamp};
use rummage_core::findings::waiver::{Waiver, WaiverKind, Waivers};
use rummage_core::url::pattern::Pattern;
use rummage_store::{
    Channel, Digest, DigestTarget, NewRun, NotifySettings, Outbox, QueuedDigest, RunKind,
    RunWriter, StoreError,
};

use crate::site::{Site, fresh, new_run};

fn site() -> Site {
    Site::new(&[
        ("/", "<title>Home</title><a href=/a>a</a><a href=/x>the x</a>"),
        ("/a", "\n<a href=/x>again</a><a href=/y>y</a>"),
        ("/y", "fine"),
    ])
}

fn minutes(minutes: i64) -> Timestamp {
    Timestamp::UNIX_EPOCH.checked_add(SignedDuration::from_mins(minutes)).unwrap()
}

fn by_mail() -> NotifySettings {
    NotifySettings { channels: vec![Channel::Mail], ..NotifySettings::default() }
}

/// A crawl that begins this many minutes after the first.
fn crawl_at(site: &Site, at: i64, notify: NotifySettings) {
    let new = NewRun { started_at: minutes(at), epoch_at: minutes(at), ..new_run() };
    let writer = RunWriter::begin(&site.path(), new).unwrap().notify(notify);
    site.drive(writer, fresh(), usize::MAX);
}

/// Takes the queued digests, and marks them as delivered.
fn emails(site: &Site) -> Vec<QueuedDigest> {
    let outbox = Outbox::open(&site.path()).unwrap().expect("no other process delivers");
    let now = minutes(1_000_000);
    let emails = outbox.due(now).unwrap();
    emails.iter().for_each(|email| outbox.handle_delivered(email, now).unwrap());
    emails
}

/// The contents of the only queued digest.
fn reported(site: &Site) -> Vec<String> {
    let emails = emails(site);
    assert!(emails.len() < 2, "{emails:#?}");
    let Some(QueuedDigest { digest, .. }) = emails.into_iter().next() else { return Vec::new() };
    let lines = |what: &str, list: &[DigestTarget]| -> Vec<String> {
        let short = |target: &DigestTarget| {
            format!("{what} {}", target.target.replace("http://a.test", ""))
        };
        list.iter().map(short).collect()
    };
    let Digest { broke, returned, reopened, healed, .. } = digest;
    [("broke", broke), ("back", returned), ("reopened", reopened), ("healed", healed)]
        .iter()
        .flat_map(|(what, list)| lines(what, list))
        .collect()
}

#[test]
fn a_digest_lists_changes_with_links_and_is_written_once() {
    let mut site = site();
    crawl_at(&site, 0, by_mail());
    let [QueuedDigest { digest, channel, attempts, .. }] = emails(&site).try_into().unwrap();
    assert_eq!((channel, attempts), (Channel::Mail, 0));
    assert!(digest.is_first());
    assert_eq!((digest.counts.broke, digest.counts.open), (1, 1));
    let [x] = digest.broke.try_into().unwrap();
    assert_eq!((x.target.as_str(), x.links, x.status), ("http://a.test/x", 2, Some(404)));
    assert_eq!(x.cause.as_deref(), Some("not-found"));
    let place = &x.places[0];
    assert_eq!((place.page.as_str(), place.line), ("http://a.test/", 1));
    assert_eq!(place.text.as_deref(), Some("the x"));
    assert_eq!(digest.title.as_deref(), Some("Home"));

    crawl_at(&site, 60, by_mail());
    assert_eq!(reported(&site), Vec::<String>::new(), "nothing has changed");
    site.pages.remove("/y");
    crawl_at(&site, 120, by_mail());
    assert_eq!(reported(&site), ["broke /y"]);
    site.pages.insert("/y", "fine".to_owned());
    site.pages.insert("/x", "fine".to_owned());
    crawl_at(&site, 180, by_mail());
    assert_eq!(reported(&site), ["healed /x", "healed /y"]);
    site.pages.remove("/y");
    crawl_at(&site, 240, by_mail());
    assert_eq!(reported(&site), ["back /y"]);
}

#[test]
fn a_temporary_failure_is_reported_after_a_second_check_half_an_hour_later() {
    let mut site = site();
    site.pages.insert("/x", "fine".to_owned());
    crawl_at(&site, 0, by_mail());
    site.pages.insert("/y", "!".to_owned());
    crawl_at(&site, 60, by_mail());
    assert_eq!(reported(&site), Vec::<String>::new(), "it may be temporary");
    crawl_at(&site, 80, by_mail());
    assert_eq!(reported(&site), Vec::<String>::new(), "twenty minutes are too few");
    crawl_at(&site, 95, by_mail());
    assert_eq!(reported(&site), ["broke /y"]);
    site.pages.insert("/y", "fine".to_owned());
    crawl_at(&site, 120, by_mail());
    assert_eq!(reported(&site), ["healed /y"]);
    // It fails again, and is fixed before it was reported.
    site.pages.insert("/y", "!".to_owned());
    crawl_at(&site, 180, by_mail());
    site.pages.insert("/y", "fine".to_owned());
    crawl_at(&site, 240, by_mail());
    assert_eq!(reported(&site), Vec::<String>::new());
    site.pages.insert("/y", "!".to_owned());
    crawl_at(&site, 300, NotifySettings { apart: 0, ..by_mail() });
    assert_eq!(reported(&site), ["back /y"], "the settings say how far apart");
}

#[test]
fn a_waived_finding_is_reported_when_its_waiver_has_ended() {
    let mut site = site();
    let waiver = Waiver {
        kind: WaiverKind::Leave,
        ended: false,
        targets: std::iter::once(Pattern::new("/x")).collect(),
        hosts: Vec::new(),
        excepts: Vec::new(),
        pages: Vec::new(),
        causes: Vec::new(),
        observed: Vec::new(),
    };
    let waived = NotifySettings { waivers: Waivers(vec![waiver]), ..by_mail() };
    crawl_at(&site, 0, waived.clone());
    assert_eq!(reported(&site), Vec::<String>::new());
    crawl_at(&site, 60, by_mail());
    assert_eq!(reported(&site), ["reopened /x"]);
    crawl_at(&site, 120, waived);
    site.pages.insert("/x", "fine".to_owned());
    crawl_at(&site, 180, by_mail());
    assert_eq!(reported(&site), Vec::<String>::new(), "it was fixed while it was waived");
}

#[test]
fn findings_from_before_notifications_are_not_reported() {
    let mut site = site();
    site.crawl();
    crawl_at(&site, 60, by_mail());
    assert_eq!(reported(&site), Vec::<String>::new());
    site.pages.insert("/x", "fine".to_owned());
    crawl_at(&site, 120, by_mail());
    assert_eq!(reported(&site), ["healed /x"]);
}

#[test]
fn changes_in_a_stopped_run_are_reported_by_the_next_finished_run() {
    let mut site = site();
    crawl_at(&site, 0, by_mail());
    assert_eq!(reported(&site), ["broke /x"]);
    site.pages.insert("/x", "fine".to_owned());
    let new = NewRun { started_at: minutes(60), epoch_at: minutes(60), ..new_run() };
    let writer = RunWriter::begin(&site.path(), new).unwrap().notify(by_mail());
    site.drive_and_stop(writer, fresh(), 6);
    assert_eq!(reported(&site), Vec::<String>::new(), "it has not ended");
    crawl_at(&site, 120, by_mail());
    assert_eq!(reported(&site), ["healed /x"]);
}

#[test]
fn an_undelivered_digest_is_retried_at_growing_intervals() {
    let site = site();
    let channels = vec![Channel::Mail, Channel::Command];
    crawl_at(&site, 0, NotifySettings { channels, ..NotifySettings::default() });
    let outbox = Outbox::open(&site.path()).unwrap().unwrap();
    assert!(Outbox::open(&site.path()).unwrap().is_none(), "one delivers at a time");
    let due = outbox.due(minutes(0)).unwrap();
    let [mail, command] = &due[..] else { panic!("{due:#?}") };
    assert_eq!(mail.digest.message_id, "rummage.0.1@a.test");
    assert_eq!((mail.json.as_str(), command.channel), (command.json.as_str(), Channel::Command));
    outbox.handle_delivered(command, minutes(0)).unwrap();
    let next = outbox.handle_failed(mail, "it is refused", minutes(0)).unwrap();
    assert_eq!(next, minutes(1));
    assert!(outbox.due(minutes(0)).unwrap().is_empty());
    let again = outbox.due(minutes(1)).unwrap().remove(0);
    assert_eq!((again.attempts, again.digest.message_id), (1, mail.digest.message_id.clone()));
    let again = QueuedDigest { attempts: 1, ..mail.clone() };
    assert_eq!(outbox.handle_failed(&again, "still", minutes(1)).unwrap(), minutes(6));
    let waiting = site.reader().undelivered().unwrap();
    assert_eq!(waiting.len(), 1);
    assert_eq!((waiting[0].emails, waiting[0].attempts), (1, 2));
    assert_eq!(waiting[0].problem.as_deref(), Some("still"));
    assert!(!outbox.due(minutes(-1_000)).unwrap().is_empty(), "the clock was ahead when it failed");
    outbox.handle_dropped(mail).unwrap();
    assert!(site.reader().undelivered().unwrap().is_empty());
}

#[test]
fn a_digest_is_committed_with_its_run_or_not_at_all() {
    let mut site = site();
    crawl_at(&site, 0, by_mail());
    emails(&site);
    site.pages.remove("/y");
    // The run is killed before its end is written.
    let new = NewRun { started_at: minutes(60), epoch_at: minutes(60), ..new_run() };
    let writer = RunWriter::begin(&site.path(), new).unwrap().notify(by_mail());
    site.drive(writer, fresh(), 5);
    assert_eq!(reported(&site), Vec::<String>::new());
    crawl_at(&site, 120, by_mail());
    assert_eq!(reported(&site), ["broke /y"]);
}

#[test]
fn old_rechecks_are_deleted_except_for_their_checks() -> Result<(), StoreError> {
    let site = site();
    site.crawl();
    for hour in 1..=13 {
        let at = minutes(hour * 60);
        let new = NewRun { started_at: at, epoch_at: at, kind: RunKind::Recheck, ..new_run() };
        let writer = RunWriter::begin(&site.path(), new)?;
        site.drive(writer, fresh(), usize::MAX);
    }
    let reader = site.reader();
    let runs: Vec<i64> = reader.runs()?.iter().map(|run| run.number).collect();
    assert_eq!(runs, [&[1], &(5..=14).collect::<Vec<i64>>()[..]].concat());
    let mut times = Vec::new();
    reader.for_each_check("a.test", |check, url| {
        times.push((url.to_owned(), check.checked.times, check.checked.since));
    })?;
    let of = |url: &str| times.iter().find(|(of, ..)| of == url).cloned().unwrap();
    let (_, times, since) = of("http://a.test/x");
    assert_eq!((times, since < 3_600), (14, true), "all of its checks count");
    Ok(())
}
