//! Single entries of a plan that exists are set and put back; comments and order stay.

use std::collections::{HashMap, HashSet};
use std::io::ErrorKind::NotFound;
use std::path::Path;

use rummage_core::mend::plan::Action;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};
use url::Url;

use super::{HEAD, PlanFile, save};
use crate::failure::Failure;

/// What entries were before they were set; `None` for one that was not there.
#[derive(Debug, Clone, Default)]
pub(crate) struct Before(Vec<(String, Option<Table>)>);

/// A decision of a person on the links to a target.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Choice {
    pub(crate) target: String,
    pub(crate) action: Action,
    pub(crate) to: Option<String>,
}

/// What an entry says of where it is from.
const BY_HAND: &str = "decided by hand";

/// Sets entries of a plan, which is made if there is none. Nothing is written if the plan would
/// not be valid.
pub(crate) fn set(path: &Path, site: Option<&Url>, choices: &[Choice]) -> Result<Before, Failure> {
    let mut document = load(path, site)?;
    let mut before = Before::default();
    let tables = tables(&mut document, path)?;
    let mut positions = positions(tables);
    for choice in choices {
        let known = positions.get(&choice.target).copied();
        let old = known.and_then(|at| tables.get(at)).cloned();
        match known.and_then(|at| tables.get_mut(at)) {
            Some(table) => choose(table, choice),
            None => {
                let mut table = Table::new();
                table.insert("target", value(&choice.target));
                choose(&mut table, choice);
                positions.insert(choice.target.clone(), tables.len());
                tables.push(table);
            }
        }
        before.0.push((choice.target.clone(), old));
    }
    write(path, &document)?;
    Ok(before)
}

/// Removes entries of a plan. Those it does not have are not removed.
pub(crate) fn remove(path: &Path, targets: &[String]) -> Result<usize, Failure> {
    let mut document = load(path, None)?;
    let tables = tables(&mut document, path)?;
    let count = tables.len();
    let targets: HashSet<&String> = targets.iter().collect();
    tables.retain(|table| !target(table).is_some_and(|own| targets.contains(own)));
    let removed = count - tables.len();
    if removed > 0 {
        write(path, &document)?;
    }
    Ok(removed)
}

/// Puts entries back as they were.
pub(crate) fn put_back(path: &Path, before: &Before) -> Result<(), Failure> {
    let mut document = load(path, None)?;
    let tables = tables(&mut document, path)?;
    // Of an entry that was set twice, what it was first is put back.
    let mut first: HashMap<&str, &Option<Table>> = HashMap::new();
    for (name, old) in before.0.iter().rev() {
        first.insert(name, old);
    }
    let is_new = |table: &Table| {
        target(table).is_some_and(|own| first.get(own.as_str()).is_some_and(|old| old.is_none()))
    };
    tables.retain(|table| !is_new(table));
    let positions = positions(tables);
    for (name, old) in first {
        let Some(old) = old else { continue };
        match positions.get(name).and_then(|at| tables.get_mut(*at)) {
            Some(table) => *table = old.clone(),
            None => tables.push(old.clone()),
        }
    }
    write(path, &document)
}

/// Where the entry of each target is.
fn positions(tables: &ArrayOfTables) -> HashMap<String, usize> {
    let numbered = tables.iter().enumerate();
    numbered.filter_map(|(at, table)| Some((target(table)?.clone(), at))).collect()
}

fn load(path: &Path, site: Option<&Url>) -> Result<DocumentMut, Failure> {
    let text = match std::fs::read_to_string(path) {
        Ok(text) => text,
        Err(reason) if reason.kind() == NotFound => {
            let site =
                site.map(|site| format!("site = {}\n", toml_edit::Value::from(site.as_str())));
            format!("{HEAD}\n{}", site.unwrap_or_default())
        }
        Err(reason) => {
            return Err(Failure::Usage {
                what: format!("cannot read the plan {}: {reason}", path.display()),
                hint: "Check its permissions, or give another file.".to_owned(),
            });
        }
    };
    // What is wrong with it is reported with its line.
    PlanFile::parse(&text, path)?;
    text.parse().map_err(|error: toml_edit::TomlError| Failure::Usage {
        what: format!("{} is not valid TOML: {}", path.display(), error.to_string().trim()),
        hint: "Correct the line.".to_owned(),
    })
}

fn tables<'a>(
    document: &'a mut DocumentMut,
    path: &Path,
) -> Result<&'a mut ArrayOfTables, Failure> {
    let item = document.entry("mend").or_insert(Item::ArrayOfTables(ArrayOfTables::new()));
    item.as_array_of_tables_mut().ok_or_else(|| Failure::Usage {
        what: format!("{}: mend is not a list of tables", path.display()),
        hint: "Begin each entry with [[mend]].".to_owned(),
    })
}

fn write(path: &Path, document: &DocumentMut) -> Result<(), Failure> {
    let text = document.to_string();
    PlanFile::parse(&text, path)?;
    save(path, &text)
}

