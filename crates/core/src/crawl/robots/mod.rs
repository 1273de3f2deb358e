//! What robots.txt allows for each server of the site, and the URLs that wait for it.

use std::collections::HashMap;

use super::board::Board;
use super::effect::Effect;
use super::messages::{Judged, Note, ServerId, StartProblem, UrlId};
use super::pace::Limits;
use super::requests::Order;
use super::settings::{RobotsRule, SitemapRule};
use super::urls::{Phase, Roles};
use crate::extract::reading::{Format, Reading};
use crate::extract::robots_txt::Robots;
use crate::url::reference::path_of;
use crate::url::scope::Scope;
use crate::verdict::{Cause, Verdict};

/// The longest crawl delay that is obeyed for the site's own server.
const LONGEST_DELAY: std::time::Duration = std::time::Duration::from_secs(2);

/// The rules that are known, and the URLs that wait for rules.
#[derive(Debug, Default)]
pub(super) struct RobotsGate {
    servers: HashMap<ServerId, Rules>,
    /// The URLs of robots.txt files, with their servers.
    files: HashMap<UrlId, ServerId>,
    /// Parsed rules, by the URL they came from.
    read: HashMap<UrlId, Robots>,
    /// The start URL and its server, while it waits for its rules.
    held_start: Option<(UrlId, ServerId)>,
}

#[derive(Debug)]
enum Rules {
    /// robots.txt is being requested; these URLs wait.
    Requested(Vec<UrlId>),
    Known(Robots),
}

impl RobotsGate {
    /// Whether a URL is the robots.txt of a server of the site.
    pub(super) fn is_robots(&self, id: UrlId) -> bool {
        self.files.contains_key(&id)
    }

    /// Whether the rules allow a URL. Unknown rules allow it: the caller has waited for them.
    pub(super) fn allows(&self, board: &Board, id: UrlId) -> bool {
        let robots = match (&board.settings.robots, board.entry(id).server) {
            (RobotsRule::Given(robots), _) => robots,
            (RobotsRule::Obey, Some(server)) => match self.servers.get(&server) {
                Some(Rules::Known(robots)) => robots,
                Some(Rules::Requested(_)) | None => return true,
            },
            _ => return true,
        };
        robots.allows(path_of(board.urls.text(id)))
    }

    /// Holds a URL until the rules of its server are known. Returns false if it need not wait.
    pub(super) fn hold(&mut self, board: &mut Board, id: UrlId) -> bool {
        let entry = board.entry(id);
        let waits = board.settings.robots == RobotsRule::Obey
            && entry.scope == Scope::Internal
            && entry.roles.is_read()
            && board.urls.bounds().is_some();
        let Some(server) = entry.server.filter(|_| waits) else { return false };
        if !self.servers.contains_key(&server) {
            self.request_rules(board, id, server);
        }
        // robots.txt itself never waits, even if a link leads to it.
        if self.is_robots(id) {
            return false;
        }
        match self.servers.get_mut(&server) {
            Some(Rules::Requested(held)) => {
                held.push(id);
                board.urls.set_phase(id, Phase::Held);
                true
            }
            Some(Rules::Known(_)) | None => false,
        }
    }

    /// Whether a URL, or the end of its redirects, waits for rules.
    pub(super) fn is_held(&self, board: &Board, id: UrlId) -> bool {
        let end = board.urls.end_of(id);
        let is_start = self.held_start.is_some_and(|(start, _)| start == end);
        board.entry(end).phase() == Phase::Held || is_start
    }

    /// The start URL responded: requests its rules, and sitemaps. Returns whether the start is to
    /// wait, until [`Effect::ReleaseStart`].
    pub(super) fn handle_start(&mut self, board: &mut Board, start: UrlId) -> bool {
        let Some(server) = board.entry(start).server else { return false };
        let needs_sitemap = board.settings.sitemap == SitemapRule::Auto;
        let waits = board.settings.robots == RobotsRule::Obey;
        self.held_start = waits.then_some((start, server));
        match board.settings.robots.clone() {
            RobotsRule::Obey => self.request_rules(board, start, server),
            RobotsRule::Ignore if needs_sitemap => self.request_rules(board, start, server),
            RobotsRule::Ignore => {}
            RobotsRule::Given(robots) => {
                let base = board.urls.parsed(start);
                for sitemap in robots.sitemaps().iter().filter(|_| needs_sitemap) {
                    if let Ok(url) = base.join(&sitemap.url) {
                        board.use_unlinked(&url, Roles::SITEMAP);
                    }
                }
                if robots.sitemaps().is_empty() && needs_sitemap {
                    use_default_sitemap(board, start);
                }
            }
        }
        if let SitemapRule::At(url) = board.settings.sitemap.clone() {
            board.use_unlinked(&url, Roles::SITEMAP);
        }
        waits
    }

