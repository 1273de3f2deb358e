//! From the links of a page to URLs with roles.

use std::collections::HashSet;
use std::ops::Range;

use url::{Host, Url};

use super::link_faults::{may_have_fault, watch_link};
use super::place::{Place, Source, Sources};
use super::{Discovery, copies};
use crate::crawl::board::Board;
use crate::crawl::messages::{BodyUse, Event, FollowedPart, Judged, Note, Target, UrlId};
use crate::crawl::requests::side_requests::Reason;
use crate::crawl::settings::{Fragments, SitemapRule};
use crate::crawl::shared::SharedState;
use crate::crawl::urls::{Phase, Roles};
use crate::extract::elements::{Attribute, Element};
use crate::extract::reading::{Format, Link, Reading, Sketch};
use crate::extract::shared_parts::SharedPart;
use crate::url::memo::key;
use crate::url::network::is_loopback;
use crate::url::reference::{Reference, resolve_in};
use crate::url::scope::Scope;
use crate::url::userinfo::is_masked;
use crate::verdict::{Cause, Verdict, is_leftover};

/// What the links of a page have given.
#[derive(Default)]
pub(super) struct Followed {
    pub(super) targets: Vec<Target>,
    /// The targets that are pages of the site.
    pub(super) pages: Vec<UrlId>,
    pub(super) parts: Vec<FollowedPart>,
    has_credentials: bool,
    has_more_sitemaps: bool,
}

/// Whether a reference cannot be resolved without a base.
fn is_relative(written: &str) -> bool {
    Url::parse(written) == Err(url::ParseError::RelativeUrlWithoutBase)
}

impl Discovery {
    /// Takes the links of a parsed page, stylesheet, sitemap or robots.txt. `upgrades`: browsers
    /// request its http URLs by https.
    pub(in crate::crawl) fn handle_reading(
        &mut self,
        shared: &mut SharedState,
        page: UrlId,
        reading: Reading,
        upgrades: bool,
    ) {
        let was_full = shared.board.is_full();
        let reading = if was_full { reading.without_links() } else { reading };
        let is_page = reading.format.is_page();
        let is_list = matches!(reading.format, Format::Sitemap | Format::Robots | Format::List);
        let url = shared.board.urls.parsed(page);
        let first_new = shared.board.urls.len();
        let profile = copies::profile(&reading);
        let place = Place {
            page,
            reading: &reading,
            depth: if is_list { u32::MAX } else { shared.board.entry(page).depth },
            is_secure: url.scheme() == "https",
            upgrades,
            first_new,
            leads_nowhere: profile.is_some_and(|profile| self.copies.is_stopped(profile)),
            sources: Sources::new(&url, &reading),
        };
        let Followed { targets, pages, parts, has_credentials, has_more_sitemaps } =
            self.follow_all(shared, &place);
        if is_page {
            shared.board.urls.handle_page_read(page);
            self.shells.handle_page(&mut shared.board, page, &reading);
            self.watch_for_traps(shared, page, reading.sketch, first_new);
            if let Some(profile) = profile {
                self.watch_for_copies(shared, page, profile, pages.iter(), first_new);
            }
        }
        if !was_full && shared.board.is_full() {
            self.handle_full(shared, page);
        }
        let board = &mut shared.board;
        if has_more_sitemaps {
            board.note(page, Note::MoreSitemaps);
        }
        if has_credentials {
            board.note(page, Note::CredentialsInUrl);
        }
        let expected = board.entry(page).is_linked()
            || board.settings.lists
            || board.settings.names_sitemap(board.urls.text(page));
        if reading.format == Format::Sitemap && reading.faulty && expected {
            board.note(page, Note::SitemapFaulty);
        }
        board.report(Event::Read { id: page, reading: Box::new(reading), targets, parts });
        if board.settings.depth.is_some() {
            self.leads_to.insert(page, pages.clone());
        }
        if is_page {
            self.admit(shared, |admission| admission.handle_read(page, pages));
        } else if is_list {
            self.admit(shared, |admission| admission.handle_list(pages));
        }
    }

