//! The current tag: name and attributes, in buffers that are reused for the next tag.

use std::ops::Range;

use super::names::Name;
use super::plain_tag::PlainTag;

#[derive(Debug, Default)]
pub(super) struct Tag {
    pub(super) is_end: bool,
    pub(super) self_closing: bool,
    /// The offset of its `<`.
    pub(super) start: usize,
    /// The offset after its `>`.
    pub(super) end: usize,
    /// Its name in lower case, then names and values of the attributes.
    buffer: Vec<u8>,
    /// The length of the name.
    name: usize,
    /// What the name stands for.
    element: Name,
    /// Values in which references were replaced.
    decoded: Vec<u8>,
    attributes: Vec<Span>,
    /// The first letters of the attributes' names: most look-ups are for attributes that a tag
    /// does not have.
    initials: u32,
}

/// Where an attribute is.
#[derive(Debug, Default)]
struct Span {
    /// In the buffer.
    name: Range<usize>,
    /// In the buffer, or among the decoded values.
    value: Range<usize>,
    is_decoded: bool,
}

/// To build a tag piece by piece.
impl Tag {
    pub(super) fn clear(&mut self, is_end: bool) {
        self.is_end = is_end;
        self.self_closing = false;
        self.name = 0;
        self.buffer.clear();
        self.decoded.clear();
        self.attributes.clear();
        self.initials = 0;
    }

    pub(super) fn push_tag_name(&mut self, bytes: &[u8]) {
        self.buffer.extend_from_slice(bytes);
        self.name = self.buffer.len();
        self.element = Name::of(&self.buffer);
    }

    pub(super) fn begin_attribute(&mut self) {
        let here = self.buffer.len()..self.buffer.len();
        self.attributes.push(Span { name: here.clone(), value: here, is_decoded: false });
    }

    pub(super) fn push_name(&mut self, bytes: &[u8]) {
        self.buffer.extend_from_slice(bytes);
        let end = self.buffer.len();
        if let Some(last) = self.attributes.last_mut() {
            last.name.end = end;
            last.value = end..end;
            self.initials |= initial(&self.buffer[last.name.clone()]);
        }
    }

    pub(super) fn push_value(&mut self, bytes: &[u8]) {
        self.buffer.extend_from_slice(bytes);
        if let Some(last) = self.attributes.last_mut() {
            last.value.end = self.buffer.len();
        }
    }
}

/// To build a tag from its source: first its attributes, then `finish`.
impl Tag {
    /// Adds an attribute with its places in the source.
    pub(super) fn add(&mut self, name: Range<usize>, value: Range<usize>) {
        self.attributes.push(Span { name, value, is_decoded: false });
    }

    /// Empties the last value: what is pushed takes the place of what the source has.
    pub(super) fn restart_value(&mut self) {
        let end = self.decoded.len();
        if let Some(last) = self.attributes.last_mut() {
            last.value = end..end;
            last.is_decoded = true;
        }
    }

    pub(super) fn push_decoded(&mut self, bytes: &[u8]) {
        self.decoded.extend_from_slice(bytes);
        if let Some(last) = self.attributes.last_mut() {
            last.value.end = self.decoded.len();
        }
    }

    /// Takes the source, which starts with a name of this length. Names may have capitals only if
    /// `has_upper`.
    pub(super) fn finish(&mut self, source: &[u8], name: usize, has_upper: bool) {
        self.buffer.extend_from_slice(source);
        self.name = name;
        if has_upper {
            let names = self.attributes.iter().map(|span| span.name.clone());
            names
                .chain(std::iter::once(0..name))
                .for_each(|name| self.buffer[name].make_ascii_lowercase());
        }
        self.element = Name::of(&self.buffer[..name]);
        for span in &self.attributes {
            self.initials |= initial(&self.buffer[span.name.clone()]);
        }
    }
}

impl Tag {
    /// Makes it this one. Its name is not known, only what that stands for.
    pub(super) fn set_plain(&mut self, plain: PlainTag) {
        self.clear(plain.is_end);
        self.element = plain.name;
    }

    /// What its name stands for.
    pub(super) fn element(&self) -> Name {
        self.element
    }

    /// In lower case.
    pub(super) fn name(&self) -> &[u8] {
        &self.buffer[..self.name]
    }

    /// Whether it has any attribute.
    pub(super) fn is_bare(&self) -> bool {
        self.attributes.is_empty()
    }

    /// The value of an attribute; the first counts if there are several.
    #[inline(always)]
    pub(super) fn value(&self, name: &str) -> Option<&str> {
        if self.initials & initial(name.as_bytes()) == 0 { None } else { self.find(name) }
    }

    fn find(&self, name: &str) -> Option<&str> {
        let named = |span: &&Span| &self.buffer[span.name.clone()] == name.as_bytes();
        let span = self.attributes.iter().find(named)?;
        let bytes = if span.is_decoded { &self.decoded } else { &self.buffer };
        // The input is UTF-8, and so are decoded entities; only a cut can split a character.
        std::str::from_utf8(&bytes[span.value.clone()]).ok()
    }

    /// Whether a script acts on the element, by its attributes (HTML, "Event handlers"; WAI-ARIA,
    /// `aria-controls`): menus, tabs and the like, not links.
    pub(super) fn is_scripted(&self) -> bool {
        let role = self.value("role").map(str::trim).unwrap_or_default();
        ["button", "tab"].iter().any(|acts| role.eq_ignore_ascii_case(acts))
            || self.value("aria-controls").is_some()
            || self.value("onclick").is_some()
            || self.initials & initial(b"data-") != 0
                && self.attributes.iter().any(|span| {
                    let name = &self.buffer[span.name.clone()];
                    name.starts_with(b"data-") && name.ends_with(b"toggle")
                })
    }
}

/// A bit for the first letter of a name.
#[inline]
fn initial(name: &[u8]) -> u32 {
    name.first().map_or(0, |first| 1 << (first & 31))
}
