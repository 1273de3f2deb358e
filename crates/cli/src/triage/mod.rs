//! `rummage triage`: drives the state of the view with a terminal, the store and the network.
//!
//! Three threads: this one draws and takes keys; `store_thread` reads the store and runs decisions;
//! `network` makes requests. The state itself is in `rummage_triage`.

mod changes;
mod decisions;
mod keyboard;
mod keys;
mod live;
mod network;
mod opening;
mod screen;
mod signals;
mod start;
mod store_thread;
pub(crate) mod vocabulary;
pub(crate) mod words;

use std::io::{self, IsTerminal as _, Write as _};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::time::Duration;

use rummage_triage::{Effect, LiveCrawl, Msg, Palette, Place, Setup, State, Vocabulary};
use rummage_view::ViewError;
use tokio::sync::watch;

pub(crate) use live::LiveReporter;

use keyboard::Keyboard;
use screen::Screen;
use signals::Signals;
pub(crate) use start::{Listed, Opening};
use store_thread::StoreThread;

use crate::failure::{Exit, Failure};
use crate::jobs::runtime;
use crate::session::Session;

/// How long to wait for news before signals and the size of the terminal are looked at.
const WAIT: Duration = Duration::from_millis(50);

/// A crawl that goes on meanwhile.
pub(crate) struct Live {
    /// How far it is.
    pub(crate) news: Receiver<Msg>,
    /// Ends it.
    pub(crate) stop: watch::Sender<bool>,
}

/// Opens the view, and prints what was done as commands when it is left.
pub(crate) fn run(
    session: &Session,
    opening: Opening,
    live: Option<Live>,
) -> Result<Exit, Failure> {
    check_terminal()?;
    let signals = Signals::watch()?;
    let vocabulary = vocabulary::vocabulary();
    let (news, inbox) = channel();
    let (to_store, store_work) = channel();
    let (to_network, jobs) = channel();
    let (stop, stopped) = watch::channel(false);
    let store_thread =
        StoreThread::new(session, &opening, vocabulary.clone(), news.clone(), to_network);
    let ended = std::thread::scope(|scope| {
        let store_thread = scope.spawn(move || store_thread.serve(&store_work));
        let keys = news.clone();
        let network = scope.spawn(move || network::serve(session, &stopped, jobs, &news));
        let opening = &opening;
        let mut driver =
            Driver { session, opening, vocabulary, to_store, inbox, keys, live, stop, signals };
        let left = driver.run(&|| store_thread.is_finished() || network.is_finished());
        let Driver { to_store, inbox, .. } = driver;
        // What is still to be saved is saved before the threads end.
        drop(to_store);
        let store_thread = store_thread.join();
        let network = network.join();
        let mut state = left?;
        let mut failed = false;
        for msg in inbox.try_iter() {
            // The screen is closed.
            if let Msg::Decided(_, Err(why)) | Msg::Undone(_, Err(why)) = &msg {
                let _ = writeln!(session.terminal.stderr(), "error: {why}");
                failed = true;
            }
            state.update(msg);
        }
        match (store_thread, network) {
            (Ok(()), Ok(())) => Ok((state, failed)),
            _ => Err(Failure::Internal("a thread of the view ended with a panic")),
        }
    });
    let (state, failed) = ended?;
    print(session, &state)?;
    if state.has_rechecked() {
        session.deliver_digests(&runtime()?);
    }
    Ok(if failed { Exit::Impossible } else { Exit::Fine })
}

/// Checks that there is a terminal to draw on.
pub(crate) fn check_terminal() -> Result<(), Failure> {
    let is_dumb = std::env::var_os("TERM").is_some_and(|term| term == "dumb");
    if io::stdin().is_terminal() && io::stdout().is_terminal() && !is_dumb {
        return Ok(());
    }
    Err(Failure::Usage {
        what: "triage needs a terminal that can draw a full screen".to_owned(),
        hint: "rummage findings lists the same without one.".to_owned(),
    })
}

/// Prints what was done as commands.
fn print(session: &Session, state: &State) -> Result<(), Failure> {
    let commands = state.commands();
    if commands.is_empty() {
        return Ok(());
    }
    let mut out = session.terminal.stdout();
    if !session.terminal.quiet {
        let mut err = session.terminal.stderr();
        let _ = writeln!(err, "what was done, as commands:");
    }
    for command in commands {
        writeln!(out, "{command}").map_err(ViewError::from)?;
    }
    Ok(())
}

/// Passes keys and news to the state, and runs its effects.
struct Driver<'a> {
    session: &'a Session,
    opening: &'a Opening,
    vocabulary: Vocabulary,
    to_store: Sender<Effect>,
    inbox: Receiver<Msg>,
    /// Where keys come from; the other end of `inbox`.
    keys: Sender<Msg>,
    live: Option<Live>,
    stop: watch::Sender<bool>,
    signals: Signals,
}

