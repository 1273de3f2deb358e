//! The museum's partners, and the state of their servers.

use std::collections::BTreeMap;

use crate::scenario::{Act, ConnectionMode, Host, Resolves};

pub(super) fn hosts() -> BTreeMap<String, Host> {
    let page =
        |title: &str| Act::page(format!("<!DOCTYPE html><title>{title}</title><h1>{title}</h1>"));
    let badge = Act::file("image/png", b"\x89PNG\r\n\x1a\n".to_vec());
    let serving = [
        host(
            "archive.westshire.test",
            vec![
                ("/", page("Westshire Archive")),
                ("/canals/ashlock", page("Records of the Ashlock Canal")),
                ("/canals/ashlock/plans", Act::status(410)),
            ],
        ),
        host(
            "trains.westshire.test",
            vec![
                ("/timetable", Act::redirect(301, "/timetables/ashlock-halt")),
                ("/timetables/ashlock-halt", page("Timetable: Ashlock Halt")),
                ("/today", Act::redirect(302, "/today/monday")),
                ("/today/monday", page("Trains on Monday")),
            ],
        ),
        host(
            "boats.hollin-wharf.test",
            vec![
                ("/", page("Hollin Wharf Boats")),
                ("/hire/narrowboats", page("Narrowboats to hire")),
            ],
        ),
        host(
            "ironwork-society.test",
            vec![
                ("/", page("The Ironwork Society")),
                ("/members/", Act::status(401)),
                // A link with swapped letters in the host name means this page.
                ("/foundries", page("Foundries along the canal")),
                ("/badge.png", Act::head_refused(405, badge)),
            ],
        ),
        // An old machine: it fails twice, then it works.
        host(
            "shop.lockside.test",
            vec![
                ("/tickets", Act::fails_first(2, 500, page("Tickets"))),
                ("/prints", page("Prints")),
            ],
        ),
        host("reviews.daytrips.test", vec![("/ashlock", Act::status(403))]),
        host("weather.fellgate.test", vec![("/forecast", Act::Silent)]),
    ];
    let failing = [
        ("boatyard.hollin-wharf.test", Host { reach: ConnectionMode::Refuses, ..Host::default() }),
        ("tugs.hollin-wharf.test", Host { reach: ConnectionMode::Resets, ..Host::default() }),
        ("council.westshire.test", Host { resolves: Resolves::WithFailure, ..Host::default() }),
    ];
    let failing = failing.map(|(name, host)| (name.to_owned(), host));
    serving.into_iter().chain(failing).collect()
}

fn host(name: &str, paths: Vec<(&str, Act)>) -> (String, Host) {
    let paths = paths.into_iter().map(|(path, act)| (path.to_owned(), act)).collect();
    (name.to_owned(), Host { paths, ..Host::default() })
}
