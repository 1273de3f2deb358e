//! Whether anybody watches, and which digests wait: lines below the sites.

use std::io::Write;

use rummage_store::{PatrolStatus, Undelivered};

use crate::ViewError;
use crate::number::{count, counted};
use crate::safe::{safe, shorten};
use crate::style::STRONG;
use crate::when::when;

/// Problems are shown up to so many characters.
const PROBLEM: usize = 300;

/// Writes what a patrol does, or did when it was up last.
///
/// # Errors
/// When the output cannot be written.
pub fn patrol(out: &mut dyn Write, status: &PatrolStatus, is_up: bool) -> Result<(), ViewError> {
    let does = match (is_up, status.ended_at) {
        (true, _) => {
            format!("up since {}, process {}{}", when(status.since), status.process, doing(status))
        }
        (false, Some(at)) => format!("not up; it ended {}", when(at)),
        (false, None) => {
            format!("not up; the last one, begun {}, did not come to its end", when(status.since))
        }
    };
    writeln!(out, "{STRONG}patrol{STRONG:#}   {does}")?;
    if let Some(problem) = &status.problem {
        writeln!(out, "         {}", safe(&shorten(problem, PROBLEM)))?;
    }
    Ok(())
}

fn doing(status: &PatrolStatus) -> String {
    let Some(site) = &status.site else { return String::new() };
    let task = status.task.as_deref().unwrap_or("pass");
    let when = status.next_at.map_or_else(|| "now".to_owned(), when);
    format!("; {task} of {}: {when}", safe(site))
}

/// Writes which digests wait, of which sites, and why.
///
/// # Errors
/// When the output cannot be written.
pub fn undelivered(out: &mut dyn Write, waiting: &[Undelivered]) -> Result<(), ViewError> {
    for Undelivered { site, letters, attempts, next_at, problem } in waiting {
        let many = counted(*letters, "digest of", "digests of");
        let tried = match attempts {
            0 => "not tried yet".to_owned(),
            1 => "tried once".to_owned(),
            times => format!("tried {} times", count(u64::from(*times))),
        };
        writeln!(
            out,
            "{STRONG}digests{STRONG:#}  {many} {} not delivered: {tried}, next from {} on",
            safe(site),
            when(*next_at)
        )?;
        if let Some(problem) = problem {
            writeln!(out, "         {}", safe(&shorten(problem, PROBLEM)))?;
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use jiff::Timestamp;

    use super::*;

    fn told(write: impl Fn(&mut Vec<u8>)) -> String {
        let mut out = Vec::new();
        write(&mut out);
        let text = String::from_utf8(out).expect("it is text");
        text.replace(&format!("{STRONG}"), "").replace(&format!("{STRONG:#}"), "")
    }

    #[test]
    fn a_patrol_is_up_or_ended_or_was_killed() {
        let at = when(Timestamp::UNIX_EPOCH);
        let up = PatrolStatus {
            process: 7,
            since: Timestamp::UNIX_EPOCH,
            site: Some("museum".to_owned()),
            task: Some("recheck".to_owned()),
            next_at: None,
            problem: Some("museum could not be asked\u{1b}".to_owned()),
            ended_at: None,
        };
        let text = |status: &PatrolStatus, is_up| {
            told(|out| patrol(out, status, is_up).expect("memory takes all"))
        };
        assert_eq!(
            text(&up, true),
            format!(
                "patrol   up since {at}, process 7; recheck of museum: now\n         museum could \
                 not be asked\\u{{1b}}\n"
            )
        );
        assert!(text(&up, false).contains("did not come to its end"));
        let ended = PatrolStatus { ended_at: Some(Timestamp::UNIX_EPOCH), problem: None, ..up };
        assert_eq!(text(&ended, false), format!("patrol   not up; it ended {at}\n"));
    }

    #[test]
    fn digests_that_wait_say_why() {
        let waiting = Undelivered {
            site: "a.test".to_owned(),
            letters: 2,
            attempts: 3,
            next_at: Timestamp::UNIX_EPOCH,
            problem: Some("mail.a.test:587 was not reached".to_owned()),
        };
        let text = told(|out| {
            undelivered(out, std::slice::from_ref(&waiting)).expect("memory takes all");
        });
        assert!(text.starts_with("digests  2 digests of a.test not delivered: tried 3 times"));
        assert!(text.ends_with("\n         mail.a.test:587 was not reached\n"), "{text}");
    }
}
