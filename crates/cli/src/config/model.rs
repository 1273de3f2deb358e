//! What a settings file says.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use rummage_core::url::pattern::Pattern;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::due::Due;
use super::watching::Watching;
use crate::args::Asking;

/// The name of the file.
pub(crate) const FILE: &str = "rummage.toml";

/// All that a settings file says.
#[derive(Debug, Clone, Default)]
pub(crate) struct Config {
    /// Where it is; `None` where there is none.
    pub(crate) path: Option<PathBuf>,
    pub(crate) defaults: Section,
    pub(crate) sites: BTreeMap<String, Section>,
}

/// One section: for all sites, or for one.
#[derive(Debug, Clone, Default)]
pub(crate) struct Section {
    pub(crate) asking: Asking,
    pub(crate) own: Own,
    /// The line of each key that it has.
    pub(crate) lines: BTreeMap<String, usize>,
}

/// The keys that are not options of the command line as well.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(default, rename_all = "kebab-case")]
pub(crate) struct Own {
    /// Where the site begins
    pub(crate) start: Option<String>,
    /// Files to write after each run, by their endings; beside the settings file
    pub(crate) write: Vec<PathBuf>,
    /// Where the editor of a page is; {path} stands for the page's path
    pub(crate) editor_link: Option<String>,
    /// What links that lead nowhere are
    pub(crate) placeholders: Option<Placeholders>,
    /// Answers that addresses are meant to give
    pub(crate) expect: Vec<Expect>,
    /// How often what is asked again
    #[serde(flatten)]
    pub(crate) due: Due,
    /// How it is watched, and who is told
    #[serde(flatten)]
    pub(crate) watching: Watching,
}

/// What links that lead nowhere are: a person should look, or a visitor would find them broken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum Placeholders {
    Doubtful,
    Broken,
}

/// An answer that addresses are meant to give.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Expect {
    /// A pattern for the addresses; only * is special
    pub(crate) target: String,
    /// The status
    #[schemars(range(min = 100, max = 599))]
    pub(crate) status: u16,
}

impl Config {
    /// The section of a site, over the defaults.
    pub(crate) fn settled(&self, site: Option<&str>) -> Section {
        match site.and_then(|site| self.sites.get(site)) {
            Some(section) => section.clone().over(self.defaults.clone()),
            None => self.defaults.clone(),
        }
    }

    /// The folder that the file stands in.
    pub(crate) fn folder(&self) -> Option<&Path> {
        self.path.as_deref().and_then(Path::parent)
    }
}

impl Section {
    fn over(self, defaults: Section) -> Section {
        let (own, below) = (self.own, defaults.own);
        Section {
            asking: self.asking.or(defaults.asking),
            own: Own {
                start: own.start.or(below.start),
                write: if own.write.is_empty() { below.write } else { own.write },
                editor_link: own.editor_link.or(below.editor_link),
                placeholders: own.placeholders.or(below.placeholders),
                expect: own.expect.into_iter().chain(below.expect).collect(),
                due: own.due.or(below.due),
                watching: own.watching.or(below.watching),
            },
            lines: self.lines,
        }
    }

    /// The answers that addresses are meant to give, as the core takes them.
    pub(crate) fn expected(&self) -> Vec<(Pattern, u16)> {
        let expect = self.own.expect.iter();
        expect.map(|expect| (Pattern::new(&expect.target), expect.status)).collect()
    }
}
