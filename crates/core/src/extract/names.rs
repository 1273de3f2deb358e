//! The names of elements, as numbers that can be compared quickly.
//!
//! The first eight bytes of a name are one integer, which is looked up in a table. Names without special treatment are [`Name::Other`].

use html5gum::State;

use crate::extract::reading::Region;

/// The first eight bytes of a name as an integer: no two names in the list have the same.
const fn key(name: &[u8]) -> u64 {
    let mut key = 0;
    let mut at = 0;
    while at < name.len() && at < 8 {
        key = key << 8 | name[at] as u64;
        at += 1;
    }
    key
}

macro_rules! names {
    ($($variant:ident $text:literal)*) => {
        /// The name of an element of HTML, SVG or MathML, in lower case.
        #[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
        #[repr(u8)]
        pub(super) enum Name { $($variant,)* #[default] Other }

        impl Name {
            pub(super) const TEXTS: &'static [&'static str] = &[$($text,)* "other"];
            const ALL: &'static [Name] = &[$(Name::$variant,)* Name::Other];
        }
    };
}

names! {
    A "a" Abbr "abbr" Address "address" AnnotationXml "annotation-xml" Applet "applet" Area "area"
    Article "article" Aside "aside" Audio "audio" B "b" Base "base" Basefont "basefont" Bdi "bdi"
    Bdo "bdo" Bgsound "bgsound" Big "big" Blockquote "blockquote" Body "body" Br "br"
    Button "button" Canvas "canvas" Caption "caption" Center "center" Circle "circle" Cite "cite"
    Code "code" Col "col" Colgroup "colgroup" Data "data" Datalist "datalist" Dd "dd" Defs "defs"
    Del "del" Desc "desc" Details "details" Dfn "dfn" Dialog "dialog" Dir "dir" Div "div" Dl "dl"
    Dt "dt" Ellipse "ellipse" Em "em" Embed "embed" Fieldset "fieldset" Figcaption "figcaption"
    Figure "figure" Font "font" Footer "footer" ForeignObject "foreignobject" Form "form"
    Frame "frame" Frameset "frameset" G "g" H1 "h1" H2 "h2" H3 "h3" H4 "h4" H5 "h5" H6 "h6"
    Head "head" Header "header" Hgroup "hgroup" Hr "hr" Html "html" I "i" Iframe "iframe"
    Image "image" Img "img" Input "input" Ins "ins" Kbd "kbd" Keygen "keygen" Label "label"
    Legend "legend" Li "li" Line "line" Link "link" Listing "listing" Main "main"
    Malignmark "malignmark" Map "map" Mark "mark" Marquee "marquee" Math "math" Menu "menu"
    Meta "meta" Meter "meter" Mglyph "mglyph" Mi "mi" Mn "mn" Mo "mo" Ms "ms" Mtext "mtext"
    Nav "nav" Nobr "nobr" Noembed "noembed" Noframes "noframes" Noscript "noscript"
    Object "object" Ol "ol" Optgroup "optgroup" Option "option" Output "output" P "p"
    Param "param" Path "path" Picture "picture" Plaintext "plaintext" Polygon "polygon"
    Polyline "polyline" Pre "pre" Progress "progress" Q "q" Rb "rb" Rect "rect" Rp "rp" Rt "rt"
    Rtc "rtc" Ruby "ruby" S "s" Samp "samp" Script "script" Search "search" Section "section"
    Select "select" Slot "slot" Small "small" Source "source" Span "span" Strike "strike"
    Strong "strong" Style "style" Sub "sub" Summary "summary" Sup "sup" Svg "svg"
    Symbol "symbol" Table "table" Tbody "tbody" Td "td" Template "template" Text "text"
    Textarea "textarea" Tfoot "tfoot" Th "th" Thead "thead" Time "time" Title "title" Tr "tr"
    Track "track" Tspan "tspan" Tt "tt" U "u" Ul "ul" Use "use" Var "var" Video "video" Wbr "wbr"
    Xmp "xmp"
}

/// The place of a key in the table of names, unless another name is there.
const fn slot(key: u64) -> usize {
    (key.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 55) as usize
}

