//! What comes out of a store, in plain types.

use std::time::Duration;

use jiff::Timestamp;
use rummage_core::crawl::pace::Strain;
use rummage_core::crawl::{NotParsed, Note};
use rummage_core::evidence::{Attempt, ResponseHead};
use rummage_core::extract::reading::Region;
use rummage_core::findings::selection::Standing;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};

/// An address of a store, by its number there.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct StoredUrl(pub(crate) u32);

impl StoredUrl {
    /// Its number in the store: dense, so that lists may be kept by it.
    #[must_use]
    pub fn index(self) -> usize {
        self.0 as usize
    }
}

/// How far a run got.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RunState {
    /// It is under way, or was killed.
    Going,
    /// It was stopped and can go on.
    Stopped,
    /// It came to its end.
    Finished,
}

impl RunState {
    pub(crate) fn as_str(self) -> &'static str {
        match self {
            RunState::Going => "going",
            RunState::Stopped => "stopped",
            RunState::Finished => "finished",
        }
    }

    pub(crate) fn named(name: &str) -> Option<RunState> {
        let all = [RunState::Going, RunState::Stopped, RunState::Finished];
        all.into_iter().find(|state| state.as_str() == name)
    }
}

/// What kind of pass a run is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RunKind {
    /// It walks a site.
    Crawl,
    /// It asks some addresses again, and takes the word of the run before for the rest.
    Recheck,
    /// It asks the links of some pages of a site.
    Page,
    /// It asks the addresses in lists; there is no site.
    Probe,
}

impl RunKind {
    /// The word for it in every output.
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

/// One run, as its head line tells of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RunInfo {
    /// The run's number, from 1 in a store.
    pub number: i64,
    /// The host of the start, with its port where that is not a default one.
    pub site: String,
    /// Where the start's redirects ended.
    pub start: String,
    /// The start as it was given.
    pub given_start: String,
    /// The version of the tool.
    pub version: String,
    /// The rules of extraction and verdicts by which it saw what it saw
    /// ([`RULES_VERSION`](rummage_core::RULES_VERSION)).
    pub rules: u32,
    /// The options that it was given, as JSON; no secrets.
    pub options: String,
    /// What bounds the run: options that decide what it can see, as one text.
    pub bounds: String,
    /// Links that lead nowhere are broken, not doubtful.
    pub placeholders_are_broken: bool,
    /// The title of the start page.
    pub title: Option<String>,
    /// What kind of pass it is.
    pub kind: RunKind,
    /// Header fields of its own were sent.
    pub own_fields: bool,
    /// When the run began.
    pub started_at: Timestamp,
    /// From when its moments are counted: before it began where it tells what earlier
    /// runs have seen.
    pub epoch_at: Timestamp,
    /// How long it took, up to the last thing that is stored.
    pub took: Duration,
    /// How far it got.
    pub state: RunState,
}

/// The counts at the head of a listing. They are of the whole run.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Totals {
    /// Pages that were read.
    pub pages: u64,
    /// Links on them: places, not targets.
    pub links: u64,
    /// URLs that links name.
    pub urls: u64,
    /// URLs that were requested: redirects and nonexistent test URLs too.
    pub requested: u64,
    /// Targets that somebody has set aside, with all their links; they are among none of
    /// the counts by verdict.
    pub waived: u64,
    /// Addresses that were not asked again: an earlier run had, and they were not due.
    pub recalled: u64,
    /// When the one of those was asked whose check is oldest.
    pub recalled_since: Option<Timestamp>,
    /// Targets of links that are broken: addresses, and fragments without a place.
    pub broken: u64,
    /// Addresses that are doubtful.
    pub doubtful: u64,
    /// Addresses that have moved.
    pub moved: u64,
    /// Addresses that are sound.
    pub sound: u64,
    /// What was not checked, with reasons, the most frequent first.
    pub skipped: Vec<SkipCount>,
    /// Addresses that were still to be asked when the run was stopped.
    pub not_asked: u64,
    /// Style sheets that were read.
    pub stylesheets: u64,
    /// Sitemaps that were read.
    pub sitemaps: u64,
    /// Lists that were read.
    pub lists: u64,
    /// Of all that was read, what was given as a file: nobody was asked for it.
    pub given: u64,
    /// Pages of the site that were asked and not read, by reason.
    pub not_parsed: Vec<NotParsedCount>,
    /// What there is to know beside, by kind and address.
    pub notes: Vec<NoteRow>,
    /// Pages and style sheets that were longer than the limit: what lay beyond was not read.
    pub cut: u64,
    /// Sitemaps that were longer than theirs.
    pub cut_sitemaps: u64,
    /// The same of robots.txt.
    pub cut_robots: u64,
    /// Servers that were asked more slowly.
    pub slowed: Vec<SlowedServer>,
}

/// How many addresses were not checked for one reason.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SkipCount {
    /// The reason.
    pub cause: Cause,
    /// How many.
    pub urls: u64,
}