    /// Follows the links of a page in their order.
    fn follow_all(&mut self, shared: &mut SharedState, place: &Place<'_>) -> Followed {
        let count = place.reading.links().len();
        let mut followed = Followed { targets: Vec::with_capacity(count), ..Followed::default() };
        let mut at = 0;
        for part in place.reading.parts() {
            self.follow(shared, place, at..part.links.start, &mut followed);
            self.follow_part(shared, place, part, &mut followed);
            at = part.links.end;
        }
        self.follow(shared, place, at..count, &mut followed);
        followed
    }

    /// Follows the links of a part that other pages have too. Where they have been followed in the
    /// same way before, nothing is left to do.
    fn follow_part(
        &mut self,
        shared: &mut SharedState,
        place: &Place<'_>,
        part: &SharedPart,
        followed: &mut Followed,
    ) {
        let number = match self.parts.find(place, part.id) {
            Some(known) => {
                followed.targets.extend_from_slice(&known.targets);
                followed.pages.extend_from_slice(&known.pages);
                if let Some(other) = known.names_itself.filter(|other| *other != place.page) {
                    shared.board.entry_mut(other).page.reached = true;
                }
                Some(known.number)
            }
            None => {
                let (targets, pages) = (followed.targets.len(), followed.pages.len());
                self.follow(shared, place, part.links.clone(), followed);
                let (targets, pages) = (&followed.targets[targets..], &followed.pages[pages..]);
                self.parts.keep(&shared.board, place, part, targets, pages)
            }
        };
        let links = part.links.clone();
        followed.parts.extend(number.map(|number| FollowedPart { links, number }));
    }

    /// Follows the links at these positions.
    fn follow(
        &mut self,
        shared: &mut SharedState,
        place: &Place<'_>,
        links: Range<usize>,
        followed: &mut Followed,
    ) {
        let Place { page, reading, depth, is_secure, upgrades, .. } = *place;
        let is_page = reading.format.is_page();
        for link in reading.links_at(links) {
            let roles = roles_of(&shared.board, &link);
            // A stylesheet is part of its page, not one level deeper.
            let depth = if roles.stylesheet() { depth } else { depth.saturating_add(1) };
            let source = place.sources.of(&link);
            let (mut target, is_known) =
                self.target(&mut shared.board, source, link.written, depth);
            followed.has_credentials |= !is_known && is_masked(link.written);
            if reading.format == Format::Sitemap
                && roles.sitemap()
                && !self.sitemaps.admits(page, target.id)
            {
                followed.has_more_sitemaps = true;
                let unread = matches!(shared.board.entry(target.id).phase(), Phase::Unrequested(_));
                if unread {
                    shared.board.set_unrequested(target.id, Cause::Trap);
                }
                followed.targets.push(target);
                continue;
            }
            let bare = &mut shared.board.entry_mut(target.id).bare;
            *bare = Some(bare.unwrap_or(true) && link.attribute == Attribute::HOST);
            if is_secure && (upgrades || roles.is_upgraded()) {
                target = upgraded(&mut shared.board, target, depth);
            }
            if place.leads_nowhere
                && roles.visit()
                && target.id.index() >= place.first_new
                && is_checked_page(&shared.board, target.id)
            {
                shared.board.set_unrequested(target.id, Cause::Trap);
                followed.targets.push(target);
                continue;
            }
            let roles = if roles.visit() {
                with_words(&shared.board, target.id, roles, &link)
            } else {
                roles
            };
            if roles.visit() {
                self.request_anchor(&mut shared.board, &target, link.scripted);
            }
            let may_be_mixed =
                is_secure && !shared.board.urls.text(target.id).starts_with("https:");
            if may_be_mixed || may_have_fault(link.written, is_known) {
                watch_link(&mut shared.board, page, &target, &link, reading.title());
            }
            if let Some(judged) = shared.board.urls.handle_linked(target.id) {
                shared.board.report(Event::Judged { id: target.id, judged });
            }
            shared.board.entry_mut(target.id).page.reached |= is_page && target.id != page;
            let roles = within_settings(&shared.board, target.id, roles);
            self.use_url(shared, target.id, roles, depth);
            if roles.visit() && shared.board.entry(target.id).scope == Scope::Internal {
                followed.pages.push(target.id);
            }
            followed.targets.push(target);
        }
    }

