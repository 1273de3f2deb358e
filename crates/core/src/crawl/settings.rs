//! What a person may set about a crawl, as the core needs it.

use std::time::Duration;

use crate::pattern::Pattern;
use crate::retry::Retry;

/// What is done with addresses outside the site.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Externals {
    /// They are asked.
    #[default]
    Check,
    /// They are noted, not asked.
    Note,
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
}

impl Default for Settings {
    fn default() -> Settings {
        Settings {
            externals: Externals::Check,
            depth: None,
            max_pages: None,
            exclude: Vec::new(),
            include: Vec::new(),
            concurrency: 64,
            per_host: None,
            interval: None,
            retry: Retry { attempts: 3, timeout: Duration::from_secs(20) },
            hops: 20,
        }
    }
}

impl Settings {
    /// Whether a rule leaves this address out.
    #[must_use]
    pub fn excludes(&self, address: &str) -> bool {
        let fits = |patterns: &[Pattern]| patterns.iter().any(|pattern| pattern.matches(address));
        fits(&self.exclude) && !fits(&self.include)
    }
}
