//! The URLs in a stylesheet (CSS Syntax Level 3; CSS Values, "URLs"; CSS Cascade, "@import").
//!
//! `url(…)`, `@import` and the strings of `image-set(…)` (CSS Images Level 4, "Resolution
//! Negotiation") count. URLs in comments and other strings do not, nor does `url(#part)`,
//! which names a part of the same page, nor the names in `@namespace` and `@document`, which are
//! never fetched.

use std::borrow::Cow;

/// A URL.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct CssUrl<'a> {
    /// Bytes from the start of the text to the URL, including `url(`.
    pub(super) offset: usize,
    pub(super) is_import: bool,
    pub(super) url: Cow<'a, str>,
}

/// How what comes next is to be understood.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct State {
    statement: Statement,
    /// How many parentheses are open.
    depth: u32,
    /// How many were open within the outermost `image-set(`.
    image_set: Option<u32>,
}

impl State {
    fn open(&mut self, is_image_set: bool) {
        self.depth += 1;
        if is_image_set && self.image_set.is_none() {
            self.image_set = Some(self.depth);
        }
    }

    fn close(&mut self) {
        if self.image_set == Some(self.depth) {
            self.image_set = None;
        }
        self.depth = self.depth.saturating_sub(1);
    }

    /// A string here is a URL: `type("image/avif")` is deeper.
    fn is_in_image_set(&self) -> bool {
        self.image_set.is_some_and(|depth| depth == self.depth)
    }

