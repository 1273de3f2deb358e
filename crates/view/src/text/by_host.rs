//! A block a host: what fails there, and how.

use std::cmp::Reverse;
use std::io::Write;

use rummage_core::findings::selection::host_of;
use rummage_store::Sift;

use super::cut::cut;
use super::tally::{self, tally};
use crate::ViewError;
use crate::gather::Gathered;
use crate::listing::Listing;
use crate::number::{count, counted};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};

pub(super) fn write(
    out: &mut dyn Write,
    gathered: Gathered<'_>,
    sift: &Sift<'_>,
    listing: &Listing,
) -> Result<(), ViewError> {
    let mut hosts = tally(gathered, tally::shown(listing), |group| {
        Ok(host_of(&sift.run().url(group.first.target)?).to_owned())
    })?;
    hosts.sort_by_key(|host| Reverse(host.targets));
    tally::sort(&mut hosts, listing);
    for host in hosts.iter().take(listing.limit.unwrap_or(usize::MAX)) {
        let targets = counted(host.targets, "target", "targets");
        let links = counted(host.links, "link", "links");
        let name = safe(&shorten(&host.name, 100)).to_string();
        writeln!(out, "\n{STRONG}{name}{STRONG:#}  {FAINT}{targets}, {links}{FAINT:#}")?;
        // Of a single target the line below says as much.
        let causes = if host.targets > 1 { host.causes() } else { &[] };
        for (at, ((verdict, cause), many)) in causes.iter().enumerate() {
            let style = style::of(*verdict);
            let cause = cause.map_or("answered", |cause| cause.words());
            let gap = if at == 0 { "  " } else { ", " };
            write!(out, "{gap}{style}{}{style:#} {cause}", count(*many))?;
        }
        if !causes.is_empty() {
            writeln!(out)?;
        }
        host.write_targets(out, sift)?;
    }
    cut(out, listing, hosts.len() as u64, "host", "hosts")
}
