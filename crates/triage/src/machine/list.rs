//! The list: its lines, the current one, what is marked, and the texts in sight.

use std::collections::{BTreeSet, HashMap, HashSet};

use rummage_core::verdict::Verdict;
use rummage_view::{Section, TargetId, TargetLine};

use crate::effect::Index;

/// How many texts are kept; those far from sight go first.
const KEPT: usize = 2000;

/// A line of the list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Line {
    /// The head of a section.
    Section(u32),
    /// A target, by its position, in a section if there are some.
    Target(u32, Option<u32>),
}

/// See the [module](self).
#[derive(Debug, Default)]
pub(crate) struct List {
    pub(crate) generation: u64,
    pub(crate) title: String,
    pub(crate) counts: Vec<(Verdict, u64)>,
    pub(crate) links: u64,
    ids: Vec<TargetId>,
    sections: Vec<Section>,
    /// The titles of sections whose targets are not shown.
    folded: HashSet<String>,
    lines: Vec<Line>,
    cursor: usize,
    /// The first line in sight.
    offset: usize,
    /// How many lines are in sight.
    height: usize,
    marks: BTreeSet<TargetId>,
    rows: HashMap<u32, TargetLine>,
    /// Texts of the list before, shown until those of this one are there.
    earlier: HashMap<TargetId, TargetLine>,
    /// Texts that are on their way.
    wanted: HashSet<u32>,
    /// Positions where the last search found something, sorted.
    matches: Vec<u32>,
}

/// What the current line is, in whatever list it is.
struct Here {
    id: Option<TargetId>,
    section: Option<String>,
    /// How far it is from the top of the screen.
    row: usize,
}

impl List {
    /// Shows another list; the current line stays the same, and where it is on the screen.
    pub(crate) fn replace(&mut self, index: Index) {
        let here = self.here();
        self.generation = index.generation;
        self.title = index.title;
        self.counts = index.counts;
        self.links = index.links;
        self.ids = index.ids;
        self.sections = index.sections.unwrap_or_default();
        self.earlier = self.rows.drain().map(|(_, row)| (row.id, row)).collect();
        self.wanted.clear();
        self.matches.clear();
        let known: HashSet<TargetId> = self.ids.iter().copied().collect();
        self.marks.retain(|id| known.contains(id));
        self.lay_out();
        self.return_to(&here);
    }

    fn here(&self) -> Here {
        let row = self.cursor.saturating_sub(self.offset);
        let title = |section: u32| self.sections[section as usize].title.clone();
        match self.lines.get(self.cursor) {
            Some(Line::Section(section)) => Here { id: None, section: Some(title(*section)), row },
            Some(Line::Target(at, section)) => {
                Here { id: Some(self.id(*at)), section: section.map(title), row }
            }
            None => Here { id: None, section: None, row },
        }
    }

    fn return_to(&mut self, here: &Here) {
        let title = |section: u32| self.sections[section as usize].title.as_str();
        let is_same = |line: &Line| match (line, &here.section) {
            (Line::Section(section), Some(name)) => {
                here.id.is_none() && title(*section) == name.as_str()
            }
            (Line::Target(at, section), name) => {
                here.id == Some(self.id(*at))
                    && (name.is_none() || section.map(title) == name.as_deref())
            }
            (Line::Section(_), None) => false,
        };
        let is_target = |line: &Line| match line {
            Line::Target(at, _) => here.id == Some(self.id(*at)),
            Line::Section(_) => false,
        };
        let found = self.lines.iter().position(is_same);
        let found = found.or_else(|| self.lines.iter().position(is_target));
        if let Some(found) = found {
            self.cursor = found;
            self.offset = found.saturating_sub(here.row);
        }
        self.keep_in_sight();
    }

