//! The options under Checking. All are optional here: the value of an option that is not given
//! comes from `--resume`, the environment, the settings file and the defaults, in this order.

use std::net::SocketAddr;
use std::path::PathBuf;

use clap::{Args, FromArgMatches, ValueEnum};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::reason::first_line;
use crate::header::{Header, header, like_earlier};
use crate::values::{
    Connect, Named, Proxy, Query, Rate, Size, Time, Within, connect, element, named, patience,
    prefix, proxy, query, rate, size, time,
};

/// What to check and how: the options of a crawl, and the keys of the settings file.
#[derive(Debug, Clone, Default, Args, Serialize, Deserialize, JsonSchema)]
#[serde(default, rename_all = "kebab-case")]
#[command(next_help_heading = "Checking")]
pub(crate) struct CheckOptions {
    /// URL at which a folder or draft will be published, or the site a log belongs to, such as
    /// https://www.example.test/
    #[arg(long = "as", value_name = "URL", env = "RUMMAGE_AS", hide_env = true)]
    #[serde(rename = "as")]
    pub(crate) at: Option<String>,
    /// Serve pages of a folder without their extension: /about is about.html
    #[arg(long, hide_short_help = true, env = "RUMMAGE_TIDY_PATHS", hide_env = true, num_args = 0..=1,
        require_equals = true, default_missing_value = "true", value_name = "true|false",
        hide_possible_values = true)]
    pub(crate) tidy_paths: Option<bool>,
    /// Further start URLs.
    #[arg(skip)]
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[schemars(skip)]
    pub(crate) also: Vec<String>,
    /// Check external URLs, or only note them [default: check]
    #[arg(long, value_name = "WHAT", env = "RUMMAGE_EXTERNALS", hide_env = true)]
    pub(crate) externals: Option<ExternalsChoice>,
    /// Parse pages at most this many links away from the start [default: no limit]
    #[arg(long, value_name = "N", env = "RUMMAGE_DEPTH", hide_env = true)]
    pub(crate) depth: Option<u32>,
    /// Parse at most this many pages, those nearest to the start [default: no limit]
    #[arg(long, value_name = "N", env = "RUMMAGE_MAX_PAGES", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..))]
    pub(crate) max_pages: Option<u32>,
    /// Parse only pages whose URL starts with this: a path of the site, or another host or port
    /// to crawl as well, such as /docs/ or shop.example.test (repeatable)
    #[arg(long, hide_short_help = true, value_name = "PREFIX", env = "RUMMAGE_WITHIN", hide_env = true,
        value_parser = prefix)]
    #[schemars(with = "Vec<String>")]
    pub(crate) within: Vec<Within>,
    /// Skip URLs that match this pattern; `*` matches anything (repeatable)
    #[arg(long, value_name = "PATTERN", env = "RUMMAGE_EXCLUDE", hide_env = true)]
    pub(crate) exclude: Vec<String>,
    /// Check URLs that match this pattern despite --exclude (repeatable)
    #[arg(
        long,
        hide_short_help = true,
        value_name = "PATTERN",
        env = "RUMMAGE_INCLUDE",
        hide_env = true
    )]
    pub(crate) include: Vec<String>,
    /// Check only URLs in these elements, separated by commas, such as a,img; pages of the site
    /// are crawled all the same [default: all]
    #[arg(long, hide_short_help = true, value_name = "LIST", env = "RUMMAGE_CHECK_ELEMENTS", hide_env = true,
        value_delimiter = ',', value_parser = element)]
    pub(crate) check_elements: Vec<String>,
    /// Obey robots.txt, ignore it, or obey this file instead [default: obey]
    #[arg(
        long,
        hide_short_help = true,
        value_name = "obey|ignore|FILE",
        env = "RUMMAGE_ROBOTS",
        hide_env = true
    )]
    pub(crate) robots: Option<String>,
    /// Use the sitemaps named in robots.txt and /sitemap.xml, none, or the one at this URL
    /// [default: auto]
    #[arg(
        long,
        hide_short_help = true,
        value_name = "auto|none|URL",
        env = "RUMMAGE_SITEMAP",
        hide_env = true
    )]
    pub(crate) sitemap: Option<String>,
    /// Keep the query strings of internal URLs, drop them, or drop parameters by name, such as
    /// drop:session,utm_* [default: keep]
    #[arg(long, hide_short_help = true, value_name = "keep|drop|drop:NAMES", env = "RUMMAGE_QUERY", hide_env = true,
        value_parser = query)]
    #[schemars(with = "Option<String>")]
    pub(crate) query: Option<Query>,
    /// Read at most this much of a page or stylesheet, such as 500K or 20M [default: 10M]
    #[arg(long, hide_short_help = true, value_name = "SIZE", env = "RUMMAGE_MAX_SIZE", hide_env = true,
        value_parser = size)]
    #[schemars(with = "Option<String>")]
    pub(crate) max_size: Option<Size>,
    /// Parse no more pages once this many URLs are known [default: 500000]
    #[arg(long, hide_short_help = true, value_name = "N", env = "RUMMAGE_MAX_URLS", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..=100_000_000))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) max_urls: Option<u32>,
    /// Read at most this many links of a page [default: 100000]
    #[arg(long, hide_short_help = true, value_name = "N", env = "RUMMAGE_MAX_LINKS", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..=10_000_000))]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) max_links: Option<u32>,
    /// Concurrent requests in total, from 1 to 1000; up to 64 requests to external hosts that
    /// take longer than a tenth of the time-out are not counted [default: 64]
    #[arg(long, hide_short_help = true, value_name = "N", env = "RUMMAGE_CONCURRENCY", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..=1000))]
    pub(crate) concurrency: Option<u32>,
    /// Concurrent requests to one host of the site [default: up to 16, adapted to its response
    /// times]
    #[arg(long, value_name = "N", env = "RUMMAGE_PER_HOST", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..=1000))]
    pub(crate) per_host: Option<u32>,
    /// Requests to one host per unit of time, such as 2/s, 30/min or 1/5s
    #[arg(long, value_name = "N/UNIT", env = "RUMMAGE_RATE", hide_env = true,
        value_parser = rate)]
    #[schemars(with = "Option<String>")]
    pub(crate) rate: Option<Rate>,
    /// One request at a time, at most one per second, to each host
    #[arg(long, env = "RUMMAGE_GENTLE", hide_env = true, num_args = 0..=1,
        require_equals = true, default_missing_value = "true", value_name = "true|false",
        hide_possible_values = true)]
    pub(crate) gentle: Option<bool>,
    /// Check that fragments have an anchor on the page: for internal pages, for all pages, or not
    /// at all [default: internal]
    #[arg(
        long,
        hide_short_help = true,
        value_name = "WHERE",
        env = "RUMMAGE_FRAGMENTS",
        hide_env = true
    )]
    pub(crate) fragments: Option<FragmentsChoice>,
    /// Follow at most this many redirects per URL, from 1 to 100 [default: 20]
    #[arg(long, hide_short_help = true, value_name = "N", env = "RUMMAGE_HOPS", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..=100))]
    pub(crate) hops: Option<u32>,
    /// Longest wait for a response to begin, such as 5s [default: 20s]
    #[arg(long, value_name = "DURATION", env = "RUMMAGE_TIMEOUT", hide_env = true,
        value_parser = patience)]
    #[schemars(with = "Option<String>")]
    pub(crate) timeout: Option<Time>,
    /// How many times to try a URL that fails temporarily, from 1 to 10 [default: 3]
    #[arg(long, hide_short_help = true, value_name = "N", env = "RUMMAGE_ATTEMPTS", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..=10))]
    pub(crate) attempts: Option<u32>,
    /// User-Agent header to send
    #[arg(
        long,
        hide_short_help = true,
        value_name = "TEXT",
        env = "RUMMAGE_USER_AGENT",
        hide_env = true
    )]
    pub(crate) user_agent: Option<String>,
    /// Header to send to the start URL's origin (repeatable); 'Name: env:VAR' takes the value
    /// from the environment variable VAR
    #[arg(long, value_name = "NAME: VALUE", value_parser = header)]
    #[schemars(with = "Vec<String>")]
    pub(crate) header: Vec<Header>,
    /// User name for the start URL's origin (HTTP Basic); the password comes from
    /// RUMMAGE_PASSWORD, ~/.netrc, or a prompt
    #[arg(long, value_name = "NAME", env = "RUMMAGE_USER", hide_env = true)]
    pub(crate) user: Option<String>,
    /// Send --header and --user also to this origin: scheme, host and port (repeatable)
    #[arg(long, hide_short_help = true, value_name = "URL", env = "RUMMAGE_CREDENTIALS_FOR",
        hide_env = true, value_delimiter = ' ', value_parser = named)]
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "Vec<String>")]
    pub(crate) credentials_for: Vec<Named>,
    /// HTTP proxy, such as http://proxy.example.test:3128, or none; localhost is never requested
    /// through a proxy [default: HTTP_PROXY, HTTPS_PROXY, ALL_PROXY, NO_PROXY]
    #[arg(long, hide_short_help = true, value_name = "URL|none", env = "RUMMAGE_PROXY", hide_env = true,
        value_parser = proxy)]
    #[schemars(with = "Option<String>")]
    pub(crate) proxy: Option<Proxy>,
    /// DNS server to use
    #[arg(
        long,
        hide_short_help = true,
        value_name = "IP:PORT",
        env = "RUMMAGE_DNS",
        hide_env = true
    )]
    #[schemars(with = "Option<String>")]
    pub(crate) dns: Option<SocketAddr>,
    /// Connect to this IP address for this host; HOST may have a port and contain `*`
    /// (repeatable)
    #[arg(long, hide_short_help = true, value_name = "HOST=IP:PORT", env = "RUMMAGE_CONNECT", hide_env = true,
        value_delimiter = ' ', value_parser = connect)]
    #[schemars(with = "Vec<String>")]
    pub(crate) connect: Vec<Connect>,
    /// Also trust the certificates in this PEM file (repeatable)
    #[arg(
        long,
        hide_short_help = true,
        value_name = "FILE",
        env = "RUMMAGE_CA_CERT",
        hide_env = true
    )]
    #[schemars(with = "Vec<String>")]
    pub(crate) ca_cert: Vec<PathBuf>,
    /// Note certificates of the site's hosts that end within this time, such as 14d [default: 21d]
    #[arg(long, hide_short_help = true, value_name = "DURATION", env = "RUMMAGE_CERTIFICATE_ENDS",
        hide_env = true, value_parser = time)]
    #[serde(skip_serializing_if = "Option::is_none")]
    #[schemars(with = "Option<String>")]
    pub(crate) certificate_ends: Option<Time>,
    /// Check private IP addresses even when the start URL is public
    #[arg(long, hide_short_help = true, env = "RUMMAGE_ALLOW_PRIVATE", hide_env = true, num_args = 0..=1,
        require_equals = true, default_missing_value = "true", value_name = "true|false",
        hide_possible_values = true)]
    pub(crate) allow_private: Option<bool>,
}

