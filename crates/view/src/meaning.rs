//! What a cause means and what to do about it: quoted from `docs/verdicts.md`.

use rummage_core::verdict::Cause;

const TEXT: &str = include_str!("../../../docs/verdicts.md");

/// What is written about a cause: what it means, and what to do, if anything.
pub(crate) fn meaning(cause: Cause) -> Option<(String, Option<String>)> {
    let heading = format!("### `{cause}`\n");
    let start = TEXT.find(&heading)? + heading.len();
    let rest = &TEXT[start..];
    let text = rest[..rest.find("\n\n").unwrap_or(rest.len())].trim();
    let fold = |text: &str| text.replace('`', "").split_whitespace().collect::<Vec<_>>().join(" ");
    Some(match text.split_once("\nDo: ") {
        Some((means, to_do)) => (fold(means), Some(fold(to_do))),
        None => (fold(text), None),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_cause_is_explained() {
        for &cause in Cause::ALL {
            let told = meaning(cause);
            let (means, to_do) = told.unwrap_or_else(|| panic!("docs/verdicts.md lacks {cause}"));
            assert!(means.len() > 15 && means.ends_with('.'), "{cause}: {means}");
            assert!(to_do.is_none_or(|to_do| to_do.ends_with('.')), "{cause}");
        }
    }
}
