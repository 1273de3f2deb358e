//! The targets of a recheck, before and after.

use std::collections::HashMap;
use std::io::Write;

use rummage_core::findings::compare::is_wrong;
use rummage_core::findings::selection::Selection;
use rummage_core::verdict::Verdict;
use rummage_store::{OpenRun, Outcome, Reader, RunState, StoreError, StoredUrl};

use super::blocks::LONGEST;
use super::{compare, totals};
use crate::ViewError;
use crate::grouping::severity;
use crate::number::{count, counted, rest};
use crate::phrase::cause_of_outcome;
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT};

/// How many unchanged targets are listed.
const SAME: usize = 20;

/// A URL in two runs.
pub(crate) struct RecheckedUrl {
    pub(crate) url: String,
    pub(crate) before: Option<Outcome>,
    /// `None` if no page links to it any more.
    pub(crate) after: Option<Outcome>,
    /// Links to it, before and after.
    pub(crate) links: (u64, u64),
    /// The result of the recheck is suspicious: that links are gone proves nothing.
    pub(crate) suspicious: bool,
}

/// How it changed, in the order of output.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Change {
    Healed,
    Worse,
    Other,
    Same,
}

impl RecheckedUrl {
    /// Each of these URLs in both runs.
    pub(crate) fn all(
        before: &OpenRun<'_>,
        after: &OpenRun<'_>,
        urls: &[StoredUrl],
    ) -> Result<Vec<RecheckedUrl>, ViewError> {
        let (was, is) = (Said::of_all(before, urls)?, Said::of_all(after, urls)?);
        let suspicious = after.info().state == RunState::Suspicious;
        let rechecked = urls.iter().zip(was.into_iter().zip(is)).map(|(url, (was, is))| {
            Ok(RecheckedUrl {
                url: before.url(*url)?,
                before: was.outcome,
                after: is.outcome.filter(|_| is.links > 0),
                links: (was.links, is.links),
                suspicious,
            })
        });
        rechecked.collect()
    }

    fn became(&self) -> Change {
        let verdict = |outcome: &Option<Outcome>| outcome.as_ref().map(|outcome| outcome.verdict);
        let (was, is) = (verdict(&self.before), verdict(&self.after));
        let wrong = |verdict: Option<Verdict>| verdict.is_some_and(is_wrong);
        let result = |outcome: &Option<Outcome>| {
            outcome.as_ref().map(|outcome| (outcome.verdict, outcome.cause, outcome.status))
        };
        match (wrong(was), wrong(is)) {
            (true, false) if self.suspicious && self.after.is_none() => Change::Other,
            (true, false) => Change::Healed,
            (false, true) => Change::Worse,
            _ if result(&self.before) == result(&self.after) => Change::Same,
            _ => Change::Other,
        }
    }
}

/// What a run says of a URL.
struct Said {
    /// The result of the URL, or of a link to it if that is worse, such as a missing anchor.
    outcome: Option<Outcome>,
    links: u64,
}

impl Said {
    /// That of each of these URLs. All links are read once, however many URLs there are.
    fn of_all(run: &OpenRun<'_>, urls: &[StoredUrl]) -> Result<Vec<Said>, StoreError> {
        let said = |url: &StoredUrl| Ok(Said { outcome: run.outcome(*url)?, links: 0 });
        let mut all = urls.iter().map(said).collect::<Result<Vec<Said>, StoreError>>()?;
        let places: HashMap<StoredUrl, usize> = urls.iter().copied().zip(0..).collect();
        let (wanted, selection) = (urls.iter().copied().collect(), Selection::all());
        run.query_to_any(&wanted, &selection)?.for_each(|found| {
            let Some(said) = places.get(&found.target).and_then(|place| all.get_mut(*place)) else {
                return Ok(());
            };
            said.links += 1;
            if let Some(outcome) = &mut said.outcome
                && severity(found.verdict) < severity(outcome.verdict)
            {
                (outcome.verdict, outcome.cause) = (found.verdict, found.cause);
            }
            Ok::<_, StoreError>(())
        })?;
        Ok(all)
    }
}

/// Writes how the targets of a recheck changed.
///
/// # Errors
/// See [`ViewError`].
pub fn recheck(
    out: &mut dyn Write,
    reader: &Reader,
    before: &OpenRun<'_>,
    after: &OpenRun<'_>,
    targets: &[StoredUrl],
) -> Result<(), ViewError> {
    let mut all = RecheckedUrl::all(before, after, targets)?;
    all.sort_by_key(RecheckedUrl::became);
    totals::head(out, after.info())?;
    let many = |what: Change| all.iter().filter(|url| url.became() == what).count() as u64;
    let (same, other) = (count(many(Change::Same)), count(many(Change::Other)));
    writeln!(
        out,
        "{} rechecked: {} fixed, {} worse, {other} changed, {same} unchanged",
        counted(all.len() as u64, "target", "targets"),
        count(many(Change::Healed)),
        count(many(Change::Worse)),
    )?;
    totals::counts(out, after.info(), &after.totals()?, false)?;
    if let Some(earlier) = reader.run_before(after.info())? {
        compare::write_changes(out, &earlier, &after.changes()?)?;
    }
    writeln!(out)?;
    let (same, changed): (Vec<&RecheckedUrl>, Vec<&RecheckedUrl>) =
        all.iter().partition(|url| url.became() == Change::Same);
    for url in changed.into_iter().chain(same.iter().copied().take(SAME)) {
        write_urls(out, url)?;
    }
    if let Some(rest) = rest(same.len() as u64, SAME) {
        writeln!(out, "{FAINT}{rest} unchanged: rummage findings{FAINT:#}")?;
    }
    Ok(())
}

