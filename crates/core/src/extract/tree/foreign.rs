//! Foreign content: SVG and MathML within HTML (HTML, "The rules for parsing tokens in foreign
//! content").

use super::{Open, Space, StartTag, Started, Tree, ancestor_hash_in, by_role};
use crate::extract::names::Name;

impl Tree {
    /// Whether a start tag falls under the rules for foreign content.
    pub(super) fn is_in_foreign_content(&self, tag: StartTag<'_>) -> bool {
        let Some(top) = self.open.last() else { return false };
        match top.space {
            Space::Html => false,
            Space::Svg => !top.integration,
            Space::Math if top.name == Name::AnnotationXml => {
                !top.integration && tag.name != Name::Svg
            }
            Space::Math => !top.integration || matches!(tag.name, Name::Mglyph | Name::Malignmark),
        }
    }

    pub(super) fn start_foreign(&mut self, tag: StartTag<'_>) -> Started {
        let ends =
            tag.name.ends_foreign_content() || (tag.name == Name::Font && tag.html_attribute);
        if ends && !tag.xml {
            self.leave_foreign();
            return self.handle_start(tag);
        }
        let space = self.open.last().map_or(Space::Html, |open| open.space);
        let own = by_role(tag.role);
        self.region = own.or(self.parent_region());
        if !tag.self_closing {
            let integration = match space {
                Space::Svg => {
                    matches!(tag.name, Name::ForeignObject | Name::Desc | Name::Title)
                }
                Space::Math if tag.name == Name::AnnotationXml => tag.html_attribute,
                _ => matches!(tag.name, Name::Mi | Name::Mn | Name::Mo | Name::Ms | Name::Mtext),
            };
            let region = self.region;
            let ancestor_hash = ancestor_hash_in(self.ancestor_hash, tag.name, own);
            self.push(Open { name: tag.name, space, own, region, ancestor_hash, integration });
        }
        Started::Foreign
    }

    /// Returns whether the end tag closed something foreign.
    pub(super) fn end_foreign(&mut self, name: Name) -> bool {
        for at in (0..self.open.len()).rev() {
            let open = self.open[at];
            if open.space == Space::Html {
                return false;
            }
            if open.name == name {
                self.truncate(at);
                return true;
            }
        }
        false
    }

    /// Closes foreign elements, up to where HTML is allowed.
    pub(super) fn leave_foreign(&mut self) {
        while self.open.last().is_some_and(|open| open.space != Space::Html && !open.integration) {
            self.pop();
        }
    }
}
