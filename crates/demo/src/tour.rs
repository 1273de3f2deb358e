//! The commands that show a newcomer what the tool does with the museum's web.

/// One command, and what is said before it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Step {
    /// What it is for, in a sentence.
    pub about: &'static str,
    /// Its words, after the name of the tool.
    pub words: &'static [&'static str],
}

/// The commands, in their order. Half a second is long on a web that is on this
/// very machine.
pub const TOUR: &[Step] = &[
    Step {
        about: "Walk the site, ask every address once, say what is wrong and where.",
        words: &["crawl", "www.ashlock-canal.test", "--timeout", "500ms"],
    },
    Step {
        about: "Look again, at what only a person can judge, without asking the network.",
        words: &["findings", "--verdict", "doubtful"],
    },
    Step {
        about: "Trace one address: how it was seen, its redirects, every place that names it.",
        words: &["trace", "trains.westshire.test/timetable"],
    },
];

/// The settings of somebody who watches the site, and wants to hear by mail.
pub const WATCHED: &str = r#"[site.museum]
start = "https://www.ashlock-canal.test/"
timeout = "500ms"
crawl-every = "1s"    # in life, a day
digest-to = ["editor@ashlock-canal.test"]
digest-from = "Rummage <rummage@ashlock-canal.test>"
"#;

/// What watches the site, once it was crawled some weeks ago.
pub const WATCHING: &[Step] = &[Step {
    about: "Watch the site: some weeks have passed, and what has changed since comes by mail.",
    words: &["patrol", "--once"],
}];
