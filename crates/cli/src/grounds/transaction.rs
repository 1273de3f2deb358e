//! Writes several files: all of them, or none.
//!
//! Every new content is written to a temporary file beside its target and synced. Then a journal
//! lists what is to be renamed, and is synced too: from here on, the change is decided. A command
//! that is killed before leaves all files old; one that is killed after leaves a journal, which the
//! next command completes.

use std::fs::File;
use std::io::{self, Write};
use std::path::{Component, Path, PathBuf};

use serde::{Deserialize, Serialize};
use tempfile::{Builder, NamedTempFile};

use crate::failure::Failure;

/// How the names of temporary files begin.
const PREFIX: &str = ".rummage-mend-";
/// The name of the journal.
const JOURNAL: &str = ".rummage-mend.journal";

/// The new content of a file.
pub(super) struct NewContent<'a> {
    /// The name relative to the folder, with slashes.
    pub(super) name: &'a str,
    /// What the file must contain still.
    pub(super) old: &'a [u8],
    pub(super) new: &'a [u8],
}

/// A rename that is decided.
#[derive(Debug, Serialize, Deserialize)]
struct Rename {
    /// The name of the file, relative to the folder.
    name: String,
    /// The name of the temporary file in the same folder.
    temporary: String,
}

/// Writes all of the files, or none.
pub(super) fn write(root: &Path, files: &[NewContent<'_>]) -> Result<(), Failure> {
    if files.is_empty() {
        return Ok(());
    }
    let mut staged = Vec::new();
    for file in files {
        let path = root.join(file.name);
        staged.push((stage(&path, file.new).map_err(|reason| cannot(file.name, &reason))?, path));
    }
    for (file, (_, path)) in files.iter().zip(&staged) {
        let now = read_unlinked(path).map_err(|reason| cannot(file.name, &reason))?;
        if now != file.old {
            return Err(Failure::Conflict {
                what: format!("{} has changed in the meantime; nothing was written", file.name),
                hint: "Look at the diff again, then repeat the command.".to_owned(),
            });
        }
    }
    let renames: Vec<Rename> = files
        .iter()
        .zip(&staged)
        .map(|(file, (temporary, _))| Rename {
            name: file.name.to_owned(),
            temporary: name_of(temporary.path()),
        })
        .collect();
    write_journal(root, &renames).map_err(|reason| cannot(JOURNAL, &reason))?;
    for (done, (temporary, path)) in staged.into_iter().enumerate() {
        if let Err(error) = temporary.persist(&path) {
            let reason = error.error;
            undo(root, &files[..done]);
            let _ = std::fs::remove_file(root.join(JOURNAL));
            return Err(cannot(files[done].name, &reason));
        }
    }
    sync_folders(root, &renames);
    std::fs::remove_file(root.join(JOURNAL)).map_err(|reason| cannot(JOURNAL, &reason))
}

/// Whether a change was decided and interrupted.
pub(super) fn is_interrupted(root: &Path) -> bool {
    root.join(JOURNAL).exists()
}

/// Completes a change that was decided and interrupted. Returns how many files it concerned.
pub(super) fn recover(root: &Path) -> Result<Option<usize>, Failure> {
    let journal = root.join(JOURNAL);
    let text = match std::fs::read_to_string(&journal) {
        Ok(text) => text,
        Err(reason) if reason.kind() == io::ErrorKind::NotFound => {
            remove_temporaries(root);
            return Ok(None);
        }
        Err(reason) => return Err(cannot(JOURNAL, &reason)),
    };
    let renames: Option<Vec<Rename>> = serde_json::from_str(&text).ok();
    let renames = renames.filter(|renames| renames.iter().all(is_inside));
    let Some(renames) = renames else {
        return Err(Failure::Usage {
            what: format!("{} is damaged", journal.display()),
            hint: "Compare the files with your backup, then delete it.".to_owned(),
        });
    };
    for rename in &renames {
        let path = root.join(&rename.name);
        let temporary = path.with_file_name(&rename.temporary);
        match std::fs::rename(&temporary, &path) {
            Ok(()) => {}
            // It was renamed already.
            Err(reason) if reason.kind() == io::ErrorKind::NotFound => {}
            Err(reason) => return Err(cannot(&rename.name, &reason)),
        }
    }
    sync_folders(root, &renames);
    std::fs::remove_file(&journal).map_err(|reason| cannot(JOURNAL, &reason))?;
    remove_temporaries(root);
    Ok(Some(renames.len()))
}

/// Whether a rename stays in the folder, and moves a temporary file of ours.
fn is_inside(rename: &Rename) -> bool {
    let plain = |name: &str| {
        let mut parts = Path::new(name).components();
        parts.clone().next().is_some() && parts.all(|part| matches!(part, Component::Normal(_)))
    };
    plain(&rename.name)
        && plain(&rename.temporary)
        && rename.temporary.starts_with(PREFIX)
        && !rename.temporary.contains(['/', '\\'])
}

/// Writes a content to a temporary file beside its target, with the target's permissions.
fn stage(path: &Path, content: &[u8]) -> io::Result<NamedTempFile> {
    let folder = path.parent().unwrap_or(Path::new("."));
    let metadata = std::fs::symlink_metadata(path)?;
    let mut file = Builder::new().prefix(PREFIX).tempfile_in(folder)?;
    file.write_all(content)?;
    keep_owner(file.as_file(), &metadata)?;
    file.as_file().set_permissions(metadata.permissions())?;
    file.as_file().sync_all()?;
    Ok(file)
}

/// Gives a file the owner of another. Only an administrator's files may have another one.
#[cfg(unix)]
fn keep_owner(file: &File, of: &std::fs::Metadata) -> io::Result<()> {
    use std::os::unix::fs::MetadataExt as _;
    let own = file.metadata()?;
    if (own.uid(), own.gid()) == (of.uid(), of.gid()) {
        return Ok(());
    }
    std::os::unix::fs::fchown(file, Some(of.uid()), Some(of.gid()))
}

#[cfg(not(unix))]
fn keep_owner(_: &File, _: &std::fs::Metadata) -> io::Result<()> {
    Ok(())
}

/// The content of a file that is none of a symbolic link.
fn read_unlinked(path: &Path) -> io::Result<Vec<u8>> {
    if std::fs::symlink_metadata(path)?.is_symlink() {
        return Err(io::Error::other("it is a symbolic link now"));
    }
    std::fs::read(path)
}

fn write_journal(root: &Path, renames: &[Rename]) -> io::Result<()> {
    let mut file = Builder::new().prefix(PREFIX).tempfile_in(root)?;
    file.write_all(&serde_json::to_vec(renames).expect("it is plain data"))?;
    file.as_file().sync_all()?;
    file.persist(root.join(JOURNAL)).map_err(|error| error.error)?;
    sync_folder(root);
    Ok(())
}

/// Puts back what was renamed before something failed.
fn undo(root: &Path, files: &[NewContent<'_>]) {
    for file in files {
        let path = root.join(file.name);
        if let Ok(old) = stage(&path, file.old) {
            let _ = old.persist(path);
        }
    }
}

/// Makes renames survive a power failure.
fn sync_folders(root: &Path, renames: &[Rename]) {
    let folders =
        renames.iter().filter_map(|rename| root.join(&rename.name).parent().map(Path::to_owned));
    let folders: std::collections::BTreeSet<PathBuf> = folders.collect();
    folders.iter().for_each(|folder| sync_folder(folder));
}

/// Not every system can sync a folder.
fn sync_folder(folder: &Path) {
    if let Ok(folder) = File::open(folder) {
        let _ = folder.sync_all();
    }
}

/// Removes temporary files that a command left behind when it was killed.
fn remove_temporaries(folder: &Path) {
    let Ok(entries) = std::fs::read_dir(folder) else { return };
    for entry in entries.filter_map(Result::ok) {
        let Ok(kind) = entry.file_type() else { continue };
        let name = entry.file_name();
        let name = name.to_string_lossy();
        if kind.is_dir() && !name.starts_with('.') {
            remove_temporaries(&entry.path());
        } else if kind.is_file() && name.starts_with(PREFIX) {
            let _ = std::fs::remove_file(entry.path());
        }
    }
}

fn name_of(path: &Path) -> String {
    path.file_name().unwrap_or_default().to_string_lossy().into_owned()
}

fn cannot(name: &str, reason: &io::Error) -> Failure {
    Failure::Conflict {
        what: format!("cannot write {name}: {reason}; all files are as they were"),
        hint: "Check the permissions and the free space, then repeat the command.".to_owned(),
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    const NAMES: [&str; 3] = ["a.html", "x/b.html", "x/c.html"];

    fn folder() -> tempfile::TempDir {
        let folder = tempfile::TempDir::new().unwrap();
        std::fs::create_dir(folder.path().join("x")).unwrap();
        for name in NAMES {
            std::fs::write(folder.path().join(name), "old").unwrap();
        }
        folder
    }

    fn contents(root: &Path) -> Vec<String> {
        NAMES.iter().map(|name| std::fs::read_to_string(root.join(name)).unwrap()).collect()
    }

    fn files() -> Vec<NewContent<'static>> {
        NAMES.iter().map(|name| NewContent { name, old: b"old", new: b"new" }).collect()
    }

    /// All names in a folder and below, sorted.
    fn names(root: &Path) -> Vec<String> {
        let mut all = Vec::new();
        for folder in [root.to_owned(), root.join("x")] {
            let entries = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap());
            all.extend(entries.map(|entry| name_of(&entry.path())));
        }
        all.sort();
        all
    }

    #[test]
    fn all_files_are_written_and_nothing_is_left_behind() {
        let folder = folder();
        write(folder.path(), &files()).unwrap();
        assert_eq!(contents(folder.path()), ["new"; 3]);
        assert_eq!(names(folder.path()), ["a.html", "b.html", "c.html", "x"]);
    }

    #[test]
    fn a_file_that_has_changed_stops_all() {
        let folder = folder();
        std::fs::write(folder.path().join("x/c.html"), "mine").unwrap();
        let failure = write(folder.path(), &files()).unwrap_err();
        assert!(failure.to_string().contains("x/c.html has changed"), "{failure}");
        assert_eq!(contents(folder.path()), ["old", "old", "mine"]);
        assert_eq!(names(folder.path()), ["a.html", "b.html", "c.html", "x"]);
    }

    /// Wherever a command is killed, the next one finds all files old or makes them all new.
    #[test]
    fn an_interruption_leaves_all_old_or_all_new() {
        for renamed in 0..=3 {
            for has_journal in [false, true] {
                if !has_journal && renamed > 0 {
                    continue;
                }
                let folder = folder();
                let mut renames = Vec::new();
                for (at, name) in NAMES.into_iter().enumerate() {
                    let path = folder.path().join(name);
                    let (_, temporary) = stage(&path, b"new").unwrap().keep().unwrap();
                    renames.push(Rename { name: name.to_owned(), temporary: name_of(&temporary) });
                    if at < renamed {
                        std::fs::rename(temporary, path).unwrap();
                    }
                }
                if has_journal {
                    write_journal(folder.path(), &renames).unwrap();
                }
                let recovered = recover(folder.path()).unwrap();
                assert_eq!(recovered, has_journal.then_some(3));
                let expected = if has_journal { "new" } else { "old" };
                assert_eq!(contents(folder.path()), [expected; 3], "{renamed}");
                assert_eq!(names(folder.path()), ["a.html", "b.html", "c.html", "x"]);
            }
        }
    }

    #[test]
    fn a_journal_never_leads_out_of_the_folder() {
        for (name, temporary) in [
            ("../a", ".rummage-mend-1"),
            ("/etc/x", ".rummage-mend-1"),
            ("a.html", "b.html"),
            ("a.html", ".rummage-mend-/../x"),
        ] {
            let folder = folder();
            let rename = Rename { name: name.to_owned(), temporary: temporary.to_owned() };
            write_journal(folder.path(), &[rename]).unwrap();
            assert!(recover(folder.path()).is_err(), "{name}");
        }
    }
}
