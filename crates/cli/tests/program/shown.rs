//! Complete text output for the museum's folder, page, list and log.

use rummage_demo::{museum, museum_earlier, write_files};

use crate::harness::{Stage, program};
use crate::running::finish;
use crate::screens::settings;

const AT: &str = "https://www.ashlock-canal.test/";

fn at_hand() -> Stage {
    let stage = Stage::new(&museum());
    write_files(stage.folder.path()).unwrap();
    stage
}

#[test]
fn a_page_and_a_draft() {
    let stage = at_hand();
    let page = stage.run(&["page", "https://www.ashlock-canal.test/visit/", "--timeout", "500ms"]);
    settings().bind(|| {
        insta::assert_snapshot!(page.ends(1).out, @r#"
        https://www.ashlock-canal.test/visit/  Visit us
          28 links: 3 broken, 1 doubtful, 0 moved, 22 sound, 2 not checked
          30:1     broken   https://www.ashlock-canal.test/visit/#winter-hours  no anchor #winter-hours on the page
                   a "winter hours"  in main
          34:1     broken   http://council.westshire.test/parking  DNS lookup failed
                   a "charges"  in main
          37:1     doubtful http://reviews.daytrips.test/ashlock  403 Forbidden
                   a "What visitors say"  in main
          46:7     broken   https://www.ashlock-canal.test/volunteers/rota.html  404 Not Found
                   a "Volunteer rota"  in footer
        "#);
    });
    let at = "https://www.ashlock-canal.test/boats/hazel.html";
    let words = ["page", "public/boats/hazel.html", "--as", at, "--timeout", "500ms", "--all"];
    settings().bind(|| {
        insta::assert_snapshot!(stage.run(&words).ends(1).out, @r#"
        https://www.ashlock-canal.test/boats/hazel.html  Hazel
          9 links: 6 broken, 0 doubtful, 0 moved, 3 sound
          6:1      broken   https://www.ashlock-canal.test/style.css  404 Not Found
                   link href=/style.css rel=stylesheet
                   public/boats/hazel.html:6:1
          10:1     sound    https://www.ashlock-canal.test/  200 OK
                   a "Home"  in nav
                   public/boats/hazel.html:10:1
          11:1     sound    https://www.ashlock-canal.test/visit/  200 OK
                   a "Visit"  in nav
                   public/boats/hazel.html:11:1
          12:1     sound    https://www.ashlock-canal.test/boats/  200 OK
                   a "Boats"  in nav
                   public/boats/hazel.html:12:1
          13:1     broken   https://www.ashlock-canal.test/about.html  404 Not Found
                   a "About"  in nav
                   public/boats/hazel.html:13:1
          17:4     broken   https://www.ashlock-canal.test/boats/hazel.jpg  404 Not Found
                   img "Hazel at work"  in main
                   public/boats/hazel.html:17:4
          18:4     broken   https://www.ashlock-canal.test/visit/index.html  404 Not Found
                   a "When she sails"  in main
                   public/boats/hazel.html:18:4
          21:1     broken   https://www.ashlock-canal.test/imprint.html  404 Not Found
                   a "Imprint"  in footer
                   public/boats/hazel.html:21:1
          22:1     broken   https://www.ashlock-canal.test/press/kit.zip  404 Not Found
                   a "Press kit"  in footer
                   public/boats/hazel.html:22:1
        "#);
    });
}

#[test]
fn a_folder() {
    let stage = at_hand();
    let folder = stage.run(&["crawl", "public", "--as", AT, "--timeout", "500ms"]).ends(1);
    let here = stage.folder.path().display().to_string();
    settings().bind(|| {
        insta::assert_snapshot!(folder.out.replace(&here, "[folder]"), @r#"
        Ashlock Canal Museum  www.ashlock-canal.test from [folder]/public  run 1, [time], took [time]
        Checked 84 links to 21 targets on 9 pages and 1 stylesheet
        9 broken, 0 doubtful, 1 moved, 11 sound
        [requests]
        note  https://www.ashlock-canal.test/drafts/2019-plan.html is unreached: no link leads to it

        broken  404 Not Found
          https://www.ashlock-canal.test/press/kit.zip
          2 × GET: 404 ([time])
          on 9 of 9 pages, in footer, one edit: a "Press kit"  first on https://www.ashlock-canal.test/ 23:1
            also on https://www.ashlock-canal.test/visit/, https://www.ashlock-canal.test/boats/
            public/index.html:23:1

        broken  404 Not Found
          https://www.ashlock-canal.test/Visit/
          2 × GET: 404 ([time])
          https://www.ashlock-canal.test/ 19:4  a "Opening hours"  in main
            public/index.html:19:4

        broken  404 Not Found
          https://www.ashlock-canal.test/pictures/water.png
          2 × GET: 404 ([time])
          https://www.ashlock-canal.test/style.css 1:20  style url=pictures/water.png
            public/style.css:1:20

        broken  no anchor #fares on the page
          https://www.ashlock-canal.test/visit/#fares
          anchors of https://www.ashlock-canal.test/visit/ checked
          https://www.ashlock-canal.test/visit/ 18:32  a "fares"  in main
            public/visit/index.html:18:32

        broken  404 Not Found
          https://www.ashlock-canal.test/boats/heron.html
          2 × GET: 404 ([time])
          https://www.ashlock-canal.test/boats/ 17:36  a "Heron"  in main
            public/boats/index.html:17:36

        broken  404 Not Found
          https://www.ashlock-canal.test/boats/hazel.jpg
          HEAD: 404 ([time]), then 2 × GET: 404 ([time])
          https://www.ashlock-canal.test/boats/hazel.html 17:4  img "Hazel at work"  in main
            public/boats/hazel.html:17:4

        broken  404 Not Found  external
          http://trains.westshire.test/tramway
          2 × GET: 404 ([time])
          https://www.ashlock-canal.test/visit/getting%20here.html 17:4  a "The tramway"  in main
            public/visit/getting here.html:17:4

        broken  no anchor #fares on the page
          https://www.ashlock-canal.test/visit/index.html#fares
          anchors of https://www.ashlock-canal.test/visit/index.html checked
          https://www.ashlock-canal.test/visit/index.html 18:32  a "fares"  in main
            public/visit/index.html:18:32

        broken  404 Not Found
          https://www.ashlock-canal.test/sponsors.html
          2 × GET: 404 ([time])
          https://www.ashlock-canal.test/drafts/2019-plan.html 17:4  a "Sponsors"  in main
            public/drafts/2019-plan.html:17:4

        moved  moved permanently
          https://www.ashlock-canal.test/visit
          now at https://www.ashlock-canal.test/visit/
          https://www.ashlock-canal.test/ 18:4  a "Come and visit"  in main
            public/index.html:18:4
        "#);
    });
}

#[test]
fn a_list() {
    let stage = at_hand();
    let list = stage.run(&["probe", "urls.csv", "--timeout", "500ms"]).ends(1);
    settings().bind(|| {
        insta::assert_snapshot!(list.out, @"
        ./urls.csv  probe, run 1, [time], took [time]
        Checked 14 entries with 13 targets
        7 broken, 2 doubtful, 1 moved, 3 sound
        [requests]

        broken  404 Not Found
          https://www.ashlock-canal.test/volunteers/rota.html
          2 × GET: 404 ([time])
          urls.csv:4
          urls.csv:5

        broken  410 Gone
          https://www.ashlock-canal.test/newsletter/1998-01.pdf
          2 × GET: 410 ([time])
          urls.csv:6

        broken  410 Gone
          http://archive.westshire.test/canals/ashlock/plans
          2 × GET: 410 ([time])
          urls.csv:9

        broken  host name does not exist (NXDOMAIN)
          http://ashlock-museum.test/
          2 × GET: host name does not exist (NXDOMAIN) ([time])
          urls.csv:12

        broken  connection refused
          http://boatyard.hollin-wharf.test/
          3 × GET: connection refused ([time])
          urls.csv:13

        broken  invalid URL
          htp://boats.hollin-wharf.test/
          urls.csv:14

        broken  invalid URL
          ask Mrs Lomax
          urls.csv:15

        doubtful  403 Forbidden
          http://reviews.daytrips.test/ashlock
          GET: 403 ([time])
          urls.csv:10

        doubtful  401 Unauthorized
          http://ironwork-society.test/members/
          GET: 401 ([time])
          urls.csv:11

        moved  moved permanently
          http://trains.westshire.test/timetable
          now at http://trains.westshire.test/timetables/ashlock-halt
          urls.csv:7
        ");
    });
}

#[test]
fn a_log() {
    let stage = at_hand();
    let words = ["arrivals", "access.log", "--as", AT, "--check", "--timeout", "500ms"];
    settings().bind(|| {
        insta::assert_snapshot!(stage.run(&words).ends(0).out, @"
        access.log  3,264 lines, 2026-11-01 to 2026-11-28
        skipped 3 lines not in access-log format
        7 URLs missing: 247 requests by people, 371 by robots
        1 URL fixed since

        404  148 requests by people, 9 by robots  2026-11-01 to 2026-11-28
          https://www.ashlock-canal.test/volunteers/rota.html
          now broken  404 Not Found
          from your pages: https://www.ashlock-canal.test/visit/ (148)

        404  61 requests by people, 14 by robots  2026-11-01 to 2026-11-28
          https://www.ashlock-canal.test/visitors/opening.htm
          now broken  404 Not Found
          from other sites: http://reviews.daytrips.test/ashlock (61)

        500  22 requests by people  2026-11-02 to 2026-11-26
          https://www.ashlock-canal.test/cgi/guestbook
          now broken  500 Internal Server Error
          from your pages: https://www.ashlock-canal.test/contact/ (22)

        410  9 requests by people, 31 by robots  2026-11-02 to 2026-11-28
          https://www.ashlock-canal.test/newsletter/1998-01.pdf
          now broken  410 Gone

        404  7 requests by people  2026-11-06 to 2026-11-23
          https://www.ashlock-canal.test/old/map.php?sheet=4
          now broken  404 Not Found
          from other sites: http://boats.hollin-wharf.test/ (7)

        404  240 requests by robots  2026-11-01 to 2026-11-28
          https://www.ashlock-canal.test/wp-login.php
          now broken  404 Not Found

        404  77 requests by robots  2026-11-01 to 2026-11-28
          https://www.ashlock-canal.test/.env
          now broken  404 Not Found

        fixed
          https://www.ashlock-canal.test/boats/hazel/  404 until 2026-11-14; works now
        ");
    });
}

#[test]
fn short_helps_of_one_screen() {
    let help = |name: &str| {
        let words = [name, "-h"];
        finish(&words, &mut program(&words)).ends(0).out
    };
    insta::assert_snapshot!(help("patrol"), @"
    Keep running: recheck what is due, crawl each site at its interval, send digests

    Usage: rummage patrol [OPTIONS]

    Options:
          --once         Do what is due now, then exit
          --test-digest  Send a sample digest to every configured channel, report the result, and exit
      -h, --help         Print help (see more with '--help')

    Showing:
          --log <FORMAT>  Log format, on standard error [default: text] [possible values: text, json]

    Everywhere:
          --store <FILE>  Store file that keeps the results [default: rummage.db next to rummage.toml,
                          else in your data folder]
          --site <NAME>   Site to use: its name in the settings file, or its host [default: the last
                          site crawled]
      -q, --quiet         Do not show progress, nor results without news
      -v, --verbose       Show every request, and why findings are listed in this order

    Examples:
      rummage patrol --once          one round, for cron
      rummage patrol --test-digest   check that digests arrive
    ");
    insta::assert_snapshot!(help("arrivals"), @"
    Show the missing URLs that visitors requested, from server access logs

    Usage: rummage arrivals [OPTIONS] <LOG>...

    Arguments:
      <LOG>...  Access logs, or - for standard input

    Options:
          --check  Check each URL now, and list those that work again separately
      -h, --help   Print help (see more with '--help')

    Checking:
          --as <URL>            URL at which a folder or draft will be published, or the site a log
                                belongs to, such as https://www.example.test/
          --timeout <DURATION>  Longest wait for a response to begin, such as 5s [default: 20s]

    Selecting:
          --verdict <LIST>    Links with these verdicts, separated by commas [default:
                              broken,doubtful,moved]
          --cause <LIST>      Links with these causes, separated by commas, such as not-found,timeout;
                              not-parsed for links to pages that were not parsed
          --status <LIST>     Links with these status codes or classes, separated by commas, such as
                              404,5xx
          --host <PATTERN>    Links to matching hosts, such as *.example.test (repeatable)
          --target <PATTERN>  Links to matching targets; only * is special, and it crosses /
                              (repeatable)
          --except <PATTERN>  No links to matching targets (repeatable)
          --page <PATTERN>    Links on matching pages, such as /news/* (repeatable)
          --rel <LIST>        Links with one of these words in their rel attribute, separated by commas,
                              such as nofollow,sponsored
          --search <WORD>     Links with this word in the target, page, link text or source text
                              (repeatable)

    Showing:
          --sort <KEY[:desc]>  Sort by a column, such as pages:desc [default: worst first]
          --limit <N>          Show at most this many groups or rows; the totals include all
          --format <FORMAT>    Output format [default: by the extension of --output, else text]
                               [possible values: text, csv, jsonl, json, md, html, junit, sarif, github,
                               baseline]
      -o, --output <FILE>      Write to this file; - is standard output
          --fail-on <WHAT>     When to exit with code 1 [default: never] [possible values: new, broken,
                               doubtful, never]

    Everywhere:
          --store <FILE>  Store file that keeps the results [default: rummage.db next to rummage.toml,
                          else in your data folder]
          --site <NAME>   Site to use: its name in the settings file, or its host [default: the last
                          site crawled]
      -q, --quiet         Do not show progress, nor results without news
      -v, --verbose       Show every request, and why findings are listed in this order

    Examples:
      rummage arrivals /var/log/nginx/access.log*
      rummage arrivals access.log --check --format csv -o missing.csv

    All options: rummage arrivals --help
    ");
    for name in ["crawl", "page", "probe", "recheck"] {
        assert!(help(name).lines().count() <= 60, "{name}");
    }
}

/// The email that a patrol sends about the museum, some weeks after the last crawl.
#[test]
fn a_letter() {
    let (one, two) = (Stage::new(&museum_earlier()), Stage::new(&museum()));
    let settings_file = "[site.museum]\nstart = \"https://www.ashlock-canal.test/\"\n\
        timeout = \"500ms\"\ncrawl-every = \"1m\"\ndigest-to = [\"editor@ashlock-canal.test\"]\n";
    std::fs::write(one.path("rummage.toml"), settings_file).unwrap();
    let (store, file) = (one.path("store.db"), one.path("rummage.toml"));
    let shared = ["--store", store.to_str().unwrap(), "--config", file.to_str().unwrap()];
    let words = [&["crawl", "museum", "-q"], &shared[..]].concat();
    let mut crawl = one.command(&words);
    finish(&words, crawl.env("RUMMAGE_DEMO_CLOCK_BEHIND", "10m")).ends(1);
    two.run(&[&["patrol", "--once", "-q"], &shared[..]].concat()).ends(0);
    let emails = two.web.emails();
    assert_eq!(emails.len(), 1);
    settings().bind(|| {
        insta::assert_snapshot!(emails[0].text(), @r#"
        Ashlock Canal Museum (www.ashlock-canal.test)
        Found by run 2, a crawl, [time].

        2 newly broken, 1 fixed. 67 targets open in total.

        2 newly broken
        --------------

        broken  404 Not Found
          https://www.ashlock-canal.test/volunteers/rota.html
          on https://www.ashlock-canal.test/ 50:7  a "Volunteer rota" in footer
          on https://www.ashlock-canal.test/visit/ 46:7  a "Volunteer rota" in footer
          on https://www.ashlock-canal.test/walks/ 45:7  a "Volunteer rota" in footer
          and 70 more links

        broken  404 Not Found
          https://www.ashlock-canal.test/pictures/hazel-on-the-slip.jpg
          on https://www.ashlock-canal.test/boats/hazel/ 30:4  img "Hazel on the slip in 1911" in main

        1 fixed
        -------

        was broken  404 Not Found
          https://www.ashlock-canal.test/boats/hazel/
          on https://www.ashlock-canal.test/boats/ 28:4  a "Hazel" in main
          on https://www.ashlock-canal.test/accessibility/ 29:1  a "trip boat" in main
          on https://www.ashlock-canal.test/diary/2026-09/ 28:4  a "Hazel" in main

        To see more:
          rummage compare 1 2
          rummage findings --site museum
        "#)
    });
}
