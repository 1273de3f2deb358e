//! What happens to a state, and what it wants done.

use std::time::Duration;

use rummage_core::findings::waiver::WaiverKind;
use rummage_core::mend::plan::Action;
use rummage_core::verdict::Verdict;
use rummage_view::{Group, Section, TargetDetail, TargetId, TargetLine, TargetOrder};

use crate::keys::Key;

/// Which targets are listed, and how.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct View {
    /// The selection as typed, in the form of options: `--verdict broken rota`.
    pub selection: String,
    /// What targets are grouped by.
    pub group: Group,
    /// Their order.
    pub order: TargetOrder,
}

/// A list, without the texts of its targets.
#[derive(Debug, Clone, Default)]
pub struct Index {
    /// Counts the lists: what belongs to an earlier one is ignored.
    pub generation: u64,
    /// Which run of which site it shows.
    pub title: String,
    /// The targets, in order.
    pub ids: Vec<TargetId>,
    /// The same in sections; `None` if they are not grouped.
    pub sections: Option<Vec<Section>>,
    /// How many of each verdict.
    pub counts: Vec<(Verdict, u64)>,
    /// How many links lead to them.
    pub links: u64,
    /// Decisions that were made before: what a waiver or the plan does with a target.
    pub decided: Vec<(TargetId, String)>,
    /// How long it took to make.
    pub took: Duration,
}

/// What is to be done with targets.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Decision {
    /// They are waived.
    Waive {
        /// Whether it works, or is left.
        kind: WaiverKind,
        /// The reason.
        reason: String,
        /// The end, as `--until` takes it; empty for the default.
        until: String,
    },
    /// The plan gets an entry for each.
    Repair {
        /// What is done.
        action: Action,
        /// The new URL, if the action needs one.
        to: Option<String>,
    },
    /// Each is replaced by a URL of its own.
    ReplaceEach(Vec<(TargetId, String)>),
}

impl Decision {
    /// The decision in a word.
    #[must_use]
    pub fn label(&self) -> String {
        match self {
            Decision::Waive { kind: WaiverKind::Works, .. } => "works".to_owned(),
            Decision::Waive { kind: WaiverKind::Leave, .. } => "leave".to_owned(),
            Decision::Repair { action, .. } => action.as_str().to_owned(),
            Decision::ReplaceEach(_) => Action::Replace.as_str().to_owned(),
        }
    }
}

/// What became of a decision that was carried out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Decided {
    /// What was done, in one line.
    pub summary: String,
    /// The commands that do the same.
    pub commands: Vec<String>,
}

/// A URL that a link may have meant.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proposal {
    /// The target it is for.
    pub target: TargetId,
    /// The URL.
    pub to: String,
    /// Whether it is likely enough to be taken without a look at it.
    pub is_sure: bool,
    /// Why, and what the request for it showed.
    pub why: String,
}

/// The result of a recheck.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Recheck {
    /// The verdict now; `None` if no page links to it any more.
    pub verdict: Option<Verdict>,
    /// The cause now, in words.
    pub cause: String,
    /// Whether it is as it was before.
    pub is_same: bool,
}

/// A line of a diff.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DiffLine {
    /// The name of a file.
    File(String),
    /// Where the lines below are.
    Hunk(String),
    /// A line that goes.
    Old(String),
    /// A line that comes.
    New(String),
    /// A line that stays.
    Same(String),
    /// A remark.
    Note(String),
}

/// What the plan changes in files.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Changes {
    /// The diff.
    pub lines: Vec<DiffLine>,
    /// What it comes to.
    pub summary: String,
    /// How many files change.
    pub files: usize,
}

/// What was written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Applied {
    /// What was done, in one line.
    pub summary: String,
    /// The command that does the same.
    pub command: String,
}

/// A crawl that goes on meanwhile, once a second.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LiveCrawl {
    /// How far it is, in words.
    pub progress: String,
    /// How many URLs have a verdict.
    pub done: u64,
    /// Whether it has ended.
    pub has_ended: bool,
}

/// What a browser or an editor opens.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Place {
    /// A URL, in the browser.
    Url(String),
    /// The source of a page: the URL of its editor, or `FILE:LINE:COLUMN`.
    Source(String),
}

/// What happened: a key, or the result of an effect.
#[derive(Debug, Clone)]
pub enum Msg {
    /// A key was pressed.
    Key(Key),
    /// Text was pasted.
    Pasted(String),
    /// The terminal has this many columns and lines.
    Resized(u16, u16),
    /// A list.
    Index(Index),
    /// A list could not be made; it stays as it was.
    Refused(String),
    /// Texts of targets, by their position in the list of this generation.
    Rows(u64, Vec<(u32, TargetLine)>),
    /// The detail of a target; `None` if it is no longer there.
    Detail(TargetId, Option<Box<TargetDetail>>),
    /// The positions in the list of this generation where a text was found.
    Matches(u64, Vec<u32>),
    /// What a selection as typed means: an explanation, or what is wrong with it.
    Explained(Result<String, String>),
    /// URLs that were proposed, for these targets.
    Proposed(Vec<TargetId>, Result<Vec<Proposal>, String>),
    /// What became of a decision, by its number.
    Decided(u64, Result<Decided, String>),
    /// What became of taking it back.
    Undone(u64, Result<String, String>),
    /// What rechecks showed, with the command that does the same.
    Rechecked(Vec<(TargetId, Recheck)>, String),
    /// A recheck could not be made.
    NotRechecked(Vec<TargetId>, String),
    /// What the plan would change.
    Changes(Result<Changes, String>),
    /// What the plan has changed.
    Applied(Result<Applied, String>),
    /// How far a crawl is.
    Live(LiveCrawl),
    /// A message for the last line.
    Note(String),
}

/// What a state wants done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Effect {
    /// Make a list: [`Msg::Index`] or [`Msg::Refused`].
    List(View),
    /// Fetch the texts of these positions: [`Msg::Rows`].
    Rows(u64, Vec<u32>),
    /// Fetch the detail of the target at this position: [`Msg::Detail`].
    Detail(u64, u32, TargetId),
    /// Find a text: [`Msg::Matches`].
    Find(u64, String),
    /// Explain a selection: [`Msg::Explained`].
    Explain(String),
    /// Propose URLs for targets: [`Msg::Proposed`].
    Propose(Vec<TargetId>),
    /// Carry out a decision: [`Msg::Decided`].
    Decide(u64, Vec<TargetId>, Decision),
    /// Take a decision back: [`Msg::Undone`].
    Undo(u64),
    /// Check targets again: [`Msg::Rechecked`].
    Recheck(Vec<TargetId>),
    /// Show what the plan changes: [`Msg::Changes`].
    ShowChanges,
    /// Make the changes that were shown: [`Msg::Applied`].
    Apply,
    /// Open something beside this view.
    Open(Place),
    /// Give the terminal back to the shell for a while.
    Suspend,
    /// Draw everything anew.
    Redraw,
    /// End a crawl that goes on.
    StopCrawl,
    /// End.
    Quit,
}
