//! The keys that say how often what is asked again.

use std::time::Duration;

use rummage_core::Seconds;
use rummage_core::schedule::policy::Rhythm;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::values::Time;

/// How often is asked again; what is not set stays as the core has it.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(default, rename_all = "kebab-case")]
pub(crate) struct Due {
    /// How long a sound address of others is left alone, at first
    #[schemars(with = "Option<String>")]
    pub(crate) due_sound: Option<Time>,
    /// How long one is that was asked only once
    #[schemars(with = "Option<String>")]
    pub(crate) due_new: Option<Time>,
    /// How long what may pass is left alone: the first, second and third time, and ever after
    #[schemars(with = "Vec<String>")]
    pub(crate) due_passing: Vec<Time>,
    /// How long what is broken is left alone
    #[schemars(with = "Option<String>")]
    pub(crate) due_broken: Option<Time>,
    /// How old a broken one is when it is asked less often
    #[schemars(with = "Option<String>")]
    pub(crate) due_early: Option<Time>,
    /// How long it is left alone from then on
    #[schemars(with = "Option<String>")]
    pub(crate) due_later: Option<Time>,
    /// How long what is waived is left alone
    #[schemars(with = "Option<String>")]
    pub(crate) due_waived: Option<Time>,
    /// However steady an address is, it is asked so often
    #[schemars(with = "Option<String>")]
    pub(crate) due_longest: Option<Time>,
    /// How many addresses of a host of others are asked again in an hour, at most
    pub(crate) due_per_hour: Option<usize>,
}

impl Due {
    pub(crate) fn or(self, below: Due) -> Due {
        Due {
            due_sound: self.due_sound.or(below.due_sound),
            due_new: self.due_new.or(below.due_new),
            due_passing: if self.due_passing.is_empty() {
                below.due_passing
            } else {
                self.due_passing
            },
            due_broken: self.due_broken.or(below.due_broken),
            due_early: self.due_early.or(below.due_early),
            due_later: self.due_later.or(below.due_later),
            due_waived: self.due_waived.or(below.due_waived),
            due_longest: self.due_longest.or(below.due_longest),
            due_per_hour: self.due_per_hour.or(below.due_per_hour),
        }
    }

    /// As the core takes it.
    pub(crate) fn rhythm(&self) -> Rhythm {
        let preset = Rhythm::default();
        let or = |time: Option<Time>, preset| time.map_or(preset, |Time(time)| seconds(time));
        let mut passing = preset.passing;
        for (at, gap) in passing.iter_mut().enumerate() {
            // The last that is named holds for all that come after.
            if let Some(Time(time)) = self.due_passing.get(at).or(self.due_passing.last()) {
                *gap = seconds(*time);
            }
        }
        Rhythm {
            sound: or(self.due_sound, preset.sound),
            new: or(self.due_new, preset.new),
            passing,
            broken: or(self.due_broken, preset.broken),
            early: or(self.due_early, preset.early),
            broken_later: or(self.due_later, preset.broken_later),
            waived: or(self.due_waived, preset.waived),
            longest: or(self.due_longest, preset.longest),
            per_host_hour: self.due_per_hour.unwrap_or(preset.per_host_hour),
        }
    }
}

fn seconds(time: Duration) -> Seconds {
    Seconds::try_from(time.as_secs().max(1)).unwrap_or(Seconds::MAX)
}

/// The keys: their presets and what they do.
pub(super) const KEYS: &[(&str, Result<&str, &str>, &str)] = &[
    ("due-sound", Ok("\"7d\""), "How long a sound address of others is left alone, at first"),
    ("due-new", Ok("\"1d\""), "How long one is left alone that was asked only once"),
    (
        "due-passing",
        Ok("[\"30m\", \"2h\", \"12h\", \"1d\"]"),
        "How long what may pass is left alone: the first, second and third time, and ever after",
    ),
    ("due-broken", Ok("\"1d\""), "How long what is broken is left alone"),
    ("due-early", Ok("\"30d\""), "How old what is broken must be to be asked less often"),
    ("due-later", Ok("\"7d\""), "How long what is broken is left alone from then on"),
    ("due-waived", Ok("\"30d\""), "How long what is waived is left alone"),
    (
        "due-longest",
        Ok("\"28d\""),
        "However steady an address is, it is asked so often: each time it waits half as long again",
    ),
    (
        "due-per-hour",
        Ok("60"),
        "How many addresses of a host of others are asked again in an hour, at most",
    ),
];

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn the_presets_that_are_told_are_those_of_the_core() {
        let text: String = KEYS
            .iter()
            .map(|(name, preset, _)| format!("{name} = {}\n", preset.unwrap()))
            .collect();
        let due: Due = toml::from_str(&text).unwrap();
        assert_eq!(due.rhythm(), Rhythm::default());
        assert_eq!(Due::default().rhythm(), Rhythm::default());
    }

    #[test]
    fn what_is_set_lies_over_what_is_below() {
        let site: Due = toml::from_str("due-sound = \"2d\"\ndue-passing = [\"1h\"]").unwrap();
        let below: Due = toml::from_str("due-sound = \"3d\"\ndue-per-hour = 7").unwrap();
        let rhythm = site.or(below).rhythm();
        assert_eq!((rhythm.sound, rhythm.per_host_hour), (2 * 86_400, 7));
        assert_eq!(rhythm.passing, [3600; 4]);
    }
}
