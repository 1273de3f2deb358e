//! A real systemd parses the printed units.

use std::process::Command;

use super::find;
use crate::harness::program;
use crate::running::finish;
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

#[test]
fn systemd_takes_the_unit_of_a_worker() {
    let Some(analyze) = find("systemd-analyze") else { return };
    let folder = tempfile::TempDir::new().unwrap();
    let words = ["fleet", "work", "--emit", "systemd", "--sites", "8"];
    let unit = finish(&words, &mut program(&words)).ends(0).out;
    assert!(unit.contains(" fleet work --sites 8 "), "{unit}");
    let verify = |unit: &str| {
        std::fs::write(folder.path().join("rummage-fleet@.service"), unit).unwrap();
        let output = Command::new(&analyze)
            .args(["verify", "./rummage-fleet@1.service"])
            .current_dir(folder.path())
            .output()
            .unwrap();
        String::from_utf8(output.stderr).unwrap()
    };
    let outcome = verify(&unit);
    assert!(!outcome.contains("rummage-fleet"), "{outcome}");
    let outcome = verify(&unit.replace("NoNewPrivileges", "NoSuchKey"));
    assert!(outcome.contains("NoSuchKey"), "systemd looks at what it is given: {outcome}");
}
