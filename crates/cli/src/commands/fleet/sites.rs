//! `rummage fleet sites`.

use std::io::Write as _;

use rummage_fleet::{Database, Wanted};
use rummage_view::{ViewError, counted, safe};
use tokio::runtime::Runtime;

use crate::args::{FleetSitesArgs, FleetSitesCommand};
use crate::failure::{Exit, Failure};
use crate::fleet::site_files;
use crate::output::{self, Terminal};

pub(super) fn run(
    args: &FleetSitesArgs,
    runtime: &Runtime,
    database: &Database,
    terminal: Terminal,
) -> Result<Exit, Failure> {
    let mut out = output::buffered(terminal.stdout());
    match &args.command {
        None | Some(FleetSitesCommand::List) => {
            let sites = runtime.block_on(async {
                database.check().await?;
                database.sites().await
            })?;
            rummage_view::fleet_sites(&mut out, &sites)?;
        }
        Some(FleetSitesCommand::Import { file }) => {
            let sites = site_files::of(file)?;
            let imported = runtime.block_on(database.import(&sites))?;
            let sites = |count| counted(count, "site", "sites");
            writeln!(
                out,
                "{} added, {} changed, {} unchanged",
                sites(imported.added),
                imported.changed,
                imported.unchanged
            )
            .map_err(ViewError::from)?;
        }
        Some(FleetSitesCommand::Add { name, start }) => {
            let site = site_files::new(name, start)?;
            let imported = runtime.block_on(database.import(&[site]))?;
            let said = match (imported.added, imported.changed) {
                (1, _) => "added",
                (_, 1) => "changed",
                _ => "unchanged",
            };
            writeln!(out, "{} {said}", safe(name)).map_err(ViewError::from)?;
        }
        Some(FleetSitesCommand::Remove { names }) => {
            for name in names {
                runtime.block_on(database.remove_site(name))?;
                writeln!(out, "{} removed", safe(name)).map_err(ViewError::from)?;
            }
        }
        Some(FleetSitesCommand::Crawl { names, accept }) => {
            let wanted = if *accept { Wanted::Accept } else { Wanted::Crawl };
            for name in names {
                runtime.block_on(database.want(name, wanted))?;
                writeln!(out, "{} is crawled next", safe(name)).map_err(ViewError::from)?;
            }
        }
        Some(FleetSitesCommand::Reset { names }) => {
            for name in names {
                runtime.block_on(database.reset_site(name))?;
                writeln!(out, "{} reset", safe(name)).map_err(ViewError::from)?;
            }
        }
    }
    out.flush().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}
