//! A block per cause, with its targets.

use std::io::Write;

use rummage_core::verdict::Cause;
use rummage_store::LinkQuery;

use super::cut::cut;
use super::tally::{self, tally};
use crate::ViewError;
use crate::grouping::{Group, Grouped};
use crate::listing::Listing;
use crate::number::counted;
use crate::style::{self, FAINT};

pub(super) fn write(
    out: &mut dyn Write,
    grouped: Grouped<'_>,
    query: &LinkQuery<'_>,
    listing: &Listing,
) -> Result<(), ViewError> {
    let mut causes = tally(grouped, tally::shown(listing), |group| {
        let cause = group.first.cause.map_or("", Cause::as_str);
        Ok(format!("{} {cause}", group.first.verdict))
    })?;
    tally::sort(&mut causes, listing);
    for of in causes.iter().take(listing.limit.unwrap_or(usize::MAX)) {
        let Some(Group { first, .. }) = of.first.first() else { continue };
        let style = style::of(first.verdict);
        let words = first.cause.map_or("answered", Cause::words);
        let targets = counted(of.targets, "target", "targets");
        let links = counted(of.links, "link", "links");
        let name = first.cause.map(|cause| format!(" ({cause})")).unwrap_or_default();
        writeln!(
            out,
            "\n{style}{}{style:#}  {words}{name}  {FAINT}{targets}, {links}{FAINT:#}",
            first.verdict
        )?;
        if let Some(means) = first.cause.map(Cause::meaning) {
            writeln!(out, "  {FAINT}{means}{FAINT:#}")?;
        }
        of.write_targets(out, query)?;
    }
    cut(out, listing, causes.len() as u64, "cause", "causes")
}
