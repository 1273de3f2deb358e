//! The ways out: standard output and standard error, with colour or without.

use std::io::{self, BufWriter, IsTerminal, Write};

use anstream::{AutoStream, ColorChoice};

use crate::args::Color;

/// Standard output. Wrap it in [`buffered`] for much of it.
pub(crate) fn stdout(color: Color) -> impl Write {
    AutoStream::new(io::stdout(), choice(color, io::stdout().is_terminal()))
}

/// Standard error.
pub(crate) fn stderr(color: Color) -> impl Write {
    AutoStream::new(io::stderr(), choice(color, io::stderr().is_terminal()))
}

/// Whether standard error is a terminal that can be drawn on.
pub(crate) fn stderr_is_drawn() -> bool {
    let dumb = std::env::var_os("TERM").is_some_and(|term| term == "dumb");
    io::stderr().is_terminal() && !dumb
}

/// Gathers small writes; flush before the end.
pub(crate) fn buffered<W: Write>(out: W) -> BufWriter<W> {
    BufWriter::with_capacity(64 * 1024, out)
}

/// A temporary file is for its owner alone; what people asked for is for whom they like.
pub(crate) fn make_readable(file: &std::fs::File) {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        let _ = file.set_permissions(std::fs::Permissions::from_mode(0o644));
    }
    #[cfg(not(unix))]
    let _ = file;
}

fn choice(color: Color, is_terminal: bool) -> ColorChoice {
    let no_color = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty());
    match color {
        Color::Always => ColorChoice::AlwaysAnsi,
        Color::Never => ColorChoice::Never,
        Color::Auto if no_color || !is_terminal => ColorChoice::Never,
        Color::Auto => ColorChoice::Always,
    }
}