    /// Looks up the anchor that a link names, if it names one.
    fn request_anchor(&mut self, board: &mut Board, target: &Target, scripted: bool) {
        let Some(fragment) = &target.fragment else { return };
        let external = board.entry(target.id).scope == Scope::External;
        match board.settings.fragments {
            Fragments::None => return,
            Fragments::Internal => {}
            Fragments::All if external => request_anchors_of(board, target.id),
            Fragments::All => {}
        }
        if self.fragments.handle_wanted(target.id, fragment, scripted) {
            self.fragments.judge(board, target.id);
        }
    }

    /// The target of a reference, and whether it is from the cache: then nothing about the
    /// reference itself is unusual.
    fn target(
        &mut self,
        board: &mut Board,
        source: &Source,
        written: &str,
        depth: u32,
    ) -> (Target, bool) {
        let key = key(&source.keys, written).filter(|_| source.may_remember(written));
        let known = key.and_then(|key| self.memo.find(key)).and_then(UrlId::from_number);
        if let Some(id) = known {
            return (Target { id, fragment: None }, true);
        }
        let target = resolve(board, source, written, depth);
        if let Some(key) = key.filter(|_| !is_masked(written) && !is_leftover(written)) {
            self.memo.keep(key, target.id.number());
        }
        (target, false)
    }

    fn watch_for_traps(
        &mut self,
        shared: &mut SharedState,
        page: UrlId,
        sketch: Option<Sketch>,
        first_new: usize,
    ) {
        let urls = &shared.board.urls;
        let new = urls.texts_from(first_new);
        let Some(stop) = self.traps.handle_read(urls.text(page), sketch, new) else { return };
        shared.board.note(page, Note::Trap(stop));
        self.withdraw_pages(shared, Cause::Trap, |discovery, board, id| {
            discovery.is_trapped(board, id)
        });
    }

    fn watch_for_copies<'a>(
        &mut self,
        shared: &mut SharedState,
        page: UrlId,
        profile: u64,
        pages: impl Iterator<Item = &'a UrlId>,
        first_new: usize,
    ) {
        let new: HashSet<&UrlId> = pages.filter(|id| id.index() >= first_new).collect();
        let url = shared.board.urls.text(page);
        if let Some(stop) = self.copies.handle_read(url, profile, new.len() as u32) {
            shared.board.note(page, Note::Trap(stop));
        }
    }

    /// So many URLs are known that no more pages are parsed.
    fn handle_full(&mut self, shared: &mut SharedState, page: UrlId) {
        shared.board.note(page, Note::UrlLimit);
        self.withdraw_pages(shared, Cause::UrlLimit, |_, board, id| board.entry(id).roles.visit());
    }

    /// Queued URLs of the site are not requested any more, if they are such.
    fn withdraw_pages(
        &mut self,
        shared: &mut SharedState,
        cause: Cause,
        is_such: impl Fn(&Discovery, &Board, UrlId) -> bool,
    ) {
        for id in shared.board.urls.ids() {
            let entry = shared.board.entry(id);
            let waits = matches!(entry.phase(), Phase::Queued(_) | Phase::Held);
            if waits && entry.scope == Scope::Internal && is_such(self, &shared.board, id) {
                shared.board.set_unrequested(id, cause);
                self.handle_no_page(shared, id, Vec::new());
            }
        }
    }
}

