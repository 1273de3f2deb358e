//! The program on a terminal: keys go in, and the screen is what a terminal makes of the output.

use std::fs::File;
use std::io::{Read as _, Write as _};
use std::num::NonZero;
use std::os::unix::process::CommandExt as _;
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::process::{Pid, Signal, WaitOptions, kill_process, waitpid};
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{LocalModes, Winsize, tcgetattr, tcsetwinsize};

use crate::running::wait_until;

/// Far longer than any wait takes on a busy machine.
const LIMIT: Duration = Duration::from_secs(120);

fn nonzero(number: u16) -> NonZero<u16> {
    NonZero::new(number).unwrap()
}

/// A program on a terminal. It is killed when dropped.
pub(crate) struct Tty {
    child: Child,
    /// The side of the terminal where a person is.
    person: Option<File>,
    output: Receiver<Vec<u8>>,
    reader: Option<JoinHandle<()>>,
    /// Ends the thread that reads.
    is_closed: Arc<AtomicBool>,
    parser: vt100::Parser,
}

impl Tty {
    /// Starts a program on a terminal of this size.
    pub(crate) fn start(command: &mut Command, (columns, lines): (u16, u16)) -> Tty {
        let person =
            openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY | OpenptFlags::CLOEXEC).unwrap();
        grantpt(&person).unwrap();
        unlockpt(&person).unwrap();
        let name = ptsname(&person, Vec::new()).unwrap();
        let name = name.to_str().unwrap();
        let open = || File::options().read(true).write(true).open(name).unwrap();
        let size = Winsize { ws_col: columns, ws_row: lines, ws_xpixel: 0, ws_ypixel: 0 };
        tcsetwinsize(&person, size).unwrap();
        let child = command
            .env("TERM", "xterm-256color")
            .process_group(0)
            .stdin(open())
            .stdout(open())
            .stderr(open())
            .spawn()
            .unwrap();
        command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
        let person = Some(File::from(person));
        let (sender, output) = channel();
        let (mut shown, is_closed) =
            (person.as_ref().unwrap().try_clone().unwrap(), Arc::default());
        let closed: Arc<AtomicBool> = Arc::clone(&is_closed);
        let reader = std::thread::spawn(move || {
            let mut buffer = [0; 4096];
            while !closed.load(Ordering::Relaxed) {
                let mut fds = [PollFd::new(&shown, PollFlags::IN)];
                let wait = Timespec { tv_sec: 0, tv_nsec: 20_000_000 };
                if poll(&mut fds, Some(&wait)).unwrap_or(0) == 0 {
                    continue;
                }
                // The end of a terminal is an error.
                match shown.read(&mut buffer) {
                    Ok(length) if sender.send(buffer[..length].to_vec()).is_ok() => {}
                    _ => break,
                }
            }
        });
        let parser = vt100::Parser::new(nonzero(lines), nonzero(columns), 0);
        Tty { child, person, output, reader: Some(reader), is_closed, parser }
    }

    /// Presses keys: `⏎` for Enter, `⎋` for Escape, `⇥` for Tab, `↓` and `↑`.
    pub(crate) fn press(&mut self, keys: &str) {
        for c in keys.chars() {
            let bytes = match c {
                '⏎' => "\r".to_owned(),
                '⎋' => "\u{1b}".to_owned(),
                '⇥' => "\t".to_owned(),
                '↓' => "\u{1b}[B".to_owned(),
                '↑' => "\u{1b}[A".to_owned(),
                c => c.to_string(),
            };
            self.person.as_mut().unwrap().write_all(bytes.as_bytes()).unwrap();
        }
    }

    /// The screen as text.
    pub(crate) fn screen(&self) -> String {
        self.parser.screen().contents()
    }

    /// Whether the program draws on a screen of its own.
    pub(crate) fn is_full_screen(&self) -> bool {
        self.parser.screen().alternate_screen()
    }

    /// Whether the terminal shows and edits what is typed, as a shell needs it.
    pub(crate) fn is_as_before(&self) -> bool {
        let modes = tcgetattr(self.person.as_ref().unwrap()).unwrap().local_modes;
        modes.contains(LocalModes::ICANON | LocalModes::ECHO)
            && !self.is_full_screen()
            && !self.parser.screen().hide_cursor()
            && !self.parser.screen().bracketed_paste()
    }

    /// Waits until the screen is as it should be.
    #[track_caller]
    pub(crate) fn until(&mut self, what: &str, mut is_so: impl FnMut(&Tty) -> bool) {
        let deadline = Instant::now() + LIMIT;
        // The state of the terminal changes without output, too.
        while !is_so(self) {
            match self.output.recv_timeout(Duration::from_millis(20)) {
                Ok(bytes) => self.parser.process(&bytes),
                Err(RecvTimeoutError::Timeout) if Instant::now() < deadline => {}
                Err(_) => panic!("no {what}; the screen is\n{}", self.screen()),
            }
        }
    }

    /// Waits until the screen shows a text.
    #[track_caller]
    pub(crate) fn shows(&mut self, text: &str) {
        self.until(&format!("\"{text}\""), |tty| tty.screen().contains(text));
    }

    /// The terminal gets another size.
    pub(crate) fn resize(&mut self, columns: u16, lines: u16) {
        self.parser.screen_mut().set_size(nonzero(lines), nonzero(columns));
        let size = Winsize { ws_col: columns, ws_row: lines, ws_xpixel: 0, ws_ypixel: 0 };
        tcsetwinsize(self.person.as_ref().unwrap(), size).unwrap();
        // A terminal tells the foreground group of its session, which a test has not.
        self.signal(Signal::WINCH);
    }

    fn id(&self) -> Pid {
        Pid::from_child(&self.child)
    }

    pub(crate) fn signal(&self, signal: Signal) {
        kill_process(self.id(), signal).unwrap();
    }

    /// Waits until the program is stopped, as by Ctrl-Z.
    #[track_caller]
    pub(crate) fn until_stopped(&self) {
        let options = WaitOptions::UNTRACED | WaitOptions::NOHANG;
        wait_until("stop", || {
            let status = waitpid(Some(self.id()), options).unwrap();
            status.is_some_and(|(_, status)| status.stopped())
        });
    }

    /// Waits for the end of the program; returns its exit code and the last screen.
    #[track_caller]
    pub(crate) fn end(mut self) -> (Option<i32>, String) {
        let deadline = Instant::now() + LIMIT;
        // The output ends when the last handle is closed.
        loop {
            match self.output.recv_timeout(deadline.saturating_duration_since(Instant::now())) {
                Ok(bytes) => self.parser.process(&bytes),
                Err(RecvTimeoutError::Disconnected) => break,
                Err(RecvTimeoutError::Timeout) => panic!("it does not end:\n{}", self.screen()),
            }
        }
        let code = self.child.wait().unwrap().code();
        assert!(self.is_as_before(), "the terminal is left as it was:\n{}", self.screen());
        (code, self.screen())
    }

    /// The terminal goes away, as when its window is closed. Returns the exit code.
    #[track_caller]
    pub(crate) fn close(mut self) -> Option<i32> {
        self.is_closed.store(true, Ordering::Relaxed);
        self.reader.take().unwrap().join().unwrap();
        self.person = None;
        let mut ended = None;
        wait_until("end of the program", || {
            self.output.try_iter().for_each(drop);
            ended = self.child.try_wait().unwrap();
            ended.is_some()
        });
        ended.unwrap().code()
    }
}

impl Drop for Tty {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
