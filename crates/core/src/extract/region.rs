//! Where in the page a tag stands: a stack of the open elements that matter.
//!
//! Only elements with an end tag of their own are on it; formatting elements
//! (`b`, `a`, `span` …) are not, since their end tags close nothing else. An end
//! tag closes up to its start tag (HTML, "in body" insertion mode); it closes
//! nothing when the start tag stands outside the table cell that holds it, or
//! was never there.

use crate::reading::Region;

/// As deep as browsers build their trees; what lies deeper keeps the region
/// of its parents.
const DEEPEST: usize = 512;

/// Elements that hold others and are closed by their own end tag.
fn container(name: &str) -> Option<&'static str> {
    macro_rules! own_name {
        ($($known:literal)*) => { match name { $($known => Some($known),)* _ => None } };
    }
    own_name! {
        "address" "article" "aside" "blockquote" "button" "caption" "center" "details" "dialog"
        "dir" "div" "dl" "fieldset" "figcaption" "figure" "footer" "form" "header" "hgroup"
        "main" "math" "menu" "nav" "object" "ol" "pre" "search" "section" "select" "summary"
        "svg" "table" "td" "template" "th" "ul"
    }
}

/// Elements that an end tag from inside does not reach across
/// (HTML, "has an element in scope").
const BARRIERS: &[&str] = &["caption", "object", "table", "td", "template", "th"];

#[derive(Debug, Default)]
pub(super) struct Stack {
    open: Vec<Open>,
    templates: u32,
    foreign: u32,
}

#[derive(Debug, Clone, Copy)]
struct Open {
    name: &'static str,
    region: Option<Region>,
}

impl Stack {
    /// A start tag. Elements that hold nothing must not be told.
    pub(super) fn handle_start(&mut self, name: &str, role: Option<&str>) {
        if matches!(name, "td" | "th" | "tr" | "tbody" | "thead" | "tfoot" | "caption") {
            self.close_cell();
        }
        let Some(name) = container(name).filter(|_| self.open.len() < DEEPEST) else { return };
        let region = by_role(role).or(Region::named(name)).or(self.region());
        self.count(name, true);
        self.open.push(Open { name, region });
    }

    /// An end tag.
    pub(super) fn handle_end(&mut self, name: &str) {
        if matches!(name, "tr" | "tbody" | "thead" | "tfoot") {
            self.close_cell();
        }
        if container(name).is_none() {
            return;
        }
        for at in (0..self.open.len()).rev() {
            let open = self.open[at].name;
            if open == name {
                self.truncate(at);
                return;
            }
            // `</table>` reaches out of its own cells, and `</template>` out of anything.
            let reaches_out =
                (name == "table" && matches!(open, "td" | "th" | "caption")) || name == "template";
            if BARRIERS.contains(&open) && !reaches_out {
                return;
            }
        }
    }

    /// The nearest landmark.
    pub(super) fn region(&self) -> Option<Region> {
        self.open.last().and_then(|open| open.region)
    }

    /// Whether the tag stands in a `template`, which is not part of the page.
    pub(super) fn in_template(&self) -> bool {
        self.templates > 0
    }

    /// Whether the tag stands in SVG or MathML.
    pub(super) fn in_foreign(&self) -> bool {
        self.foreign > 0
    }

    /// A new cell or row closes the cell before it, within the same table.
    fn close_cell(&mut self) {
        for at in (0..self.open.len()).rev() {
            match self.open[at].name {
                "td" | "th" | "caption" => return self.truncate(at),
                "table" | "template" => return,
                _ => {}
            }
        }
    }

    fn truncate(&mut self, length: usize) {
        for at in (length..self.open.len()).rev() {
            self.count(self.open[at].name, false);
        }
        self.open.truncate(length);
    }

    fn count(&mut self, name: &str, opened: bool) {
        let counter = match name {
            "template" => &mut self.templates,
            "svg" | "math" => &mut self.foreign,
            _ => return,
        };
        if opened {
            *counter += 1;
        } else {
            *counter -= 1;
        }
    }
}

/// The landmark that a role names (WAI-ARIA, "Landmark Roles"): the first that is known.
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

    /// Plays tags such as `nav`, `/nav` or `div:navigation`, and gives the region after them.
    fn after(tags: &str) -> Option<&'static str> {
        let mut stack = Stack::default();
        for tag in tags.split(' ') {
            match (tag.strip_prefix('/'), tag.split_once(':')) {
                (Some(name), _) => stack.handle_end(name),
                (None, Some((name, role))) => stack.handle_start(name, Some(role)),
                (None, None) => stack.handle_start(tag, None),
            }
        }
        stack.region().map(Region::as_str)
    }

    #[test]
    fn the_nearest_landmark_counts() {
        assert_eq!(after("header nav"), Some("nav"));
        assert_eq!(after("header nav /nav"), Some("header"));
        assert_eq!(after("div:navigation ul"), Some("nav"));
        assert_eq!(after("div:navigation /div"), None);
        assert_eq!(after("footer div:presentation"), Some("footer"));
    }

    #[test]
    fn end_tags_close_up_to_their_start_and_stray_ones_nothing() {
        assert_eq!(after("main nav div div /nav"), Some("main"));
        assert_eq!(after("main /nav"), Some("main"));
        assert_eq!(after("main div /b"), Some("main"));
        assert_eq!(after("div footer table tr td /div"), Some("footer"));
        assert_eq!(after("nav table tr td aside /table"), Some("nav"));
        assert_eq!(after("table td nav td"), None);
    }
}
