//! Who is responsible for which pages: a text file, or the top folders of a site.

use std::collections::BTreeSet;
use std::path::Path;

use rummage_core::findings::portion::Portion;
use rummage_core::url::pattern::Pattern;
use toml_edit::DocumentMut;

use crate::failure::Failure;

/// The name of the part that no one is named for, and of pages in no folder.
const REST: &str = "rest";
const NO_FOLDER: &str = "top";

/// A site with more folders has no list of owners in them.
pub(crate) const MOST_FOLDERS: usize = 200;

/// A line of the file. The first pattern that matches a page decides.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Route {
    pattern: String,
    owner: String,
}

/// A part of the pages, for a file of its own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Part {
    /// As part of the name of the file.
    pub(crate) file: String,
    /// In words.
    pub(crate) name: String,
    pub(crate) pages: Portion,
}

/// Reads a file with lines such as `"/news/*" = "Ann"`.
pub(crate) fn read(file: &Path) -> Result<Vec<Route>, Failure> {
    let name = rummage_view::safe(&file.display().to_string()).to_string();
    let wrong = |why: &str| Failure::Usage {
        what: format!("cannot use --route {name}: {why}"),
        hint: "Write a line for each pattern of pages: \"/news/*\" = \"Ann\"".to_owned(),
    };
    let text = std::fs::read_to_string(file).map_err(|error| wrong(&error.to_string()))?;
    parse(&text).map_err(|why| wrong(why.trim_end()))
}

fn parse(text: &str) -> Result<Vec<Route>, String> {
    let document: DocumentMut = text.parse().map_err(|error| format!("{error}"))?;
    let mut routes: Vec<Route> = Vec::new();
    for (pattern, value) in document.iter() {
        let owner = value.as_str().map(str::trim).filter(|owner| !for_file(owner).is_empty());
        let owner = owner.ok_or_else(|| format!("\"{pattern}\" names no owner"))?;
        let name = for_file(owner);
        if name == REST {
            return Err(format!("\"{owner}\" is the name for all other pages"));
        }
        let is_other = |known: &&Route| known.owner != owner && for_file(&known.owner) == name;
        if let Some(other) = routes.iter().find(is_other) {
            return Err(format!("\"{}\" and \"{owner}\" would share a file", other.owner));
        }
        routes.push(Route { pattern: pattern.to_owned(), owner: owner.to_owned() });
    }
    if routes.is_empty() {
        return Err("it names no owner".to_owned());
    }
    Ok(routes)
}

/// The pages of each owner, and all other pages.
pub(crate) fn of_owners(routes: &[Route]) -> Vec<Part> {
    let portion = |owner: Option<&str>| Portion::Routed {
        routes: routes
            .iter()
            .map(|route| (Pattern::new(&route.pattern), owner == Some(route.owner.as_str())))
            .collect(),
        rest: owner.is_none(),
    };
    let mut parts: Vec<Part> = Vec::new();
    for route in routes {
        let file = for_file(&route.owner);
        if !parts.iter().any(|known| known.file == file) {
            let pages = portion(Some(&route.owner));
            parts.push(Part { file, name: route.owner.clone(), pages });
        }
    }
    let name = "no named owner".to_owned();
    parts.push(Part { file: REST.to_owned(), name, pages: portion(None) });
    parts
}

/// The pages of each top folder.
pub(crate) fn of_folders(folders: BTreeSet<String>) -> Vec<Part> {
    let mut parts: Vec<Part> = Vec::new();
    for folder in folders {
        let plain = match for_file(&folder) {
            _ if folder.is_empty() => NO_FOLDER.to_owned(),
            name if name.is_empty() => "folder".to_owned(),
            name => name,
        };
        let is_taken = |name: &str| parts.iter().any(|known| known.file == name);
        let names = std::iter::once(plain.clone());
        let mut names = names.chain((2..).map(|number| format!("{plain}-{number}")));
        let file = names.find(|name| !is_taken(name)).expect("there is always another number");
        let name = match folder.as_str() {
            "" => "no folder".to_owned(),
            folder => format!("/{folder}/"),
        };
        parts.push(Part { file, name, pages: Portion::Folder(folder) });
    }
    parts
}

/// A name as part of the name of a file: words in lower case, with hyphens between them.
fn for_file(name: &str) -> String {
    let words = name.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty());
    words.map(str::to_lowercase).collect::<Vec<_>>().join("-")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_owner_has_one_file_in_the_order_of_the_text() {
        let text = "\"/b/*\" = \"Ann Lee\"\n\"/a/*\" = \"Ben\"\n\"/c/*\" = \"Ann Lee\"\n";
        let parts = of_owners(&parse(text).expect("it is valid"));
        let names: Vec<(&str, &str)> =
            parts.iter().map(|part| (&*part.file, &*part.name)).collect();
        let expected = [("ann-lee", "Ann Lee"), ("ben", "Ben"), ("rest", "no named owner")];
        assert_eq!(names, expected);
        let owners = |page: &str| -> Vec<&str> {
            let own = parts.iter().filter(|part| part.pages.takes(page));
            own.map(|part| part.file.as_str()).collect()
        };
        assert_eq!(owners("http://a.test/c/1"), ["ann-lee"]);
        assert_eq!(owners("http://a.test/a/1"), ["ben"]);
        assert_eq!(owners("http://a.test/"), ["rest"]);
    }

    #[test]
    fn what_cannot_be_routed_is_an_error() {
        for (text, why) in [
            ("", "it names no owner"),
            ("\"/a\" = 7", "\"/a\" names no owner"),
            ("\"/a\" = \"/\"", "\"/a\" names no owner"),
            ("\"/a\" = \"Rest\"", "\"Rest\" is the name for all other pages"),
            ("\"/a\" = \"A B\"\n\"/b\" = \"a-b\"", "\"A B\" and \"a-b\" would share a file"),
        ] {
            assert_eq!(parse(text), Err(why.to_owned()), "{text}");
        }
        assert!(parse("/a = x").is_err_and(|why| why.contains("line 1")));
    }

    #[test]
    fn folders_have_names_of_their_own() {
        let folders = ["", "news", "News!", "top", "%"].map(str::to_owned);
        let mut names: Vec<String> =
            of_folders(folders.into()).into_iter().map(|part| part.file).collect();
        names.sort_unstable();
        assert_eq!(names, ["folder", "news", "news-2", "top", "top-2"]);
    }
}
