//! Small sites with names, texts and faults generated from a seed.
//!
//! They share only the kinds of faults with the museum, so that rules that work only for the
//! museum are found out.

use std::collections::BTreeMap;

use crate::draw::Draw;
use crate::scenario::{
    Act, Answer, ConnectionMode, Fault, FaultLink, FaultLinks, Host, Resolves, Scenario, Tls,
};

/// A web generated from a seed: equal seeds give equal webs.
#[must_use]
pub fn generated(seed: u64) -> Scenario {
    let mut draw = Draw::new(seed);
    let site = format!("{}.test", word(&mut draw));
    let mut builder = Builder {
        pages: (0..12 + draw.below(20)).map(|_| Vec::new()).collect(),
        paths: BTreeMap::new(),
        hosts: BTreeMap::new(),
        truth: Vec::new(),
        site,
        draw,
    };
    builder.link_pages();
    builder.plant();
    builder.finish()
}

fn word(draw: &mut Draw) -> String {
    const SYLLABLES: [&str; 12] =
        ["ka", "lo", "min", "re", "tus", "vo", "ni", "bar", "el", "ost", "qui", "fen"];
    (0..2 + draw.below(3)).map(|_| SYLLABLES[draw.below(SYLLABLES.len())]).collect()
}

struct Builder {
    /// The markup of each page's own links.
    pages: Vec<Vec<String>>,
    paths: BTreeMap<String, Act>,
    hosts: BTreeMap<String, Host>,
    truth: Vec<Fault>,
    site: String,
    draw: Draw,
}

impl Builder {
    fn path(page: usize) -> String {
        if page == 0 { "/".to_owned() } else { format!("/p{page}.html") }
    }

    fn url(&self, path: &str) -> String {
        format!("http://{}{path}", self.site)
    }

    /// Every page has a link from an earlier one.
    fn link_pages(&mut self) {
        for page in 1..self.pages.len() {
            let parent = self.draw.below(page);
            let text = word(&mut self.draw);
            self.pages[parent].push(format!("<a href='{}'>{text}</a>", Self::path(page)));
        }
    }

    /// Adds a link to a page, and returns its position.
    fn link(&mut self, to: &str) -> FaultLink {
        let page = self.draw.below(self.pages.len());
        // The number makes texts unique if words repeat.
        let text = format!("{} {}", word(&mut self.draw), self.truth.len());
        let (element, markup) = match self.draw.below(3) {
            0 => ("a", format!("<p>{} <a href=\"{to}\">\n {text}  </a></p>", word(&mut self.draw))),
            1 => ("a", format!("<a title=x href={to}><b>{text}</b></a>")),
            _ => ("a", format!("<ul><li><A HREF='{to}'>{text}</A></ul>")),
        };
        self.pages[page].push(markup);
        FaultLink { page: self.url(&Self::path(page)), element, text }
    }

    fn fault(
        &mut self,
        to: &str,
        target: &str,
        verdict: &'static str,
        cause: &'static str,
        status: u16,
    ) {
        let places = (0..=self.draw.below(2)).map(|_| self.link(to)).collect();
        self.truth.push(Fault {
            target: target.to_owned(),
            verdict,
            cause,
            status: (status > 0).then_some(status),
            places: FaultLinks::On(places),
        });
    }

    /// A fault of the site's own server.
    fn own(&mut self, act: Act, verdict: &'static str, cause: &'static str, status: u16) {
        let path = format!("/{}-{}", word(&mut self.draw), self.truth.len());
        self.paths.insert(path.clone(), act);
        let target = self.url(&path);
        self.fault(&path, &target, verdict, cause, status);
    }

    /// A fault of another host; `None` if the host does not exist.
    fn other(
        &mut self,
        host: Option<Host>,
        verdict: &'static str,
        cause: &'static str,
        status: u16,
    ) {
        let name = format!("{}{}.test", word(&mut self.draw), self.truth.len());
        let target = format!("http://{name}/x");
        if let Some(host) = host {
            self.hosts.insert(name, host);
        }
        self.fault(&target, &target, verdict, cause, status);
    }

