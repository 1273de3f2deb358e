//! The commands of the tour of the museum's web.

/// A command, and its introduction.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Step {
    /// What it does, in a sentence.
    pub about: &'static str,
    /// Its arguments.
    pub words: &'static [&'static str],
}

/// The commands, in order. A time-out of half a second is long for a web on this machine.
pub const TOUR: &[Step] = &[
    Step {
        about: "Crawl the site, check every URL once, and report what is broken and where.",
        words: &["crawl", "www.ashlock-canal.test", "--timeout", "500ms"],
    },
    Step {
        about: "Show what only a person can judge, from the store, without any requests.",
        words: &["findings", "--verdict", "doubtful"],
    },
    Step {
        about: "Trace one URL: its evidence, its redirects, and every link to it.",
        words: &["trace", "trains.westshire.test/timetable"],
    },
];

/// Mends pages that were copied from an old server, in the folder `moved`.
pub const MENDING: &[Step] = &[
    Step {
        about: "Mend a copy of the pages: crawl the folder as it will be published.",
        words: &["crawl", "./moved", "--as", "https://www.ashlock-canal.test/", "--limit", "3"],
    },
    Step {
        about: "Propose repairs: each is tried beforehand, and one rule replaces many.",
        words: &["mend", "propose", "-o", "plan.toml"],
    },
    Step {
        about: "Look through the plan; edit it if you like.",
        words: &["mend", "show", "plan.toml"],
    },
    Step {
        about: "Make the changes. Without --write, this only shows them.",
        words: &["mend", "apply", "plan.toml", "--files", "./moved", "--write"],
    },
    Step { about: "Check that it worked.", words: &["mend", "confirm", "plan.toml"] },
];

/// The settings of a user who watches the site, and wants to be notified by email.
pub const WATCHED: &str = r#"[site.museum]
start = "https://www.ashlock-canal.test/"
timeout = "500ms"
crawl-every = "1m"    # in life, a day
digest-to = ["editor@ashlock-canal.test"]
digest-from = "Rummage <rummage@ashlock-canal.test>"
"#;

/// Watches the site, which was crawled some weeks ago.
pub const WATCHING: &[Step] = &[Step {
    about: "Watch the site: some weeks have passed, and changes are reported by email.",
    words: &["patrol", "--once"],
}];