    /// A new statement or block begins, whatever was left open.
    fn begin(&mut self) {
        *self = State::default();
    }
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
enum Statement {
    #[default]
    Any,
    /// After `@import`: the next URL is that of a stylesheet.
    Import,
    /// In a rule whose URLs are only names.
    Names,
}

enum Token<'a> {
    Space,
    AtKeyword(Cow<'a, str>),
    Text(Cow<'a, str>),
    Url(Cow<'a, str>),
    /// A name and its parenthesis; whether it is `image-set(`.
    Function(bool),
    Open,
    Close,
    Semicolon,
    Brace,
    Other,
}

/// Scans one piece of a stylesheet.
pub(super) struct Scanner<'a> {
    text: &'a str,
    at: usize,
    /// No more text comes after this piece.
    is_last: bool,
}

/// The text ends in the middle of a token.
struct EndOfInput;

impl<'a> Scanner<'a> {
    pub(super) fn new(text: &'a str, is_last: bool) -> Scanner<'a> {
        Scanner { text, at: 0, is_last }
    }

    /// Calls back with the URLs of the piece, and returns how much of it was scanned. The rest is
    /// to be passed again, with more text after it.
    pub(super) fn scan(mut self, state: &mut State, mut found: impl FnMut(CssUrl<'a>)) -> usize {
        loop {
            self.skip_plain();
            let offset = self.at;
            if offset == self.text.len() {
                return offset;
            }
            let Ok(token) = self.token() else { return offset };
            let (url, is_url) = match token {
                Token::Space => continue,
                Token::AtKeyword(name) => {
                    state.statement = match name.to_ascii_lowercase().as_str() {
                        "import" => Statement::Import,
                        "namespace" | "document" | "-moz-document" => Statement::Names,
                        _ => Statement::Any,
                    };
                    continue;
                }
                Token::Semicolon | Token::Brace => {
                    state.begin();
                    continue;
                }
                Token::Function(_) | Token::Open | Token::Close | Token::Other => {
                    match token {
                        Token::Function(is_image_set) => state.open(is_image_set),
                        Token::Open => state.open(false),
                        Token::Close => state.close(),
                        _ => {}
                    }
                    if state.statement == Statement::Import {
                        state.statement = Statement::Any;
                    }
                    continue;
                }
                Token::Text(text) => (text, state.is_in_image_set()),
                Token::Url(url) => {
                    // After a string, its parenthesis is still to come.
                    if !self.text[..self.at].ends_with(')') {
                        state.open(false);
                    }
                    (url, true)
                }
            };
            match state.statement {
                Statement::Import => {
                    state.statement = Statement::Any;
                    found(CssUrl { offset, is_import: true, url });
                }
                Statement::Any if is_url && !url.trim_start().starts_with('#') => {
                    found(CssUrl { offset, is_import: false, url });
                }
                Statement::Any | Statement::Names => {}
            }
        }
    }

    /// Skips characters that begin no token of interest, as most of a stylesheet does.
    fn skip_plain(&mut self) {
        let rest = &self.bytes()[self.at..];
        let plain = |&byte: &u8| {
            matches!(
                byte,
                b' ' | b'\t' | b'\n' | b'\r' | 0x0c | b':' | b',' | b'.' | b'#' | b'0'..=b'9'
            )
        };
        // These end no `@import`, since a number or colon after it is an error anyway.
        self.at += rest.iter().position(|byte| !plain(byte)).unwrap_or(rest.len());
    }

    fn bytes(&self) -> &'a [u8] {
        self.text.as_bytes()
    }

    fn peek(&self, ahead: usize) -> Option<u8> {
        self.bytes().get(self.at + ahead).copied()
    }

    fn token(&mut self) -> Result<Token<'a>, EndOfInput> {
        let Some(first) = self.peek(0) else { return Ok(Token::Space) };
        match first {
            b'/' => self.comment(),
            b'"' | b'\'' => self.string(first).map(Token::Text),
            b';' => self.one(Token::Semicolon),
            b'{' | b'}' => self.one(Token::Brace),
            b'(' => self.one(Token::Open),
            b')' => self.one(Token::Close),
            b'@' => {
                self.at += 1;
                let name = self.name()?;
                Ok(if name.is_empty() { Token::Other } else { Token::AtKeyword(name) })
            }
            b'<' | b'>' | b'!' => self.one(Token::Space),
            _ if is_name(first) || first == b'\\' => self.ident_like(),
            _ => self.one(Token::Other),
        }
    }

    fn one(&mut self, token: Token<'a>) -> Result<Token<'a>, EndOfInput> {
        self.at += 1;
        Ok(token)
    }

    /// Reports a token that the end of the text cuts off.
    fn ended<T>(&mut self, token: T) -> Result<T, EndOfInput> {
        self.at = self.text.len();
        if self.is_last { Ok(token) } else { Err(EndOfInput) }
    }

    fn comment(&mut self) -> Result<Token<'a>, EndOfInput> {
        match self.peek(1) {
            Some(b'*') => match memchr::memmem::find(&self.bytes()[self.at + 2..], b"*/") {
                Some(length) => {
                    self.at += length + 4;
                    Ok(Token::Space)
                }
                None => self.ended(Token::Space),
            },
            Some(_) => self.one(Token::Other),
            None => self.ended(Token::Other),
        }
    }

    fn string(&mut self, quote: u8) -> Result<Cow<'a, str>, EndOfInput> {
        let start = self.at + 1;
        let mut at = start;
        loop {
            let rest = &self.bytes()[at..];
            let Some(length) = rest
                .iter()
                .position(|&byte| byte == quote || matches!(byte, b'\\' | b'\n' | b'\r' | 0x0c))
            else {
                let text = unescape(&self.text[start..]);
                return self.ended(text);
            };
            at += length;
            match self.bytes()[at] {
                b'\\' => at = self.after_escaped(at),
                byte => {
                    // A string that a line break interrupts is not a string; the line break
                    // stays.
                    self.at = at + usize::from(byte == quote);
                    let text = &self.text[start..at];
                    return Ok(if byte == quote { unescape(text) } else { Cow::Borrowed("") });
                }
            }
        }
    }

    /// The offset after a backslash and what it escapes: a character, or up to six digits and a
    /// space.
    fn after_escaped(&self, backslash: usize) -> usize {
        let rest = &self.bytes()[backslash + 1..];
        let digits = rest.iter().take(6).take_while(|byte| byte.is_ascii_hexdigit()).count();
        let length = match digits {
            0 if rest.starts_with(b"\r\n") => 2,
            0 => self.text[backslash + 1..].chars().next().map_or(0, char::len_utf8),
            digits if rest[digits..].starts_with(b"\r\n") => digits + 2,
            digits => digits + usize::from(rest.get(digits).copied().is_some_and(is_space)),
        };
        backslash + 1 + length
    }

    fn name(&mut self) -> Result<Cow<'a, str>, EndOfInput> {
        let start = self.at;
        loop {
            match self.peek(0) {
                Some(b'\\') if !matches!(self.peek(1), Some(b'\n' | b'\r' | 0x0c)) => {
                    self.at = self.after_escaped(self.at);
                }
                Some(byte) if is_name(byte) => self.at += 1,
                Some(_) => return Ok(unescape(&self.text[start..self.at])),
                None => {
                    let name = unescape(&self.text[start..]);
                    return self.ended(name);
                }
            }
        }
    }