/// Whether a new URL is one of the site's, and not re-included by a rule.
fn is_checked_page(board: &Board, id: UrlId) -> bool {
    board.entry(id).scope == Scope::Internal && !board.settings.includes(board.urls.text(id))
}

/// Has an external page read to its end, for its anchors.
pub(in crate::crawl) fn request_anchors_of(board: &mut Board, id: UrlId) {
    let entry = board.entry_mut(id);
    if entry.server.is_none() || std::mem::replace(&mut entry.anchors_requested, true) {
        return;
    }
    let Some(judged) = board.entry(id).judged() else { return };
    let last = board.entry_mut(judged.last);
    last.anchors_requested = true;
    if last.last.html {
        last.last.body = BodyUse::Anchors;
        board.enqueue_side(judged.last, Reason::Anchors, None);
    }
}

/// What a link's text says about its target matters if that may redirect.
fn with_words(board: &Board, id: UrlId, roles: Roles, link: &Link<'_>) -> Roles {
    match board.entry(id).phase() {
        Phase::Settled(Judged { next: None, .. }) => roles,
        _ => roles.and(Roles::said_by(link)),
    }
}

/// Browsers request an https page's http URLs by https, if that page says so; images, sound and
/// video always (Upgrade Insecure Requests §3.2; Mixed Content §4.1). Localhost is exempt.
fn upgraded(board: &mut Board, target: Target, depth: u32) -> Target {
    if !board.urls.text(target.id).starts_with("http:") {
        return target;
    }
    let mut url = board.urls.parsed(target.id);
    if is_loopback(&url)
        || matches!(url.host(), Some(Host::Ipv4(_) | Host::Ipv6(_)))
        || url.port().is_some()
        || url.set_scheme("https").is_err()
    {
        return target;
    }
    Target { id: board.intern(&url, depth, 0), fragment: target.fragment }
}

/// The roles that a link gives its target. Pages of the site are always crawled.
fn roles_of(board: &Board, link: &Link<'_>) -> Roles {
    let checked = &board.settings.check_elements;
    let roles = Roles::of(link);
    // If one sitemap was given, others count only if that one names them.
    let is_given = matches!(board.settings.sitemap, SitemapRule::At(_));
    if is_given && roles.only_sitemap() && link.element != Element::LOC {
        return Roles::IGNORED;
    }
    if checked.is_empty() || checked.contains(&link.element) || !roles.any() {
        return roles;
    }
    if roles.visit() { roles.and(Roles::IGNORED) } else { Roles::IGNORED }
}

/// Removes the role from an external URL that is only named by an element which is not checked.
fn within_settings(board: &Board, id: UrlId, roles: Roles) -> Roles {
    let is_crawled = board.entry(id).scope == Scope::Internal;
    if roles.left_out() && !is_crawled { Roles::IGNORED } else { roles }
}

fn resolve(board: &mut Board, source: &Source, written: &str, depth: u32) -> Target {
    let (text, verdict, cause) = match resolve_in(&source.base, written, source.encoding) {
        Reference::Web { mut url, fragment } => {
            if board.urls.scope_of(&url) == Scope::Internal {
                board.settings.query.apply(&mut url);
            }
            return Target { id: board.intern(&url, depth, 0), fragment };
        }
        Reference::Other { url } => (url, Verdict::Skipped, Cause::OtherScheme),
        Reference::Malformed { written } if source.is_given && is_relative(&written) => {
            (written, Verdict::Skipped, Cause::OtherScheme)
        }
        Reference::Malformed { written } => (written, Verdict::Broken, Cause::MalformedUrl),
    };
    let (id, is_new) = board.intern_other(&text);
    if is_new {
        let judged = Judged::without_hops(id, verdict, Some(cause), None);
        board.urls.set_phase(id, Phase::Settled(judged));
        board.report(Event::Judged { id, judged });
    }
    Target { id, fragment: None }
}
