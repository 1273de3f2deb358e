//! Closing elements: the scope of end tags, implied end tags, and the parts of tables.

use super::scope::EndTagScope;
use super::{Open, Space, Tree, ancestor_hash_in};
use crate::extract::names::Name;

impl Tree {
    /// A list item closes the previous one, but not across other blocks.
    pub(super) fn close_item(&mut self, is_item: impl Fn(Name) -> bool) {
        self.close_up_to(is_item, |open| {
            open.is_special() && !matches!(open.name, Name::Address | Name::Div | Name::P)
        });
    }

    pub(super) fn close_ruby(&mut self, name: Name) {
        if !self.is_in_scope(Name::Ruby, EndTagScope::Default) {
            return;
        }
        let keeps = |open| open == Name::Rtc && matches!(name, Name::Rp | Name::Rt);
        while self.top().is_some_and(|open| has_implied_end(open) && !keeps(open)) {
            self.pop();
        }
    }

    /// A table directly in a table closes it; one in a cell does not.
    pub(super) fn close_bare_table(&mut self) {
        if self.is_outside_cells() {
            self.close(Name::Table, EndTagScope::Table);
        }
    }

    /// A part of a table closes the previous parts. Outside a table it is ignored.
    pub(super) fn make_table_room(&mut self, name: Name) -> bool {
        let table = self.open.iter().rposition(|open| {
            matches!(open.name, Name::Table | Name::Template) || open.integration
        });
        let Some(table) = table.filter(|&at| !self.open[at].integration) else { return false };
        let is_section = |open| matches!(open, Name::Tbody | Name::Thead | Name::Tfoot);
        let home = |open: Name| match name {
            Name::Td | Name::Th => open == Name::Tr || is_section(open),
            Name::Tr => is_section(open),
            Name::Col => open == Name::Colgroup,
            _ => false,
        };
        let inside = self.open[table..].iter().rposition(|open| home(open.name));
        self.truncate(table + inside.unwrap_or(0) + 1);
        // Omitted elements in between are implied.
        let is_cell = matches!(name, Name::Td | Name::Th);
        if self.top() == Some(Name::Table) && (is_cell || name == Name::Tr) {
            self.push_implied(Name::Tbody);
        }
        if is_cell && self.top().is_some_and(is_section) {
            self.push_implied(Name::Tr);
        }
        if self.top() == Some(Name::Table) && name == Name::Col {
            self.push_implied(Name::Colgroup);
        }
        true
    }

    pub(super) fn push_implied(&mut self, name: Name) {
        let region = self.parent_region();
        let ancestor_hash = ancestor_hash_in(self.parent_ancestor_hash(), name, None);
        let space = Space::Html;
        self.push(Open { name, space, own: None, region, ancestor_hash, integration: false });
    }

    /// `</form>` closes only the form itself.
    pub(super) fn end_form(&mut self) {
        self.in_form = false;
        if self.is_in_scope(Name::Form, EndTagScope::Default) {
            while self.top().is_some_and(has_implied_end) {
                self.pop();
            }
            if let Some(at) = self.open.iter().rposition(|open| open.name == Name::Form) {
                self.open.remove(at);
            }
        }
    }

    /// The end tag of `b`, `a` and the like closes everything up to its start, except a block in
    /// between, which stays open (HTML, "adoption agency algorithm").
    pub(super) fn end_formatting(&mut self, name: Name) {
        let Some(at) = self.reachable(name) else {
            return self.close_up_to(|open| open == name, Open::is_special);
        };
        let block = self.open[at..].iter().position(Open::is_special);
        let Some(block) = block.map(|within| at + within) else { return self.truncate(at) };
        // Formatting elements in between are opened again within the block; others end.
        let mut index = 0;
        self.open.retain(|open| {
            let here = index;
            index += 1;
            here != at && (here < at || here >= block || open.name.is_formatting())
        });
        // The block has moved out of the element that ended.
        let mut around = at.checked_sub(1).and_then(|before| self.open[before].region);
        for open in &mut self.open[at..] {
            open.region = open.own.or(around);
            around = open.region;
        }
    }

    /// The open formatting element with this name that an end tag here would find.
    pub(super) fn reachable(&self, name: Name) -> Option<usize> {
        for (at, open) in self.open.iter().enumerate().rev() {
            if open.name == name && open.space == Space::Html {
                return Some(at);
            }
            if open.space == Space::Html && open.name.is_marker() {
                return None;
            }
        }
        None
    }

    pub(super) fn is_in_scope(&self, name: Name, reach: EndTagScope) -> bool {
        for open in self.open.iter().rev() {
            if open.space == Space::Html && open.name == name {
                return true;
            }
            if open.stops(reach) {
                return false;
            }
        }
        false
    }

    pub(super) fn close(&mut self, name: Name, reach: EndTagScope) {
        self.close_up_to(|open| open == name, |open| open.stops(reach));
    }

    /// Closes everything up to an element, unless something stops the search.
    pub(super) fn close_up_to(
        &mut self,
        is_it: impl Fn(Name) -> bool,
        stops: impl Fn(&Open) -> bool,
    ) {
        for at in (0..self.open.len()).rev() {
            let open = self.open[at];
            if open.space == Space::Html && is_it(open.name) {
                return self.truncate(at);
            }
            if stops(&open) {
                return;
            }
        }
    }
}

impl Open {
    pub(super) fn is_special(&self) -> bool {
        match self.space {
            Space::Html => self.name.is_special(),
            Space::Svg | Space::Math => self.integration,
        }
    }

    /// Whether an end tag with this scope stops here.
    pub(super) fn stops(&self, reach: EndTagScope) -> bool {
        use Name::*;
        if self.space != Space::Html {
            return self.integration && !matches!(reach, EndTagScope::Table | EndTagScope::Page);
        }
        match self.name {
            Table | Template | Html => reach != EndTagScope::Page,
            Applet | Caption | Td | Th | Marquee | Object | Select => {
                !matches!(reach, EndTagScope::Table | EndTagScope::Page)
            }
            Button => reach == EndTagScope::Button,
            Ol | Ul => reach == EndTagScope::ListItem,
            _ => false,
        }
    }
}

/// Elements with optional end tags (HTML, "generate implied end tags").
fn has_implied_end(open: Name) -> bool {
    use Name::*;
    matches!(open, Dd | Dt | Li | Optgroup | Option | P | Rb | Rp | Rt | Rtc)
}
