//! From a settings file with many sites to a settings file for each.

use std::path::Path;

use rummage_fleet::sites::SiteSettings;
use toml_edit::{DocumentMut, Item, Table};

use crate::args::CheckOptions;
use crate::config::Config;
use crate::failure::Failure;
use crate::{start, urls, waivers};

/// The sites in a settings file, each with the defaults, and the waivers beside the file.
pub(crate) fn of(path: &Path) -> Result<Vec<SiteSettings>, Failure> {
    let config = Config::load(Some(path))?;
    let unreadable = |reason: std::io::Error| Failure::Usage {
        what: format!("cannot read {}: {reason}", path.display()),
        hint: "Check its name and permissions.".to_owned(),
    };
    let text = std::fs::read_to_string(path).map_err(unreadable)?;
    let document: DocumentMut = text.parse().expect("the same text was parsed before");
    // Parsed, so that what is wrong with it is reported now.
    let waived = waivers::File::load(&config, path)?;
    let waivers = std::fs::read_to_string(&waived.path).ok();
    let mut sites = Vec::new();
    for name in config.sites.keys() {
        check(&config, name, path)?;
        sites.push(SiteSettings {
            name: name.clone(),
            settings: alone(&document, name),
            waivers: waivers.clone(),
        });
    }
    if sites.is_empty() {
        return Err(Failure::Usage {
            what: format!("{} has no site", path.display()),
            hint: "Add a section such as [site.museum] with a start.".to_owned(),
        });
    }
    Ok(sites)
}

/// A site with default settings.
pub(crate) fn new(name: &str, url: &str) -> Result<SiteSettings, Failure> {
    urls::candidates(url)?;
    let mut section = Table::new();
    section.insert("start", toml_edit::value(url));
    let mut site = Table::new();
    site.set_implicit(true);
    site.insert(name, Item::Table(section));
    let mut document = DocumentMut::new();
    document.insert("site", Item::Table(site));
    Ok(SiteSettings { name: name.to_owned(), settings: document.to_string(), waivers: None })
}

/// Checks what would not work on another machine.
fn check(config: &Config, name: &str, path: &Path) -> Result<(), Failure> {
    let wrong = |what: String, hint: &str| Failure::Usage {
        what: format!("[site.{name}] in {}: {what}", path.display()),
        hint: hint.to_owned(),
    };
    let start = start::resolve(None, None, config, Some(name))?;
    if urls::is_folder(&start.text) {
        return Err(wrong(
            "the site is a folder, which other machines do not have".to_owned(),
            "Give the URL at which it is published as start.",
        ));
    }
    let CheckOptions { ca_cert, robots, .. } = config.settings(Some(name)).options;
    let file = robots.filter(|robots| !matches!(robots.as_str(), "obey" | "ignore"));
    let files = ca_cert.into_iter().chain(file.map(Into::into));
    match files.into_iter().find(|file| !file.is_absolute()) {
        None => Ok(()),
        Some(file) => Err(wrong(
            format!("{} is relative to this file, which workers do not have", file.display()),
            "Give an absolute path, and put the file there on every machine.",
        )),
    }
}

/// The settings file with one of its sites alone; comments inside of sections stay.
fn alone(document: &DocumentMut, name: &str) -> String {
    let mut alone = document.clone();
    if let Some(sites) = alone.get_mut("site").and_then(Item::as_table_like_mut) {
        let others: Vec<String> =
            sites.iter().map(|(other, _)| other.to_owned()).filter(|other| other != name).collect();
        for other in others {
            sites.remove(&other);
        }
    }
    alone.to_string()
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn each_site_gets_a_file_of_its_own_with_the_defaults() {
        let folder = tempfile::TempDir::new().unwrap();
        let path = folder.path().join("rummage.toml");
        let text = "[defaults]\nhops = 9\n\n# The first.\n[site.a]\nstart = \"a.test\"\n\n\
                    [site.\"b c\"]\nstart = \"b.test\"\n[[site.\"b c\".expect]]\n\
                    target = \"/x\"\nstatus = 410\n";
        std::fs::write(&path, text).unwrap();
        std::fs::write(folder.path().join("waivers.toml"), "# none\n").unwrap();
        let sites = of(&path).unwrap();
        let names: Vec<&str> = sites.iter().map(|site| site.name.as_str()).collect();
        assert_eq!(names, ["a", "b c"]);
        assert_eq!(sites[0].waivers.as_deref(), Some("# none\n"));
        for site in &sites {
            let config = Config::parse(path.clone(), &site.settings).unwrap();
            assert_eq!(config.sites.keys().collect::<Vec<_>>(), [&site.name]);
            assert_eq!(config.settings(Some(&site.name)).options.hops, Some(9));
        }
        let second = Config::parse(path.clone(), &sites[1].settings).unwrap();
        assert_eq!(second.settings(Some("b c")).own.expect.len(), 1);
        // The same file gives the same texts: nothing has changed.
        assert_eq!(of(&path).unwrap(), sites);
    }

    #[test]
    fn what_other_machines_do_not_have_is_refused() {
        let folder = tempfile::TempDir::new().unwrap();
        let path = folder.path().join("rummage.toml");
        for (text, what) in [
            ("[defaults]\n", "has no site"),
            ("[site.a]\nstart = \"./public\"\n", "a folder"),
            ("[site.a]\nhops = 9\n", "no start URL"),
        ] {
            std::fs::write(&path, text).unwrap();
            let failure = of(&path).unwrap_err().to_string();
            assert!(failure.contains(what), "{failure}");
        }
    }

    #[test]
    fn a_new_site_has_a_name_of_any_kind() {
        let site = new("b c.\"d\"", "www.a.test").unwrap();
        let config = Config::parse("rummage.toml".into(), &site.settings).unwrap();
        assert_eq!(config.sites["b c.\"d\""].own.start.as_deref(), Some("www.a.test"));
        assert!(new("a", "not a url").is_err());
    }
}
