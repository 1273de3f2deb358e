//! From the options that ask to the plain settings of the crates below.

use std::path::PathBuf;
use std::time::Duration;

use http::{HeaderName, HeaderValue};
use rummage_core::crawl::retry::Retry;
use rummage_core::crawl::{Externals, Fragments, RobotsRule, Settings, SitemapRule};
use rummage_core::extract::elements::Element;
use rummage_core::extract::robots_txt::{self, Robots};
use rummage_core::url::pattern::Pattern;
use rummage_core::url::query::QueryRule;
use rummage_engine::{Config, DEFAULT_USER_AGENT, Proxies, Shelf};
use rummage_store::{OpenRun, StoreError};
use rustls::pki_types::CertificateDer;
use rustls::pki_types::pem::PemObject;
use url::Url;

use crate::args::{Asking, ExternalsChoice, FragmentsChoice};
use crate::config::Section;
use crate::failure::Failure;
use crate::password;
use crate::values::{Header, Proxy};

/// Octets of a page that are read: far more than pages have, far less than memory.
const MAX_SIZE: usize = 10 << 20;
const TIMEOUT: Duration = Duration::from_secs(20);

/// What a crawl is to ask, and how gently.
pub(crate) fn settings(asking: &Asking, settled: &Section) -> Result<Settings, Failure> {
    let patterns = |list: &[String]| list.iter().map(|text| Pattern::new(text)).collect();
    let preset = Settings::default();
    Ok(Settings {
        externals: match asking.externals {
            Some(ExternalsChoice::Note) => Externals::Note,
            Some(ExternalsChoice::Check) | None => Externals::Check,
        },
        depth: asking.depth,
        max_pages: asking.max_pages,
        within: asking.within.iter().map(|within| within.0.clone()).collect(),
        robots: robots(asking)?,
        sitemap: sitemap(asking)?,
        lists: false,
        also: Vec::new(),
        listed: Vec::new(),
        query: asking.query.as_ref().map_or(QueryRule::Keep, |query| query.0.clone()),
        ask_elements: asking.ask_elements.iter().filter_map(|name| Element::named(name)).collect(),
        exclude: patterns(&asking.exclude),
        include: patterns(&asking.include),
        concurrency: asking.concurrency.unwrap_or(preset.concurrency),
        per_host: asking.per_host,
        interval: asking.rate.map(|rate| rate.0),
        retry: Retry {
            attempts: asking.attempts.unwrap_or(preset.retry.attempts),
            timeout: timeout(asking),
        },
        hops: asking.hops.unwrap_or(preset.hops),
        fragments: match asking.fragments {
            Some(FragmentsChoice::All) => Fragments::All,
            Some(FragmentsChoice::None) => Fragments::None,
            Some(FragmentsChoice::Internal) | None => Fragments::Internal,
        },
        gentle: asking.gentle.unwrap_or_default(),
        expected: settled.expected(),
        has_credentials: asking.user.is_some() || asking.header.iter().any(is_secret),
        proxied: proxies(asking).any(),
        by_get: false,
    })
}

/// Whether a field says who asks: what acts must not be asked then.
fn is_secret(header: &Header) -> bool {
    header.name == http::header::AUTHORIZATION || header.name == http::header::COOKIE
}

fn proxies(asking: &Asking) -> Proxies {
    match &asking.proxy {
        Some(Proxy(Some(proxy))) => Proxies::one(proxy),
        Some(Proxy(None)) => Proxies::none(),
        None => Proxies::of_environment(),
    }
}

fn robots(asking: &Asking) -> Result<RobotsRule, Failure> {
    match asking.robots.as_deref() {
        None | Some("obey") => Ok(RobotsRule::Obey),
        Some("ignore") => Ok(RobotsRule::Ignore),
        Some(file) => match std::fs::read(file) {
            Ok(rules) => {
                let rules = &rules[..rules.len().min(robots_txt::MAX_SIZE)];
                Ok(RobotsRule::Given(Robots::parse(&String::from_utf8_lossy(rules))))
            }
            Err(why) => Err(Failure::Usage {
                what: format!("--robots {file} cannot be read: {why}"),
                hint: "Give obey, ignore, or a file such as ./robots.txt.".to_owned(),
            }),
        },
    }
}