    fn ident_like(&mut self) -> Result<Token<'a>, EndOfInput> {
        let start = self.at;
        let name = self.name()?;
        if self.at == start {
            // A backslash before a line break.
            return self.one(Token::Other);
        }
        if self.peek(0) != Some(b'(') {
            return Ok(Token::Other);
        }
        self.at += 1;
        if !name.eq_ignore_ascii_case("url") {
            let sets = ["image-set", "-webkit-image-set"];
            return Ok(Token::Function(sets.iter().any(|set| name.eq_ignore_ascii_case(set))));
        }
        let rest = &self.bytes()[self.at..];
        let spaces = rest.iter().position(|byte| !is_space(*byte)).unwrap_or(rest.len());
        self.at += spaces;
        match self.peek(0) {
            Some(quote @ (b'"' | b'\'')) => self.string(quote).map(Token::Url),
            Some(_) => self.bare_url(),
            None => self.ended(Token::Other),
        }
    }

    /// A URL without quotes; it must not contain quotes or parentheses.
    fn bare_url(&mut self) -> Result<Token<'a>, EndOfInput> {
        let start = self.at;
        let mut at = start;
        let mut is_bad = false;
        loop {
            match self.bytes().get(at) {
                Some(b')') => break,
                Some(b'\\') => at = self.after_escaped(at),
                Some(b'"' | b'\'' | b'(') => {
                    is_bad = true;
                    at += 1;
                }
                Some(&byte) => {
                    at += 1;
                    // White space is allowed only at the end.
                    let next = self.bytes().get(at).copied().unwrap_or(b')');
                    is_bad |= is_space(byte) && !is_space(next) && next != b')';
                }
                None => {
                    let url = unescape(self.text[start..].trim_end_matches(is_space_char));
                    return self.ended(Token::Url(url));
                }
            }
        }
        let url = self.text[start..at].trim_end_matches(is_space_char);
        self.at = at + 1;
        Ok(if is_bad { Token::Other } else { Token::Url(unescape(url)) })
    }
}

fn is_space(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'\n' | b'\r' | 0x0c)
}

fn is_space_char(c: char) -> bool {
    matches!(c, ' ' | '\t' | '\n' | '\r' | '\x0c')
}

fn is_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_') || byte >= 0x80
}

/// Resolves escapes (CSS Syntax, "Consume an escaped code point").
fn unescape(text: &str) -> Cow<'_, str> {
    if !text.contains('\\') {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find('\\') {
        out.push_str(&rest[..at]);
        rest = &rest[at + 1..];
        let digits = rest.bytes().take(6).take_while(u8::is_ascii_hexdigit).count();
        if digits > 0 {
            let code = u32::from_str_radix(&rest[..digits], 16).unwrap_or_default();
            out.push(char::from_u32(code).filter(|c| *c != '\0').unwrap_or('\u{fffd}'));
            rest = &rest[digits..];
            rest = rest.strip_prefix("\r\n").or(rest.strip_prefix(is_space_char)).unwrap_or(rest);
        } else if let Some(after) = rest.strip_prefix("\r\n") {
            rest = after;
        } else if let Some(c) = rest.chars().next() {
            // An escaped line break is not part of the string.
            if !matches!(c, '\n' | '\r' | '\x0c') {
                out.push(c);
            }
            rest = &rest[c.len_utf8()..];
        }
    }
    out.push_str(rest);
    Cow::Owned(out)
}

