//! Options that say what is asked, and how. All are optional here: what is not
//! given is left to `--resume`, the environment and the presets, in this order.

use std::net::SocketAddr;
use std::path::PathBuf;

use clap::{Args, ValueEnum};
use serde::{Deserialize, Serialize};

use crate::values::{
    Connect, Header, Proxy, Query, Rate, Size, Time, Within, connect, element, header, prefix,
    proxy, query, rate, size, time,
};

/// What and how to ask. A run keeps these, but for `header`, which may hold secrets.
#[derive(Debug, Clone, Default, Args, Serialize, Deserialize)]
#[serde(default, rename_all = "kebab-case")]
#[command(next_help_heading = "Asking")]
pub(crate) struct Asking {
    /// Ask addresses outside the site, or only note them [default: check]
    #[arg(long, value_name = "WHAT", env = "RUMMAGE_EXTERNALS", hide_env = true)]
    pub(crate) externals: Option<ExternalsChoice>,
    /// Read pages at most so many links away from the start [default: no limit]
    #[arg(long, value_name = "N", env = "RUMMAGE_DEPTH", hide_env = true)]
    pub(crate) depth: Option<u32>,
    /// Read at most so many pages, the nearest to the start [default: no limit]
    #[arg(long, value_name = "N", env = "RUMMAGE_MAX_PAGES", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..))]
    pub(crate) max_pages: Option<u32>,
    /// Read only what begins so: a path of the site, or another host or port to read
    /// as well, such as /docs/ or shop.example.test (repeatable)
    #[arg(long, value_name = "PREFIX", env = "RUMMAGE_WITHIN", hide_env = true,
        value_parser = prefix)]
    pub(crate) within: Vec<Within>,
    /// Leave out addresses that fit; only `*` is special (repeatable)
    #[arg(long, value_name = "PATTERN", env = "RUMMAGE_EXCLUDE", hide_env = true)]
    pub(crate) exclude: Vec<String>,
    /// Take back addresses that `--exclude` leaves out (repeatable)
    #[arg(long, value_name = "PATTERN", env = "RUMMAGE_INCLUDE", hide_env = true)]
    pub(crate) include: Vec<String>,
    /// Ask the addresses in these elements only, parted by commas, such as a,img; pages of
    /// the site are walked all the same [default: all]
    #[arg(long, value_name = "LIST", env = "RUMMAGE_ASK_ELEMENTS", hide_env = true,
        value_delimiter = ',', value_parser = element)]
    pub(crate) ask_elements: Vec<String>,
    /// Obey robots.txt, ignore it, or obey this file instead [default: obey]
    #[arg(long, value_name = "obey|ignore|FILE", env = "RUMMAGE_ROBOTS", hide_env = true)]
    pub(crate) robots: Option<String>,
    /// Look for sitemaps where robots.txt says and at /sitemap.xml, nowhere, or at this
    /// address [default: auto]
    #[arg(long, value_name = "auto|none|URL", env = "RUMMAGE_SITEMAP", hide_env = true)]
    pub(crate) sitemap: Option<String>,
    /// Keep the queries of the site's own addresses, drop them, or drop the parameters of
    /// these names, such as drop:session,utm_* [default: keep]
    #[arg(long, value_name = "keep|drop|drop:NAMES", env = "RUMMAGE_QUERY", hide_env = true,
        value_parser = query)]
    pub(crate) query: Option<Query>,
    /// Read a page or style sheet up to this size, such as 500K or 20M [default: 10M]
    #[arg(long, value_name = "SIZE", env = "RUMMAGE_MAX_SIZE", hide_env = true,
        value_parser = size)]
    pub(crate) max_size: Option<Size>,
    /// Requests at the same time, in all [default: 64]
    #[arg(long, value_name = "N", env = "RUMMAGE_CONCURRENCY", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..=1000))]
    pub(crate) concurrency: Option<u32>,
    /// Requests at the same time to one server of the site [default: up to 16, as it bears]
    #[arg(long, value_name = "N", env = "RUMMAGE_PER_HOST", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..=1000))]
    pub(crate) per_host: Option<u32>,
    /// Requests to one server in a time, such as 2/s, 30/min or 1/5s
    #[arg(long, value_name = "N/UNIT", env = "RUMMAGE_RATE", hide_env = true,
        value_parser = rate)]
    pub(crate) rate: Option<Rate>,
    /// One request at a time, one a second, to any server
    #[arg(long, env = "RUMMAGE_GENTLE", hide_env = true)]
    pub(crate) gentle: bool,
    /// Check that the places which fragments name are there: on the site's own pages, on
    /// all, on none [default: internal]
    #[arg(long, value_name = "WHERE", env = "RUMMAGE_FRAGMENTS", hide_env = true)]
    pub(crate) fragments: Option<FragmentsChoice>,
    /// Follow at most so many redirects from one address [default: 20]
    #[arg(long, value_name = "N", env = "RUMMAGE_HOPS", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..=100))]
    pub(crate) hops: Option<u32>,
    /// How long an answer may take to begin, such as 5s or 1m [default: 20s]
    #[arg(long, value_name = "DURATION", env = "RUMMAGE_TIMEOUT", hide_env = true,
        value_parser = time)]
    pub(crate) timeout: Option<Time>,
    /// How often a failure that may pass is asked, in all [default: 3]
    #[arg(long, value_name = "N", env = "RUMMAGE_ATTEMPTS", hide_env = true,
        value_parser = clap::value_parser!(u32).range(1..=10))]
    pub(crate) attempts: Option<u32>,
    /// The User-Agent to send
    #[arg(long, value_name = "TEXT", env = "RUMMAGE_USER_AGENT", hide_env = true)]
    pub(crate) user_agent: Option<String>,
    /// Send a header field to the site's own hosts (repeatable); 'Name: env:VAR' takes
    /// the value from the environment variable VAR
    #[arg(long, value_name = "NAME: VALUE", value_parser = header)]
    #[serde(skip)]
    pub(crate) header: Vec<Header>,
    /// Log in to the site's own hosts with this name (HTTP Basic); the password comes from
    /// RUMMAGE_PASSWORD, or is asked for
    #[arg(long, value_name = "NAME", env = "RUMMAGE_USER", hide_env = true)]
    pub(crate) user: Option<String>,
    /// Ask through this HTTP proxy, such as http://proxy.example.test:3128, or through
    /// none; this machine is never asked through one [default: HTTP_PROXY, HTTPS_PROXY,
    /// ALL_PROXY, NO_PROXY]
    #[arg(long, value_name = "URL|none", env = "RUMMAGE_PROXY", hide_env = true,
        value_parser = proxy)]
    #[serde(skip)]
    pub(crate) proxy: Option<Proxy>,
    /// Ask this name server
    #[arg(long, value_name = "IP:PORT", env = "RUMMAGE_DNS", hide_env = true)]
    pub(crate) dns: Option<SocketAddr>,
    /// Connect there for this host; HOST may have a port, and `*` in it (repeatable)
    #[arg(long, value_name = "HOST=IP:PORT", env = "RUMMAGE_CONNECT", hide_env = true,
        value_delimiter = ' ', value_parser = connect)]
    pub(crate) connect: Vec<Connect>,
    /// Trust the certificates in this PEM file too (repeatable)
    #[arg(long, value_name = "FILE", env = "RUMMAGE_CA_CERT", hide_env = true)]
    pub(crate) ca_cert: Vec<PathBuf>,
    /// Ask private addresses even when the start is a public one
    #[arg(long, env = "RUMMAGE_ALLOW_PRIVATE", hide_env = true)]
    pub(crate) allow_private: bool,
}

