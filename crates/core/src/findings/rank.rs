//! A reproducible order of pages.
//!
//! A page's rank is its depth, then its first parent's rank, then the position of the link in
//! that parent: breadth first from the start, links in source order. It follows from the site
//! alone, so the same site gives the same lines, whatever arrived first.

use std::collections::VecDeque;

/// The pages of a site in the order of their rank, each with its depth.
///
/// Pages are named by their numbers in the store. `roots` are the start, and then other sources of
/// pages, such as sitemaps. `links` passes the targets of a page on in source order. Pages that
/// the start does not lead to have no depth, which is `u32::MAX`; pages that nothing leads to come
/// last, in the order of their numbers.
///
/// # Errors
/// The first error of `links`.
pub fn in_rank_order<E>(
    roots: &[u32],
    pages: impl Iterator<Item = u32> + Clone,
    mut links: impl FnMut(u32, &mut dyn FnMut(u32)) -> Result<(), E>,
) -> Result<Vec<(u32, u32)>, E> {
    // By number: each link is looked up.
    let mut unseen = vec![false; pages.clone().max().map_or(0, |last| last as usize + 1)];
    let mut count = 0;
    for page in pages {
        unseen[page as usize] = true;
        count += 1;
    }
    let mut take = |page: u32| unseen.get_mut(page as usize).is_some_and(std::mem::take);
    let mut order = Vec::with_capacity(count);
    let mut first_depth = 0;
    for root in roots {
        let mut queue = VecDeque::new();
        if take(*root) {
            queue.push_back((*root, first_depth));
        }
        first_depth = u32::MAX;
        while let Some((page, depth)) = queue.pop_front() {
            order.push((page, depth));
            links(page, &mut |target| {
                if take(target) {
                    queue.push_back((target, depth.saturating_add(1)));
                }
            })?;
        }
    }
    let unreached = (0..).zip(unseen).filter(|(_, is_unseen)| *is_unseen);
    order.extend(unreached.map(|(page, _)| (page, u32::MAX)));
    Ok(order)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::convert::Infallible;

    fn order(roots: &[u32], web: &[(u32, &[u32])]) -> Vec<u32> {
        let pages = web.iter().map(|(page, _)| *page);
        let found = in_rank_order(roots, pages, |page, take| {
            let links = web.iter().find(|(p, _)| *p == page).expect("only pages are looked up");
            links.1.iter().for_each(|target| take(*target));
            Ok::<_, Infallible>(())
        });
        found.unwrap().into_iter().map(|(page, _)| page).collect()
    }

    #[test]
    fn rank_is_depth_then_parent_then_position() {
        let web: &[(u32, &[u32])] =
            &[(1, &[5, 3]), (3, &[2]), (5, &[9, 1, 4]), (9, &[]), (4, &[]), (2, &[])];
        assert_eq!(order(&[1], web), [1, 5, 3, 9, 4, 2]);
    }

    #[test]
    fn pages_not_reached_from_the_start_come_last() {
        assert_eq!(order(&[1], &[(1, &[]), (7, &[]), (6, &[])]), [1, 6, 7]);
        assert_eq!(order(&[1, 7], &[(1, &[]), (7, &[9]), (6, &[]), (9, &[])]), [1, 7, 9, 6]);
        assert_eq!(order(&[8], &[(1, &[8, 7])]), [1], "what is no page has no rank");
    }
}
