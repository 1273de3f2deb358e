//! The anchors of a page, for links whose fragment names none of them.

use html5gum::{Token, Tokenizer};

use super::folded::characters_of;
use super::known::words_of;
use super::similar::edits;
use super::{Candidate, Reason};
use crate::url::fragment::percent_decode;

/// How much of a heading counts, and how long an id or a fragment may be, in bytes.
const LONGEST: usize = 200;
/// How many anchors of a page are looked at.
const MOST: usize = 20_000;
/// How many candidates are returned.
const OFFERED: usize = 4;

/// A place on a page that fragments can name.
#[derive(Debug)]
struct Anchor {
    /// Its `id`, or the `name` of an `a`.
    id: String,
    /// The text of the heading that it is, is in, or comes right before.
    heading: Option<String>,
}

/// The anchors of a page, in order: not those with an id longer than 200 bytes, and at most 20,000.
fn of_page(html: &str) -> Vec<Anchor> {
    let mut anchors: Vec<Anchor> = Vec::new();
    // The first anchor that gets the text of the next heading.
    let mut pending = 0;
    let mut heading: Option<String> = None;
    for token in Tokenizer::new(html).flatten() {
        match token {
            Token::StartTag(tag) => {
                let name = String::from_utf8_lossy(&tag.name).into_owned();
                let is_heading = is_heading(&name);
                let value = |wanted: &[u8]| {
                    let value = tag.attributes.get(wanted)?;
                    Some(String::from_utf8_lossy(value).into_owned())
                };
                let named = value(b"id").or_else(|| value(b"name").filter(|_| name == "a"));
                if let Some(id) = named.filter(|id| (1..=LONGEST).contains(&id.len()))
                    && anchors.len() < MOST
                {
                    anchors.push(Anchor { id, heading: None });
                }
                if is_heading {
                    heading = Some(String::new());
                    // Only what is right before the heading stands for it.
                    pending = pending.max(anchors.len().saturating_sub(2));
                }
            }
            Token::EndTag(tag) => {
                if is_heading(&String::from_utf8_lossy(&tag.name))
                    && let Some(text) = heading.take()
                {
                    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
                    for anchor in &mut anchors[pending..] {
                        anchor.heading = Some(text.clone());
                    }
                    pending = anchors.len();
                }
            }
            Token::String(text) => {
                let text = String::from_utf8_lossy(&text);
                match &mut heading {
                    Some(heading) if heading.len() < LONGEST => heading.push_str(&text),
                    Some(_) => {}
                    None if text.trim().is_empty() => {}
                    // What has text after it is not the anchor of the next heading.
                    None => pending = anchors.len(),
                }
            }
            _ => {}
        }
    }
    anchors
}

fn is_heading(name: &str) -> bool {
    matches!(name, "h1" | "h2" | "h3" | "h4" | "h5" | "h6")
}

/// The anchors of a page, prepared once for all fragments that are missing on it.
#[derive(Debug)]
pub struct Anchors(Vec<Prepared>);

#[derive(Debug)]
struct Prepared {
    anchor: Anchor,
    characters: String,
    words: Vec<String>,
    heading: Vec<String>,
}

/// What a link with a fragment is about.
struct Wanted {
    characters: String,
    words: Vec<String>,
    /// The words of each text of such links.
    texts: Vec<Vec<String>>,
}

impl Anchors {
    /// Those of this page.
    #[must_use]
    pub fn of_page(html: &str) -> Anchors {
        Anchors::of(of_page(html))
    }

    fn of(all: Vec<Anchor>) -> Anchors {
        let prepared = all.into_iter().map(|anchor| Prepared {
            characters: characters_of(&anchor.id),
            words: words(&anchor.id),
            heading: anchor.heading.as_deref().map(words).unwrap_or_default(),
            anchor,
        });
        Anchors(prepared.collect())
    }

    /// Those that a fragment may have meant, best first. The page is at this URL, and links with the
    /// fragment have these texts.
    #[must_use]
    pub fn candidates(&self, page: &str, fragment: &str, link_texts: &[String]) -> Vec<Candidate> {
        let fragment = percent_decode(fragment);
        if fragment.len() > LONGEST {
            return Vec::new();
        }
        let wanted = Wanted {
            characters: characters_of(&fragment),
            words: words(&fragment),
            texts: link_texts.iter().map(|text| words(text)).collect(),
        };
        let scored = self.0.iter().map(|prepared| (wanted.similarity(prepared), prepared));
        let mut found: Vec<Candidate> = scored
            .filter(|(score, _)| *score > 0)
            .map(|(score, Prepared { anchor, .. })| Candidate {
                to: format!("{page}#{}", encoded(&anchor.id)),
                reason: Reason::Anchor,
                score,
                is_known: true,
            })
            .collect();
        found.sort_by_key(|candidate| std::cmp::Reverse(candidate.score));
        found.dedup_by(|one, other| one.to == other.to);
        found.truncate(OFFERED);
        found
    }
}

