//! The data in a store, as plain types.

use std::time::Duration;

use jiff::Timestamp;
use rummage_core::crawl::pace::Strain;
use rummage_core::crawl::{NotParsed, Note};
use rummage_core::evidence::{Attempt, ResponseHead};
use rummage_core::extract::reading::Region;
use rummage_core::findings::selection::Standing;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};

/// A URL in a store, by its number.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct StoredUrl(pub(crate) u32);

impl StoredUrl {
    /// The URL with this number.
    #[must_use]
    pub fn from_index(index: u32) -> StoredUrl {
        StoredUrl(index)
    }

    /// Its number in the store: dense, so that vectors can be indexed by it.
    #[must_use]
    pub fn index(self) -> usize {
        self.0 as usize
    }
}

/// How far a run got.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RunState {
    /// It is running, or was killed.
    Going,
    /// It was stopped, and can be continued.
    Stopped,
    /// It is complete, but its result is not believed: it heals nothing, and nothing is compared
    /// with it.
    Suspicious,
    /// It is complete.
    Finished,
}

impl RunState {
    /// Its name in a store.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            RunState::Going => "going",
            RunState::Stopped => "stopped",
            RunState::Suspicious => "suspicious",
            RunState::Finished => "finished",
        }
    }

    /// Whether nothing is left to do.
    #[must_use]
    pub fn is_complete(self) -> bool {
        matches!(self, RunState::Suspicious | RunState::Finished)
    }

    pub(crate) fn named(name: &str) -> Option<RunState> {
        let all = [RunState::Going, RunState::Stopped, RunState::Suspicious, RunState::Finished];
        all.into_iter().find(|state| state.as_str() == name)
    }
}

/// The kind of a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RunKind {
    /// A crawl of a site.
    Crawl,
    /// A recheck of some URLs, which reuses the results of the last run for all others.
    Recheck,
    /// A check of the links on some pages of a site.
    Page,
    /// A check of the URLs in lists, without a site.
    Probe,
}

impl RunKind {
    /// Its name in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            RunKind::Crawl => "crawl",
            RunKind::Recheck => "recheck",
            RunKind::Page => "page",
            RunKind::Probe => "probe",
        }
    }

    pub(crate) fn named(name: &str) -> Option<RunKind> {
        let all = [RunKind::Crawl, RunKind::Recheck, RunKind::Page, RunKind::Probe];
        all.into_iter().find(|kind| kind.as_str() == name)
    }
}

/// Between host and folder in the name of a site that is read from a folder. No host contains a
/// space.
pub const FROM_FOLDER: &str = " from ";

/// One run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RunInfo {
    /// The run's number, from 1 in a store.
    pub number: i64,
    /// The host of the start URL, with its port unless that is the default.
    pub site: String,
    /// The last hop of the start URL.
    pub start: String,
    /// The start URL as given.
    pub given_start: String,
    /// The version of Rummage.
    pub version: String,
    /// The version of its rules for extraction and verdicts
    /// ([`RULES_VERSION`](rummage_core::RULES_VERSION)).
    pub rules: u32,
    /// Its options, as JSON; without secrets.
    pub options: String,
    /// Its bounds: the options that decide what it can see, as one text.
    pub bounds: String,
    /// Placeholder links are broken, not doubtful.
    pub placeholders_are_broken: bool,
    /// The title of the start page.
    pub title: Option<String>,
    /// Its kind.
    pub kind: RunKind,
    /// It sent headers of its own.
    pub own_fields: bool,
    /// When it began.
    pub started_at: Timestamp,
    /// The time from which its moments are counted: before its beginning, if it reuses earlier
    /// results.
    pub epoch_at: Timestamp,
    /// How long it took, up to the last stored event.
    pub took: Duration,
    /// How far it got.
    pub state: RunState,
}

/// What an earlier run tells of the next one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LastRun {
    /// How long it took.
    pub took: Duration,
    /// How many URLs it requested.
    pub urls: u64,
}

impl RunInfo {
    /// Whether it read a folder of built pages instead of requesting them.
    #[must_use]
    pub fn reads_folder(&self) -> bool {
        self.site.contains(FROM_FOLDER)
    }
}

