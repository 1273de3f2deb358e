//! Rows of the truth about the museum, and its host.

/// The museum's host.
pub(crate) const HOST: &str = "www.ashlock-canal.test";

/// Target, verdict, cause, status, and the links: page, element, text. A target or page that
/// begins with `/` belongs to the museum.
pub(super) type Row = (
    &'static str,
    &'static str,
    &'static str,
    u16,
    &'static [(&'static str, &'static str, &'static str)],
);
