//! Text in cells: what pages contain is never obeyed, and never wider than its place.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use rummage_view::safe;
use unicode_segmentation::UnicodeSegmentation as _;
use unicode_width::UnicodeWidthStr as _;

use super::Palette;

/// How many characters one cell shows: further combining marks are noise.
const IN_ONE: usize = 4;

/// Where a state is drawn.
pub(super) struct Canvas<'a> {
    pub(super) buffer: &'a mut Buffer,
    pub(super) palette: Palette,
}

impl Canvas<'_> {
    /// Writes text into a line, cut at `width`, and returns how wide it is.
    pub(super) fn text(&mut self, x: u16, y: u16, width: u16, text: &str, style: Style) -> u16 {
        let text = cut(text, width.into());
        let mut at = x;
        let end = x.saturating_add(width).min(self.buffer.area.right());
        if y >= self.buffer.area.bottom() {
            return 0;
        }
        for piece in text.graphemes(true) {
            let wide = u16::try_from(piece.width()).unwrap_or(u16::MAX);
            if wide == 0 || at.saturating_add(wide) > end {
                continue;
            }
            self.buffer[(at, y)].set_symbol(piece).set_style(style);
            // The rest of a wide character is empty.
            for rest in 1..wide {
                self.buffer[(at + rest, y)].reset();
            }
            at += wide;
        }
        at - x
    }

    /// Writes text to the right end of a line.
    pub(super) fn text_right(&mut self, area: Rect, text: &str, style: Style) {
        let wide = u16::try_from(width(text)).unwrap_or(u16::MAX).min(area.width);
        self.text(area.right() - wide, area.y, wide, text, style);
    }

    /// Gives a line a style, on top of what its cells have.
    pub(super) fn style(&mut self, area: Rect, style: Style) {
        self.buffer.set_style(area, style);
    }

    /// A line between two parts, across or down.
    pub(super) fn rule(&mut self, area: Rect) {
        let symbol = if area.width == 1 { "│" } else { "─" };
        let style = self.palette.faint();
        for position in area.intersection(self.buffer.area).positions() {
            self.buffer[position].set_symbol(symbol).set_style(style);
        }
    }

    /// An empty box in the middle of the screen, with a title. Returns what is inside it.
    pub(super) fn window(&mut self, area: Rect, width: u16, height: u16, title: &str) -> Rect {
        let (width, height) = (width.min(area.width), height.min(area.height));
        let outer = Rect {
            x: area.x + (area.width - width) / 2,
            y: area.y + (area.height - height) / 2,
            width,
            height,
        };
        for position in outer.positions() {
            self.buffer[position].reset();
        }
        if outer.width < 4 || outer.height < 3 {
            return outer;
        }
        let (right, bottom) = (outer.right() - 1, outer.bottom() - 1);
        for x in outer.x..=right {
            for y in [outer.y, bottom] {
                self.buffer[(x, y)].set_symbol("─");
            }
        }
        for y in outer.y..=bottom {
            for x in [outer.x, right] {
                self.buffer[(x, y)].set_symbol("│");
            }
        }
        for (x, y, symbol) in [
            (outer.x, outer.y, "┌"),
            (right, outer.y, "┐"),
            (outer.x, bottom, "└"),
            (right, bottom, "┘"),
        ] {
            self.buffer[(x, y)].set_symbol(symbol);
        }
        let style = self.palette.strong();
        self.text(outer.x + 2, outer.y, outer.width - 4, &format!(" {title} "), style);
        Rect { x: outer.x + 2, y: outer.y + 1, width: outer.width - 4, height: outer.height - 2 }
    }
}

/// Text as cells show it: escaped, with few combining marks.
fn shown(text: &str) -> String {
    let safe = safe(text).to_string();
    let mut out = String::with_capacity(safe.len());
    for piece in safe.graphemes(true) {
        match piece.width() {
            0 => {}
            _ => out.extend(piece.chars().take(IN_ONE)),
        }
    }
    out
}

/// How many cells a text takes.
pub(super) fn width(text: &str) -> usize {
    shown(text).graphemes(true).map(|piece| piece.width()).sum()
}

/// A text of at most so many cells; an ellipsis ends it if it was cut.
pub(super) fn cut(text: &str, most: usize) -> String {
    let text = shown(text);
    let all: usize = text.graphemes(true).map(|piece| piece.width()).sum();
    if all <= most {
        return text;
    }
    let mut out = String::new();
    let mut used = 0;
    for piece in text.graphemes(true) {
        used += piece.width();
        if used + 1 > most {
            break;
        }
        out.push_str(piece);
    }
    if most > 0 {
        out.push('…');
    }
    out
}