/// The totals of a whole run.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Totals {
    /// Pages that were parsed.
    pub pages: u64,
    /// Links on them, counting every occurrence.
    pub links: u64,
    /// Targets, as a listing of all of them shows: the sum of the counts by verdict, of those
    /// that were not checked, and of those that are waived.
    pub targets: u64,
    /// The requests of the run, by what they were for.
    pub requests: RequestCounts,
    /// Waived targets, with all their links; they are not part of the counts by verdict.
    pub waived: u64,
    /// URLs that were not requested, because an earlier run had and they were not due.
    pub recalled: u64,
    /// When the oldest of these was checked.
    pub recalled_since: Option<Timestamp>,
    /// Broken targets: URLs, and fragments without an anchor.
    pub broken: u64,
    /// Doubtful targets.
    pub doubtful: u64,
    /// Moved targets.
    pub moved: u64,
    /// Sound targets.
    pub sound: u64,
    /// Targets that were not checked, by reason, most frequent first.
    pub skipped: Vec<SkipCount>,
    /// URLs that were still to be checked when the run was stopped.
    pub not_asked: u64,
    /// The process that is writing to the store, if the run has not ended: it runs, and was not
    /// killed.
    pub writer: Option<u32>,
    /// Stylesheets that were parsed.
    pub stylesheets: u64,
    /// Sitemaps that were parsed.
    pub sitemaps: u64,
    /// Feeds that were parsed.
    pub feeds: u64,
    /// Web app manifests that were parsed.
    pub manifests: u64,
    /// Lists that were parsed.
    pub lists: u64,
    /// Internal pages that were requested and not parsed, by reason.
    pub not_parsed: Vec<NotParsedCount>,
    /// Notes, by kind and URL.
    pub notes: Vec<NoteRow>,
    /// Pages and stylesheets that were longer than the limit, and only read up to it.
    pub cut: u64,
    /// Sitemaps that were longer than their limit.
    pub cut_sitemaps: u64,
    /// robots.txt files that were longer than their limit.
    pub cut_robots: u64,
    /// Servers that were slowed down for.
    pub slowed: Vec<SlowedServer>,
}

/// How many requests a run made, by what they were for. Each request is counted once.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct RequestCounts {
    /// First requests for URLs that links name.
    pub linked: u64,
    /// First requests for other pages, which no link names: start pages, and home pages that
    /// suspected pages are compared with.
    pub unlinked: u64,
    /// First requests for URLs that are only redirected to, and redirects followed with cookies.
    pub redirect_hops: u64,
    /// Further requests for the same URLs: confirmations and retries.
    pub again: u64,
    /// First requests for robots.txt files and sitemaps.
    pub rules: u64,
    /// First requests for nonexistent test URLs.
    pub test_urls: u64,
    /// Requests that show whether servers, names and the network still work.
    pub side: u64,
    /// Local files that were read, which takes no request.
    pub local_files: u64,
}

impl RequestCounts {
    /// All requests.
    #[must_use]
    pub fn sum(&self) -> u64 {
        let RequestCounts {
            linked,
            unlinked,
            redirect_hops,
            again,
            rules,
            test_urls,
            side,
            local_files: _,
        } = *self;
        linked + unlinked + redirect_hops + again + rules + test_urls + side
    }
}

/// How many targets were not checked for one reason.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SkipCount {
    /// The reason.
    pub cause: Cause,
    /// How many.
    pub targets: u64,
}

/// How many internal pages were requested and not parsed, for one reason.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NotParsedCount {
    /// The reason.
    pub reason: NotParsed,
    /// How many.
    pub pages: u64,
}

/// A server that was overloaded.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SlowedServer {
    /// Host, with its port unless that is the default.
    pub server: String,
    /// How many times requests were slowed down.
    pub times: u64,
    /// The last sign of it.
    pub strain: Strain,
    /// The lowest maximum number of requests in flight.
    pub lowest: u32,
    /// The longest minimum time between two requests.
    pub gap: Duration,
}

/// The result of a run for one URL.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Outcome {
    /// The verdict.
    pub verdict: Verdict,
    /// The cause.
    pub cause: Option<Cause>,
    /// The last status.
    pub status: Option<u16>,
    /// The final URL; `None` if it was not requested.
    pub last: Option<String>,
    /// For what moved: where the leading permanent redirects end.
    pub moved_to: Option<String>,
    /// The number of redirects.
    pub hops: u32,
    /// The scope; `None` for what is not an HTTP URL.
    pub scope: Option<Scope>,
    /// Why an internal page was requested, but not parsed.
    pub not_parsed: Option<NotParsed>,
    /// When it was last checked; `None` if never.
    pub checked_at: Option<Timestamp>,
}