/// What to do with external URLs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum ExternalsChoice {
    /// Check them
    Check,
    /// Only note them
    Note,
}

/// On which pages fragments are checked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum FragmentsChoice {
    /// On internal pages
    Internal,
    /// Also on external pages, which are then read in full
    All,
    /// Not at all
    None,
}

impl CheckOptions {
    /// The options set in the environment, for commands that take none of them on the command
    /// line.
    pub(crate) fn of_environment() -> Result<CheckOptions, clap::Error> {
        let command = CheckOptions::augment_args(clap::Command::new("environment"));
        CheckOptions::from_arg_matches(&command.try_get_matches_from(["environment"])?)
    }

    /// Checks values of the settings file by the rules of the command line, which has the bounds.
    pub(crate) fn check(name: &str, values: &[String]) -> Result<(), String> {
        // Its value may come from the environment, which only a run needs.
        if name == "header" {
            return Ok(());
        }
        // What is in the environment is not the file's fault.
        let command = CheckOptions::augment_args(clap::Command::new("settings"))
            .mut_args(|argument| argument.env(clap::builder::Resettable::Reset));
        let words = values.iter().map(|value| format!("--{name}={value}"));
        let words = std::iter::once("settings".to_owned()).chain(words);
        command.try_get_matches_from(words).map(drop).map_err(|error| first_line(&error))
    }

