//! Requests in the order in which they ended, and which URLs are simply sound.

use rummage_core::evidence::{Method, Purpose};
use rummage_core::url::scope::Scope;

use super::{Packer, Unpacker};

/// One request, or a later result for a URL.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Entry {
    pub(crate) url: u32,
    /// The request, if this is one.
    pub(crate) request: Option<Requested>,
    /// The URL is simply sound, with this scope.
    pub(crate) sound: Option<Scope>,
}

/// A request that has ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Requested {
    pub(crate) at_us: u64,
    pub(crate) took_us: u64,
    pub(crate) method: Method,
    pub(crate) outcome: u32,
    pub(crate) strained: bool,
    pub(crate) hop: Option<String>,
    /// An earlier run made it; this one reused its result.
    pub(crate) recalled: bool,
    /// Why it was made.
    pub(crate) purpose: Purpose,
}

const REQUEST: u8 = 1;
const HEAD: u8 = 2;
const STRAINED: u8 = 4;
const HOP: u8 = 8;
const SOUND: u8 = 16;
const EXTERNAL: u8 = 32;
const RECALLED: u8 = 64;
/// A side request: its purpose follows, as a number.
const SIDE: u8 = 128;

pub(crate) fn pack(entries: &[Entry]) -> Vec<u8> {
    let mut out = Packer(Vec::with_capacity(entries.len() * 10));
    let (mut url, mut at, mut outcome) = (0i64, 0i64, 0i64);
    for entry in entries {
        out.0.push(flags(entry));
        out.difference(i64::from(entry.url) - url);
        url = i64::from(entry.url);
        let Some(request) = &entry.request else { continue };
        let now = i64::try_from(request.at_us).unwrap_or(i64::MAX / 4);
        out.difference(now - at);
        out.number(request.took_us);
        out.difference(i64::from(request.outcome) - outcome);
        (at, outcome) = (now, i64::from(request.outcome));
        if let Some(hop) = &request.hop {
            out.text(hop);
        }
        if request.purpose.is_side() {
            out.number(number_of(request.purpose));
        }
    }
    out.0
}

fn number_of(purpose: Purpose) -> u64 {
    Purpose::ALL.iter().take_while(|other| **other != purpose).count() as u64
}

fn flags(entry: &Entry) -> u8 {
    let sound = match entry.sound {
        None => 0,
        Some(Scope::Internal) => SOUND,
        Some(Scope::External) => SOUND | EXTERNAL,
    };
    let of = |holds: bool, bit: u8| if holds { bit } else { 0 };
    let request = entry.request.as_ref().map_or(0, |request| {
        REQUEST
            | of(request.method == Method::Head, HEAD)
            | of(request.strained, STRAINED)
            | of(request.hop.is_some(), HOP)
            | of(request.recalled, RECALLED)
            | of(request.purpose.is_side(), SIDE)
    });
    sound | request
}

/// Unpacks entries; damaged data ends the list.
pub(crate) fn unpack(bytes: &[u8]) -> impl Iterator<Item = Entry> {
    let mut bytes = Unpacker(bytes);
    let (mut url, mut at, mut outcome) = (0i64, 0i64, 0i64);
    std::iter::from_fn(move || {
        let flags = bytes.byte()?;
        url = url.checked_add(bytes.difference()?)?;
        let request = if flags & REQUEST == 0 {
            None
        } else {
            at = at.checked_add(bytes.difference()?)?;
            let took_us = bytes.number()?;
            outcome = outcome.checked_add(bytes.difference()?)?;
            let hop = if flags & HOP == 0 { None } else { Some(bytes.text()?.to_owned()) };
            let purpose = if flags & SIDE == 0 {
                Purpose::Verdict
            } else {
                *Purpose::ALL.get(usize::try_from(bytes.number()?).ok()?)?
            };
            Some(Requested {
                at_us: u64::try_from(at).ok()?,
                took_us,
                method: if flags & HEAD == 0 { Method::Get } else { Method::Head },
                outcome: u32::try_from(outcome).ok()?,
                strained: flags & STRAINED != 0,
                hop,
                recalled: flags & RECALLED != 0,
                purpose,
            })
        };
        let side = if flags & EXTERNAL == 0 { Scope::Internal } else { Scope::External };
        let sound = (flags & SOUND != 0).then_some(side);
        Some(Entry { url: u32::try_from(url).ok()?, request, sound })
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn entry() -> impl Strategy<Value = Entry> {
        let request = (0..u64::MAX >> 4, any::<u64>(), any::<[bool; 3]>(), any::<u32>(), {
            (prop::option::of("[a-z:/.]{0,20}"), prop::sample::select(Purpose::ALL.as_slice()))
        });
        let request = request.prop_map(
            |(at_us, took_us, [head, strained, recalled], outcome, (hop, purpose))| {
                let method = if head { Method::Head } else { Method::Get };
                Requested { at_us, took_us, method, outcome, strained, hop, recalled, purpose }
            },
        );
        let sound = prop::option::of(prop_oneof![Just(Scope::Internal), Just(Scope::External)]);
        (any::<u32>(), prop::option::of(request), sound).prop_map(|(url, request, sound)| Entry {
            url,
            request,
            sound,
        })
    }

    proptest! {
        #[test]
        fn packing_round_trips(entries in prop::collection::vec(entry(), 0..20)) {
            prop_assert_eq!(unpack(&pack(&entries)).collect::<Vec<_>>(), entries);
        }

        #[test]
        fn damaged_bytes_end_the_list(bytes in prop::collection::vec(any::<u8>(), 0..60)) {
            prop_assert!(unpack(&bytes).count() <= bytes.len());
        }
    }
}
