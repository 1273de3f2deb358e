//! What counts as one target: in totals, in listings, across runs, and for waivers.

use crate::verdict::Cause;

/// What counts as one target. `T` identifies a URL: by number or by text.
///
/// A fragment is a target of its own only if its anchor is missing; so is a fault that links have
/// and their URL has not. Placeholder links with the same source text are one target, on whatever
/// page.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum TargetIdentity<T> {
    /// A URL, with any fragment.
    Url(T),
    /// A missing anchor on a page.
    Anchor(T, Box<str>),
    /// A fault of links to a URL, not of the URL.
    Fault(T, Cause),
    /// The source text of placeholder links.
    Placeholder(Box<str>),
}

impl<T> TargetIdentity<T> {
    /// The identity of a link's target. `texts` returns the fragment and the source text of the
    /// link; it is called only if they matter.
    ///
    /// # Errors
    /// Those of `texts`.
    pub fn of<E>(
        target: T,
        cause: Option<Cause>,
        texts: impl FnOnce() -> Result<(Option<String>, String), E>,
    ) -> Result<TargetIdentity<T>, E> {
        Ok(match cause {
            Some(Cause::NoSuchFragment) => {
                TargetIdentity::Anchor(target, texts()?.0.unwrap_or_default().into())
            }
            Some(Cause::Placeholder) => TargetIdentity::Placeholder(texts()?.1.trim().into()),
            Some(cause) if cause.is_of_link() => TargetIdentity::Fault(target, cause),
            _ => TargetIdentity::Url(target),
        })
    }

    /// The URL that all links to this target lead to, if it is one.
    pub fn url(&self) -> Option<&T> {
        match self {
            TargetIdentity::Url(url)
            | TargetIdentity::Anchor(url, _)
            | TargetIdentity::Fault(url, _) => Some(url),
            TargetIdentity::Placeholder(_) => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(target: u32, cause: Option<Cause>, fragment: &str, written: &str) -> TargetIdentity<u32> {
        let texts = || Ok::<_, ()>((Some(fragment.to_owned()), written.to_owned()));
        TargetIdentity::of(target, cause, texts).unwrap()
    }

    #[test]
    fn fragments_and_source_texts_matter_only_if_they_are_the_fault() {
        let missing = Some(Cause::NotFound);
        assert_eq!(of(1, missing, "a", "x#a"), of(1, missing, "b", "x#b"));
        assert_ne!(of(1, missing, "a", ""), of(2, missing, "a", ""));
        let anchor = Some(Cause::NoSuchFragment);
        assert_ne!(of(1, anchor, "a", ""), of(1, anchor, "b", ""));
        assert_ne!(of(1, anchor, "a", ""), of(1, missing, "a", ""));
        let placeholder = Some(Cause::Placeholder);
        assert_eq!(of(1, placeholder, "", " # "), of(2, placeholder, "", "#"));
        assert_ne!(of(1, placeholder, "", "#"), of(1, placeholder, "", ""));
        assert_eq!(of(1, placeholder, "", "#").url(), None, "each page has its own");
        assert_eq!(
            [of(1, anchor, "a", ""), of(1, None, "", "")].map(|it| it.url().copied()),
            [Some(1); 2]
        );
        let faults =
            [Cause::WrongType, Cause::MixedContent].map(|cause| of(1, Some(cause), "", ""));
        assert_ne!(faults[0], faults[1]);
    }

    #[test]
    fn texts_are_not_fetched_where_they_do_not_matter() {
        let never = || Err("fetched");
        assert_eq!(TargetIdentity::of(7, None, never), Ok(TargetIdentity::Url(7)));
    }
}
