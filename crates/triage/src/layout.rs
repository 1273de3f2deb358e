//! Where the parts of the screen are.

use ratatui::layout::Rect;

/// From this width on, list and detail are side by side.
const WIDE: u16 = 120;
/// Below this height of both together, only one of them is shown.
const LOW: u16 = 10;

/// The parts of the screen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Layout {
    /// What is shown, and the counts.
    pub(crate) head: Rect,
    pub(crate) list: Option<Rect>,
    /// Between list and detail.
    pub(crate) rule: Option<Rect>,
    pub(crate) detail: Option<Rect>,
    /// A message, or what is being typed.
    pub(crate) message: Rect,
    /// The most useful keys.
    pub(crate) keys: Rect,
}

/// The parts of a screen of this size. On a small one, only the list or only the detail is shown.
pub(crate) fn layout(area: Rect, is_in_detail: bool) -> Layout {
    let Rect { x, y, width, height } = area;
    let head_height = if height >= 8 { 2 } else { 1.min(height) };
    let foot_height = if height >= 6 { 2 } else { 1.min(height.saturating_sub(head_height)) };
    let body_height = height.saturating_sub(head_height + foot_height);
    let line = |from: u16, count: u16| Rect { x, y: y + from, width, height: count };
    let foot = head_height + body_height;
    let body = line(head_height, body_height);
    let (list, rule, detail) = if body_height < LOW {
        match is_in_detail {
            true => (None, None, Some(body)),
            false => (Some(body), None, None),
        }
    } else if width >= WIDE {
        let list_width = width * 11 / 20;
        let list = Rect { width: list_width, ..body };
        let rule = Rect { x: x + list_width, width: 1, ..body };
        let detail =
            Rect { x: x + list_width + 2, width: width.saturating_sub(list_width + 2), ..body };
        (Some(list), Some(rule), Some(detail))
    } else {
        let list_height = (body_height * 9 / 20).max(4);
        let list = Rect { height: list_height, ..body };
        let rule = Rect { y: body.y + list_height, height: 1, ..body };
        let detail_height = body_height - list_height - 1;
        let detail = Rect { y: body.y + list_height + 1, height: detail_height, ..body };
        (Some(list), Some(rule), Some(detail))
    };
    Layout {
        head: line(0, head_height),
        list,
        rule,
        detail,
        message: line(foot, foot_height.min(1)),
        keys: line(foot + foot_height.min(1), foot_height.saturating_sub(1)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn all_parts_are_within_the_screen_and_do_not_overlap() {
        for (width, height) in
            [(80, 24), (120, 40), (60, 20), (200, 60), (40, 9), (20, 5), (10, 3), (1, 1), (0, 0)]
        {
            for is_in_detail in [true, false] {
                let area = Rect::new(0, 0, width, height);
                let Layout { head, list, rule, detail, message, keys } = layout(area, is_in_detail);
                let parts = [Some(head), list, rule, detail, Some(message), Some(keys)];
                let parts: Vec<Rect> = parts.into_iter().flatten().collect();
                for (at, part) in parts.iter().enumerate() {
                    assert_eq!(area.intersection(*part), *part, "{width}x{height}: {part:?}");
                    let overlaps = parts[..at].iter().any(|other| other.intersects(*part));
                    assert!(part.is_empty() || !overlaps, "{width}x{height}: {part:?}");
                }
                assert!(list.is_some() || detail.is_some());
            }
        }
    }

    #[test]
    fn a_low_screen_shows_the_pane_that_has_the_keys() {
        let area = Rect::new(0, 0, 60, 12);
        assert_eq!(layout(area, false).detail, None);
        assert_eq!(layout(area, true).list, None);
    }
}
