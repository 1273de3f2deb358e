//! Parses the settings file. Unknown keys are rejected with line and column.

use std::collections::BTreeMap;
use std::ops::Range;
use std::path::{Path, PathBuf};

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::keys::{TABLES, keys};
use super::{Config, FILE, Section, SiteKeys, everywhere};
use crate::args::{CheckOptions, check_default};
use crate::failure::Failure;
use crate::values::nearest;

/// A file that is being parsed.
struct Source<'a> {
    path: &'a Path,
    text: &'a str,
}

pub(super) fn read(path: PathBuf, text: &str) -> Result<Config, Failure> {
    let source = Source { path: &path, text };
    let file = DeTable::parse(text).map_err(|error| {
        let at = error.span().unwrap_or_default();
        source.wrong(&at, error.message().to_owned(), "Correct the line, and try again.".to_owned())
    })?;
    let values: toml::Table = toml::from_str(text).map_err(|error| {
        let at = error.span().unwrap_or_default();
        source.wrong(&at, error.message().to_owned(), "Correct the line, and try again.".to_owned())
    })?;
    let mut config = Config::default();
    for (name, value) in file.get_ref() {
        match name.get_ref().as_ref() {
            "defaults" => {
                config.defaults = source.section(value, &values["defaults"])?;
                config.defaults.forbid_start(&source, value)?;
            }
            "site" => config.sites = source.sites(value, &values["site"])?,
            other => return Err(source.unknown_part(name.span(), other)),
        }
    }
    config.path = Some(path);
    Ok(config)
}

/// The values of a key, as they are written on the command line.
fn texts(value: &toml::Value) -> Vec<String> {
    match value {
        toml::Value::String(text) => vec![text.clone()],
        toml::Value::Array(values) => values.iter().flat_map(texts).collect(),
        toml::Value::Integer(number) => vec![number.to_string()],
        toml::Value::Boolean(is_set) => vec![is_set.to_string()],
        // No option has such a value, as the types will say.
        toml::Value::Float(_) | toml::Value::Datetime(_) | toml::Value::Table(_) => Vec::new(),
    }
}

impl Section {
    /// Sites cannot share one start URL.
    fn forbid_start(&self, source: &Source<'_>, at: &Spanned<DeValue<'_>>) -> Result<(), Failure> {
        if self.own.start.is_none() {
            return Ok(());
        }
        let hint = "Put it in the section of one site, such as [site.museum].".to_owned();
        Err(source.wrong(&at.span(), "start is not allowed in [defaults]".to_owned(), hint))
    }
}

