//! From options to the plain settings of the other crates.

use std::path::PathBuf;
use std::time::Duration;

use rummage_core::crawl::retry::Retry;
use rummage_core::crawl::{Externals, Fragments, RobotsRule, Settings, SitemapRule};
use rummage_core::extract::elements::Element;
use rummage_core::extract::reading::MOST_LINKS;
use rummage_core::extract::robots_txt::{self, Robots};
use rummage_core::url::credentials::CredentialScope;
use rummage_core::url::pattern::Pattern;
use rummage_core::url::query::QueryRule;
use rummage_engine::{Config, Credentials, DEFAULT_USER_AGENT, LocalFiles, Proxies};
use rummage_store::{OpenRun, StoreError};
use rustls::pki_types::CertificateDer;
use rustls::pki_types::pem::PemObject;
use url::Url;

use crate::args::{CheckOptions, ExternalsChoice, FragmentsChoice};
use crate::config::Section;
use crate::failure::Failure;
use crate::header::Header;
use crate::password;
use crate::values::Proxy;

/// How many bytes of a page are read by default: far more than pages have, far less than memory.
const MAX_SIZE: usize = 10 << 20;
const TIMEOUT: Duration = Duration::from_secs(20);

/// What a crawl checks, and at what pace.
pub(crate) fn settings(options: &CheckOptions, job: &Section) -> Result<Settings, Failure> {
    let patterns = |list: &[String]| list.iter().map(|text| Pattern::new(text)).collect();
    let default = Settings::default();
    Ok(Settings {
        externals: match options.externals {
            Some(ExternalsChoice::Note) => Externals::Note,
            Some(ExternalsChoice::Check) | None => Externals::Check,
        },
        depth: options.depth,
        max_pages: options.max_pages,
        certificate_ends: options.certificate_ends.map_or(default.certificate_ends, |time| time.0),
        max_urls: options.max_urls.map_or(default.max_urls, |urls| urls as usize),
        within: options.within.iter().map(|within| within.0.clone()).collect(),
        robots: robots(options)?,
        sitemap: sitemap(options)?,
        lists: false,
        also: Vec::new(),
        listed: Vec::new(),
        query: options.query.as_ref().map_or(QueryRule::Keep, |query| query.0.clone()),
        check_elements: options
            .check_elements
            .iter()
            .filter_map(|name| Element::named(name))
            .collect(),
        exclude: patterns(&options.exclude),
        include: patterns(&options.include),
        concurrency: options.concurrency.unwrap_or(default.concurrency),
        per_host: options.per_host,
        interval: options.rate.map(|rate| rate.0),
        retry: Retry {
            attempts: options.attempts.unwrap_or(default.retry.attempts),
            timeout: timeout(options),
        },
        hops: options.hops.unwrap_or(default.hops),
        fragments: match options.fragments {
            Some(FragmentsChoice::All) => Fragments::All,
            Some(FragmentsChoice::None) => Fragments::None,
            Some(FragmentsChoice::Internal) | None => Fragments::Internal,
        },
        gentle: options.gentle.unwrap_or_default(),
        expected: job.expected(),
        has_credentials: options.user.is_some() || options.header.iter().any(is_secret),
        proxied: proxies(options).any(),
        by_get: false,
    })
}

/// Whether a header identifies the user: URLs that may change something are then not requested.
fn is_secret(header: &Header) -> bool {
    header.name == http::header::AUTHORIZATION || header.name == http::header::COOKIE
}

fn proxies(options: &CheckOptions) -> Proxies {
    match &options.proxy {
        Some(Proxy(Some(proxy))) => Proxies::one(proxy),
        Some(Proxy(None)) => Proxies::none(),
        None => Proxies::of_environment(),
    }
}

fn robots(options: &CheckOptions) -> Result<RobotsRule, Failure> {
    match options.robots.as_deref() {
        None | Some("obey") => Ok(RobotsRule::Obey),
        Some("ignore") => Ok(RobotsRule::Ignore),
        Some(file) => match std::fs::read(file) {
            Ok(rules) => {
                let rules = &rules[..rules.len().min(robots_txt::MAX_SIZE)];
                Ok(RobotsRule::Given(Robots::parse(&String::from_utf8_lossy(rules))))
            }
            Err(reason) => Err(Failure::Usage {
                what: format!("--robots: cannot read {file}: {reason}"),
                hint: "Give obey, ignore, or a file such as ./robots.txt.".to_owned(),
            }),
        },
    }
}

