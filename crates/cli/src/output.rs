//! The ways out: standard output and standard error, with colour or without.

use std::io::{self, BufWriter, IsTerminal, Write};

use anstream::{AutoStream, ColorChoice};

use crate::args::Color;

/// How to write for a person: with colour or without, and how much.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Terminal {
    color: Color,
    /// Say less: no progress.
    pub(crate) quiet: bool,
    /// Say more.
    pub(crate) verbose: bool,
}

impl Terminal {
    pub(crate) fn new(color: Color, quiet: bool, verbose: bool) -> Terminal {
        Terminal { color, quiet, verbose }
    }

    /// Standard output. Wrap it in [`buffered`] for much of it.
    pub(crate) fn stdout(self) -> impl Write {
        AutoStream::new(io::stdout(), choice(self.color, io::stdout().is_terminal()))
    }

    /// Standard error.
    pub(crate) fn stderr(self) -> impl Write {
        AutoStream::new(io::stderr(), choice(self.color, io::stderr().is_terminal()))
    }

    /// Whether standard error is to have colour.
    pub(crate) fn colors_stderr(self) -> bool {
        choice(self.color, io::stderr().is_terminal()) != ColorChoice::Never
    }

    /// The option that has another rummage use colour as this one does.
    pub(crate) fn color_option(self) -> &'static [&'static str] {
        match self.color {
            Color::Auto => &[],
            Color::Always => &["--color", "always"],
            Color::Never => &["--color", "never"],
        }
    }
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
