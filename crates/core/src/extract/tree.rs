//! The open elements, by the HTML standard's rules for building the tree.
//!
//! No tree is built. A stack of the open elements shows where a tag is: in which landmark,
//! whether in a `template`, in HTML or in SVG. It follows the standard (HTML, "Tree
//! construction") as far as this depends on it: implied end tags, the scope of an end tag, cells
//! and rows, formatting elements that are closed out of order, and foreign content.

mod closing;
mod foreign;
mod scope;

use super::names::Name;
use crate::extract::reading::Region;
use scope::EndTagScope;

/// The depth at which browsers stop nesting; deeper elements count as being there.
const DEEPEST: usize = 512;

#[derive(Debug, Default, Clone, PartialEq)]
pub(super) struct Tree {
    open: Vec<Open>,
    /// Open elements whose content is not part of the page.
    hidden: u32,
    /// Open elements at which formatting elements end.
    markers: u32,
    /// Open `p` elements.
    paragraphs: u32,
    /// The fewest elements that were open since the last query.
    fewest: usize,
    /// A `form` is open: another within it is ignored.
    in_form: bool,
    /// There is something in the page that only a body can contain.
    body_began: bool,
    /// There was a `body` tag: another adds hardly anything.
    has_body_tag: bool,
    /// The page consists of frames: nothing else in it counts.
    in_frames: bool,
    /// That of the last tag, including itself.
    region: Option<Region>,
    /// That of the last tag, without itself.
    ancestor_hash: u32,
}

#[derive(Debug, Clone, Copy, PartialEq)]
struct Open {
    name: Name,
    space: Space,
    /// The landmark that the element is.
    own: Option<Region>,
    region: Option<Region>,
    /// See [`ancestor_hash_in`].
    ancestor_hash: u32,
    /// HTML within SVG or MathML may begin here.
    integration: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Space {
    Html,
    Svg,
    Math,
}

/// How a start tag was handled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Started {
    /// Browsers ignore it.
    Nothing,
    /// An element of HTML.
    Html,
    /// An element of SVG or MathML.
    Foreign,
}

/// The properties of a start tag.
#[derive(Debug, Clone, Copy)]
pub(super) struct StartTag<'a> {
    pub(super) name: Name,
    pub(super) role: Option<&'a str>,
    /// It ends with `/>`.
    pub(super) self_closing: bool,
    /// The page is XHTML, in which `/>` closes every element.
    pub(super) xml: bool,
    /// For `annotation-xml`: its encoding is HTML. For `font`: it has an attribute that only the
    /// HTML element has.
    pub(super) html_attribute: bool,
}

/// To leave a part of the page out.
impl Tree {
    /// A hash that is rarely the same in another place.
    pub(super) fn place_hash(&self) -> u64 {
        let flags = self.flags().into_iter().fold(1, |flags, flag| flags << 1 | u64::from(flag));
        let place =
            u64::from(self.parent_ancestor_hash()) << 32 | (self.depth() as u64) << 8 | flags;
        place.wrapping_mul(0x9e37_79b9_7f4a_7c15)
    }

    /// Whether all that what follows depends on is the same there.
    pub(super) fn is_same_place(&self, other: &Tree) -> bool {
        self.open == other.open && self.flags() == other.flags()
    }

    fn flags(&self) -> [bool; 4] {
        [self.in_form, self.body_began, self.has_body_tag, self.in_frames]
    }

    /// Everything is as it was there.
    pub(super) fn go_to(&mut self, there: &Tree) {
        let mut open = std::mem::take(&mut self.open);
        open.clear();
        open.extend_from_slice(&there.open);
        let Tree { hidden, markers, paragraphs, fewest, in_form, .. } = *there;
        let Tree { body_began, has_body_tag, in_frames, region, ancestor_hash, .. } = *there;
        *self = Tree {
            open,
            hidden,
            markers,
            paragraphs,
            fewest,
            in_form,
            body_began,
            has_body_tag,
            in_frames,
            region,
            ancestor_hash,
        };
    }

    /// How many bytes it takes in memory, about.
    pub(super) fn weight(&self) -> usize {
        size_of::<Tree>() + size_of_val(self.open.as_slice())
    }
}