impl Source<'_> {
    fn sites(
        &self,
        value: &Spanned<DeValue<'_>>,
        values: &toml::Value,
    ) -> Result<BTreeMap<String, Section>, Failure> {
        let mut sites = BTreeMap::new();
        for (name, section) in self.table(value, "site")? {
            let name = name.get_ref().to_string();
            let at = section.span();
            let section = self.section(section, &values[name.as_str()])?;
            if let Some(key) = section.lines.keys().find(|key| everywhere::knows(key)) {
                let what = format!("{key} is not allowed in the section of a site");
                let hint = "Put it in [defaults]: it applies before the site is known.".to_owned();
                return Err(self.wrong(&at, what, hint));
            }
            sites.insert(name, section);
        }
        Ok(sites)
    }

    fn table<'v, 'i>(
        &self,
        value: &'v Spanned<DeValue<'i>>,
        name: &str,
    ) -> Result<&'v DeTable<'i>, Failure> {
        let wrong = || {
            let hint = format!("Write it as a section: [{name}] or, for a site, [site.NAME].");
            self.wrong(&value.span(), format!("{name} is not a section"), hint)
        };
        value.get_ref().as_table().ok_or_else(wrong)
    }

    fn section(
        &self,
        section: &Spanned<DeValue<'_>>,
        values: &toml::Value,
    ) -> Result<Section, Failure> {
        let known: Vec<String> = keys().into_iter().map(|key| key.name).collect();
        let mut read = Section::default();
        for (key, value) in self.table(section, "section")? {
            // `editor_link` and `editor-link` are the same key, so that nothing depends on
            // remembering which.
            let written = key.get_ref().to_string();
            let name = written.replace('_', "-");
            let is_option = CheckOptions::knows(&name);
            if !known.contains(&name) && !TABLES.contains(&name.as_str()) {
                return Err(self.unknown_key(key.span(), &written, &known));
            }
            if read.lines.contains_key(&name) {
                let hint = "Remove one of the two lines.".to_owned();
                return Err(self.wrong(&key.span(), format!("{name} is set twice"), hint));
            }
            if texts(&values[written.as_str()]).iter().any(|text| text.trim().is_empty()) {
                return Err(self.bad_value(value.span(), &name, "the value is empty"));
            }
            let alone = toml::Table::from_iter([(name.clone(), values[written.as_str()].clone())]);
            let wrong =
                |error: toml::de::Error| self.bad_value(value.span(), &name, error.message());
            if everywhere::knows(&name) {
                let texts = texts(&values[written.as_str()]);
                let checked = texts.iter().try_for_each(|text| check_default(&name, text));
                checked.map_err(|reason| self.bad_value(value.span(), &name, &reason))?;
            }
            if is_option {
                let texts = texts(&values[written.as_str()]);
                CheckOptions::check(&name, &texts)
                    .map_err(|reason| self.bad_value(value.span(), &name, &reason))?;
                read.options = alone.try_into::<CheckOptions>().map_err(wrong)?.or(read.options);
            } else {
                read.take_own(&name, alone.try_into::<SiteKeys>().map_err(wrong)?);
            }
            read.lines.insert(name, self.position(&key.span()).0);
        }
        self.check(&mut read, section)?;
        Ok(read)
    }

    /// Checks what the types do not: files are relative to the settings file, and a status is in
    /// range.
    fn check(&self, read: &mut Section, section: &Spanned<DeValue<'_>>) -> Result<(), Failure> {
        let folder = self.path.parent().unwrap_or(Path::new(""));
        for file in read.own.write.iter_mut().chain(&mut read.options.ca_cert) {
            *file = folder.join(&*file);
        }
        if let Some(robots) = read
            .options
            .robots
            .as_mut()
            .filter(|robots| !matches!(robots.as_str(), "obey" | "ignore"))
        {
            *robots = folder.join(&*robots).to_string_lossy().into_owned();
        }
        for file in &read.own.write {
            if let Err(Failure::Usage { what, hint }) =
                crate::args::Showing::of_file(file).destination()
            {
                return Err(self.wrong(&section.span(), what, hint));
            }
        }
        let bad = read.own.expect.iter().find(|expect| !(100..=599).contains(&expect.status));
        if let Some(expect) = bad {
            let what = format!("{} is not a status code", expect.status);
            let hint = "Give a number from 100 to 599, such as 410.".to_owned();
            return Err(self.wrong(&section.span(), what, hint));
        }
        Ok(())
    }

    fn unknown_part(&self, at: Range<usize>, name: &str) -> Failure {
        let hint = match nearest(name, ["defaults", "site"]) {
            Some(near) => format!("Did you mean [{near}]?"),
            None if keys().iter().any(|key| key.name == name) => {
                format!("Keys belong in a section: add [defaults] above {name}.")
            }
            None => "The sections are [defaults], and [site.NAME] for each site.".to_owned(),
        };
        self.wrong(&at, format!("\"{name}\" is not in a known section"), hint)
    }

    fn unknown_key(&self, at: Range<usize>, name: &str, known: &[String]) -> Failure {
        let names = known.iter().map(String::as_str).chain(TABLES.iter().copied());
        let hint = match nearest(&name.replace('_', "-"), names) {
            Some(near) => format!("Did you mean {near}?"),
            None => "rummage init writes a file with every key.".to_owned(),
        };
        self.wrong(&at, format!("there is no key \"{name}\""), hint)
    }

    fn bad_value(&self, at: Range<usize>, name: &str, reason: &str) -> Failure {
        let example = keys().into_iter().find(|key| key.name == name).map(|key| key.example);
        let hint = match example {
            Some(example) => format!("For example: {name} = {example}"),
            None => "For example: target = \"/old/*\" and status = 410".to_owned(),
        };
        self.wrong(&at, format!("{name}: {}", reason.trim()), hint)
    }

    fn wrong(&self, at: &Range<usize>, what: String, hint: String) -> Failure {
        let (line, column) = self.position(at);
        let file = self.path.file_name().map_or(FILE.into(), |name| name.to_string_lossy());
        Failure::Usage { what: format!("{file}, line {line}, column {column}: {what}"), hint }
    }

    /// Line and column, both from 1.
    fn position(&self, at: &Range<usize>) -> (usize, usize) {
        let before = self.text.get(..at.start).unwrap_or(self.text);
        let line_start = before.rfind('\n').map_or(0, |newline| newline + 1);
        (before.matches('\n').count() + 1, before[line_start..].chars().count() + 1)
    }
}