impl Wanted {
    /// How likely an anchor is meant, from 0 to 100.
    fn similarity(&self, anchor: &Prepared) -> u8 {
        if self.characters == anchor.characters {
            return 94;
        }
        let edits = edits(&self.characters, &anchor.characters);
        let by_characters = edits.map_or(0, |edits| if edits == 1 { 86 } else { 76 });
        let own = &self.words;
        let by_words = overlap(own, &anchor.words).max(overlap(own, &anchor.heading));
        let by_text = self.texts.iter().map(|text| overlap(text, &anchor.heading)).max();
        let of_overlap = |percent: usize| match percent {
            100 => 86,
            75.. => 74,
            50.. => 66,
            25.. => 45,
            _ => 0,
        };
        let by_text = by_text.map_or(0, |percent| of_overlap(percent).min(84));
        by_characters.max(of_overlap(by_words)).max(by_text)
    }
}

fn words(text: &str) -> Vec<String> {
    words_of(text).collect()
}

/// How many of the words of both are in both, in percent.
fn overlap(one: &[String], other: &[String]) -> usize {
    let shared = one.iter().filter(|word| other.contains(word)).count();
    let all = one.len() + other.len() - shared;
    (100 * shared).checked_div(all).unwrap_or_default()
}

/// A fragment as the URL standard serializes it.
fn encoded(id: &str) -> String {
    let mut url = url::Url::parse("http://a.test/").expect("it is valid");
    url.set_fragment(Some(id));
    url.fragment().unwrap_or_default().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    const PAGE: &str = "<title>Visit</title><h1 id=top-of-page>Visit us</h1>
        <p id=intro>Come and see.</p>
        <h2 id='winter-hours'>Winter <em>hours</em></h2><p>10 to 4</p>
        <h2><a name=s2></a>Summer hours</h2><p>9 to 6</p>
        <div id=h-3><h2>Getting here</h2></div><p>By boat</p><h2 id=Parking>Parking</h2>
        <p id=L1842><p id=17>";

    #[test]
    fn anchors_have_the_text_of_their_heading() {
        let found = of_page(PAGE);
        let found: Vec<(&str, Option<&str>)> =
            found.iter().map(|anchor| (anchor.id.as_str(), anchor.heading.as_deref())).collect();
        assert_eq!(
            found,
            [
                ("top-of-page", Some("Visit us")),
                ("intro", None),
                ("winter-hours", Some("Winter hours")),
                ("s2", Some("Summer hours")),
                ("h-3", Some("Getting here")),
                ("Parking", Some("Parking")),
                ("L1842", None),
                ("17", None),
            ]
        );
    }

    #[test]
    fn ids_and_fragments_of_any_length_and_number_take_little_time() {
        let long = "a".repeat(LONGEST + 1);
        let page = format!("<p id={long}><p id=short>") + &"<p id=x>".repeat(MOST + 1);
        let found = of_page(&page);
        assert_eq!((found[0].id.as_str(), found.len()), ("short", MOST));
        let other = format!("{}b", "a".repeat(LONGEST));
        let anchors = |id: &str| Anchors::of(vec![Anchor { id: id.to_owned(), heading: None }]);
        let found = |id: &str, fragment| anchors(id).candidates("http://a.test/", fragment, &[]);
        assert_eq!(found(&long, &other), []);
        let kept = "a".repeat(LONGEST);
        assert_eq!(found(&kept, &kept).len(), 1);
        assert_eq!(found(&kept, &long), []);
    }

    #[test]
    fn the_anchor_that_was_meant_comes_first() {
        let anchors = Anchors::of_page(PAGE);
        for (fragment, texts, expected) in [
            ("winter_hours", &[][..], Some("winter-hours")),
            ("Winter-Hours", &[], Some("winter-hours")),
            ("wintr-hours", &[], Some("winter-hours")),
            ("hours-in-winter", &[], Some("winter-hours")),
            ("summer-hours", &[], Some("s2")),
            ("directions", &["Getting here"], Some("h-3")),
            ("parking", &[], Some("Parking")),
            ("tickets", &[], None),
            ("L18-42", &[], None),
            ("1-7", &[], None),
        ] {
            let texts: Vec<String> = texts.iter().map(|text| (*text).to_owned()).collect();
            let found = anchors.candidates("http://a.test/visit", fragment, &texts);
            let first = found.first().map(|found| found.to.as_str());
            let expected = expected.map(|id| format!("http://a.test/visit#{id}"));
            assert_eq!(first, expected.as_deref(), "{fragment}: {found:?}");
        }
    }
}
