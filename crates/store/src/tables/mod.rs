//! Reading and writing single tables.

pub(crate) mod evidence;
pub(crate) mod findings;
pub(crate) mod interning;
pub(crate) mod link_contents;
pub(crate) mod notes;
pub(crate) mod outcomes;
pub(crate) mod page_order;
pub(crate) mod request_log;
pub(crate) mod runs;
pub(crate) mod url_status;
pub(crate) mod verdict_spans;
