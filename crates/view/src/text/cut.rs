//! What a limit cuts off.

use std::io::Write;

use crate::ViewError;
use crate::listing::Listing;

/// Writes how many of all are shown, unless all are.
pub(super) fn cut(
    out: &mut dyn Write,
    listing: &Listing,
    all: u64,
    one: &str,
    many: &str,
) -> Result<(), ViewError> {
    if let Some(cut) = listing.cut(all, one, many) {
        writeln!(out, "\n{cut}: --limit")?;
    }
    Ok(())
}