impl Driver<'_> {
    fn run(&mut self, has_failed: &dyn Fn() -> bool) -> Result<State, Failure> {
        let palette = Palette { colored: self.session.terminal.colors_screen() };
        let mut screen = Screen::open(palette).map_err(lost)?;
        let setup = Setup {
            view: self.opening.view.clone(),
            vocabulary: self.vocabulary.clone(),
            plan: self.opening.plan.display().to_string(),
            live: self.live.as_ref().map(|_| LiveCrawl {
                progress: "the crawl begins".to_owned(),
                done: 0,
                has_ended: false,
            }),
            size: screen.size().map_err(lost)?,
        };
        let keyboard = Keyboard::open(self.keys.clone());
        let (mut state, effects) = State::new(setup);
        for effect in effects {
            self.pass_on(effect, &mut state, &mut screen, &keyboard)?;
        }
        let mut size = screen.size().map_err(lost)?;
        while !state.has_ended() && !has_failed() {
            // A terminal that is gone takes nothing and gives nothing: everything is saved.
            if screen.draw(&state).is_err() {
                break;
            }
            let Some(msgs) = self.wait(&screen, &keyboard, &mut size) else { break };
            if self.signals.wants_end() {
                break;
            }
            if self.signals.takes_suspend() {
                self.suspend(&mut screen, &keyboard)?;
            }
            for msg in msgs {
                for effect in state.update(msg) {
                    self.pass_on(effect, &mut state, &mut screen, &keyboard)?;
                }
            }
        }
        if !state.has_ended() {
            let _ = self.stop.send(true);
            self.stop_crawl();
        }
        Ok(state)
    }

    /// The next news: of keys, of the threads, of a crawl, of the size of the terminal. `None` if
    /// the terminal is gone.
    fn wait(
        &self,
        screen: &Screen,
        keyboard: &Keyboard,
        size: &mut (u16, u16),
    ) -> Option<Vec<Msg>> {
        let mut msgs = Vec::new();
        while msgs.is_empty() && !self.signals.is_any() {
            match self.inbox.recv_timeout(WAIT) {
                Ok(msg) => msgs.push(msg),
                Err(RecvTimeoutError::Timeout) if keyboard.is_lost() => return None,
                Err(_) => {}
            }
            msgs.extend(self.inbox.try_iter());
            // Not every change of the size is reported.
            let now = screen.size().ok()?;
            if std::mem::replace(size, now) != now {
                msgs.push(Msg::Resized(now.0, now.1));
            }
            if let Some(live) = &self.live {
                msgs.extend(live.news.try_iter());
            }
        }
        Some(msgs)
    }

    fn pass_on(
        &mut self,
        effect: Effect,
        state: &mut State,
        screen: &mut Screen,
        keyboard: &Keyboard,
    ) -> Result<(), Failure> {
        match effect {
            Effect::Explain(text) => {
                let explained = store_thread::stored(&text, &self.vocabulary)
                    .map(|_| "Enter lists the targets that match".to_owned());
                state.update(Msg::Explained(explained));
            }
            Effect::Open(place) => {
                let opened = self.open(&place, screen, keyboard)?;
                state.update(Msg::Note(opened));
            }
            Effect::Suspend => self.suspend(screen, keyboard)?,
            Effect::Redraw => screen.clear().map_err(lost)?,
            Effect::StopCrawl => {
                let _ = self.stop.send(true);
                self.stop_crawl();
            }
            Effect::Quit => {}
            effect => {
                // Without the store_thread, the loop ends.
                let _ = self.to_store.send(effect);
            }
        }
        Ok(())
    }

    fn stop_crawl(&self) {
        if let Some(live) = &self.live {
            let _ = live.stop.send(true);
        }
    }

    fn suspend(&self, screen: &mut Screen, keyboard: &Keyboard) -> Result<(), Failure> {
        keyboard.lend(|| screen.lend(signals::stop_here)).map_err(lost)
    }

    /// Opens something beside the view, and says how that went.
    fn open(
        &self,
        place: &Place,
        screen: &mut Screen,
        keyboard: &Keyboard,
    ) -> Result<String, Failure> {
        let variable = |name: &str| std::env::var(name).ok();
        let opener = match place {
            Place::Url(url) => opening::browser(url, &variable),
            Place::Source(source) if source.starts_with("http") => {
                opening::browser(source, &variable)
            }
            Place::Source(source) => opening::editor(source, &variable),
        };
        let opener = match opener {
            Ok(opener) => opener,
            Err(why) => return Ok(why),
        };
        let result = match opener.needs_terminal {
            true => keyboard.lend(|| screen.lend(|| opener.run())).map_err(lost)?,
            false => opener.run(),
        };
        let name = &opener.words[0];
        Ok(match result {
            Ok(()) => format!("opened with {name}"),
            Err(reason) => format!("cannot run {name}: {reason}"),
        })
    }
}

fn lost(reason: io::Error) -> Failure {
    Failure::System { what: "cannot use the terminal", reason }
}
