//! Character references that can be read without the table of all of them.

/// What an `&` begins.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Reference {
    /// A character, and the length of the reference after the `&`.
    Character(char, usize),
    /// Nothing: it stands for itself.
    Ampersand,
    /// Only the whole table can tell, or text that is not here yet.
    Unknown,
}

/// References that are common in pages, all of which end with a semicolon (HTML, "Named character
/// references").
const COMMON: &[(&[u8], char)] = &[
    (b"Auml", 'Ä'),
    (b"Eacute", 'É'),
    (b"Ouml", 'Ö'),
    (b"Uuml", 'Ü'),
    (b"aacute", 'á'),
    (b"acirc", 'â'),
    (b"aelig", 'æ'),
    (b"agrave", 'à'),
    (b"amp", '&'),
    (b"apos", '\''),
    (b"aring", 'å'),
    (b"atilde", 'ã'),
    (b"auml", 'ä'),
    (b"bull", '•'),
    (b"ccedil", 'ç'),
    (b"copy", '©'),
    (b"deg", '°'),
    (b"eacute", 'é'),
    (b"ecirc", 'ê'),
    (b"egrave", 'è'),
    (b"euml", 'ë'),
    (b"euro", '€'),
    (b"gt", '>'),
    (b"hellip", '…'),
    (b"iacute", 'í'),
    (b"laquo", '«'),
    (b"larr", '←'),
    (b"ldquo", '“'),
    (b"lsquo", '‘'),
    (b"lt", '<'),
    (b"mdash", '—'),
    (b"middot", '·'),
    (b"nbsp", '\u{a0}'),
    (b"ndash", '–'),
    (b"ntilde", 'ñ'),
    (b"oacute", 'ó'),
    (b"ocirc", 'ô'),
    (b"oslash", 'ø'),
    (b"ouml", 'ö'),
    (b"para", '¶'),
    (b"pound", '£'),
    (b"quot", '"'),
    (b"raquo", '»'),
    (b"rarr", '→'),
    (b"rdquo", '”'),
    (b"reg", '®'),
    (b"rsquo", '’'),
    (b"sect", '§'),
    (b"shy", '\u{ad}'),
    (b"szlig", 'ß'),
    (b"times", '×'),
    (b"trade", '™'),
    (b"uacute", 'ú'),
    (b"uuml", 'ü'),
];

impl Reference {
    /// The reference that an `&` in text begins, by what follows it.
    pub(super) fn in_text(after: &[u8]) -> Reference {
        match after.first() {
            None => Reference::Unknown,
            Some(b'#') => by_number(after),
            Some(first) if first.is_ascii_alphanumeric() => by_name(after, name_length(after)),
            Some(_) => Reference::Ampersand,
        }
    }

    /// The same in the value of an attribute, which ends with the text. There, a name that is
    /// followed by `=` is a part of a query (HTML, "Named character reference state").
    pub(super) fn in_value(after: &[u8]) -> Reference {
        let is_query = || after.get(name_length(after)) == Some(&b'=');
        match after.first() {
            None => Reference::Ampersand,
            Some(first) if first.is_ascii_alphanumeric() && is_query() => Reference::Ampersand,
            Some(_) => Reference::in_text(after),
        }
    }
}

fn name_length(text: &[u8]) -> usize {
    text.iter().position(|byte| !byte.is_ascii_alphanumeric()).unwrap_or(text.len())
}

fn by_name(after: &[u8], length: usize) -> Reference {
    let found = COMMON.binary_search_by_key(&&after[..length], |(name, _)| name);
    match found {
        Ok(found) if after.get(length) == Some(&b';') => {
            Reference::Character(COMMON[found].1, length + 1)
        }
        _ => Reference::Unknown,
    }
}

fn by_number(after: &[u8]) -> Reference {
    let (start, radix) = if matches!(after.get(1), Some(b'x' | b'X')) { (2, 16) } else { (1, 10) };
    let digits = &after[start.min(after.len())..];
    let length = digits.iter().position(|digit| !digit.is_ascii_hexdigit()).unwrap_or(digits.len());
    let number = std::str::from_utf8(&digits[..length]).unwrap_or_default();
    let number = if length <= 6 { u32::from_str_radix(number, radix).ok() } else { None };
    match number.filter(|&number| is_plain(number)).and_then(char::from_u32) {
        Some(character) if digits.get(length) == Some(&b';') => {
            Reference::Character(character, start + length + 1)
        }
        _ => Reference::Unknown,
    }
}

/// Numbers for which there are no further rules (HTML, "Numeric character reference end state").
fn is_plain(number: u32) -> bool {
    matches!(number, 0x20..=0x7e | 0xa0..=0xd7ff | 0xe000..=0xfdcf | 0x10000..=0x1fffd)
}

#[cfg(test)]
mod tests {
    use super::Reference::*;
    use super::*;

    #[test]
    fn names_are_in_order_for_the_search() {
        assert!(COMMON.is_sorted_by_key(|(name, _)| name));
        for (name, character) in COMMON {
            let text = [name, &b";x"[..]].concat();
            assert_eq!(Reference::in_text(&text), Character(*character, name.len() + 1));
        }
    }

    #[test]
    fn what_is_not_certain_is_left_to_the_table() {
        for (after, expected) in [
            (&b"amp;"[..], Character('&', 4)),
            (b"#38;", Character('&', 4)),
            (b"#x2014;", Character('—', 7)),
            (b"#X1F600; ", Character('😀', 8)),
            (b" b", Ampersand),
            (b"&amp;", Ampersand),
            (b"amp", Unknown),
            (b"amp x", Unknown),
            (b"ampx;", Unknown),
            (b"notin;", Unknown),
            (b"#38", Unknown),
            (b"#12a;", Unknown),
            (b"#x;", Unknown),
            (b"#;", Unknown),
            (b"#", Unknown),
            (b"#0;", Unknown),
            (b"#150;", Unknown),
            (b"#xd800;", Unknown),
            (b"#9999999;", Unknown),
            (b"", Unknown),
        ] {
            let shown = String::from_utf8_lossy(after);
            assert_eq!(Reference::in_text(after), expected, "{shown}");
        }
        for (after, expected) in [
            (&b"copy=1"[..], Ampersand),
            (b"copy=", Ampersand),
            (b"copy", Unknown),
            (b"copy;=", Character('©', 5)),
            (b"", Ampersand),
            (b"=", Ampersand),
        ] {
            let shown = String::from_utf8_lossy(after);
            assert_eq!(Reference::in_value(after), expected, "{shown}");
        }
    }
}