impl Tree {
    /// Handles a start tag.
    pub(super) fn handle_start(&mut self, tag: StartTag<'_>) -> Started {
        if self.is_in_foreign_content(tag) {
            self.ancestor_hash = self.parent_ancestor_hash();
            return self.start_foreign(tag);
        }
        let name = if tag.name == Name::Image { Name::Img } else { tag.name };
        if !self.make_room(name) {
            return Started::Nothing;
        }
        self.body_began |= !name.may_stand_before_body();
        self.ancestor_hash = self.parent_ancestor_hash();
        let parent = self.parent_region_of(name);
        let own = by_role(tag.role).or(name.region());
        self.region = own.or(parent);
        // A form directly in a table is empty.
        let closed = name.is_void()
            || (tag.xml && tag.self_closing)
            || (name == Name::Form && self.is_outside_cells());
        let outside = matches!(name, Name::Html | Name::Head | Name::Body);
        let foreign = matches!(name, Name::Svg | Name::Math);
        if !(closed || outside || (foreign && tag.self_closing)) {
            let space = match name {
                Name::Svg => Space::Svg,
                Name::Math => Space::Math,
                _ => Space::Html,
            };
            let region = self.region;
            let ancestor_hash = ancestor_hash_in(self.ancestor_hash, name, own);
            self.push(Open { name, space, own, region, ancestor_hash, integration: false });
        }
        Started::Html
    }

    /// Handles an end tag.
    pub(super) fn handle_end(&mut self, name: Name) {
        if self.is_foreign() {
            if self.end_foreign(name) {
                return;
            }
            if matches!(name, Name::P | Name::Br) {
                self.leave_foreign();
            }
        }
        match name {
            Name::Html | Name::Head | Name::Body | Name::Br => {}
            Name::Template => self.close(name, EndTagScope::Page),
            Name::P => self.close(name, EndTagScope::Button),
            Name::Li => self.close(name, EndTagScope::ListItem),
            Name::Form => self.end_form(),
            Name::Table
            | Name::Caption
            | Name::Td
            | Name::Th
            | Name::Tr
            | Name::Tbody
            | Name::Tfoot
            | Name::Thead => self.close(name, EndTagScope::Table),
            Name::Dd
            | Name::Dt
            | Name::Button
            | Name::Applet
            | Name::Marquee
            | Name::Object
            | Name::Select => self.close(name, EndTagScope::Default),
            name if name.is_heading() => {
                self.close_up_to(Name::is_heading, |open| open.stops(EndTagScope::Default));
            }
            name if name.is_block() => self.close(name, EndTagScope::Default),
            name if name.is_formatting() => self.end_formatting(name),
            name => self.close_up_to(|open| open == name, Open::is_special),
        }
    }

    /// An element begins that only marks its text (see [`Name::is_phrase`]). Returns whether
    /// nothing in the tree depends on it once it has ended.
    pub(super) fn begin_phrase(&mut self) -> bool {
        if self.in_frames || self.is_foreign() || self.open.len() >= DEEPEST {
            return false;
        }
        self.body_began = true;
        true
    }

    /// The nearest landmark of the last tag, including itself.
    pub(super) fn region(&self) -> Option<Region> {
        self.region
    }

    /// Whether a `form` is open.
    pub(super) fn is_in_form(&self) -> bool {
        self.in_form
    }

    /// A hash of the blocks around the last tag, from the nearest landmark inwards: equal
    /// wherever a template puts the same part.
    pub(super) fn ancestor_hash(&self) -> u32 {
        self.ancestor_hash
    }

    /// Whether content here is not part of the page: in a `template`, or in an SVG script or
    /// style, which is tokenized as markup.
    pub(super) fn is_hidden(&self) -> bool {
        self.hidden > 0
    }

    /// Whether text here belongs to SVG or MathML.
    pub(super) fn is_foreign(&self) -> bool {
        self.open.last().is_some_and(|open| open.space != Space::Html)
    }

    /// Whether text here belongs to HTML, including HTML within SVG.
    pub(super) fn takes_html(&self) -> bool {
        self.open.last().is_none_or(|open| open.space == Space::Html || open.integration)
    }

    /// How many elements are open.
    pub(super) fn depth(&self) -> usize {
        self.open.len()
    }

    /// The fewest that were open at any time since the last call.
    pub(super) fn take_fewest(&mut self) -> usize {
        std::mem::replace(&mut self.fewest, self.open.len())
    }

    /// How many open elements end formatting elements.
    pub(super) fn markers(&self) -> u32 {
        self.markers
    }

    fn parent_ancestor_hash(&self) -> u32 {
        self.open.last().map_or(0, |open| open.ancestor_hash)
    }

    fn parent_region(&self) -> Option<Region> {
        self.open.last().and_then(|open| open.region)
    }

    /// The region around a tag. Content that is not allowed directly in a table is put before it
    /// (HTML, "foster parent").
    fn parent_region_of(&self, name: Name) -> Option<Region> {
        use Name::*;
        let in_table = matches!(self.top(), Some(Table | Tbody | Tfoot | Thead | Tr));
        let belongs = name.is_part_of_table() || matches!(name, Style | Script | Template);
        if !in_table || belongs {
            return self.parent_region();
        }
        let table = self.open.iter().rposition(|open| matches!(open.name, Table | Template));
        let before = table.and_then(|at| at.checked_sub(1)).and_then(|at| self.open.get(at));
        before.and_then(|open| open.region)
    }

