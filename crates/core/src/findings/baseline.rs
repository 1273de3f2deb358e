//! A baseline: the targets that are known to be broken or doubtful, as text for version control.
//!
//! A line has a verdict and a target. The order does not matter; a file that is written is
//! sorted, so that its changes are easy to review.

use std::collections::BTreeMap;

use crate::url::secrets::masked;
use crate::verdict::Verdict;

/// The first line of a baseline.
const HEAD: &str =
    "# Known broken and doubtful targets, for rummage --baseline: a verdict and a target a line.\n";

/// Targets that are known, with their verdicts.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Baseline {
    targets: BTreeMap<String, Verdict>,
}

/// What is wrong with the text of a baseline.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("line {line} has no verdict of broken or doubtful and a target: {text}")]
pub struct BaselineError {
    /// The line, from 1.
    pub line: usize,
    /// Its text.
    pub text: String,
}

impl Baseline {
    /// Parses the text of a baseline. Empty lines and those that begin with `#` do not count.
    ///
    /// # Errors
    /// If a line is something else.
    pub fn parse(text: &str) -> Result<Baseline, BaselineError> {
        let mut baseline = Baseline::default();
        for (number, line) in (1..).zip(text.lines()) {
            let line = line.trim();
            if line.is_empty() || line.starts_with('#') {
                continue;
            }
            let parts = line.split_once(' ').and_then(|(verdict, target)| {
                let is_known = |verdict: &Verdict| is_counted(*verdict);
                Some((Verdict::named(verdict).filter(is_known)?, target.trim()))
            });
            let wrong = || BaselineError { line: number, text: line.to_owned() };
            let (verdict, target) = parts.ok_or_else(wrong)?;
            baseline.add(verdict, target);
        }
        Ok(baseline)
    }

    /// Adds a target. Other verdicts than broken and doubtful do not count.
    pub fn add(&mut self, verdict: Verdict, target: &str) {
        // Line ends would end the line, and secrets do not belong in version control.
        let target = masked(target).replace(['\n', '\r'], " ");
        let target = target.trim();
        if !is_counted(verdict) || target.is_empty() {
            return;
        }
        let known = self.targets.entry(target.to_owned()).or_insert(verdict);
        if verdict == Verdict::Broken {
            *known = verdict;
        }
    }

    /// The targets that are here and not in `before`, or were doubtful and are broken.
    #[must_use]
    pub fn worse_than(&self, before: &Baseline) -> Vec<(Verdict, &str)> {
        let is_worse = |(target, verdict): &(&String, &Verdict)| match before.targets.get(*target) {
            None => true,
            Some(known) => *known == Verdict::Doubtful && **verdict == Verdict::Broken,
        };
        let worse = self.targets.iter().filter(is_worse);
        worse.map(|(target, verdict)| (*verdict, target.as_str())).collect()
    }

    /// How many of its targets are not in `other`.
    #[must_use]
    pub fn missing_from(&self, other: &Baseline) -> usize {
        self.targets.keys().filter(|target| !other.targets.contains_key(*target)).count()
    }

    /// The text of a file, sorted by target.
    #[must_use]
    pub fn to_text(&self) -> String {
        let lines = self.targets.iter().map(|(target, verdict)| format!("{verdict} {target}\n"));
        HEAD.chars().chain(lines.collect::<String>().chars()).collect()
    }
}

fn is_counted(verdict: Verdict) -> bool {
    matches!(verdict, Verdict::Broken | Verdict::Doubtful)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    fn baseline(targets: &[(Verdict, &str)]) -> Baseline {
        let mut baseline = Baseline::default();
        targets.iter().for_each(|(verdict, target)| baseline.add(*verdict, target));
        baseline
    }

    #[test]
    fn a_baseline_is_sorted_text_that_can_be_read_back() {
        let written = baseline(&[
            (Verdict::Doubtful, "https://b.test/?token=secret"),
            (Verdict::Broken, "https://a.test/x y"),
            (Verdict::Moved, "https://a.test/moved"),
            (Verdict::Broken, "{{ url\n}}"),
            (Verdict::Broken, " "),
        ]);
        let text = written.to_text();
        let (head, rest) = text.split_once('\n').unwrap();
        assert!(head.starts_with("# "));
        assert_eq!(
            rest,
            "broken https://a.test/x y\ndoubtful https://b.test/?token=***\nbroken {{ url }}\n"
        );
        assert_eq!(Baseline::parse(&text), Ok(written));
        assert_eq!(Baseline::parse(""), Ok(Baseline::default()));
    }

    #[test]
    fn a_wrong_line_is_named() {
        for text in ["# x\n\nbroken", "# x\n\nmoved https://a.test/", "\n\nhttps://a.test/"] {
            assert_eq!(Baseline::parse(text).map_err(|error| error.line), Err(3), "{text:?}");
        }
    }

    #[test]
    fn new_targets_and_those_that_broke_are_worse() {
        let before = baseline(&[
            (Verdict::Broken, "https://a.test/1"),
            (Verdict::Doubtful, "https://a.test/2"),
            (Verdict::Doubtful, "https://a.test/3"),
            (Verdict::Broken, "https://a.test/4"),
        ]);
        let now = baseline(&[
            (Verdict::Doubtful, "https://a.test/1"),
            (Verdict::Doubtful, "https://a.test/2"),
            (Verdict::Broken, "https://a.test/3"),
            (Verdict::Doubtful, "https://a.test/5"),
        ]);
        let expected =
            [(Verdict::Broken, "https://a.test/3"), (Verdict::Doubtful, "https://a.test/5")];
        assert_eq!(now.worse_than(&before), expected);
        assert_eq!((before.missing_from(&now), now.missing_from(&before)), (1, 1));
        assert_eq!(now.worse_than(&now), []);
    }
}
