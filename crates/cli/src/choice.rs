//! Which site and which run a command is about.

use std::path::Path;

use rummage_store::{Reader, RunInfo};
use rummage_view::safe;

use crate::config::{Config, Section};
use crate::failure::Failure;
use crate::folder_site;
use crate::urls;
use crate::values::one_of;

/// The run with this number, else the last run of the named site, else the last run.
pub(crate) fn run(
    reader: &Reader,
    config: &Config,
    site: Option<&str>,
    number: Option<i64>,
) -> Result<RunInfo, Failure> {
    if let Some(number) = number {
        return Ok(reader.run(number)?);
    }
    match site {
        None => Ok(reader.last_run()?),
        Some(name) => last_of(reader, config, name),
    }
}

/// The last run of a site, by its name in the settings file or its host.
pub(crate) fn last_of(reader: &Reader, config: &Config, name: &str) -> Result<RunInfo, Failure> {
    let mut hosts = vec![name.to_owned()];
    if let Some(start) = config.sites.get(name).and_then(|section| section.own.start.as_ref()) {
        hosts.extend(urls::candidates(start).unwrap_or_default().iter().map(urls::host));
        hosts.push(start.clone());
        hosts.extend(place(&config.sites[name]));
    }
    for host in &hosts {
        if let Some(run) = reader.last_run_of(host)? {
            return Ok(run);
        }
    }
    // A site that was only crawled from a folder.
    let mut previews: Vec<RunInfo> = reader.sites()?.into_iter().map(|site| site.last).collect();
    previews.retain(|run| hosts.iter().any(|host| folder_site::host(&run.site) == host));
    if let Some(last) = previews.into_iter().max_by_key(|run| run.number) {
        return Ok(last);
    }
    let known: Vec<String> = reader.sites()?.into_iter().map(|site| site.last.site).collect();
    let known: Vec<&str> = known.iter().map(String::as_str).collect();
    let hint = match known.as_slice() {
        [] => format!("Crawl it first: rummage crawl {}", safe(name)),
        some => format!("It has runs of {}.", one_of(some)),
    };
    Err(Failure::Usage { what: format!("the store has no run of {}", safe(name)), hint })
}

/// The name of a site's section in the settings file: the given name, else found by host.
pub(crate) fn name_of(config: &Config, site: Option<&str>, host: &str) -> Option<String> {
    let given = site.filter(|name| config.sites.contains_key(*name));
    given.map(str::to_owned).or_else(|| by_host(config, host))
}

/// The only section whose start URL is on the host of this site.
pub(crate) fn by_host(config: &Config, site: &str) -> Option<String> {
    let host = folder_site::host(site);
    let starts_there = |start: &str| {
        urls::candidates(start).is_ok_and(|urls| urls.iter().any(|url| urls::host(url) == host))
    };
    let mut fits = config.sites.iter().filter(|(_, section)| match place(section) {
        Some(place) => place == host,
        None => section.own.start.as_deref().is_some_and(starts_there),
    });
    match (fits.next(), fits.next()) {
        (Some((name, _)), None) => Some(name.clone()),
        _ => None,
    }
}

/// The section of a site, unless the site is a preview: a folder that is not the section's start.
pub(crate) fn own_section(config: &Config, site: &str) -> Option<String> {
    let name = by_host(config, site)?;
    starts_in(config, &config.sites[&name], site).then_some(name)
}

/// Whether a site is live, or read from the folder that is the start of this section.
pub(crate) fn starts_in(config: &Config, section: &Section, site: &str) -> bool {
    let Some(folder) = folder_site::folder(site) else { return true };
    let from = config.path.as_deref().and_then(Path::parent).unwrap_or(Path::new(""));
    let start = section.own.start.as_deref().map(|start| std::path::absolute(from.join(start)));
    start.is_some_and(|start| start.is_ok_and(|start| start == folder))
}

/// The host at which a site's folder will be published, if it is read from a folder.
fn place(section: &Section) -> Option<String> {
    let at = section.options.at.as_deref()?;
    urls::published_at(at).ok().map(|url| urls::host(&url))
}
