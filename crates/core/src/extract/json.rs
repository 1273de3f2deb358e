//! JSON (RFC 8259), as far as it is needed for the strings in it, up to the first error.

/// How deep values may be nested.
const DEEPEST: usize = 64;

/// Calls back with every string that is a value: the names of the members around it, outermost
/// first, the string, and the offset at which it begins. Returns whether the text is JSON to its
/// end.
pub(super) fn strings(text: &str, mut found: impl FnMut(&[String], String, usize)) -> bool {
    let mut scanner = Scanner { text: text.as_bytes(), at: 0, path: Vec::new() };
    scanner.value(DEEPEST, &mut found).is_ok() && scanner.peek().is_none()
}

struct Scanner<'a> {
    text: &'a [u8],
    at: usize,
    /// The names of the members around.
    path: Vec<String>,
}

/// The text is not JSON from here on.
struct NotJson;

impl Scanner<'_> {
    fn value(
        &mut self,
        depth: usize,
        found: &mut impl FnMut(&[String], String, usize),
    ) -> Result<(), NotJson> {
        if depth == 0 {
            return Err(NotJson);
        }
        match self.peek().ok_or(NotJson)? {
            b'{' => self.object(depth, found),
            b'[' => {
                self.at += 1;
                self.list(b']', |scanner| scanner.value(depth - 1, found))
            }
            b'"' => {
                let start = self.at;
                let text = self.string()?;
                found(&self.path, text, start);
                Ok(())
            }
            _ => self.literal(),
        }
    }

    fn object(
        &mut self,
        depth: usize,
        found: &mut impl FnMut(&[String], String, usize),
    ) -> Result<(), NotJson> {
        self.at += 1;
        self.list(b'}', |scanner| {
            let property = scanner.string()?;
            if scanner.peek() != Some(b':') {
                return Err(NotJson);
            }
            scanner.at += 1;
            scanner.path.push(property);
            scanner.value(depth - 1, found)?;
            scanner.path.pop();
            Ok(())
        })
    }

    /// Members separated by commas, up to the end.
    fn list(
        &mut self,
        end: u8,
        mut member: impl FnMut(&mut Self) -> Result<(), NotJson>,
    ) -> Result<(), NotJson> {
        if self.peek() == Some(end) {
            self.at += 1;
            return Ok(());
        }
        loop {
            member(self)?;
            let next = self.peek();
            self.at += 1;
            match next {
                Some(b',') => {}
                Some(byte) if byte == end => return Ok(()),
                _ => return Err(NotJson),
            }
        }
    }

    /// A number, `true`, `false` or `null`.
    fn literal(&mut self) -> Result<(), NotJson> {
        let start = self.at;
        let is_part = |byte: &u8| byte.is_ascii_alphanumeric() || b"+-.".contains(byte);
        self.at += self.text[start..].iter().take_while(|byte| is_part(byte)).count();
        if self.at == start { Err(NotJson) } else { Ok(()) }
    }

    fn string(&mut self) -> Result<String, NotJson> {
        if self.peek() != Some(b'"') {
            return Err(NotJson);
        }
        self.at += 1;
        let mut bytes = Vec::new();
        loop {
            let byte = *self.text.get(self.at).ok_or(NotJson)?;
            self.at += 1;
            match byte {
                b'"' => return Ok(String::from_utf8_lossy(&bytes).into_owned()),
                b'\\' => {
                    let c = self.escaped()?;
                    bytes.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
                }
                _ => bytes.push(byte),
            }
        }
    }

    /// What follows a backslash (RFC 8259 §7).
    fn escaped(&mut self) -> Result<char, NotJson> {
        let byte = *self.text.get(self.at).ok_or(NotJson)?;
        self.at += 1;
        Ok(match byte {
            b'"' | b'\\' | b'/' => char::from(byte),
            b'b' => '\u{8}',
            b'f' => '\u{c}',
            b'n' => '\n',
            b'r' => '\r',
            b't' => '\t',
            b'u' => {
                let first = self.unit()?;
                let is_pair =
                    (0xd800..0xdc00).contains(&first) && self.text[self.at..].starts_with(b"\\u");
                if !is_pair {
                    return Ok(char::from_u32(first).unwrap_or(char::REPLACEMENT_CHARACTER));
                }
                self.at += 2;
                let second = self.unit()?.wrapping_sub(0xdc00);
                let code = 0x10000 + ((first - 0xd800) << 10) + (second & 0x3ff);
                char::from_u32(code).unwrap_or(char::REPLACEMENT_CHARACTER)
            }
            _ => return Err(NotJson),
        })
    }

    fn unit(&mut self) -> Result<u32, NotJson> {
        let digits = self.text.get(self.at..self.at + 4).ok_or(NotJson)?;
        self.at += 4;
        let value = |unit, &digit: &u8| Some(unit * 16 + char::from(digit).to_digit(16)?);
        digits.iter().try_fold(0, value).ok_or(NotJson)
    }

    /// The next byte that is not white space (RFC 8259 §2).
    fn peek(&mut self) -> Option<u8> {
        while self.text.get(self.at).is_some_and(|byte| b" \t\n\r".contains(byte)) {
            self.at += 1;
        }
        self.text.get(self.at).copied()
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use serde_json::Value;

    fn read(text: &str) -> (Vec<(String, String)>, bool) {
        let mut all = Vec::new();
        let is_whole = super::strings(text, |path, value, at| {
            assert_eq!(text.as_bytes()[at], b'"', "a string begins there");
            all.push((path.join("/"), value));
        });
        (all, is_whole)
    }

    /// The same by an independent reader.
    fn expected(value: &Value, path: &str, all: &mut Vec<(String, String)>) {
        match value {
            Value::String(text) => all.push((path.to_owned(), text.clone())),
            Value::Array(list) => list.iter().for_each(|value| expected(value, path, all)),
            Value::Object(members) => {
                for (name, value) in members {
                    let path =
                        if path.is_empty() { name.clone() } else { format!("{path}/{name}") };
                    expected(value, &path, all);
                }
            }
            _ => {}
        }
    }

    fn any_json() -> impl Strategy<Value = Value> {
        let leaf = prop_oneof![
            Just(Value::Null),
            any::<bool>().prop_map(Value::from),
            any::<i64>().prop_map(Value::from),
            any::<f64>().prop_map(Value::from),
            ".*".prop_map(Value::from),
        ];
        leaf.prop_recursive(5, 60, 6, |inner| {
            prop_oneof![
                prop::collection::vec(inner.clone(), 0..6).prop_map(Value::from),
                prop::collection::btree_map("[a-zé\"\\\\]{1,6}", inner, 0..6)
                    .prop_map(|members| Value::Object(members.into_iter().collect())),
            ]
        })
    }

    #[test]
    fn only_white_space_and_digits_of_json_count() {
        for text in ["[\u{c}\"a\"]", r#"["\u+123"]"#, r#"["\u12"]"#, r#"["\uzzzz"]"#] {
            assert!(serde_json::from_str::<Value>(text).is_err());
            assert_eq!(read(text), (Vec::new(), false), "{text:?}");
        }
        assert_eq!(read("\t[\r\n \"\\u00E4\"\n]").0, [(String::new(), "ä".to_owned())]);
    }

    proptest! {
        #[test]
        fn strings_are_those_that_another_reader_finds(value in any_json(), pretty in any::<bool>()) {
            let text = match pretty {
                true => serde_json::to_string_pretty(&value),
                false => serde_json::to_string(&value),
            };
            let mut all = Vec::new();
            expected(&value, "", &mut all);
            prop_assert_eq!(read(&text.expect("it is plain data")), (all, true));
        }

        #[test]
        fn text_that_is_no_json_is_said_to_be_none(text in "[\\[\\]{}:,\"a1 ]{0,12}") {
            // Only a number may be none: what is not a string does not matter.
            let is_json = serde_json::from_str::<Value>(&text).is_ok();
            if is_json {
                prop_assert!(read(&text).1, "{}", text);
            } else if !text.contains(['a', '1']) {
                prop_assert!(!read(&text).1, "{}", text);
            }
        }
    }
}
