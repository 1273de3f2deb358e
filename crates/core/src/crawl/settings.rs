//! What a person may set about a crawl, as the core needs it.

use std::time::Duration;

use url::Url;

use crate::crawl::retry::Retry;
use crate::extract::elements::Element;
use crate::extract::robots_txt::Robots;
use crate::url::pattern::Pattern;
use crate::url::query::QueryRule;
use crate::url::scope::Prefix;

/// What is done with addresses outside the site.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Externals {
    /// They are asked.
    #[default]
    Check,
    /// They are noted, not asked.
    Note,
}

/// What the rules for robots count.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum RobotsRule {
    /// Those of each host of the site are asked for and kept.
    #[default]
    Obey,
    /// They do not count.
    Ignore,
    /// These count instead.
    Given(Robots),
}

/// Where sitemaps are looked for.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum SitemapRule {
    /// Where robots.txt says, else at `/sitemap.xml`.
    #[default]
    Auto,
    /// Nowhere.
    None,
    /// Only where lists and pages name them.
    Named,
    /// There.
    At(Url),
}

/// Which fragments are checked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Fragments {
    /// Those of the site's own pages.
    #[default]
    Internal,
    /// Those of other pages as well: these are read to their end.
    All,
    /// None.
    None,
}

/// The settings of a crawl.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Settings {
    /// What is done with addresses outside the site.
    pub externals: Externals,
    /// Pages more links away from the start are asked, not read. `None`: no limit.
    pub depth: Option<u32>,
    /// So many pages are read, by rank. `None`: no limit.
    pub max_pages: Option<u32>,
    /// What is read of the site; all of it where there is none.
    pub within: Vec<Prefix>,
    /// What the rules for robots count.
    pub robots: RobotsRule,
    /// Where sitemaps are looked for.
    pub sitemap: SitemapRule,
    /// The starts are lists of addresses: there is no site, and all that they name is asked.
    pub lists: bool,
    /// More starts: they are walked as the first one is, wherever they lie within the bounds.
    pub also: Vec<Url>,
    /// Pages that are known to be there, whether links lead to them or not, each by all
    /// addresses that it has. Those to which no link leads are read in the end.
    pub listed: Vec<Vec<Url>>,
    /// What becomes of the queries of the site's own addresses.
    pub query: QueryRule,
    /// Elements whose addresses are asked; all where there is none. Pages of the
    /// site are walked all the same.
    pub check_elements: Vec<Element>,
    /// Addresses that are left out.
    pub exclude: Vec<Pattern>,
    /// Addresses that are taken back.
    pub include: Vec<Pattern>,
    /// Requests in flight, in all. At least 1.
    pub concurrency: u32,
    /// Requests in flight to one server. `None`: as the server bears.
    pub per_host: Option<u32>,
    /// Least time between two requests to one server.
    pub interval: Option<Duration>,
    /// When failures are asked again.
    pub retry: Retry,
    /// Redirects followed in one chain.
    pub hops: u32,
    /// Which fragments are checked.
    pub fragments: Fragments,
    /// One request at a time, one a second, to any server.
    pub gentle: bool,
    /// The status that addresses are meant to give, where that is no success: the first
    /// pattern that fits counts.
    pub expected: Vec<(Pattern, u16)>,
    /// Credentials or cookies are given: what acts is not asked.
    pub has_credentials: bool,
    /// Requests to other machines go through a proxy.
    pub proxied: bool,
    /// Everything is asked by GET: whoever asks again wants to be sure.
    pub by_get: bool,
}

impl Default for Settings {
    fn default() -> Settings {
        Settings {
            externals: Externals::Check,
            depth: None,
            max_pages: None,
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
            proxied: false,
            by_get: false,
        }
    }
}

impl Settings {
    /// The status that an address is meant to give, if any.
    #[must_use]
    pub fn expects(&self, url: &str) -> Option<u16> {
        self.expected.iter().find(|(pattern, _)| pattern.matches(url)).map(|(_, status)| *status)
    }

    /// Whether this very sitemap was given.
    #[must_use]
    pub fn names_sitemap(&self, url: &str) -> bool {
        match &self.sitemap {
            SitemapRule::At(given) => given.as_str() == url,
            SitemapRule::Auto | SitemapRule::None | SitemapRule::Named => false,
        }
    }

    /// Whether a rule leaves this address out.
    #[must_use]
    pub fn excludes(&self, url: &str) -> bool {
        fits(&self.exclude, url) && !self.includes(url)
    }

    /// Whether a rule takes this address back.
    #[must_use]
    pub fn includes(&self, url: &str) -> bool {
        fits(&self.include, url)
    }
}

/// Parts of addresses that do something when they are asked, in lower case.
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

/// Whether an address names something that is done by asking it.
pub(super) fn acts(url: &str) -> bool {
    let path = crate::url::reference::path_of(url).to_ascii_lowercase();
    ACTS.iter().any(|act| path.contains(act))
}

fn fits(patterns: &[Pattern], url: &str) -> bool {
    patterns.iter().any(|pattern| pattern.matches(url))
}
