//! A digest as an email: subject, plain text, and HTML.

use std::fmt::Write as _;

use askama::Template;
use rummage_core::verdict::Cause;
use rummage_store::{Counts, Digest, DigestLink, DigestTarget};

use crate::number::rest_of;
use crate::phrase;
use crate::safe::{safe, shorten};
use crate::when::when;

/// URLs and link texts are cut to this many characters.
const LONGEST: usize = 300;
const TEXT: usize = 60;

/// A digest as an email.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DigestEmail {
    /// The subject.
    pub subject: String,
    /// The plain text.
    pub text: String,
    /// The HTML.
    pub html: String,
}

/// Renders a digest as an email. `site` is the name that commands accept for the site.
#[must_use]
pub fn email(digest: &Digest, site: &str) -> DigestEmail {
    let page = Page::of(digest, site);
    let html = page.render().expect("the template writes to memory");
    DigestEmail { subject: page.subject.clone(), text: page.text(), html }
}

/// What both the text and the HTML show.
#[derive(Template)]
#[template(path = "digest.html")]
struct Page {
    subject: String,
    title: String,
    summary: String,
    sections: Vec<Section>,
    open: String,
    /// Certificates that end soon.
    certificates: Vec<String>,
    seen: String,
    commands: Vec<String>,
}

struct Section {
    heading: String,
    color: &'static str,
    entries: Vec<Entry>,
    /// How much is not shown; empty if all is shown.
    more: String,
}

struct Entry {
    result: String,
    target: String,
    /// Whether the URL becomes a link.
    leads_there: bool,
    places: Vec<EmailLink>,
    more: String,
}

struct EmailLink {
    page: String,
    at: String,
    link: String,
    /// The URL of the editor; empty for none.
    edit: String,
}