fn target(table: &Table) -> Option<&String> {
    match table.get("target")?.as_value()? {
        toml_edit::Value::String(text) => Some(text.value()),
        _ => None,
    }
}

/// Writes a decision into an entry. What was said of another URL no longer holds.
fn choose(table: &mut Table, Choice { action, to, .. }: &Choice) {
    table.insert("action", value(action.as_str()));
    let old = table.get("to").and_then(Item::as_str).map(str::to_owned);
    if let Some(to) = to {
        table.insert("to", value(to));
    }
    let is_as_proposed = table.contains_key("why") && (to.is_none() || old == *to);
    if !is_as_proposed {
        table.remove("confidence");
        table.remove("tried");
        table.insert("why", value(BY_HAND));
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    const PLAN: &str = "# mine\nsite = \"https://a.test/\"\n\n# first\n[[mend]]\n\
        target = \"http://a.test/1\" # kept\naction = \"leave\"\nto = \"http://b.test/1\"\n\
        confidence = \"low\"\nwhy = \"w\"\ntried = \"200 OK\"\n# or action = \"unwrap\"\n\n\
        [[mend]]\ntarget = \"http://a.test/2\"\naction = \"leave\"\n";

    fn choice(target: &str, action: Action, to: Option<&str>) -> Choice {
        Choice { target: target.to_owned(), action, to: to.map(str::to_owned) }
    }

    fn plan() -> (tempfile::TempDir, std::path::PathBuf) {
        let folder = tempfile::TempDir::new().unwrap();
        let path = folder.path().join("plan.toml");
        std::fs::write(&path, PLAN).unwrap();
        (folder, path)
    }

    #[test]
    fn entries_are_set_and_put_back_to_the_byte() {
        let (_folder, path) = plan();
        let before = set(
            &path,
            None,
            &[
                choice("http://a.test/1", Action::Unwrap, None),
                choice("http://a.test/3", Action::Replace, Some("http://c.test/")),
            ],
        )
        .unwrap();
        let text = std::fs::read_to_string(&path).unwrap();
        assert!(
            text.contains("target = \"http://a.test/1\" # kept\naction = \"unwrap\""),
            "{text}"
        );
        assert!(
            text.starts_with("# mine\n") && text.contains("# or action = \"unwrap\""),
            "{text}"
        );
        let file = PlanFile::load(&path).unwrap();
        assert_eq!(file.mends.len(), 3);
        assert_eq!(file.mends[2].mend.to.as_deref(), Some("http://c.test/"));
        assert_eq!(file.mends[2].why.as_deref(), Some(BY_HAND));
        put_back(&path, &before).unwrap();
        assert_eq!(std::fs::read_to_string(&path).unwrap(), PLAN);
    }

    #[test]
    fn what_was_proposed_keeps_its_evidence_and_what_was_not_loses_it() {
        let (_folder, path) = plan();
        let proposed = choice("http://a.test/1", Action::Replace, Some("http://b.test/1"));
        set(&path, None, &[proposed]).unwrap();
        let entry = PlanFile::load(&path).unwrap().mends.remove(0);
        assert_eq!((entry.tried.as_deref(), entry.why.as_deref()), (Some("200 OK"), Some("w")));
        let other = choice("http://a.test/1", Action::Replace, Some("http://b.test/other"));
        set(&path, None, &[other]).unwrap();
        let entry = PlanFile::load(&path).unwrap().mends.remove(0);
        assert_eq!((entry.tried, entry.why.as_deref()), (None, Some(BY_HAND)));
        assert_eq!(entry.mend.confidence, None);
    }

    #[test]
    fn a_plan_is_made_with_its_site() {
        let folder = tempfile::TempDir::new().unwrap();
        let path = folder.path().join("new.toml");
        let site = Url::parse("https://a.test/").unwrap();
        let gone = choice("http://a.test/1", Action::Gone, None);
        let before = set(&path, Some(&site), &[gone]).unwrap();
        let file = PlanFile::load(&path).unwrap();
        assert_eq!((file.site, file.mends.len()), (Some(site), 1));
        put_back(&path, &before).unwrap();
        assert!(PlanFile::load(&path).unwrap().mends.is_empty());
    }

    #[test]
    fn entries_are_removed_and_a_plan_that_is_wrong_stays_as_it_is() {
        let (_folder, path) = plan();
        let both = ["http://a.test/1".to_owned(), "http://a.test/9".to_owned()];
        assert_eq!(remove(&path, &both).unwrap(), 1);
        assert_eq!(PlanFile::load(&path).unwrap().mends.len(), 1);
        let without_url = choice("http://a.test/2", Action::Replace, None);
        let text = std::fs::read_to_string(&path).unwrap();
        assert!(set(&path, None, &[without_url]).is_err());
        assert_eq!(std::fs::read_to_string(&path).unwrap(), text);
        std::fs::write(&path, "[[mend]]\ntoo = 1\n").unwrap();
        let gone = choice("http://a.test/1", Action::Gone, None);
        assert!(set(&path, None, &[gone]).unwrap_err().sentence().contains("line 1"));
    }
}
