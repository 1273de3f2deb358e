//! What may be read of each server of the site: robots.txt and the wait for it.

use std::collections::HashMap;

use url::Url;

use super::entry::State;
use super::{AddressId, Crawl, Event, Judged, Note, RobotsRule, SitemapRule, StartProblem, Uses};
use crate::crawl::frontier::ServerId;
use crate::extract::reading::{Format, Reading};
use crate::extract::robots_txt::Robots;
use crate::url::reference::path_of;
use crate::url::scope::Scope;
use crate::verdict::Verdict;

/// The site's own server waits for no longer than this between two requests,
/// whatever its robots.txt asks for.
const LONGEST_DELAY: std::time::Duration = std::time::Duration::from_secs(2);

/// Which rules are known, and what waits for them.
#[derive(Debug, Default)]
pub(super) struct Permits {
    servers: HashMap<ServerId, Permit>,
    /// The servers whose robots.txt these addresses are.
    asked: HashMap<AddressId, ServerId>,
    /// Rules that were read, by the address that gave them.
    read: HashMap<AddressId, Robots>,
}

#[derive(Debug)]
enum Permit {
    /// robots.txt is being asked for; these wait.
    Asked(Vec<AddressId>),
    Known(Robots),
}

impl Permits {
    pub(super) fn is_robots(&self, id: AddressId) -> bool {
        self.asked.contains_key(&id)
    }

    fn known(&self, server: ServerId) -> Option<&Robots> {
        match self.servers.get(&server)? {
            Permit::Known(robots) => Some(robots),
            Permit::Asked(_) => None,
        }
    }
}

impl Crawl {
    /// Whether the rules for robots let this address be read. What is not known yet
    /// does not forbid: whoever asks has waited for it.
    pub(super) fn permits(&self, id: AddressId) -> bool {
        let robots = match (&self.settings.robots, self.entry(id).server) {
            (RobotsRule::Given(robots), _) => robots,
            (RobotsRule::Obey, Some(server)) => match self.permits.known(server) {
                Some(robots) => robots,
                None => return true,
            },
            _ => return true,
        };
        robots.allows(path_of(self.address(id)))
    }

    /// Holds an address until the rules of its server are known. Gives false when it
    /// need not wait.
    pub(super) fn hold(&mut self, id: AddressId) -> bool {
        let entry = self.entry(id);
        let waits = self.settings.robots == RobotsRule::Obey
            && entry.scope == Scope::Internal
            && entry.uses.is_read()
            && self.start.bounds().is_some();
        let Some(server) = entry.server.filter(|_| waits) else { return false };
        if !self.permits.servers.contains_key(&server) {
            self.ask_robots(id, server);
        }
        // robots.txt itself waits for nothing, though a link may lead to it.
        if self.permits.is_robots(id) {
            return false;
        }
        match self.permits.servers.get_mut(&server) {
            Some(Permit::Asked(held)) => {
                held.push(id);
                self.entry_mut(id).state = State::Held;
                true
            }
            Some(Permit::Known(_)) | None => false,
        }
    }

    /// Whether an address, or the end of its redirects, waits for the rules for robots.
    pub(super) fn waits_for_rules(&self, id: AddressId) -> bool {
        let mut at = id;
        while let State::Follows(next) = self.entry(at).state {
            at = next;
        }
        self.entry(at).state == State::Held || self.start.held() == Some(at)
    }

    /// The start is reached: what may be read of it, and what else leads to pages?
    /// Gives whether the start is to wait.
    pub(super) fn begin_permits(&mut self, start: AddressId) -> bool {
        let Some(server) = self.entry(start).server else { return false };
        let wants_list = self.settings.sitemap == SitemapRule::Auto;
        match self.settings.robots.clone() {
            RobotsRule::Obey => self.ask_robots(start, server),
            RobotsRule::Ignore if wants_list => self.ask_robots(start, server),
            RobotsRule::Ignore => {}
            RobotsRule::Given(robots) => {
                for sitemap in robots.sitemaps().iter().filter(|_| wants_list) {
                    let base = Url::parse(self.address(start)).expect("normal forms can be parsed");
                    if let Ok(url) = base.join(&sitemap.address) {
                        self.use_root(&url, Uses::SITEMAP);
                    }
                }
                if robots.sitemaps().is_empty() && wants_list {
                    self.use_usual_sitemap(start);
                }
            }
        }
        if let SitemapRule::At(url) = self.settings.sitemap.clone() {
            self.use_root(&url, Uses::SITEMAP);
        }
        self.settings.robots == RobotsRule::Obey
    }

