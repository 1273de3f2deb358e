//! Link contents that first appeared on one page: their targets, and the links themselves.

use rummage_core::extract::reading::Region;

use super::{Packer, Unpacker};

/// The contents of a link; packed, element and attribute are numbers of words.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct LinkContent<'a, Word = u32> {
    pub(crate) element: Word,
    pub(crate) attribute: Word,
    pub(crate) region: Option<Region>,
    pub(crate) ancestor_hash: u32,
    /// A script acts on the element.
    pub(crate) scripted: bool,
    pub(crate) written: Written<'a>,
    pub(crate) fragment: Option<&'a str>,
    pub(crate) text: Option<&'a str>,
    pub(crate) rel: Option<&'a str>,
    pub(crate) title: Option<&'a str>,
}

/// How a reference is written. Most are the whole target, or its path, which need not be stored
/// twice.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Written<'a> {
    /// Exactly the URL of the target.
    Whole,
    /// Path and query of the URL of the target.
    Path,
    /// Any other text.
    Other(&'a str),
}

impl<'a> Written<'a> {
    /// The source text, for a target with this URL.
    pub(crate) fn text(self, target: &'a str) -> &'a str {
        match self {
            Written::Whole => target,
            Written::Path => {
                let scheme = target.find(':').filter(|at| target[*at..].starts_with("://"));
                let host = scheme.map_or(0, |at| at + 3);
                let path = target[host..].find('/').map_or(target.len(), |at| host + at);
                &target[path..]
            }
            Written::Other(text) => text,
        }
    }
}

const REGIONS: [Option<Region>; 6] = [
    None,
    Some(Region::Header),
    Some(Region::Nav),
    Some(Region::Main),
    Some(Region::Aside),
    Some(Region::Footer),
];
const SCRIPTED: u8 = 8;
/// Flags for the optional texts: fragment, text, rel, title.
const TEXTS: [u8; 4] = [16, 32, 64, 128];

/// Link contents, as they are collected from a page.
#[derive(Debug, Default)]
pub(crate) struct PackedLinks {
    pub(crate) count: u32,
    targets: Packer,
    last_target: i64,
    prints: Vec<u8>,
    says: Packer,
}

impl PackedLinks {
    pub(crate) fn add(&mut self, target: u32, print: u64, said: LinkContent<'_>) {
        self.count += 1;
        self.targets.difference(i64::from(target) - self.last_target);
        self.last_target = i64::from(target);
        self.prints.extend_from_slice(&print.to_le_bytes());
        let texts = [said.fragment, said.text, said.rel, said.title];
        let region = REGIONS.iter().position(|region| *region == said.region).unwrap_or_default();
        let mut flags = region as u8 | if said.scripted { SCRIPTED } else { 0 };
        for (text, bit) in texts.iter().zip(TEXTS) {
            flags |= if text.is_some() { bit } else { 0 };
        }
        self.says.0.push(flags);
        self.says.number(u64::from(said.element));
        self.says.number(u64::from(said.attribute));
        self.says.0.extend_from_slice(&said.ancestor_hash.to_le_bytes());
        match said.written {
            Written::Whole => self.says.number(0),
            Written::Path => self.says.number(1),
            Written::Other(text) => {
                self.says.number(text.len() as u64 + 2);
                self.says.0.extend_from_slice(text.as_bytes());
            }
        }
        for text in texts.into_iter().flatten() {
            self.says.text(text);
        }
    }