/// What to do with externals.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum ExternalsChoice {
    /// Ask them
    Check,
    /// Only note them
    Note,
}

/// Where fragments are checked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum FragmentsChoice {
    /// On the site's own pages
    Internal,
    /// On other pages as well, which are read to their end
    All,
    /// Nowhere
    None,
}

impl Asking {
    /// What was given now, and for the rest what was given to the run that goes on.
    pub(crate) fn or(self, earlier: Asking) -> Asking {
        let list = |own: Vec<String>, earlier| if own.is_empty() { earlier } else { own };
        Asking {
            externals: self.externals.or(earlier.externals),
            depth: self.depth.or(earlier.depth),
            max_pages: self.max_pages.or(earlier.max_pages),
            within: if self.within.is_empty() { earlier.within } else { self.within },
            ask_elements: list(self.ask_elements, earlier.ask_elements),
            robots: self.robots.or(earlier.robots),
            sitemap: self.sitemap.or(earlier.sitemap),
            query: self.query.or(earlier.query),
            max_size: self.max_size.or(earlier.max_size),
            exclude: list(self.exclude, earlier.exclude),
            include: list(self.include, earlier.include),
            concurrency: self.concurrency.or(earlier.concurrency),
            per_host: self.per_host.or(earlier.per_host),
            rate: self.rate.or(earlier.rate),
            gentle: self.gentle || earlier.gentle,
            fragments: self.fragments.or(earlier.fragments),
            hops: self.hops.or(earlier.hops),
            user: self.user.or(earlier.user),
            proxy: self.proxy,
            timeout: self.timeout.or(earlier.timeout),
            attempts: self.attempts.or(earlier.attempts),
            user_agent: self.user_agent.or(earlier.user_agent),
            header: self.header,
            dns: self.dns.or(earlier.dns),
            connect: if self.connect.is_empty() { earlier.connect } else { self.connect },
            ca_cert: if self.ca_cert.is_empty() { earlier.ca_cert } else { self.ca_cert },
            allow_private: self.allow_private || earlier.allow_private,
        }
    }
}