    fn request_rules(&mut self, board: &mut Board, id: UrlId, server: ServerId) {
        let Ok(url) = board.urls.parsed(id).join("/robots.txt") else { return };
        let robots = board.intern(&url, u32::MAX, 0);
        self.servers.insert(server, Rules::Requested(Vec::new()));
        self.files.insert(robots, server);
        let entry = board.entry_mut(robots);
        entry.excluded = false;
        entry.roles = entry.roles.and(Roles::ROBOTS);
        match board.entry(robots).phase() {
            Phase::Unrequested(_) => board.enqueue(robots, Order::First),
            // A link led there before, and its contents were not kept: they cannot be known now.
            Phase::Settled(judged) => self.handle_judged(board, robots, &judged),
            _ => {}
        }
    }

    /// Rules were parsed, at the end of any redirects.
    pub(super) fn handle_reading(&mut self, id: UrlId, reading: &Reading) {
        if reading.format == Format::Robots {
            self.read.insert(id, Robots::parse(reading.rules().unwrap_or_default()));
        }
    }

    /// A URL has its verdict. If it is the robots.txt of a server, the waiting URLs continue.
    pub(super) fn handle_judged(&mut self, board: &mut Board, id: UrlId, judged: &Judged) {
        let Some(&server) = self.files.get(&id) else { return };
        let responded = matches!(judged.verdict, Verdict::Sound | Verdict::Moved);
        // Refused, or endless redirects (RFC 9309 §2.3.1.2 and §2.3.1.3).
        let refused = judged.status.is_some_and(|status| (300..500).contains(&status))
            // A folder has no server whose rules could be broken.
            || judged.cause == Some(Cause::OutOfFolder);
        let robots = match self.read.get(&judged.last).cloned().filter(|_| responded) {
            Some(robots) => Some(robots),
            // There are no rules, or the response has no body.
            None if refused || responded => Some(Robots::default()),
            None => None,
        };
        let is_starts = self.held_start.is_some_and(|(_, of)| of == server);
        if robots.is_none() && board.settings.robots == RobotsRule::Obey {
            if is_starts {
                let url = board.urls.text(id).to_owned();
                return board.say(Effect::FailStart(StartProblem::RobotsUnknown { url }));
            }
            board.note(id, Note::RobotsUnknown);
        }
        // RFC 9309 §2.3.1.4: if the rules cannot be known, everything is disallowed.
        let robots = robots.unwrap_or_else(Robots::forbidding_all);
        slow_down(board, id, server, &robots, is_starts);
        let has_sitemap = !robots.sitemaps().is_empty();
        let held = self.servers.insert(server, Rules::Known(robots));
        if is_starts && let Some((start, _)) = self.held_start.take() {
            if !self.allows(board, start) {
                let url = board.urls.text(start).to_owned();
                return board.say(Effect::FailStart(StartProblem::RobotsForbid { url }));
            }
            board.say(Effect::ReleaseStart);
        }
        let is_main = board.urls.start().is_some_and(|it| board.entry(it).server == Some(server));
        if !has_sitemap && board.settings.sitemap == SitemapRule::Auto && is_main {
            use_default_sitemap(board, id);
        }
        if let Some(Rules::Requested(held)) = held {
            for id in held {
                if board.entry(id).phase() == Phase::Held {
                    board.enqueue(id, Order::Last);
                }
            }
        }
    }
}

fn slow_down(board: &mut Board, id: UrlId, server: ServerId, robots: &Robots, is_starts: bool) {
    let obeys = board.settings.robots == RobotsRule::Obey;
    let (true, None, Some(requested)) = (obeys, board.settings.interval, robots.delay()) else {
        return;
    };
    let kept = if is_starts { requested.min(LONGEST_DELAY) } else { requested };
    if kept.is_zero() {
        return;
    }
    let limits = Limits { interval: kept, ..board.limits(&board.urls.parsed(id), true) };
    board.requests.set_own(server, true, limits);
    board.note(id, Note::CrawlDelay { requested, kept });
}

/// The sitemap that many sites have without naming it; it is not reported if missing.
fn use_default_sitemap(board: &mut Board, near: UrlId) {
    if let Ok(url) = board.urls.parsed(near).join("/sitemap.xml") {
        board.use_unlinked(&url, Roles::SITEMAP);
    }
}
