//! The scope of end tags.

/// How far an end tag reaches (HTML, "Has an element in scope").
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum EndTagScope {
    Default,
    Button,
    ListItem,
    Table,
    /// To the root.
    Page,
}
