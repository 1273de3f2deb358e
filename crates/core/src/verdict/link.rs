//! The table of faults that a link may have apart from its URL.

use super::{Judgement, Verdict};
use crate::extract::elements::{Attribute, Element, Expected};
use crate::extract::plain_words::plain;
use crate::url::scope::Scope;

/// A link and its target.
#[derive(Debug, Clone, Copy)]
pub struct LinkContext<'a> {
    /// The URL of the page with the link.
    pub page: &'a str,
    /// The URL that it names.
    pub target: &'a str,
    /// The scope of that URL.
    pub scope: Option<Scope>,
    /// The element of the link.
    pub element: Element,
    /// The attribute of the link.
    pub attribute: Attribute,
    /// The `rel` attribute.
    pub rel: Option<&'a str>,
    /// The reference as written in the source.
    pub written: &'a str,
    /// The link text.
    pub text: Option<&'a str>,
    /// The title of the page with the link.
    pub title: Option<&'a str>,
    /// A script acts on the element.
    pub scripted: bool,
    /// The verdict on the URL.
    pub verdict: Verdict,
    /// The target was read to its end, and lacks the anchor that the fragment names.
    pub lacks_anchor: bool,
    /// The target is an HTML page, even when requested with a browser's `Accept` header.
    pub is_page: bool,
    /// Placeholder links are broken, not doubtful: the rule for a site before its launch.
    pub placeholders_are_broken: bool,
}

impl LinkContext<'_> {
    /// Browsers block these on an https page, and do not try https instead (Mixed Content §5.1
    /// and §5.2).
    fn is_mixed(&self) -> bool {
        self.element.is_blockable(self.attribute, self.rel)
            && self.page.starts_with("https:")
            && self.target.starts_with("http:")
            && !is_near(self.target)
    }

    fn leads_nowhere(&self) -> bool {
        self.element.is_clicked(self.attribute)
            && !self.scripted
            && is_empty_reference(self.written)
            && !self.names_its_page()
    }

    /// "You are here": the link names the page it is on, as menus do.
    fn names_its_page(&self) -> bool {
        let (Some(text), Some(title)) = (self.text, self.title) else { return false };
        let text = plain(text);
        // Menus mark the entry for those who cannot see it.
        let text = text.strip_suffix(" current").unwrap_or(&text);
        !text.is_empty() && names_part_of(title, text)
    }

    /// A part of a template that was not filled in, or a host that is reserved for examples.
    fn is_leftover(&self) -> bool {
        is_leftover(self.written)
            || (self.element.is_clicked(self.attribute)
                // A shortcut for links within a site that is only tried out.
                && origin_of(self.page) != origin_of(self.target)
                && is_for_examples(self.target)
                && is_public(self.page))
    }

    /// Whether the verdict on the link may be another one on another page, if both
    /// [are public](is_public) or both are not.
    #[must_use]
    pub fn depends_on_page(&self) -> bool {
        let may_be_mixed =
            self.element.is_blockable(self.attribute, self.rel) && self.target.starts_with("http:");
        let may_name_its_page = is_empty_reference(self.written);
        may_be_mixed || may_name_its_page
    }

    fn is_good(&self) -> bool {
        is_good(self.verdict)
    }

    fn expected_type(&self) -> Option<Expected> {
        self.element.expected_type(self.attribute, self.rel)
    }
}

/// Whether a text, in plain words, is a part of a title or several parts in a row. The name of a
/// page may contain what separates it from that of the site: `abc — Base classes — The manual`.
fn names_part_of(title: &str, text: &str) -> bool {
    const SEPARATORS: &[char] = &['|', '–', '—', '·', '•', '»', '«', '›', '‹', ':', '/', '~', '>'];
    let parts = title.split(SEPARATORS).flat_map(|part| part.split(" - "));
    let parts: Vec<String> = parts.map(plain).filter(|part| !part.is_empty()).collect();
    (0..parts.len()).any(|first| {
        let mut rest = text;
        for part in &parts[first..] {
            match rest.strip_prefix(part.as_str()) {
                Some("") => return true,
                Some(after) if after.starts_with(' ') => rest = &after[1..],
                _ => return false,
            }
        }
        false
    })
}

