//! What users need to know about a format.

/// A format as users name it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FormatInfo {
    /// Its name for `--format`.
    pub name: &'static str,
    /// Its description in the help.
    pub help: &'static str,
    /// The file extensions it is recognized by, the usual one first; none if it is not for files.
    pub extensions: &'static [&'static str],
}
