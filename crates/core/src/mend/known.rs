//! The URLs that are known to work, arranged for finding the one that a broken link meant.
//!
//! For 100,000 URLs with titles this takes some 100 MiB.

use std::collections::{BTreeSet, HashMap};

use url::Url;

use super::folded::{Class, Parts};
use super::similar::Words;

/// A URL that works.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct KnownUrl {
    /// The URL in normal form.
    pub url: String,
    /// The title of the page, and texts of links to it.
    pub texts: Vec<String>,
}

impl KnownUrl {
    /// A URL of which nothing else is known.
    #[must_use]
    pub fn of(url: &str) -> KnownUrl {
        KnownUrl { url: url.to_owned(), texts: Vec::new() }
    }
}

/// The number of a known URL.
pub(super) type Id = u32;

/// A word on more of the pages than one in this many distinguishes nothing.
const COMMON: usize = 8;

/// A word on at most this many pages is rare: all of them are looked at.
const RARE: usize = 2_000;

/// URLs that work. See the [module](self).
#[derive(Debug, Default)]
pub struct KnownUrls {
    urls: Vec<Box<str>>,
    by_key: HashMap<u64, Vec<Id>>,
    by_characters: HashMap<u64, Vec<Id>>,
    by_tail: HashMap<u64, Vec<Id>>,
    /// All different segments of paths.
    segments: Words,
    /// The hosts, without `www.`.
    hosts: Words,
    host_names: BTreeSet<String>,
    /// The URLs in order, for prefixes.
    sorted: Vec<Id>,
    /// The pages that have a word, in its path or texts.
    by_word: HashMap<u64, Vec<Id>>,
    /// The pages with exactly this title, or this text of a link.
    by_text: HashMap<u64, Vec<Id>>,
    /// How many words a page has, each weighted by how rare it is.
    weights: Vec<f32>,
}

impl KnownUrls {
    /// Arranges these URLs. What is not an HTTP URL is left out.
    #[must_use]
    pub fn new(all: Vec<KnownUrl>) -> KnownUrls {
        let mut known = KnownUrls::default();
        let mut segments = BTreeSet::new();
        let mut word_lists: Vec<Vec<u64>> = Vec::new();
        for KnownUrl { url, texts } in all {
            let Ok(parsed) = Url::parse(&url) else { continue };
            if !matches!(parsed.scheme(), "http" | "https") {
                continue;
            }
            let id = Id::try_from(known.urls.len()).expect("there are fewer than 2^32 URLs");
            let parts = Parts::of(&parsed);
            known.by_key.entry(parts.key()).or_default().push(id);
            if let Some(key) = parts.characters_key() {
                known.by_characters.entry(key).or_default().push(id);
            }
            if let Some(key) = parts.tail_key() {
                known.by_tail.entry(key).or_default().push(id);
            }
            let mut words: BTreeSet<u64> = BTreeSet::new();
            if parts.class == Class::Page {
                for text in parts.stems.last().into_iter().chain(&texts) {
                    words.extend(words_of(text).map(|word| hash(&word)));
                }
            }
            for text in texts.iter().filter(|_| parts.class == Class::Page) {
                if let Some(key) = text_key(text) {
                    let pages = known.by_text.entry(key).or_default();
                    if pages.last() != Some(&id) {
                        pages.push(id);
                    }
                }
            }
            word_lists.push(words.into_iter().collect());
            segments.extend(parts.stems);
            if !known.host_names.contains(&parts.host) {
                known.host_names.insert(parts.host);
            }
            known.urls.push(url.into());
        }
        known.segments = Words::of(segments.into_iter());
        known.hosts = Words::of(known.host_names.iter().cloned());
        known.sorted = (0..).take(known.urls.len()).collect();
        known.sorted.sort_unstable_by_key(|id| &known.urls[*id as usize]);
        known.index_words(&word_lists);
        known
    }

    fn index_words(&mut self, lists: &[Vec<u64>]) {
        for (id, words) in (0..).zip(lists) {
            for word in words {
                self.by_word.entry(*word).or_default().push(id);
            }
        }
        let weight = |word: &u64| self.weight(*word);
        self.weights = lists.iter().map(|words| words.iter().map(weight).sum()).collect();
    }