/// Whether a reference is a part of a template that was not filled in: `{{ url }}`, `{% url %}`,
/// `<%= url %>`, `${url}`, `%%URL%%`, `[link]`, `TODO`.
#[must_use]
pub fn is_leftover(written: &str) -> bool {
    let written = written.trim();
    let marks = |byte: u8| matches!(byte, b'{' | b'<' | b'$' | b'%' | b'[');
    // A shortcut for nearly all references.
    if !written.bytes().any(marks) {
        let word = written.trim_start_matches('#');
        return ["todo", "tbd", "fixme"].iter().any(|known| known.eq_ignore_ascii_case(word));
    }
    let encloses = |open: &str, close: &str| {
        written.find(open).is_some_and(|at| written[at + open.len()..].contains(close))
    };
    let is_whole = |open, close| {
        let inside = written.strip_prefix(open).and_then(|rest: &str| rest.strip_suffix(close));
        inside.is_some_and(|name: &str| {
            !name.is_empty() && name.chars().all(|c| c.is_alphanumeric() || " _-.".contains(c))
        })
    };
    // Code may have any of these.
    if written.starts_with("data:")
        || written.get(..11).is_some_and(|s| s.eq_ignore_ascii_case("javascript:"))
    {
        return false;
    }
    [("{{", "}}"), ("{%", "%}"), ("<%", "%>"), ("${", "}"), ("%%", "%%")]
        .iter()
        .any(|(open, close)| encloses(open, close))
        || is_whole('[', ']')
        || is_whole('{', '}')
}

/// Names that are reserved (RFC 2606 §2 and §3; RFC 6761 §6), other than localhost.
fn is_for_examples(url: &str) -> bool {
    // A shortcut for nearly all URLs.
    if !["example", ".test", ".invalid"].iter().any(|name| url.contains(name)) {
        return false;
    }
    let Ok(url) = url::Url::parse(url) else { return false };
    let host = url.host_str().unwrap_or_default().trim_end_matches('.');
    let mut labels = host.rsplit('.');
    match (labels.next(), labels.next()) {
        (Some("example" | "test" | "invalid"), _) => host.contains('.'),
        (Some("com" | "net" | "org"), Some("example")) => true,
        _ => false,
    }
}

/// Scheme and host of an absolute URL.
fn origin_of(url: &str) -> &str {
    let host = url.find("://").map_or(0, |at| at + 3);
    url[host..].find(['/', '?', '#']).map_or(url, |end| &url[..host + end])
}

/// Whether a page is on the web: not on a test host, in a private network or in a folder without
/// a URL.
#[must_use]
pub fn is_public(page: &str) -> bool {
    let Ok(url) = url::Url::parse(page) else { return false };
    matches!(url.host(), Some(url::Host::Domain(_)))
        && !is_for_examples(page)
        && !crate::url::network::is_loopback(&url)
}

/// Whether a reference is one of those that authors write as a placeholder.
fn is_empty_reference(written: &str) -> bool {
    let bare: String =
        written.chars().filter(|c| !c.is_whitespace()).collect::<String>().to_ascii_lowercase();
    match bare.strip_prefix("javascript:") {
        Some(script) => matches!(script.trim_end_matches(';'), "" | "void(0)" | "void0" | "//"),
        None => matches!(&*bare, "" | "#"),
    }
}

/// Browsers trust this machine over http (Secure Contexts §3.1).
fn is_near(target: &str) -> bool {
    url::Url::parse(target).is_ok_and(|url| crate::url::network::is_loopback(&url))
}

