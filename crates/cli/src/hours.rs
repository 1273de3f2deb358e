//! Hours of the day in which no requests are made, in local time, across changes to daylight
//! saving time.

use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan as _};
use serde::{Deserialize, Serialize};

/// From one time of day to another, such as `22:00-06:00`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Hours {
    from: Time,
    to: Time,
}

impl TryFrom<String> for Hours {
    type Error = String;

    fn try_from(text: String) -> Result<Hours, String> {
        let help = "give two times of day, such as 22:00-06:00";
        let (from, to) = text.split_once('-').ok_or(help)?;
        let time = |text: &str| Time::strptime("%H:%M", text.trim()).map_err(|_| help);
        let (from, to) = (time(from)?, time(to)?);
        if from == to {
            return Err(format!("{text} is empty, or the whole day; {help}"));
        }
        Ok(Hours { from, to })
    }
}

impl From<Hours> for String {
    fn from(hours: Hours) -> String {
        format!("{}-{}", hours.from.strftime("%H:%M"), hours.to.strftime("%H:%M"))
    }
}

impl Hours {
    fn holds(self, time: Time) -> bool {
        if self.from < self.to {
            self.from <= time && time < self.to
        } else {
            time >= self.from || time < self.to
        }
    }
}

/// When the current quiet hours end; `None` outside quiet hours.
pub(crate) fn quiet_until(now: Timestamp, quiet: &[Hours], zone: &TimeZone) -> Option<Timestamp> {
    let mut end = None;
    let mut at = now;
    // Quiet hours may begin where others end. Eight steps are enough for any real settings.
    for _ in 0..8 {
        let here = at.to_zoned(zone.clone());
        let Some(hours) = quiet.iter().find(|hours| hours.holds(here.time())) else { break };
        at = coming(at, hours.to, zone)?;
        end = Some(at);
    }
    end
}

/// When the next quiet hours begin.
pub(crate) fn quiet_from(now: Timestamp, quiet: &[Hours], zone: &TimeZone) -> Option<Timestamp> {
    quiet.iter().filter_map(|hours| coming(now, hours.from, zone)).min()
}

/// The next moment at which the clock shows this time. A time that is skipped when clocks go
/// forward comes as much later; a time that is repeated when they go back may come twice.
fn coming(now: Timestamp, time: Time, zone: &TimeZone) -> Option<Timestamp> {
    let today: Date = now.to_zoned(zone.clone()).date();
    (0..3)
        .filter_map(|days| today.checked_add(days.days()).ok())
        .flat_map(|day| {
            let there = zone.to_ambiguous_zoned(day.to_datetime(time));
            [there.clone().earlier(), there.later()]
        })
        .filter_map(|zoned| zoned.ok().map(|zoned| zoned.timestamp()))
        .find(|at| *at > now)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    /// Clocks go forward on 2026-03-29 at 01:00 UTC, and back on 2026-10-25 at 01:00 UTC.
    fn london() -> TimeZone {
        TimeZone::posix("GMT0BST,M3.5.0/1,M10.5.0").unwrap()
    }

    fn hours(text: &str) -> Hours {
        text.to_owned().try_into().unwrap()
    }

    fn until(now: &str, quiet: &[&str]) -> Option<String> {
        let quiet: Vec<Hours> = quiet.iter().map(|text| hours(text)).collect();
        quiet_until(now.parse().unwrap(), &quiet, &london()).map(|at| at.to_string())
    }

    #[test]
    fn quiet_hours_end_today_or_tomorrow() {
        let night = ["22:00-06:00"];
        assert_eq!(until("2026-01-05T12:00:00Z", &night), None);
        assert_eq!(until("2026-01-05T23:00:00Z", &night).unwrap(), "2026-01-06T06:00:00Z");
        assert_eq!(until("2026-01-05T05:59:59Z", &night).unwrap(), "2026-01-05T06:00:00Z");
        assert_eq!(until("2026-01-05T06:00:00Z", &night), None);
        let both = ["08:00-12:00", "12:00-17:30"];
        assert_eq!(until("2026-01-05T09:00:00Z", &both).unwrap(), "2026-01-05T17:30:00Z");
        let all_day = ["00:00-12:00", "12:00-00:00"];
        assert!(until("2026-01-05T09:00:00Z", &all_day).is_some(), "it does not loop forever");
        assert_eq!(until("2026-01-05T09:00:00Z", &[]), None);
    }

    #[test]
    fn quiet_hours_follow_local_time_in_summer() {
        let office = ["08:00-18:00"];
        assert_eq!(until("2026-07-01T07:30:00Z", &office).unwrap(), "2026-07-01T17:00:00Z");
        assert_eq!(until("2026-07-01T06:59:00Z", &office), None);
    }

    #[test]
    fn quiet_hours_end_on_nights_when_clocks_change() {
        // Forward: 01:30 does not exist on that day.
        assert_eq!(
            until("2026-03-29T00:30:00Z", &["00:00-01:30"]).unwrap(),
            "2026-03-29T01:30:00Z"
        );
        // Back: 01:30 comes twice, and both are quiet.
        assert_eq!(
            until("2026-10-25T00:10:00Z", &["01:00-01:30"]).unwrap(),
            "2026-10-25T00:30:00Z"
        );
        assert_eq!(
            until("2026-10-25T01:10:00Z", &["01:00-01:30"]).unwrap(),
            "2026-10-25T01:30:00Z"
        );
    }

    #[test]
    fn the_nearest_quiet_hours_come_next() {
        let quiet = [hours("22:00-06:00"), hours("12:00-13:00")];
        let from = |now: &str| quiet_from(now.parse().unwrap(), &quiet, &london()).unwrap();
        assert_eq!(from("2026-01-05T11:00:00Z").to_string(), "2026-01-05T12:00:00Z");
        assert_eq!(from("2026-01-05T12:00:00Z").to_string(), "2026-01-05T22:00:00Z");
        assert_eq!(quiet_from(Timestamp::UNIX_EPOCH, &[], &london()), None);
    }

    #[test]
    fn invalid_times_are_refused_with_an_example() {
        for text in ["22:00", "late-early", "25:00-06:00", "06:00-06:00"] {
            let error = Hours::try_from(text.to_owned()).unwrap_err();
            assert!(error.contains("such as 22:00-06:00"), "{error}");
        }
        assert_eq!(String::from(hours("22:00-06:00")), "22:00-06:00");
    }

    #[test]
    fn quiet_hours_hold_until_they_end_at_every_quarter_hour_of_a_year() {
        let quiet = [hours("22:00-06:30"), hours("01:30-02:15"), hours("12:00-13:00")];
        let start: Timestamp = "2026-01-01T00:00:00Z".parse().unwrap();
        for quarter in 0..365 * 96 {
            let now = start + jiff::SignedDuration::from_mins(quarter * 15);
            let Some(end) = quiet_until(now, &quiet, &london()) else { continue };
            assert!(end > now, "{now}");
            assert!(end.duration_since(now) <= jiff::SignedDuration::from_hours(10), "{now} {end}");
            assert_eq!(quiet_until(end, &quiet, &london()), None, "{now} {end}");
            let before = end - jiff::SignedDuration::from_secs(1);
            assert!(quiet_until(before, &quiet, &london()).is_some(), "{now} {end}");
        }
    }
}