    /// Whether a table is open, but no cell of it.
    fn is_outside_cells(&self) -> bool {
        use Name::*;
        let nearest = |open: &&Open| matches!(open.name, Table | Td | Th | Caption | Template);
        self.open.iter().rev().find(nearest).is_some_and(|open| open.name == Table)
    }

    /// Closes what a start tag closes implicitly. Returns false if the tag itself is ignored.
    fn make_room(&mut self, name: Name) -> bool {
        if self.in_frames && !matches!(name, Name::Frameset | Name::Frame | Name::Noframes) {
            return false;
        }
        match name {
            Name::Li => self.close_item(|open| open == Name::Li),
            Name::Dd | Name::Dt => self.close_item(|open| matches!(open, Name::Dd | Name::Dt)),
            Name::Button => self.close(name, EndTagScope::Default),
            Name::A if self.reachable(Name::A).is_some() => self.end_formatting(Name::A),
            Name::Nobr if self.is_in_scope(Name::Nobr, EndTagScope::Default) => {
                self.end_formatting(Name::Nobr);
            }
            Name::Option if self.top() == Some(Name::Option) => self.pop(),
            Name::Optgroup if self.top() == Some(Name::Option) => self.pop(),
            Name::Rb | Name::Rtc | Name::Rp | Name::Rt => self.close_ruby(name),
            Name::Form => {
                if self.in_form && self.hidden == 0 {
                    return false;
                }
                self.in_form = true;
            }
            Name::Frameset => {
                let too_late = self.in_frames && self.top() != Some(Name::Frameset);
                if self.body_began || too_late {
                    return false;
                }
                self.in_frames = true;
            }
            Name::Body => return !std::mem::replace(&mut self.has_body_tag, true),
            Name::Frame => return self.top() == Some(Name::Frameset),
            Name::Table => self.close_bare_table(),
            name if name.is_part_of_table() => return self.make_table_room(name),
            _ => {}
        }
        if self.paragraphs > 0 && name.closes_p() {
            self.close(Name::P, EndTagScope::Button);
        }
        if name.is_heading() && self.top().is_some_and(Name::is_heading) {
            self.pop();
        }
        true
    }

    fn top(&self) -> Option<Name> {
        self.open.last().filter(|open| open.space == Space::Html).map(|open| open.name)
    }

    fn push(&mut self, open: Open) {
        if self.open.len() < DEEPEST {
            self.count(open, true);
            self.open.push(open);
        }
    }

    fn pop(&mut self) {
        self.truncate(self.open.len() - 1);
    }

    fn truncate(&mut self, length: usize) {
        while self.open.len() > length
            && let Some(open) = self.open.pop()
        {
            self.count(open, false);
        }
        self.fewest = self.fewest.min(self.open.len());
    }

    fn count(&mut self, open: Open, opened: bool) {
        let step = |counter: &mut u32| {
            *counter = if opened { *counter + 1 } else { counter.saturating_sub(1) };
        };
        let raw = matches!(open.name, Name::Script | Name::Style);
        if open.name == Name::Template || (raw && open.space != Space::Html) {
            step(&mut self.hidden);
        }
        if open.space == Space::Html && open.name.is_marker() {
            step(&mut self.markers);
        }
        if open.name == Name::P {
            step(&mut self.paragraphs);
        }
    }
}

/// The hash within an element. It starts again at a landmark. Elements that only change the look
/// of text do not count: menus often show the current entry in bold.
fn ancestor_hash_in(parent: u32, name: Name, own: Option<Region>) -> u32 {
    let step = |from: u32, what: u32| (from ^ what).wrapping_mul(0x9E37_79B1).rotate_left(15);
    match own {
        Some(region) => step(0, 0x100 + region as u32),
        None if name.is_formatting() || matches!(name, Name::Span | Name::Mark) => parent,
        None => step(parent, name as u32 + 1),
    }
}

