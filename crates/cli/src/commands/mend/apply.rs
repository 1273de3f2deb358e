//! `rummage mend apply`: the changes of a plan, as a diff or made.

use super::{to_files, to_wordpress};
use crate::args::MendApplyArgs;
use crate::failure::{Exit, Failure};
use crate::plan_file::PlanFile;
use crate::session::Session;

pub(super) fn run(args: &MendApplyArgs, session: &Session) -> Result<Exit, Failure> {
    let file = PlanFile::load(&args.plan)?;
    match (&args.files, &args.wordpress) {
        (Some(files), _) => to_files::apply(args, files, &file, session),
        (None, Some(site)) => to_wordpress::apply(args, site, &file, session),
        (None, None) => Err(Failure::Usage {
            what: "it is not known what to edit".to_owned(),
            hint: "Give --files DIR or --wordpress URL.".to_owned(),
        }),
    }
}
