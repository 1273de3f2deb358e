//! The patrol and the unsent digests: lines below the sites.

use std::io::Write;

use rummage_store::{PatrolStatus, Undelivered};

use crate::ViewError;
use crate::number::{count, counted};
use crate::safe::{safe, shorten};
use crate::style::STRONG;
use crate::when::when;

/// Problems are cut to this many characters.
const PROBLEM: usize = 300;

/// Writes what a patrol is doing, or did before it ended.
///
/// # Errors
/// See [`ViewError`].
pub fn patrol(out: &mut dyn Write, status: &PatrolStatus, is_up: bool) -> Result<(), ViewError> {
    let does = match (is_up, status.ended_at) {
        (true, _) => {
            format!(
                "running since {}, process {}{}",
                when(status.since),
                status.process,
                doing(status)
            )
        }
        (false, Some(at)) => format!("not running; stopped {}", when(at)),
        (false, None) => {
            format!("not running; the last one, started {}, was killed", when(status.since))
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

/// Writes which digests have not been sent, of which sites, and why.
///
/// # Errors
/// See [`ViewError`].
pub fn undelivered(out: &mut dyn Write, waiting: &[Undelivered]) -> Result<(), ViewError> {
    for Undelivered { site, emails, attempts, next_at, problem } in waiting {
        let many = counted(*emails, "digest of", "digests of");
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

    fn drawn(write: impl Fn(&mut Vec<u8>)) -> String {
        let mut out = Vec::new();
        write(&mut out);
        let text = String::from_utf8(out).expect("it is text");
        text.replace(&format!("{STRONG}"), "").replace(&format!("{STRONG:#}"), "")
    }

    #[test]
    fn a_patrol_is_running_or_stopped_or_was_killed() {
        let at = when(Timestamp::UNIX_EPOCH);
        let up = PatrolStatus {
            process: 7,
            since: Timestamp::UNIX_EPOCH,
            site: Some("museum".to_owned()),
            task: Some("recheck".to_owned()),
            next_at: None,
            problem: Some("museum could not be checked\u{1b}".to_owned()),
            ended_at: None,
        };
        let text = |status: &PatrolStatus, is_up| {
            drawn(|out| patrol(out, status, is_up).expect("memory accepts all writes"))
        };
        assert_eq!(
            text(&up, true),
            format!(
                "patrol   running since {at}, process 7; recheck of museum: now\n         museum could \
                 not be checked\\u{{1b}}\n"
            )
        );
        assert!(text(&up, false).contains("was killed"));
        let ended = PatrolStatus { ended_at: Some(Timestamp::UNIX_EPOCH), problem: None, ..up };
        assert_eq!(text(&ended, false), format!("patrol   not running; stopped {at}\n"));
    }

    #[test]
    fn unsent_digests_show_the_problem() {
        let waiting = Undelivered {
            site: "a.test".to_owned(),
            emails: 2,
            attempts: 3,
            next_at: Timestamp::UNIX_EPOCH,
            problem: Some("cannot reach mail.a.test:587".to_owned()),
        };
        let text = drawn(|out| {
            undelivered(out, std::slice::from_ref(&waiting)).expect("memory accepts all writes");
        });
        assert!(text.starts_with("digests  2 digests of a.test not delivered: tried 3 times"));
        assert!(text.ends_with("\n         cannot reach mail.a.test:587\n"), "{text}");
    }
}
