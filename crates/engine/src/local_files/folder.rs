//! A folder of built pages, served by a web server's rules: which file is at a URL?
//!
//! - `/x/` is `x/index.html`, else `x/index.htm`, else nothing.
//! - `/x`, if `x` is a folder, redirects to `/x/`.
//! - With tidy paths, `/x` is `x.html` if there is no `x`.
//! - Names are case-sensitive if the file system is. Nothing outside the folder is served,
//!   neither through `..` nor through a symbolic link. Whether the server to come follows such a
//!   link is not known, so what it names is not called missing.

use std::io;
use std::path::{Component, Path, PathBuf};

use percent_encoding::{AsciiSet, CONTROLS, percent_decode_str, utf8_percent_encode};
use rummage_core::url::scope::Bounds;
use url::Url;

/// Index files of folders, in this order.
const INDEXES: [&str; 2] = ["index.html", "index.htm"];
/// Extensions of pages.
const PAGES: [&str; 3] = ["html", "htm", "xhtml"];

/// Characters of file names that are percent-encoded in a path (URL, "path percent-encode set"),
/// and the percent sign itself.
const PATH: &AsciiSet = &CONTROLS
    .add(b' ')
    .add(b'"')
    .add(b'#')
    .add(b'<')
    .add(b'>')
    .add(b'?')
    .add(b'^')
    .add(b'`')
    .add(b'{')
    .add(b'}')
    .add(b'%');

/// A folder, and the URL at which it will be published.
#[derive(Debug)]
pub struct Folder {
    /// The path as given.
    named: PathBuf,
    /// The path without symbolic links.
    root: PathBuf,
    base: Url,
    bounds: Bounds,
    tidy: bool,
}

/// What is at a URL.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum FolderMatch {
    /// A file.
    File(PathBuf),
    /// A redirect to another URL.
    At(String),
    /// A symbolic link that leads out of the folder.
    Out,
    /// Nothing.
    Nothing,
}

impl Folder {
    /// Opens a folder to be published at this URL. `tidy`: pages are named without their
    /// extension.
    ///
    /// # Errors
    /// If it is not a folder, or cannot be read.
    pub fn open(named: &Path, base: &Url, tidy: bool) -> io::Result<Folder> {
        let root = named.canonicalize()?;
        std::fs::read_dir(&root)?;
        let mut base = base.clone();
        base.set_query(None);
        base.set_fragment(None);
        if !base.path().ends_with('/') {
            base.set_path(&format!("{}/", base.path()));
        }
        let bounds = Bounds::around(&base, &[]);
        Ok(Folder { named: named.to_owned(), root, base, bounds, tidy })
    }

    /// The URL at which it will be published.
    #[must_use]
    pub fn base(&self) -> &Url {
        &self.base
    }

    /// Whether a URL belongs to the folder: on the host of its URL, by http or https, below its
    /// path.
    #[must_use]
    pub fn owns(&self, url: &Url) -> bool {
        self.bounds.is_own(url) && url.path().starts_with(self.base.path())
    }

    /// The file at a URL, relative to the path as given.
    #[must_use]
    pub fn file(&self, url: &Url) -> Option<PathBuf> {
        match self.find(url) {
            FolderMatch::File(path) => Some(self.named.join(path.strip_prefix(&self.root).ok()?)),
            _ => None,
        }
    }

    /// All pages in it, in order of their names, each with all its URLs, the usual one first.
    /// Unreadable files, folders behind symbolic links, and files outside the folder are left out.
    #[must_use]
    pub fn pages(&self) -> Vec<Vec<Url>> {
        let mut pages = Vec::new();
        self.collect_pages(&self.root, &mut String::new(), &mut pages);
        pages
    }

