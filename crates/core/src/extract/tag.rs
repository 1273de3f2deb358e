//! The current tag: name and attributes, in buffers that are reused for the next tag.

use std::ops::Range;

#[derive(Debug, Default)]
pub(super) struct Tag {
    pub(super) is_end: bool,
    pub(super) self_closing: bool,
    /// The offset of its `<`.
    pub(super) start: usize,
    /// In lower case.
    pub(super) name: Vec<u8>,
    /// Names and values of the attributes, one after the other.
    buffer: Vec<u8>,
    attributes: Vec<Span>,
    /// The first letters of the attributes' names: most look-ups are for attributes that a tag
    /// does not have.
    initials: u32,
}

#[derive(Debug, Default)]
struct Span {
    start: usize,
    value: Option<usize>,
    end: usize,
}

impl Tag {
    pub(super) fn clear(&mut self, is_end: bool) {
        self.is_end = is_end;
        self.self_closing = false;
        self.name.clear();
        self.buffer.clear();
        self.attributes.clear();
        self.initials = 0;
    }

    pub(super) fn begin_attribute(&mut self) {
        let start = self.buffer.len();
        self.attributes.push(Span { start, value: None, end: start });
    }

    pub(super) fn begin_value(&mut self) {
        let end = self.buffer.len();
        if let Some(last) = self.attributes.last_mut() {
            last.value.get_or_insert(end);
        }
    }

    pub(super) fn push_name(&mut self, bytes: &[u8]) {
        if let (Some(last), Some(&first)) = (self.attributes.last(), bytes.first())
            && last.start == last.end
        {
            self.initials |= 1 << (first & 31);
        }
        self.push(bytes);
    }

    pub(super) fn push(&mut self, bytes: &[u8]) {
        self.buffer.extend_from_slice(bytes);
        if let Some(last) = self.attributes.last_mut() {
            last.end = self.buffer.len();
        }
    }

    /// Whether it has any attribute.
    pub(super) fn is_bare(&self) -> bool {
        self.attributes.is_empty()
    }

    /// The value of an attribute; the first counts if there are several.
    pub(super) fn value(&self, name: &str) -> Option<&str> {
        let bytes = &self.buffer[self.range(name)?];
        // The input is UTF-8, and so are decoded entities; only a cut can split a character.
        std::str::from_utf8(bytes).ok()
    }

    /// Whether a script acts on the element, by its attributes (HTML, "Event handlers"; WAI-ARIA,
    /// `aria-controls`): menus, tabs and the like, not links.
    pub(super) fn is_scripted(&self) -> bool {
        let role = self.value("role").map(str::trim).unwrap_or_default();
        ["button", "tab"].iter().any(|acts| role.eq_ignore_ascii_case(acts))
            || self.value("aria-controls").is_some()
            || self.value("onclick").is_some()
            || self.attributes.iter().any(|span| {
                let name = &self.buffer[span.start..span.value.unwrap_or(span.end)];
                name.starts_with(b"data-") && name.ends_with(b"toggle")
            })
    }

    fn range(&self, name: &str) -> Option<Range<usize>> {
        if self.initials >> (name.as_bytes()[0] & 31) & 1 == 0 {
            return None;
        }
        self.attributes.iter().find_map(|span| {
            let value = span.value.unwrap_or(span.end);
            let same = &self.buffer[span.start..value] == name.as_bytes();
            same.then_some(value..span.end)
        })
    }
}
