//! Sites whose faults have a known cure, generated from a seed: to test what is proposed, and that
//! it works once it is applied.

use std::collections::{BTreeMap, BTreeSet};

use crate::draw::Draw;
use crate::scenario::{Act, Host, Scenario};

/// A fault, and what the link was meant to be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Curable {
    /// The kind of mistake, for messages of tests.
    pub kind: &'static str,
    /// The target, as findings show it.
    pub target: String,
    /// The right URL; `None` if there is none.
    pub cure: Option<String>,
}

/// A generated site.
#[derive(Debug, Clone)]
pub struct CurableSite {
    /// The start URL.
    pub start: String,
    /// The files of the site, by their path without a leading slash.
    pub files: BTreeMap<String, Vec<u8>>,
    /// Every fault, each target once.
    pub faults: Vec<Curable>,
    others: BTreeMap<String, Host>,
    redirects: BTreeMap<String, String>,
    host: String,
}

impl CurableSite {
    /// The web with these files of the site.
    #[must_use]
    pub fn serving(&self, files: &BTreeMap<String, Vec<u8>>) -> Scenario {
        let mut paths: BTreeMap<String, Act> = BTreeMap::new();
        for (name, bytes) in files {
            let media_type = match name.rsplit('.').next() {
                Some("html") => "text/html; charset=utf-8",
                Some("css") => "text/css",
                Some("png") => "image/png",
                _ => "text/plain",
            };
            let act = Act::file(media_type, bytes.clone());
            if let Some(folder) = name.strip_suffix("index.html") {
                paths.insert(format!("/{folder}"), act.clone());
            }
            paths.insert(format!("/{name}"), act);
        }
        for (from, to) in &self.redirects {
            paths.insert(from.clone(), Act::redirect(301, to));
        }
        let mut hosts = self.others.clone();
        hosts.insert(self.host.clone(), Host { paths, ..Host::default() });
        Scenario { start: self.start.clone(), hosts, truth: Vec::new(), pages: Vec::new() }
    }

    /// The web as it is.
    #[must_use]
    pub fn web(&self) -> Scenario {
        self.serving(&self.files)
    }
}

const FIRST: [&str; 16] = [
    "harbour", "orchard", "winter", "railway", "village", "garden", "library", "mountain",
    "weaving", "pottery", "bridge", "market", "cottage", "forest", "chapel", "quarry",
];
const SECOND: [&str; 16] = [
    "concerts",
    "opening",
    "history",
    "recipes",
    "festival",
    "members",
    "photographs",
    "excursions",
    "newsletter",
    "exhibition",
    "volunteers",
    "lectures",
    "workshops",
    "archive",
    "timetable",
    "collection",
];
const FOLDERS: [&str; 5] = ["visits", "archive", "learning", "people", "events"];
const PARTNERS: [&str; 4] = ["riverside-trust", "heritage-forum", "county-gazette", "old-engines"];

/// A site of some hundred pages with faults of known cure: equal seeds give equal sites.
#[must_use]
pub fn curable(seed: u64) -> CurableSite {
    let mut draw = Draw::new(seed);
    let host =
        format!("www.{}-{}.test", FIRST[draw.below(16)], ["society", "guild"][draw.below(2)]);
    let mut builder = Builder {
        base: format!("https://{host}"),
        host,
        draw,
        pages: Vec::new(),
        links: BTreeMap::new(),
        faults: Vec::new(),
        others: BTreeMap::new(),
        redirects: BTreeMap::new(),
        seen: BTreeSet::new(),
    };
    builder.lay_out();
    builder.plant();
    builder.finish()
}

struct Page {
    /// With a leading slash.
    path: String,
    title: String,
}

struct Builder {
    host: String,
    base: String,
    draw: Draw,
    pages: Vec<Page>,
    /// The markup of the links on each page.
    links: BTreeMap<usize, Vec<String>>,
    faults: Vec<Curable>,
    others: BTreeMap<String, Host>,
    redirects: BTreeMap<String, String>,
    seen: BTreeSet<String>,
}