    fn collect_pages(&self, folder: &Path, path: &mut String, pages: &mut Vec<Vec<Url>>) {
        let Ok(entries) = std::fs::read_dir(folder) else { return };
        let mut entries: Vec<_> = entries.filter_map(Result::ok).collect();
        entries.sort_by_key(std::fs::DirEntry::file_name);
        for entry in entries {
            let (Ok(kind), name) = (entry.file_type(), entry.file_name()) else { continue };
            let Some(name) = name.to_str() else { continue };
            let length = path.len();
            let encoded = utf8_percent_encode(name, PATH).to_string();
            if kind.is_dir() {
                path.push_str(&encoded);
                path.push('/');
                self.collect_pages(&entry.path(), path, pages);
            } else if is_page(Path::new(name))
                && !(kind.is_symlink() && self.at(entry.path()) == Some(FolderMatch::Out))
            {
                let stem = encoded.rsplit_once('.').map_or(encoded.as_str(), |(stem, _)| stem);
                let short = match name {
                    name if INDEXES.contains(&name) => Some(""),
                    name if self.tidy && name.ends_with(".html") => Some(stem),
                    _ => None,
                };
                let names = short.into_iter().chain([encoded.as_str()]);
                let url = |name: &str| self.base.join(&format!("./{path}{name}")).ok();
                pages.push(names.filter_map(url).collect());
            }
            path.truncate(length);
        }
    }

    pub(super) fn find(&self, url: &Url) -> FolderMatch {
        let Some(path) = url.path().strip_prefix(self.base.path()) else {
            return FolderMatch::Nothing;
        };
        let Ok(decoded) = percent_decode_str(path).decode_utf8() else {
            return FolderMatch::Nothing;
        };
        if decoded.contains('\0') || (cfg!(windows) && decoded.contains(['\\', ':'])) {
            return FolderMatch::Nothing;
        }
        let relative = Path::new(decoded.as_ref());
        let is_plain = |part: Component<'_>| matches!(part, Component::Normal(_));
        if !relative.components().all(is_plain) {
            return FolderMatch::Nothing;
        }
        let wanted = self.root.join(relative);
        let names_folder = decoded.is_empty() || decoded.ends_with('/');
        if wanted.is_dir() {
            if !names_folder {
                let query = url.query().map_or_else(String::new, |query| format!("?{query}"));
                return FolderMatch::At(format!("{}/{query}", url.path()));
            }
            let index = INDEXES.iter().find_map(|name| self.at(wanted.join(name)));
            return index.unwrap_or(FolderMatch::Nothing);
        }
        if names_folder {
            return FolderMatch::Nothing;
        }
        let tidy = || {
            let mut name = wanted.clone().into_os_string();
            name.push(".html");
            self.tidy.then_some(PathBuf::from(name))
        };
        self.at(wanted.clone()).or_else(|| self.at(tidy()?)).unwrap_or(FolderMatch::Nothing)
    }

    /// The file at a path, if there is one.
    fn at(&self, path: PathBuf) -> Option<FolderMatch> {
        if !path.is_file() {
            return None;
        }
        let real = path.canonicalize().ok()?;
        Some(if real.starts_with(&self.root) { FolderMatch::File(path) } else { FolderMatch::Out })
    }
}

