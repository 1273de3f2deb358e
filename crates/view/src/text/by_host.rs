//! A block per host: how many of its targets fail, and why.

use std::cmp::Reverse;
use std::io::Write;

use rummage_core::findings::selection::host_of;
use rummage_store::LinkQuery;

use super::cut::cut;
use super::tally::{self, Tally, tally};
use crate::ViewError;
use crate::grouping::Grouped;
use crate::listing::Listing;
use crate::number::{count, counted};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};

pub(super) fn write(
    out: &mut dyn Write,
    grouped: Grouped<'_>,
    query: &LinkQuery<'_>,
    listing: &Listing,
) -> Result<(), ViewError> {
    let mut hosts = tally(grouped, tally::shown(listing), |group| {
        Ok(host_of(&query.run().url(group.first.target)?).to_owned())
    })?;
    hosts.sort_by_key(|host| Reverse(host.targets));
    tally::sort(&mut hosts, listing);
    for host in hosts.iter().take(listing.limit.unwrap_or(usize::MAX)) {
        write_head(out, host)?;
        host.write_targets(out, query)?;
    }
    cut(out, listing, hosts.len() as u64, "host", "hosts")
}

fn write_head(out: &mut dyn Write, host: &Tally) -> Result<(), ViewError> {
    let targets = counted(host.targets, "target", "targets");
    let links = counted(host.links, "link", "links");
    let name = safe(&shorten(&host.name, 100)).to_string();
    writeln!(out, "\n{STRONG}{name}{STRONG:#}  {FAINT}{targets}, {links}{FAINT:#}")?;
    // For a single target, the line below shows the same.
    let causes = if host.targets > 1 { host.causes() } else { &[] };
    for (at, ((verdict, cause), many)) in causes.iter().enumerate() {
        let style = style::of(*verdict);
        let cause = cause.map_or("works", |cause| cause.words());
        let gap = if at == 0 { "  " } else { ", " };
        write!(out, "{gap}{style}{cause}{style:#} ({})", count(*many))?;
    }
    if !causes.is_empty() {
        writeln!(out)?;
    }
    Ok(())
}
