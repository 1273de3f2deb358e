//! Cycles in a graph: its strongly connected components with more than one file.

use std::collections::{BTreeMap, BTreeSet};

use crate::source::Needs;

/// The cycles, each sorted, in order of their first name.
pub(crate) fn find(needs: &Needs) -> Vec<Vec<String>> {
    let reach: BTreeMap<&str, BTreeSet<&str>> =
        needs.keys().map(|file| (file.as_str(), reachable(needs, file))).collect();
    let mut seen = BTreeSet::new();
    let mut circles = Vec::new();
    for file in needs.keys() {
        let back = |other: &&&str| reach.get(**other).is_some_and(|of| of.contains(file.as_str()));
        let circle: BTreeSet<&str> = reach[file.as_str()].iter().filter(back).copied().collect();
        if circle.contains(file.as_str()) && seen.insert(circle.clone()) {
            circles.push(circle.into_iter().map(str::to_owned).collect());
        }
    }
    circles
}

/// The files that a file needs, directly or indirectly.
fn reachable<'a>(needs: &'a Needs, from: &str) -> BTreeSet<&'a str> {
    let mut found = BTreeSet::new();
    let mut todo: Vec<&str> =
        needs.get(from).into_iter().flat_map(|of| of.keys()).map(String::as_str).collect();
    while let Some(file) = todo.pop() {
        if let Some((file, of)) = needs.get_key_value(file)
            && found.insert(file.as_str())
        {
            todo.extend(of.keys().map(String::as_str));
        }
    }
    found
}