    /// Targets, fingerprints and texts.
    pub(crate) fn blobs(&self) -> (&[u8], &[u8], &[u8]) {
        (&self.targets.0, &self.prints, &self.says.0)
    }
}

/// The targets of the link contents of a row.
pub(crate) fn targets(bytes: &[u8]) -> impl Iterator<Item = u32> {
    let mut bytes = Unpacker(bytes);
    let mut target = 0i64;
    std::iter::from_fn(move || {
        target = target.checked_add(bytes.difference()?)?;
        u32::try_from(target).ok()
    })
}

/// The fingerprints of the link contents of a row.
pub(crate) fn prints(bytes: &[u8]) -> impl Iterator<Item = u64> {
    bytes.chunks_exact(8).map(|print| u64::from_le_bytes(print.try_into().expect("eight bytes")))
}

/// Unpacks the contents of one link; `None` if they are damaged.
pub(crate) fn unpack_content(bytes: &[u8]) -> Option<LinkContent<'_>> {
    let mut bytes = Unpacker(bytes);
    let flags = bytes.byte()?;
    let element = u32::try_from(bytes.number()?).ok()?;
    let attribute = u32::try_from(bytes.number()?).ok()?;
    let ancestor_hash = u32::from_le_bytes(bytes.bytes(4)?.try_into().ok()?);
    let written = match bytes.number()? {
        0 => Written::Whole,
        1 => Written::Path,
        length => {
            let text = bytes.bytes(usize::try_from(length - 2).ok()?)?;
            Written::Other(std::str::from_utf8(text).ok()?)
        }
    };
    let mut texts = [None; 4];
    for (text, bit) in texts.iter_mut().zip(TEXTS) {
        if flags & bit != 0 {
            *text = Some(bytes.text()?);
        }
    }
    let [fragment, text, rel, title] = texts;
    let region = *REGIONS.get(usize::from(flags & 7))?;
    let scripted = flags & SCRIPTED != 0;
    Some(LinkContent {
        element,
        attribute,
        region,
        ancestor_hash,
        scripted,
        written,
        fragment,
        text,
        rel,
        title,
    })
}

/// Where each link's contents begin in a row.
pub(crate) fn starts(bytes: &[u8]) -> Vec<u32> {
    let mut starts = Vec::new();
    let mut rest = Unpacker(bytes);
    loop {
        let start = bytes.len() - rest.0.len();
        if rest.0.is_empty() || skip(&mut rest).is_none() {
            return starts;
        }
        starts.push(u32::try_from(start).unwrap_or(u32::MAX));
    }
}

fn skip(bytes: &mut Unpacker<'_>) -> Option<()> {
    let flags = bytes.byte()?;
    bytes.number()?;
    bytes.number()?;
    bytes.bytes(4)?;
    let written = bytes.number()?.saturating_sub(2);
    bytes.bytes(usize::try_from(written).ok()?)?;
    for _ in TEXTS.iter().filter(|bit| flags & **bit != 0) {
        let text = bytes.number()?;
        bytes.bytes(usize::try_from(text).ok()?)?;
    }
    Some(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_reference_equal_to_the_target_is_not_stored_twice() {
        let target = "https://a.test:8443/x?y";
        assert_eq!(Written::Whole.text(target), target);
        assert_eq!(Written::Path.text(target), "/x?y");
        assert_eq!(Written::Other("x?y").text(target), "x?y");
    }

    proptest! {
        #[test]
        fn packing_round_trips(
            links in prop::collection::vec(
                (any::<u32>(), any::<u64>(), any::<u32>(), 0..6usize, any::<bool>(), ".{0,9}",
                 prop::array::uniform4(prop::option::of(".{0,9}"))),
                0..20,
            ),
        ) {
            let mut contents = PackedLinks::default();
            let said: Vec<LinkContent<'_>> = links
                .iter()
                .map(|(_, _, number, region, scripted, written, texts)| LinkContent {
                    element: number % 97,
                    attribute: number % 1009,
                    region: REGIONS[*region],
                    ancestor_hash: *number,
                    scripted: *scripted,
                    written: Written::Other(written),
                    fragment: texts[0].as_deref(),
                    text: texts[1].as_deref(),
                    rel: texts[2].as_deref(),
                    title: texts[3].as_deref(),
                })
                .collect();
            for (link, said) in links.iter().zip(&said) {
                contents.add(link.0, link.1, *said);
            }
            let (packed_targets, packed_prints, packed_says) = contents.blobs();
            prop_assert!(targets(packed_targets).eq(links.iter().map(|link| link.0)));
            prop_assert!(prints(packed_prints).eq(links.iter().map(|link| link.1)));
            let unpacked: Vec<LinkContent<'_>> = starts(packed_says)
                .into_iter()
                .filter_map(|start| super::unpack_content(&packed_says[start as usize..]))
                .collect();
            prop_assert_eq!(unpacked, said);
        }

        #[test]
        fn damaged_bytes_end_the_list(bytes in prop::collection::vec(any::<u8>(), 0..60)) {
            prop_assert!(starts(&bytes).len() <= bytes.len());
            let _ = unpack_content(&bytes);
            prop_assert!(targets(&bytes).count() <= bytes.len());
        }
    }
}
