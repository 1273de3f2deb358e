//! Prefix rewrites: one rule for many broken targets, after a server move, a renamed folder, or a
//! change of all extensions.

use std::collections::{BTreeMap, BTreeSet};

use super::folded::split_extension;
use super::known::KnownUrls;
use super::plan::Rule;

/// How many targets a rule must mend.
const FEWEST: usize = 3;
/// How many of the targets that a rule covers are requested at most.
pub const SAMPLE: usize = 50;

/// A rule, and the targets that it would mend.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RuleProposal {
    /// The rule, before anything was requested.
    pub rule: Rule,
    /// The targets that it covers, by their position in the list of targets.
    pub covers: Vec<usize>,
}

impl RuleProposal {
    /// The targets that are requested: all, or a sample spread over them.
    pub fn sample(&self) -> impl Iterator<Item = usize> + '_ {
        let count = self.covers.len();
        let taken = count.min(SAMPLE);
        (0..taken).map(move |number| self.covers[number * count / taken])
    }
}

/// Finds rules for targets, each given with the URL that it most likely meant, if there is one.
/// The rule that mends most comes first. A rule never covers a URL that works.
#[must_use]
pub fn find(targets: &[(&str, Option<&str>)], known: &KnownUrls) -> Vec<RuleProposal> {
    let mut votes: BTreeMap<(String, String), BTreeSet<usize>> = BTreeMap::new();
    for (at, (target, to)) in targets.iter().enumerate() {
        let Some(to) = to else { continue };
        for rewrite in rewrites(target, to) {
            votes.entry(rewrite).or_default().insert(at);
        }
    }
    let mut rated: Vec<(usize, RuleProposal)> = votes
        .into_iter()
        .filter(|((from, _), voters)| voters.len() >= FEWEST && !covers_working(from, known))
        .filter_map(|((from, to), _)| rate(from, to, targets, known))
        .collect();
    // Of equal rules, the one with the shorter prefix says more.
    rated.sort_by(|one, other| {
        other.0.cmp(&one.0).then(one.1.rule.from.len().cmp(&other.1.rule.from.len()))
    });
    let mut covered = BTreeSet::new();
    let mut found = Vec::new();
    for (_, mut proposal) in rated {
        proposal.covers.retain(|at| !covered.contains(at));
        if proposal.covers.len() >= FEWEST {
            covered.extend(proposal.covers.iter().copied());
            found.push(proposal);
        }
    }
    found
}

/// A rule with what it covers, unless it mends too few of them.
fn rate(
    from: String,
    to: String,
    targets: &[(&str, Option<&str>)],
    known: &KnownUrls,
) -> Option<(usize, RuleProposal)> {
    let rule = Rule { from, to, mends: 0, tried: 0, confidence: None };
    let mut mends = 0;
    let mut covers = Vec::new();
    for (at, (target, meant)) in targets.iter().enumerate() {
        let Some(new) = rule.rewrite(target) else { continue };
        covers.push(at);
        let bare = new.split('#').next().unwrap_or(&new);
        if *meant == Some(new.as_str()) || known.contains(bare) {
            mends += 1;
        }
    }
    let is_worth_it = mends >= FEWEST && 5 * mends >= 3 * covers.len();
    is_worth_it.then_some((mends, RuleProposal { rule, covers }))
}

fn covers_working(from: &str, known: &KnownUrls) -> bool {
    match from.split_once('*') {
        None => known.has_prefix(from),
        Some((before, after)) => known.any_with_prefix(before, |url| url.ends_with(after)),
    }
}

/// The rewrites that turn one URL into another: of the part before their longest common end, at a
/// slash; and of the extension, if only that differs in the file name.
fn rewrites(target: &str, to: &str) -> Vec<(String, String)> {
    let bare = |url: &str| url.split('#').next().unwrap_or_default().to_owned();
    let (one, other) = (bare(target), bare(to));
    let mut found = Vec::new();
    let end = common_end(&one, &other);
    // Of the host, nothing is cut.
    let is_after_host = |url: &str, length: usize| {
        let host = url.find("://").map_or(0, |at| at + 3);
        let path = url[host..].find('/').map_or(url.len(), |at| host + at + 1);
        url.len() - length >= path
    };
    if one != other && is_after_host(&one, end) && is_after_host(&other, end) {
        let from = &one[..one.len() - end];
        let to = &other[..other.len() - end];
        if from.ends_with('/') && to.ends_with('/') {
            found.push((from.to_owned(), to.to_owned()));
        }
    }
    found.extend(extension_rewrite(&one, &other));
    found
}

