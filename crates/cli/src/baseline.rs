//! `--baseline`: fails only for what is not known yet.

use std::fs;
use std::io::Write as _;
use std::path::{Path, PathBuf};

use rummage_core::findings::baseline::Baseline;
use rummage_core::findings::selection::Selection;
use rummage_core::verdict::Verdict;
use rummage_store::{OpenRun, RunState};
use rummage_view::{count, counted, safe};

use crate::failure::{Exit, Failure};
use crate::output::Terminal;

/// How many new targets are named.
const NAMED: usize = 20;

/// A baseline, and the file that it is from.
#[derive(Debug)]
pub(crate) struct Known {
    file: PathBuf,
    targets: Baseline,
}

impl Known {
    /// Reads the baseline, if one is named.
    pub(crate) fn of(file: Option<&Path>) -> Result<Option<Known>, Failure> {
        let Some(file) = file else { return Ok(None) };
        let name = safe(&file.display().to_string()).to_string();
        let wrong = |why: String| Failure::Usage {
            what: format!("cannot use the baseline {name}: {}", safe(&why)),
            hint: format!("Write a new one: rummage report -o {name} --format baseline"),
        };
        let text = fs::read_to_string(file).map_err(|error| wrong(error.to_string()))?;
        let targets = Baseline::parse(&text).map_err(|error| wrong(error.to_string()))?;
        Ok(Some(Known { file: file.to_owned(), targets }))
    }

    /// Compares a run with the baseline, names what is new, and returns the exit code.
    pub(crate) fn exit(&self, run: &OpenRun<'_>, terminal: Terminal) -> Result<Exit, Failure> {
        let selection = Selection::of(&[Verdict::Broken, Verdict::Doubtful]);
        let now = rummage_view::baseline(run, &selection)?;
        let worse = now.worse_than(&self.targets);
        if !terminal.quiet || !worse.is_empty() {
            self.report(&worse, self.targets.missing_from(&now), terminal);
        }
        // It finds fewer broken links than there are.
        if run.info().state != RunState::Finished {
            return Ok(Exit::Unfinished);
        }
        Ok(if worse.is_empty() { Exit::Fine } else { Exit::Broken })
    }

    fn report(&self, worse: &[(Verdict, &str)], fixed: usize, terminal: Terminal) {
        let mut out = terminal.stderr();
        let name = safe(&self.file.display().to_string()).to_string();
        let new = counted(worse.len() as u64, "target is", "targets are");
        let fixed = count(fixed as u64);
        let _ =
            writeln!(out, "compared with {name}: {new} newly broken or doubtful, {fixed} fixed");
        for (verdict, target) in worse.iter().take(NAMED) {
            let _ = writeln!(out, "  {verdict}  {}", safe(target));
        }
        if worse.len() > NAMED {
            let _ = writeln!(out, "  and {} more", count((worse.len() - NAMED) as u64));
        }
    }
}
