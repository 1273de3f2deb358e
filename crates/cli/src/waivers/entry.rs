//! One waiver in the waivers file.

use jiff::civil::Date;
use rummage_core::findings::waiver::{ObservedTarget, Waiver, WaiverKind};
use rummage_core::url::pattern::Pattern;
use rummage_core::verdict::Cause;
use rummage_view::safe;
use toml_edit::{Array, Datetime, InlineTable, Item, Table, Value};

use crate::values::nearest;

const KEYS: &[&str] =
    &["as", "reason", "made", "by", "until", "target", "except", "host", "page", "cause", "seen"];

/// One waiver.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Entry {
    pub(crate) kind: WaiverKind,
    pub(crate) reason: String,
    /// The date of the decision.
    pub(crate) made: Option<Date>,
    /// Who decided.
    pub(crate) by: Option<String>,
    /// The date on which it ends.
    pub(crate) until: Option<Date>,
    pub(crate) targets: Vec<String>,
    /// Targets that are not covered.
    pub(crate) excepts: Vec<String>,
    pub(crate) hosts: Vec<String>,
    pub(crate) pages: Vec<String>,
    pub(crate) causes: Vec<Cause>,
    pub(crate) observed: Vec<ObservedTarget>,
}

/// What is wrong with an entry, and what to do.
type Wrong = (String, String);

impl Entry {
    pub(super) fn read(table: &Table) -> Result<Entry, Wrong> {
        for (key, _) in table.iter() {
            if !KEYS.contains(&key) {
                let hint = match nearest(key, KEYS.iter().copied()) {
                    Some(near) => format!("Did you mean {near}?"),
                    None => format!("The keys are {}.", KEYS.join(", ")),
                };
                return Err((format!("there is no key \"{}\"", safe(key)), hint));
            }
        }
        let kind =
            text(table, "as")?.map_or(Some(WaiverKind::Leave), |name| WaiverKind::named(&name));
        let causes = list(table, "cause")?.into_iter().map(|name| {
            Cause::named(&name).ok_or_else(|| {
                let near = nearest(&name, Cause::ALL.iter().map(|cause| cause.as_str()));
                let hint = near.map_or("See rummage findings --group cause.".to_owned(), |near| {
                    format!("Did you mean {near}?")
                });
                (format!("there is no cause \"{}\"", safe(&name)), hint)
            })
        });
        for key in ["target", "except", "host", "page"] {
            if list(table, key)?.iter().any(|pattern| pattern.trim().is_empty()) {
                let hint = format!("Give a {key}, or * for all.");
                return Err((format!("{key} is empty, so it would cover everything"), hint));
            }
        }
        let entry = Entry {
            kind: kind.ok_or_else(|| wrong("as", "\"leave\" or \"works\""))?,
            reason: text(table, "reason")?.unwrap_or_default(),
            made: date(table, "made")?,
            by: text(table, "by")?,
            until: date(table, "until")?,
            targets: list(table, "target")?,
            excepts: list(table, "except")?,
            hosts: list(table, "host")?,
            pages: list(table, "page")?,
            causes: causes.collect::<Result<_, _>>()?,
            observed: observed(table)?,
        };
        if entry.is_bare() {
            let hint = "Add a target, host, page or cause.".to_owned();
            return Err(("it has no pattern, so it would cover everything".to_owned(), hint));
        }
        Ok(entry)
    }

    /// Whether it has no pattern, and would cover everything.
    pub(crate) fn is_bare(&self) -> bool {
        self.targets.is_empty()
            && self.hosts.is_empty()
            && self.pages.is_empty()
            && self.causes.is_empty()
    }

    pub(crate) fn has_ended(&self, today: Date) -> bool {
        self.until.is_some_and(|until| today >= until)
    }

    /// The waiver for the core, regardless of its end date.
    pub(crate) fn waiver(&self) -> Waiver {
        let patterns = |list: &[String]| list.iter().map(|text| Pattern::new(text)).collect();
        Waiver {
            kind: self.kind,
            targets: self.targets.iter().map(|text| Pattern::new(text)).collect(),
            excepts: patterns(&self.excepts),
            hosts: patterns(&self.hosts),
            pages: patterns(&self.pages),
            causes: self.causes.clone(),
            observed: self.observed.clone(),
            ended: false,
        }
    }

    pub(super) fn table(&self) -> Table {
        let mut table = Table::new();
        table["as"] = toml_edit::value(self.kind.as_str());
        table["reason"] = toml_edit::value(self.reason.as_str());
        if let Some(made) = self.made {
            table["made"] = day(made);
        }
        if let Some(by) = &self.by {
            table["by"] = toml_edit::value(by.as_str());
        }
        if let Some(until) = self.until {
            table["until"] = day(until);
        }
        let causes: Vec<String> =
            self.causes.iter().map(|cause| cause.as_str().to_owned()).collect();
        for (key, list) in [
            ("target", &self.targets),
            ("except", &self.excepts),
            ("host", &self.hosts),
            ("page", &self.pages),
            ("cause", &causes),
        ] {
            if !list.is_empty() {
                table[key] = Item::Value(lines(list.iter().map(|text| text.as_str().into())));
            }
        }
        if !self.observed.is_empty() {
            table["seen"] = Item::Value(lines(self.observed.iter().map(seen)));
        }
        table
    }
}

/// How a target responded, as an inline table.
fn seen(observed: &ObservedTarget) -> Value {
    let mut seen = InlineTable::new();
    seen.insert("target", observed.target.as_str().into());
    if let Some(status) = observed.status {
        seen.insert("status", i64::from(status).into());
    }
    if observed.last != observed.target {
        seen.insert("final", observed.last.as_str().into());
    }
    seen.into()
}

