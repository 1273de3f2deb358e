//! What was asked again: as it was, and as it is.

use std::io::Write;

use rummage_core::findings::compare::is_wrong;
use rummage_core::findings::selection::Selection;
use rummage_core::verdict::Verdict;
use rummage_store::{Address, OpenRun, Outcome, Reader, StoreError};

use super::blocks::{LONGEST, says};
use super::{compare, totals};
use crate::ViewError;
use crate::gather::severity;
use crate::number::{count, counted};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT};

/// Targets that are told of where nothing has changed.
const SAME: usize = 20;

/// An address over two runs.
pub(crate) struct Asked {
    pub(crate) url: String,
    pub(crate) before: Option<Outcome>,
    /// `None` where no page names it any more.
    pub(crate) after: Option<Outcome>,
    /// Links to it, then and now.
    pub(crate) links: (u64, u64),
}

/// What became of it, in the order in which it is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Became {
    Healed,
    Worse,
    Other,
    Same,
}

impl Asked {
    pub(crate) fn of(
        before: &OpenRun<'_>,
        after: &OpenRun<'_>,
        address: Address,
    ) -> Result<Asked, ViewError> {
        let (was, then) = said(before, address)?;
        let (is, now) = said(after, address)?;
        let is = is.filter(|_| now > 0);
        Ok(Asked { url: before.url(address)?, before: was, after: is, links: (then, now) })
    }

    fn became(&self) -> Became {
        let verdict = |outcome: &Option<Outcome>| outcome.as_ref().map(|outcome| outcome.verdict);
        let (was, is) = (verdict(&self.before), verdict(&self.after));
        let wrong = |verdict: Option<Verdict>| verdict.is_some_and(is_wrong);
        let says = |outcome: &Option<Outcome>| {
            outcome.as_ref().map(|outcome| (outcome.verdict, outcome.cause, outcome.status))
        };
        match (wrong(was), wrong(is)) {
            (true, false) => Became::Healed,
            (false, true) => Became::Worse,
            _ if says(&self.before) == says(&self.after) => Became::Same,
            _ => Became::Other,
        }
    }
}

/// What a run says of an address, or of a link to it where that is worse, such as a place
/// that is missing; and how many links there are.
fn said(run: &OpenRun<'_>, address: Address) -> Result<(Option<Outcome>, u64), StoreError> {
    let selection = Selection::all();
    let mut outcome = run.outcome(address)?;
    let mut links = 0;
    run.sift_to(address, &selection)?.for_each(|found| {
        links += 1;
        if let Some(outcome) = &mut outcome
            && severity(found.verdict) < severity(outcome.verdict)
        {
            (outcome.verdict, outcome.cause) = (found.verdict, found.cause);
        }
        Ok::<_, StoreError>(())
    })?;
    Ok((outcome, links))
}

/// Writes what became of the targets of a recheck.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn recheck(
    out: &mut dyn Write,
    reader: &Reader,
    before: &OpenRun<'_>,
    after: &OpenRun<'_>,
    targets: &[Address],
) -> Result<(), ViewError> {
    let mut all = Vec::with_capacity(targets.len());
    for target in targets {
        all.push(Asked::of(before, after, *target)?);
    }
    all.sort_by_key(Asked::became);
    totals::head(out, after.info())?;
    let many = |what: Became| all.iter().filter(|asked| asked.became() == what).count() as u64;
    let (same, other) = (count(many(Became::Same)), count(many(Became::Other)));
    writeln!(
        out,
        "{} asked again: {} healed, {} worse, {other} otherwise, {same} as before",
        counted(all.len() as u64, "target", "targets"),
        count(many(Became::Healed)),
        count(many(Became::Worse)),
    )?;
    totals::counts(out, after.info(), &after.totals()?, false)?;
    if let Some(earlier) = reader.run_before(after.info())? {
        compare::write_changes(out, &earlier, &after.changes()?)?;
    }
    writeln!(out)?;
    let (same, changed): (Vec<&Asked>, Vec<&Asked>) =
        all.iter().partition(|asked| asked.became() == Became::Same);
    for asked in changed.into_iter().chain(same.iter().copied().take(SAME)) {
        write_asked(out, asked)?;
    }
    let more = same.len().saturating_sub(SAME) as u64;
    if more > 0 {
        writeln!(out, "{FAINT}and {} more as before: rummage findings{FAINT:#}", count(more))?;
    }
    Ok(())
}

fn write_asked(out: &mut dyn Write, asked: &Asked) -> Result<(), ViewError> {
    let became = asked.became();
    let (word, verdict) = match (became, &asked.after) {
        (Became::Healed, _) => ("healed", Verdict::Sound),
        (Became::Worse, Some(after)) => ("worse", after.verdict),
        (Became::Same, Some(after)) => ("same", after.verdict),
        (Became::Worse, None) | (Became::Other, _) => ("other", Verdict::Moved),
        (Became::Same, None) => ("same", Verdict::Sound),
    };
    let style = style::of(verdict);
    writeln!(out, "{style}{word:8}{style:#} {}", safe(&shorten(&asked.url, LONGEST)))?;
    let was = asked.before.as_ref().map_or_else(|| "not known".to_owned(), told);
    match &asked.after {
        None => {
            let pages = counted(asked.links.0, "link to it is", "links to it are");
            writeln!(out, "         {FAINT}was{FAINT:#} {was}; the {pages} gone")?;
        }
        Some(after) if became == Became::Same => {
            writeln!(out, "         {FAINT}still{FAINT:#} {}", told(after))?;
        }
        Some(after) => {
            writeln!(
                out,
                "         {FAINT}was{FAINT:#} {was}; {FAINT}is{FAINT:#} {}",
                told(after)
            )?;
        }
    }
    if asked.after.is_some() && asked.links.1 < asked.links.0 {
        let gone = counted(asked.links.0 - asked.links.1, "link to it is", "links to it are");
        writeln!(out, "         {gone} gone, {} left", count(asked.links.1))?;
    }
    Ok(())
}

/// `broken, not found (404)`
fn told(outcome: &Outcome) -> String {
    let says = says(outcome);
    if says.is_empty() {
        outcome.verdict.to_string()
    } else {
        format!("{}, {says}", outcome.verdict)
    }
}
