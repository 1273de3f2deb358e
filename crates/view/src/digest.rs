//! A digest as a letter: subject, plain text, and HTML that mail readers show.

use std::fmt::Write as _;

use askama::Template;
use rummage_core::verdict::Cause;
use rummage_store::{Counts, Digest, DigestPlace, Told};

use crate::number::counted;
use crate::safe::{safe, shorten};
use crate::when::when;

/// Addresses and link texts are shown up to so many characters.
const LONGEST: usize = 300;
const TEXT: usize = 60;

/// A digest, ready to be sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Letter {
    /// Its subject.
    pub subject: String,
    /// Its text.
    pub text: String,
    /// The same in HTML.
    pub html: String,
}

/// Writes a digest as a letter. `site` is what commands take for the site.
#[must_use]
pub fn letter(digest: &Digest, site: &str) -> Letter {
    let page = Page::of(digest, site);
    let html = page.render().expect("the template writes to memory");
    Letter { subject: page.subject.clone(), text: page.text(), html }
}

/// What both forms show.
#[derive(Template)]
#[template(path = "digest.html")]
struct Page {
    subject: String,
    title: String,
    summary: String,
    sections: Vec<Section>,
    open: String,
    seen: String,
    commands: Vec<String>,
}

struct Section {
    heading: String,
    colour: &'static str,
    entries: Vec<Entry>,
    /// What is not shown, in words; empty where all is.
    more: String,
}

struct Entry {
    says: String,
    target: String,
    /// Whether a reader may follow it.
    leads_there: bool,
    places: Vec<Place>,
    more: String,
}

struct Place {
    page: String,
    at: String,
    link: String,
}

impl Page {
    fn of(digest: &Digest, site: &str) -> Page {
        let Counts { broke, came_back, reopened, healed, open } = digest.counts;
        let broke_word = if digest.is_first() { "found" } else { "broke" };
        let kinds = [
            (broke, broke_word, &digest.broke, "#a4262c"),
            (came_back, "came back", &digest.came_back, "#a4262c"),
            (reopened, "set aside no more", &digest.reopened, "#8a5a00"),
            (healed, "healed", &digest.healed, "#1d6b34"),
        ];
        let some = || kinds.iter().filter(|(count, ..)| *count > 0);
        let counts: Vec<String> =
            some().map(|(count, word, ..)| format!("{} {word}", crate::count(*count))).collect();
        let summary = counts.join(", ");
        let name = safe(&shorten(&digest.site, TEXT)).to_string();
        let title = digest.title.as_deref().map(str::trim).filter(|title| !title.is_empty());
        let sections = some().map(|(count, word, list, colour)| {
            let left = count.saturating_sub(list.len() as u64);
            Section {
                heading: format!("{} {word}", crate::count(*count)),
                colour,
                entries: list.iter().map(|told| Entry::of(told, *word == "healed")).collect(),
                more: more(left, "more target", "more targets"),
            }
        });
        Page {
            subject: format!("{name}: {summary}; {} open", crate::count(open)),
            title: match title {
                Some(title) => format!("{} ({name})", safe(&shorten(title, TEXT))),
                None => name,
            },
            sections: sections.collect(),
            open: match open {
                0 => "Nothing is open.".to_owned(),
                1 => "1 target is open, all in all.".to_owned(),
                open => format!("{} targets are open, all in all.", crate::count(open)),
            },
            seen: format!(
                "Seen by run {}, a {}, {}.",
                digest.run,
                digest.kind,
                when(digest.began_at)
            ),
            commands: commands(digest, site),
            summary,
        }
    }

    fn text(&self) -> String {
        let mut out = format!("{}\n{}\n\n{}. {}\n", self.title, self.seen, self.summary, self.open);
        for section in &self.sections {
            let _ = writeln!(out, "\n{}\n{}", section.heading, "-".repeat(section.heading.len()));
            for entry in &section.entries {
                let _ = writeln!(out, "\n{}\n  {}", entry.says, entry.target);
                for Place { page, at, link } in &entry.places {
                    let _ = writeln!(out, "  on {page}{at}{link}");
                }
                if !entry.more.is_empty() {
                    let _ = writeln!(out, "  {}", entry.more);
                }
            }
            if !section.more.is_empty() {
                let _ = writeln!(out, "\n{}", section.more);
            }
        }
        let _ = writeln!(out, "\nTo see more:");
        for command in &self.commands {
            let _ = writeln!(out, "  {command}");
        }
        out
    }
}

impl Entry {
    fn of(told: &Told, is_over: bool) -> Entry {
        let cause = told.cause.as_deref().and_then(Cause::named);
        let was = if is_over { "was " } else { "" };
        let mut says = format!("{was}{}", safe(&told.verdict));
        if let Some(cause) = cause {
            let _ = write!(says, "  {}", cause.words());
        }
        if let Some(status) = told.status.filter(|_| !cause.is_some_and(Cause::is_of_link)) {
            let _ = write!(says, ", {status}");
        }
        let target = if told.target.is_empty() { "an empty address" } else { &told.target };
        let left = told.links.saturating_sub(told.places.len() as u64);
        Entry {
            says,
            target: safe(&shorten(target, LONGEST)).to_string(),
            leads_there: told.target.starts_with("http://") || told.target.starts_with("https://"),
            places: told.places.iter().map(Place::of).collect(),
            more: more(left, "more place", "more places"),
        }
    }
}

