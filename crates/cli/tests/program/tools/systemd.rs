//! A real systemd parses the printed units.

use std::process::Command;

use super::find;
use crate::schedule::crawled;

#[test]
fn systemd_takes_the_units() {
    let Some(analyze) = find("systemd-analyze") else { return };
    let stage = crawled();
    let units = stage.run(&["schedule", "--emit", "systemd"]).ends(0).out;
    let (service, timer) = units.split_once("# rummage-recheck.timer").expect("two units");
    let verify = |service: &str| {
        std::fs::write(stage.path("rummage-recheck.service"), service).unwrap();
        std::fs::write(stage.path("rummage-recheck.timer"), format!("#{timer}")).unwrap();
        let output = Command::new(&analyze)
            .args(["verify", "--user", "./rummage-recheck.service", "./rummage-recheck.timer"])
            .env("XDG_RUNTIME_DIR", stage.folder.path())
            .current_dir(stage.folder.path())
            .output()
            .unwrap();
        String::from_utf8(output.stderr).unwrap()
    };
    let outcome = verify(service);
    assert!(!outcome.contains("rummage-recheck"), "{outcome}");
    let outcome = verify(&service.replace("NoNewPrivileges", "NoSuchKey"));
    assert!(outcome.contains("NoSuchKey"), "systemd looks at what it is given: {outcome}");
}