/// A list on one line, or one value per line if there are several, for version control.
fn lines(values: impl Iterator<Item = Value>) -> Value {
    let mut array: Array = values.collect();
    if array.len() > 1 {
        for value in array.iter_mut() {
            value.decor_mut().set_prefix("\n    ");
        }
        array.set_trailing("\n");
        array.set_trailing_comma(true);
    }
    Value::Array(array)
}

fn observed(table: &Table) -> Result<Vec<ObservedTarget>, Wrong> {
    let shape = || wrong("seen", "a list such as [{ target = \"https://…\", status = 403 }]");
    let Some(item) = table.get("seen") else { return Ok(Vec::new()) };
    let mut all = Vec::new();
    for value in item.as_array().ok_or_else(shape)? {
        let seen = value.as_inline_table().ok_or_else(shape)?;
        let target = seen.get("target").and_then(Value::as_str).ok_or_else(shape)?;
        let status = match seen.get("status") {
            None => None,
            Some(status) => {
                let status = status.as_integer().and_then(|status| u16::try_from(status).ok());
                Some(status.ok_or_else(shape)?)
            }
        };
        let last = seen.get("final").and_then(Value::as_str).unwrap_or(target);
        all.push(ObservedTarget { target: target.to_owned(), status, last: last.to_owned() });
    }
    Ok(all)
}

fn text(table: &Table, key: &str) -> Result<Option<String>, Wrong> {
    match table.get(key) {
        None => Ok(None),
        Some(item) => match item.as_str() {
            Some(text) => Ok(Some(text.to_owned())),
            None => Err(wrong(key, "a string in quotes")),
        },
    }
}

/// A string, or a list of strings.
fn list(table: &Table, key: &str) -> Result<Vec<String>, Wrong> {
    let shape = || wrong(key, "a string in quotes, or a list of strings");
    let Some(item) = table.get(key) else { return Ok(Vec::new()) };
    if let Some(text) = item.as_str() {
        return Ok(vec![text.to_owned()]);
    }
    let array = item.as_array().ok_or_else(shape)?;
    array.iter().map(|value| value.as_str().map(str::to_owned).ok_or_else(shape)).collect()
}

fn date(table: &Table, key: &str) -> Result<Option<Date>, Wrong> {
    let shape = || wrong(key, "a date such as 2027-05-22");
    let Some(item) = table.get(key) else { return Ok(None) };
    let written = match (item.as_datetime(), item.as_str()) {
        (Some(time), _) => time.date.map(|date| date.to_string()),
        (None, text) => text.map(str::to_owned),
    };
    written.ok_or_else(shape)?.parse().map(Some).map_err(|_| shape())
}

fn day(date: Date) -> Item {
    let written: Datetime = date.to_string().parse().expect("both write dates the same way");
    toml_edit::value(written)
}

fn wrong(key: &str, shape: &str) -> Wrong {
    (format!("{key} has the wrong type"), format!("Give {shape}."))
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    fn entry(text: &str) -> Result<Entry, Wrong> {
        let document: toml_edit::DocumentMut = text.parse().unwrap();
        Entry::read(document.as_table())
    }

    #[test]
    fn entries_round_trip() {
        let whole = Entry {
            kind: WaiverKind::Works,
            reason: "site refuses robots: \"ours\" too".to_owned(),
            made: Some(Date::constant(2026, 11, 23)),
            by: Some("mk".to_owned()),
            until: Some(Date::constant(2027, 5, 22)),
            targets: vec!["https://b.test/*".to_owned(), "/x".to_owned()],
            excepts: vec!["https://b.test/kept/*".to_owned()],
            hosts: vec!["*.b.test".to_owned()],
            pages: vec!["/news/*".to_owned()],
            causes: vec![Cause::AccessRefused, Cause::Timeout],
            observed: vec![
                ObservedTarget {
                    target: "https://b.test/a".to_owned(),
                    status: Some(403),
                    last: "https://b.test/a".to_owned(),
                },
                ObservedTarget {
                    target: "https://b.test/b".to_owned(),
                    status: None,
                    last: "https://b.test/c".to_owned(),
                },
            ],
        };
        let text = whole.table().to_string();
        assert_eq!(entry(&text).unwrap(), whole, "{text}");
        assert!(whole.has_ended(Date::constant(2027, 5, 22)));
        assert!(!whole.has_ended(Date::constant(2027, 5, 21)));
    }

    #[test]
    fn faults_are_named() {
        for (text, what) in [
            ("reason = \"x\"", "would cover everything"),
            ("target = 3", "target has the wrong type"),
            ("target = \"x\"\nas = \"gone\"", "as has the wrong type"),
            ("target = \"x\"\nuntil = \"soon\"", "until has the wrong type"),
            ("target = \"x\"\nuntill = 2027-01-01", "there is no key \"untill\""),
            ("cause = [\"not-fond\"]", "there is no cause \"not-fond\""),
            ("target = \"x\"\nseen = [3]", "seen has the wrong type"),
            ("target = \"x\"\nreason = 3", "reason has the wrong type"),
        ] {
            let (said, hint) = entry(text).unwrap_err();
            assert!(said.contains(what) && !hint.is_empty(), "{text}: {said} {hint}");
        }
        assert_eq!(entry("target = \"x\"").unwrap().kind, WaiverKind::Leave, "the default");
    }
}
