//! What is wrong with a value, in one line.

/// The first line of an error, without the usage and hints.
pub(super) fn first_line(error: &clap::Error) -> String {
    let text = error.to_string();
    let first = text.lines().next().unwrap_or_default();
    let first = first.strip_prefix("error: ").unwrap_or(first);
    first.rsplit("': ").next().unwrap_or(first).to_owned()
}
