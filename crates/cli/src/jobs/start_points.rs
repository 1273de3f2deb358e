//! Where a job starts: a URL, several, a sitemap, or a folder of built pages.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use rummage_core::crawl::{RobotsRule, Settings, SitemapRule};
use rummage_core::url::scope::{Bounds, Prefix};
use rummage_engine::{Config, Folder, LocalFiles};
use url::Url;

use crate::args::CheckOptions;
use crate::failure::Failure;
use crate::{folder_site, urls};

/// Where a job starts, and which local files it uses.
#[derive(Default)]
pub(crate) struct StartPoints {
    /// The URLs to try, in order: the first that responds is the start URL.
    pub(crate) starts: Vec<Url>,
    also: Vec<Url>,
    /// The http URL that is not tried after https, because credentials are sent.
    pub(crate) only_https: Option<Url>,
    /// The URL of the sitemap, if the start is one.
    sitemap: Option<Url>,
    folder: Option<Arc<Folder>>,
}

impl StartPoints {
    /// Resolves START.
    pub(crate) fn of(given_start: &str, options: &CheckOptions) -> Result<StartPoints, Failure> {
        let mut start_points = StartPoints::alone(given_start, options)?;
        for more in &options.also {
            if urls::is_folder(more) {
                return Err(Failure::Usage {
                    what: format!("{more} is a folder, so it must be the only START"),
                    hint: "Crawl a folder on its own: rummage crawl ./public".to_owned(),
                });
            }
            // A host name without a scheme gets the scheme of the first start URL.
            let candidates = urls::candidates(more)?;
            let scheme = start_points.starts[0].scheme();
            let same = candidates.iter().find(|url| url.scheme() == scheme);
            start_points.also.push(same.unwrap_or(&candidates[0]).clone());
        }
        Ok(start_points)
    }

    fn alone(given_start: &str, options: &CheckOptions) -> Result<StartPoints, Failure> {
        if let Some(folder) = folder(given_start, options)? {
            if folder.file(folder.base()).is_none() {
                return Err(Failure::Usage {
                    what: format!("there is no index.html in {given_start}"),
                    hint:
                        "Give the folder that contains the home page, such as ./public. Symbolic \
                           links out of the folder are not followed."
                            .to_owned(),
                });
            }
            let starts = vec![folder.base().clone()];
            let folder = Some(Arc::new(folder));
            return Ok(StartPoints { starts, folder, ..StartPoints::default() });
        }
        if options.at.is_some() || options.tidy_paths == Some(true) {
            return Err(Failure::Usage {
                what: format!(
                    "{given_start} is not a folder; --as and --tidy-paths are only for folders"
                ),
                hint: "Give a folder of built pages: rummage crawl ./public --as \
                       https://www.example.test/"
                    .to_owned(),
            });
        }
        let mut starts = urls::candidates(given_start)?;
        let mut only_https = None;
        if options.has_credentials() && starts.len() > 1 {
            // No secret goes over http because https has failed.
            only_https = starts.pop();
        }
        let mut sitemap = None;
        if starts.iter().all(names_sitemap) {
            sitemap = Some(starts[0].clone());
            for start in &mut starts {
                start.set_path("/");
                start.set_query(None);
            }
        }
        Ok(StartPoints { starts, only_https, sitemap, ..StartPoints::default() })
    }

    /// The name of the site, if it is read from a folder.
    pub(crate) fn site(&self, given_start: &str) -> Option<String> {
        let folder = self.folder.as_ref()?;
        Some(folder_site::name(&urls::host(folder.base()), Path::new(given_start)))
    }

    /// The URL that the user named, with the scheme that is tried first.
    pub(crate) fn named(&self) -> &[Url] {
        &self.starts[..1]
    }

    /// A message about a start URL that was not given as such.
    pub(crate) fn explained(&self, given_start: &str) -> Option<String> {
        if let Some(sitemap) = &self.sitemap {
            return Some(format!("{sitemap} is a sitemap; the crawl starts at {}", self.starts[0]));
        }
        let folder = self.folder.as_ref()?;
        let is_test_url = folder.base().host_str().is_some_and(|host| host.ends_with(".invalid"));
        is_test_url.then(|| {
            format!(
                "{} stands for {given_start}. With --as URL, links to the URL where it will be published \
                 are looked up in the folder",
                folder.base()
            )
        })
    }

    /// The URL at which a folder will be published, or at which a sitemap's site starts.
    pub(crate) fn known_as(&self) -> Option<String> {
        let is_other = self.folder.is_some() || self.sitemap.is_some();
        is_other.then(|| self.starts[0].to_string())
    }

