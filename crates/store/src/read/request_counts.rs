//! What the requests of a run were for.

use std::collections::HashSet;

use rummage_core::crawl::is_test_url;
use rummage_core::extract::reading::Format;

use crate::db::error::StoreError;
use crate::model::{RequestCounts, StoredUrl};
use crate::read::open::OpenRun;
use crate::tables::request_log::for_each_entry;

/// Why the first request for a URL was made.
#[derive(Clone, Copy)]
enum Reason {
    Linked,
    Unlinked,
    RedirectHop,
    Rules,
    TestUrl,
}

impl OpenRun<'_> {
    /// Counts every request of the run once.
    pub(crate) fn request_counts(&self) -> Result<RequestCounts, StoreError> {
        let mut counts = RequestCounts::default();
        let mut seen: Vec<bool> = Vec::new();
        let mut first: Vec<u32> = Vec::new();
        for_each_entry(self.db, self.info.number, |entry| {
            let Some(request) = entry.request.filter(|request| !request.recalled) else { return };
            let at = entry.url as usize;
            if request.purpose.is_side() {
                counts.side += 1;
            } else if request.hop.is_some() {
                counts.redirect_hops += 1;
            } else if seen.get(at) == Some(&true) {
                counts.again += 1;
            } else {
                if seen.len() <= at {
                    seen.resize(at + 1, false);
                }
                seen[at] = true;
                first.push(entry.url);
            }
        })?;
        drop(seen);
        let hops = self.redirect_hops()?;
        let rules = self.rules()?;
        for url in first {
            let reason = self.reason(url, &hops, &rules)?;
            *match reason {
                None => &mut counts.local_files,
                Some(Reason::Linked) => &mut counts.linked,
                Some(Reason::Unlinked) => &mut counts.unlinked,
                Some(Reason::RedirectHop) => &mut counts.redirect_hops,
                Some(Reason::Rules) => &mut counts.rules,
                Some(Reason::TestUrl) => &mut counts.test_urls,
            } += 1;
        }
        Ok(counts)
    }

    /// `None` for a local file, which takes no request. The text of a URL that a link names is
    /// not fetched.
    fn reason(
        &self,
        url: u32,
        hops: &HashSet<u32>,
        rules: &HashSet<u32>,
    ) -> Result<Option<Reason>, StoreError> {
        if rules.contains(&url) {
            return Ok(Some(Reason::Rules));
        }
        if self.url_statuses.of(url).is_some_and(|status| status.linked) {
            return Ok(Some(Reason::Linked));
        }
        let text = self.url(StoredUrl(url))?;
        let name = text.split('?').next().and_then(|path| path.rsplit('/').next());
        let name = name.unwrap_or_default();
        Ok(if text.starts_with("file:") {
            None
        } else if is_test_url(&text) {
            Some(Reason::TestUrl)
        } else if hops.contains(&url) {
            Some(Reason::RedirectHop)
        } else if matches!(name, "robots.txt" | "sitemap.xml") {
            Some(Reason::Rules)
        } else {
            Some(Reason::Unlinked)
        })
    }

    /// URLs that others redirected to.
    fn redirect_hops(&self) -> Result<HashSet<u32>, StoreError> {
        let sql = "SELECT DISTINCT next FROM verdict WHERE run = ?1 AND next IS NOT NULL";
        self.numbers(sql)
    }

    /// The robots.txt files and sitemaps that were parsed.
    fn rules(&self) -> Result<HashSet<u32>, StoreError> {
        let sql = format!(
            "SELECT run_page.address FROM run_page
             JOIN page_version ON page_version.id = run_page.version
             WHERE run = ?1 AND format IN ('{}', '{}')",
            Format::Robots.as_str(),
            Format::Sitemap.as_str()
        );
        self.numbers(&sql)
    }

    fn numbers(&self, sql: &str) -> Result<HashSet<u32>, StoreError> {
        let mut select = self.db.prepare(sql)?;
        let rows = select.query_map([self.info.number], |row| row.get(0))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }
}
