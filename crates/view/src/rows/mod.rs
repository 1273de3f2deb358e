//! Rows for other programs: links or targets, in the order of the listing, with one file per
//! format.

mod format;
mod json;
mod link;
mod recheck;
mod schedule;
mod schema;
mod sink;
mod sorted;
mod write;

pub(crate) use format::OpenRows;
pub use format::RowFormat;
pub use json::{json, json_of};
pub use recheck::recheck_rows;
pub use schedule::schedule_rows;
pub use schema::schema;
pub(crate) use sorted::compare;
pub use write::{Shown, columns, each_link, links_to, rows, rows_of_all};
pub(crate) use write::{for_each_row, grouped, write_rows};
