//! `rummage compare`: what changed between two runs of a site.

use std::io::Write;

use rummage_core::verdict::Verdict;
use rummage_store::{Reader, RunInfo};
use rummage_view::{Group, Listing, ViewError};

use crate::args::{CompareArgs, FailOn};
use crate::config::Config;
use crate::failure::{Exit, Failure};
use crate::session::Session;
use crate::{output, sources};

/// Links that have moved are not reported unless selected.
const WRONG: &[Verdict] = &[Verdict::Broken, Verdict::Doubtful];

pub(crate) fn run(args: &CompareArgs, session: &Session) -> Result<Exit, Failure> {
    let config = &session.config;
    let reader = session.reader()?;
    let (earlier, later) = both(args, &reader, config, session)?;
    let name = session.section_of(&later.site);
    let listing = Listing {
        unfold: args.unfold,
        limit: args.limit,
        verbose: session.terminal.verbose,
        source: sources::of(&later, &config.settings(name.as_deref())),
        ..Listing::by(Group::Target)
    };
    let selection = args.selecting.selection(WRONG);
    let (earlier, later) = (reader.open_run(earlier)?, reader.open_run(later)?);
    let (one, two) = (earlier.query(&selection)?, later.query(&selection)?);
    let mut out = output::buffered(session.terminal.stdout());
    let changes = rummage_view::comparison(&mut out, &one, &two, &listing)?;
    out.flush().map_err(ViewError::from)?;
    match args.fail_on {
        FailOn::New if changes.is_worse() => Ok(Exit::Broken),
        FailOn::New => Ok(Exit::Fine),
        other => super::findings::exit(&later, other),
    }
}

/// The two runs: as given, else the last one and the one before it.
fn both(
    args: &CompareArgs,
    reader: &Reader,
    _config: &Config,
    session: &Session,
) -> Result<(RunInfo, RunInfo), Failure> {
    // A single number is the earlier run: the later one is the last run of its site.
    let later = match (args.earlier, args.later) {
        (_, Some(later)) => reader.run(later)?,
        (Some(earlier), None) => {
            let earlier = reader.run(earlier)?;
            reader.last_run_of(&earlier.site)?.unwrap_or(earlier)
        }
        (None, None) => session.run(reader, None)?,
    };
    let earlier = match args.earlier {
        Some(earlier) => reader.run(earlier)?,
        None => reader.run_before(&later)?.ok_or_else(|| Failure::Usage {
            what: format!("{} has no run before run {}", later.site, later.number),
            hint: format!("Crawl it again: rummage crawl {}", later.given_start),
        })?,
    };
    if earlier.site != later.site {
        return Err(Failure::Usage {
            what: format!(
                "run {} is of {}, but run {} is of {}",
                earlier.number, earlier.site, later.number, later.site
            ),
            hint: "Give two runs of one site; rummage sites runs lists them.".to_owned(),
        });
    }
    if earlier.number == later.number {
        return Err(Failure::Usage {
            what: format!("run {} cannot be compared with itself", later.number),
            hint: "Give an earlier run; rummage sites runs lists them.".to_owned(),
        });
    }
    // In either order: the earlier run is the one with the lower number.
    Ok(if earlier.number < later.number { (earlier, later) } else { (later, earlier) })
}