fn sitemap(asking: &Asking) -> Result<SitemapRule, Failure> {
    let given = match asking.sitemap.as_deref() {
        None | Some("auto") => return Ok(SitemapRule::Auto),
        Some("none") => return Ok(SitemapRule::None),
        Some(given) => given,
    };
    match Url::parse(given) {
        Ok(mut url) if matches!(url.scheme(), "http" | "https") => {
            url.set_fragment(None);
            Ok(SitemapRule::At(url))
        }
        _ => Err(Failure::Usage {
            what: format!("--sitemap {given} is no address"),
            hint: "Give auto, none, or an address such as https://www.example.test/sitemap.xml."
                .to_owned(),
        }),
    }
}

fn timeout(asking: &Asking) -> Duration {
    asking.timeout.map_or(TIMEOUT, |time| time.0)
}

/// How requests are made to a site that begins there, if it is known where.
pub(crate) fn config(asking: &Asking, start: Option<&Url>) -> Result<Config, Failure> {
    let agent = asking.user_agent.as_deref().unwrap_or(DEFAULT_USER_AGENT);
    let mut ca_certs = Vec::new();
    for file in &asking.ca_cert {
        ca_certs.extend(certificates(file)?);
    }
    Ok(Config {
        user_agent: agent.parse().map_err(|_| Failure::Usage {
            what: "--user-agent holds characters that a header field cannot".to_owned(),
            hint: "Use plain letters, digits and punctuation.".to_owned(),
        })?,
        headers: headers(asking, start)?,
        proxies: proxies(asking),
        shelf: Shelf::default(),
        timeout: timeout(asking),
        dns: asking.dns,
        connect: asking.connect.iter().map(|connect| connect.0.clone()).collect(),
        ca_certs,
        allow_private: asking.allow_private.unwrap_or_default(),
        max_size: asking.max_size.map_or(MAX_SIZE, |size| size.0),
    })
}

fn headers(
    asking: &Asking,
    start: Option<&Url>,
) -> Result<Vec<(HeaderName, HeaderValue)>, Failure> {
    let mut headers = Vec::new();
    for header in &asking.header {
        let value = header.value().map_err(|why| Failure::Usage {
            what: format!("the field {} cannot be sent: {why}", header.name),
            hint: "Set the variable that the settings name, or mend the value.".to_owned(),
        })?;
        headers.push((header.name.clone(), value));
    }
    if let Some(user) = &asking.user {
        headers
            .push((http::header::AUTHORIZATION, password::basic(user, host_alone(asking, start))?));
    }
    Ok(headers)
}

/// The host of a start, where no other one belongs to the site: the password that a file has
/// for a host goes to that host alone.
fn host_alone<'a>(asking: &Asking, start: Option<&'a Url>) -> Option<&'a str> {
    let is_alone = asking.also.is_empty() && asking.within.iter().all(|within| within.0.is_path());
    start.filter(|_| is_alone).and_then(Url::host_str)
}

pub(crate) fn certificates(file: &PathBuf) -> Result<Vec<CertificateDer<'static>>, Failure> {
    let wrong = |why: String| Failure::Usage {
        what: format!("--ca-cert {} cannot be used: {why}", file.display()),
        hint: "Give a PEM file that begins with -----BEGIN CERTIFICATE-----.".to_owned(),
    };
    let found: Result<Vec<_>, _> =
        CertificateDer::pem_file_iter(file).map_err(|error| wrong(error.to_string()))?.collect();
    let found = found.map_err(|error| wrong(error.to_string()))?;
    if found.is_empty() { Err(wrong("it holds no certificate".to_owned())) } else { Ok(found) }
}

/// How to ask again what a run asked: as the environment says now, else in the same way.
pub(crate) fn options_of(run: &OpenRun<'_>) -> Result<Asking, Failure> {
    let damaged = |error: serde_json::Error| StoreError::Damaged(error.to_string());
    let earlier: Asking = serde_json::from_str(&run.info().options).map_err(damaged)?;
    Ok(of_environment()?.or(earlier))
}

/// What the environment says.
pub(crate) fn of_environment() -> Result<Asking, Failure> {
    Asking::of_environment().map_err(|error| Failure::Usage {
        what: error.to_string().trim_start_matches("error: ").trim().to_owned(),
        hint: "Mend the variable, or take it out of the environment.".to_owned(),
    })
}
