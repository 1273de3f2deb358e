//! What was in posts before they were changed, in a file beside the plan.

use std::io::Write;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use crate::failure::Failure;

/// Everything that is needed to take changes back.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Undo {
    /// The URL of the site.
    pub(crate) wordpress: String,
    pub(crate) items: Vec<UndoItem>,
}

/// A changed item.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct UndoItem {
    pub(crate) kind: String,
    pub(crate) id: u64,
    pub(crate) title: String,
    pub(crate) old: String,
    pub(crate) new: String,
}

/// The file for a plan.
pub(crate) fn file(plan: &Path) -> PathBuf {
    let mut name = plan.file_name().unwrap_or_default().to_owned();
    name.push(".undo");
    plan.with_file_name(name)
}

impl Undo {
    pub(crate) fn load(path: &Path) -> Result<Undo, Failure> {
        let text = std::fs::read_to_string(path).map_err(|reason| Failure::Usage {
            what: format!("there is nothing to undo: {}: {reason}", path.display()),
            hint: "Only changes to WordPress can be undone; files have version control.".to_owned(),
        })?;
        serde_json::from_str(&text).map_err(|error| Failure::Usage {
            what: format!("{} is damaged: {error}", path.display()),
            hint: "Use the revisions of the posts in WordPress.".to_owned(),
        })
    }

    /// Writes the file, readable by its owner alone: posts may be private.
    pub(crate) fn save(&self, path: &Path) -> Result<(), Failure> {
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
        let cannot = |reason: std::io::Error| Failure::Conflict {
            what: format!("cannot write {}: {reason}; nothing was changed", path.display()),
            hint: "It keeps what was there before. Check the folder of the plan.".to_owned(),
        };
        let mut file =
            tempfile::NamedTempFile::new_in(folder.unwrap_or(Path::new("."))).map_err(cannot)?;
        let text = serde_json::to_string_pretty(self).expect("it is plain data");
        file.write_all(text.as_bytes()).map_err(cannot)?;
        file.as_file().sync_all().map_err(cannot)?;
        file.persist(path).map_err(|error| cannot(error.error))?;
        Ok(())
    }
}
