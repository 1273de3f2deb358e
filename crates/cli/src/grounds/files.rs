//! The source files of a site: what a plan changes in them.

use std::collections::BTreeSet;
use std::io;
use std::path::{Path, PathBuf};

use rummage_core::mend::plan::Plan;
use rummage_core::mend::rewrite::source::Source;
use rummage_core::mend::rewrite::{ByHand, Change, Ground, Kind, rewrite};
use rummage_core::url::pattern::Pattern;
use url::Url;

use super::transaction::{self, NewContent};
use crate::failure::Failure;

/// Larger files are no sources of pages.
const LARGEST: u64 = 64 << 20;
/// Folders that contain no sources.
const OTHER_FOLDERS: &[&str] = &["node_modules"];

/// A folder with sources.
pub(crate) struct Files {
    root: PathBuf,
    /// The URL at which it is published, with a slash at its end.
    base: Url,
    also: Vec<Pattern>,
}

/// A file that a plan concerns.
pub(crate) struct FileChange {
    /// The name relative to the folder, with slashes.
    pub(crate) name: String,
    pub(crate) old: Vec<u8>,
    pub(crate) new: Vec<u8>,
    /// The same as text.
    pub(crate) old_text: String,
    pub(crate) new_text: String,
    pub(crate) changes: Vec<Change>,
    pub(crate) by_hand: Vec<ByHand>,
    /// It is the page itself, not what pages are made from.
    pub(crate) is_page: bool,
    /// The URLs at which it may be.
    pub(crate) urls: Vec<Url>,
}

impl FileChange {
    /// Whether its bytes change.
    pub(crate) fn is_changed(&self) -> bool {
        self.old != self.new
    }
}

/// What a plan does with a folder.
#[derive(Default)]
pub(crate) struct Applied {
    /// In order of their names.
    pub(crate) files: Vec<FileChange>,
    /// How many files were looked at.
    pub(crate) looked_at: usize,
    /// Files and folders that could not be read, and why.
    pub(crate) unread: Vec<(String, String)>,
}

impl Files {
    /// Opens a folder that is published at this URL.
    pub(crate) fn open(root: &Path, at: &Url, also: &[String]) -> Result<Files, Failure> {
        let wrong = |reason: io::Error| Failure::Usage {
            what: format!("cannot read the folder {}: {reason}", root.display()),
            hint: "Give the folder with the sources of the site.".to_owned(),
        };
        let root = root.canonicalize().map_err(wrong)?;
        std::fs::read_dir(&root).map_err(wrong)?;
        let mut base = at.clone();
        base.set_query(None);
        base.set_fragment(None);
        if !base.path().ends_with('/') {
            base.set_path(&format!("{}/", base.path()));
        }
        // `**/` means any folder here as well, which `*` alone does.
        let also = also.iter().map(|text| Pattern::new(&text.replace("**", "*"))).collect();
        Ok(Files { root, base, also })
    }

    /// What a plan changes.
    pub(crate) fn apply(&self, plan: &Plan) -> Applied {
        let mut applied = Applied::default();
        self.look_into(&self.root, "", plan, &mut applied);
        applied
    }

    /// Writes the changes: all of them, or none.
    pub(crate) fn write(&self, applied: &Applied) -> Result<(), Failure> {
        let new = applied.files.iter().filter(|file| file.is_changed());
        let new: Vec<NewContent<'_>> = new
            .map(|file| NewContent { name: &file.name, old: &file.old, new: &file.new })
            .collect();
        transaction::write(&self.root, &new)
    }

    /// Whether an earlier command was killed while it wrote.
    pub(crate) fn is_interrupted(&self) -> bool {
        transaction::is_interrupted(&self.root)
    }

    /// Completes or undoes what an earlier command left behind when it was killed.
    pub(crate) fn recover(&self) -> Result<Option<usize>, Failure> {
        transaction::recover(&self.root)
    }

    fn look_into(&self, folder: &Path, prefix: &str, plan: &Plan, applied: &mut Applied) {
        let mut unread = |name: &str, reason: io::Error| {
            let name = if name.is_empty() { "." } else { name };
            applied.unread.push((name.to_owned(), reason.to_string()));
        };
        let mut entries = match std::fs::read_dir(folder) {
            Ok(entries) => entries.filter_map(Result::ok).collect::<Vec<_>>(),
            Err(reason) => return unread(prefix, reason),
        };
        entries.sort_by_key(std::fs::DirEntry::file_name);
        for entry in entries {
            let (Ok(kind), Ok(name)) = (entry.file_type(), entry.file_name().into_string()) else {
                continue;
            };
            if name.starts_with('.') {
                continue;
            }
            let whole = format!("{prefix}{name}");
            if kind.is_dir() {
                if !OTHER_FOLDERS.contains(&name.as_str()) {
                    self.look_into(&entry.path(), &format!("{whole}/"), plan, applied);
                }
            } else if kind.is_file()
                && let Some(kind) = self.kind(&whole)
            {
                match read(&entry.path()) {
                    Ok(Some(bytes)) => self.look_at(whole, kind, bytes, plan, applied),
                    Ok(None) => {}
                    Err(reason) => applied.unread.push((whole, reason.to_string())),
                }
            }
        }
    }

