//! How people are told of what has changed.

use rummage_core::findings::waiver::Waivers;
use rummage_core::schedule::notifications::APART;

/// How people are told, and of what not.
#[derive(Debug, Clone)]
pub struct NotifySettings {
    /// What is set aside.
    pub waivers: Waivers,
    /// How far two checks must lie apart before what may pass is told, in seconds.
    pub apart: i64,
    /// The ways in which digests are delivered; where there are none, none is made.
    pub channels: Vec<Channel>,
}

impl Default for NotifySettings {
    fn default() -> NotifySettings {
        NotifySettings { waivers: Waivers::default(), apart: APART, channels: Vec::new() }
    }
}

/// A way to deliver a digest.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Channel {
    /// By mail.
    Mail,
    /// To a command, on its standard input.
    Command,
}

impl Channel {
    /// The word for it in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Channel::Mail => "mail",
            Channel::Command => "command",
        }
    }

    pub(crate) fn named(name: &str) -> Option<Channel> {
        [Channel::Mail, Channel::Command].into_iter().find(|channel| channel.as_str() == name)
    }
}
