//! Reading: the results of runs.

pub(crate) mod again;
pub(crate) mod backlinks;
pub(crate) mod checks;
pub(crate) mod equal_links;
pub(crate) mod folds;
pub(crate) mod link_faults;
pub(crate) mod link_query;
pub(crate) mod link_verdict;
pub(crate) mod memory;
pub(crate) mod notes;
pub(crate) mod open;
pub(crate) mod own_verdicts;
pub(crate) mod reader;
pub(crate) mod replay;
pub(crate) mod request_counts;
pub(crate) mod restore;
pub(crate) mod rows;
pub(crate) mod sound;
pub(crate) mod totals;
pub(crate) mod unlisted;
pub(crate) mod url_history;
pub(crate) mod url_texts;
