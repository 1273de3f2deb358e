//! The keys for how often URLs are rechecked.

use std::time::Duration;

use rummage_core::Seconds;
use rummage_core::schedule::policy::RecheckPolicy;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::values::Time;

/// How often URLs are rechecked; keys that are not set keep the default of the core.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(default, rename_all = "kebab-case")]
pub(crate) struct Due {
    /// How long after a check a working external URL is rechecked, at first
    #[schemars(with = "Option<String>")]
    pub(crate) due_sound: Option<Time>,
    /// How long after its first check an external URL is rechecked
    #[schemars(with = "Option<String>")]
    pub(crate) due_new: Option<Time>,
    /// How long after a check a temporary failure is rechecked: the first, second and third time,
    /// and from then on
    #[schemars(with = "Vec<String>")]
    pub(crate) due_passing: Vec<Time>,
    /// How long after a check a broken URL is rechecked
    #[schemars(with = "Option<String>")]
    pub(crate) due_broken: Option<Time>,
    /// How long a URL must have been broken before it is rechecked less often
    #[schemars(with = "Option<String>")]
    pub(crate) due_early: Option<Time>,
    /// How long after a check such a URL is rechecked
    #[schemars(with = "Option<String>")]
    pub(crate) due_later: Option<Time>,
    /// How long after a check a waived URL is rechecked
    #[schemars(with = "Option<String>")]
    pub(crate) due_waived: Option<Time>,
    /// The longest interval between two checks of a working URL
    #[schemars(with = "Option<String>")]
    pub(crate) due_longest: Option<Time>,
    /// How many URLs of an external host are rechecked per hour at most
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

    /// The policy for the core.
    pub(crate) fn policy(&self) -> RecheckPolicy {
        let default = RecheckPolicy::default();
        let or = |time: Option<Time>, default| time.map_or(default, |Time(time)| seconds(time));
        let mut passing = default.passing;
        for (at, gap) in passing.iter_mut().enumerate() {
            // The last interval given also applies to all later ones.
            if let Some(Time(time)) = self.due_passing.get(at).or(self.due_passing.last()) {
                *gap = seconds(*time);
            }
        }
        RecheckPolicy {
            sound: or(self.due_sound, default.sound),
            new: or(self.due_new, default.new),
            passing,
            broken: or(self.due_broken, default.broken),
            early: or(self.due_early, default.early),
            broken_later: or(self.due_later, default.broken_later),
            waived: or(self.due_waived, default.waived),
            longest: or(self.due_longest, default.longest),
            per_host_hour: self.due_per_hour.unwrap_or(default.per_host_hour),
        }
    }
}

fn seconds(time: Duration) -> Seconds {
    Seconds::try_from(time.as_secs().max(1)).unwrap_or(Seconds::MAX)
}

/// The keys, with their defaults and descriptions.
pub(super) const KEYS: &[(&str, Result<&str, &str>, &str)] = &[
    (
        "due-sound",
        Ok("\"7d\""),
        "How long after a check a working external URL is rechecked, at first",
    ),
    ("due-new", Ok("\"1d\""), "How long after its first check an external URL is rechecked"),
    (
        "due-passing",
        Ok("[\"30m\", \"2h\", \"12h\", \"1d\"]"),
        "How long after a check a temporary failure is rechecked: first, second, third time, then always",
    ),
    ("due-broken", Ok("\"1d\""), "How long after a check a broken URL is rechecked"),
    (
        "due-early",
        Ok("\"30d\""),
        "How long a URL must have been broken before it is rechecked less often",
    ),
    ("due-later", Ok("\"7d\""), "How long after a check such a URL is rechecked"),
    ("due-waived", Ok("\"30d\""), "How long after a check a waived URL is rechecked"),
    (
        "due-longest",
        Ok("\"28d\""),
        "The longest interval between two checks of a working URL; it grows by half each time",
    ),
    ("due-per-hour", Ok("60"), "How many URLs of an external host are rechecked per hour at most"),
];

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn documented_defaults_are_those_of_the_core() {
        let text: String = KEYS
            .iter()
            .map(|(name, default, _)| format!("{name} = {}\n", default.unwrap()))
            .collect();
        let due: Due = toml::from_str(&text).unwrap();
        assert_eq!(due.policy(), RecheckPolicy::default());
        assert_eq!(Due::default().policy(), RecheckPolicy::default());
    }

    #[test]
    fn set_keys_override_lower_ones() {
        let site: Due = toml::from_str("due-sound = \"2d\"\ndue-passing = [\"1h\"]").unwrap();
        let below: Due = toml::from_str("due-sound = \"3d\"\ndue-per-hour = 7").unwrap();
        let policy = site.or(below).policy();
        assert_eq!((policy.sound, policy.per_host_hour), (2 * 86_400, 7));
        assert_eq!(policy.passing, [3600; 4]);
    }
}
