//! A page of the site with other words in its URL, found by the words that it shares with the
//! broken link: in the path, the title and the texts of links.

use url::Url;

use super::look::{Found, Look};
use crate::mend::Reason;
use crate::mend::folded::{Class, Parts};

/// How many are offered.
const OFFERED: usize = 3;
/// Less similar pages are not offered.
const LEAST: f32 = 0.2;

pub(super) fn make(look: &Look<'_>, found: &mut Found<'_>) {
    if !look.fault.is_internal || look.fault.is_image || look.parts.class != Class::Page {
        return;
    }
    for text in &look.fault.texts {
        let called = look.known.pages_called(text);
        // What many pages are called names none of them.
        let score = match called.len() {
            1 => 77,
            2..=3 => 64,
            _ => continue,
        };
        for id in called {
            let is_own = Url::parse(look.known.url(*id))
                .is_ok_and(|url| Parts::of(&url).host == look.parts.host);
            if is_own {
                found.offer_known(*id, Reason::Renamed, score);
            }
        }
    }
    let path = look.parts.stems.last().into_iter().map(String::as_str);
    let texts = look.fault.texts.iter().map(String::as_str);
    let folder = &look.parts.stems[..look.parts.stems.len().saturating_sub(1)];
    let similar = look.known.pages_like(path.chain(texts), 4 * OFFERED);
    for (at, (similarity, id)) in similar.iter().copied().enumerate() {
        let Ok(url) = Url::parse(look.known.url(id)) else { continue };
        let parts = Parts::of(&url);
        if parts.host != look.parts.host || similarity < LEAST {
            continue;
        }
        let in_folder = !folder.is_empty() && parts.stems.starts_with(folder);
        let numbers = digits(&look.parts) == digits(&parts);
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "a similarity is between 0 and 1"
        )]
        let mut score = 30 + (similarity * 45.0) as u8 + if in_folder { 8 } else { 0 };
        // The further ahead of the next, the surer.
        let next = similar.get(1).map_or(0.0, |(similarity, _)| *similarity);
        if at == 0 {
            #[expect(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "a similarity is between 0 and 1, and the first is the greatest"
            )]
            let ahead = ((similarity - next) * 30.0) as u8;
            score += ahead.min(10);
        }
        if !numbers {
            score = score.saturating_sub(15);
        }
        // Similar words alone are never certain.
        found.offer_known(id, Reason::Renamed, score.min(78));
    }
}

/// The digits of the last segment: another year is another page.
fn digits(parts: &Parts) -> String {
    parts
        .stems
        .last()
        .into_iter()
        .flat_map(|last| last.chars())
        .filter(char::is_ascii_digit)
        .collect()
}