/// The names by their keys: at their slot, or after it.
static BY_KEY: [Name; 512] = {
    let mut table = [Name::Other; 512];
    let mut at = 0;
    while at < Name::ALL.len() - 1 {
        let mut place = slot(key(Name::TEXTS[at].as_bytes()));
        while !matches!(table[place], Name::Other) {
            place = (place + 1) % 512;
        }
        table[place] = Name::ALL[at];
        at += 1;
    }
    table
};

/// The key of each name.
static KEYS: [u64; Name::ALL.len()] = {
    let mut keys = [0; Name::ALL.len()];
    let mut at = 0;
    while at < keys.len() {
        keys[at] = key(Name::TEXTS[at].as_bytes());
        at += 1;
    }
    keys
};

impl Name {
    /// The name in these bytes, which are in lower case.
    pub(super) fn of(name: &[u8]) -> Name {
        let found = Name::of_key(key(name));
        let text = found.text().as_bytes();
        let is_same = text.len() == name.len() && (name.len() <= 8 || text == name);
        if is_same { found } else { Name::Other }
    }

    /// The name whose first eight bytes these are, the last one in the lowest bits.
    #[inline]
    pub(super) fn of_key(key: u64) -> Name {
        let mut place = slot(key);
        loop {
            match BY_KEY[place] {
                Name::Other => return Name::Other,
                found if KEYS[found as usize] == key => return found,
                _ => place = (place + 1) % BY_KEY.len(),
            }
        }
    }