    /// Makes the lines from sections and what is folded.
    fn lay_out(&mut self) {
        let count = u32::try_from(self.ids.len()).unwrap_or(u32::MAX);
        self.lines = if self.sections.is_empty() {
            (0..count).map(|at| Line::Target(at, None)).collect()
        } else {
            let numbered = (0u32..).zip(&self.sections);
            numbered
                .flat_map(|(number, section)| {
                    let shown = match self.folded.contains(&section.title) {
                        true => &[],
                        false => section.targets.as_slice(),
                    };
                    let targets = shown.iter().map(move |at| Line::Target(*at, Some(number)));
                    std::iter::once(Line::Section(number)).chain(targets)
                })
                .collect()
        };
    }

    /// Closes or opens the section of the current line.
    pub(crate) fn fold(&mut self, close: bool) {
        let section = match self.lines.get(self.cursor) {
            Some(Line::Section(section) | Line::Target(_, Some(section))) => *section,
            _ => return,
        };
        let title = self.sections[section as usize].title.clone();
        let here = Here { id: None, section: Some(title.clone()), ..self.here() };
        match close {
            true => drop(self.folded.insert(title)),
            false => drop(self.folded.remove(&title)),
        }
        self.lay_out();
        self.return_to(&here);
    }

    /// Whether the section on the current line is closed; `None` if it is not the head of one.
    pub(crate) fn is_folded_here(&self) -> Option<bool> {
        match self.lines.get(self.cursor) {
            Some(Line::Section(section)) => {
                Some(self.folded.contains(&self.sections[*section as usize].title))
            }
            _ => None,
        }
    }

    pub(crate) fn set_height(&mut self, height: usize) {
        self.height = height;
        self.keep_in_sight();
    }

    pub(crate) fn height(&self) -> usize {
        self.height
    }

    /// Moves the current line by so many lines.
    pub(crate) fn step(&mut self, by: isize) {
        self.cursor = self.cursor.saturating_add_signed(by);
        self.keep_in_sight();
    }

    pub(crate) fn go_to(&mut self, line: usize) {
        self.cursor = line;
        self.keep_in_sight();
    }

    fn keep_in_sight(&mut self) {
        let last = self.lines.len().saturating_sub(1);
        self.cursor = self.cursor.min(last);
        let height = self.height.max(1);
        self.offset = self.offset.min(self.cursor);
        if self.cursor >= self.offset + height {
            self.offset = self.cursor + 1 - height;
        }
        self.offset = self.offset.min((last + 1).saturating_sub(height));
        // The head of the first section in sight is in sight too, if there is room.
        let above = self.offset.checked_sub(1).and_then(|above| self.lines.get(above));
        if matches!(above, Some(Line::Section(_))) && self.cursor + 1 < self.offset + height {
            self.offset -= 1;
        }
    }

    /// The lines in sight, each with whether it is the current one.
    pub(crate) fn in_sight(&self) -> impl Iterator<Item = (Line, bool)> {
        let to = (self.offset + self.height).min(self.lines.len());
        let from = self.offset.min(to);
        (from..to).map(|at| (self.lines[at], at == self.cursor))
    }

    /// The number of the current line from 1, and of all lines.
    pub(crate) fn position(&self) -> (usize, usize) {
        ((self.cursor + 1).min(self.lines.len()), self.lines.len())
    }

    /// How many targets are listed.
    pub(crate) fn len(&self) -> usize {
        self.ids.len()
    }

    pub(crate) fn section(&self, number: u32) -> &Section {
        &self.sections[number as usize]
    }

    pub(crate) fn id(&self, at: u32) -> TargetId {
        self.ids[at as usize]
    }

    pub(crate) fn row(&self, at: u32) -> Option<&TargetLine> {
        self.rows.get(&at).or_else(|| self.earlier.get(&self.id(at)))
    }

    /// The target on the current line, with its position.
    pub(crate) fn current(&self) -> Option<(u32, TargetId)> {
        match self.lines.get(self.cursor) {
            Some(Line::Target(at, _)) => Some((*at, self.id(*at))),
            _ => None,
        }
    }

    /// The text of a target, if it is there.
    pub(crate) fn row_of(&self, id: TargetId) -> Option<&TargetLine> {
        self.rows.values().find(|row| row.id == id)
    }

