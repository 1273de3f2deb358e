//! Requests URLs once, without a trace in the store: a probe into a temporary one.

use std::collections::HashMap;
use std::sync::Arc;

use rummage_core::extract::lists::{Entry, List};
use rummage_core::findings::selection::Selection;
use rummage_engine::{Document, Folder, InternalError, LocalFiles};
use rummage_store::{Outcome, Reader, RunState, StoreError};
use tempfile::TempDir;
use url::Url;

use super::{CrawlJob, JobContext, runtime};
use crate::args::CheckOptions;
use crate::failure::Failure;
use crate::session::Session;
use crate::signals::stop_on_signal;
use crate::watch::ProgressReporter;

/// What URLs are tried with.
pub(crate) struct Trial<'a> {
    pub(crate) session: &'a Session,
    pub(crate) options: &'a CheckOptions,
    /// A URL of the user's own site, which is requested as quickly as it can take.
    pub(crate) own: Option<&'a Url>,
    /// The folder that the site is read from.
    pub(crate) folder: Option<Arc<Folder>>,
    /// What is missing is not worth a second request.
    pub(crate) once: bool,
}

/// What was tried.
pub(crate) struct Tried {
    /// By the position of the URL; `None` if it was not reached.
    pub(crate) outcomes: Vec<Option<Outcome>>,
    /// Nothing is left to do.
    pub(crate) is_whole: bool,
    pub(crate) internal_errors: Vec<InternalError>,
}

impl Trial<'_> {
    /// Requests these URLs, at the pace of a crawl. `title` is what the progress is about.
    pub(crate) fn run(&self, urls: &[String], title: &str) -> Result<Tried, Failure> {
        let mut tried =
            Tried { outcomes: vec![None; urls.len()], is_whole: true, internal_errors: Vec::new() };
        if urls.is_empty() {
            return Ok(tried);
        }
        let folder = TempDir::with_prefix("rummage-trial-").map_err(|reason| Failure::System {
            what: "cannot create a temporary folder",
            reason,
        })?;
        let store = folder.path().join("tried.db");
        let entries = (1u32..).zip(urls).map(|(line, url)| Entry::of(url, line));
        let list = List { entries: entries.collect(), faults: Vec::new() };
        let url = Url::parse(&format!("file:///{title}")).expect("titles are plain words");
        let lists = vec![(url.clone(), Document::Read(Box::new(list.reading())))];
        let attempts = if self.once { Some(1) } else { self.options.attempts };
        let options = CheckOptions { at: None, tidy_paths: None, attempts, ..self.options.clone() };
        let files = self.folder.clone().map(LocalFiles::of_folder).unwrap_or_default();
        let context = JobContext { store: &store, ..self.session.context(&options, None) };
        let job = CrawlJob::probe_with(context, lists, self.own, files)?;
        let terminal = self.session.terminal;
        let mut reporter =
            ProgressReporter::new(terminal, url.to_string(), None).without_head().brief();
        let ended = runtime()?.block_on(async { job.drive(stop_on_signal(), &mut reporter).await });
        reporter.finish();
        let ended = ended?;
        tried.is_whole = ended.run != 0 && ended.state == RunState::Finished;
        tried.internal_errors = ended.internal_errors;
        if ended.run == 0 {
            return Ok(tried);
        }
        let reader = Reader::open(&store)?;
        let run = reader.open_run(reader.run(ended.run)?)?;
        let mut outcomes: HashMap<u32, Outcome> = HashMap::new();
        let all = Selection::all();
        let query = run.query(&all)?;
        query.for_each(|found| {
            let row = query.row(found)?;
            outcomes.insert(row.line, row.outcome);
            Ok::<_, StoreError>(())
        })?;
        for (line, outcome) in (1u32..).zip(tried.outcomes.iter_mut()) {
            *outcome = outcomes.remove(&line);
        }
        Ok(tried)
    }
}