fn write_urls(out: &mut dyn Write, url: &RecheckedUrl) -> Result<(), ViewError> {
    let became = url.became();
    let (word, verdict) = match (became, &url.after) {
        (Change::Healed, _) => ("fixed", Verdict::Sound),
        (Change::Worse, Some(after)) => ("worse", after.verdict),
        (Change::Same, Some(after)) => ("unchanged", after.verdict),
        (Change::Worse, None) | (Change::Other, _) => ("changed", Verdict::Moved),
        (Change::Same, None) => ("unchanged", Verdict::Sound),
    };
    let style = style::of(verdict);
    writeln!(out, "{style}{word:9}{style:#} {}", safe(&shorten(&url.url, LONGEST)))?;
    let was = url.before.as_ref().map_or_else(|| "unknown".to_owned(), result);
    match &url.after {
        None => {
            let pages = counted(url.links.0, "link to it is", "links to it are");
            writeln!(out, "          {FAINT}was{FAINT:#} {was}; the {pages} gone")?;
        }
        Some(after) if became == Change::Same => {
            writeln!(out, "          {FAINT}still{FAINT:#} {}", result(after))?;
        }
        Some(after) => {
            writeln!(
                out,
                "          {FAINT}was{FAINT:#} {was}; {FAINT}is{FAINT:#} {}",
                result(after)
            )?;
        }
    }
    if url.after.is_some() && url.links.1 < url.links.0 {
        let gone = counted(url.links.0 - url.links.1, "link to it is", "links to it are");
        writeln!(out, "          {gone} gone, {} left", count(url.links.1))?;
    }
    Ok(())
}

/// `broken, 404 Not Found`
fn result(outcome: &Outcome) -> String {
    format!("{}, {}", outcome.verdict, cause_of_outcome(outcome))
}

#[cfg(test)]
mod tests {
    use rummage_core::verdict::Cause;

    use super::*;
    use crate::testing::{outcome, plain};

    fn url(before: Option<Outcome>, after: Option<Outcome>, links: (u64, u64)) -> RecheckedUrl {
        let url = "http://a.test/x".to_owned();
        RecheckedUrl { url, before, after, links, suspicious: false }
    }

    fn broken(status: u16) -> Option<Outcome> {
        Some(outcome(Verdict::Broken, Some(Cause::NotFound), Some(status)))
    }

    fn sound() -> Option<Outcome> {
        Some(outcome(Verdict::Sound, None, Some(200)))
    }

    fn shown(url: &RecheckedUrl) -> String {
        plain(|out| write_urls(out, url))
    }

    #[test]
    fn a_url_is_fixed_worse_changed_or_unchanged() {
        let cases = [
            (broken(404), sound(), Change::Healed),
            (broken(404), None, Change::Healed),
            (sound(), broken(404), Change::Worse),
            (None, broken(404), Change::Worse),
            (broken(404), broken(410), Change::Other),
            (broken(404), broken(404), Change::Same),
            (sound(), sound(), Change::Same),
            (sound(), None, Change::Other),
        ];
        for (before, after, change) in cases {
            let case = format!("{before:?} to {after:?}");
            assert_eq!(url(before, after, (1, 1)).became(), change, "{case}");
        }
    }

    #[test]
    fn a_recheck_shows_both_results_and_links_that_are_gone() {
        insta::assert_snapshot!(shown(&url(broken(404), sound(), (3, 3))), @"
        fixed     http://a.test/x
                  was broken, 404 Not Found; is sound, 200 OK
        ");
        insta::assert_snapshot!(shown(&url(broken(404), broken(404), (2, 2))), @"
        unchanged http://a.test/x
                  still broken, 404 Not Found
        ");
        insta::assert_snapshot!(shown(&url(sound(), broken(410), (1, 1))), @"
        worse     http://a.test/x
                  was sound, 200 OK; is broken, 410 Gone
        ");
        insta::assert_snapshot!(shown(&url(broken(404), broken(410), (3, 2))), @"
        changed   http://a.test/x
                  was broken, 404 Not Found; is broken, 410 Gone
                  1 link to it is gone, 2 left
        ");
        let suspicious = RecheckedUrl { suspicious: true, ..url(broken(404), None, (1, 0)) };
        assert_eq!(suspicious.became(), Change::Other);
        insta::assert_snapshot!(shown(&url(broken(404), None, (1, 0))), @"
        fixed     http://a.test/x
                  was broken, 404 Not Found; the 1 link to it is gone
        ");
        let more_links = shown(&url(broken(404), broken(404), (2, 3)));
        assert!(!more_links.contains("gone"), "{more_links}");
    }
}