impl Place {
    fn of(place: &DigestPlace) -> Place {
        let text = place.text.as_deref().map(str::trim).filter(|text| !text.is_empty());
        let mut link = format!("  {}", safe(&place.element));
        if let Some(text) = text {
            let _ = write!(link, " \"{}\"", safe(&shorten(text, TEXT)));
        }
        if let Some(region) = &place.region {
            let _ = write!(link, " in {}", safe(region));
        }
        Place {
            page: safe(&shorten(&place.page, LONGEST)).to_string(),
            at: match place.line {
                0 => String::new(),
                line => format!(" {line}:{}", place.column),
            },
            link,
        }
    }
}

fn more(left: u64, one: &str, many: &str) -> String {
    if left == 0 { String::new() } else { format!("and {}", counted(left, one, many)) }
}

/// What shows more, as it can be typed.
fn commands(digest: &Digest, site: &str) -> Vec<String> {
    let site = if site.chars().all(|c| c.is_ascii_alphanumeric() || "-._:".contains(c)) {
        site.to_owned()
    } else {
        format!("'{}'", safe(site).to_string().replace('\'', "'\\''"))
    };
    let run = digest.run;
    let mut commands = Vec::new();
    if let Some(before) = digest.run_before {
        commands.push(format!("rummage compare {before} {run}"));
    }
    commands.push(format!("rummage findings --site {site}"));
    commands
}

#[cfg(test)]
mod tests {
    use super::*;

    fn digest() -> Digest {
        let place = DigestPlace {
            page: "https://www.a.test/visit/".to_owned(),
            line: 31,
            column: 7,
            element: "a".to_owned(),
            text: Some("Opening <b>times".to_owned()),
            region: Some("main".to_owned()),
        };
        let told = Told {
            target: "https://www.a.test/hours?a=1&b=2".to_owned(),
            verdict: "broken".to_owned(),
            cause: Some("not-found".to_owned()),
            status: Some(404),
            links: 9,
            places: vec![place.clone()],
        };
        let healed = Told {
            target: "javascript:alert(1)\u{1b}[31m".to_owned(),
            cause: Some("malformed-url".to_owned()),
            status: None,
            links: 1,
            places: vec![DigestPlace { text: None, region: None, line: 0, ..place }],
            ..told.clone()
        };
        Digest {
            schema: 1,
            site: "www.a.test".to_owned(),
            start: "https://www.a.test/".to_owned(),
            title: Some("The A".to_owned()),
            run: 12,
            run_before: Some(11),
            kind: "crawl".to_owned(),
            began_at: jiff::Timestamp::UNIX_EPOCH,
            message_id: "x@www.a.test".to_owned(),
            counts: Counts { broke: 41, healed: 1, open: 1_204, ..Counts::default() },
            broke: vec![told],
            came_back: Vec::new(),
            reopened: Vec::new(),
            healed: vec![healed],
        }
    }

    #[test]
    fn a_letter_says_what_where_and_how_to_see_more() {
        let letter = letter(&digest(), "museum");
        assert_eq!(letter.subject, "www.a.test: 41 broke, 1 healed; 1,204 open");
        let seen = format!("Seen by run 12, a crawl, {}.", when(jiff::Timestamp::UNIX_EPOCH));
        let text = letter.text.replace(&seen, "Seen.");
        insta::assert_snapshot!(text, @r#"
        The A (www.a.test)
        Seen.

        41 broke, 1 healed. 1,204 targets are open, all in all.

        41 broke
        --------

        broken  not found, 404
          https://www.a.test/hours?a=1&b=2
          on https://www.a.test/visit/ 31:7  a "Opening <b>times" in main
          and 8 more places

        and 40 more targets

        1 healed
        --------

        was broken  not an address that a browser can open
          javascript:alert(1)\u{1b}[31m
          on https://www.a.test/visit/  a

        To see more:
          rummage compare 11 12
          rummage findings --site museum
        "#);
    }

    #[test]
    fn what_pages_say_is_shown_and_never_obeyed() {
        let letter = letter(&digest(), "museum");
        assert!(letter.html.contains("Opening &#60;b&#62;times"), "{}", letter.html);
        assert!(letter.html.contains("href=\"https://www.a.test/hours?a=1&#38;b=2\""));
        assert!(!letter.html.contains("href=\"javascript"), "{}", letter.html);
        assert!(!letter.html.contains('\u{1b}') && !letter.text.contains('\u{1b}'));
    }

    #[test]
    fn the_first_digest_tells_what_was_found_and_names_no_run_before() {
        let first = Digest { run_before: None, ..digest() };
        let letter = letter(&first, "it's ours");
        assert!(letter.subject.contains("41 found"), "{}", letter.subject);
        assert!(!letter.text.contains("rummage compare"));
        assert!(letter.text.contains("--site 'it'\\''s ours'"), "{}", letter.text);
    }
}
