//! What a page says of itself in `meta` elements.

use super::collector::fold;
use super::reading_builder::ReadingBuilder;
use super::robots_meta::says_noindex;
use super::tag::Tag;

/// Keeps what a `meta` element says.
pub(super) fn take(tag: &Tag, builder: &mut ReadingBuilder) {
    let Some(content) = tag.value("content") else { return };
    let name = tag.value("name").unwrap_or_default().trim();
    if name.eq_ignore_ascii_case("description") {
        let text = fold(content.as_bytes());
        builder.set_description(&text);
    }
    if name.eq_ignore_ascii_case("robots") && says_noindex(content) {
        builder.set_noindex();
    }
    let equivalent = tag.value("http-equiv").unwrap_or_default().trim();
    if equivalent.eq_ignore_ascii_case("content-security-policy")
        && content.to_ascii_lowercase().contains("upgrade-insecure-requests")
    {
        builder.set_upgrades();
    }
}
