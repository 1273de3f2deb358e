//! What stands above a report in HTML.

/// What stands above a report.
#[derive(Debug, Clone, Default)]
pub struct Heading {
    /// Its title; by default, that of the site.
    pub title: Option<String>,
    /// A picture.
    pub logo: Option<Logo>,
    /// The part of the pages that it is about, such as the name of their owner.
    pub part: Option<String>,
    /// An introduction, in Markdown.
    pub intro: Option<String>,
    /// The name of the file that has all links, if the report cannot have them.
    pub all_links_in: Option<String>,
}

/// A picture.
#[derive(Debug, Clone)]
pub struct Logo {
    /// Its media type, such as `image/png`.
    pub media_type: &'static str,
    /// Its bytes.
    pub bytes: Vec<u8>,
}
