//! Words that stand in stores and outputs: a store written today is read by every later version.

use crate::crawl::pace::Strain;
use crate::crawl::{FragmentFault, NotParsed};
use crate::extract::reading::{Format, Region};
use crate::findings::selection::Standing;
use crate::findings::waiver::WaiverKind;
use crate::schedule::notifications::NotifyState;
use crate::schedule::policy::LastOutcome;
use crate::url::scope::Scope;
use crate::verdict::Verdict;

/// Asserts that the words of all values are these, and that each is read as its value.
macro_rules! assert_words {
    ($type:ident: $($value:ident = $word:literal),* $(,)?) => {
        $(
            assert_eq!($type::$value.as_str(), $word);
            assert_eq!($type::named($word), Some($type::$value), "{}", $word);
        )*
        assert_eq!($type::named("none of these"), None, stringify!($type));
    };
}

#[test]
fn words_of_readings_never_change() {
    assert_words!(Format: Html = "html", Xhtml = "xhtml", Css = "css", Sitemap = "sitemap",
        Robots = "robots", List = "list");
    assert_words!(Region: Header = "header", Nav = "nav", Main = "main", Aside = "aside",
        Footer = "footer");
    assert_words!(FragmentFault: Missing = "missing", ForScript = "for-script");
}

#[test]
fn words_of_findings_never_change() {
    assert_words!(Verdict: Broken = "broken", Doubtful = "doubtful", Moved = "moved",
        Sound = "sound", Skipped = "skipped");
    assert_words!(Standing: New = "new", Open = "open", Healed = "healed",
        Returned = "returned", Waived = "waived");
    assert_words!(WaiverKind: Works = "works", Leave = "leave");
    assert_words!(NotifyState: Pending = "waiting", Notified = "told", Waived = "aside",
        Closed = "over");
    assert_words!(LastOutcome: Sound = "sound", Temporary = "passing", Wrong = "wrong");
}

#[test]
fn words_of_runs_never_change() {
    assert_words!(NotParsed: Depth = "depth", Within = "within", Robots = "robots");
    assert_words!(Strain: TooMany = "too-many", Unavailable = "unavailable",
        Failures = "failures", Timeout = "timeout", Slow = "slow");
    assert_words!(Scope: Internal = "internal", External = "external");
}