impl Section {
    fn take_own(&mut self, name: &str, own: SiteKeys) {
        match name {
            "start" => self.own.start = own.start,
            "write" => self.own.write = own.write,
            "editor-link" => self.own.editor_link = own.editor_link,
            "placeholders" => self.own.placeholders = own.placeholders,
            "expect" => self.own.expect = own.expect,
            // The remaining kinds: exactly one is set, in one of these parts.
            _ => {
                self.own.due = own.due.or(std::mem::take(&mut self.own.due));
                self.own.watching = own.watching.or(std::mem::take(&mut self.own.watching));
                self.own.everywhere = own.everywhere.or(std::mem::take(&mut self.own.everywhere));
            }
        }
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    fn read(text: &str) -> Result<Config, Failure> {
        super::read(PathBuf::from("folder/rummage.toml"), text)
    }

    #[test]
    fn an_empty_file_sets_nothing() {
        let config = read("# only a comment\n").unwrap();
        assert!(config.sites.is_empty() && config.defaults.lines.is_empty());
        assert_eq!(config.folder(), Some(Path::new("folder")));
    }

    #[test]
    fn a_site_overrides_the_defaults_key_by_key() {
        let config = read(
            "[defaults]\ngentle = true\nhops = 9\nwrite = [\"all.csv\"]\n\
             [[defaults.expect]]\ntarget = \"/x\"\nstatus = 410\n\
             [site.a]\nstart = \"a.test\"\ngentle = false\n\
             [[site.a.expect]]\ntarget = \"/y\"\nstatus = 404\n",
        )
        .unwrap();
        let settings = config.settings(Some("a"));
        assert_eq!((settings.options.gentle, settings.options.hops), (Some(false), Some(9)));
        assert_eq!(settings.own.write, [Path::new("folder/all.csv")]);
        let expected: Vec<u16> = settings.expected().iter().map(|(_, status)| *status).collect();
        assert_eq!(expected, [404, 410], "those of the site come first");
        assert_eq!(config.settings(None).options.gentle, Some(true));
        assert_eq!(config.settings(Some("b")).options.gentle, Some(true));
        assert_eq!(config.sites["a"].lines["gentle"], 10);
    }

    #[test]
    fn columns_are_counted_in_characters() {
        let Err(Failure::Usage { what, .. }) = read("[site.\"ä\"]\nx-ö = \"é\"\n") else {
            panic!("an unknown key was accepted")
        };
        assert!(what.contains("line 2, column "), "{what}");
        let Err(Failure::Usage { what, .. }) = read("[site.a]\nuser-agent = \"é\" \"x\"\n") else {
            panic!("two values were accepted")
        };
        assert!(what.contains("line 2, column 18"), "{what}");
    }

    #[test]
    fn a_value_in_place_of_a_section_is_an_error() {
        for text in ["site = 5\n", "defaults = \"x\"\n", "[site]\na = 1\n"] {
            let Err(Failure::Usage { what, hint }) = read(text) else { panic!("{text}") };
            assert!(
                what.contains("is not a section") && hint.contains("[site.NAME]"),
                "{what} {hint}"
            );
        }
    }
}