    /// Whether there is an option with this name.
    pub(crate) fn knows(name: &str) -> bool {
        let command = CheckOptions::augment_args(clap::Command::new("options"));
        command.get_arguments().any(|argument| argument.get_long() == Some(name))
    }

    /// These options as stored with a run: a proxy may have a password, and headers serialize
    /// without their values.
    pub(crate) fn without_secrets(&self) -> CheckOptions {
        CheckOptions { proxy: None, ..self.clone() }
    }

    /// Whether anything is sent that may be a secret.
    pub(crate) fn has_credentials(&self) -> bool {
        self.user.is_some() || !self.header.is_empty()
    }

    /// The options that decide what a run can see: two runs that share these can be compared in
    /// full. Names every field, so that a new option has to be put on one side.
    pub(crate) fn bounds(&self) -> CheckOptions {
        let own = self.clone();
        CheckOptions {
            tidy_paths: own.tidy_paths,
            also: own.also,
            externals: own.externals,
            depth: own.depth,
            max_pages: own.max_pages,
            within: own.within,
            exclude: own.exclude,
            include: own.include,
            check_elements: own.check_elements,
            robots: own.robots,
            sitemap: own.sitemap,
            query: own.query,
            max_size: own.max_size,
            max_links: own.max_links,
            max_urls: own.max_urls,
            fragments: own.fragments,
            user: own.user,
            credentials_for: own.credentials_for,
            // These decide where the site is reached and how requests are made, not what a run
            // can see.
            at: None,
            concurrency: None,
            per_host: None,
            rate: None,
            gentle: None,
            hops: None,
            timeout: None,
            attempts: None,
            user_agent: None,
            header: Vec::new(),
            proxy: None,
            dns: None,
            connect: Vec::new(),
            ca_cert: Vec::new(),
            certificate_ends: None,
            allow_private: None,
        }
    }