    fn ask_robots(&mut self, id: AddressId, server: ServerId) {
        let url = Url::parse(self.address(id)).expect("normal forms can be parsed");
        let Ok(robots) = url.join("/robots.txt") else { return };
        let robots = self.hear(&robots, u32::MAX, 0);
        self.permits.servers.insert(server, Permit::Asked(Vec::new()));
        self.permits.asked.insert(robots, server);
        self.entry_mut(robots).excluded = false;
        let uses = self.entry(robots).uses.and(Uses::ROBOTS);
        self.entry_mut(robots).uses = uses;
        match self.entry(robots).state {
            State::Unasked(_) => {
                self.progress.known += 1;
                self.queue(robots, false, true);
            }
            // A link led there before, and it was not kept: there is no way to know now.
            State::Settled(judged) => self.handle_robots(robots, &judged),
            _ => {}
        }
    }

    /// Rules were read, at the end of whatever redirects.
    pub(super) fn take_rules(&mut self, id: AddressId, reading: &Reading) {
        if reading.format == Format::Robots {
            let robots = Robots::parse(reading.rules().unwrap_or_default());
            self.permits.read.insert(id, robots);
        }
    }

    /// The robots.txt of a server has its verdict: what waits for it goes on.
    pub(super) fn handle_robots(&mut self, id: AddressId, judged: &Judged) {
        let Some(&server) = self.permits.asked.get(&id) else { return };
        let answered = matches!(judged.verdict, Verdict::Sound | Verdict::Moved);
        // Refused, or sent on without an end (RFC 9309 §2.3.1.2 and §2.3.1.3).
        let refused = judged.status.is_some_and(|status| (300..500).contains(&status));
        let found = self.permits.read.get(&judged.last).cloned().filter(|_| answered);
        let robots = match found {
            Some(robots) => Some(robots),
            // There are no rules, or an answer without a body.
            None if refused || answered => Some(Robots::default()),
            None => None,
        };
        let is_own =
            self.start.held().is_some_and(|start| self.entry(start).server == Some(server));
        if robots.is_none() && self.settings.robots == RobotsRule::Obey {
            if is_own {
                let address = self.address(id).to_owned();
                return self.fail_start(StartProblem::RobotsUnknown { address });
            }
            self.note(id, Note::RobotsUnknown);
        }
        // RFC 9309 §2.3.1.4: who cannot know assumes that all is forbidden.
        let robots = robots.unwrap_or_else(Robots::forbidding_all);
        self.slow_down(id, server, &robots, is_own);
        let has_list = !robots.sitemaps().is_empty();
        let held = self.permits.servers.insert(server, Permit::Known(robots));
        if is_own && !self.release_start() {
            return;
        }
        if !has_list && self.is_usual_list_wanted(server) {
            self.use_usual_sitemap(id);
        }
        if let Some(Permit::Asked(held)) = held {
            for id in held {
                if self.entry(id).state == State::Held {
                    self.queue(id, false, false);
                }
            }
        }
    }

    fn is_usual_list_wanted(&self, server: ServerId) -> bool {
        self.settings.sitemap == SitemapRule::Auto
            && self.start.reached().is_some_and(|start| self.entry(start).server == Some(server))
    }

    fn slow_down(&mut self, id: AddressId, server: ServerId, robots: &Robots, is_own: bool) {
        let obeys = self.settings.robots == RobotsRule::Obey;
        let (true, None, Some(asked)) = (obeys, self.settings.interval, robots.delay()) else {
            return;
        };
        let kept = if is_own { asked.min(LONGEST_DELAY) } else { asked };
        if kept.is_zero() {
            return;
        }
        let url = Url::parse(self.address(id)).expect("normal forms can be parsed");
        let limits = crate::crawl::pace::Limits { interval: kept, ..self.limits(&url, true) };
        self.frontier.set_own(server, true, limits);
        self.note(id, Note::CrawlDelay { asked, kept });
    }

    /// The start goes on, if it may. Gives false when it may not.
    fn release_start(&mut self) -> bool {
        let Some((id, ending, reading)) = self.start.release() else { return true };
        if self.permits(id) {
            self.proceed_from_start(id, &ending, reading);
            return true;
        }
        let address = self.address(id).to_owned();
        self.fail_start(StartProblem::RobotsForbid { address });
        false
    }

    /// The sitemap that many sites have without a word: nobody misses it.
    fn use_usual_sitemap(&mut self, beside: AddressId) {
        let url = Url::parse(self.address(beside)).expect("normal forms can be parsed");
        if let Ok(url) = url.join("/sitemap.xml") {
            self.use_root(&url, Uses::SITEMAP);
        }
    }

    /// Asks for an address that no link names.
    pub(super) fn use_root(&mut self, url: &Url, uses: Uses) {
        let id = self.hear(url, u32::MAX, 0);
        self.use_address(id, uses, u32::MAX);
    }

    /// Tells of something that a person should know.
    pub(super) fn note(&mut self, id: AddressId, note: Note) {
        self.events.push_back(Event::Noted { id, note });
    }
}
