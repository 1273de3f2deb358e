//! One entry of a plan file.

use std::fmt::Write as _;

use rummage_core::mend::Confidence;
use rummage_core::mend::plan::{Action, Mend, Rule};
use rummage_view::safe;
use toml_edit::{Table, Value};
use url::Url;

use crate::values::nearest;

const RULE_KEYS: &[&str] = &["from", "to", "mends", "tried", "confidence", "why"];
const MEND_KEYS: &[&str] =
    &["target", "action", "to", "confidence", "why", "tried", "places", "visits"];

/// What is wrong with an entry, and what to do.
type Wrong = (String, String);

/// A rule.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct RuleEntry {
    pub(crate) rule: Rule,
    /// Comments above it.
    pub(crate) remarks: Vec<String>,
}

/// A single repair.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct MendEntry {
    pub(crate) mend: Mend,
    pub(crate) why: Option<String>,
    /// What the request for the new URL showed.
    pub(crate) tried: Option<String>,
    /// How many links lead to the target.
    pub(crate) places: Option<u64>,
    /// How often visitors requested it.
    pub(crate) visits: Option<u64>,
    /// Comments below it: what else could be done.
    pub(crate) remarks: Vec<String>,
}

impl RuleEntry {
    pub(super) fn read(table: &Table) -> Result<RuleEntry, Wrong> {
        check_keys(table, RULE_KEYS)?;
        let (from, to) = (needed(table, "from")?, needed(table, "to")?);
        for (key, value) in [("from", &from), ("to", &to)] {
            if !value.starts_with("http://") && !value.starts_with("https://") {
                let hint = "Give the beginning of a URL, such as https://www.example.test/old/.";
                return Err((format!("{key} does not begin with http"), hint.to_owned()));
            }
        }
        let stars = |text: &str| text.matches('*').count();
        if stars(&from) != stars(&to) || stars(&from) > 1 {
            let hint = "Use none, for a prefix, or one in both, for the part that stays.";
            return Err(("from and to need one * each, or none".to_owned(), hint.to_owned()));
        }
        let rule = Rule {
            from,
            to,
            mends: number(table, "mends")?.unwrap_or_default(),
            tried: number(table, "tried")?.unwrap_or_default(),
            confidence: confidence(table)?,
        };
        Ok(RuleEntry { rule, remarks: Vec::new() })
    }

    pub(super) fn text(&self) -> String {
        let Rule { from, to, mends, tried, confidence } = &self.rule;
        let mut text = String::new();
        for remark in &self.remarks {
            let _ = writeln!(text, "# {remark}");
        }
        text.push_str("[[rule]]\n");
        line(&mut text, "from", from.as_str().into());
        line(&mut text, "to", to.as_str().into());
        line(&mut text, "mends", integer(*mends));
        line(&mut text, "tried", integer(*tried));
        if let Some(confidence) = confidence {
            line(&mut text, "confidence", confidence.as_str().into());
        }
        text
    }
}

impl MendEntry {
    pub(super) fn read(table: &Table) -> Result<MendEntry, Wrong> {
        check_keys(table, MEND_KEYS)?;
        let target = needed(table, "target")?;
        let action = match text(table, "action")? {
            None => Action::Leave,
            Some(name) => Action::named(&name).ok_or_else(|| {
                let names = Action::ALL.map(Action::as_str);
                let hint = match nearest(&name, names) {
                    Some(near) => format!("Did you mean {near}?"),
                    None => format!("The actions are {}.", names.join(", ")),
                };
                (format!("there is no action \"{}\"", safe(&name)), hint)
            })?,
        };
        let to = text(table, "to")?;
        if action.needs_url() {
            let hint = "Give an absolute URL, or another action.".to_owned();
            match &to {
                None => return Err((format!("{} needs a URL in to", action.as_str()), hint)),
                Some(to) => {
                    let url = Url::parse(to).ok();
                    if !url.is_some_and(|url| matches!(url.scheme(), "http" | "https")) {
                        return Err(("to is not a valid URL".to_owned(), hint));
                    }
                }
            }
        }
        Ok(MendEntry {
            mend: Mend { target, action, to, confidence: confidence(table)? },
            why: text(table, "why")?,
            tried: text(table, "tried")?,
            places: number(table, "places")?,
            visits: number(table, "visits")?,
            remarks: Vec::new(),
        })
    }

    pub(super) fn text(&self) -> String {
        let Mend { target, action, to, confidence } = &self.mend;
        let mut text = "[[mend]]\n".to_owned();
        line(&mut text, "target", target.as_str().into());
        line(&mut text, "action", action.as_str().into());
        let texts = [
            ("to", to.as_deref()),
            ("confidence", confidence.map(Confidence::as_str)),
            ("why", self.why.as_deref()),
            ("tried", self.tried.as_deref()),
        ];
        for (key, value) in texts {
            if let Some(value) = value {
                line(&mut text, key, value.into());
            }
        }
        for (key, value) in [("places", self.places), ("visits", self.visits)] {
            if let Some(value) = value {
                line(&mut text, key, integer(value));
            }
        }
        for remark in &self.remarks {
            let _ = writeln!(text, "# {remark}");
        }
        text
    }
}

fn integer(number: u64) -> Value {
    i64::try_from(number).unwrap_or(i64::MAX).into()
}

fn line(text: &mut String, key: &str, value: Value) {
    let _ = writeln!(text, "{key} = {value}");
}

fn check_keys(table: &Table, keys: &[&str]) -> Result<(), Wrong> {
    let Some((key, _)) = table.iter().find(|(key, _)| !keys.contains(key)) else { return Ok(()) };
    let hint = match nearest(key, keys.iter().copied()) {
        Some(near) => format!("Did you mean {near}?"),
        None => format!("The keys are {}.", keys.join(", ")),
    };
    Err((format!("there is no key \"{}\"", safe(key)), hint))
}

fn needed(table: &Table, key: &str) -> Result<String, Wrong> {
    let given = text(table, key)?.filter(|text| !text.is_empty());
    given.ok_or_else(|| (format!("{key} is missing"), format!("Add {key} = \"…\".")))
}

fn text(table: &Table, key: &str) -> Result<Option<String>, Wrong> {
    let Some(item) = table.get(key) else { return Ok(None) };
    let wrong = || (format!("{key} has the wrong type"), "Give a string in quotes.".to_owned());
    item.as_str().map(|text| Some(text.to_owned())).ok_or_else(wrong)
}

fn number(table: &Table, key: &str) -> Result<Option<u64>, Wrong> {
    let Some(item) = table.get(key) else { return Ok(None) };
    let wrong = || (format!("{key} has the wrong type"), "Give a number from 0.".to_owned());
    let number = item.as_integer().and_then(|number| u64::try_from(number).ok());
    number.map(Some).ok_or_else(wrong)
}

fn confidence(table: &Table) -> Result<Option<Confidence>, Wrong> {
    let Some(name) = text(table, "confidence")? else { return Ok(None) };
    let wrong = || ("confidence is not known".to_owned(), "Give high, medium or low.".to_owned());
    Confidence::named(&name).map(Some).ok_or_else(wrong)
}
