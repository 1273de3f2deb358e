//! A sitemap in XML (sitemaps.org protocol 0.9), in parts if it is past the protocol's limits.
//!
//! Parts are made one after the other; each is a text of at most 50 MB. The caller writes them.

use jiff::Timestamp;
use quick_xml::escape::escape;

/// The limits of the protocol for one file: URLs, and bytes before compression.
const URLS: usize = 50_000;
const BYTES: usize = 52_428_800;

const HEAD: &str = r#"<?xml version="1.0" encoding="UTF-8"?>
<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">
"#;
const TAIL: &str = "</urlset>\n";

/// Collects URLs into parts.
#[derive(Debug)]
pub struct SitemapParts {
    part: String,
    urls: usize,
    /// The limits, which tests make smaller.
    most: (usize, usize),
}

impl Default for SitemapParts {
    fn default() -> SitemapParts {
        SitemapParts { part: HEAD.to_owned(), urls: 0, most: (URLS, BYTES) }
    }
}

impl SitemapParts {
    /// Adds a URL. Returns the part before it if that is full.
    pub fn add(&mut self, url: &str, modified: Option<Timestamp>) -> Option<String> {
        let mut entry = format!("  <url><loc>{}</loc>", escape(url));
        if let Some(modified) = modified {
            // W3C Datetime; seconds are enough.
            entry.push_str(&modified.strftime("<lastmod>%Y-%m-%dT%H:%M:%SZ</lastmod>").to_string());
        }
        entry.push_str("</url>\n");
        let (urls, bytes) = self.most;
        let is_full = self.urls == urls
            || (self.urls > 0 && self.part.len() + entry.len() + TAIL.len() > bytes);
        let full = is_full.then(|| self.take());
        self.part.push_str(&entry);
        self.urls += 1;
        full
    }

    /// The last part.
    #[must_use]
    pub fn finish(mut self) -> String {
        self.take()
    }

    fn take(&mut self) -> String {
        self.urls = 0;
        let mut part = std::mem::replace(&mut self.part, HEAD.to_owned());
        part.push_str(TAIL);
        part
    }
}

/// The index of several parts, by their URLs.
#[must_use]
pub fn sitemap_index(parts: &[String]) -> String {
    let mut index = String::from(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n\
         <sitemapindex xmlns=\"http://www.sitemaps.org/schemas/sitemap/0.9\">\n",
    );
    for url in parts {
        index.push_str(&format!("  <sitemap><loc>{}</loc></sitemap>\n", escape(url.as_str())));
    }
    index.push_str("</sitemapindex>\n");
    index
}

#[cfg(test)]
mod tests {
    use super::*;

    fn parts(most: (usize, usize), urls: &[&str]) -> Vec<String> {
        let mut maker = SitemapParts { most, ..SitemapParts::default() };
        let mut parts: Vec<String> = urls.iter().filter_map(|url| maker.add(url, None)).collect();
        parts.push(maker.finish());
        parts
    }

    #[test]
    fn a_sitemap_has_an_entry_for_each_url() {
        let mut maker = SitemapParts::default();
        assert_eq!(maker.add("https://a.test/?a=1&b=2", None), None);
        assert_eq!(maker.add("https://a.test/", Some(Timestamp::UNIX_EPOCH)), None);
        insta::assert_snapshot!(maker.finish(), @r#"
        <?xml version="1.0" encoding="UTF-8"?>
        <urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">
          <url><loc>https://a.test/?a=1&amp;b=2</loc></url>
          <url><loc>https://a.test/</loc><lastmod>1970-01-01T00:00:00Z</lastmod></url>
        </urlset>
        "#);
    }

    #[test]
    fn no_part_is_past_a_limit_and_no_url_is_lost() {
        let urls = ["https://a.test/1", "https://a.test/2", "https://a.test/3"];
        for (most, expected) in [((3, BYTES), 1), ((2, BYTES), 2), ((1, BYTES), 3), ((9, 1), 3)] {
            let parts = parts(most, &urls);
            assert_eq!(parts.len(), expected, "{most:?}");
            for (number, url) in urls.iter().enumerate() {
                let with: Vec<usize> = (0..parts.len())
                    .filter(|at| parts[*at].contains(&format!(">{url}<")))
                    .collect();
                assert_eq!(with.len(), 1, "{number} of {most:?}");
            }
        }
        let size = HEAD.len() + 2 * "  <url><loc>https://a.test/1</loc></url>\n".len() + TAIL.len();
        assert_eq!(parts((9, size), &urls).iter().map(String::len).max(), Some(size));
        assert_eq!(parts((9, size - 1), &urls).len(), 3);
    }

    #[test]
    fn an_index_names_the_parts() {
        let index = sitemap_index(&["https://a.test/s-1.xml?a&b".to_owned()]);
        assert!(index.contains("<sitemap><loc>https://a.test/s-1.xml?a&amp;b</loc></sitemap>"));
    }
}
