//! The order of pages that a reader can rely on.
//!
//! A page's rank is its depth, then its first parent's rank, then the place of
//! the link in that parent: breadth first from the start, links in source order.
//! It follows from the site alone, so the same site gives the same lines whatever
//! answered first.

use std::collections::{BTreeSet, VecDeque};

/// The pages of a site in the order of their rank, each with its depth.
///
/// `links` gives the targets of a page in source order, or `None` for what was
/// not read as a page. Pages that the start does not lead to come last, in the
/// order of their ids.
///
/// # Errors
/// Whatever `links` gives, at once.
pub fn in_rank_order<E>(
    start: u64,
    pages: &BTreeSet<u64>,
    mut links: impl FnMut(u64) -> Result<Vec<u64>, E>,
) -> Result<Vec<(u64, u32)>, E> {
    let mut order = Vec::with_capacity(pages.len());
    let mut unseen = pages.clone();
    let mut queue = VecDeque::new();
    if unseen.remove(&start) {
        queue.push_back((start, 0));
    }
    while let Some((page, depth)) = queue.pop_front() {
        order.push((page, depth));
        for target in links(page)? {
            if unseen.remove(&target) {
                queue.push_back((target, depth + 1));
            }
        }
    }
    order.extend(unseen.into_iter().map(|page| (page, u32::MAX)));
    Ok(order)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::convert::Infallible;

    fn order(start: u64, web: &[(u64, &[u64])]) -> Vec<u64> {
        let pages = web.iter().map(|(page, _)| *page).collect();
        let found = in_rank_order(start, &pages, |page| {
            let links = web.iter().find(|(p, _)| *p == page).expect("only pages are asked for");
            Ok::<_, Infallible>(links.1.to_vec())
        });
        found.unwrap().into_iter().map(|(page, _)| page).collect()
    }

    #[test]
    fn depth_first_then_parent_then_place() {
        let web: &[(u64, &[u64])] =
            &[(1, &[5, 3]), (3, &[2]), (5, &[9, 1, 4]), (9, &[]), (4, &[]), (2, &[])];
        assert_eq!(order(1, web), [1, 5, 3, 9, 4, 2]);
    }

    #[test]
    fn what_the_start_does_not_reach_comes_last() {
        assert_eq!(order(1, &[(1, &[]), (7, &[]), (6, &[])]), [1, 6, 7]);
    }
}
