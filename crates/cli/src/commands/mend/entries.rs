//! From what was tried to the entries of a plan.

use std::cmp::Reverse;

use rummage_core::mend::plan::{Action, Mend};
use rummage_core::mend::{Confidence, Fault};
use url::Url;

use super::cases::Case;
use super::faults::Faulty;
use super::mass::FoundRule;
use crate::plan_file::{MendEntry, PlanFile, RuleEntry};

/// How many other candidates a plan mentions.
const OTHERS: usize = 2;

/// What a plan is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Aim {
    /// Links get another URL.
    Links,
    /// Visitors who request an old URL are redirected.
    Visitors,
}

/// The plan: rules first, then single repairs, the surest first, of those the most frequent; for
/// visitors, the most wanted first.
pub(super) fn plan(site: Option<Url>, cases: &[Case], rules: &[FoundRule], aim: Aim) -> PlanFile {
    let rule = |found: &FoundRule| {
        let covers = rummage_view::counted(found.covers as u64, "target", "targets");
        RuleEntry { rule: found.rule.clone(), remarks: vec![format!("applies to {covers}")] }
    };
    let mut single: Vec<&Case> = cases.iter().filter(|case| case.rule.is_none()).collect();
    single.sort_by_key(|case| match aim {
        Aim::Links => {
            let confidence = case.proposals.first().map(|best| best.confidence);
            Reverse((confidence, case.faulty.places))
        }
        Aim::Visitors => Reverse((None, case.faulty.places)),
    });
    PlanFile {
        site,
        rules: rules.iter().map(rule).collect(),
        mends: single.into_iter().map(|case| entry(case, aim)).collect(),
    }
}

/// A single repair, with other choices as comments.
fn entry(case: &Case, aim: Aim) -> MendEntry {
    let Faulty { fault, places, is_linked, .. } = &case.faulty;
    let best = case.proposals.first();
    let is_sure = best.is_some_and(|best| best.confidence != Confidence::Low);
    let mut remarks: Vec<String> = case
        .proposals
        .iter()
        .skip(1)
        .take(OTHERS)
        .map(|other| {
            format!(
                "or to = {}  # {}: {}; {}",
                toml_edit::Value::from(other.to.as_str()),
                other.confidence.as_str(),
                other.reason.words(),
                other.evidence
            )
        })
        .collect();
    let action = match (aim, best) {
        (Aim::Links, _) if is_sure => Action::Replace,
        (Aim::Visitors, _) if is_sure => Action::Redirect,
        // What the site links to itself is meant to be there.
        (Aim::Visitors, None) if !is_linked && !is_for_programs(&fault.target) => Action::Gone,
        _ => Action::Leave,
    };
    if aim == Aim::Visitors && *is_linked {
        remarks.push(
            "pages of the site link to it: rummage mend propose without --arrivals".to_owned(),
        );
    }
    if action == Action::Leave {
        remarks.extend(choices(fault, best.is_some(), aim));
    }
    let why = match best {
        Some(best) if best.is_ambiguous => {
            format!("{}; another URL fits as well", best.reason.words())
        }
        Some(best) => best.reason.words(),
        None => "no URL was found that it may have meant".to_owned(),
    };
    let (places, visits) = match aim {
        Aim::Links => (Some(*places), None),
        Aim::Visitors => (None, Some(*places)),
    };
    MendEntry {
        mend: Mend {
            target: fault.target.clone(),
            action,
            to: best.map(|best| best.to.clone()),
            confidence: best.map(|best| best.confidence),
        },
        why: Some(why),
        tried: best.map(|best| best.evidence.clone()),
        places,
        visits,
        remarks,
    }
}

/// What a rule covers although it is not known to be broken.
pub(super) fn spared(target: &str) -> MendEntry {
    MendEntry {
        mend: Mend { target: target.to_owned(), action: Action::Leave, to: None, confidence: None },
        why: Some("a rule covers it, but it was not found broken".to_owned()),
        tried: None,
        places: None,
        visits: None,
        remarks: vec!["without this entry, the rule applies to it".to_owned()],
    }
}

/// What else could be done with a target that is left.
fn choices(fault: &Fault, has_candidate: bool, aim: Aim) -> Vec<String> {
    let mut choices = Vec::new();
    let mut add = |text: &str| choices.push(text.to_owned());
    match aim {
        Aim::Links => {
            if has_candidate {
                add("or action = \"replace\"");
            }
            match fault.is_image {
                true => add("or action = \"drop\"    # removes the image"),
                false => add("or action = \"unwrap\"  # removes the link, keeps its text"),
            }
        }
        Aim::Visitors => {
            if has_candidate {
                add("or action = \"redirect\"");
            }
            add("or action = \"gone\"");
        }
    }
    choices
}

/// Files that programs request whether or not a site ever had them: nothing is gone.
fn is_for_programs(target: &str) -> bool {
    let path = rummage_core::url::reference::path_of(target);
    path.starts_with("/.well-known/")
        || path.starts_with("/apple-touch-icon")
        || ["/robots.txt", "/favicon.ico", "/sitemap.xml", "/ads.txt"].contains(&path)
}