/// One link on one page, with the result for its target.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinkRow {
    /// The target's URL, by number.
    pub target: StoredUrl,
    /// The target's URL.
    pub url: String,
    /// The fragment, without `#`.
    pub fragment: Option<String>,
    /// The result for the target: that of the URL, or of the fragment if that is worse.
    pub outcome: Outcome,
    /// The fragment looks like one for a script.
    pub for_script: bool,
    /// The page with the link.
    pub page: String,
    /// The page with the link, by number.
    pub page_number: StoredUrl,
    /// Line of the start of the tag, from 1; 0 for a link in a response header.
    pub line: u32,
    /// Column of the start of the tag in Unicode code points, from 1; 0 for a link in a response
    /// header.
    pub column: u32,
    /// The element.
    pub element: String,
    /// The attribute.
    pub attribute: String,
    /// The link text.
    pub text: Option<String>,
    /// The reference as written in the source.
    pub written: String,
    /// The nearest landmark.
    pub region: Option<Region>,
    /// The `rel` attribute.
    pub rel: Option<String>,
    /// The `title` attribute.
    pub title: Option<String>,
    /// The number of pages of the run with the same link.
    pub pages: u64,
    /// The depth of the page; `None` if the start does not lead there.
    pub depth: Option<u32>,
    /// Its history; `None` if it is not a finding.
    pub history: Option<History>,
    /// A waiver covers it.
    pub waived: bool,
}

/// A finding across the runs of a site.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct History {
    /// Its standing.
    pub standing: Standing,
    /// The run that found it first.
    pub first_run: i64,
    /// When that run began.
    pub first_seen: Timestamp,
    /// The site has an earlier run. In a first run, everything is new, which is no news.
    pub has_before: bool,
    /// This run found it first, and the previous run could not have found it.
    pub new_check: bool,
}

impl LinkRow {
    /// URL and fragment.
    #[must_use]
    pub fn full_target(&self) -> String {
        match &self.fragment {
            Some(fragment) => format!("{}#{fragment}", self.url),
            None => self.url.clone(),
        }
    }
}

/// A parsed page.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PageRow {
    /// Its title.
    pub title: Option<String>,
    /// Its description.
    pub description: Option<String>,
    /// Its depth; `None` if the start does not lead there.
    pub depth: Option<u32>,
    /// The number of its links.
    pub links: u64,
}

/// Everything about a target in one row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TargetRow {
    /// The URL.
    pub url: String,
    /// Its result.
    pub outcome: Outcome,
    /// The last response of the last hop, if there was one.
    pub answer: Option<ResponseHead>,
    /// How long the last request took.
    pub took: Option<Duration>,
    /// The title, if it is a page.
    pub title: Option<String>,
    /// The description, if it is a parsed page.
    pub description: Option<String>,
    /// Its depth, if it is a parsed page.
    pub depth: Option<u32>,
}

/// One hop from a target to its final URL.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TraceRow {
    /// The URL.
    pub url: String,
    /// The evidence of each request.
    pub attempts: Vec<Attempt>,
    /// The last title.
    pub title: Option<String>,
    /// The page, if it was parsed.
    pub page: Option<PageRow>,
}

/// How the findings of a run compare with those before, by targets; moved ones do not count.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Changes {
    /// Newly broken targets.
    pub broke: u64,
    /// Targets that were fixed, and are back.
    pub returned: u64,
    /// Fixed targets.
    pub healed: u64,
    /// Targets that are still open.
    pub open: u64,
    /// Targets that the previous run could not have found.
    pub unseen: u64,
    /// Targets whose verdict says more about the moment than about them: they are neither new
    /// nor fixed.
    pub passing: u64,
    /// All broken and doubtful targets of the run, each once, as its totals count them.
    pub broken_and_doubtful: u64,
}

impl Changes {
    /// Whether anything is worse than before.
    #[must_use]
    pub fn is_worse(&self) -> bool {
        self.broke + self.returned > 0
    }
}

/// A note about a URL.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NoteRow {
    /// The URL.
    pub url: String,
    /// The note.
    pub note: Note,
}
