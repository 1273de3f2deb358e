//! The plan file: proposed repairs as text that people read, edit and keep in version control.
//!
//! Writing to a plan that exists preserves its entries, comments and order, and adds what it does
//! not have.

pub(crate) mod edit;
mod entry;
mod schema;

use std::collections::{BTreeSet, HashSet};
use std::fmt::Write as _;
use std::io::ErrorKind::NotFound;
use std::io::Write as _;
use std::path::Path;

use rummage_core::mend::plan::Plan;
use rummage_view::{ViewError, safe};
use toml_edit::{Document, Item, Table};
use url::Url;

pub(crate) use entry::{MendEntry, RuleEntry};
pub(crate) use schema::schema;

use crate::failure::Failure;
use crate::listing::whole_file;
use crate::values::nearest;

/// The keys outside the tables.
const KEYS: &[&str] = &["site", "rule", "mend"];

const HEAD: &str = "\
# Repairs to look through, edit and apply. Every URL in `to` was requested before it was proposed.
#
# action: replace   the links get the URL in `to`
#         unwrap    the links are removed, their text stays
#         drop      the elements are removed, such as images
#         redirect  the links stay; the server redirects the target to `to`
#         gone      the links stay; the server responds 410 Gone
#         leave     nothing is done
#
# A [[mend]] wins over rules; of rules, the first that applies wins.
#
#   rummage mend show FILE       the plan as a table
#   rummage mend apply FILE …    the changes as a diff; --write makes them
#   rummage mend redirects FILE  redirects for the server
#   rummage mend confirm FILE    whether it all worked
";

/// A plan as it is in its file.
#[derive(Debug, Clone, Default)]
pub(crate) struct PlanFile {
    /// The start URL of the site.
    pub(crate) site: Option<Url>,
    pub(crate) rules: Vec<RuleEntry>,
    pub(crate) mends: Vec<MendEntry>,
}

impl PlanFile {
    /// Reads a plan.
    pub(crate) fn load(path: &Path) -> Result<PlanFile, Failure> {
        let text = std::fs::read_to_string(path).map_err(|reason| Failure::Usage {
            what: format!("cannot read the plan {}: {reason}", path.display()),
            hint: "Make one: rummage mend propose -o plan.toml".to_owned(),
        })?;
        PlanFile::parse(&text, path)
    }

    fn parse(text: &str, path: &Path) -> Result<PlanFile, Failure> {
        let document = Document::parse(text).map_err(|error| Failure::Usage {
            what: format!("{} is not valid TOML: {}", path.display(), error.to_string().trim()),
            hint: "Correct the line.".to_owned(),
        })?;
        let line = |span: Option<std::ops::Range<usize>>| {
            let start = span.map_or(0, |span| span.start.min(text.len()));
            text[..start].matches('\n').count() + 1
        };
        let wrong = |at: usize, (what, hint): (String, String)| Failure::Usage {
            what: format!("{}, line {at}: {what}", path.display()),
            hint,
        };
        let mut file = PlanFile::default();
        let mut targets = HashSet::new();
        for (key, item) in document.iter() {
            let at = line(item.span());
            match (key, item) {
                ("site", item) => {
                    let url = item.as_str().and_then(|text| Url::parse(text).ok());
                    let hint = "Give the start URL of the site.".to_owned();
                    let what = "site is not a valid URL".to_owned();
                    file.site = Some(url.ok_or_else(|| wrong(at, (what, hint)))?);
                }
                ("rule", Item::ArrayOfTables(tables)) => {
                    for table in tables {
                        let rule = RuleEntry::read(table);
                        file.rules.push(rule.map_err(|why| wrong(line_of(table, &line), why))?);
                    }
                }
                ("mend", Item::ArrayOfTables(tables)) => {
                    for table in tables {
                        let mend = MendEntry::read(table);
                        // Lines are counted only for what is wrong: a plan may be long.
                        let at = || line_of(table, &line);
                        let mend = mend.map_err(|why| wrong(at(), why))?;
                        if !targets.insert(mend.mend.target.clone()) {
                            let what = format!("{} is here twice", safe(&mend.mend.target));
                            return Err(wrong(at(), (what, "Remove one of the two.".to_owned())));
                        }
                        file.mends.push(mend);
                    }
                }
                (key, _) => {
                    let hint = match nearest(key, KEYS.iter().copied()) {
                        Some(near) if near != key => format!("Did you mean {near}?"),
                        _ => "A plan has site, [[rule]] and [[mend]].".to_owned(),
                    };
                    let what = format!("\"{}\" is not part of a plan", safe(key));
                    return Err(wrong(at, (what, hint)));
                }
            }
        }
        Ok(file)
    }

    /// What it says, for the core.
    pub(crate) fn plan(&self) -> Plan {
        let rules = self.rules.iter().map(|entry| entry.rule.clone()).collect();
        Plan::new(rules, self.mends.iter().map(|entry| entry.mend.clone()).collect())
    }

    /// Removes what another plan has already: the same rules, and single repairs of the same
    /// targets.
    fn without(&mut self, other: &PlanFile) {
        let rules: BTreeSet<&str> = other.rules.iter().map(|one| one.rule.from.as_str()).collect();
        let mends: BTreeSet<&str> =
            other.mends.iter().map(|one| one.mend.target.as_str()).collect();
        self.rules.retain(|one| !rules.contains(one.rule.from.as_str()));
        self.mends.retain(|one| !mends.contains(one.mend.target.as_str()));
    }

