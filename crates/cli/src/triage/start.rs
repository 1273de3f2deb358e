//! What the view begins with.

use std::path::PathBuf;

use rummage_triage::View;

/// What the view opens with.
pub(crate) struct Opening {
    pub(crate) view: View,
    /// The plan that gets repairs.
    pub(crate) plan: PathBuf,
    /// The folder that the plan is applied to, and where it is published.
    pub(crate) files: Option<PathBuf>,
    pub(crate) at: Option<String>,
    pub(crate) listed: Listed,
}

/// Which run is listed, unless a selection names one.
pub(crate) enum Listed {
    /// The last one of this site.
    Site(String),
    /// The last one, if it began after the run with this number.
    After(i64),
}
