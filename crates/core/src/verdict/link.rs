//! The table of what a link may have beside its address.

use super::{Judgement, Verdict};
use crate::extract::elements::{Attribute, Element, Expected};
use crate::extract::signs::title_parts;
use crate::url::scope::Scope;

/// What is known of a link and its target.
#[derive(Debug, Clone, Copy)]
pub struct LinkContext<'a> {
    /// The address of the page that has the link.
    pub page: &'a str,
    /// The address that it names.
    pub target: &'a str,
    /// On which side of the bounds that lies.
    pub scope: Option<Scope>,
    /// The element that holds it.
    pub element: Element,
    /// The attribute that holds it.
    pub attribute: Attribute,
    /// The `rel` attribute.
    pub rel: Option<&'a str>,
    /// The reference as it stands in the source.
    pub written: &'a str,
    /// The link text.
    pub text: Option<&'a str>,
    /// The title of the page that has the link.
    pub title: Option<&'a str>,
    /// A script acts on the element.
    pub scripted: bool,
    /// What is said of the address.
    pub verdict: Verdict,
    /// The target was read to its end and lacks the place that the fragment names.
    pub lacks_anchor: bool,
    /// The target is a page, though asked for what the link wants.
    pub is_page: bool,
    /// Links that lead nowhere are broken, not doubtful: so before a launch.
    pub placeholders_are_broken: bool,
}

impl LinkContext<'_> {
    /// Browsers refuse to mix these with a page of https, and do not ask by https
    /// instead (Mixed Content §5.1 and §5.2).
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

    /// "You are here": the link names the page on which it stands, as menus do.
    fn names_its_page(&self) -> bool {
        let (Some(text), Some(title)) = (self.text, self.title) else { return false };
        let text = text.to_lowercase();
        !text.is_empty() && title_parts(title).any(|part| part.to_lowercase() == text)
    }

    fn expected_type(&self) -> Option<Expected> {
        self.element.expected_type(self.attribute, self.rel)
    }
}

/// Whether a reference names nothing: HTML authors write these until they know better.
fn is_empty_reference(written: &str) -> bool {
    let bare: String =
        written.chars().filter(|c| !c.is_whitespace()).collect::<String>().to_ascii_lowercase();
    match bare.strip_prefix("javascript:") {
        Some(script) => matches!(script.trim_end_matches(';'), "" | "void(0)" | "void0" | "//"),
        None => matches!(&*bare, "" | "#"),
    }
}

/// This machine is trusted over http (Secure Contexts §3.1).
fn is_near(target: &str) -> bool {
    url::Url::parse(target).is_ok_and(|url| crate::url::network::is_loopback(&url))
}

/// What is said of a link beside its address, if anything; the worse of the two counts.
#[must_use]
pub fn of_link(url: &LinkContext<'_>) -> Option<Judgement> {
    let row = ROWS.iter().find(|row| (row.fits)(url))?;
    Some(row.judgement).filter(|own| is_worse(own.verdict, url.verdict))
}

fn is_worse(own: Verdict, of_url: Verdict) -> bool {
    let rank = |verdict| Verdict::ALL.iter().position(|known| *known == verdict);
    // What is skipped was not looked at: anything that is known is worse.
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
    fn each_row_is_the_first_that_fits_its_examples() {
        for (row, example) in examples() {
            let first = ROWS.iter().find(|row| (row.fits)(&example));
            assert_eq!(first.map(|row| row.name), Some(row), "{example:?}");
            assert_eq!(of_link(&example), first.map(|row| row.judgement));
        }
    }

    #[test]
    fn what_a_script_acts_on_is_no_placeholder() {
        for written in ["#", "", "javascript:void(0)", "#gone"] {
            let button =
                LinkContext { scripted: true, lacks_anchor: true, ..of("a", "href", written) };
            assert_eq!(of_link(&button), None, "{written}");
        }
    }

    #[test]
    fn a_menu_that_says_where_we_are_is_no_placeholder() {
        let here = |text| LinkContext { text, ..of("a", "href", "#") };
        assert_eq!(of_link(&here(Some("a page"))), None);
        assert!(of_link(&here(Some("Another page"))).is_some());
        assert!(of_link(&here(Some(""))).is_some() && of_link(&here(None)).is_some());
    }

    #[test]
    fn what_is_fine_says_nothing() {
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
    fn the_worse_of_the_two_is_told() {
        let lacks = LinkContext { lacks_anchor: true, ..of("a", "href", "/x#y") };
        assert_eq!(of_link(&LinkContext { verdict: Verdict::Broken, ..lacks }), None);
        assert!(of_link(&LinkContext { verdict: Verdict::Moved, ..lacks }).is_some());
        let nowhere = of("a", "href", "javascript:void(0)");
        assert!(of_link(&LinkContext { verdict: Verdict::Skipped, ..nowhere }).is_some());
        assert_eq!(of_link(&LinkContext { verdict: Verdict::Doubtful, ..nowhere }), None);
    }
}
