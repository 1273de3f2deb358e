//! What is known of many URLs: a list by their ids takes half the room of a table.

use crate::crawl::messages::UrlId;
use crate::long_list::LongList;

/// Values by URL.
#[derive(Debug)]
pub(in crate::crawl) struct ByUrl<T>(LongList<Option<T>>);

impl<T> Default for ByUrl<T> {
    fn default() -> ByUrl<T> {
        ByUrl(LongList::default())
    }
}

impl<T> ByUrl<T> {
    pub(in crate::crawl) fn get(&self, id: UrlId) -> Option<&T> {
        self.0.get(id.index())?.as_ref()
    }

    pub(in crate::crawl) fn insert(&mut self, id: UrlId, value: T) {
        for _ in self.0.len()..=id.index() {
            self.0.push(None);
        }
        self.0[id.index()] = Some(value);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_url_has_its_own_value() {
        let [first, other, last] = [0, 2, 7].map(UrlId::from_index);
        let mut values = ByUrl::default();
        assert_eq!(values.get(first), None);
        values.insert(last, 'c');
        values.insert(first, 'a');
        values.insert(last, 'd');
        assert_eq!(
            [first, other, last].map(|id| values.get(id).copied()),
            [Some('a'), None, Some('d')]
        );
    }
}
