//! A real cron runs the printed entry.

use std::path::Path;
use std::process::{Command, Output};

use super::{find, skip};
use crate::schedule::crawled;

/// Runs a command with empty crontabs that are discarded afterwards, in a mount namespace. `None`
/// if this user may not create one.
fn with_empty_tables(command: &str) -> Option<Output> {
    let hide = "mount -t tmpfs none /var/spool/cron/crontabs";
    let run = |command: &str| {
        let hidden = format!("{hide} && {command}");
        Command::new("unshare").args(["-m", "sh", "-c", &hidden]).output().ok()
    };
    run("true").filter(|output| output.status.success())?;
    run(command)
}

fn install(crontab: &Path, table: &Path) -> Option<bool> {
    let command = format!("{} '{}'", crontab.display(), table.display());
    with_empty_tables(&command).map(|output| output.status.success())
}

#[test]
fn cron_accepts_the_entry_and_its_minutes() {
    let Some(crontab) = find("crontab") else { return };
    let stage = crawled();
    let entry = stage.run(&["schedule", "--emit", "cron"]).ends(0).out;
    let (good, bad) = (stage.path("good"), stage.path("bad"));
    std::fs::write(&good, &entry).unwrap();
    let line = entry.lines().find(|line| !line.starts_with('#')).unwrap();
    let (minutes, _) = line.split_once(' ').unwrap();
    std::fs::write(&bad, entry.replacen(minutes, "1,71", 1)).unwrap();
    let Some(taken) = install(&crontab, &good) else {
        return skip("this user may not hide the tables of cron");
    };
    assert!(taken, "{entry}");
    assert_eq!(install(&crontab, &bad), Some(false), "cron looks at what it is given");
}
