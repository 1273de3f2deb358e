//! From lines and columns, as the extractor counts them, to offsets in the text.

/// The offsets at which the lines of a text begin.
#[derive(Debug)]
pub(super) struct Lines<'a> {
    text: &'a str,
    starts: Vec<usize>,
}

impl<'a> Lines<'a> {
    pub(super) fn of(text: &'a str) -> Lines<'a> {
        let bytes = text.as_bytes();
        let ends = bytes.iter().enumerate().filter(|(at, byte)| match byte {
            b'\n' => true,
            b'\r' => bytes.get(at + 1) != Some(&b'\n'),
            _ => false,
        });
        let starts = std::iter::once(0).chain(ends.map(|(at, _)| at + 1)).collect();
        Lines { text, starts }
    }

    /// The offset of a line and column, both from 1, the column in code points.
    pub(super) fn offset(&self, line: u32, column: u32) -> Option<usize> {
        let start = *self.starts.get((line as usize).checked_sub(1)?)?;
        let before = (column as usize).checked_sub(1)?;
        let rest = &self.text[start..];
        match rest.char_indices().nth(before) {
            Some((at, _)) => Some(start + at),
            None => (rest.chars().count() == before).then_some(self.text.len()),
        }
    }

    /// The line of an offset, from 1.
    pub(super) fn line(&self, offset: usize) -> u32 {
        let line = self.starts.partition_point(|start| *start <= offset);
        u32::try_from(line).unwrap_or(u32::MAX)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn all_kinds_of_line_breaks_count() {
        let text = "ab\r\ncé d\re\n\nf";
        let lines = Lines::of(text);
        for (line, column, rest) in
            [(1, 1, "ab"), (2, 1, "cé"), (2, 4, "d\r"), (3, 1, "e"), (4, 1, "\n"), (5, 1, "f")]
        {
            let offset = lines.offset(line, column).unwrap();
            assert!(text[offset..].starts_with(rest), "{line}:{column}");
            assert_eq!(lines.line(offset), line);
        }
        assert_eq!(lines.offset(9, 1), None);
        assert_eq!(lines.offset(0, 1), None);
    }
}
