//! Moments as people write them: a date, a word, or a span of time from now.

use std::fmt;
use std::time::Duration;

use jiff::civil::{Date, DateTime};
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp, ToSpan as _};

use crate::values::{Time, time};

/// A moment: `2026-12-24`, `2026-12-24T06:00`, `today`, `tomorrow`, `30d`, `4w`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum When {
    At(Timestamp),
    Day(Date),
    /// So many days from today.
    InDays(i64),
    /// So much time from now.
    In(Duration),
}

const HELP: &str =
    "give a date such as 2026-12-24, today or tomorrow, or a span such as 12h, 90d or 4w";

pub(crate) fn when(text: &str) -> Result<When, String> {
    match text {
        "today" => return Ok(When::InDays(0)),
        "tomorrow" => return Ok(When::InDays(1)),
        _ => {}
    }
    if let Ok(Time(span)) = time(text) {
        let days = span.as_secs() / 86_400;
        let is_whole = text.ends_with(['d', 'w']);
        return Ok(if is_whole { When::InDays(days.cast_signed()) } else { When::In(span) });
    }
    if let Ok(at) = text.parse::<Timestamp>() {
        return Ok(When::At(at));
    }
    // A date would be parsed from a time as well.
    if let Ok(day) = text.parse::<Date>()
        && !text.contains('T')
    {
        return Ok(When::Day(day));
    }
    let local = text.parse::<DateTime>().map_err(|_| HELP.to_owned())?;
    let zoned = local.to_zoned(TimeZone::system()).map_err(|error| error.to_string())?;
    Ok(When::At(zoned.timestamp()))
}

/// From when on: a run, or a moment.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Since {
    Run(i64),
    Moment(When),
}

impl fmt::Display for Since {
    /// As [`since`] takes it.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Since::Run(run) => write!(f, "{run}"),
            Since::Moment(When::At(at)) => write!(f, "{at}"),
            Since::Moment(When::Day(day)) => write!(f, "{day}"),
            Since::Moment(When::InDays(0)) => write!(f, "today"),
            Since::Moment(When::InDays(days)) if *days > 0 => write!(f, "tomorrow"),
            Since::Moment(When::InDays(days)) => write!(f, "{}d", -days),
            Since::Moment(When::In(span)) => write!(f, "{}s", span.as_secs()),
        }
    }
}

/// A run number, or a moment; a span counts back from now.
pub(crate) fn since(text: &str) -> Result<Since, String> {
    if let Ok(run) = text.parse::<i64>()
        && run > 0
    {
        return Ok(Since::Run(run));
    }
    let help = "give the number of a run, a date such as 2026-12-24, or a span such as 30d";
    let moment = when(text).map_err(|_| help.to_owned())?;
    Ok(Since::Moment(match moment {
        When::InDays(days) if text != "tomorrow" => When::InDays(-days),
        other => other,
    }))
}

impl When {
    /// The same span in the past.
    pub(crate) fn ago(self, now: Timestamp) -> Timestamp {
        match self {
            When::In(span) => {
                let span = SignedDuration::try_from(span).unwrap_or(SignedDuration::MAX);
                now.checked_sub(span).unwrap_or(Timestamp::MIN)
            }
            other => other.moment(now),
        }
    }

    /// The day, in the local time zone.
    pub(crate) fn day(self, now: Timestamp) -> Date {
        match self {
            When::Day(day) => day,
            other => other.moment(now).to_zoned(TimeZone::system()).date(),
        }
    }

    /// The moment: of a day, its start in the local time zone.
    pub(crate) fn moment(self, now: Timestamp) -> Timestamp {
        let zone = TimeZone::system();
        let start = |day: Date| day.to_zoned(zone.clone()).map_or(now, |day| day.timestamp());
        match self {
            When::At(at) => at,
            When::Day(day) => start(day),
            When::InDays(days) => {
                let today = now.to_zoned(zone.clone());
                today.saturating_add(days.days()).timestamp()
            }
            When::In(span) => {
                let span = SignedDuration::try_from(span).unwrap_or(SignedDuration::MAX);
                now.checked_add(span).unwrap_or(Timestamp::MAX)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moments_are_dates_words_and_spans() {
        let day = jiff::civil::date(2026, 12, 24);
        for (text, expected) in [
            ("2026-12-24", When::Day(day)),
            ("today", When::InDays(0)),
            ("tomorrow", When::InDays(1)),
            ("90d", When::InDays(90)),
            ("4w", When::InDays(28)),
            ("12h", When::In(Duration::from_secs(43_200))),
        ] {
            assert_eq!(when(text), Ok(expected), "{text}");
        }
        assert!(matches!(when("2026-12-24T06:00"), Ok(When::At(_))));
        assert!(matches!(when("2026-12-24T06:00Z"), Ok(When::At(_))));
        for text in ["", "soon", "4", "-1d", "2026-13-01", "0d"] {
            assert_eq!(when(text), Err(HELP.to_owned()), "{text}");
        }
    }

    #[test]
    fn since_is_a_run_or_a_moment_in_the_past() {
        assert_eq!(since("7"), Ok(Since::Run(7)));
        assert_eq!(since("30d"), Ok(Since::Moment(When::InDays(-30))));
        for text in ["0", "-3", "later", ""] {
            assert!(since(text).is_err(), "{text}");
        }
        let now = Timestamp::UNIX_EPOCH;
        let hours = |hours| SignedDuration::from_hours(hours);
        assert_eq!(When::InDays(-2).ago(now), now - hours(48));
        assert_eq!(When::In(Duration::from_secs(7200)).ago(now), now - hours(2));
    }

    #[test]
    fn spans_count_from_now() {
        let now = Timestamp::UNIX_EPOCH;
        let hours = |hours| SignedDuration::from_hours(hours);
        assert_eq!(When::InDays(28).moment(now), now + hours(28 * 24));
        assert_eq!(When::In(Duration::from_secs(7200)).moment(now), now + hours(2));
        let today = now.to_zoned(TimeZone::system()).date();
        assert_eq!(When::InDays(1).day(now), today.saturating_add(1.day()));
        assert_eq!(When::Day(today).day(now), today);
    }
}
