//! What a diff has shown, in a file beside the plan: only that is written.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use xxhash_rust::xxh3::xxh3_64;

use super::files::FileChange;

/// The changes that were shown.
#[derive(Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Seen {
    /// The folder, without symbolic links.
    folder: PathBuf,
    /// The hashes of each file before and after, by its name.
    files: BTreeMap<String, (u64, u64)>,
}

impl Seen {
    /// What a diff of these files shows.
    pub(crate) fn of<'a>(folder: &Path, changed: impl Iterator<Item = &'a FileChange>) -> Seen {
        let hashes = |file: &FileChange| (xxh3_64(&file.old), xxh3_64(&file.new));
        let files = changed.map(|file| (file.name.clone(), hashes(file)));
        Seen { folder: folder.canonicalize().unwrap_or_default(), files: files.collect() }
    }

    /// What the last diff has shown for a plan; `None` if there was none.
    pub(crate) fn load(plan: &Path) -> Option<Seen> {
        let text = std::fs::read_to_string(file(plan)).ok()?;
        serde_json::from_str(&text).ok()
    }

    /// Remembers it for the command that writes. Where the folder of the plan is read-only, that
    /// command compares with nothing.
    pub(crate) fn save(&self, plan: &Path) {
        let text = serde_json::to_string(self).expect("it is plain data");
        let _ = std::fs::write(file(plan), text);
    }

    /// Forgets it.
    pub(crate) fn forget(plan: &Path) {
        let _ = std::fs::remove_file(file(plan));
    }

    /// The first file that would now be changed in another way than was shown.
    pub(crate) fn first_difference<'a>(&self, now: &'a Seen) -> Option<&'a str> {
        if self.folder != now.folder {
            return None;
        }
        let other = now.files.iter().find(|(name, hashes)| self.files.get(*name) != Some(*hashes));
        other.map(|(name, _)| name.as_str())
    }
}

fn file(plan: &Path) -> PathBuf {
    let mut name = plan.file_name().unwrap_or_default().to_owned();
    name.push(".seen");
    plan.with_file_name(name)
}