    /// Adds what the core and the engine need to know.
    pub(crate) fn apply(&self, settings: &mut Settings, fetching: &mut Config) {
        settings.also.clone_from(&self.also);
        for more in &self.also {
            settings.within.extend(hosts_of(more, &self.starts[0]));
        }
        if let Some(sitemap) = &self.sitemap
            && settings.sitemap == SitemapRule::Auto
        {
            settings.sitemap = SitemapRule::At(sitemap.clone());
        }
        if let Some(folder) = &self.folder {
            // Its robots.txt would be outside the folder, on a host that may not be live yet.
            if folder.base().path() != "/" && settings.robots == RobotsRule::Obey {
                settings.robots = RobotsRule::Ignore;
            }
            settings.listed = folder.pages();
            fetching.local_files = LocalFiles::of_folder(Arc::clone(folder));
        }
    }
}

/// The folder, if START names one.
pub(crate) fn folder(given_start: &str, options: &CheckOptions) -> Result<Option<Folder>, Failure> {
    if !urls::is_folder(given_start) {
        return Ok(None);
    }
    let path = PathBuf::from(given_start);
    if path.is_file() {
        return Err(Failure::Usage {
            what: format!("{given_start} is a file, not a site or folder"),
            hint: format!(
                "For the links on one page: rummage page {given_start} --as URL; for the URLs \
                 in a list: rummage probe {given_start}"
            ),
        });
    }
    let base = match &options.at {
        Some(at) => urls::published_at(at)?,
        None => stand_in(&path),
    };
    let folder =
        Folder::open(&path, &base, options.tidy_paths == Some(true)).map_err(|reason| {
            Failure::Usage {
                what: format!("cannot read the folder {given_start}: {reason}"),
                hint: "Give a folder of built pages, such as ./public.".to_owned(),
            }
        })?;
    Ok(Some(folder))
}

/// A URL for a folder without --as: a host name that never exists (RFC 2606 §2), after the name
/// of the folder.
fn stand_in(path: &Path) -> Url {
    let whole = std::path::absolute(path).unwrap_or_default();
    let name = whole.file_name().map(|name| name.to_string_lossy().to_lowercase());
    let name: String = name
        .unwrap_or_default()
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() { c } else { '-' })
        .collect();
    let name = name.trim_matches('-');
    let name = if name.is_empty() { "folder" } else { name };
    Url::parse(&format!("http://{name}.invalid/")).expect("letters, digits and hyphens are a host")
}

/// Whether a URL names a sitemap, by its extension.
fn names_sitemap(url: &Url) -> bool {
    let path = url.path().to_ascii_lowercase();
    path.ends_with(".xml") || path.ends_with(".xml.gz")
}

/// The host of a further start URL and its `www.` or bare twin, if the first does not cover them.
fn hosts_of(more: &Url, first: &Url) -> Vec<Prefix> {
    if Bounds::around(first, &[]).is_own(more) {
        return Vec::new();
    }
    Prefix::all_of(more)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn a_folder_without_a_url_gets_a_reserved_host_name() {
        assert_eq!(stand_in(Path::new("/srv/Our Site")).as_str(), "http://our-site.invalid/");
        assert_eq!(stand_in(Path::new("/")).as_str(), "http://folder.invalid/");
    }

    #[test]
    fn a_sitemap_as_start_is_recognized_by_its_extension() {
        let options = CheckOptions::default();
        let start_points = StartPoints::of("https://a.test/maps/all.xml.gz", &options).unwrap();
        assert_eq!(start_points.starts[0].as_str(), "https://a.test/");
        assert_eq!(start_points.sitemap.unwrap().as_str(), "https://a.test/maps/all.xml.gz");
        assert_eq!(StartPoints::of("https://a.test/x.html", &options).unwrap().sitemap, None);
    }

    #[test]
    fn further_start_urls_widen_the_bounds_only_where_necessary() {
        let options = CheckOptions {
            also: vec!["a.test/b".to_owned(), "shop.test".to_owned()],
            ..CheckOptions::default()
        };
        let start_points = StartPoints::of("https://www.a.test/", &options).unwrap();
        let also: Vec<&str> = start_points.also.iter().map(Url::as_str).collect();
        assert_eq!(also, ["https://a.test/b", "https://shop.test/"]);
        let within = |url: &str| hosts_of(&Url::parse(url).unwrap(), &start_points.starts[0]).len();
        assert_eq!((within("https://a.test/b"), within("https://shop.test/")), (0, 2));
    }
}