/// The landmark that a role names (WAI-ARIA, "Landmark Roles"): the first known role counts.
fn by_role(role: Option<&str>) -> Option<Region> {
    role?.split_ascii_whitespace().find_map(|role| match role.to_ascii_lowercase().as_str() {
        "banner" => Some(Region::Header),
        "navigation" => Some(Region::Nav),
        "main" => Some(Region::Main),
        "complementary" => Some(Region::Aside),
        "contentinfo" => Some(Region::Footer),
        _ => None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Handles tags such as `nav`, `/nav`, `g/` or `div:navigation`.
    fn play(tags: &str) -> Tree {
        let mut tree = Tree::default();
        for tag in tags.split_ascii_whitespace() {
            if let Some(name) = tag.strip_prefix('/') {
                tree.handle_end(Name::of(name.as_bytes()));
                continue;
            }
            let (tag, role) = match tag.split_once(':') {
                Some((tag, role)) => (tag, Some(role)),
                None => (tag, None),
            };
            let self_closing = tag.ends_with('/');
            let name = Name::of(tag.trim_end_matches('/').as_bytes());
            let start = StartTag { name, role, self_closing, xml: false, html_attribute: false };
            tree.handle_start(start);
        }
        tree
    }

    /// The region in which a link would be after these tags.
    fn after(tags: &str) -> Option<&'static str> {
        play(&format!("{tags} a")).region().map(Region::as_str)
    }

    /// The elements that are open after these tags.
    fn open(tags: &str) -> Vec<Name> {
        play(tags).open.iter().map(|open| open.name).collect()
    }

    #[test]
    fn void_elements_never_open() {
        assert_eq!(open("br hr img:navigation"), []);
        assert_eq!(after("img:navigation"), None);
        assert_eq!(open("div/"), [Name::of(b"div")], "a slash closes nothing in HTML");
    }

    #[test]
    fn a_second_nobr_closes_the_first() {
        assert_eq!(open("nobr nobr"), [Name::Nobr]);
        assert_eq!(open("nobr table td nobr"), open("nobr table td nobr nobr"));
    }

    #[test]
    fn frames_take_the_place_of_the_body() {
        assert_eq!(open("frameset frameset"), [Name::Frameset, Name::Frameset]);
        assert_eq!(open("frameset p nav"), [Name::Frameset], "only frames may follow");
        assert_eq!(open("p frameset"), [Name::P], "the body has begun");
        assert_eq!(open("frameset /frameset frameset"), [], "the frames have ended");
        assert_eq!(after("p frameset nav"), Some("nav"));
        assert_eq!(after("frameset nav"), None);
    }

    #[test]
    fn the_nearest_landmark_counts() {
        assert_eq!(after("header nav"), Some("nav"));
        assert_eq!(after("header nav /nav"), Some("header"));
        assert_eq!(after("div:navigation ul"), Some("nav"));
        assert_eq!(after("div:navigation /div"), None);
        assert_eq!(after("footer div:presentation"), Some("footer"));
        assert_eq!(after("span:navigation b"), Some("nav"));
    }

    #[test]
    fn end_tags_close_up_to_their_start_and_stray_ones_are_ignored() {
        assert_eq!(after("main nav div div /nav"), Some("main"));
        assert_eq!(after("main /nav"), Some("main"));
        assert_eq!(after("main div /b"), Some("main"));
        assert_eq!(after("div footer table tr td /div"), Some("footer"));
        assert_eq!(after("nav table tr td aside /table"), Some("nav"));
        assert_eq!(after("table td nav td"), None);
        assert_eq!(after("h1 div:navigation /h2"), None);
    }

    #[test]
    fn items_close_the_previous_item_but_not_across_a_block() {
        assert_eq!(after("ul li div:navigation li"), None);
        assert_eq!(after("ul li nav li"), Some("nav"));
        assert_eq!(after("dl dt span:navigation dd"), None);
        assert_eq!(after("p span:navigation div"), None);
    }

    #[test]
    fn formatting_elements_that_cross_a_block_leave_it_open() {
        assert_eq!(after("a:navigation /a"), None);
        assert_eq!(after("b:navigation nav /b"), Some("nav"));
        assert_eq!(after("main a span:navigation div /a"), Some("main"));
    }

    #[test]
    fn parts_of_a_table_outside_a_table_are_ignored() {
        assert_eq!(after("td:navigation"), None);
        assert_eq!(after("table td:navigation"), Some("nav"));
        assert_eq!(after("table tr:navigation td table tr td"), Some("nav"));
        assert_eq!(after("table tr:navigation table"), None);
    }

    #[test]
    fn foreign_content_ends_where_html_begins_again() {
        for (tags, foreign) in [
            ("svg g", true),
            ("svg/", false),
            ("svg path/ g /svg", false),
            ("svg foreignobject", true),
            ("svg foreignobject div", false),
            ("svg foreignobject div /div /svg", false),
            ("svg g p", false),
            ("math mi b", false),
            ("svg title", true),
        ] {
            assert_eq!(play(tags).is_foreign(), foreign, "{tags}");
        }
    }

    #[test]
    fn templates_and_foreign_scripts_hide_what_is_in_them() {
        assert!(play("template div").is_hidden());
        assert!(!play("template div /template").is_hidden());
        assert!(play("svg script").is_hidden());
        assert!(!play("svg script/").is_hidden());
    }
}
