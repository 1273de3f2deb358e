//! Which of the candidates that responded well is proposed, and how sure that is.

use super::{Candidate, Confidence, Reason};

/// A candidate that was requested and works.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tried {
    /// The candidate.
    pub candidate: Candidate,
    /// Where its permanent redirects end, if it has any.
    pub moved_to: Option<String>,
    /// What the request showed, in words.
    pub evidence: String,
}

/// A URL to link to instead.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proposal {
    /// The URL.
    pub to: String,
    /// How sure it is.
    pub confidence: Confidence,
    /// Why it was chosen.
    pub reason: Reason,
    /// What the request showed, in words.
    pub evidence: String,
    /// Another one fits as well.
    pub is_ambiguous: bool,
    score: u8,
}

/// Two candidates that are this close in plausibility fit equally well.
const CLOSE: u8 = 5;
/// By how much equal candidates lower each other.
const AMBIGUOUS: u8 = 22;

/// Ranks the candidates that work, best first.
#[must_use]
pub fn choose(tried: Vec<Tried>) -> Vec<Proposal> {
    let mut all: Vec<Proposal> = Vec::new();
    for Tried { candidate, moved_to, evidence } in tried {
        let Candidate { to, reason, score, is_known } = candidate;
        let to = moved_to.unwrap_or(to);
        // A guess that works is as good as a known URL, except that nothing else links to it.
        let score = if is_known { score } else { score.saturating_sub(2) };
        match all.iter_mut().find(|other| other.to == to) {
            Some(other) if other.score >= score => {}
            Some(other) => *other = proposal(to, reason, score, evidence),
            None => all.push(proposal(to, reason, score, evidence)),
        }
    }
    all.sort_by(|one, other| other.score.cmp(&one.score).then_with(|| one.to.cmp(&other.to)));
    // Whichever form of a page is chosen, the visitor gets there: the others are no choice.
    let mut kept: Vec<Proposal> = Vec::new();
    for proposal in all {
        if !kept.iter().any(|better| is_same_page(&better.to, &proposal.to)) {
            kept.push(proposal);
        }
    }
    let scores: Vec<u8> = kept.iter().map(|proposal| proposal.score).collect();
    for (at, proposal) in kept.iter_mut().enumerate() {
        let mut others = scores.iter().enumerate().filter(|(other, _)| *other != at);
        let has_rival = others.any(|(_, score)| score.abs_diff(proposal.score) <= CLOSE);
        if has_rival && proposal.reason != Reason::Redirect {
            proposal.is_ambiguous = true;
            proposal.confidence = Confidence::of_score(proposal.score.saturating_sub(AMBIGUOUS));
        }
    }
    kept
}

/// Whether two URLs are the same page but for scheme, `www.`, slash, index page or extension, and
/// have the same anchor.
fn is_same_page(one: &str, other: &str) -> bool {
    let key = |text: &str| {
        let url = url::Url::parse(text).ok()?;
        Some((super::folded::Parts::of(&url).key(), url.fragment().map(str::to_owned)))
    };
    key(one).is_some_and(|one| Some(one) == key(other))
}

fn proposal(to: String, reason: Reason, score: u8, evidence: String) -> Proposal {
    let confidence = Confidence::of_score(score);
    Proposal { to, confidence, reason, evidence, is_ambiguous: false, score }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tried(to: &str, score: u8) -> Tried {
        let reason = Reason::Typing { edits: 1 };
        let candidate = Candidate { to: to.to_owned(), reason, score, is_known: true };
        Tried { candidate, moved_to: None, evidence: "200 OK".to_owned() }
    }

    #[test]
    fn candidates_that_fit_equally_well_lower_each_other() {
        let alone = choose(vec![tried("https://a.test/bells", 88), tried("https://a.test/x", 50)]);
        assert_eq!(alone[0].confidence, Confidence::High);
        let equal =
            choose(vec![tried("https://a.test/bell", 88), tried("https://a.test/belt", 86)]);
        assert_eq!(equal[0].to, "https://a.test/bell");
        assert!(equal.iter().all(|found| found.is_ambiguous));
        assert_eq!(equal[0].confidence, Confidence::Medium);
    }

    #[test]
    fn two_forms_of_one_page_do_not() {
        let forms =
            choose(vec![tried("https://a.test/bells", 88), tried("http://a.test/bells/", 86)]);
        assert_eq!((forms.len(), forms[0].confidence), (1, Confidence::High));
        let redirected = Tried {
            moved_to: Some("https://a.test/bells".to_owned()),
            ..tried("https://a.test/b", 86)
        };
        let one = choose(vec![tried("https://a.test/bells", 88), redirected]);
        assert_eq!(one.len(), 1);
    }
}
