//! The name of a site that is read from a folder: `www.example.test from /srv/public`.
//!
//! A preview has a history of its own. What is broken in a folder is not broken on the live site,
//! and the other way round.

use std::path::Path;

use rummage_store::FROM_FOLDER;

/// The name of the site that a folder will be published as.
pub(crate) fn name(host: &str, folder: &Path) -> String {
    let whole = std::path::absolute(folder).unwrap_or_else(|_| folder.to_owned());
    format!("{host}{FROM_FOLDER}{}", whole.display())
}

/// The host of a site, whether it is read from a folder or not.
pub(crate) fn host(site: &str) -> &str {
    site.split_once(FROM_FOLDER).map_or(site, |(host, _)| host)
}

/// The folder of a site, if it is read from one.
pub(crate) fn folder(site: &str) -> Option<&Path> {
    site.split_once(FROM_FOLDER).map(|(_, folder)| Path::new(folder))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_has_both_parts() {
        let name = name("a.test:8080", Path::new("/srv/public from us"));
        assert_eq!(name, "a.test:8080 from /srv/public from us");
        assert_eq!(host(&name), "a.test:8080");
        assert_eq!(folder(&name), Some(Path::new("/srv/public from us")));
        assert_eq!((host("a.test"), folder("a.test")), ("a.test", None));
    }
}
