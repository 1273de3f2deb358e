//! Where a pass begins: a web address, several, a sitemap, or a folder of built pages.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use rummage_core::crawl::{Settings, SitemapRule};
use rummage_core::url::scope::{Bounds, Prefix};
use rummage_engine::{Config, Folder, Shelf};
use url::Url;

use crate::args::Asking;
use crate::failure::Failure;
use crate::urls;

/// Where a pass begins, and what is at hand there.
pub(crate) struct Beginning {
    /// The addresses to try, in their order: the first one that answers is the start.
    pub(crate) starts: Vec<Url>,
    also: Vec<Url>,
    /// The start is a sitemap: its address.
    sitemap: Option<Url>,
    folder: Option<Arc<Folder>>,
}

impl Beginning {
    /// Finds out where to begin.
    pub(crate) fn of(asked_for: &str, asking: &Asking) -> Result<Beginning, Failure> {
        let mut beginning = Beginning::alone(asked_for, asking)?;
        for more in &asking.also {
            if urls::is_folder(more) {
                return Err(Failure::Usage {
                    what: format!("{more} is a folder, and not the only start"),
                    hint: "Check a folder in a run of its own: rummage crawl ./public".to_owned(),
                });
            }
            // A host name without a scheme is asked as the first start is.
            let candidates = urls::candidates(more)?;
            let scheme = beginning.starts[0].scheme();
            let same = candidates.iter().find(|url| url.scheme() == scheme);
            beginning.also.push(same.unwrap_or(&candidates[0]).clone());
        }
        Ok(beginning)
    }

    fn alone(asked_for: &str, asking: &Asking) -> Result<Beginning, Failure> {
        if let Some(folder) = folder(asked_for, asking)? {
            if folder.file(folder.base()).is_none() {
                return Err(Failure::Usage {
                    what: format!("there is no index.html in {asked_for}, where a visitor begins"),
                    hint: "Name the folder that has the home page, such as ./public.".to_owned(),
                });
            }
            let starts = vec![folder.base().clone()];
            let folder = Some(Arc::new(folder));
            return Ok(Beginning { starts, also: Vec::new(), sitemap: None, folder });
        }
        if asking.at.is_some() || asking.tidy_paths == Some(true) {
            return Err(Failure::Usage {
                what: format!(
                    "{asked_for} is no folder here, and --as and --tidy-paths are for folders"
                ),
                hint: "Name the folder of built pages: rummage crawl ./public --as \
                       https://www.example.test/"
                    .to_owned(),
            });
        }
        let mut starts = urls::candidates(asked_for)?;
        let mut sitemap = None;
        if starts.iter().all(names_sitemap) {
            sitemap = Some(starts[0].clone());
            for start in &mut starts {
                start.set_path("/");
                start.set_query(None);
            }
        }
        Ok(Beginning { starts, also: Vec::new(), sitemap, folder: None })
    }

    /// The start, as it is asked: what a person should know of it.
    pub(crate) fn explained(&self, asked_for: &str) -> Option<String> {
        if let Some(sitemap) = &self.sitemap {
            return Some(format!(
                "{sitemap} is taken as a sitemap; the walk begins at {}",
                self.starts[0]
            ));
        }
        let folder = self.folder.as_ref()?;
        let is_made_up = folder.base().host_str().is_some_and(|host| host.ends_with(".invalid"));
        is_made_up.then(|| {
            format!(
                "{} stands for {asked_for}: say where it will live by --as, and links to that \
                 place lead into the folder",
                folder.base()
            )
        })
    }

    /// Where a folder lives, or a sitemap's site begins.
    pub(crate) fn known_as(&self) -> Option<String> {
        let is_other = self.folder.is_some() || self.sitemap.is_some();
        is_other.then(|| self.starts[0].to_string())
    }

    /// What the core and the engine are to know of it.
    pub(crate) fn tell(&self, settings: &mut Settings, fetching: &mut Config) {
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
            settings.listed = folder.pages();
            fetching.shelf = Shelf::of_folder(Arc::clone(folder));
        }
    }
}

/// The folder that a start names, if it does.
pub(crate) fn folder(asked_for: &str, asking: &Asking) -> Result<Option<Folder>, Failure> {
    if !urls::is_folder(asked_for) {
        return Ok(None);
    }
    let path = PathBuf::from(asked_for);
    if path.is_file() {
        return Err(Failure::Usage {
            what: format!("{asked_for} is a file, and a crawl walks a site or a folder"),
            hint: format!(
                "For the links of one page: rummage page {asked_for} --as URL; for the addresses \
                 in a list: rummage probe {asked_for}"
            ),
        });
    }
    let base = match &asking.at {
        Some(at) => urls::url(at)?,
        None => stand_in(&path),
    };
    let folder = Folder::open(&path, &base, asking.tidy_paths == Some(true)).map_err(|why| {
        Failure::Usage {
            what: format!("the folder {asked_for} cannot be read: {why}"),
            hint: "Name the folder of built pages, such as ./public.".to_owned(),
        }
    })?;
    Ok(Some(folder))
}

/// Where a folder lives whose place nobody has said: a name that never exists (RFC 2606
/// §2), after that of the folder.
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

/// Whether an address names a sitemap, by its ending.
fn names_sitemap(url: &Url) -> bool {
    let path = url.path().to_ascii_lowercase();
    path.ends_with(".xml") || path.ends_with(".xml.gz")
}

/// Another start's host, and its `www.` or bare twin, where they are not those of the first.
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
    fn a_folder_without_a_place_gets_a_name_that_never_exists() {
        assert_eq!(stand_in(Path::new("/srv/Our Site")).as_str(), "http://our-site.invalid/");
        assert_eq!(stand_in(Path::new("/")).as_str(), "http://folder.invalid/");
    }

    #[test]
    fn a_sitemap_as_a_start_is_known_by_its_ending() {
        let asking = Asking::default();
        let beginning = Beginning::of("https://a.test/maps/all.xml.gz", &asking).unwrap();
        assert_eq!(beginning.starts[0].as_str(), "https://a.test/");
        assert_eq!(beginning.sitemap.unwrap().as_str(), "https://a.test/maps/all.xml.gz");
        assert_eq!(Beginning::of("https://a.test/x.html", &asking).unwrap().sitemap, None);
    }

    #[test]
    fn more_starts_widen_the_bounds_only_where_they_must() {
        let asking = Asking {
            also: vec!["a.test/b".to_owned(), "shop.test".to_owned()],
            ..Asking::default()
        };
        let beginning = Beginning::of("https://www.a.test/", &asking).unwrap();
        let also: Vec<&str> = beginning.also.iter().map(Url::as_str).collect();
        assert_eq!(also, ["https://a.test/b", "https://shop.test/"]);
        let within = |url: &str| hosts_of(&Url::parse(url).unwrap(), &beginning.starts[0]).len();
        assert_eq!((within("https://a.test/b"), within("https://shop.test/")), (0, 2));
    }
}