    /// Adds it to a file, which is made if there is none. Returns how many entries the file had
    /// already.
    pub(crate) fn add_to(mut self, path: &Path, head: &str) -> Result<Added, Failure> {
        let (before, mut text) = match std::fs::read_to_string(path) {
            Ok(text) => (PlanFile::parse(&text, path)?, text),
            Err(reason) if reason.kind() == NotFound => (PlanFile::default(), String::new()),
            Err(reason) => {
                return Err(Failure::Usage {
                    what: format!("cannot read {}: {reason}", path.display()),
                    hint: "Give another file with -o.".to_owned(),
                });
            }
        };
        let kept = before.rules.len() + before.mends.len();
        self.without(&before);
        let added = self.rules.len() + self.mends.len();
        if text.is_empty() {
            text = self.text(head);
        } else if added > 0 {
            let _ = write!(text, "\n# Added: {head}\n\n{}", self.tables());
        }
        if added > 0 || kept == 0 {
            save(path, &text)?;
        }
        Ok(Added { kept, added })
    }

    /// The whole plan as text.
    pub(crate) fn text(&self, head: &str) -> String {
        let mut text = format!("# {head}\n#\n{HEAD}\n");
        if let Some(site) = &self.site {
            let _ = writeln!(text, "site = {}\n", toml_edit::Value::from(site.as_str()));
        }
        text.push_str(&self.tables());
        text
    }

    fn tables(&self) -> String {
        let rules = self.rules.iter().map(RuleEntry::text);
        rules.chain(self.mends.iter().map(MendEntry::text)).collect::<Vec<_>>().join("\n")
    }
}

/// What became of a plan that was added to a file.
pub(crate) struct Added {
    /// Entries that the file had.
    pub(crate) kept: usize,
    /// New entries.
    pub(crate) added: usize,
}

fn line_of(table: &Table, line: &impl Fn(Option<std::ops::Range<usize>>) -> usize) -> usize {
    line(table.span())
}

/// Writes a file, completely or not at all.
fn save(path: &Path, text: &str) -> Result<(), Failure> {
    whole_file(path, |mut file| Ok(file.write_all(text.as_bytes()).map_err(ViewError::from)?))
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    fn parse(text: &str) -> Result<PlanFile, String> {
        PlanFile::parse(text, Path::new("plan.toml")).map_err(|failure| failure.sentence())
    }

    #[test]
    fn faults_are_named_with_their_line() {
        for (text, expected) in [
            ("site = 3", "line 1: site is not a valid URL"),
            (
                "\n[[mends]]\ntarget = \"x\"",
                "line 2: \"mends\" is not part of a plan. Did you mean mend?",
            ),
            ("[[mend]]\naction = \"leave\"", "line 1: target is missing"),
            ("[[mend]]\ntarget = \"x\"\naction = \"replce\"", "Did you mean replace?"),
            ("[[mend]]\ntarget = \"x\"\naction = \"replace\"", "replace needs a URL in to"),
            (
                "[[mend]]\ntarget = \"x\"\naction = \"replace\"\nto = \"/y\"",
                "to is not a valid URL",
            ),
            ("[[mend]]\ntarget = \"x\"\n\n[[mend]]\ntarget = \"x\"", "line 4: x is here twice"),
            ("[[mend]]\ntarget = \"x\"\ntoo = \"y\"", "there is no key \"too\". Did you mean to?"),
            ("[[rule]]\nfrom = \"http://a.test/\"", "to is missing"),
            ("[[rule]]\nfrom = \"http://a.test/*\"\nto = \"http://b.test/\"", "one * each"),
            ("[[rule]]\nfrom = \"a\"\nto = \"b\"", "from does not begin with http"),
            ("site = ", "is not valid TOML"),
        ] {
            let found = parse(text).unwrap_err();
            assert!(found.contains(expected), "{text}: {found}");
        }
    }

    #[test]
    fn a_written_plan_is_read_back() {
        let text = "site = \"https://a.test/\"\n\n[[rule]]\nfrom = \"http://b.test/\"\n\
            to = \"http://c.test/\"\nmends = 3\ntried = 4\nconfidence = \"medium\"\n\n[[mend]]\n\
            target = \"http://d.test/x\"\naction = \"replace\"\nto = \"http://e.test/\"\n\
            confidence = \"high\"\nwhy = \"w\"\ntried = \"200 OK\"\nplaces = 2\n";
        let file = parse(text).unwrap();
        let again = parse(&file.text("head")).unwrap();
        assert_eq!(again.plan(), file.plan());
        assert_eq!((again.mends[0].places, again.mends[0].why.as_deref()), (Some(2), Some("w")));
        assert!(file.text("head").ends_with(&text[text.find("[[rule]]").unwrap()..]));
    }

    #[test]
    fn entries_that_exist_are_kept_with_their_comments() {
        let folder = tempfile::TempDir::new().unwrap();
        let path = folder.path().join("plan.toml");
        let mine = "# mine\n[[mend]]\ntarget = \"http://a.test/\" # kept\naction = \"leave\"\n";
        std::fs::write(&path, mine).unwrap();
        let more = parse(
            "[[mend]]\ntarget = \"http://a.test/\"\naction = \"drop\"\n[[mend]]\n\
             target = \"http://b.test/\"\naction = \"drop\"",
        )
        .unwrap();
        let added = more.add_to(&path, "more").unwrap();
        assert_eq!((added.kept, added.added), (1, 1));
        let text = std::fs::read_to_string(&path).unwrap();
        assert!(text.starts_with(mine), "{text}");
        assert_eq!(parse(&text).unwrap().mends.len(), 2);
    }
}
