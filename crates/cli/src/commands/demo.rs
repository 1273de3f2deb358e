//! `rummage demo`.
use crate::args::{DemoArgs, Everywhere};
use crate::failure::{Exit, Failure};
pub(crate) fn run(_args: &DemoArgs, _everywhere: &Everywhere) -> Result<Exit, Failure> {
    Ok(Exit::Fine)
}
