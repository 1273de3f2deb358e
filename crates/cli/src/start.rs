//! What START means: a URL, a site in the settings file, a folder, or a host name that is tried
//! over https, then http.

use std::path::{Path, PathBuf};

use crate::choice;
use crate::config::Config;
use crate::failure::Failure;
use crate::urls::{candidates, host, is_folder, published_at, starts_like_path};
use crate::values::{nearest, one_of};

/// Where a crawl begins, and with which settings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Start {
    /// A URL, host name or folder.
    pub(crate) text: String,
    /// The name of its section in the settings file, if it has one.
    pub(crate) site: Option<String>,
}

/// Resolves START, or takes the only site in the settings file. `at` is the URL at which a folder
/// will be published.
pub(crate) fn resolve(
    given: Option<&str>,
    at: Option<&str>,
    config: &Config,
    site: Option<&str>,
) -> Result<Start, Failure> {
    match (given.map(str::trim), site) {
        (None, None) => only_site(config),
        (None, Some(site)) => site_named(config, site),
        (Some(text), Some(site)) if config.sites.contains_key(site) => {
            Ok(Start { text: whole(text, None)?, site: Some(site.to_owned()) })
        }
        (Some(_), Some(site)) => Err(no_such_site(config, site)),
        (Some(text), None) if config.sites.contains_key(text) => {
            if Path::new(text).is_dir() {
                return Err(wrong(
                    &format!("{text} is both a site in the settings file and a folder here"),
                    &format!("Use --site {text} for the site, ./{text} for the folder."),
                ));
            }
            site_named(config, text)
        }
        (Some(text), None) if is_folder(text) => {
            if !starts_like_path(text) && text.contains('.') {
                return Err(wrong(
                    &format!("{text} is both a folder here and a possible host"),
                    &format!("Use ./{text} for the folder, https://{text} for the host."),
                ));
            }
            let site = at
                .map(published_at)
                .transpose()?
                .and_then(|url| choice::by_host(config, &host(&url)));
            Ok(Start { text: whole(text, None)?, site })
        }
        (Some(text), None) => {
            let hosts = candidates(text)?;
            let site = hosts.first().and_then(|url| choice::by_host(config, &host(url)));
            Ok(Start { text: text.to_owned(), site })
        }
    }
}

fn site_named(config: &Config, site: &str) -> Result<Start, Failure> {
    let section = config.sites.get(site).ok_or_else(|| no_such_site(config, site))?;
    match &section.own.start {
        Some(start) => {
            let text = whole(start, config.path.as_deref().and_then(Path::parent))?;
            Ok(Start { text, site: Some(site.to_owned()) })
        }
        None => Err(wrong(
            &format!("[site.{site}] has no start URL"),
            "Add a line such as start = \"https://www.example.test/\".",
        )),
    }
}

fn no_such_site(config: &Config, site: &str) -> Failure {
    let names: Vec<&str> = config.sites.keys().map(String::as_str).collect();
    let hint = match (nearest(site, names.iter().copied()), names.as_slice()) {
        (Some(near), _) => format!("Did you mean {near}?"),
        (None, []) => "No settings file has a site; rummage init writes one.".to_owned(),
        (None, some) => format!("The sites are {}.", one_of(some)),
    };
    wrong(&format!("there is no [site.{site}] in the settings file"), &hint)
}

fn only_site(config: &Config) -> Result<Start, Failure> {
    let names: Vec<&str> = config.sites.keys().map(String::as_str).collect();
    match names.as_slice() {
        [only] => site_named(config, only),
        [] if config.path.is_some() => Err(wrong(
            "no start URL: the settings file has no site",
            "Add a [site.NAME] with a start, or name a site: rummage crawl www.example.test.",
        )),
        [] => Err(wrong(
            "no start URL",
            "Name a site: rummage crawl www.example.test. To see an example: rummage demo.",
        )),
        several => Err(wrong(
            &format!("the settings file has {} sites", several.len()),
            &format!("Name one of them: {}.", one_of(several)),
        )),
    }
}

/// Makes a folder's path absolute, so that a run can be continued from anywhere; leaves anything
/// else as it is.
fn whole(start: &str, from: Option<&Path>) -> Result<String, Failure> {
    let named = from.map_or_else(|| PathBuf::from(start), |from| from.join(start));
    let is_of_file = from.is_some() && !start.contains("://") && named.is_dir();
    if !is_of_file && !is_folder(start) {
        return Ok(start.to_owned());
    }
    let cannot = |reason| Failure::System { what: "cannot find the current folder", reason };
    let path = std::path::absolute(named).map_err(cannot)?;
    path.into_os_string().into_string().map_err(|path| {
        wrong(&format!("the name of {} is not UTF-8", path.display()), "Rename the folder.")
    })
}

fn wrong(what: &str, hint: &str) -> Failure {
    Failure::Usage { what: what.to_owned(), hint: hint.to_owned() }
}
