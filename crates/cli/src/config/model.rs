//! The contents of a settings file.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use rummage_core::url::pattern::Pattern;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::due::Due;
use super::everywhere::Everywhere;
use super::watching::Watching;
use crate::args::CheckOptions;

/// The name of the file.
pub(crate) const FILE: &str = "rummage.toml";

/// The contents of a settings file.
#[derive(Debug, Clone, Default)]
pub(crate) struct Config {
    /// Its path; `None` if there is no file.
    pub(crate) path: Option<PathBuf>,
    pub(crate) defaults: Section,
    pub(crate) sites: BTreeMap<String, Section>,
}

/// One section: for all sites, or for one.
#[derive(Debug, Clone, Default)]
pub(crate) struct Section {
    pub(crate) options: CheckOptions,
    pub(crate) own: SiteKeys,
    /// The line of each key.
    pub(crate) lines: BTreeMap<String, usize>,
}

/// The keys that are not options of the command line.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(default, rename_all = "kebab-case")]
pub(crate) struct SiteKeys {
    /// Start URL of the site
    pub(crate) start: Option<String>,
    /// Files to write after each run, in the folder of the settings file; the format follows from
    /// the extension
    pub(crate) write: Vec<PathBuf>,
    /// URL of the editor for a page; {path} is the page's path
    pub(crate) editor_link: Option<String>,
    /// Verdict of placeholder links
    pub(crate) placeholders: Option<Placeholders>,
    /// Responses that URLs are expected to give
    pub(crate) expect: Vec<Expect>,
    /// How often URLs are rechecked
    #[serde(flatten)]
    pub(crate) due: Due,
    /// How the site is watched, and who is notified
    #[serde(flatten)]
    pub(crate) watching: Watching,
    /// What every command shows
    #[serde(flatten)]
    pub(crate) everywhere: Everywhere,
}

/// Verdict of placeholder links.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum Placeholders {
    Doubtful,
    Broken,
}

/// A response that matching URLs are expected to give.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Expect {
    /// Pattern for the URLs; only * is special
    pub(crate) target: String,
    /// Expected status
    #[schemars(range(min = 100, max = 599))]
    pub(crate) status: u16,
}

impl Config {
    /// The section of a site, over the defaults.
    pub(crate) fn settings(&self, site: Option<&str>) -> Section {
        match site.and_then(|site| self.sites.get(site)) {
            Some(section) => section.clone().over(self.defaults.clone()),
            None => self.defaults.clone(),
        }
    }

    /// The folder of the file.
    pub(crate) fn folder(&self) -> Option<&Path> {
        self.path.as_deref().and_then(Path::parent)
    }
}

impl Section {
    fn over(self, defaults: Section) -> Section {
        let (own, below) = (self.own, defaults.own);
        Section {
            options: self.options.or(defaults.options),
            own: SiteKeys {
                start: own.start.or(below.start),
                write: if own.write.is_empty() { below.write } else { own.write },
                editor_link: own.editor_link.or(below.editor_link),
                placeholders: own.placeholders.or(below.placeholders),
                expect: own.expect.into_iter().chain(below.expect).collect(),
                due: own.due.or(below.due),
                watching: own.watching.or(below.watching),
                everywhere: own.everywhere.or(below.everywhere),
            },
            lines: self.lines,
        }
    }

    /// The expected responses, as the core takes them.
    pub(crate) fn expected(&self) -> Vec<(Pattern, u16)> {
        let expect = self.own.expect.iter();
        expect.map(|expect| (Pattern::new(&expect.target), expect.status)).collect()
    }
}
