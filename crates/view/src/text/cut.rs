//! What a limit has cut.

use std::io::Write;

use crate::ViewError;
use crate::listing::Listing;

/// Says how many of all are shown, where that is not all.
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