    fn kind(&self, name: &str) -> Option<Kind> {
        // A pattern with a slash is about the whole name.
        let path = format!("http://files.invalid/{name}");
        let is_named = |pattern: &Pattern| match pattern.as_str().contains('/') {
            true => {
                pattern.matches(&path)
                    || Pattern::new(&format!("/{}", pattern.as_str())).matches(&path)
            }
            false => {
                let last = name.rsplit('/').next().unwrap_or(name);
                Pattern::new(&format!("/{}", pattern.as_str()))
                    .matches(&format!("http://files.invalid/{last}"))
            }
        };
        Kind::of_name(name).or_else(|| self.also.iter().any(is_named).then_some(Kind::Exact))
    }

    fn look_at(&self, name: String, kind: Kind, old: Vec<u8>, plan: &Plan, applied: &mut Applied) {
        applied.looked_at += 1;
        let Some(source) = Source::decode(&old, kind) else {
            let why = "its bytes are not valid in its encoding".to_owned();
            applied.unread.push((name, why));
            return;
        };
        let urls = self.urls(&name, kind);
        let ground = Ground::at_any(plan, urls.clone()).in_encoding(source.encoding);
        let done = rewrite(kind, &source.text, &ground);
        if done.changes.is_empty() && done.by_hand.is_empty() {
            return;
        }
        let Some(new) = source.encode(&done.text) else {
            let why = "a new URL cannot be written in its encoding".to_owned();
            applied.unread.push((name, why));
            return;
        };
        applied.files.push(FileChange {
            name,
            old,
            new,
            old_text: source.text,
            new_text: done.text,
            changes: done.changes,
            by_hand: done.by_hand,
            is_page: matches!(kind, Kind::Html | Kind::Xhtml | Kind::Css),
            urls,
        });
    }

    /// The URLs at which a file may be, most likely first.
    fn urls(&self, name: &str, kind: Kind) -> Vec<Url> {
        let mut names = BTreeSet::new();
        let mut all = Vec::new();
        let mut add = |path: String| {
            let mut url = self.base.clone();
            if let Ok(mut segments) = url.path_segments_mut() {
                segments.pop_if_empty().extend(path.split('/'));
            }
            if names.insert(url.to_string()) {
                all.push(url);
            }
        };
        let (folder, last) =
            name.rsplit_once('/').map_or(("", name), |(folder, last)| (folder, last));
        let in_folder = |last: &str| match folder {
            "" => last.to_owned(),
            folder => format!("{folder}/{last}"),
        };
        let stem = last.rsplit_once('.').map_or(last, |(stem, _)| stem);
        let is_index = matches!(stem.to_ascii_lowercase().as_str(), "index" | "_index" | "readme");
        match kind {
            Kind::Html | Kind::Xhtml if is_index => {
                add(in_folder(""));
                add(in_folder(last));
            }
            Kind::Markdown if is_index => add(in_folder("")),
            Kind::Markdown => {
                // Beside its neighbors, or in a folder of its own.
                add(in_folder(&format!("{stem}.html")));
                add(in_folder(&format!("{stem}/")));
            }
            _ => add(in_folder(last)),
        }
        all
    }
}

/// The bytes of a file; `None` if it is too large.
fn read(path: &Path) -> io::Result<Option<Vec<u8>>> {
    if std::fs::metadata(path)?.len() > LARGEST {
        return Ok(None);
    }
    std::fs::read(path).map(Some)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    fn files(also: &[&str]) -> (tempfile::TempDir, Files) {
        let folder = tempfile::TempDir::new().unwrap();
        let at = Url::parse("https://a.test/docs").unwrap();
        let also: Vec<String> = also.iter().map(|text| (*text).to_owned()).collect();
        let files = Files::open(folder.path(), &at, &also).unwrap();
        (folder, files)
    }

    #[test]
    fn files_have_the_urls_of_their_pages() {
        let (_folder, files) = files(&[]);
        let urls = |name: &str, kind| {
            let urls = files.urls(name, kind).into_iter();
            urls.map(|url| url.path().to_owned()).collect::<Vec<_>>()
        };
        assert_eq!(urls("x/index.html", Kind::Html), ["/docs/x/", "/docs/x/index.html"]);
        assert_eq!(urls("index.html", Kind::Html), ["/docs/", "/docs/index.html"]);
        assert_eq!(urls("x/a b.html", Kind::Html), ["/docs/x/a%20b.html"]);
        assert_eq!(urls("x/y.md", Kind::Markdown), ["/docs/x/y.html", "/docs/x/y/"]);
        assert_eq!(urls("_index.md", Kind::Markdown), ["/docs/"]);
    }

    #[test]
    fn patterns_name_further_files() {
        let (_folder, files) = files(&["*.njk", "**/*.yml", "data/links.json"]);
        for (name, expected) in [
            ("a.njk", Some(Kind::Exact)),
            ("x/y/a.njk", Some(Kind::Exact)),
            ("x/y/a.yml", Some(Kind::Exact)),
            ("data/links.json", Some(Kind::Exact)),
            ("other/links.json", None),
            ("a.njk.bak", None),
            ("a.HTML", Some(Kind::Html)),
            ("a.png", None),
        ] {
            assert_eq!(files.kind(name), expected, "{name}");
        }
    }
}
