//! Rules for many targets, each tried on the targets that it covers or on a sample of them.

use std::collections::{BTreeSet, HashSet};

use rummage_core::mend::Confidence;
use rummage_core::mend::known::KnownUrls;
use rummage_core::mend::plan::Rule;
use rummage_core::mend::rules;
use rummage_store::{OpenRun, StoreError};

use super::cases::Case;
use super::places;
use super::trials::Trials;
use crate::failure::Failure;

/// How many targets a rule must mend, and what percentage of those tried.
const FEWEST: usize = 3;
const SHARE: usize = 60;
/// From this percentage on, it is sure.
const SURE: usize = 90;

/// A rule that works.
pub(super) struct FoundRule {
    pub(super) rule: Rule,
    /// How many targets it covers.
    pub(super) covers: usize,
}

/// Finds rules, tries them, and marks the cases that they mend.
pub(super) fn find(
    cases: &mut [Case],
    known: &KnownUrls,
    trials: &mut Trials<'_>,
    may: &impl Fn(&str) -> bool,
) -> Result<Vec<FoundRule>, Failure> {
    let likely = |case: &Case| case.proposals.first().map(|best| best.to.clone());
    let likely: Vec<Option<String>> = cases.iter().map(likely).collect();
    let targets: Vec<(&str, Option<&str>)> = cases
        .iter()
        .zip(&likely)
        .map(|(case, to)| (case.faulty.fault.target.as_str(), to.as_deref()))
        .collect();
    let proposals = rules::find(&targets, known);
    // Of each rule, the targets of the sample with their new URLs.
    let samples: Vec<Vec<(usize, String)>> = proposals
        .iter()
        .map(|proposal| {
            let new = |at: usize| Some((at, proposal.rule.rewrite(targets[at].0)?));
            proposal.sample().filter_map(new).filter(|(_, url)| may(url)).collect()
        })
        .collect();
    trials.request(samples.iter().flatten().map(|(_, url)| url.as_str()))?;
    let mut found = Vec::new();
    let mut mended: Vec<(usize, usize)> = Vec::new();
    for (proposal, sample) in proposals.iter().zip(&samples) {
        let tried: Vec<&(usize, String)> =
            sample.iter().filter(|(_, url)| trials.has(url)).collect();
        let works = |(_, url): &&&(usize, String)| trials.works(url).is_some();
        let mends = tried.iter().filter(works).count();
        let share = if tried.is_empty() { 0 } else { 100 * mends / tried.len() };
        if mends < FEWEST || share < SHARE {
            continue;
        }
        let confidence = if share >= SURE { Confidence::High } else { Confidence::Medium };
        let failed: HashSet<usize> =
            tried.iter().filter(|one| !works(one)).map(|(at, _)| *at).collect();
        let covered = proposal.covers.iter().filter(|at| !failed.contains(at));
        mended.extend(covered.map(|at| (*at, found.len())));
        let rule = Rule {
            mends: mends as u64,
            tried: tried.len() as u64,
            confidence: Some(confidence),
            ..proposal.rule.clone()
        };
        found.push(FoundRule { rule, covers: proposal.covers.len() });
    }
    for (at, rule) in mended {
        cases[at].rule = Some(rule);
    }
    Ok(found)
}

/// The linked URLs that rules cover although nothing is to be done about them: doubtful ones, such
/// as pages behind a login, and those that were not checked or not selected. They were
/// not found broken, so that the plan leaves them alone.
pub(super) fn spared(
    run: &OpenRun<'_>,
    cases: &[Case],
    rules: &[FoundRule],
) -> Result<BTreeSet<String>, StoreError> {
    let bare = |case: &Case| case.faulty.fault.split().0.to_owned();
    let cases: HashSet<String> = cases.iter().map(bare).collect();
    let mut spared = BTreeSet::new();
    for found in rules {
        let covered = places::covered(run, &found.rule)?.into_iter();
        let is_spared = |(id, url): &(_, String)| run.is_linked(*id) && !cases.contains(url);
        spared.extend(covered.filter(is_spared).map(|(_, url)| url));
    }
    Ok(spared)
}
