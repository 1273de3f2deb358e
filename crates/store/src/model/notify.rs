//! Who is notified of changes.

use rummage_core::findings::waiver::Waivers;
use rummage_core::schedule::notifications::APART;

/// Which changes are reported, and how.
#[derive(Debug, Clone)]
pub struct NotifySettings {
    /// The waivers.
    pub waivers: Waivers,
    /// The minimum time between two checks before a temporary failure is reported, in seconds.
    pub apart: i64,
    /// The channels by which digests are delivered; if there are none, no digests are written.
    pub channels: Vec<Channel>,
}

impl Default for NotifySettings {
    fn default() -> NotifySettings {
        NotifySettings { waivers: Waivers::default(), apart: APART, channels: Vec::new() }
    }
}

/// A channel for digests.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Channel {
    /// Email.
    Mail,
    /// A command that reads standard input.
    Command,
}

impl Channel {
    /// Its name in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Channel::Mail => "mail",
            Channel::Command => "command",
        }
    }

    /// The channel with this name.
    #[must_use]
    pub fn named(name: &str) -> Option<Channel> {
        [Channel::Mail, Channel::Command].into_iter().find(|channel| channel.as_str() == name)
    }
}
