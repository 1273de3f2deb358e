//! Where the sources of pages are: in an editor, or in the folder that was crawled.

use std::path::Path;
use std::rc::Rc;

use rummage_store::{RunInfo, RunKind};
use rummage_view::Source;
use url::Url;

use crate::args::CheckOptions;
use crate::config::Section;
use crate::jobs::folder;

/// The sources of the pages of a run, if they are known.
pub(crate) fn of(run: &RunInfo, settings: &Section) -> Option<Source> {
    if let Some(template) = &settings.own.editor_link {
        return Some(Source::Editor(template.clone()));
    }
    if run.kind == RunKind::Probe {
        let here = std::env::current_dir().unwrap_or_default();
        return Some(Source::File(Rc::new(move |list| {
            let file = Url::parse(list).ok()?.to_file_path().ok()?;
            file.exists().then(|| named_from(&here, &file))
        })));
    }
    let options: CheckOptions = serde_json::from_str(&run.options).ok()?;
    // If the folder no longer exists, there are no files to name.
    let folder = folder(&run.given_start, &options).ok().flatten()?;
    let here = std::env::current_dir().unwrap_or_default();
    Some(Source::File(Rc::new(move |page| {
        let file = folder.file(&Url::parse(page).ok()?)?;
        Some(named_from(&here, &file))
    })))
}

/// A path as the user would type it in the current folder.
fn named_from(here: &Path, file: &Path) -> String {
    file.strip_prefix(here).unwrap_or(file).display().to_string()
}

/// The single file behind a page.
pub(crate) fn of_file(file: &Path) -> Source {
    let name = file.display().to_string();
    Source::File(Rc::new(move |_| Some(name.clone())))
}