/// The verdict on a link apart from its URL, if it has a fault; the worse of the two counts.
#[must_use]
pub fn of_link(url: &LinkContext<'_>) -> Option<Judgement> {
    let row = ROWS.iter().find(|row| (row.fits)(url))?;
    // What was not filled in says more than what became of it.
    let explains = url.is_leftover() && row.judgement.verdict == url.verdict;
    Some(row.judgement).filter(|own| explains || is_worse(own.verdict, url.verdict))
}

/// The verdict on placeholder links to a URL with this verdict, by their source text.
#[must_use]
pub fn of_placeholder(written: &str, url: Verdict, placeholders_are_broken: bool) -> Verdict {
    let is_broken =
        if is_empty_reference(written) { placeholders_are_broken } else { !is_good(url) };
    if is_broken { Verdict::Broken } else { Verdict::Doubtful }
}

fn is_good(url: Verdict) -> bool {
    matches!(url, Verdict::Sound | Verdict::Moved)
}

fn is_worse(own: Verdict, of_url: Verdict) -> bool {
    let rank = |verdict| Verdict::ALL.iter().position(|known| *known == verdict);
    // A skipped URL was not checked: any fault of the link is worse.
    of_url == Verdict::Skipped || rank(own) < rank(of_url)
}

table! {
    |url: LinkContext<'_>| examples of LinkContext<'static>;

    mixed_content: Broken(MixedContent) if url.is_mixed(),
        as in of("script", "src", "http://b.test/x.js"), of("iframe", "src", "http://b.test/"),
              LinkContext { rel: Some("stylesheet"), ..of("link", "href", "http://b.test/x.css") };
    leftover: Broken(Placeholder) if url.is_leftover() && !url.is_good(),
        as in LinkContext { verdict: Verdict::Broken, ..of("img", "src", "{{ image }}") },
              LinkContext { verdict: Verdict::Broken, page: "https://a.co/", ..of("a", "href", "https://www.example.com/x") };
    leftover_that_works: Doubtful(Placeholder) if url.is_leftover(),
        as in of("a", "href", "[link]"),
              LinkContext { page: "https://a.co/", ..of("a", "href", "https://example.org/") };
    no_such_fragment: Broken(NoSuchFragment) if url.lacks_anchor && !url.scripted,
        as in LinkContext { lacks_anchor: true, ..of("a", "href", "/y#gone") };
    own_wrong_type: Broken(WrongType)
        if url.is_page && url.expected_type().is_some() && url.scope == Some(Scope::Internal),
        as in LinkContext { is_page: true, ..of("img", "src", "/x.png") };
    wrong_type: Doubtful(WrongType) if url.is_page && url.expected_type().is_some(),
        as in LinkContext { is_page: true, scope: Some(Scope::External), ..of("script", "src", "https://b.test/x.js") };
    strict_placeholder: Broken(Placeholder)
        if url.placeholders_are_broken && url.leads_nowhere(),
        as in LinkContext { placeholders_are_broken: true, ..of("a", "href", "#") };
    placeholder: Doubtful(Placeholder) if url.leads_nowhere(),
        as in of("a", "href", ""), of("a", "href", " # "), of("area", "href", "javascript:void(0);"),
              of("a", "href", "JavaScript:;"), of("a", "href", "javascript: void(0)");
}

