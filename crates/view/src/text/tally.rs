//! Targets by name, with their verdicts and causes: for hosts and causes.

use std::collections::HashMap;
use std::io::Write;

use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{LinkQuery, LinkRow};

use super::blocks::{LONGEST, target};
use crate::ViewError;
use crate::columns::Cell;
use crate::grouping::{Group, Grouped};
use crate::listing::Listing;
use crate::number::{counted, rest};
use crate::phrase::cause_of;
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT};

/// How many targets are shown for each name.
pub(crate) fn shown(listing: &Listing) -> usize {
    if listing.unfold { usize::MAX } else { 5 }
}

/// The targets under one name.
pub(crate) struct Tally {
    pub(crate) name: String,
    /// The first of its targets, which are shown.
    pub(crate) first: Vec<Group>,
    pub(crate) targets: u64,
    pub(crate) links: u64,
    causes: Causes,
}

/// How many targets have each verdict and cause, in order of severity.
type Causes = Vec<((Verdict, Option<Cause>), u64)>;

/// Groups targets by name, in the order of the names. Only the first `most` targets of each name
/// are kept.
pub(crate) fn tally(
    grouped: Grouped<'_>,
    most: usize,
    mut name: impl FnMut(&Group) -> Result<String, ViewError>,
) -> Result<Vec<Tally>, ViewError> {
    let mut tallies: Vec<Tally> = Vec::new();
    let mut known: HashMap<String, usize> = HashMap::new();
    for group in grouped.groups() {
        let name = name(group)?;
        let at = *known.entry(name.clone()).or_insert(tallies.len());
        if at == tallies.len() {
            let causes = Causes::new();
            tallies.push(Tally { name, first: Vec::new(), targets: 0, links: 0, causes });
        }
        tallies[at].add(group, most);
    }
    Ok(tallies)
}

impl Tally {
    fn add(&mut self, group: &Group, most: usize) {
        self.targets += 1;
        self.links += u64::from(group.links);
        if self.first.len() < most {
            self.first.push(group.clone());
        }
        let key = (group.first.verdict, group.first.cause);
        match self.causes.iter_mut().find(|(known, _)| *known == key) {
            Some((_, count)) => *count += 1,
            None => self.causes.push((key, 1)),
        }
    }

    /// The verdicts and causes of its targets, worst first, with their counts.
    pub(crate) fn causes(&self) -> &[((Verdict, Option<Cause>), u64)] {
        &self.causes
    }

    /// Writes the first of its targets, with the number of pages for each.
    pub(crate) fn write_targets(
        &self,
        out: &mut dyn Write,
        query: &LinkQuery<'_>,
    ) -> Result<(), ViewError> {
        for group in &self.first {
            write_target(out, &query.row(&group.first)?, group.prominence.pages)?;
        }
        if let Some(rest) = rest(self.targets, self.first.len()) {
            writeln!(out, "  {FAINT}{rest}: --unfold{FAINT:#}")?;
        }
        Ok(())
    }
}

fn write_target(out: &mut dyn Write, first: &LinkRow, pages: u32) -> Result<(), ViewError> {
    let style = style::of(first.outcome.verdict);
    let verdict = first.outcome.verdict.as_str();
    let name = safe(&shorten(&target(first), LONGEST)).to_string();
    let pages = counted(u64::from(pages), "page", "pages");
    write!(out, "  {style}{verdict:8}{style:#} {name}  {FAINT}on {pages}{FAINT:#}")?;
    writeln!(out, "  {}", cause_of(first))?;
    Ok(())
}

/// Sorts tallies by the key of the listing: `name`, `targets`, `links`.
pub(crate) fn sort(tallies: &mut [Tally], listing: &Listing) {
    let Some(sort) = &listing.sort else { return };
    let key = |tally: &Tally| match sort.key.as_str() {
        "targets" => Cell::Number(tally.targets),
        "links" => Cell::Number(tally.links),
        _ => tally.name.as_str().into(),
    };
    tallies.sort_by(|one, other| crate::rows::compare(&key(one), &key(other), sort));
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::{link_row, plain};

    #[test]
    fn a_target_shows_on_how_many_pages_it_is() {
        let text = plain(|out| write_target(out, &link_row(), 1_200));
        assert_eq!(text, "  broken   http://a.test/gone  on 1,200 pages  404 Not Found\n");
    }
}
