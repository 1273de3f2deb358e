//! From the links of a page to addresses that are asked, or not, and why not.

use std::collections::VecDeque;

use encoding_rs::{Encoding, UTF_8};
use url::{Host, Url};

use super::admission::Admission;
use super::beside::Reason;
use super::entry::{Entry, State, Uses};
use super::settings::acts;
use super::{
    AddressId, BodyWish, Crawl, Event, Externals, Fragments, Judged, NotRead, Note, Settings,
    SitemapRule, Target,
};
use crate::crawl::pace::Limits;
use crate::extract::elements::Attribute;
use crate::extract::reading::{Format, Link, Reading};
use crate::url::memo::{BaseKeys, key};
use crate::url::network::is_loopback;
use crate::url::reference::{Reference, resolve_in, server_of};
use crate::url::scope::Scope;
use crate::verdict::{Cause, Judgement, LinkSeen, Verdict, of_link};

/// Where references stand: what they are resolved against.
struct Source<'a> {
    base: &'a Url,
    keys: BaseKeys,
    encoding: &'static Encoding,
    /// It is a page that somebody gave as a file: nobody knows what its relative references
    /// are relative to.
    is_given: bool,
}

impl<'a> Source<'a> {
    fn new(base: &'a Url, encoding: &'static Encoding) -> Source<'a> {
        Source { base, keys: BaseKeys::new(base), encoding, is_given: false }
    }

    /// Whether a reference means the same wherever its base is the same.
    fn may_remember(&self, written: &str) -> bool {
        !written.contains('#') && (self.encoding == UTF_8 || written.is_ascii())
    }
}

/// Whether a reference means nothing without a base.
fn is_relative(written: &str) -> bool {
    Url::parse(written) == Err(url::ParseError::RelativeUrlWithoutBase)
}

impl Crawl {
    /// Takes the links of a page, style sheet, sitemap or robots.txt that was read.
    /// `upgrades`: browsers ask by https what it names by http.
    pub(super) fn take_links(&mut self, page: AddressId, reading: Reading, upgrades: bool) {
        let is_page = reading.format.is_page();
        let is_list = matches!(reading.format, Format::Sitemap | Format::Robots | Format::List);
        let depth = if is_list { u32::MAX } else { self.entry(page).depth };
        let url = Url::parse(self.address(page)).expect("normal forms can be parsed");
        let is_given = is_page && url.scheme() == "file";
        let of_page = Source { is_given, ..Source::new(&url, reading.encoding) };
        let is_secure = url.scheme() == "https";
        let base = reading.base().and_then(|written| url.join(written).ok());
        // HTML, "Set the frozen base URL".
        let base = base.filter(|base| !matches!(base.scheme(), "data" | "javascript"));
        let of_base = base.as_ref().map(|base| Source::new(base, reading.encoding));
        let first_new = self.addresses.len();
        let mut targets = Vec::with_capacity(reading.links().len());
        let mut pages = Vec::new();
        for link in reading.links() {
            // A `base` stands for the page alone, not for the fields of the answer.
            let base = of_base.as_ref().filter(|_| link.attribute != Attribute::HEADER);
            let source = base.unwrap_or(&of_page);
            let uses = self.uses(&link);
            // A style sheet is part of the page that it is for, not a step further.
            let depth = if uses.sheet() { depth } else { depth.saturating_add(1) };
            let mut target = self.target(source, link.written, depth);
            if is_secure && (upgrades || uses.is_upgraded()) {
                target = self.upgraded(target, depth);
            }
            let uses = if uses.visit() { self.with_words(target.id, uses, &link) } else { uses };
            if uses.visit() {
                self.want_place(&target, link.scripted);
            }
            self.watch_link(page, &target, &link, reading.title(), is_secure);
            self.link_address(target.id);
            self.entry_mut(target.id).reached |= is_page && target.id != page;
            self.use_address(target.id, self.within_settings(target.id, uses), depth);
            if uses.visit() && self.entry(target.id).scope == Scope::Internal {
                pages.push(target.id);
            }
            targets.push(target);
        }
        self.entry_mut(page).read |= is_page;
        self.progress.pages += u64::from(is_page);
        if is_page {
            self.watch_for_shells(page, &reading);
            self.watch_for_traps(page, reading.sketch, first_new);
        }
        let expected =
            self.entry(page).linked || self.settings.lists || self.is_named_sitemap(page);
        if reading.format == Format::Sitemap && reading.faulty && expected {
            self.note(page, Note::SitemapFaulty);
        }
        self.events.push_back(Event::Read { id: page, reading, targets });
        if self.settings.depth.is_some() {
            self.leads_to.insert(page, pages.clone());
        }
        if is_page {
            self.admit(|admission| admission.handle_read(page, pages));
        } else if is_list {
            self.admit(|admission| admission.handle_list(pages));
        }
    }