#[cfg(test)]
fn of(element: &str, attribute: &str, written: &'static str) -> LinkContext<'static> {
    LinkContext {
        page: "https://a.test/",
        target: if written.starts_with("http") { written } else { "https://a.test/x" },
        scope: Some(Scope::Internal),
        element: Element::named(element).expect("an element that holds links"),
        attribute: Attribute::named(attribute).expect("an attribute that holds links"),
        rel: None,
        written,
        text: Some("A link"),
        title: Some("A page - A site"),
        scripted: false,
        verdict: Verdict::Sound,
        lacks_anchor: false,
        is_page: false,
        placeholders_are_broken: false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::verdict::Cause;

    #[test]
    fn each_row_is_the_first_to_match_its_examples() {
        for (row, example) in examples() {
            let first = ROWS.iter().find(|row| (row.fits)(&example));
            assert_eq!(first.map(|row| row.name), Some(row), "{example:?}");
            assert_eq!(of_link(&example), first.map(|row| row.judgement));
        }
    }

    #[test]
    fn what_does_not_depend_on_the_page_is_the_same_on_any() {
        let links = examples().into_iter().map(|(_, link)| link).chain([
            of("a", "href", "/x"),
            of("a", "href", "http://example.org/"),
            of("img", "src", "http://example.org/x.png"),
            of("script", "src", "http://b.test/x.js"),
            of("a", "href", "#gone"),
        ]);
        let mut independent = 0;
        for link in links {
            let of_page = |page, title| of_link(&LinkContext { page, title, ..link });
            let public = [
                of_page("https://a.co/", None),
                of_page("http://www.example-a.co/", Some("A link")),
                of_page("https://b.co/x", Some("Another")),
            ];
            let reserved = [
                of_page("https://example.org/y", Some("A link | A site")),
                of_page("https://a.test/", Some("Another")),
                of_page("http://localhost/", None),
            ];
            let is_same = public == [public[0]; 3] && reserved == [reserved[0]; 3];
            assert!(is_same || link.depends_on_page(), "{link:?}: {public:?} {reserved:?}");
            independent += usize::from(!link.depends_on_page());
        }
        assert!(independent > 5, "{independent}");
        assert!(of("a", "href", "#").depends_on_page());
        assert!(!of("a", "href", "/x").depends_on_page());
    }

    #[test]
    fn a_link_that_a_script_acts_on_is_not_a_placeholder() {
        for written in ["#", "", "javascript:void(0)", "#gone"] {
            let button =
                LinkContext { scripted: true, lacks_anchor: true, ..of("a", "href", written) };
            assert_eq!(of_link(&button), None, "{written}");
        }
    }

    #[test]
    fn a_menu_entry_for_the_current_page_is_not_a_placeholder() {
        let here = |text| LinkContext { text, ..of("a", "href", "#") };
        assert_eq!(of_link(&here(Some("a page"))), None);
        assert!(of_link(&here(Some("Another page"))).is_some());
        assert!(of_link(&here(Some(""))).is_some() && of_link(&here(None)).is_some());
    }

    /// Titles and menu entries as they are on real sites.
    #[test]
    fn a_menu_names_its_page_in_many_ways() {
        for (title, text, is_here) in [
            (
                "abc — Abstract Base Classes — Python 3.11.2 documentation",
                "abc — Abstract Base Classes",
                true,
            ),
            (
                "abc — Abstract Base Classes — Python 3.11.2 documentation",
                "Python 3.11.2 documentation",
                true,
            ),
            ("abc — Abstract Base Classes — Python 3.11.2 documentation", "abc", true),
            ("abc — Abstract Base Classes", "Base Classes", false),
            ("Opening hours - Visit us - Ashlock Canal Museum", "Visit us", true),
            ("Opening hours | Ashlock Canal Museum", "OPENING HOURS", true),
            ("Opening hours | Ashlock Canal Museum", "Opening hours (current)", true),
            ("Opening hours « Ashlock Canal Museum", "» Opening hours", true),
            ("Museum: Opening hours", "Opening hours", true),
            ("Home / Visit / Opening hours", "Visit / Opening hours", true),
            ("What's new?", "What’s new", true),
            ("12.4. Threads · Manual", "12.4. Threads", true),
            ("Öffnungszeiten – Museum", "öffnungszeiten", true),
            ("Opening hours | Museum", "Opening", false),
            ("Opening hours | Museum", "hours Museum", false),
            ("Opening hours | Museum", "Prices", false),
            ("Opening hours | Museum", "?", false),
        ] {
            let link = LinkContext { title: Some(title), text: Some(text), ..of("a", "href", "#") };
            assert_eq!(link.names_its_page(), is_here, "{text} in {title}");
        }
    }

    #[test]
    fn parts_of_templates_are_recognized_and_urls_are_not() {
        for written in [
            "{{ url }}",
            "/news/{{slug}}/",
            "{% url 'home' %}",
            "<%= link %>",
            "${link}",
            "%%LINK%%",
            "[link]",
            "[your link here]",
            "{url}",
            "TODO",
            "#TODO",
            "tbd",
            " FIXME ",
        ] {
            assert!(is_leftover(written), "{written}");
        }
        for written in [
            "",
            "#",
            "/todo",
            "/todo.html",
            "/a[1]",
            "http://[::1]/",
            "/x?a={1}",
            "javascript:if(x){{y()}}",
            "data:text/plain,{{x}}",
            "100%",
            "/50%%",
            "[]",
            "[http://a.test/]",
            "/{id}/x",
        ] {
            assert!(!is_leftover(written), "{written}");
        }
    }

    #[test]
    fn reserved_hosts_are_placeholders_on_public_sites_only() {
        let to = |target, page| LinkContext { page, ..of("a", "href", target) };
        let (public, own) = ("https://museum.co/", "https://a.test/");
        for (target, page, is_leftover) in [
            ("https://example.com/", public, true),
            ("https://www.example.net/x", public, true),
            ("http://shop.example/", public, true),
            ("https://examples.com/", public, false),
            ("https://example.co/", public, false),
            ("https://example.com/", own, false),
            ("https://example.com/", "http://localhost:8000/", false),
            ("https://example.com/", "http://10.0.0.1/", false),
        ] {
            assert_eq!(to(target, page).is_leftover(), is_leftover, "{target} on {page}");
        }
        assert!(
            !LinkContext { page: public, ..of("img", "src", "https://example.com/i.png") }
                .is_leftover()
        );
    }

    #[test]
    fn a_leftover_explains_why_its_url_is_broken() {
        let broken = LinkContext { verdict: Verdict::Broken, ..of("a", "href", "${url}") };
        let judgement = of_link(&broken).unwrap();
        assert_eq!(
            (judgement.verdict, judgement.cause),
            (Verdict::Broken, Some(Cause::Placeholder))
        );
        let works = of_link(&of("a", "href", "${url}")).unwrap();
        assert_eq!((works.verdict, works.cause), (Verdict::Doubtful, Some(Cause::Placeholder)));
    }

    #[test]
    fn a_link_without_a_fault_has_no_verdict_of_its_own() {
        for fine in [
            of("a", "href", "http://b.test/"),
            of("img", "src", "http://b.test/x.png"),
            of("script", "src", "https://b.test/x.js"),
            of("script", "src", "http://localhost:8000/x.js"),
            of("a", "href", "javascript:play()"),
            of("a", "href", "#top"),
            LinkContext { is_page: true, ..of("a", "href", "/x") },
            LinkContext { page: "http://a.test/", ..of("script", "src", "http://b.test/x.js") },
        ] {
            assert_eq!(of_link(&fine), None, "{fine:?}");
        }
    }

    #[test]
    fn the_worse_of_the_two_verdicts_counts() {
        let lacks = LinkContext { lacks_anchor: true, ..of("a", "href", "/x#y") };
        assert_eq!(of_link(&LinkContext { verdict: Verdict::Broken, ..lacks }), None);
        assert!(of_link(&LinkContext { verdict: Verdict::Moved, ..lacks }).is_some());
        let nowhere = of("a", "href", "javascript:void(0)");
        assert!(of_link(&LinkContext { verdict: Verdict::Skipped, ..nowhere }).is_some());
        assert_eq!(of_link(&LinkContext { verdict: Verdict::Doubtful, ..nowhere }), None);
    }
}
