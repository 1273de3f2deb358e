//! The targets of a proposal, their candidates, and what became of them.

use std::collections::BTreeMap;

use rummage_core::mend::Candidate;
use rummage_core::mend::anchors::Anchors;
use rummage_core::mend::choose::{Proposal, Tried, choose};
use rummage_core::mend::known::KnownUrls;
use rummage_core::mend::makers::candidates;
use rummage_store::OpenRun;
use rummage_view::safe;

use super::faults::Faulty;
use super::trials::Trials;
use crate::config::Section;
use crate::failure::Failure;
use crate::jobs::PageSources;

/// Candidates of the first round: the most plausible ones.
const FIRST: usize = 3;

/// One as plausible as this is not compared with less plausible ones.
const PLAUSIBLE: u8 = 80;

/// A target, its candidates and what became of them.
pub(super) struct Case {
    pub(super) faulty: Faulty,
    candidates: Vec<Candidate>,
    /// The candidates that work, best first.
    pub(super) proposals: Vec<Proposal>,
    /// The rule that mends it, by its position.
    pub(super) rule: Option<usize>,
}

impl Case {
    /// A target with its candidates, of those that may be requested.
    pub(super) fn new(faulty: Faulty, known: &KnownUrls, may: &impl Fn(&str) -> bool) -> Case {
        let mut candidates = match faulty.anchor {
            Some(_) => Vec::new(),
            None => candidates(&faulty.fault, known),
        };
        candidates.retain(|candidate| may(&candidate.to));
        Case { faulty, candidates, proposals: Vec::new(), rule: None }
    }
}

/// Requests the candidates: first the most plausible ones of each target, then the others of
/// those targets for which none works.
pub(super) fn try_all(cases: &mut [Case], trials: &mut Trials<'_>) -> Result<(), Failure> {
    let first = cases.iter().flat_map(|case| case.candidates.iter().take(FIRST));
    trials.request(first.map(|candidate| candidate.to.as_str()))?;
    let is_open = |case: &&Case| {
        let mut first = case.candidates.iter().take(FIRST);
        !first.any(|one| trials.works(&one.to).is_some() && one.score >= PLAUSIBLE)
    };
    let open: Vec<&str> = cases
        .iter()
        .filter(is_open)
        .flat_map(|case| case.candidates.iter().skip(FIRST))
        .map(|candidate| candidate.to.as_str())
        .collect();
    trials.request(open.into_iter())?;
    for case in cases {
        let tried = case.candidates.iter().filter_map(|candidate| trials.tried(candidate));
        // A candidate that redirects to the target itself is none.
        let target = &case.faulty.fault.target;
        let leads_on = |tried: &Tried| tried.moved_to.as_ref() != Some(target);
        case.proposals = choose(tried.filter(leads_on).collect());
    }
    Ok(())
}

/// Looks for other anchors on the pages whose anchors are missing. Returns which pages could not
/// be read, and why.
pub(super) fn find_anchors(
    cases: &mut [Case],
    run: &OpenRun<'_>,
    settings: &Section,
) -> Result<Vec<String>, Failure> {
    let mut by_page: BTreeMap<String, Vec<usize>> = BTreeMap::new();
    for (at, case) in cases.iter().enumerate() {
        if let Some((page, _)) = &case.faulty.anchor {
            by_page.entry(page.clone()).or_default().push(at);
        }
    }
    if by_page.is_empty() {
        return Ok(Vec::new());
    }
    let sources = PageSources::of(run, settings)?;
    let mut unread = Vec::new();
    for (page, wanted) in by_page {
        let source = match sources.get(&page) {
            Ok(source) => source,
            Err(why) => {
                unread.push(format!("cannot look for anchors on {}: {}", safe(&page), safe(&why)));
                continue;
            }
        };
        let anchors = Anchors::of_page(&source);
        for at in wanted {
            let Case { faulty, candidates, proposals, .. } = &mut cases[at];
            let Some((_, fragment)) = &faulty.anchor else { continue };
            *candidates = anchors.candidates(&page, fragment, &faulty.fault.texts);
            let tried = candidates.iter().map(|candidate| Tried {
                candidate: candidate.clone(),
                moved_to: None,
                evidence: "the anchor is on the page".to_owned(),
            });
            *proposals = choose(tried.collect());
        }
    }
    Ok(unread)
}