fn capital(word: &str) -> String {
    let mut characters = word.chars();
    characters
        .next()
        .map(|c| c.to_uppercase().collect::<String>() + characters.as_str())
        .unwrap_or_default()
}

impl Builder {
    fn lay_out(&mut self) {
        self.pages.push(Page { path: "/index.html".to_owned(), title: "Home".to_owned() });
        for (number, first) in FIRST.iter().enumerate() {
            for second in SECOND.iter().skip(self.draw.below(3)).step_by(3) {
                let folder = FOLDERS[(number + self.draw.below(2)) % FOLDERS.len()];
                self.pages.push(Page {
                    path: format!("/{folder}/{first}-{second}.html"),
                    title: format!("{} {second}", capital(first)),
                });
            }
        }
        for number in 1..=24 {
            let path = format!("/locks/lock-{number:02}.html");
            self.pages.push(Page { path, title: format!("Lock {number}") });
        }
        // Named by number alone: only their titles tell what they are about.
        for (number, first) in FIRST.iter().enumerate() {
            let (path, title) =
                (format!("/news/{}.html", 400 + number), format!("The {first} fair"));
            self.pages.push(Page { path, title });
        }
        for partner in PARTNERS {
            let page = |title: &str| {
                Act::page(format!("<title>{title}</title><h1>{title}</h1><p>{partner}</p>"))
            };
            let paths = ["/", "/join.html", "/about/contact.html", "/guide.html"];
            let paths = paths.into_iter().map(|path| (path.to_owned(), page(path))).collect();
            self.others.insert(format!("www.{partner}.test"), Host { paths, ..Host::default() });
        }
        // Every page is linked from an earlier one, and every page of a partner from the home page.
        for page in 1..self.pages.len() {
            let parent = self.draw.below(page);
            let (path, title) = (self.pages[page].path.clone(), self.pages[page].title.clone());
            self.link(parent, &path, &title);
        }
        for partner in PARTNERS {
            for path in ["/", "/join.html", "/about/contact.html"] {
                let url = format!("https://www.{partner}.test{path}");
                self.link(0, &url, partner);
            }
        }
    }

    fn link(&mut self, page: usize, to: &str, text: &str) {
        let markup = match self.draw.below(3) {
            0 => format!("<p>See <a href=\"{to}\">{text}</a>.</p>"),
            1 => format!("<ul><li><A class=x HREF='{to}'>{text}</A></ul>"),
            _ => format!("<div>\r\n\t<a title='{text}' href = \"{to}\"><b>{text}</b></a></div>"),
        };
        self.links.entry(page).or_default().push(markup);
    }

    fn any_page(&mut self) -> usize {
        1 + self.draw.below(self.pages.len() - 1)
    }

    /// Adds a fault whose reference is written so; each target is added once.
    fn fault(
        &mut self,
        kind: &'static str,
        written: &str,
        target: &str,
        cure: Option<&str>,
        text: &str,
    ) {
        if !self.seen.insert(target.to_owned()) {
            return;
        }
        for _ in 0..=self.draw.below(2) {
            let page = self.any_page();
            self.link(page, written, text);
        }
        let cure = cure.map(str::to_owned);
        self.faults.push(Curable { kind, target: target.to_owned(), cure });
    }

    /// A fault on the site itself, written as a path from the root.
    fn own(&mut self, kind: &'static str, path: &str, cure: Option<&str>, text: &str) {
        let target = format!("{}{path}", self.base);
        let cure = cure.map(|path| format!("{}{path}", self.base));
        let written = if self.draw.below(2) == 0 { path.to_owned() } else { target.clone() };
        self.fault(kind, &written, &target, cure.as_deref(), text);
    }