    /// How much a word tells: the rarer, the more. Nothing, if it is nearly everywhere.
    fn weight(&self, word: u64) -> f32 {
        let pages = self.by_word.get(&word).map_or(0, Vec::len);
        if pages > 16 && pages > self.urls.len() / COMMON {
            return 0.0;
        }
        #[expect(clippy::cast_precision_loss, reason = "it is only a weight")]
        let rarity = (self.urls.len() + 2) as f32 / (pages + 1) as f32;
        let weight = rarity.ln() + 0.5;
        // Numbers are the same in many places.
        if is_number(word) { weight / 4.0 } else { weight }
    }

    /// The text of a URL.
    pub(super) fn url(&self, id: Id) -> &str {
        &self.urls[id as usize]
    }

    /// Whether exactly this URL is known.
    #[must_use]
    pub fn contains(&self, url: &str) -> bool {
        self.sorted.binary_search_by_key(&url, |id| self.url(*id)).is_ok()
    }

    /// Whether a known URL has this prefix.
    #[must_use]
    pub fn has_prefix(&self, prefix: &str) -> bool {
        self.any_with_prefix(prefix, |_| true)
    }

    /// Whether one of the known URLs with this prefix fits.
    pub(super) fn any_with_prefix(&self, prefix: &str, fits: impl Fn(&str) -> bool) -> bool {
        let at = self.sorted.partition_point(|id| self.url(*id) < prefix);
        let mut urls = self.sorted[at..].iter().map(|id| self.url(*id));
        urls.by_ref().take_while(|url| url.starts_with(prefix)).any(fits)
    }

    /// Whether a URL of this host is known, with `www.` or without.
    #[must_use]
    pub fn has_host(&self, host: &str) -> bool {
        self.host_names.contains(host.strip_prefix("www.").unwrap_or(host))
    }

    /// The URLs with this folded key.
    pub(super) fn with_key(&self, key: u64) -> &[Id] {
        self.by_key.get(&key).map_or(&[], Vec::as_slice)
    }

    /// The URLs of which at most separators differ.
    pub(super) fn with_characters(&self, parts: &Parts) -> &[Id] {
        let key = parts.characters_key();
        key.and_then(|key| self.by_characters.get(&key)).map_or(&[], Vec::as_slice)
    }

    /// The URLs with the same file name.
    pub(super) fn with_tail(&self, parts: &Parts) -> &[Id] {
        let key = parts.tail_key();
        key.and_then(|key| self.by_tail.get(&key)).map_or(&[], Vec::as_slice)
    }

    /// Segments of paths that are nearly this one.
    pub(super) fn segments_like(&self, segment: &str) -> Vec<(u8, &str)> {
        self.segments.like(segment)
    }

    /// Hosts that are nearly this one, without `www.`.
    pub(super) fn hosts_like(&self, host: &str) -> Vec<(u8, &str)> {
        self.hosts.like(host)
    }

    /// The pages whose title, or a text of a link to which, has just these words.
    pub(super) fn pages_called(&self, text: &str) -> &[Id] {
        let key = text_key(text);
        key.and_then(|key| self.by_text.get(&key)).map_or(&[], Vec::as_slice)
    }

    /// The pages with the most similar words, best first, each with its similarity from 0 to 1.
    pub(super) fn pages_like<'a>(
        &self,
        texts: impl Iterator<Item = &'a str>,
        most: usize,
    ) -> Vec<(f32, Id)> {
        let words: BTreeSet<u64> = texts.flat_map(words_of).map(|word| hash(&word)).collect();
        let own: f32 = words.iter().map(|word| self.weight(*word)).sum();
        let pages = |word: u64| self.by_word.get(&word).map_or(&[][..], Vec::as_slice);
        let mut words: Vec<u64> =
            words.into_iter().filter(|word| self.weight(*word) > 0.0).collect();
        words.sort_by_key(|word| pages(*word).len());
        // A number alone names no page.
        let mut shared: HashMap<Id, (f32, bool)> = HashMap::new();
        for word in words {
            let (weight, is_name) = (self.weight(word), !is_number(word));
            let pages = pages(word);
            if shared.is_empty() || pages.len() <= RARE {
                for id in pages {
                    let entry = shared.entry(*id).or_default();
                    *entry = (entry.0 + weight, entry.1 | is_name);
                }
                continue;
            }
            // Of the many pages with a common word, only those with a rarer one matter.
            for (id, entry) in &mut shared {
                if pages.binary_search(id).is_ok() {
                    *entry = (entry.0 + weight, entry.1 | is_name);
                }
            }
        }
        let shared = shared.into_iter().filter(|(_, (_, is_named))| *is_named);
        let shared = shared.map(|(id, (weight, _))| (id, weight));
        let similarity = |(id, shared): (Id, f32)| {
            let all = own + self.weights[id as usize] - shared;
            (if all > 0.0 { shared / all } else { 0.0 }, id)
        };
        let mut found: Vec<(f32, Id)> = shared.map(similarity).collect();
        found.sort_unstable_by(|one, other| other.0.total_cmp(&one.0).then(one.1.cmp(&other.1)));
        found.truncate(most);
        found
    }
}