fn sitemap(options: &CheckOptions) -> Result<SitemapRule, Failure> {
    let given = match options.sitemap.as_deref() {
        None | Some("auto") => return Ok(SitemapRule::Auto),
        Some("none") => return Ok(SitemapRule::None),
        Some(given) => given,
    };
    match Url::parse(given) {
        Ok(mut url) if matches!(url.scheme(), "http" | "https") => {
            if !url.username().is_empty() || url.password().is_some() {
                return Err(Failure::Usage {
                    what: "--sitemap: the URL contains a user name or password".to_owned(),
                    hint: "Send them in a header: --header 'Authorization: env:VAR'.".to_owned(),
                });
            }
            url.set_fragment(None);
            Ok(SitemapRule::At(url))
        }
        _ => Err(Failure::Usage {
            what: format!("--sitemap {given} is not a valid URL"),
            hint: "Give auto, none, or a URL such as https://www.example.test/sitemap.xml."
                .to_owned(),
        }),
    }
}

fn timeout(options: &CheckOptions) -> Duration {
    options.timeout.map_or(TIMEOUT, |time| time.0)
}

/// How requests are made; `named` are the URLs that the user typed, the first one first.
pub(crate) fn config(options: &CheckOptions, named: &[Url]) -> Result<Config, Failure> {
    let agent = options.user_agent.as_deref().unwrap_or(DEFAULT_USER_AGENT);
    let mut ca_certs = Vec::new();
    for file in &options.ca_cert {
        ca_certs.extend(certificates(file)?);
    }
    Ok(Config {
        user_agent: agent.parse().map_err(|_| Failure::Usage {
            what: "--user-agent contains characters not allowed in a header".to_owned(),
            hint: "Use plain letters, digits and punctuation.".to_owned(),
        })?,
        credentials: credentials(options, named)?,
        proxies: proxies(options),
        local_files: LocalFiles::default(),
        timeout: timeout(options),
        dns: options.dns,
        connect: options.connect.iter().map(|connect| connect.0.clone()).collect(),
        ca_certs,
        allow_private: options.allow_private.unwrap_or_default(),
        max_size: options.max_size.map_or(MAX_SIZE, |size| size.0),
        max_links: options.max_links.map_or(MOST_LINKS, |links| links as usize),
    })
}

/// Checks that all headers have values.
fn check(headers: &[Header]) -> Result<(), Failure> {
    let lacking: Vec<(&Header, String)> =
        headers.iter().filter_map(|header| Some((header, header.value().err()?))).collect();
    let Some((first, reason)) = lacking.first() else { return Ok(()) };
    let names: Vec<&str> = lacking.iter().map(|(header, _)| header.name.as_str()).collect();
    let what = match names.as_slice() {
        [name] => format!("cannot send the header {name}: {reason}"),
        [rest @ .., last] => {
            format!("cannot send the headers {} and {last}: {reason}", rest.join(", "))
        }
        [] => return Ok(()),
    };
    Err(Failure::Usage { what, hint: first.advice() })
}

fn credentials(options: &CheckOptions, named: &[Url]) -> Result<Credentials, Failure> {
    let mut headers = Vec::new();
    check(&options.header)?;
    for header in &options.header {
        headers.extend(header.value().map(|value| (header.name.clone(), value)));
    }
    if let Some(user) = &options.user {
        headers.push((
            http::header::AUTHORIZATION,
            password::basic(user, named.first().and_then(Url::host_str))?,
        ));
    }
    let more = options.credentials_for.iter().map(|url| &url.0);
    Ok(Credentials { headers, scope: CredentialScope::of(named.iter().chain(more)) })
}

pub(crate) fn certificates(file: &PathBuf) -> Result<Vec<CertificateDer<'static>>, Failure> {
    let wrong = |reason: String| Failure::Usage {
        what: format!("--ca-cert: cannot use {}: {reason}", file.display()),
        hint: "Give a PEM file that begins with -----BEGIN CERTIFICATE-----.".to_owned(),
    };
    let found: Result<Vec<_>, _> =
        CertificateDer::pem_file_iter(file).map_err(|error| wrong(error.to_string()))?.collect();
    let found = found.map_err(|error| wrong(error.to_string()))?;
    if found.is_empty() { Err(wrong("it contains no certificate".to_owned())) } else { Ok(found) }
}

/// The options with which to recheck a run: those in the environment now, else those of the run.
pub(crate) fn options_of(run: &OpenRun<'_>) -> Result<CheckOptions, Failure> {
    let damaged = |error: serde_json::Error| StoreError::Damaged(error.to_string());
    let earlier: CheckOptions = serde_json::from_str(&run.info().options).map_err(damaged)?;
    Ok(of_environment()?.or(earlier))
}

/// The options in the environment.
pub(crate) fn of_environment() -> Result<CheckOptions, Failure> {
    CheckOptions::of_environment().map_err(|error| Failure::Usage {
        what: error.to_string().trim_start_matches("error: ").trim().to_owned(),
        hint: "Correct the variable, or unset it.".to_owned(),
    })
}
