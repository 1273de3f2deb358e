//! The names of elements, as numbers that can be compared quickly.
//!
//! A name of at most sixteen bytes is one integer, so that looking it up is a search among
//! integers. Names without special treatment are [`Name::Other`].

/// A name as an integer; only for names of at most sixteen bytes.
const fn key(name: &[u8]) -> u128 {
    let mut key = 0;
    let mut at = 0;
    while at < name.len() {
        key = key << 8 | name[at] as u128;
        at += 1;
    }
    key
}

macro_rules! names {
    ($($variant:ident $text:literal)*) => {
        /// The name of an element of HTML, SVG or MathML, in lower case.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        #[repr(u8)]
        pub(super) enum Name { $($variant,)* Other }

        #[expect(non_upper_case_globals, reason = "named like the variants")]
        mod keys {
            $(pub(super) const $variant: u128 = super::key($text.as_bytes());)*
        }

        impl Name {
            pub(super) const TEXTS: &'static [&'static str] = &[$($text,)* "other"];

            /// The name in these bytes, which are in lower case.
            pub(super) fn of(name: &[u8]) -> Name {
                if name.len() > 16 {
                    return Name::Other;
                }
                match key(name) {
                    $(keys::$variant => Name::$variant,)*
                    _ => Name::Other,
                }
            }
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

impl Name {
    /// The name as text; `other` for one that is not in the list.
    pub(super) fn text(self) -> &'static str {
        Name::TEXTS[self as usize]
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
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_name_is_found_by_its_text() {
        for text in Name::TEXTS {
            assert_eq!(Name::of(text.as_bytes()).text(), *text);
        }
        assert_eq!(Name::of(b"my-card"), Name::Other);
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
