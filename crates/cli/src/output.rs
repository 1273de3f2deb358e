//! Standard output and standard error, in color or not.

use std::io::{self, BufWriter, IsTerminal, Write};

use anstream::adapter::StripBytes;
use anstream::{AutoStream, ColorChoice};

use crate::args::Color;

/// How to write for a person: in color or not, and how much.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Terminal {
    color: Color,
    /// Do not show progress.
    pub(crate) quiet: bool,
    /// Show more detail.
    pub(crate) verbose: bool,
}

impl Terminal {
    pub(crate) fn new(color: Color, quiet: bool, verbose: bool) -> Terminal {
        Terminal { color, quiet, verbose }
    }

    /// The same without progress and messages.
    pub(crate) fn silent(self) -> Terminal {
        Terminal { quiet: true, ..self }
    }

    /// Standard output. Wrap it in [`buffered`] for long output.
    pub(crate) fn stdout(self) -> impl Write {
        match choice(self.color, io::stdout().is_terminal()) {
            ColorChoice::Never => Stdout::Plain(PlainStdout::default()),
            choice => Stdout::Styled(AutoStream::new(io::stdout(), choice)),
        }
    }

    /// Standard error.
    pub(crate) fn stderr(self) -> impl Write {
        AutoStream::new(io::stderr(), choice(self.color, io::stderr().is_terminal()))
    }

    /// Whether the whole screen is drawn in color.
    pub(crate) fn colors_screen(self) -> bool {
        choice(self.color, true) != ColorChoice::Never
    }

    /// Whether standard error is written in color.
    pub(crate) fn colors_stderr(self) -> bool {
        choice(self.color, io::stderr().is_terminal()) != ColorChoice::Never
    }

    /// The option that makes another rummage process use color as this one does.
    pub(crate) fn color_option(self) -> &'static [&'static str] {
        match self.color {
            Color::Auto => &[],
            Color::Always => &["--color", "always"],
            Color::Never => &["--color", "never"],
        }
    }
}

enum Stdout {
    Plain(PlainStdout),
    Styled(AutoStream<io::Stdout>),
}

impl Write for Stdout {
    fn write(&mut self, text: &[u8]) -> io::Result<usize> {
        match self {
            Stdout::Plain(out) => out.write(text),
            Stdout::Styled(out) => out.write(text),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        io::stdout().flush()
    }
}

/// Standard output without styles. What is written at once is one write, not one for each piece
/// between two styles.
#[derive(Default)]
struct PlainStdout {
    strip: StripBytes,
    plain: Vec<u8>,
}

impl PlainStdout {
    fn write(&mut self, text: &[u8]) -> io::Result<usize> {
        self.plain.clear();
        for piece in self.strip.strip_next(text) {
            self.plain.extend_from_slice(piece);
        }
        io::stdout().write_all(&self.plain)?;
        Ok(text.len())
    }
}

/// Whether standard output is a terminal, which scrolls.
pub(crate) fn stdout_scrolls() -> bool {
    io::stdout().is_terminal()
}

/// Whether standard error is a terminal that can show progress.
pub(crate) fn stderr_is_drawn() -> bool {
    let dumb = std::env::var_os("TERM").is_some_and(|term| term == "dumb");
    io::stderr().is_terminal() && !dumb
}

/// Buffers small writes; flush it before the end.
pub(crate) fn buffered<W: Write>(out: W) -> BufWriter<W> {
    BufWriter::with_capacity(64 * 1024, out)
}

/// Gives a file the usual permissions: a temporary file is readable by its owner alone.
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
