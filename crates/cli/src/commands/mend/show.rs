//! `rummage mend show`: a plan as a table.

use std::io::Write;

use rummage_view::{RepairRow, ViewError};

use crate::args::MendShowArgs;
use crate::failure::{Exit, Failure};
use crate::output::{self, Terminal};
use crate::plan_file::{PlanFile, schema};

pub(super) fn run(args: &MendShowArgs, terminal: Terminal) -> Result<Exit, Failure> {
    let Some(path) = args.plan.as_deref().filter(|_| !args.schema) else {
        let text = serde_json::to_string_pretty(&schema()).expect("a schema is plain data");
        writeln!(std::io::stdout(), "{text}").map_err(ViewError::from)?;
        return Ok(Exit::Fine);
    };
    let file = PlanFile::load(path)?;
    let rules = file.rules.iter().map(|entry| RepairRow {
        action: "rule",
        confidence: entry.rule.confidence,
        target: &entry.rule.from,
        to: Some(&entry.rule.to),
        note: format!("mends {} of {} tried", entry.rule.mends, entry.rule.tried),
    });
    let mends = file.mends.iter().map(|entry| RepairRow {
        action: entry.mend.action.as_str(),
        confidence: entry.mend.confidence,
        target: &entry.mend.target,
        to: entry.mend.to.as_deref(),
        note: note(entry.why.as_deref(), entry.tried.as_deref(), entry.places),
    });
    let rows: Vec<RepairRow<'_>> = rules.chain(mends).collect();
    let mut out = output::buffered(terminal.stdout());
    rummage_view::repairs(&mut out, &rows)?;
    out.flush().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}

fn note(why: Option<&str>, tried: Option<&str>, places: Option<u64>) -> String {
    let links = places.map(|places| rummage_view::counted(places, "link", "links"));
    let parts = [links.as_deref(), why, tried];
    parts.into_iter().flatten().collect::<Vec<_>>().join("; ")
}
