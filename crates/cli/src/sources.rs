//! Where the sources of pages are: in an editor, or in the folder that was crawled.

use std::path::Path;
use std::rc::Rc;

use rummage_store::{RunInfo, RunKind};
use rummage_view::Source;
use url::Url;

use crate::args::Asking;
use crate::config::Section;
use crate::passes::folder;

/// Where the sources of the pages of a run are, if that is known.
pub(crate) fn of(run: &RunInfo, settled: &Section) -> Option<Source> {
    if let Some(template) = &settled.own.editor_link {
        return Some(Source::Editor(template.clone()));
    }
    if run.kind == RunKind::Probe {
        let here = std::env::current_dir().unwrap_or_default();
        return Some(Source::File(Rc::new(move |list| {
            let file = Url::parse(list).ok()?.to_file_path().ok()?;
            file.exists().then(|| named_from(&here, &file))
        })));
    }
    let asking: Asking = serde_json::from_str(&run.options).ok()?;
    // A folder that is gone by now has no files to name.
    let folder = folder(&run.asked_for, &asking).ok().flatten()?;
    let here = std::env::current_dir().unwrap_or_default();
    Some(Source::File(Rc::new(move |page| {
        let file = folder.file(&Url::parse(page).ok()?)?;
        Some(named_from(&here, &file))
    })))
}

/// A file as a person in that folder names it.
fn named_from(here: &Path, file: &Path) -> String {
    file.strip_prefix(here).unwrap_or(file).display().to_string()
}

/// The one file that a page is.
pub(crate) fn of_file(file: &Path) -> Source {
    let name = file.display().to_string();
    Source::File(Rc::new(move |_| Some(name.clone())))
}