/// A URL of at most so many cells. Its end is what differs, so that the middle goes.
pub(super) fn cut_url(text: &str, most: usize) -> String {
    let text = shown(text);
    let pieces: Vec<&str> = text.graphemes(true).collect();
    let all: usize = pieces.iter().map(|piece| piece.width()).sum();
    if all <= most {
        return text;
    }
    if most < 8 {
        return cut(&text, most);
    }
    let before = (most - 1) * 2 / 5;
    let after = most - 1 - before;
    let within = |pieces: &mut dyn Iterator<Item = &&str>, room: usize| {
        let mut used = 0;
        let mut count = 0;
        for piece in pieces {
            used += piece.width();
            if used > room {
                break;
            }
            count += 1;
        }
        count
    };
    let head = within(&mut pieces.iter(), before);
    let tail = within(&mut pieces.iter().rev(), after);
    format!("{}…{}", pieces[..head].concat(), pieces[pieces.len() - tail..].concat())
}

/// A text in lines of at most so many cells, broken after spaces where there are some.
pub(super) fn wrap(text: &str, most: usize) -> Vec<String> {
    let text = shown(text);
    let most = most.max(2);
    let indent: String = text.chars().take_while(|c| *c == ' ').take(most / 2).collect();
    let mut lines = Vec::new();
    let mut line = String::new();
    let mut used = 0;
    for word in text.split_inclusive(' ') {
        let wide = word.trim_end().width();
        if used + wide > most && used > indent.len() && wide + indent.len() <= most {
            lines.push(std::mem::replace(&mut line, indent.clone()));
            used = indent.len();
        }
        for piece in word.graphemes(true) {
            if used + piece.width() > most {
                if piece == " " {
                    continue;
                }
                lines.push(std::mem::replace(&mut line, indent.clone()));
                used = indent.len();
            }
            line.push_str(piece);
            used += piece.width();
        }
    }
    lines.push(line);
    lines.iter().map(|line| line.trim_end().to_owned()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_from_pages_is_obeyed() {
        for text in ["a\u{1b}[2Jb", "a\u{202e}b", "a\u{200b}b", "a\u{9b}31m", "a\tb", "a\nb"] {
            assert!(
                shown(text).chars().all(|c| c.width().is_some_and(|wide| wide > 0)),
                "{text:?}"
            );
        }
        let towers = format!("a{}b", "\u{301}".repeat(500));
        assert_eq!((shown(&towers).chars().count(), width(&towers)), (5, 2));
    }

    use unicode_width::UnicodeWidthChar as _;

    #[test]
    fn a_text_is_cut_by_cells_not_by_characters() {
        for (text, most, expected) in [
            ("towpath", 7, "towpath"),
            ("towpath", 6, "towpa…"),
            ("運河博物館", 10, "運河博物館"),
            ("運河博物館", 9, "運河博物…"),
            ("運河博物館", 8, "運河博…"),
            ("ab", 1, "…"),
            ("ab", 0, ""),
        ] {
            let found = cut(text, most);
            assert_eq!(found, expected);
            assert!(found.width() <= most, "{text} {most}");
        }
    }

    #[test]
    fn a_url_keeps_its_beginning_and_its_end() {
        let url = "https://www.a.test/news/2026/11/opening-hours.html";
        let found = cut_url(url, 30);
        assert_eq!(found, "https://www…opening-hours.html");
        assert_eq!(cut_url(url, 50), url);
        assert_eq!(cut_url(url, 5), "http…");
        assert!(cut_url("http://a.test/運河博物館運河博物館", 21).width() <= 21);
    }

    #[test]
    fn long_texts_are_wrapped_after_spaces() {
        assert_eq!(wrap("one two three", 8), ["one two", "three"]);
        assert_eq!(wrap("  one two", 6), ["  one", "  two"]);
        assert_eq!(wrap("abcdefghij", 4), ["abcd", "efgh", "ij"]);
        assert_eq!(wrap("", 4), [""]);
        assert_eq!(wrap("運河博", 5), ["運河", "博"]);
        for line in wrap("a 運河博物館 http://www.a.test/x/y/z b", 7) {
            assert!(line.width() <= 7, "{line}");
        }
    }
}