/// How many pages of the site were asked and not read, for one reason.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NotParsedCount {
    /// The reason.
    pub reason: NotParsed,
    /// How many.
    pub pages: u64,
}

/// A server that showed strain.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SlowedServer {
    /// Host, and port where it is not a default one.
    pub server: String,
    /// How often its pace was halved.
    pub times: u64,
    /// How it showed last.
    pub strain: Strain,
    /// Requests in flight at most, when it was asked most slowly.
    pub lowest: u32,
    /// Least time between two requests then.
    pub gap: Duration,
}

/// What a run says of one address.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Outcome {
    /// The verdict.
    pub verdict: Verdict,
    /// Why.
    pub cause: Option<Cause>,
    /// The last status on the way.
    pub status: Option<u16>,
    /// Where the hops ended; `None` where it was not asked.
    pub last: Option<String>,
    /// For what moved: where the leading permanent redirects end.
    pub moved_to: Option<String>,
    /// How many hops there were.
    pub hops: u32,
    /// On which side of the bounds; `None` for what is not asked over HTTP.
    pub scope: Option<Scope>,
    /// Why a page of the site was asked, but not read.
    pub not_parsed: Option<NotParsed>,
    /// When it was asked last; `None` where it was not.
    pub checked_at: Option<Timestamp>,
}

/// One link on one page, with what is said of its target.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinkRow {
    /// The target's address, by its number.
    pub target: StoredUrl,
    /// The target's address.
    pub url: String,
    /// The fragment, without `#`.
    pub fragment: Option<String>,
    /// What is said of the target: of the address, or of the fragment if that is worse.
    pub outcome: Outcome,
    /// The fragment looks like one that a script reads.
    pub for_script: bool,
    /// The page that has the link.
    pub page: String,
    /// Line of the start of the tag, from 1; 0 for what stands in the head of the answer.
    pub line: u32,
    /// Column of the start of the tag in Unicode code points, from 1; 0 as the line.
    pub column: u32,
    /// The element.
    pub element: String,
    /// The attribute.
    pub attribute: String,
    /// The link text.
    pub text: Option<String>,
    /// The reference as it stands in the source.
    pub written: String,
    /// The nearest landmark.
    pub region: Option<Region>,
    /// The `rel` attribute.
    pub rel: Option<String>,
    /// On how many pages of the run the very same link stands.
    pub pages: u64,
    /// How many links the page is away from the start; `None` where the start does not
    /// lead there.
    pub depth: Option<u32>,
    /// What has become of it over the runs; `None` for what is no finding.
    pub history: Option<History>,
    /// Somebody has set it aside.
    pub waived: bool,
}

/// A finding over the runs of a site.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct History {
    /// What has become of it.
    pub standing: Standing,
    /// The run that found it first.
    pub first_run: i64,
    /// When that run began.
    pub first_seen: Timestamp,
    /// There is a run of the site before that one: in a first run all is new, which is no news.
    pub has_before: bool,
    /// This run found it first, and the run before could not have seen it.
    pub new_check: bool,
}

impl LinkRow {
    /// Address and fragment.
    #[must_use]
    pub fn full_target(&self) -> String {
        match &self.fragment {
            Some(fragment) => format!("{}#{fragment}", self.url),
            None => self.url.clone(),
        }
    }
}

/// What a page was when it was read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PageRow {
    /// Its title.
    pub title: Option<String>,
    /// Links away from the start; `None` where the start does not lead there.
    pub depth: Option<u32>,
    /// How many links it has.
    pub links: u64,
}

/// What is known of a target in one row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TargetRow {
    /// The address.
    pub url: String,
    /// What is said of it.
    pub outcome: Outcome,
    /// The last answer of the last hop, where a server answered.
    pub answer: Option<ResponseHead>,
    /// How long the last request took.
    pub took: Option<Duration>,
    /// The title of the page that it is.
    pub title: Option<String>,
    /// Links away from the start, where it is a page that was read.
    pub depth: Option<u32>,
}

/// One address on the way from a target to its last hop.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TraceRow {
    /// The address.
    pub url: String,
    /// What was seen each time it was asked.
    pub attempts: Vec<Attempt>,
    /// The title that was seen last.
    pub title: Option<String>,
    /// The page, where it was read.
    pub page: Option<PageRow>,
}

/// How the findings of a run compare with those before, by targets; what has only moved
/// does not count.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Changes {
    /// Targets that broke.
    pub broke: u64,
    /// Targets that had healed, and came back.
    pub returned: u64,
    /// Targets that healed.
    pub healed: u64,
    /// Targets that are still open.
    pub open: u64,
    /// Targets that the run before could not have seen.
    pub unseen: u64,
}

impl Changes {
    /// Whether something is worse than it was.
    #[must_use]
    pub fn is_worse(&self) -> bool {
        self.broke + self.returned > 0
    }
}

/// Something to know, and of which address.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NoteRow {
    /// The address.
    pub url: String,
    /// What there is to know.
    pub note: Note,
}
