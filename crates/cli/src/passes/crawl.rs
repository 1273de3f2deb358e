//! A crawl, new or going on.

use std::time::Duration;

use rummage_store::{NewRun, Reader, RunInfo, RunKind, StoreError};

use super::beginning::Beginning;
use super::means::Means;
use super::{Earlier, Pass, memory};
use crate::args::Asking;
use crate::failure::Failure;
use crate::start::Start;
use crate::urls;

impl Pass {
    /// A new crawl. With `fresh`, all is asked, whatever earlier runs have seen.
    pub(crate) fn crawl(means: Means<'_>, start: Start, fresh: bool) -> Result<Pass, Failure> {
        let settled = Means { section: start.site, ..means }.settle(None);
        let beginning = Beginning::of(&start.text, &settled.asking)?;
        let mut settings = settled.settings()?;
        let mut fetching = settled.fetching(beginning.starts.first())?;
        beginning.tell(&mut settings, &mut fetching);
        let mut new = settled.new_run(&start.text, RunKind::Crawl);
        // The file is there when it is opened to write.
        let writer = settled.begin(new.clone())?;
        let reader = Reader::open(settled.store)?;
        let site = reader.site_of(&start.text)?.filter(|_| !fresh);
        let memory = match site {
            Some(site) => memory::of_sound(&settled, &site, new.started_at)?,
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
            ..Pass::new(&settled, beginning.starts, settings, fetching, writer)
        }
        .remembering(settled.store, memory.map(|(memory, _)| memory)))
    }

    /// A run that was stopped goes on. What it had been told to ask, it asks still, where
    /// what was typed does not say otherwise.
    pub(crate) fn resume(means: Means<'_>, run: RunInfo) -> Result<Pass, Failure> {
        let earlier: Asking = serde_json::from_str(&run.options)
            .map_err(|error| StoreError::Damaged(error.to_string()))?;
        // What a run keeps has no secrets: these come from the settings once more.
        let settled = means.settle(Some(earlier));
        let beginning = Beginning::of(&run.asked_for, &settled.asking)?;
        let mut settings = settled.settings()?;
        let mut fetching = settled.fetching(beginning.starts.first())?;
        beginning.tell(&mut settings, &mut fetching);
        let new = NewRun {
            started_at: run.started_at,
            epoch_at: run.epoch_at,
            ..settled.new_run(&run.asked_for, run.kind)
        };
        let looked_back = new.looked_back();
        let writer = settled.resume(run.number, new)?;
        // What is due waits for no longer than it would have.
        let wall = settled.clock.now().duration_since(run.epoch_at);
        let wall = Duration::try_from(wall).unwrap_or_default();
        // A recheck begins where its site does.
        let starts = match run.kind {
            RunKind::Crawl => beginning.starts,
            _ => urls::candidates(&run.start)?,
        };
        let reader = Reader::open(settled.store)?;
        Ok(Pass {
            under_way: wall.max(run.took + looked_back),
            asked_for: run.asked_for,
            // What was told of earlier runs stands in this one; what was not is asked.
            earlier: Some(Earlier { reader, run: run.number, site: run.site }),
            ..Pass::new(&settled, starts, settings, fetching, writer)
        })
    }
}
