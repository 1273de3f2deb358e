//! `rummage trace`.

use clap::Args;

use super::Format;

/// Show all about one address: how it was seen, its redirects, every place that names it
///
/// TARGET is an address, or a part of one. When it fits several addresses, these
/// are listed.
#[derive(Debug, Args)]
pub(crate) struct TraceArgs {
    /// An address or a part of one
    pub(crate) target: String,
    /// How to show it
    #[arg(long, value_name = "FORMAT", default_value = "text", help_heading = "Showing")]
    pub(crate) format: Format,
}