    /// A word with a typing error.
    fn mistyped(&mut self, word: &str) -> String {
        let characters: Vec<char> = word.chars().collect();
        let at = 1 + self.draw.below(characters.len() - 2);
        let mut new = characters.clone();
        match self.draw.below(4) {
            0 => new.insert(at, characters[at]),
            1 => {
                new.remove(at);
            }
            2 => new[at] = if characters[at] == 'w' { 'q' } else { 'w' },
            _ => new.swap(at, at + 1),
        }
        let new: String = new.into_iter().collect();
        if new == word { format!("{word}{}", characters[characters.len() - 1]) } else { new }
    }

    fn plant(&mut self) {
        for _ in 0..8 {
            let (path, title) = self.page();
            let (folder, name) = path.rsplit_once('/').unwrap_or_default();
            let stem = name.trim_end_matches(".html");
            let typed = self.mistyped(stem);
            self.own("characters", &format!("{folder}/{typed}.html"), Some(&path), &title);
        }
        for _ in 0..3 {
            let (path, title) = self.page();
            let mut parts: Vec<String> = path.split('/').map(str::to_owned).collect();
            parts[1] = self.mistyped(&parts[1].clone());
            self.own("folder characters", &parts.join("/"), Some(&path), &title);
        }
        for _ in 0..4 {
            let (path, title) = self.page();
            self.own(
                "case",
                &path.replace('a', "A").replace(".html", ".HTML"),
                Some(&path),
                &title,
            );
        }
        for _ in 0..4 {
            let (path, title) = self.page();
            let ending = [".htm", ".php", ""][self.draw.below(3)];
            self.own("ending", &path.replace(".html", ending), Some(&path), &title);
        }
        for _ in 0..8 {
            // A folder that was renamed.
            let (path, title) = self.page_in("learning");
            self.own("moved folder", &path.replace("/learning/", "/school/"), Some(&path), &title);
        }
        for _ in 0..9 {
            let (path, title) = self.page();
            let old = format!("http://users.oldhost.test/~society{path}");
            let cure = format!("{}{path}", self.base);
            self.fault("moved host", &old, &old, Some(&cure), &title);
        }
        for _ in 0..5 {
            let (path, title) = self.page();
            let words: Vec<&str> = title.split(' ').collect();
            let other = format!("/events/our-{}-and-{}s.html", words[1], words[0].to_lowercase());
            self.own("renamed", &other, Some(&path), &title);
        }
        for (number, partner) in PARTNERS.iter().enumerate() {
            let host = format!("www.{partner}.test");
            let typed = self.mistyped(partner);
            let url = format!("https://www.{typed}.test/join.html");
            let cure = format!("https://{host}/join.html");
            self.fault("host characters", &url, &url, Some(&cure), partner);
            let cure = format!("https://{host}/about/contact.html");
            match number {
                0 => self.own_to(
                    "scheme missing",
                    &format!("/{host}/about/contact.html"),
                    &cure,
                    partner,
                ),
                1 => {
                    let url = format!("https:// {host}/about/contact.html");
                    self.fault("pasted", &url, &url, Some(&cure), partner);
                }
                2 => {
                    let url = format!("{cure}).");
                    self.fault("pasted", &url, &url, Some(&cure), partner);
                }
                _ => {
                    let url = format!("http://{cure}");
                    let target = url.replace("http://https://", "http://https//");
                    self.fault("doubled", &url, &target, Some(&cure), partner);
                }
            }
            let url = format!("htps://{host}/guide.html");
            self.fault(
                "scheme characters",
                &url,
                &url,
                Some(&format!("https://{host}/guide.html")),
                partner,
            );
        }
        for _ in 0..3 {
            let (path, title) = self.page();
            let (url, page) = (format!("{path}#Visiting_Hours"), format!("{path}#visiting-hours"));
            self.own("anchor", &url, Some(&page), &title);
            let (path, title) = self.page();
            let (url, page) = (format!("{path}#getting-here"), format!("{path}#s2"));
            self.own("anchor by heading", &url, Some(&page), &title);
        }
        for _ in 0..4 {
            let (path, title) = self.page();
            let old = path.replace(".html", "-old");
            self.redirects.insert(old.clone(), path.clone());
            self.own("redirect", &old, Some(&path), &title);
        }
        for _ in 0..3 {
            // Nearly all of its name is that of its neighbors.
            let number = 1 + self.draw.below(24);
            let path = format!("/locks/lock-{number:02}.html");
            let old = format!("/locks/lokc-{number:02}.html");
            self.own("numbered characters", &old, Some(&path), "the lock");
            let (path, title) = self.page_in("news");
            let number = 900 + self.draw.below(90);
            self.own("renamed by number", &format!("/news/{number}.html"), Some(&path), &title);
            let (path, title) = self.page_in("visits");
            let name = path.trim_start_matches("/visits/");
            self.own("moved alone", &format!("/outings/2009/{name}"), Some(&path), &title);
            let (path, title) = self.page_in("archive");
            let separated = path.replace('-', "_").replace("/archive/", "/archive//");
            self.own("separators", &separated, Some(&path), &title);
            let (path, title) = self.page();
            let coded = path.replace('.', "%252E");
            self.own("encoded twice", &coded, Some(&path), &title);
            let (path, title) = self.page();
            self.own("pasted", &format!("{path}%20"), Some(&path), &title);
        }
        for path in [
            "/locks/lock-99.html",
            "/locks/lock-45.html",
            "/news/12.html",
            "/annual-report-2003.pdf",
            "/shop/basket",
            "/kite-flying.html",
            "/members/login",
        ] {
            self.own("hopeless", path, None, "more");
        }
        for host in ["http://vanished-blog.test/2009/post", "https://nowhere-cafe.test/"] {
            self.fault("hopeless", host, host, None, "a friend");
        }
        let image = format!("{}/img/plan.jpg", self.base);
        if self.seen.insert(image.clone()) {
            let page = self.any_page();
            self.links
                .entry(page)
                .or_default()
                .push("<img src=/img/plan.jpg alt='Plan'>".to_owned());
            self.links
                .entry(0)
                .or_default()
                .push("<img src='/img/plan.png' alt='Plan'>".to_owned());
            let cure = Some(format!("{}/img/plan.png", self.base));
            self.faults.push(Curable { kind: "image", target: image, cure });
        }
    }