    /// Marks or unmarks the current line: a target, or all of a section.
    pub(crate) fn toggle_mark(&mut self) {
        let ids: Vec<TargetId> = match self.lines.get(self.cursor) {
            Some(Line::Target(at, _)) => vec![self.id(*at)],
            Some(Line::Section(section)) => {
                self.section(*section).targets.iter().map(|at| self.id(*at)).collect()
            }
            None => return,
        };
        let all_marked = ids.iter().all(|id| self.marks.contains(id));
        for id in ids {
            match all_marked {
                true => drop(self.marks.remove(&id)),
                false => drop(self.marks.insert(id)),
            }
        }
    }

    pub(crate) fn mark_all(&mut self) {
        self.marks = self.ids.iter().copied().collect();
    }

    pub(crate) fn unmark_all(&mut self) {
        self.marks.clear();
    }

    pub(crate) fn is_marked(&self, id: TargetId) -> bool {
        self.marks.contains(&id)
    }

    pub(crate) fn marked(&self) -> usize {
        self.marks.len()
    }

    /// What a decision is about: what is marked, in order, else the current line.
    pub(crate) fn chosen(&self) -> Vec<TargetId> {
        if self.marks.is_empty() {
            return self.current().map(|(_, id)| id).into_iter().collect();
        }
        self.ids.iter().copied().filter(|id| self.marks.contains(id)).collect()
    }

    /// Texts that are to be fetched: those in sight and around it.
    pub(crate) fn missing(&mut self) -> Vec<u32> {
        let from = self.offset.saturating_sub(self.height);
        let to = (self.offset + 2 * self.height.max(1)).min(self.lines.len());
        let mut missing = Vec::new();
        for line in &self.lines[from.min(to)..to] {
            if let Line::Target(at, _) = line
                && !self.rows.contains_key(at)
                && self.wanted.insert(*at)
            {
                missing.push(*at);
            }
        }
        missing
    }

    /// Takes texts of the list of a generation.
    pub(crate) fn take_rows(&mut self, generation: u64, rows: Vec<(u32, TargetLine)>) {
        if generation != self.generation {
            return;
        }
        for (at, row) in rows {
            self.wanted.remove(&at);
            self.rows.insert(at, row);
        }
        if self.rows.len() > KEPT {
            let from = self.offset.saturating_sub(KEPT / 4);
            let to = (self.offset + self.height + KEPT / 4).min(self.lines.len());
            let near: HashSet<u32> = self.lines[from..to]
                .iter()
                .filter_map(|line| match line {
                    Line::Target(at, _) => Some(*at),
                    Line::Section(_) => None,
                })
                .collect();
            self.rows.retain(|at, _| near.contains(at));
        }
    }

    /// Takes what a search found, and goes to the first match from the current line on.
    pub(crate) fn take_matches(&mut self, generation: u64, matches: Vec<u32>) -> usize {
        if generation != self.generation {
            return 0;
        }
        self.matches = matches;
        self.matches.sort_unstable();
        let is_here = self.current().is_some_and(|(at, _)| self.is_match(at));
        if !is_here {
            self.find(true);
        }
        self.matches.len()
    }

    pub(crate) fn is_match(&self, at: u32) -> bool {
        self.matches.binary_search(&at).is_ok()
    }