/// The URLs in the value of a `style` attribute.
pub(super) fn in_declarations(value: &str, mut found: impl FnMut(Cow<'_, str>)) {
    if value.contains('(') {
        Scanner::new(value, true).scan(&mut State::default(), |url| found(url.url));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(text: &str) -> Vec<String> {
        let mut seen = Vec::new();
        Scanner::new(text, true).scan(&mut State::default(), |found| {
            let kind = if found.is_import { "import" } else { "url" };
            seen.push(format!("{kind} {}", found.url));
        });
        seen
    }

    #[test]
    fn urls_and_imports_are_found_in_all_their_forms() {
        for (text, expected) in [
            ("a { background: url(x.png) }", &["url x.png"][..]),
            ("a{b:URL( 'x y.png' )}", &["url x y.png"]),
            ("a{b:url(\"x\\\"y\")}", &["url x\"y"]),
            ("a{b:url(x\\)y\\26 z)}", &["url x)y&z"]),
            ("a{b:u\\72l(x)}", &["url x"]),
            ("@import 'a.css'; @import url(b.css) screen;", &["import a.css", "import b.css"]),
            ("@IMPORT \"a.css\" layer(x) supports(y);a{b:url(z)}", &["import a.css", "url z"]),
            (
                "@font-face{src:url(a.woff2)format('woff2'),url(b.woff)}",
                &["url a.woff2", "url b.woff"],
            ),
            ("a{b:url(data:image/gif;base64,R0lG/*x*/)}", &["url data:image/gif;base64,R0lG/*x*/"]),
            ("a{b:url(x", &["url x"]),
            ("@import 'a.css", &["import a.css"]),
            (
                "a{b:image-set('1.png' 1x type(\"image/avif\"), url(\"2.png\") 2x, \"3.png\" 3x)} \
                 c{content:'no'}",
                &["url 1.png", "url 2.png", "url 3.png"],
            ),
            ("a{b:-WebKit-Image-Set(\"1.png\" 1x);c:'no'}", &["url 1.png"]),
            ("a{b:image-set(linear-gradient('no') 1x, '1.png' 2x}c{d:'no'}", &["url 1.png"]),
            ("a{b:image(url(1.png),url(2.png))}", &["url 1.png", "url 2.png"]),
            ("<!-- a{b:url(x)} -->", &["url x"]),
        ] {
            assert_eq!(found(text), expected, "{text}");
        }
    }

    /// CSS Syntax Level 3, "Consume an escaped code point": one white space after the digits
    /// belongs to the escape, and CR LF is one.
    #[test]
    fn escapes_end_after_one_white_space() {
        for space in ["\r\n", "\n", " ", "\t"] {
            for digits in ["41", "041", "00041", "000041"] {
                let text = format!("x {{ background: url(\"\\{digits}{space}b\") }}");
                assert_eq!(found(&text), ["url Ab"], "{text:?}");
            }
        }
    }

    #[test]
    fn urls_that_are_never_fetched_are_not_found() {
        for text in [
            "/* url(x) @import 'y' */",
            "a::before{content:'url(x)'}",
            "a{filter:url(#blur)}",
            "a{b:url( '#blur' )}",
            "@namespace svg url(http://www.w3.org/2000/svg);",
            "@-moz-document url(http://a.test/) { a { color: red } }",
            "a{b:url(x y)}",
            "a{b:url(x'y)}",
            "a{b:'broken\n}",
            "a{b:curl(x)}",
            "a{b:\\",
        ] {
            assert_eq!(found(text), [] as [&str; 0], "{text}");
        }
        assert_eq!(found("a{b:'broken\n;c:url(x)}"), ["url x"]);
        assert_eq!(found("@-moz-document url(a) { } b{c:url(d)}"), ["url d"]);
    }
}