    /// A fault whose path is a URL without its scheme.
    fn own_to(&mut self, kind: &'static str, path: &str, cure: &str, text: &str) {
        let target = format!("{}{path}", self.base);
        self.fault(kind, path, &target, Some(cure), text);
    }

    fn page(&mut self) -> (String, String) {
        let page = self.any_page();
        (self.pages[page].path.clone(), self.pages[page].title.clone())
    }

    fn page_in(&mut self, folder: &str) -> (String, String) {
        loop {
            let (path, title) = self.page();
            if path.split('/').nth(1) == Some(folder) {
                return (path, title);
            }
        }
    }

    fn finish(mut self) -> CurableSite {
        let mut files = BTreeMap::new();
        for (number, page) in self.pages.iter().enumerate() {
            let links = self.links.remove(&number).unwrap_or_default().join("\n");
            let title = &page.title;
            let text = format!(
                "<!DOCTYPE html>\n<html lang=en><title>{title}</title>\n<link rel=stylesheet \
                 href=/style.css>\n<h1>{title}</h1>\n<h2 id=visiting-hours>Visiting hours</h2>\n\
                 <p>About {title}, page {number}; caf\u{e9}.</p>\n<h2 id=s2>Getting here</h2>\n\
                 {links}\n</html>\n"
            );
            files.insert(page.path.trim_start_matches('/').to_owned(), text.into_bytes());
        }
        files.insert("style.css".to_owned(), b"body { color: black }\n".to_vec());
        files.insert("img/plan.png".to_owned(), b"\x89PNG\r\n\x1a\n".to_vec());
        CurableSite {
            start: format!("{}/", self.base),
            files,
            faults: self.faults,
            others: self.others,
            redirects: self.redirects,
            host: self.host,
        }
    }
}
