//! Requests candidates in rounds, each URL once.

use std::collections::HashMap;

use http::StatusCode;
use rummage_core::mend::Candidate;
use rummage_core::mend::choose::Tried;
use rummage_core::verdict::Verdict;
use rummage_engine::InternalError;
use rummage_store::Outcome;

use crate::failure::Failure;
use crate::jobs::Trial;

/// What was requested so far.
pub(super) struct Trials<'a> {
    trial: Trial<'a>,
    /// By URL, without fragment; `None` if it was not reached.
    outcomes: HashMap<String, Option<Outcome>>,
    /// Whether everything was reached.
    pub(super) is_whole: bool,
    pub(super) internal_errors: Vec<InternalError>,
}

impl<'a> Trials<'a> {
    pub(super) fn new(trial: Trial<'a>) -> Trials<'a> {
        Trials { trial, outcomes: HashMap::new(), is_whole: true, internal_errors: Vec::new() }
    }

    /// Requests those of these URLs that were not requested yet.
    pub(super) fn request<'u>(
        &mut self,
        urls: impl Iterator<Item = &'u str>,
    ) -> Result<(), Failure> {
        let mut new: Vec<String> = Vec::new();
        for url in urls {
            let bare = without_fragment(url);
            if !self.outcomes.contains_key(bare) {
                self.outcomes.insert(bare.to_owned(), None);
                new.push(bare.to_owned());
            }
        }
        // After Ctrl-C, nothing more is requested.
        if !self.is_whole {
            return Ok(());
        }
        let tried = self.trial.run(&new, "candidates")?;
        self.is_whole &= tried.is_whole;
        self.internal_errors.extend(tried.internal_errors);
        for (url, outcome) in new.into_iter().zip(tried.outcomes) {
            self.outcomes.insert(url, outcome);
        }
        Ok(())
    }

    /// How many URLs were requested.
    pub(super) fn count(&self) -> usize {
        self.outcomes.values().flatten().count()
    }

    /// Whether a URL was reached.
    pub(super) fn has(&self, url: &str) -> bool {
        self.outcome(url).is_some()
    }

    /// What the request for a URL showed.
    pub(super) fn outcome(&self, url: &str) -> Option<&Outcome> {
        self.outcomes.get(without_fragment(url))?.as_ref()
    }

    /// Whether a URL works, and with what evidence.
    pub(super) fn works(&self, url: &str) -> Option<(Option<String>, String)> {
        let outcome = self.outcome(url)?;
        let works = matches!(outcome.verdict, Verdict::Sound | Verdict::Moved);
        works.then(|| (outcome.moved_to.clone(), evidence(outcome)))
    }

    /// A candidate that works.
    pub(super) fn tried(&self, candidate: &Candidate) -> Option<Tried> {
        let (moved_to, evidence) = self.works(&candidate.to)?;
        let fragment = candidate.to.split_once('#').map(|(_, fragment)| fragment);
        let moved_to = moved_to.map(|to| match fragment {
            Some(fragment) if !to.contains('#') => format!("{to}#{fragment}"),
            _ => to,
        });
        Some(Tried { candidate: candidate.clone(), moved_to, evidence })
    }
}

fn without_fragment(url: &str) -> &str {
    url.split('#').next().unwrap_or(url)
}

/// What the last response was, in words.
fn evidence(outcome: &Outcome) -> String {
    let Some(status) = outcome.status else { return "works".to_owned() };
    let reason = StatusCode::from_u16(status).ok().and_then(|code| code.canonical_reason());
    let text = format!("{status} {}", reason.unwrap_or_default());
    match outcome.hops {
        0 => text.trim_end().to_owned(),
        1 => format!("{} after 1 redirect", text.trim_end()),
        hops => format!("{} after {hops} redirects", text.trim_end()),
    }
}