    /// The name as text; `other` for one that is not in the list.
    pub(super) fn text(self) -> &'static str {
        Name::TEXTS[self as usize]
    }

    /// The landmark that the element is, whatever its role.
    pub(super) fn region(self) -> Option<Region> {
        match self {
            Name::Header => Some(Region::Header),
            Name::Nav => Some(Region::Nav),
            Name::Main => Some(Region::Main),
            Name::Aside => Some(Region::Aside),
            Name::Footer => Some(Region::Footer),
            _ => None,
        }
    }

    /// The tokenizer's state after its start tag, if its content is not markup.
    pub(super) fn text_state(self) -> Option<State> {
        match self {
            Name::Textarea | Name::Title => Some(State::RcData),
            Name::Plaintext => Some(State::PlainText),
            Name::Script => Some(State::ScriptData),
            // `noscript` is parsed: it is what visitors without scripts get.
            Name::Style | Name::Xmp | Name::Iframe | Name::Noembed | Name::Noframes => {
                Some(State::RawText)
            }
            _ => None,
        }
    }

    /// Whether it only marks its text: it closes nothing, nor does its end if it has no elements.
    pub(super) fn is_phrase(self) -> bool {
        use Name::*;
        matches!(
            self,
            Abbr | B
                | Big
                | Cite
                | Code
                | Data
                | Dfn
                | Em
                | I
                | Kbd
                | Mark
                | Q
                | S
                | Samp
                | Small
                | Span
                | Strike
                | Strong
                | Sub
                | Sup
                | Time
                | Tt
                | U
                | Var
        )
    }

    /// Whether it never has content (HTML, "Void elements", with the obsolete ones).
    pub(super) fn is_void(self) -> bool {
        use Name::*;
        matches!(
            self,
            Area | Base
                | Basefont
                | Bgsound
                | Br
                | Col
                | Embed
                | Frame
                | Hr
                | Img
                | Input
                | Keygen
                | Link
                | Meta
                | Param
                | Source
                | Track
                | Wbr
        )
    }

    pub(super) fn is_heading(self) -> bool {
        use Name::*;
        matches!(self, H1 | H2 | H3 | H4 | H5 | H6)
    }

    /// Whether it is in the "formatting" category (HTML, "The stack of open elements").
    pub(super) fn is_formatting(self) -> bool {
        use Name::*;
        matches!(
            self,
            A | B | Big | Code | Em | Font | I | Nobr | S | Small | Strike | Strong | Tt | U
        )
    }

    /// Blocks whose start tag closes an open `p`, and whose end tag closes up to their start
    /// (HTML, "in body").
    pub(super) fn is_block(self) -> bool {
        use Name::*;
        matches!(
            self,
            Address
                | Article
                | Aside
                | Blockquote
                | Center
                | Details
                | Dialog
                | Dir
                | Div
                | Dl
                | Fieldset
                | Figcaption
                | Figure
                | Footer
                | Header
                | Hgroup
                | Listing
                | Main
                | Menu
                | Nav
                | Ol
                | Pre
                | Search
                | Section
                | Summary
                | Ul
        )
    }

    /// Whether it is in the "special" category, as an HTML element.
    pub(super) fn is_special(self) -> bool {
        use Name::*;
        self.is_block() && self != Dialog
            || self.is_heading()
            || self.is_void()
            || matches!(
                self,
                Applet
                    | Body
                    | Button
                    | Caption
                    | Colgroup
                    | Dd
                    | Dt
                    | Form
                    | Frameset
                    | Head
                    | Html
                    | Iframe
                    | Li
                    | Marquee
                    | Noembed
                    | Noframes
                    | Noscript
                    | Object
                    | P
                    | Plaintext
                    | Script
                    | Select
                    | Style
                    | Table
                    | Tbody
                    | Td
                    | Template
                    | Textarea
                    | Tfoot
                    | Th
                    | Thead
                    | Title
                    | Tr
                    | Xmp
            )
    }

    /// Whether formatting elements end at it (HTML, "The list of active formatting elements": the
    /// elements that put a marker on it).
    pub(super) fn is_marker(self) -> bool {
        use Name::*;
        matches!(self, Applet | Object | Marquee | Template | Td | Th | Caption)
    }

    /// Start tags that end foreign content (HTML, "The rules for parsing tokens in foreign
    /// content"); `font` only with some attributes.
    pub(super) fn ends_foreign_content(self) -> bool {
        use Name::*;
        self.is_heading()
            || matches!(
                self,
                B | Big
                    | Blockquote
                    | Body
                    | Br
                    | Center
                    | Code
                    | Dd
                    | Div
                    | Dl
                    | Dt
                    | Em
                    | Embed
                    | Head
                    | Hr
                    | I
                    | Img
                    | Li
                    | Listing
                    | Menu
                    | Meta
                    | Nobr
                    | Ol
                    | P
                    | Pre
                    | Ruby
                    | S
                    | Small
                    | Span
                    | Strong
                    | Strike
                    | Sub
                    | Sup
                    | Table
                    | Tt
                    | U
                    | Ul
                    | Var
            )
    }

    /// Whether it belongs to a table, and is ignored outside one.
    pub(super) fn is_part_of_table(self) -> bool {
        use Name::*;
        matches!(self, Caption | Col | Colgroup | Tbody | Tfoot | Thead | Tr | Td | Th)
    }

    /// Whether its start tag does not begin the body (HTML, "in head").
    pub(super) fn may_stand_before_body(self) -> bool {
        use Name::*;
        matches!(
            self,
            Html | Head
                | Title
                | Base
                | Basefont
                | Bgsound
                | Link
                | Meta
                | Noframes
                | Noscript
                | Script
                | Style
                | Template
                | Frameset
                | Frame
        )
    }

    /// Whether its start tag closes an open `p` (HTML, "in body").
    pub(super) fn closes_p(self) -> bool {
        use Name::*;
        self.is_block()
            || self.is_heading()
            || matches!(self, Li | Dd | Dt | Form | Table | Hr | P | Plaintext | Xmp)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_name_is_found_by_its_text() {
        for text in Name::TEXTS {
            assert_eq!(Name::of(text.as_bytes()).text(), *text);
        }
        for other in ["my-card", "templates", "blockquot", "blockquotes", "blockquoti"] {
            assert_eq!(Name::of(other.as_bytes()), Name::Other, "{other}");
        }
        assert_eq!(Name::of(b"a-name-that-is-far-too-long"), Name::Other);
        assert_eq!(Name::of(b""), Name::Other);
    }

    #[test]
    fn every_category_of_special_elements_is_special() {
        use Name::*;
        for name in [Div, P, H1, H6, Br, Img, Body, Button, Td, Li] {
            assert!(name.is_special(), "{name:?}");
        }
        for name in [A, Dialog, Name::Other] {
            assert!(!name.is_special(), "{name:?}");
        }
    }
}
