//! The detail of the current target: what is there, what is on its way, where in it one is.

use rummage_core::verdict::Verdict;
use rummage_view::{Occurrence, TargetDetail, TargetId};

/// How a text is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Tone {
    Plain,
    Strong,
    Faint,
    Heading,
    Verdict(Verdict),
}

/// A part of a detail that is read as one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Item {
    pub(crate) lines: Vec<(Tone, String)>,
    /// The link it shows, by its position.
    pub(crate) occurrence: Option<usize>,
}

/// See the [module](self).
#[derive(Debug, Default)]
pub(crate) struct DetailPane {
    detail: Option<Box<TargetDetail>>,
    /// What is on its way.
    wanted: Option<TargetId>,
    /// What is there may be out of date.
    is_stale: bool,
    /// What could not be fetched from this list.
    missing: Option<TargetId>,
    items: Vec<Item>,
    selected: usize,
}

impl DetailPane {
    /// The detail of a target, if it is there.
    pub(crate) fn of(&self, id: TargetId) -> Option<&TargetDetail> {
        self.detail.as_deref().filter(|detail| detail.line.id == id)
    }

    /// Whether the detail of a target is to be fetched now: one at a time.
    pub(crate) fn wants(&mut self, id: TargetId) -> bool {
        let has = !self.is_stale && self.of(id).is_some();
        let wants = self.wanted.is_none() && !has && self.missing != Some(id);
        if wants {
            self.wanted = Some(id);
            self.is_stale = false;
        }
        wants
    }

    /// Takes a detail; `None` if the target is no longer there.
    pub(crate) fn take(&mut self, id: TargetId, detail: Option<Box<TargetDetail>>) {
        if self.wanted == Some(id) {
            self.wanted = None;
        }
        self.missing = detail.is_none().then_some(id);
        if let Some(detail) = detail {
            let is_same = self.of(id).is_some();
            self.items = items(&detail);
            self.selected = match is_same {
                true => self.selected.min(self.items.len().saturating_sub(1)),
                false => self.first_occurrence(),
            };
            self.detail = Some(detail);
        }
    }

    /// What is there is shown until it is fetched anew.
    pub(crate) fn refresh(&mut self) {
        self.wanted = None;
        self.missing = None;
        self.is_stale = true;
    }

    pub(crate) fn items(&self) -> &[Item] {
        &self.items
    }

    pub(crate) fn selected(&self) -> usize {
        self.selected
    }

    pub(crate) fn step(&mut self, by: isize) {
        let last = self.items.len().saturating_sub(1);
        self.selected = self.selected.saturating_add_signed(by).min(last);
    }

    fn first_occurrence(&self) -> usize {
        self.items.iter().position(|item| item.occurrence.is_some()).unwrap_or_default()
    }

    /// The link that is selected, else the first one.
    pub(crate) fn occurrence(&self, id: TargetId) -> Option<&Occurrence> {
        let detail = self.of(id)?;
        let selected = self.items.get(self.selected).and_then(|item| item.occurrence);
        detail.occurrences.get(selected.unwrap_or_default())
    }
}

/// The parts of a detail, in order.
fn items(detail: &TargetDetail) -> Vec<Item> {
    let text = |tone, text: &str| Item { lines: vec![(tone, text.to_owned())], occurrence: None };
    let mut items = vec![text(Tone::Strong, &detail.line.target)];
    let mut meaning = detail.meaning.iter();
    if let Some(first) = meaning.next() {
        items.push(text(Tone::Verdict(detail.line.verdict), first));
    }
    items.extend(meaning.map(|line| text(Tone::Plain, line)));
    for part in [&detail.evidence, &detail.history] {
        for (at, line) in part.iter().enumerate() {
            items.push(text(if at == 0 { Tone::Heading } else { Tone::Plain }, line));
        }
    }
    let links = match detail.line.links {
        1 => "1 link".to_owned(),
        links => format!("{} links", rummage_view::count(links)),
    };
    items.push(text(Tone::Heading, &links));
    for (at, occurrence) in detail.occurrences.iter().enumerate() {
        let mut lines = vec![(Tone::Plain, format!("{} {}", occurrence.page, occurrence.at))];
        let tag = occurrence.excerpt.as_ref().unwrap_or(&occurrence.tag);
        lines.push((Tone::Strong, format!("  {tag}")));
        match (&occurrence.shared, occurrence.region) {
            (Some(shared), _) => lines.push((Tone::Faint, format!("  {shared}"))),
            (None, Some(region)) => lines.push((Tone::Faint, format!("  in {region}"))),
            (None, None) => {}
        }
        if let Some(source) = &occurrence.source {
            lines.push((Tone::Faint, format!("  edit: {source}")));
        }
        items.push(Item { lines, occurrence: Some(at) });
    }
    if let Some(more) = &detail.more {
        items.push(text(Tone::Faint, &format!("{more}: rummage trace")));
    }
    items
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::machine::testing::detail;

    #[test]
    fn a_detail_is_fetched_once_and_one_at_a_time() {
        let mut pane = DetailPane::default();
        assert!(pane.wants(TargetId(1)));
        assert!(!pane.wants(TargetId(2)), "the first is on its way");
        pane.take(TargetId(1), Some(Box::new(detail(1, 2))));
        assert!(!pane.wants(TargetId(1)) && pane.of(TargetId(2)).is_none());
        assert!(pane.wants(TargetId(2)));
        pane.take(TargetId(2), None);
        assert!(pane.of(TargetId(1)).is_some(), "what is gone replaces nothing");
        assert!(!pane.wants(TargetId(2)), "it is not fetched again and again");
        pane.refresh();
        assert!(pane.wants(TargetId(2)), "but from the next list");
    }

    #[test]
    fn the_first_link_is_selected_until_another_is() {
        let mut pane = DetailPane::default();
        let id = TargetId(1);
        assert_eq!(pane.occurrence(id), None);
        pane.take(id, Some(Box::new(detail(1, 3))));
        let page = |pane: &DetailPane| pane.occurrence(id).map(|one| one.page.clone());
        assert_eq!(page(&pane).as_deref(), Some("http://a.test/page0"));
        pane.step(1);
        assert_eq!(page(&pane).as_deref(), Some("http://a.test/page1"));
        pane.step(isize::MAX);
        assert_eq!(page(&pane).as_deref(), Some("http://a.test/page2"));
        pane.step(isize::MIN);
        assert_eq!((pane.selected(), page(&pane).as_deref()), (0, Some("http://a.test/page0")));
    }
}
