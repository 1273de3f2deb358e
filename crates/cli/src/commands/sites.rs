//! `rummage sites`: the known sites, their runs, and deleting old ones.

use std::io::Write;

use rummage_store::{SiteRow, patrol_of, prune};
use rummage_view::{ViewError, count};

use crate::args::{SitesArgs, SitesCommand};
use crate::failure::{Exit, Failure};
use crate::session::Session;
use crate::{choice, output};

pub(crate) fn run(args: &SitesArgs, session: &Session) -> Result<Exit, Failure> {
    let config = &session.config;
    let store = session.store.as_path();
    let reader = session.reader()?;
    let mut out = output::buffered(session.terminal.stdout());
    let site = match &session.site {
        Some(name) => Some(choice::last_of(&reader, config, name)?.site),
        None => None,
    };
    match args.command {
        None => {
            let named = |site: SiteRow| {
                let name = choice::own_section(config, &site.last.site);
                (name, site)
            };
            let sites: Vec<_> = reader
                .sites()?
                .into_iter()
                .filter(|row| site.as_ref().is_none_or(|site| *site == row.last.site))
                .map(named)
                .collect();
            rummage_view::sites(&mut out, &sites)?;
            if let Some((status, is_up)) = patrol_of(store) {
                writeln!(out).map_err(ViewError::from)?;
                rummage_view::patrol(&mut out, &status, is_up)?;
            }
            let mut waiting = reader.undelivered()?;
            waiting.retain(|row| site.as_ref().is_none_or(|site| *site == row.site));
            rummage_view::undelivered(&mut out, &waiting)?;
        }
        Some(SitesCommand::Runs) => {
            let mut runs = Vec::new();
            for run in reader.runs()? {
                if site.as_ref().is_none_or(|site| *site == run.site) {
                    runs.push(reader.site_row(run, 1)?);
                }
            }
            rummage_view::runs(&mut out, &runs)?;
        }
        Some(SitesCommand::Prune { keep, dry_run }) => {
            drop(reader);
            let pruned = prune(store, keep, site.as_deref(), dry_run)?;
            let runs: Vec<String> = pruned.runs.iter().map(|run| run.number.to_string()).collect();
            let io_error = match (runs.as_slice(), dry_run) {
                ([], _) => "nothing to delete".to_owned(),
                (some, true) => format!("would delete: runs {}", some.join(", ")),
                (some, false) => format!(
                    "deleted runs {}; the store is {} bytes smaller",
                    some.join(", "),
                    count(pruned.bytes)
                ),
            };
            writeln!(out, "{io_error}").map_err(ViewError::from)?;
        }
    }
    out.flush().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}
