//! `rummage fleet`: many sites on many machines.

mod sites;
mod unit;
mod work;

use std::io::Write as _;

use rummage_fleet::Database;
use rummage_view::ViewError;

use crate::args::{FleetArgs, FleetCommand, FleetFormat, FleetStatusArgs, GlobalArgs};
use crate::clock::WallClock;
use crate::failure::{Exit, Failure};
use crate::fleet::address::address;
use crate::jobs::runtime;
use crate::output::{self, Terminal};

pub(crate) fn run(
    args: &FleetArgs,
    terminal: Terminal,
    global: &GlobalArgs,
    clock: WallClock,
) -> Result<Exit, Failure> {
    if let FleetCommand::Work(work) = &args.command {
        return work::run(work, &args.database, terminal, global, clock);
    }
    let database = Database::at(address(&args.database)?)?;
    let runtime = runtime()?;
    match &args.command {
        FleetCommand::Prepare => prepare(&runtime, &database, terminal),
        FleetCommand::Sites(sites) => sites::run(sites, &runtime, &database, terminal),
        FleetCommand::Status(status) => self::status(status, &runtime, &database, terminal),
        FleetCommand::Work(_) => unreachable!("it is the first case"),
    }
}

fn prepare(
    runtime: &tokio::runtime::Runtime,
    database: &Database,
    terminal: Terminal,
) -> Result<Exit, Failure> {
    let before = runtime.block_on(database.prepare())?;
    let (name, known) = (database.address(), rummage_fleet::VERSION);
    let said = match before {
        0 => format!("{name}: tables created, version {known}"),
        _ if before == known => format!("{name}: version {known}, nothing to do"),
        _ => format!("{name}: migrated from version {before} to {known}"),
    };
    writeln!(terminal.stdout(), "{said}").map_err(ViewError::from)?;
    Ok(Exit::Fine)
}

fn status(
    args: &FleetStatusArgs,
    runtime: &tokio::runtime::Runtime,
    database: &Database,
    terminal: Terminal,
) -> Result<Exit, Failure> {
    let status = runtime.block_on(async {
        database.check().await?;
        database.status().await
    })?;
    let mut out = output::buffered(terminal.stdout());
    match args.format {
        FleetFormat::Text => rummage_view::fleet_status(&mut out, &status)?,
        FleetFormat::Jsonl => rummage_view::fleet_status_rows(&mut out, &status)?,
    }
    out.flush().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}