fn is_page(path: &Path) -> bool {
    let extension = path.extension().and_then(|extension| extension.to_str());
    extension.is_some_and(|extension| PAGES.iter().any(|page| extension.eq_ignore_ascii_case(page)))
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    fn folder(files: &[&str], base: &str, tidy: bool) -> (tempfile::TempDir, Folder) {
        let outer = tempfile::TempDir::new().unwrap();
        let public = outer.path().join("public");
        for file in files {
            let path = public.join(file);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, "").unwrap();
        }
        let folder = Folder::open(&public, &Url::parse(base).unwrap(), tidy).unwrap();
        (outer, folder)
    }

    fn found(folder: &Folder, path: &str) -> String {
        match folder.find(&Url::parse("https://a.test").unwrap().join(path).unwrap()) {
            FolderMatch::File(path) => {
                let path = path.strip_prefix(&folder.root).unwrap().to_str().unwrap();
                path.replace('\\', "/")
            }
            FolderMatch::At(location) => format!("-> {location}"),
            FolderMatch::Out => "out".to_owned(),
            FolderMatch::Nothing => "nothing".to_owned(),
        }
    }

    fn pages(folder: &Folder) -> Vec<String> {
        let paths = |urls: Vec<Url>| urls.iter().map(Url::path).collect::<Vec<_>>().join(" ");
        folder.pages().into_iter().map(paths).collect()
    }

    #[test]
    fn urls_map_to_files_as_in_web_servers() {
        let files = ["index.html", "x/index.html", "old/index.htm", "a b%.html", "empty/p.png"];
        let (_outer, folder) = folder(&files, "https://a.test", false);
        for (path, file) in [
            ("/", "index.html"),
            ("/x/", "x/index.html"),
            ("/x", "-> /x/"),
            ("/x?a=1", "-> /x/?a=1"),
            ("/old/", "old/index.htm"),
            ("/x/index.html", "x/index.html"),
            ("/x/index.html/", "nothing"),
            ("/a%20b%25.html", "a b%.html"),
            ("/empty/", "nothing"),
            ("/x/index", "nothing"),
            ("/%00", "nothing"),
            ("/%ff", "nothing"),
        ] {
            assert_eq!(found(&folder, path), file, "{path}");
        }
    }

    #[test]
    fn tidy_paths_name_pages_without_their_extension() {
        let (_outer, folder) =
            folder(&["about.html", "index.html", "x/y.html"], "https://a.test/", true);
        assert_eq!(found(&folder, "/about"), "about.html");
        assert_eq!(found(&folder, "/about/"), "nothing");
        let pages = pages(&folder);
        assert_eq!(
            pages,
            ["/about /about.html", "/ /index.html", "/x/y /x/y.html"],
            "each with all its URLs"
        );
    }

    #[test]
    #[cfg(unix)]
    fn nothing_outside_is_given() {
        let (outer, folder) = folder(&["index.html", "in.html"], "https://a.test/", false);
        std::fs::write(outer.path().join("secret.html"), "").unwrap();
        let public = outer.path().join("public");
        std::os::unix::fs::symlink("../secret.html", public.join("out.html")).unwrap();
        std::os::unix::fs::symlink("in.html", public.join("alias.html")).unwrap();
        std::os::unix::fs::symlink("..", public.join("up")).unwrap();
        for path in ["/..%2fsecret.html", "/%2e%2e%2fsecret.html", "/up/none.html", "/up/"] {
            assert_eq!(found(&folder, path), "nothing", "{path}");
        }
        for path in ["/out.html", "/up/secret.html"] {
            assert_eq!(found(&folder, path), "out", "{path}");
        }
        assert_eq!(found(&folder, "/up"), "-> /up/");
        assert_eq!(found(&folder, "/alias.html"), "alias.html");
        assert_eq!(pages(&folder), ["/alias.html", "/in.html", "/ /index.html"]);
        let secret = outer.path().join("secret.html");
        assert_eq!(found(&folder, &format!("/{}", secret.display())), "nothing");
    }

    #[test]
    fn a_folder_may_be_published_below_a_path() {
        let (_outer, folder) = folder(&["index.html", "v2/a#b.html"], "https://a.test/docs", false);
        let owns = |url: &str| folder.owns(&Url::parse(url).unwrap());
        assert!(owns("http://www.a.test/docs/x") && owns("https://a.test/docs/"));
        assert!(!owns("https://a.test/") && !owns("https://a.test:8443/docs/"));
        assert_eq!(found(&folder, "/docs/"), "index.html");
        assert_eq!(pages(&folder), ["/docs/ /docs/index.html", "/docs/v2/a%23b.html"]);
        let file = folder.file(&folder.pages()[1][0]).unwrap();
        assert!(file.ends_with("public/v2/a#b.html"), "{file:?}");
    }
}
