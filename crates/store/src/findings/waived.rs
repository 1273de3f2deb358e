//! Waivers applied to the findings of a run.

use std::collections::{HashMap, HashSet};

use rummage_core::findings::compare::is_finding;
use rummage_core::findings::identity::TargetIdentity;
use rummage_core::findings::selection::{Selection, Standing};
use rummage_core::findings::waiver::{Facts, Waivers};
use rummage_core::verdict::{Cause, Verdict};

use crate::db::error::StoreError;
use crate::model::StoredUrl;
use crate::read::link_query::LinkMatch;
use crate::read::open::OpenRun;

/// What a waiver needs to know of a finding.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FindingFacts {
    /// The page with the link.
    pub page: String,
    /// The target, with its fragment.
    pub target: String,
    /// The cause.
    pub cause: Option<Cause>,
    /// The last status.
    pub status: Option<u16>,
    /// The final URL.
    pub last: String,
}

impl FindingFacts {
    /// The same, as the core takes it.
    #[must_use]
    pub fn facts(&self) -> Facts<'_> {
        Facts {
            page: &self.page,
            target: &self.target,
            cause: self.cause,
            status: self.status,
            last: &self.last,
        }
    }
}

impl OpenRun<'_> {
    /// What waivers need to know of a finding.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn facts(&self, found: &LinkMatch) -> Result<FindingFacts, StoreError> {
        let (status, last) = match self.outcome(found.target)? {
            Some(outcome) => (outcome.status, outcome.last),
            None => (None, None),
        };
        let mut facts = self.plain_facts(found)?;
        facts.last = match last {
            Some(last) => last,
            None => self.url(found.target)?,
        };
        Ok(FindingFacts { status, ..facts })
    }

    /// The same without the response.
    fn plain_facts(&self, found: &LinkMatch) -> Result<FindingFacts, StoreError> {
        let url = self.url(found.target)?;
        let target = self.contents.with(found.content, |said| match said.fragment {
            Some(fragment) => format!("{url}#{fragment}"),
            None => url.clone(),
        })?;
        Ok(FindingFacts {
            page: self.url(self.page_at(found.page))?,
            target,
            cause: found.cause,
            status: None,
            last: String::new(),
        })
    }

    /// Whether a waiver covers a finding.
    pub(crate) fn is_waived(&self, found: &LinkMatch) -> Result<bool, StoreError> {
        self.is_waived_by(found, &self.waivers)
    }

    /// Whether one of these waivers covers a finding.
    pub(crate) fn is_waived_by(
        &self,
        found: &LinkMatch,
        waivers: &Waivers,
    ) -> Result<bool, StoreError> {
        if waivers.is_empty() || !is_finding(found.verdict) {
            return Ok(false);
        }
        let plain = self.plain_facts(found)?;
        // The response is more expensive to fetch, and most findings match no pattern.
        if !waivers.0.iter().any(|waiver| waiver.fits(&plain.facts())) {
            return Ok(false);
        }
        Ok(waivers.hold(&self.facts(found)?.facts()))
    }

    /// The targets whose findings are all waived, with their verdicts.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn waived_targets(&self) -> Result<Vec<(StoredUrl, Verdict)>, StoreError> {
        if self.waivers.is_empty() {
            return Ok(Vec::new());
        }
        let mut waived: HashMap<TargetIdentity<StoredUrl>, (StoredUrl, Verdict)> = HashMap::new();
        let selection = Selection { standings: vec![Standing::Waived], ..Selection::default() };
        self.query(&selection)?.for_each(|found| {
            waived.entry(self.identity(found)?).or_insert((found.target, found.verdict));
            Ok::<_, StoreError>(())
        })?;
        if waived.is_empty() {
            return Ok(Vec::new());
        }
        let mut open: HashSet<TargetIdentity<StoredUrl>> = HashSet::new();
        let selection = Selection::default();
        self.query(&selection)?.for_each(|found| {
            open.insert(self.identity(found)?);
            Ok::<_, StoreError>(())
        })?;
        waived.retain(|key, _| !open.contains(key));
        let mut targets: Vec<(StoredUrl, Verdict)> = waived.into_values().collect();
        targets.sort_unstable_by_key(|(url, _)| *url);
        Ok(targets)
    }
}
