//! A started program: its output is read as it comes, and every wait has a limit.

use std::fmt::Write as _;
use std::io::{BufRead, BufReader, Read, Write as _};
use std::process::{Child, Command, Stdio};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::time::{Duration, Instant};

use crate::harness::Outcome;

/// Far longer than any wait takes on a busy machine.
const LIMIT: Duration = Duration::from_secs(120);

/// A line of standard output or standard error, with its line break.
enum Line {
    Out(String),
    Err(String),
}

/// A running program. It is killed when dropped.
pub(crate) struct Running {
    child: Child,
    lines: Receiver<Line>,
    words: Vec<String>,
    out: String,
    err: String,
}

impl Running {
    /// Starts the program; `words` are its arguments, for messages.
    pub(crate) fn start(words: &[&str], command: &mut Command) -> Running {
        Running::start_into(words, command, Stdio::piped())
    }

    /// The same with another standard output.
    pub(crate) fn start_into(
        words: &[&str],
        command: &mut Command,
        stdout: impl Into<Stdio>,
    ) -> Running {
        let mut child = command.stdout(stdout).stderr(Stdio::piped()).spawn().unwrap();
        // A pipe that the command keeps would never seem closed to its reader.
        command.stdout(Stdio::null());
        let (sender, lines) = channel();
        if let Some(stdout) = child.stdout.take() {
            read(stdout, sender.clone(), Line::Out);
        }
        read(child.stderr.take().unwrap(), sender, Line::Err);
        let words = words.iter().map(|&word| word.to_owned()).collect();
        Running { child, lines, words, out: String::new(), err: String::new() }
    }

    pub(crate) fn id(&self) -> u32 {
        self.child.id()
    }

    /// The next line of either output; `None` at the end of both.
    #[track_caller]
    fn next(&mut self, what: &str, deadline: Instant) -> Option<String> {
        let left = deadline.saturating_duration_since(Instant::now());
        let (into, line) = match self.lines.recv_timeout(left) {
            Ok(Line::Out(line)) => (&mut self.out, line),
            Ok(Line::Err(line)) => (&mut self.err, line),
            Err(RecvTimeoutError::Disconnected) => return None,
            Err(RecvTimeoutError::Timeout) => self.fail(&format!("no {what} within {LIMIT:?}")),
        };
        into.push_str(&line);
        Some(line.trim_end_matches('\n').to_owned())
    }

    fn fail(&self, problem: &str) -> ! {
        let mut text = format!("{problem}: rummage {}\n", self.words.join(" "));
        let _ = write!(text, "--- standard output\n{}\n", self.out);
        let _ = write!(text, "--- standard error\n{}", self.err);
        panic!("{text}")
    }

    /// Writes a text to its standard input, which the command must pipe, and closes that.
    pub(crate) fn write(&mut self, text: &str) {
        let mut stdin = self.child.stdin.take().unwrap();
        let text = text.to_owned();
        // On a thread of its own: the program may write before it has read everything.
        std::thread::spawn(move || drop(stdin.write_all(text.as_bytes())));
    }

    /// Waits for the first line that `found` accepts.
    #[track_caller]
    pub(crate) fn until(&mut self, what: &str, mut found: impl FnMut(&str) -> bool) -> String {
        let deadline = Instant::now() + LIMIT;
        loop {
            match self.next(what, deadline) {
                Some(line) if found(&line) => return line,
                Some(_) => {}
                None => self.fail(&format!("the program ended before {what}")),
            }
        }
    }

    /// The same, or until the program ends.
    #[track_caller]
    pub(crate) fn until_or_end(&mut self, what: &str, mut found: impl FnMut(&str) -> bool) {
        let deadline = Instant::now() + LIMIT;
        while self.next(what, deadline).is_some_and(|line| !found(&line)) {}
    }

    /// Passes all further lines to `take`.
    #[track_caller]
    pub(crate) fn for_each_line(&mut self, mut take: impl FnMut(&str)) {
        let deadline = Instant::now() + LIMIT;
        while let Some(line) = self.next("end of the output", deadline) {
            take(&line);
        }
    }

    /// Sends a signal, such as `-INT`: the shell's own `kill` always exists.
    pub(crate) fn signal(&self, name: &str) {
        let kill = format!("kill {name} {}", self.id());
        assert!(Command::new("/bin/sh").args(["-c", &kill]).status().unwrap().success());
    }

    /// Waits for the end of the program.
    #[track_caller]
    pub(crate) fn end(mut self) -> Outcome {
        self.for_each_line(|_| {});
        // Both outputs are closed: the program is gone, or just about to be.
        let code = self.child.wait().unwrap().code();
        let [out, err] = [&mut self.out, &mut self.err].map(std::mem::take);
        Outcome { code, out, err, words: std::mem::take(&mut self.words) }
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Reads a stream to its end on a thread of its own, so that the program never waits for the
/// test.
fn read(stream: impl Read + Send + 'static, lines: Sender<Line>, as_line: fn(String) -> Line) {
    std::thread::spawn(move || {
        let mut stream = BufReader::new(stream);
        let mut line = Vec::new();
        while stream.read_until(b'\n', &mut line).is_ok_and(|length| length > 0) {
            let text = String::from_utf8(std::mem::take(&mut line)).expect("the output is UTF-8");
            if lines.send(as_line(text)).is_err() {
                break;
            }
        }
    });
}

/// Runs a program to its end.
#[track_caller]
pub(crate) fn finish(words: &[&str], command: &mut Command) -> Outcome {
    Running::start(words, command).end()
}

/// Waits until a condition is true.
#[track_caller]
pub(crate) fn wait_until(what: &str, mut is_true: impl FnMut() -> bool) {
    let deadline = Instant::now() + LIMIT;
    while !is_true() {
        assert!(Instant::now() < deadline, "no {what} within {LIMIT:?}");
        std::thread::yield_now();
    }
}

/// Runs a command to its end with a terminal as its standard output, and returns what it shows.
#[cfg(unix)]
pub(crate) fn on_terminal(command: &mut Command) -> String {
    use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};

    let terminal = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY).unwrap();
    grantpt(&terminal).unwrap();
    unlockpt(&terminal).unwrap();
    let name = ptsname(&terminal, Vec::new()).unwrap();
    let shell = std::fs::OpenOptions::new().write(true).open(name.to_str().unwrap()).unwrap();
    let running = Running::start_into(&["on a terminal"], command.env("TERM", "xterm"), shell);
    let reader = std::thread::spawn(move || {
        let mut shown = Vec::new();
        // The end of a terminal is an error.
        let _ = std::fs::File::from(terminal).read_to_end(&mut shown);
        shown
    });
    running.end();
    String::from_utf8_lossy(&reader.join().unwrap()).into_owned()
}
