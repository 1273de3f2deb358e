//! A crawl, new or going on.

use std::path::Path;
use std::time::Duration;

use rummage_store::{NewRun, Reader, RunInfo, RunKind, RunWriter, StoreError};

use super::beginning::Beginning;
use super::plain::{config, settings};
use super::{Earlier, Pass, memory, new_run};
use crate::args::Asking;
use crate::config::Config;
use crate::digests;
use crate::failure::Failure;
use crate::start::Start;

impl Pass {
    /// A new crawl. With `fresh`, all is asked, whatever earlier runs have seen.
    pub(crate) fn crawl(
        store: &Path,
        start: Start,
        given: &Asking,
        fresh: bool,
        file: &Config,
    ) -> Result<Pass, Failure> {
        let settled = file.settled(start.site.as_deref());
        let asking = given.clone().or(settled.asking.clone());
        let beginning = Beginning::of(&start.text, &asking)?;
        let mut settings = settings(&asking, &settled)?;
        let mut fetching = config(&asking, beginning.starts.first())?;
        beginning.tell(&mut settings, &mut fetching);
        // The file is there when it is opened to write.
        let mut new = new_run(&start.text, &asking, &settled);
        let telling = digests::telling(file, store, &settled)?;
        let writer = RunWriter::begin(store, new.clone())?.telling(telling);
        let reader = Reader::open(store)?;
        let site = reader.site_of(&start.text)?.filter(|_| !fresh);
        let memory = match site {
            Some(site) => memory::of_sound(store, &site, &settled, &asking, new.started_at)?,
            None => None,
        };
        if let Some((_, epoch_at)) = &memory {
            new.epoch_at = *epoch_at;
        }
        let writer = writer.counting_from(new.epoch_at);
        Ok(Pass {
            under_way: new.looked_back(),
            last_time: reader.last_time(&start.text)?,
            unfinished: reader.unfinished().ok().map(|run| run.number),
            explained: beginning.explained(&start.text),
            known_as: beginning.known_as(),
            asked_for: start.text,
            section: start.site,
            ..Pass::new(beginning.starts, settings, fetching, writer)
        }
        .remembering(store, memory.map(|(memory, _)| memory)))
    }

    /// A run that was stopped goes on. What it had been told to ask, it asks still, where
    /// `given` does not say otherwise.
    pub(crate) fn resume(
        store: &Path,
        run: RunInfo,
        given: &Asking,
        section: Option<String>,
        file: &Config,
    ) -> Result<Pass, Failure> {
        let earlier: Asking = serde_json::from_str(&run.options)
            .map_err(|error| StoreError::Damaged(error.to_string()))?;
        let settled = file.settled(section.as_deref());
        // What a run keeps has no secrets: these come from the settings once more.
        let asking = given.clone().or(earlier).or(settled.asking.clone());
        let beginning = Beginning::of(&run.asked_for, &asking)?;
        let mut settings = settings(&asking, &settled)?;
        let mut fetching = config(&asking, beginning.starts.first())?;
        beginning.tell(&mut settings, &mut fetching);
        let new = NewRun {
            started_at: run.started_at,
            epoch_at: run.epoch_at,
            kind: run.kind,
            ..new_run(&run.asked_for, &asking, &settled)
        };
        let looked_back = new.looked_back();
        let telling = digests::telling(file, store, &settled)?;
        let writer = RunWriter::resume(store, run.number, new)?.telling(telling);
        // What is due waits for no longer than it would have.
        let wall = jiff::Timestamp::now().duration_since(run.epoch_at);
        let wall = Duration::try_from(wall).unwrap_or_default();
        let under_way = wall.max(run.took + looked_back);
        // A recheck begins where its site does.
        let starts = match run.kind {
            RunKind::Crawl => beginning.starts,
            _ => crate::urls::candidates(&run.start)?,
        };
        let reader = Reader::open(store)?;
        Ok(Pass {
            under_way,
            asked_for: run.asked_for,
            section,
            // What was told of earlier runs stands in this one; what was not is asked.
            earlier: Some(Earlier { reader, run: run.number, site: run.site }),
            ..Pass::new(starts, settings, fetching, writer)
        })
    }
}
