//! The settings of a crawl, as the core needs them.

use std::time::Duration;

use url::Url;

use crate::crawl::retry::Retry;
use crate::extract::elements::Element;
use crate::extract::robots_txt::Robots;
use crate::url::pattern::Pattern;
use crate::url::query::QueryRule;
use crate::url::scope::Prefix;

/// What to do with external URLs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Externals {
    /// Check them.
    #[default]
    Check,
    /// Note them without a request.
    Note,
}

/// Which robots.txt rules apply.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum RobotsRule {
    /// Those of each host of the site.
    #[default]
    Obey,
    /// None.
    Ignore,
    /// These instead.
    Given(Robots),
}

/// Which sitemaps are used.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum SitemapRule {
    /// Those named in robots.txt, else `/sitemap.xml`.
    #[default]
    Auto,
    /// None.
    None,
    /// Only those that lists and pages name.
    Named,
    /// The one at this URL.
    At(Url),
}

/// Which fragments are checked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Fragments {
    /// Those of internal pages.
    #[default]
    Internal,
    /// Those of external pages as well, which are read in full.
    All,
    /// None.
    None,
}

/// How many URLs a crawl knows at most by default.
pub const MOST_URLS: usize = 500_000;

/// Three weeks, unless set: certificates that are renewed automatically are renewed a month before
/// they end.
const CERTIFICATE_ENDS: Duration = Duration::from_secs(21 * 86_400);

/// The settings of a crawl.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Settings {
    /// What to do with external URLs.
    pub externals: Externals,
    /// Deeper pages are requested, but not parsed. `None` for no limit.
    pub depth: Option<u32>,
    /// How many pages are parsed, by rank. `None` for no limit.
    pub max_pages: Option<u32>,
    /// When this many URLs are known, no more pages are parsed.
    pub max_urls: usize,
    /// The prefixes to parse; empty for the whole site.
    pub within: Vec<Prefix>,
    /// Which robots.txt rules apply.
    pub robots: RobotsRule,
    /// Which sitemaps are used.
    pub sitemap: SitemapRule,
    /// The start URLs are lists of URLs: there is no site, and every entry is checked.
    pub lists: bool,
    /// Further start URLs, which are crawled like the first one if they are within the bounds.
    pub also: Vec<Url>,
    /// Pages that are known to exist, whether links lead to them or not, each with all its URLs.
    /// Those without links to them are parsed last.
    pub listed: Vec<Vec<Url>>,
    /// What to do with the query strings of internal URLs.
    pub query: QueryRule,
    /// Elements whose URLs are checked; empty for all. Pages of the site are crawled all the
    /// same.
    pub check_elements: Vec<Element>,
    /// URLs to skip.
    pub exclude: Vec<Pattern>,
    /// URLs to check although they are excluded.
    pub include: Vec<Pattern>,
    /// Requests in flight in total. At least 1.
    pub concurrency: u32,
    /// Requests in flight to one server. `None` to adapt to the server.
    pub per_host: Option<u32>,
    /// Minimum time between two requests to one server.
    pub interval: Option<Duration>,
    /// When failures are retried.
    pub retry: Retry,
    /// How many redirects of a chain are followed.
    pub hops: u32,
    /// Which fragments are checked.
    pub fragments: Fragments,
    /// One request at a time, at most one a second, to each server.
    pub gentle: bool,
    /// The status that URLs are expected to have; the first pattern that matches counts.
    pub expected: Vec<(Pattern, u16)>,
    /// Credentials or cookies are given, so URLs that may change something are not requested.
    pub has_credentials: bool,
    /// Certificates of the site's hosts that end within this time are noted.
    pub certificate_ends: Duration,
    /// Requests to other machines go through a proxy.
    pub proxied: bool,
    /// All requests use GET, which is more reliable: for rechecks.
    pub by_get: bool,
}

impl Default for Settings {
    fn default() -> Settings {
        Settings {
            externals: Externals::Check,
            depth: None,
            max_pages: None,
            max_urls: MOST_URLS,
            within: Vec::new(),
            robots: RobotsRule::Obey,
            sitemap: SitemapRule::Auto,
            lists: false,
            also: Vec::new(),
            listed: Vec::new(),
            query: QueryRule::Keep,
            check_elements: Vec::new(),
            exclude: Vec::new(),
            include: Vec::new(),
            concurrency: 64,
            per_host: None,
            interval: None,
            retry: Retry { attempts: 3, timeout: Duration::from_secs(20) },
            hops: 20,
            fragments: Fragments::Internal,
            gentle: false,
            expected: Vec::new(),
            has_credentials: false,
            certificate_ends: CERTIFICATE_ENDS,
            proxied: false,
            by_get: false,
        }
    }
}

impl Settings {
    /// The status that a URL is expected to have, if any.
    #[must_use]
    pub fn expects(&self, url: &str) -> Option<u16> {
        self.expected.iter().find(|(pattern, _)| pattern.matches(url)).map(|(_, status)| *status)
    }

    /// Whether this sitemap was given by URL.
    #[must_use]
    pub fn names_sitemap(&self, url: &str) -> bool {
        match &self.sitemap {
            SitemapRule::At(given) => given.as_str() == url,
            SitemapRule::Auto | SitemapRule::None | SitemapRule::Named => false,
        }
    }

    /// Whether a rule excludes this URL.
    #[must_use]
    pub fn excludes(&self, url: &str) -> bool {
        fits(&self.exclude, url) && !self.includes(url)
    }

    /// Whether a rule includes this URL although it is excluded.
    #[must_use]
    pub fn includes(&self, url: &str) -> bool {
        fits(&self.include, url)
    }
}

/// Parts of URLs that change something when they are requested, in lower case.
const ACTS: &[&str] = &[
    "logout",
    "log-out",
    "log_out",
    "logoff",
    "signout",
    "sign-out",
    "sign_out",
    "delete",
    "remove",
    "unsubscribe",
    "add-to-cart",
    "add_to_cart",
    "addtocart",
];

/// Whether requesting a URL may change something.
pub(super) fn acts(url: &str) -> bool {
    let path = crate::url::reference::path_of(url).to_ascii_lowercase();
    ACTS.iter().any(|act| path.contains(act))
}

fn fits(patterns: &[Pattern], url: &str) -> bool {
    patterns.iter().any(|pattern| pattern.matches(url))
}