/// `…/*.htm` to `…/*.html`, in the folders that the two URLs have in common at the end.
fn extension_rewrite(one: &str, other: &str) -> Option<(String, String)> {
    let split = |url: &str| {
        let (folder, last) = url.rsplit_once('/')?;
        let (stem, _) = split_extension(last);
        (!stem.is_empty()).then(|| {
            let ending = last[stem.len()..].to_owned();
            (format!("{folder}/{stem}"), ending)
        })
    };
    let ((stem, ending), (other_stem, other_ending)) = (split(one)?, split(other)?);
    if ending == other_ending || ending.is_empty() {
        return None;
    }
    let end = common_end(&stem, &other_stem);
    let (from, to) = (&stem[..stem.len() - end], &other_stem[..other_stem.len() - end]);
    let (from, to) = if from.is_empty() {
        // The same folder: the rule is for this folder.
        let folder = &stem[..=stem.rfind('/')?];
        (folder, folder)
    } else {
        (from, to)
    };
    (from.ends_with('/') && to.ends_with('/'))
        .then(|| (format!("{from}*{ending}"), format!("{to}*{other_ending}")))
}

/// The length of the longest common end that starts after a slash.
fn common_end(one: &str, other: &str) -> usize {
    let bytes = one.bytes().rev().zip(other.bytes().rev());
    let same = bytes.take_while(|(one, other)| one == other).count();
    if same == one.len() || same == other.len() {
        return same;
    }
    // The bytes are equal from there on, so that it is a boundary of characters in both if it
    // comes after a slash.
    let end = &one.as_bytes()[one.len() - same..];
    let slash = end.iter().position(|byte| *byte == b'/');
    slash.map_or(0, |at| same - at - 1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mend::known::KnownUrl;

    fn known(urls: &[&str]) -> KnownUrls {
        KnownUrls::new(urls.iter().map(|url| KnownUrl::of(url)).collect())
    }

    fn rules(pairs: &[(&str, Option<&str>)], known: &KnownUrls) -> Vec<(String, String, usize)> {
        let found = find(pairs, known).into_iter();
        found.map(|p| (p.rule.from, p.rule.to, p.covers.len())).collect()
    }

    #[test]
    fn a_server_move_is_one_rule_and_covers_what_has_no_cure() {
        let known = known(&["https://a.test/x", "https://a.test/w/y", "https://a.test/w/z"]);
        let found = rules(
            &[
                ("http://old.test/~m/x", Some("https://a.test/x")),
                ("http://old.test/~m/w/y", Some("https://a.test/w/y")),
                ("http://old.test/~m/w/z#s", Some("https://a.test/w/z#s")),
                ("http://old.test/~m/lost", None),
                ("http://old.test/~other/q", None),
            ],
            &known,
        );
        assert_eq!(found, [("http://old.test/~m/".to_owned(), "https://a.test/".to_owned(), 4)]);
    }

    #[test]
    fn the_scheme_alone_is_no_rule() {
        let known = known(&["https://a.test/x", "https://a.test/w/y", "https://b.test/w/z"]);
        let pairs = [
            ("http://a.test/x", Some("https://a.test/x")),
            ("http://a.test/w/y", Some("https://a.test/w/y")),
            ("http://b.test/w/z", Some("https://b.test/w/z")),
        ];
        let found = rules(&pairs, &known);
        assert!(found.iter().all(|(from, ..)| from.ends_with(".test/")), "{found:?}");
    }

    #[test]
    fn a_renamed_folder_and_changed_extensions_are_rules() {
        let known =
            known(&["http://a.test/trails/1", "http://a.test/trails/2", "http://a.test/paths/9"]);
        let pair = |n| (format!("http://a.test/paths/b/{n}"), format!("http://a.test/trails/{n}"));
        let pairs: Vec<(String, String)> = (1..=3).map(pair).collect();
        let pairs: Vec<(&str, Option<&str>)> =
            pairs.iter().map(|(from, to)| (from.as_str(), Some(to.as_str()))).collect();
        let found = rules(&pairs, &known);
        assert_eq!(
            found,
            [("http://a.test/paths/b/".to_owned(), "http://a.test/trails/".to_owned(), 3)]
        );

        let found = rules(
            &[
                ("http://a.test/n/1.htm", Some("http://a.test/n/1.html")),
                ("http://a.test/n/2.htm", Some("http://a.test/n/2.html")),
                ("http://a.test/n/3.htm", Some("http://a.test/n/3.html")),
            ],
            &known,
        );
        let expected = ("http://a.test/n/*.htm".to_owned(), "http://a.test/n/*.html".to_owned(), 3);
        assert_eq!(found, [expected]);
    }

    #[test]
    fn no_rule_covers_a_url_that_works() {
        let known = known(&["http://a.test/paths/here"]);
        let pairs = [
            ("http://a.test/paths/1", Some("http://a.test/trails/1")),
            ("http://a.test/paths/2", Some("http://a.test/trails/2")),
            ("http://a.test/paths/3", Some("http://a.test/trails/3")),
        ];
        assert_eq!(rules(&pairs, &known), []);
    }

    #[test]
    fn a_sample_is_spread_over_the_targets() {
        let rule =
            Rule { from: String::new(), to: String::new(), mends: 0, tried: 0, confidence: None };
        let proposal = RuleProposal { rule, covers: (0..200).collect() };
        let sample: Vec<usize> = proposal.sample().collect();
        assert_eq!((sample.len(), sample[1], sample[49]), (SAMPLE, 4, 196));
    }
}
