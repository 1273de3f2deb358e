//! The truth about every fault planted in the museum's web.

use super::row::{HOST, Row};
use super::{attic, link_table};
use crate::scenario::{Fault, FaultLink, FaultLinks};

/// Status 0 means none.
const ROWS: &[Row] = &[
    // A file was renamed, an old issue removed.
    (
        "/pictures/hazel-on-the-slip.jpg",
        "broken",
        "not-found",
        404,
        &[("/boats/hazel/", "img", "Hazel on the slip in 1911")],
    ),
    (
        "/newsletter/1998-01.pdf",
        "broken",
        "gone",
        410,
        &[("/newsletter/", "a", "The first number, January 1998 (PDF)")],
    ),
    // A heading was removed from the page.
    (
        "/visit/#winter-hours",
        "broken",
        "no-such-fragment",
        200,
        &[("/visit/", "a", "winter hours")],
    ),
    // The site's own server.
    ("/cgi/guestbook", "broken", "server-error", 500, &[("/contact/", "a", "guest book")]),
    (
        "/search?q=%",
        "broken",
        "client-error",
        400,
        &[("/accessibility/", "a", "Search these pages")],
    ),
    (
        "/members/portal",
        "broken",
        "bad-redirect",
        301,
        &[("/visit/groups/", "a", "members' portal")],
    ),
    ("/walks/circular", "broken", "redirect-loop", 302, &[("/walks/", "a", "The whole circle")]),
    (
        "/webcam/",
        "broken",
        "timeout",
        0,
        &[("/", "a", "webcam on Lock Five"), ("/diary/2026-08/", "a", "webcam")],
    ),
    // Typing errors.
    (
        "htp://www.ashlock-canal.test/cottages/keepers/",
        "broken",
        "malformed-url",
        0,
        &[("/cottages/", "a", "the keepers")],
    ),
    (
        "http://www.ironwork-scoiety.test/foundries",
        "broken",
        "nxdomain",
        0,
        &[("/walks/lime-kilns/", "a", "Ironwork Society")],
    ),
    // Partners come and go.
    (
        "http://limekilns-trust.test/",
        "broken",
        "nxdomain",
        0,
        &[("/about/", "a", "Lime Kilns Trust")],
    ),
    (
        "http://archive.westshire.test/canals/ashlock/plans",
        "broken",
        "gone",
        410,
        &[("/learning/a-day-in-1886/", "a", "have gone")],
    ),
    (
        "http://boats.hollin-wharf.test/hire/punts",
        "broken",
        "not-found",
        404,
        &[("/walks/hollin-wharf/", "a", "punts")],
    ),
    (
        "http://boatyard.hollin-wharf.test/",
        "broken",
        "connection-refused",
        0,
        &[("/walks/hollin-wharf/", "a", "boatyard")],
    ),
    (
        "http://tugs.hollin-wharf.test/fleet",
        "broken",
        "connection-reset",
        0,
        &[("/walks/cutting/", "a", "the tug company")],
    ),
    (
        "http://council.westshire.test/parking",
        "broken",
        "dns-failure",
        0,
        &[("/visit/", "a", "charges")],
    ),
    (
        "http://council.westshire.test/food/ashlock",
        "broken",
        "dns-failure",
        0,
        &[("/tea-room/", "a", "council")],
    ),
    (
        "http://weather.fellgate.test/forecast",
        "broken",
        "timeout",
        0,
        &[("/", "a", "forecast for the cutting")],
    ),
    // Findings that only a person can judge.
    (
        "http://reviews.daytrips.test/ashlock",
        "doubtful",
        "access-refused",
        403,
        &[("/visit/", "a", "What visitors say")],
    ),
    (
        "http://ironwork-society.test/members/",
        "doubtful",
        "login-needed",
        401,
        &[("/about/trustees/", "a", "members' area")],
    ),
    // Links that work and could be updated all the same.
    (
        "http://trains.westshire.test/timetable",
        "moved",
        "moved-permanently",
        200,
        &[("/", "a", "timetable for Ashlock Halt")],
    ),
    (
        "http://www.ashlock-canal.test/visit/",
        "moved",
        "moved-permanently",
        200,
        &[("/visit/getting-here/", "a", "Wharf Street gate")],
    ),
];

pub(super) fn faults() -> Vec<Fault> {
    let own = |path: &str| {
        if path.starts_with('/') { format!("https://{HOST}{path}") } else { path.to_owned() }
    };
    let place = |&(page, element, text): &(&str, &'static str, &str)| FaultLink {
        page: own(page),
        element,
        text: text.to_owned(),
    };
    let mut faults: Vec<Fault> = ROWS
        .iter()
        .chain(attic::ROWS)
        .map(|(target, verdict, cause, status, places)| Fault {
            target: own(target),
            verdict,
            cause,
            status: (*status > 0).then_some(*status),
            places: FaultLinks::On(places.iter().map(place).collect()),
        })
        .collect();
    // The footer still links to a page that was removed.
    faults.push(Fault {
        target: own("/volunteers/rota.html"),
        verdict: "broken",
        cause: "not-found",
        status: Some(404),
        places: FaultLinks::EveryPage("a", "Volunteer rota".to_owned()),
    });
    faults.extend(link_table::faults(&format!("https://{HOST}")));
    faults
}