    /// What a link says of where it leads matters where that may redirect.
    fn with_words(&self, id: AddressId, uses: Uses, link: &Link<'_>) -> Uses {
        match self.entry(id).state {
            State::Settled(Judged { next: None, .. }) => uses,
            _ => uses.and(Uses::said_by(link)),
        }
    }

    /// A link names a place on a page, if it does.
    fn want_place(&mut self, target: &Target, scripted: bool) {
        let Some(fragment) = &target.fragment else { return };
        let external = self.entry(target.id).scope == Scope::External;
        match self.settings.fragments {
            Fragments::None => return,
            Fragments::Internal => {}
            Fragments::All if external => self.want_places_of(target.id),
            Fragments::All => {}
        }
        if self.places.handle_wanted(target.id, fragment, scripted) {
            self.judge_places(target.id);
        }
    }

    /// A page outside the site is to be read to its end, for the places on it.
    pub(super) fn want_places_of(&mut self, id: AddressId) {
        let entry = self.entry_mut(id);
        if entry.server.is_none() || std::mem::replace(&mut entry.places_wanted, true) {
            return;
        }
        if let State::Settled(judged) = entry.state {
            self.entry_mut(judged.last).places_wanted = true;
            if self.entry(judged.last).html {
                self.entry_mut(judged.last).asked_body = BodyWish::Places;
                self.ask_beside(judged.last, Reason::Places, None);
            }
        }
    }

    /// Browsers ask by https for what a page of https names by http, where that page
    /// says so, and for pictures, sound and film in any case (Upgrade Insecure Requests
    /// §3.2; Mixed Content §4.1). This machine is trusted as it is.
    fn upgraded(&mut self, target: Target, depth: u32) -> Target {
        let address = self.address(target.id);
        if !address.starts_with("http:") {
            return target;
        }
        let mut url = Url::parse(address).expect("normal forms can be parsed");
        if is_loopback(&url)
            || matches!(url.host(), Some(Host::Ipv4(_) | Host::Ipv6(_)))
            || url.port().is_some()
            || url.set_scheme("https").is_err()
        {
            return target;
        }
        Target { id: self.hear(&url, depth, 0), fragment: target.fragment }
    }

    /// A link may have a fault beside its address.
    fn watch_link(
        &mut self,
        page: AddressId,
        target: &Target,
        link: &Link<'_>,
        title: Option<&str>,
        is_secure: bool,
    ) {
        // Hardly any link may: the others are let through at once.
        if link.written.len() > 1 && !is_secure && !link.written.contains(':') {
            return;
        }
        let seen = LinkSeen {
            page: self.address(page),
            target: self.address(target.id),
            scope: Some(self.entry(target.id).scope),
            element: link.element,
            attribute: link.attribute,
            rel: link.rel,
            written: link.written,
            text: link.text,
            title,
            scripted: link.scripted,
            verdict: Verdict::Sound,
            lacks_place: false,
            is_page: false,
            // Whether that is broken or doubtful is said when it is told.
            placeholders_are_broken: false,
        };
        if let Some(Judgement { verdict, cause: Some(cause) }) = of_link(&seen) {
            let event = Event::LinkFault { target: target.id, page, cause };
            // A menu may lead nowhere many times over.
            if self.events.back() != Some(&event) {
                self.progress.broken += u64::from(verdict == Verdict::Broken);
                self.events.push_back(event);
            }
        }
    }

    /// For what a link uses its target. Pages of the site are walked in any case.
    fn uses(&self, link: &Link<'_>) -> Uses {
        let asked = &self.settings.ask_elements;
        let uses = Uses::of(link);
        // Where one sitemap was given, others count only if that one names them.
        let is_given = matches!(self.settings.sitemap, SitemapRule::At(_));
        if is_given && uses.only_sitemap() && link.element.name() != "loc" {
            return Uses::IGNORED;
        }
        if asked.is_empty() || asked.contains(&link.element) || !uses.any() {
            return uses;
        }
        if uses.visit() { uses.and(Uses::IGNORED) } else { Uses::IGNORED }
    }

    /// Takes the use away from an address outside the site that an element names
    /// whose addresses are not asked.
    fn within_settings(&self, id: AddressId, uses: Uses) -> Uses {
        let walked = self.entry(id).scope == Scope::Internal;
        if uses.left_out() && !walked { Uses::IGNORED } else { uses }
    }

    /// What a reference names, by the memo where it can.
    fn target(&mut self, source: &Source<'_>, written: &str, depth: u32) -> Target {
        let key = key(&source.keys, written).filter(|_| source.may_remember(written));
        if let Some(id) = key.and_then(|key| self.memo.find(key)) {
            return Target { id, fragment: None };
        }
        let target = self.resolve(source, written, depth);
        if let Some(key) = key {
            self.memo.keep(key, target.id);
        }
        target
    }

