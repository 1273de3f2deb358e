//! Targets gathered under a name, with what befell them: for hosts and causes.

use std::collections::HashMap;
use std::io::Write;

use rummage_core::verdict::{Cause, Verdict};
use rummage_store::Sift;

use super::blocks::{LONGEST, target};
use crate::ViewError;
use crate::cells::Cell;
use crate::gather::{Gathered, Group};
use crate::listing::Listing;
use crate::number::counted;
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT};

/// Targets that are shown of each name.
const SHOWN: usize = 5;

/// Targets under one name.
pub(crate) struct Tally<'a> {
    pub(crate) name: String,
    pub(crate) groups: Vec<&'a Group>,
    pub(crate) links: u64,
}

/// Gathers targets under names, in the order in which the names come.
pub(crate) fn tally<'a>(
    gathered: &'a Gathered<'_>,
    mut name: impl FnMut(&Group) -> Result<String, ViewError>,
) -> Result<Vec<Tally<'a>>, ViewError> {
    let mut tallies: Vec<Tally<'a>> = Vec::new();
    let mut known: HashMap<String, usize> = HashMap::new();
    for group in gathered.groups() {
        let name = name(group)?;
        let at = *known.entry(name.clone()).or_insert(tallies.len());
        if at == tallies.len() {
            tallies.push(Tally { name, groups: Vec::new(), links: 0 });
        }
        tallies[at].groups.push(group);
        tallies[at].links += u64::from(group.links);
    }
    Ok(tallies)
}

impl Tally<'_> {
    /// What befell its targets, the worst first, with how many of them.
    pub(crate) fn causes(&self) -> Vec<((Verdict, Option<Cause>), u64)> {
        let mut causes: Vec<((Verdict, Option<Cause>), u64)> = Vec::new();
        for group in &self.groups {
            let key = (group.first.verdict, group.first.cause);
            match causes.iter_mut().find(|(known, _)| *known == key) {
                Some((_, count)) => *count += 1,
                None => causes.push((key, 1)),
            }
        }
        causes
    }

    /// The first of its targets, and how many pages have each.
    pub(crate) fn write_targets(
        &self,
        out: &mut dyn Write,
        sift: &Sift<'_>,
        listing: &Listing,
    ) -> Result<(), ViewError> {
        let most = if listing.unfold { usize::MAX } else { SHOWN };
        for group in self.groups.iter().take(most) {
            let first = sift.row(&group.first)?;
            let style = style::of(first.outcome.verdict);
            let verdict = first.outcome.verdict.as_str();
            let name = safe(&shorten(&target(&first), LONGEST)).to_string();
            let pages = counted(u64::from(group.reach.pages), "page", "pages");
            write!(out, "  {style}{verdict:8}{style:#} {name}  {FAINT}on {pages}{FAINT:#}")?;
            writeln!(out, "  {}", super::blocks::says(&first.outcome))?;
        }
        let more = self.groups.len().saturating_sub(most) as u64;
        if more > 0 {
            writeln!(out, "  {FAINT}and {}: --unfold{FAINT:#}", counted(more, "more", "more"))?;
        }
        Ok(())
    }
}

/// Puts tallies into the order that was asked for: `name`, `targets`, `links`.
pub(crate) fn sort(tallies: &mut [Tally<'_>], listing: &Listing) {
    let Some(sort) = &listing.sort else { return };
    let key = |tally: &Tally<'_>| match sort.key.as_str() {
        "targets" => Cell::Number(tally.groups.len() as u64),
        "links" => Cell::Number(tally.links),
        _ => tally.name.as_str().into(),
    };
    tallies.sort_by(|one, other| crate::rows::compare(&key(one), &key(other), sort));
}