    fn plant(&mut self) {
        let serving = |act| {
            let paths = BTreeMap::from([("/x".to_owned(), act)]);
            Some(Host { paths, ..Host::default() })
        };
        self.own(Act::status(404), "broken", "not-found", 404);
        self.own(Act::status(410), "broken", "gone", 410);
        self.own(Act::status(422), "broken", "client-error", 422);
        self.own(Act::status(503), "broken", "server-error", 503);
        self.own(Act::redirect(308, "/p1.html"), "moved", "moved-permanently", 200);
        self.own(Act::redirect(302, "/"), "doubtful", "redirected-home", 200);
        self.own(
            Act::Answer(Answer { status: 302, ..Answer::default() }),
            "broken",
            "bad-redirect",
            302,
        );
        let host = Host {
            paths: BTreeMap::from([
                ("/".to_owned(), Act::page("<title>home</title>".to_owned())),
                ("/x".to_owned(), Act::status(404)),
            ]),
            ..Host::default()
        };
        self.other(Some(host), "broken", "not-found", 404);
        self.other(serving(Act::status(403)), "doubtful", "access-refused", 403);
        self.other(serving(Act::status(401)), "doubtful", "login-needed", 401);
        self.other(serving(Act::redirect(301, "http://nowhere.test/")), "broken", "nxdomain", 0);
        self.other(serving(Act::Silent), "broken", "timeout", 0);
        self.other(None, "broken", "nxdomain", 0);
        let host = Host { resolves: Resolves::WithFailure, ..Host::default() };
        self.other(Some(host), "broken", "dns-failure", 0);
        let host = Host { reach: ConnectionMode::Refuses, ..Host::default() };
        self.other(Some(host), "broken", "connection-refused", 0);
        let host = Host { reach: ConnectionMode::Resets, ..Host::default() };
        self.other(Some(host), "broken", "connection-reset", 0);
        self.pretend();
        let misspelt = format!("htttp://{}/x", word(&mut self.draw));
        self.fault(&misspelt, &misspelt, "broken", "malformed-url", 0);
        let page = Self::path(1 + self.draw.below(self.pages.len() - 1));
        let target = self.url(&format!("{page}#no-{}", self.truth.len()));
        self.fault(&target, &target, "broken", "no-such-fragment", 200);
        // What is not a fault: temporary failures, a temporary redirect, an existing anchor.
        let page = || Box::new(Act::page("<title>fine</title>".to_owned()));
        let host = serving(Act::fails_first(1, 502, *page()));
        let shop = format!("{}-shop.test", word(&mut self.draw));
        self.hosts.extend(host.map(|host| (shop.clone(), host)));
        let _ = self.link(&format!("http://{shop}/x"));
        self.paths.insert("/now".to_owned(), Act::redirect(307, "/p1.html"));
        let _ = self.link("/now");
        let _ = self.link("/#top-of-it");
        let _ = self.link("mailto:somebody@a.test");
        // A host that has nothing for us, not even a home page.
        self.other(Some(Host::default()), "doubtful", "blocking", 404);
    }

    /// Certificates, refusals, and pages that are not what they seem.
    fn pretend(&mut self) {
        for (tls, verdict, cause) in [
            (Tls::Expired, "broken", "tls-expired"),
            (Tls::OtherHost, "broken", "tls-wrong-host"),
            (Tls::NoIssuer, "doubtful", "tls-chain"),
        ] {
            let name = format!("{}{}.test", word(&mut self.draw), self.truth.len());
            let target = format!("https://{name}/x");
            self.hosts.insert(name, Host { tls, ..Host::default() });
            self.fault(&target, &target, verdict, cause, 0);
        }
        self.own(Act::status(403), "broken", "access-refused", 403);
        let says = |title: &str| Act::page(format!("<title>{title} | {title}s</title>"));
        self.own(says("Page not found"), "doubtful", "soft-404", 200);
        let looped = Act::NeedsCookie("here=1", Box::new(says("Found")));
        self.paths.insert("/with-cookie".to_owned(), looped);
        let _ = self.link("/with-cookie");
        self.fault("mailto:nobody", "mailto:nobody", "broken", "malformed-url", 0);
        self.fault("http://10.1.2.3/x", "http://10.1.2.3/x", "broken", "private-address", 0);
    }

    fn finish(mut self) -> Scenario {
        let shared = "/gone-from-every-page".to_owned();
        let text = word(&mut self.draw);
        let mut pages = Vec::new();
        for (page, links) in self.pages.iter().enumerate() {
            let path = Self::path(page);
            let html = format!(
                "<!doctype html><title>{page}</title><div role=navigation><a href=/>home</a></div>\
                 <div id=top-of-it>{}</div><div role=contentinfo><a href={shared}>{text}</a></div>",
                links.join("\n")
            );
            pages.push(self.url(&path));
            self.paths.insert(path, Act::page(html));
        }
        self.truth.push(Fault {
            target: self.url(&shared),
            verdict: "broken",
            cause: "not-found",
            status: Some(404),
            places: FaultLinks::EveryPage("a", text),
        });
        let own = Host { paths: self.paths, ..Host::default() };
        self.hosts.insert(self.site.clone(), own);
        Scenario {
            start: format!("http://{}/", self.site),
            hosts: self.hosts,
            truth: self.truth,
            pages,
        }
    }
}