    fn resolve(&mut self, source: &Source<'_>, written: &str, depth: u32) -> Target {
        match resolve_in(source.base, written, source.encoding) {
            Reference::Web { mut address, fragment } => {
                if self.start.scope(&address) == Scope::Internal {
                    self.settings.query.apply(&mut address);
                }
                Target { id: self.hear(&address, depth, 0), fragment }
            }
            Reference::Other { address } => {
                let id = self.hear_of(&address, Verdict::Skipped, Cause::OtherScheme);
                Target { id, fragment: None }
            }
            Reference::Malformed { written } if source.is_given && is_relative(&written) => {
                let id = self.hear_of(&written, Verdict::Skipped, Cause::OtherScheme);
                Target { id, fragment: None }
            }
            Reference::Malformed { written } => {
                let id = self.hear_of(&written, Verdict::Broken, Cause::MalformedUrl);
                Target { id, fragment: None }
            }
        }
    }

    /// The id of an address; a new one is not asked before a link uses it.
    pub(super) fn hear(&mut self, url: &Url, depth: u32, chain: u32) -> AddressId {
        if let Some(index) = self.addresses.get_index_of(url.as_str()) {
            return AddressId::from_index(index);
        }
        let scope = self.start.scope(url);
        let own = scope == Scope::Internal;
        let limits = self.limits(url, own);
        let server = self.frontier.server(&server_of(url), own, limits);
        let id = self.add(
            url.as_str(),
            Entry {
                server: Some(server),
                scope,
                depth,
                chain,
                state: State::Unasked(Cause::ServiceLink),
                excluded: self.settings.excludes(url.as_str()),
                ..Entry::unknown()
            },
        );
        if self.start.bounds().is_some() {
            self.events.push_back(Event::Placed { id, scope: Some(scope) });
        }
        id
    }

    /// The id of something that is no web address: its verdict is plain at once.
    fn hear_of(&mut self, text: &str, verdict: Verdict, cause: Cause) -> AddressId {
        if let Some(index) = self.addresses.get_index_of(text) {
            return AddressId::from_index(index);
        }
        let id = self.add(text, Entry { linked: true, ..Entry::unknown() });
        self.events.push_back(Event::Placed { id, scope: None });
        self.settle_unasked(id, verdict, cause);
        id
    }

    fn add(&mut self, text: &str, entry: Entry) -> AddressId {
        let (index, _) = self.addresses.insert_full(text.into());
        self.entries.push(entry);
        let id = AddressId::from_index(index);
        self.events.push_back(Event::Heard { id, address: text.to_owned() });
        id
    }

    /// A link names an address, which may have been only a hop so far.
    fn link_address(&mut self, id: AddressId) {
        let entry = self.entry_mut(id);
        if !std::mem::replace(&mut entry.linked, true)
            && let State::Settled(mut judged) = entry.state
        {
            judged.linked = true;
            entry.state = State::Settled(judged);
            self.events.push_back(Event::Judged { id, judged });
        }
    }

    /// A link uses an address: it may have to be asked now, or to be read after all.
    pub(super) fn use_address(&mut self, id: AddressId, uses: Uses, depth: u32) {
        let entry = &mut self.entries[id.index()];
        let nearer = depth < entry.depth;
        let uses = entry.uses.and(uses);
        if entry.uses == uses && !nearer {
            return;
        }
        entry.uses = uses;
        entry.depth = entry.depth.min(depth);
        match entry.state {
            State::Unasked(_) => self.want(id),
            State::Follows(next) => self.use_address(next, uses.by_redirect(), depth),
            State::Settled(judged) => {
                if let Some(next) = judged.next {
                    self.use_address(next, uses.by_redirect(), depth);
                } else {
                    self.judge_anew(id, &judged);
                    self.read_after_all(id);
                    self.watch_for_wrong_type(id);
                }
            }
            // It was to be asked only; now it is to be read.
            State::Queued => {
                self.hold(id);
            }
            State::Held | State::InFlight | State::Later | State::Unconfirmed | State::Refused => {}
        }
        if nearer && self.settings.depth.is_some() {
            for child in self.leads_to.get(&id).cloned().unwrap_or_default() {
                self.use_address(child, Uses::NONE, depth + 1);
            }
        }
    }

    /// Queues an address unless something keeps it from being asked.
    pub(super) fn want(&mut self, id: AddressId) {
        match self.hindrance(id) {
            Some(cause) => {
                self.entry_mut(id).state = State::Unasked(cause);
                if cause == Cause::Trap {
                    self.tell_of_trap(id);
                }
            }
            None => self.begin(id),
        }
    }