    /// The options in force: those given here, over those of an earlier run, over those of the
    /// settings file.
    pub(crate) fn like(
        mut self,
        earlier: Option<CheckOptions>,
        of_file: &CheckOptions,
    ) -> CheckOptions {
        if let Some(earlier) = earlier {
            self.header = like_earlier(self.header, &earlier.header, &of_file.header);
            self = self.or(earlier);
        }
        self.or(of_file.clone())
    }

    /// The options given here, filled up with the earlier ones.
    pub(crate) fn or(self, earlier: CheckOptions) -> CheckOptions {
        let list = |own: Vec<String>, earlier| if own.is_empty() { earlier } else { own };
        CheckOptions {
            at: self.at.or(earlier.at),
            tidy_paths: self.tidy_paths.or(earlier.tidy_paths),
            also: list(self.also, earlier.also),
            externals: self.externals.or(earlier.externals),
            depth: self.depth.or(earlier.depth),
            max_pages: self.max_pages.or(earlier.max_pages),
            within: if self.within.is_empty() { earlier.within } else { self.within },
            check_elements: list(self.check_elements, earlier.check_elements),
            robots: self.robots.or(earlier.robots),
            sitemap: self.sitemap.or(earlier.sitemap),
            query: self.query.or(earlier.query),
            max_size: self.max_size.or(earlier.max_size),
            max_links: self.max_links.or(earlier.max_links),
            max_urls: self.max_urls.or(earlier.max_urls),
            exclude: list(self.exclude, earlier.exclude),
            include: list(self.include, earlier.include),
            concurrency: self.concurrency.or(earlier.concurrency),
            per_host: self.per_host.or(earlier.per_host),
            rate: self.rate.or(earlier.rate),
            gentle: self.gentle.or(earlier.gentle),
            fragments: self.fragments.or(earlier.fragments),
            hops: self.hops.or(earlier.hops),
            user: self.user.or(earlier.user),
            credentials_for: if self.credentials_for.is_empty() {
                earlier.credentials_for
            } else {
                self.credentials_for
            },
            proxy: self.proxy.or(earlier.proxy),
            timeout: self.timeout.or(earlier.timeout),
            attempts: self.attempts.or(earlier.attempts),
            user_agent: self.user_agent.or(earlier.user_agent),
            header: if self.header.is_empty() { earlier.header } else { self.header },
            dns: self.dns.or(earlier.dns),
            connect: if self.connect.is_empty() { earlier.connect } else { self.connect },
            ca_cert: if self.ca_cert.is_empty() { earlier.ca_cert } else { self.ca_cert },
            certificate_ends: self.certificate_ends.or(earlier.certificate_ends),
            allow_private: self.allow_private.or(earlier.allow_private),
        }
    }
}