impl Page {
    fn of(digest: &Digest, site: &str) -> Page {
        let Counts { broke, returned, reopened, healed, open } = digest.counts;
        let broke_word = if digest.is_first() { "found" } else { "newly broken" };
        let kinds = [
            (broke, broke_word, &digest.broke, "#a4262c"),
            (returned, "returned", &digest.returned, "#a4262c"),
            (reopened, "no longer waived", &digest.reopened, "#8a5a00"),
            (healed, "fixed", &digest.healed, "#1d6b34"),
        ];
        let some = || kinds.iter().filter(|(count, ..)| *count > 0);
        let counts: Vec<String> =
            some().map(|(count, word, ..)| format!("{} {word}", crate::count(*count))).collect();
        let summary = counts.join(", ");
        let name = safe(&shorten(&digest.site, TEXT)).to_string();
        let title = digest.title.as_deref().map(str::trim).filter(|title| !title.is_empty());
        let sections = some().map(|(count, word, list, color)| {
            let more = rest_of(*count, list.len(), "target", "targets");
            Section {
                heading: format!("{} {word}", crate::count(*count)),
                color,
                entries: list.iter().map(|target| Entry::of(target, *word == "fixed")).collect(),
                more: more.unwrap_or_default(),
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
                1 => "1 target open in total.".to_owned(),
                open => format!("{} targets open in total.", crate::count(open)),
            },
            certificates: digest
                .certificates
                .iter()
                .map(|certificate| {
                    let host = safe(&shorten(&certificate.host, TEXT)).to_string();
                    format!("The certificate of {host} ends on {}.", when(certificate.ends_at))
                })
                .collect(),
            seen: format!(
                "Found by run {}, a {}, {}.",
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
        for certificate in &self.certificates {
            let _ = writeln!(out, "{certificate}");
        }
        for section in &self.sections {
            let _ = writeln!(out, "\n{}\n{}", section.heading, "-".repeat(section.heading.len()));
            for entry in &section.entries {
                let _ = writeln!(out, "\n{}\n  {}", entry.result, entry.target);
                for EmailLink { page, at, link, edit } in &entry.places {
                    let _ = writeln!(out, "  on {page}{at}{link}");
                    if !edit.is_empty() {
                        let _ = writeln!(out, "    edit: {edit}");
                    }
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
    fn of(target: &DigestTarget, is_over: bool) -> Entry {
        let cause = target.cause.as_deref().and_then(Cause::named);
        let was = if is_over { "was " } else { "" };
        let result =
            format!("{was}{}  {}", safe(&target.verdict), phrase::cause(cause, target.status));
        let name = if target.target.is_empty() { "an empty URL" } else { &target.target };
        let more = rest_of(target.links, target.places.len(), "link", "links");
        Entry {
            result,
            target: safe(&shorten(name, LONGEST)).to_string(),
            leads_there: target.target.starts_with("http://")
                || target.target.starts_with("https://"),
            places: target.places.iter().map(EmailLink::of).collect(),
            more: more.unwrap_or_default(),
        }
    }
}

impl EmailLink {
    fn of(place: &DigestLink) -> EmailLink {
        let text = place.text.as_deref().map(str::trim).filter(|text| !text.is_empty());
        let mut link = format!("  {}", safe(&place.element));
        if let Some(text) = text {
            let _ = write!(link, " \"{}\"", safe(&shorten(text, TEXT)));
        }
        if let Some(region) = &place.region {
            let _ = write!(link, " in {}", safe(region));
        }
        EmailLink {
            page: safe(&shorten(&place.page, LONGEST)).to_string(),
            at: match place.line {
                0 => String::new(),
                line => format!(" {line}:{}", place.column),
            },
            link,
            edit: place
                .edit
                .as_deref()
                .map_or_else(String::new, |edit| safe(&shorten(edit, LONGEST)).to_string()),
        }
    }
}

/// The commands that show more.
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
        let place = DigestLink {
            page: "https://www.a.test/visit/".to_owned(),
            line: 31,
            column: 7,
            element: "a".to_owned(),
            text: Some("Opening <b>times".to_owned()),
            region: Some("main".to_owned()),
            edit: Some("https://cms.a.test/edit/visit/".to_owned()),
        };
        let target = DigestTarget {
            target: "https://www.a.test/hours?a=1&b=2".to_owned(),
            verdict: "broken".to_owned(),
            cause: Some("not-found".to_owned()),
            status: Some(404),
            links: 9,
            places: vec![place.clone()],
        };
        let healed = DigestTarget {
            target: "javascript:alert(1)\u{1b}[31m".to_owned(),
            cause: Some("malformed-url".to_owned()),
            status: None,
            links: 1,
            places: vec![DigestLink { text: None, region: None, line: 0, ..place }],
            ..target.clone()
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
            broke: vec![target],
            returned: Vec::new(),
            reopened: Vec::new(),
            healed: vec![healed],
            certificates: vec![rummage_store::EndingCertificate {
                host: "www.a.test".to_owned(),
                ends_at: jiff::Timestamp::UNIX_EPOCH,
            }],
        }
    }

    #[test]
    fn an_email_lists_targets_links_and_commands() {
        let email = email(&digest(), "museum");
        assert_eq!(email.subject, "www.a.test: 41 newly broken, 1 fixed; 1,204 open");
        let text = email.text.replace(&when(jiff::Timestamp::UNIX_EPOCH), "[when]");
        insta::assert_snapshot!(text, @r#"
        The A (www.a.test)
        Found by run 12, a crawl, [when].

        41 newly broken, 1 fixed. 1,204 targets open in total.
        The certificate of www.a.test ends on [when].

        41 newly broken
        ---------------

        broken  404 Not Found
          https://www.a.test/hours?a=1&b=2
          on https://www.a.test/visit/ 31:7  a "Opening <b>times" in main
            edit: https://cms.a.test/edit/visit/
          and 8 more links

        and 40 more targets

        1 fixed
        -------

        was broken  invalid URL
          javascript:alert(1)\u{1b}[31m
          on https://www.a.test/visit/  a
            edit: https://cms.a.test/edit/visit/

        To see more:
          rummage compare 11 12
          rummage findings --site museum
        "#);
    }

    #[test]
    fn text_from_pages_is_escaped() {
        let email = email(&digest(), "museum");
        assert!(email.html.contains("Opening &#60;b&#62;times"), "{}", email.html);
        assert!(email.html.contains("href=\"https://www.a.test/hours?a=1&#38;b=2\""));
        assert!(!email.html.contains("href=\"javascript"), "{}", email.html);
        assert!(!email.html.contains('\u{1b}') && !email.text.contains('\u{1b}'));
    }

    #[test]
    fn the_first_digest_has_no_run_to_compare_with() {
        let first = Digest { run_before: None, ..digest() };
        let email = email(&first, "it's ours");
        assert!(email.subject.contains("41 found"), "{}", email.subject);
        assert!(!email.text.contains("rummage compare"));
        assert!(email.text.contains("--site 'it'\\''s ours'"), "{}", email.text);
    }
}