    /// Goes to the next match, or the previous one; from the end it goes on at the beginning.
    pub(crate) fn find(&mut self, forwards: bool) -> bool {
        let count = self.lines.len();
        let step = |by: usize| match forwards {
            true => (self.cursor + by) % count,
            false => (self.cursor + count - by) % count,
        };
        let is_match = |line: &usize| match self.lines[*line] {
            Line::Target(at, _) => self.is_match(at),
            Line::Section(_) => false,
        };
        let found = (1..=count).map(step).find(is_match);
        if let Some(line) = found {
            self.go_to(line);
        }
        found.is_some()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn index(generation: u64, ids: &[u64]) -> Index {
        let ids = ids.iter().map(|id| TargetId(*id)).collect();
        Index { generation, ids, ..Index::default() }
    }

    fn list(ids: &[u64], height: usize) -> List {
        let mut list = List::default();
        list.set_height(height);
        list.replace(index(1, ids));
        list
    }

    fn sections(list: &mut List, sections: &[(&str, &[u32])]) {
        let sections = sections.iter().map(|(title, targets)| Section {
            title: (*title).to_owned(),
            targets: targets.to_vec(),
        });
        let ids: Vec<u64> = list.ids.iter().map(|id| id.0).collect();
        let sections = Some(sections.collect());
        list.replace(Index { sections, ..index(list.generation + 1, &ids) });
    }

    fn shown(list: &List) -> Vec<(Line, bool)> {
        list.in_sight().collect()
    }

    fn row(id: u64) -> TargetLine {
        TargetLine {
            id: TargetId(id),
            verdict: Verdict::Broken,
            status: Some(404),
            cause: "404 Not Found".to_owned(),
            code: "404".to_owned(),
            target: format!("http://a.test/{id}"),
            links: 1,
            standing: None,
            waived: false,
            is_internal: true,
            moved_to: None,
        }
    }

    #[test]
    fn the_current_line_stays_in_sight_and_in_the_list() {
        let mut list = list(&[10, 11, 12, 13, 14], 3);
        let at = |list: &List| (list.position().0, shown(list).len(), list.offset);
        list.step(3);
        assert_eq!(at(&list), (4, 3, 1));
        list.step(isize::MAX);
        assert_eq!(at(&list), (5, 3, 2));
        list.step(-3);
        assert_eq!(at(&list), (2, 3, 1));
        list.step(isize::MIN);
        assert_eq!(at(&list), (1, 3, 0));
        list.set_height(10);
        assert_eq!(at(&list), (1, 5, 0));
        list.go_to(4);
        list.set_height(2);
        assert_eq!(at(&list), (5, 2, 3));
    }

    #[test]
    fn an_empty_list_has_no_current_line() {
        let mut list = list(&[], 3);
        list.step(1);
        list.toggle_mark();
        list.fold(true);
        assert_eq!((list.current(), list.chosen(), list.position()), (None, vec![], (0, 0)));
        assert!(!list.find(true) && list.missing().is_empty());
    }

    #[test]
    fn news_does_not_move_the_current_line() {
        let mut list = list(&[10, 11, 12, 13, 14, 15], 3);
        list.go_to(3);
        assert_eq!((list.current(), list.offset), (Some((3, TargetId(13))), 1));
        list.replace(index(2, &[7, 8, 10, 11, 9, 12, 13, 14]));
        assert_eq!((list.current(), list.offset), (Some((6, TargetId(13))), 4));
        // It is gone: the line stays where it was.
        list.replace(index(3, &[7, 8]));
        assert_eq!(list.current(), Some((1, TargetId(8))));
    }

    #[test]
    fn the_current_line_stays_within_its_section() {
        let mut list = list(&[10, 11, 12], 9);
        sections(&mut list, &[("a", &[0, 2]), ("b", &[2])]);
        list.go_to(4);
        assert_eq!(shown(&list)[4], (Line::Target(2, Some(1)), true));
        sections(&mut list, &[("c", &[1]), ("a", &[0, 2]), ("b", &[0, 2])]);
        assert_eq!(list.position(), (8, 8), "the same target, in section b");
        list.go_to(2);
        sections(&mut list, &[("z", &[0]), ("a", &[2])]);
        assert_eq!(shown(&list)[2], (Line::Section(1), true), "the head of the same section");
    }

    #[test]
    fn the_head_of_a_section_is_in_sight_if_there_is_room() {
        let mut list = list(&[10, 11, 12, 13], 3);
        sections(&mut list, &[("a", &[0, 1, 2, 3])]);
        assert_eq!((list.position().0, list.offset), (2, 0), "on the same target as before");
        list.step(isize::MAX);
        list.go_to(1);
        assert_eq!(list.offset, 0);
        list.set_height(1);
        assert_eq!(list.offset, 1, "the current line comes first");
    }

    #[test]
    fn sections_close_and_open() {
        let mut list = list(&[10, 11, 12], 9);
        sections(&mut list, &[("a", &[0, 1]), ("b", &[2])]);
        list.go_to(2);
        assert_eq!(list.is_folded_here(), None);
        list.fold(true);
        assert_eq!((list.position(), list.is_folded_here()), ((1, 3), Some(true)));
        list.fold(false);
        assert_eq!((list.position(), list.is_folded_here()), ((1, 5), Some(false)));
    }

    #[test]
    fn decisions_are_about_what_is_marked_else_about_the_current_line() {
        let mut list = list(&[10, 11, 12], 9);
        let chosen = |list: &List| list.chosen().iter().map(|id| id.0).collect::<Vec<_>>();
        list.go_to(1);
        assert_eq!(chosen(&list), [11]);
        list.toggle_mark();
        list.go_to(0);
        list.toggle_mark();
        assert_eq!((chosen(&list), list.marked()), (vec![10, 11], 2));
        list.toggle_mark();
        assert_eq!(chosen(&list), [11]);
        list.mark_all();
        assert_eq!(chosen(&list), [10, 11, 12]);
        list.replace(index(2, &[12, 13]));
        assert_eq!(chosen(&list), [12], "what is no longer listed is not decided");
        list.unmark_all();
        assert!(!list.is_marked(TargetId(12)));
    }

    #[test]
    fn a_section_is_marked_as_a_whole() {
        let mut list = list(&[10, 11, 12], 9);
        sections(&mut list, &[("a", &[0, 1]), ("b", &[2])]);
        list.go_to(1);
        list.toggle_mark();
        list.go_to(0);
        list.toggle_mark();
        assert_eq!(list.marked(), 2);
        list.toggle_mark();
        assert_eq!(list.marked(), 0);
    }

    #[test]
    fn texts_are_fetched_once_around_what_is_in_sight() {
        let ids: Vec<u64> = (0..100).collect();
        let mut list = list(&ids, 10);
        assert_eq!(list.missing(), (0..20).collect::<Vec<_>>());
        assert!(list.missing().is_empty());
        list.take_rows(1, vec![(0, row(0))]);
        assert_eq!(list.row(0).map(|row| row.id), Some(TargetId(0)));
        list.take_rows(7, vec![(1, row(1))]);
        assert_eq!(list.row(1), None, "of another list");
        list.go_to(50);
        assert_eq!(list.missing(), (31..61).collect::<Vec<_>>());
        list.replace(index(2, &ids));
        assert_eq!(list.missing().len(), 30);
        assert!(list.row(0).is_some(), "the text of before is shown until then");
    }

    #[test]
    fn texts_far_from_sight_are_dropped() {
        let ids: Vec<u64> = (0..5000).collect();
        let mut list = list(&ids, 10);
        list.go_to(4000);
        let rows = (0..5000).map(|at| (at, row(at.into()))).collect();
        list.take_rows(1, rows);
        assert!(list.row(4000).is_some() && list.row(0).is_none());
        assert!(list.rows.len() < KEPT, "{}", list.rows.len());
    }

    #[test]
    fn a_search_goes_around() {
        let mut list = list(&[10, 11, 12, 13], 9);
        list.go_to(2);
        assert_eq!(list.take_matches(1, vec![3, 1]), 2);
        let mut visited = vec![list.position().0];
        for forwards in [true, true, false, false] {
            assert!(list.find(forwards));
            visited.push(list.position().0);
        }
        assert_eq!(visited, [4, 2, 4, 2, 4]);
        assert_eq!(list.take_matches(9, vec![0]), 0, "of another list");
        assert_eq!(list.take_matches(1, vec![]), 0);
        assert!(!list.find(true));
        assert_eq!(list.position().0, 4);
    }
}
