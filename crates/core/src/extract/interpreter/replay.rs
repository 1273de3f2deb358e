//! What a part of a page leaves: recorded when it is read, and added again without reading it.

use super::Interpreter;
use crate::extract::reading_builder::{Excerpt, Facts, Mark};
use crate::extract::tree::Tree;

/// The deepest tree in which parts are recorded: that of nearly every page.
const DEEPEST: usize = 64;

/// A part that is being read.
pub(in crate::extract) struct Recording {
    start: State,
    mark: Mark,
    tags: u32,
    within: usize,
}

/// All that what a tag means depends on, if no text is being gathered.
struct State {
    tree: Tree,
    facts: Facts,
    form_gets: bool,
    xml: bool,
}

/// What a part leaves.
pub(in crate::extract) struct Outcome {
    start: State,
    end: Tree,
    form_gets: bool,
    /// Links have numbers of tags from 0 on.
    excerpt: Excerpt,
    tags: u32,
    text: Box<[u8]>,
}

impl Outcome {
    /// How many bytes it takes in memory, about.
    pub(in crate::extract) fn weight(&self) -> usize {
        self.start.tree.weight() + self.end.weight() + self.excerpt.weight() + self.text.len()
    }
}

impl Interpreter {
    /// Whether no text is being gathered here, so that parts may begin and end.
    pub(in crate::extract) fn is_between_texts(&self) -> bool {
        self.anchors.is_empty()
            && self.title.is_none()
            && self.heading.is_none()
            && self.inner.is_none()
            && !self.in_raw_text
            && self.tree.depth() <= DEEPEST
    }

    /// A hash that is rarely the same where other things are open or known.
    pub(in crate::extract) fn state_hash(&self) -> u64 {
        let flags = u64::from(self.form_gets) << 1 | u64::from(self.how.xml);
        self.tree.place_hash() ^ (flags << 16 | u64::from(self.builder.facts().bits()))
    }

    pub(in crate::extract) fn begin_recording(&mut self) -> Recording {
        self.sketcher.begin_recording();
        Recording {
            start: State {
                tree: self.tree.clone(),
                facts: self.builder.facts(),
                form_gets: self.form_gets,
                xml: self.how.xml,
            },
            mark: self.builder.mark(),
            tags: self.tags,
            within: self.within.len(),
        }
    }

    pub(in crate::extract) fn stop_recording(&mut self) {
        self.sketcher.stop_recording();
    }

    /// What the part has left that was recorded; `None` if it has something that belongs to the
    /// whole page, or does not end here.
    pub(in crate::extract) fn recorded(&self, recording: Recording) -> Option<Outcome> {
        let Recording { start, mark, tags, within } = recording;
        let is_part = self.is_between_texts()
            && self.builder.facts() == start.facts
            && self.within.len() == within;
        let mut excerpt = self.builder.since(mark).filter(|_| is_part)?;
        excerpt.number_tags_from(tags);
        Some(Outcome {
            start,
            end: self.tree.clone(),
            form_gets: self.form_gets,
            excerpt,
            tags: self.tags - tags,
            text: self.sketcher.recorded().into(),
        })
    }

    /// Adds what the part leaves that follows, if it is in the same place and there is room.
    pub(in crate::extract) fn replay(&mut self, outcome: &Outcome) -> bool {
        let start = &outcome.start;
        let is_same = start.tree.is_same_place(&self.tree)
            && start.facts == self.builder.facts()
            && (start.form_gets, start.xml) == (self.form_gets, self.how.xml);
        if !is_same || !self.builder.add_excerpt(&outcome.excerpt, self.tags) {
            return false;
        }
        self.tree.go_to(&outcome.end);
        self.form_gets = outcome.form_gets;
        self.tags += outcome.tags;
        self.sketcher.feed_recorded(&outcome.text);
        true
    }
}
