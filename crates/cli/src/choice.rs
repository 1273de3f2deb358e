//! Which site and which run a command is about.

use rummage_store::{Reader, RunInfo};
use rummage_view::safe;

use crate::config::{Config, Section};
use crate::failure::Failure;
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

/// The only section whose start URL is on this host.
pub(crate) fn by_host(config: &Config, host: &str) -> Option<String> {
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

/// The host at which a site's folder will be published, if it is read from a folder.
fn place(section: &Section) -> Option<String> {
    let at = section.options.at.as_deref()?;
    urls::url(at).ok().map(|url| urls::host(&url))
}
