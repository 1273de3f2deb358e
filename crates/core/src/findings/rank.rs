//! A reproducible order of pages.
//!
//! A page's rank is its depth, then its first parent's rank, then the position of the link in
//! that parent: breadth first from the start, links in source order. It follows from the site
//! alone, so the same site gives the same lines, whatever arrived first.

use std::collections::{BTreeSet, VecDeque};

/// The pages of a site in the order of their rank, each with its depth.
///
/// `roots` are the start, and then other sources of pages, such as sitemaps. `links` returns the
/// targets of a page in source order, or `None` if it was not parsed. Pages that the start does
/// not lead to have no depth, which is `u32::MAX`; pages that nothing leads to come last, in the
/// order of their ids.
///
/// # Errors
/// The first error of `links`.
pub fn in_rank_order<E>(
    roots: &[u64],
    pages: &BTreeSet<u64>,
    mut links: impl FnMut(u64) -> Result<Vec<u64>, E>,
) -> Result<Vec<(u64, u32)>, E> {
    let mut order = Vec::with_capacity(pages.len());
    let mut unseen = pages.clone();
    let mut first_depth = 0;
    for root in roots {
        let mut queue = VecDeque::new();
        if unseen.remove(root) {
            queue.push_back((*root, first_depth));
        }
        first_depth = u32::MAX;
        while let Some((page, depth)) = queue.pop_front() {
            order.push((page, depth));
            for target in links(page)? {
                if unseen.remove(&target) {
                    queue.push_back((target, depth.saturating_add(1)));
                }
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

    fn order(roots: &[u64], web: &[(u64, &[u64])]) -> Vec<u64> {
        let pages = web.iter().map(|(page, _)| *page).collect();
        let found = in_rank_order(roots, &pages, |page| {
            let links = web.iter().find(|(p, _)| *p == page).expect("only pages are looked up");
            Ok::<_, Infallible>(links.1.to_vec())
        });
        found.unwrap().into_iter().map(|(page, _)| page).collect()
    }

    #[test]
    fn rank_is_depth_then_parent_then_position() {
        let web: &[(u64, &[u64])] =
            &[(1, &[5, 3]), (3, &[2]), (5, &[9, 1, 4]), (9, &[]), (4, &[]), (2, &[])];
        assert_eq!(order(&[1], web), [1, 5, 3, 9, 4, 2]);
    }

    #[test]
    fn pages_not_reached_from_the_start_come_last() {
        assert_eq!(order(&[1], &[(1, &[]), (7, &[]), (6, &[])]), [1, 6, 7]);
        assert_eq!(order(&[1, 7], &[(1, &[]), (7, &[9]), (6, &[]), (9, &[])]), [1, 7, 9, 6]);
    }
}
