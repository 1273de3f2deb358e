//! The table of faults that a link may have apart from its URL.

use super::{Judgement, Verdict};
use crate::extract::elements::{Attribute, Element, Expected};
use crate::extract::signs::title_parts;
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
        let text = text.to_lowercase();
        !text.is_empty() && title_parts(title).any(|part| part.to_lowercase() == text)
    }

    fn expected_type(&self) -> Option<Expected> {
        self.element.expected_type(self.attribute, self.rel)
    }
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
    Some(row.judgement).filter(|own| is_worse(own.verdict, url.verdict))
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

    #[test]
    fn each_row_is_the_first_to_match_its_examples() {
        for (row, example) in examples() {
            let first = ROWS.iter().find(|row| (row.fits)(&example));
            assert_eq!(first.map(|row| row.name), Some(row), "{example:?}");
            assert_eq!(of_link(&example), first.map(|row| row.judgement));
        }
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