    /// Nothing keeps an address from being asked, but perhaps from being asked at once.
    fn begin(&mut self, id: AddressId) {
        self.progress.known += 1;
        if self.is_gone(id) {
            return self.withhold_of_gone(id);
        }
        let Entry { uses, scope, .. } = *self.entry(id);
        if uses.visit() && scope == Scope::Internal {
            let Crawl { traps, addresses, .. } = self;
            traps.handle_heard(&addresses[id.index()]);
        }
        if !self.hold(id) {
            self.queue(id, false, false);
        }
    }

    fn hindrance(&self, id: AddressId) -> Option<Cause> {
        let entry = self.entry(id);
        let external = entry.scope == Scope::External;
        let no_lists = self.settings.sitemap == SitemapRule::None;
        if entry.uses.robots() {
            // Nothing can be read before it, wherever it has moved to.
            None
        } else if !entry.uses.any() {
            let left_out = entry.uses.left_out();
            Some(if left_out { Cause::Excluded } else { Cause::ServiceLink })
        } else if entry.excluded || (no_lists && entry.uses.only_sitemap()) {
            Some(Cause::Excluded)
        } else if external && self.settings.externals == Externals::Note {
            Some(Cause::External)
        } else if self.settings.has_credentials && acts(self.address(id)) {
            Some(Cause::Acts)
        } else if self.is_trapped(id) {
            Some(Cause::Trap)
        } else if self.admission.is_some() && !external && entry.uses.visit() {
            // Admission lets it in, when its turn comes and there is room.
            Some(Cause::Limit)
        } else {
            None
        }
    }

    /// What was requested, but not read, is to be read now: it is requested once more.
    fn read_after_all(&mut self, id: AddressId) {
        if self.lacks_reading(id) {
            self.progress.done -= 1;
            self.request_to_read(id);
        }
    }

    /// It has responded well, and is requested once more, to be read.
    pub(super) fn request_to_read(&mut self, id: AddressId) {
        self.entry_mut(id).by_get = true;
        if !self.hold(id) {
            self.queue(id, false, false);
        }
    }

    /// Whether more is to be read of a URL that responded well than was wanted when it was
    /// requested: links have turned up since that use it in another way.
    pub(super) fn lacks_reading(&self, id: AddressId) -> bool {
        let Entry { success, html, css, read, asked_body, .. } = *self.entry(id);
        match self.body_wish(id) {
            BodyWish::Drop | BodyWish::Robots => false,
            BodyWish::Title => html && asked_body == BodyWish::Drop,
            BodyWish::Places => html && !matches!(asked_body, BodyWish::Places | BodyWish::Page),
            BodyWish::Sitemap => success && asked_body != BodyWish::Sitemap,
            BodyWish::Sheet => css && !matches!(asked_body, BodyWish::Sheet | BodyWish::Page),
            BodyWish::Page => {
                let unread = if css { asked_body != BodyWish::Sheet } else { html && !read };
                unread && asked_body != BodyWish::Page && self.not_read(id).is_none()
            }
        }
    }

    /// Why an address of the site is not to be read, if so.
    pub(super) fn not_read(&self, id: AddressId) -> Option<NotRead> {
        let entry = self.entry(id);
        if !self.permits(id) {
            Some(NotRead::Robots)
        } else if entry.always_read {
            None
        } else if !self.start.reads(self.address(id)) {
            Some(NotRead::Within)
        } else if self.settings.depth.is_some_and(|most| entry.depth > most) {
            Some(NotRead::Depth)
        } else {
            None
        }
    }

    /// Tells the admission of something and queues the pages that it lets in.
    pub(super) fn admit(&mut self, tell: impl FnOnce(&mut Admission) -> Vec<AddressId>) {
        let Some(admission) = &mut self.admission else { return };
        let mut let_in = VecDeque::from(tell(admission));
        while let Some(id) = let_in.pop_front() {
            match self.entry(id).state {
                State::Unasked(Cause::Limit) if self.is_trapped(id) => {
                    self.entry_mut(id).state = State::Unasked(Cause::Trap);
                    self.tell_of_trap(id);
                    if let Some(admission) = &mut self.admission {
                        let_in.extend(admission.handle_no_page(id, Vec::new()));
                    }
                }
                State::Unasked(Cause::Limit) => self.begin(id),
                // Asked before, as a picture say, or left out: no page to wait for.
                State::Unasked(_) | State::Settled(_) => {
                    if let Some(admission) = &mut self.admission {
                        let_in.extend(admission.handle_no_page(id, Vec::new()));
                    }
                }
                _ => {}
            }
        }
    }

    /// How fast the server of an address may be asked.
    pub(super) fn limits(&self, url: &Url, own: bool) -> Limits {
        let Settings { per_host, interval, gentle, .. } = self.settings;
        if gentle {
            Limits::gentle(interval)
        } else if own {
            Limits::own(per_host, is_loopback(url), interval)
        } else {
            Limits::other(per_host, interval)
        }
    }
}