/// The words of a text in lower case, of at least two characters or a digit, without a plural `s`.
pub(super) fn words_of(text: &str) -> impl Iterator<Item = String> + '_ {
    const EMPTY: &[&str] = &[
        "the", "of", "and", "in", "to", "for", "on", "at", "an", "by", "or", "our", "is", "www",
        "html", "php", "page", "here", "read", "more", "click", "link", "this",
    ];
    text.split(|c: char| !c.is_alphanumeric())
        .map(str::to_lowercase)
        .filter(|word| {
            let is_long = word.chars().count() >= 2 || word.chars().all(|c| c.is_ascii_digit());
            is_long && !word.is_empty() && !EMPTY.contains(&word.as_str())
        })
        .map(|word| match word.strip_suffix('s') {
            Some(stem) if stem.len() >= 3 && !stem.ends_with('s') => stem.to_owned(),
            _ => word,
        })
}

/// Equal for texts with the same words; `None` if they are too short to tell anything.
fn text_key(text: &str) -> Option<u64> {
    let words = words_of(text).collect::<Vec<_>>().join(" ");
    (words.len() >= 4).then(|| hash(&words))
}

/// The hash of a word; that of a number is odd, that of other words even.
fn hash(word: &str) -> u64 {
    let is_number = word.bytes().all(|byte| byte.is_ascii_digit());
    xxhash_rust::xxh3::xxh3_64(word.as_bytes()) & !1 | u64::from(is_number)
}

/// Whether this is the hash of a number.
fn is_number(hash: u64) -> bool {
    hash & 1 == 1
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_lose_a_plural_s_alone() {
        let words: Vec<String> = words_of("The Boats of glass, 7 gas-as X html").collect();
        assert_eq!(words, ["boat", "glass", "7", "gas", "as"]);
    }

    #[test]
    fn prefixes_and_hosts_are_found() {
        let known = KnownUrls::new(vec![
            KnownUrl::of("https://www.a.test/paths/"),
            KnownUrl::of("https://www.a.test/paths/towpath"),
            KnownUrl::of("mailto:a@a.test"),
        ]);
        assert!(known.has_prefix("https://www.a.test/paths/t"));
        assert!(!known.has_prefix("https://www.a.test/paths/u"));
        assert!(known.contains("https://www.a.test/paths/"));
        assert!(!known.contains("https://www.a.test/paths"));
        assert!(known.has_host("a.test") && known.has_host("www.a.test"));
        assert!(!known.has_host("b.test"));
    }

    #[test]
    fn rare_words_count_more_than_common_ones() {
        let page = |path: &str, title: &str| KnownUrl {
            url: format!("https://a.test/{path}"),
            texts: vec![title.to_owned()],
        };
        let known = KnownUrls::new(vec![
            page("visit/opening-hours", "Opening hours of the museum"),
            page("visit/opening-day", "Opening day of the museum"),
            page("visit/winter-fair", "Winter fair at the museum"),
        ]);
        let like = |text: &str| {
            let found = known.pages_like(std::iter::once(text), 1);
            found.first().map(|(_, id)| known.url(*id).to_owned())
        };
        assert_eq!(
            like("opening times and hours").as_deref(),
            Some("https://a.test/visit/opening-hours")
        );
        assert_eq!(like("fairs in winter").as_deref(), Some("https://a.test/visit/winter-fair"));
        assert_eq!(like("boats"), None);
    }

    #[test]
    fn the_weight_of_a_word_falls_with_each_page_that_has_it() {
        // The word of each number is on so many pages.
        let page = |number: usize| KnownUrl {
            url: format!("https://a.test/p{number}"),
            texts: (1..=12)
                .filter(|many| number < *many)
                .map(|many| format!("w{}", "x".repeat(many)))
                .collect(),
        };
        let known = KnownUrls::new((0..40).map(page).collect());
        let weights: Vec<f32> =
            (1..=12).map(|many| known.weight(hash(&format!("w{}", "x".repeat(many))))).collect();
        assert!(weights.is_sorted_by(|one, other| one > other), "{weights:?}");
    }
}
