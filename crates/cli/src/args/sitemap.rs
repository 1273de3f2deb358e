//! `rummage sitemap`.

use std::path::PathBuf;

use clap::Args;

/// Write a sitemap of the working pages of a site
///
/// Has the pages of the last complete run that work, may be indexed, and name no other page as
/// canonical, each with its Last-Modified. Past 50,000 URLs or 50 MB, the file becomes the index
/// of several. Makes no requests.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage sitemap -o public/sitemap.xml\n  \
    rummage sitemap -o sitemap.xml.gz --site www.example.test")]
pub(crate) struct SitemapArgs {
    /// Write to this file; with .gz at its end, compressed
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// Use the run with this number [default: the last complete run of the whole site]
    #[arg(long, value_name = "N")]
    pub(crate) run: Option<i64>,
    /// Folder at which the files will be published, for the index of several [default: the root
    /// of the site's host]
    #[arg(long, value_name = "URL")]
    pub(crate) at: Option<String>,
}
