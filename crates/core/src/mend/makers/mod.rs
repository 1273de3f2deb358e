//! Makers of candidates, one file each. A maker looks at a fault and the known URLs, and offers
//! what the link may have meant; it knows nothing of the other makers.

mod forms;
mod look;
mod moved;
mod pasted;
mod renamed;
mod typing;

use std::collections::BTreeMap;

use url::Url;

use super::folded::Parts;
use super::known::KnownUrls;
use super::{Candidate, Fault, Reason};
use look::{Found, Look, may_pass};

/// How many known URLs, and how many other ones, are candidates of a target at most: each is
/// requested.
const MOST_KNOWN: usize = 6;
const MOST_GUESSES: usize = 6;

/// The makers for a URL that parses.
const MAKERS: &[fn(&Look<'_>, &mut Found<'_>)] =
    &[forms::make, typing::make, moved::make, renamed::make];

/// What a link may have meant, most plausible first.
#[must_use]
pub fn candidates(fault: &Fault, known: &KnownUrls) -> Vec<Candidate> {
    let (own, fragment) = fault.split();
    let mut found = Found { known, own, discount: 0, first: None, by_url: BTreeMap::new() };
    if let Some(moved_to) = &fault.moved_to {
        found.offer(moved_to.clone(), Reason::Redirect, 100);
    }
    let repaired = pasted::repairs(fault, known);
    let is_moved = fault.moved_to.is_some();
    if let Ok(url) = Url::parse(own)
        && matches!(url.scheme(), "http" | "https")
        && !is_moved
    {
        // Other forms of a URL that has another in it are nonsense.
        run_makers(&url, fault, known, repaired.is_empty(), &mut found);
    }
    for (order, (url, reason)) in (0u8..).zip(repaired) {
        let has_host = known.has_host(&crate::url::reference::server_of(&url));
        let score = match (known.contains(url.as_str()), has_host) {
            (true, _) => 97,
            (false, true) => 88,
            (false, false) => 84,
        };
        // Of two schemes, the first is more like what was written.
        let score = score - order.min(3);
        found.offer(url.to_string(), reason, score);
        // What is pasted or doubled may be misspelled as well.
        (found.discount, found.first) = (4, Some(reason));
        run_makers(&url, fault, known, true, &mut found);
        (found.discount, found.first) = (0, None);
    }
    let mut all: Vec<Candidate> = found.by_url.into_values().collect();
    all.sort_by(|one, other| other.score.cmp(&one.score).then_with(|| one.to.cmp(&other.to)));
    let (mut known, mut guesses) = (0, 0);
    all.retain(|candidate| {
        let (count, most) = match candidate.is_known {
            true => (&mut known, MOST_KNOWN),
            false => (&mut guesses, MOST_GUESSES),
        };
        *count += 1;
        *count <= most
    });
    for candidate in &mut all {
        if let Some(fragment) = fragment.filter(|_| !candidate.to.contains('#')) {
            candidate.to = format!("{}#{fragment}", candidate.to);
        }
    }
    all
}

fn run_makers(url: &Url, fault: &Fault, known: &KnownUrls, guesses: bool, found: &mut Found<'_>) {
    let parts = Parts::of(url);
    let look = Look { url, parts, fault, known, guesses };
    let makers = if may_pass(fault.cause) { &MAKERS[..1] } else { MAKERS };
    for make in makers {
        make(&look, found);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mend::known::KnownUrl;
    use crate::verdict::Cause;

    const SITE: &[&str] = &[
        "https://www.a.test/",
        "https://www.a.test/visit/",
        "https://www.a.test/visit/opening-hours.html",
        "https://www.a.test/visit/getting-here.html",
        "https://www.a.test/paths/towpath.html",
        "https://www.a.test/paths/towpath-map.pdf",
        "https://www.a.test/paths/lock-04.html",
        "https://www.a.test/paths/lock-05.html",
        "https://www.a.test/img/lock-house.png",
        "https://www.a.test/collections/bells",
        "https://www.canal-trust.test/",
        "https://www.canal-trust.test/join",
    ];

    fn known() -> KnownUrls {
        KnownUrls::new(SITE.iter().map(|url| KnownUrl::of(url)).collect())
    }

    /// Works, though the site has no link to it.
    const ELSEWHERE: &[&str] = &["https://www.canal-trust.test/else"];

    /// The first candidate that works.
    fn first(target: &str) -> Option<(String, Reason)> {
        let works = |found: &Candidate| found.is_known || ELSEWHERE.contains(&found.to.as_str());
        let is_gone = target.contains("//old-a.test/");
        let cause = Some(if is_gone { Cause::Nxdomain } else { Cause::NotFound });
        let fault = Fault { cause, ..Fault::of(target) };
        let found = candidates(&fault, &known()).into_iter().find(works);
        found.map(|best| (best.to, best.reason))
    }

    #[test]
    fn each_typical_fault_has_the_right_cure_first() {
        use Reason::*;
        for (target, to, reason) in [
            (
                "http://www.a.test/paths/towpath.html",
                "https://www.a.test/paths/towpath.html",
                Scheme,
            ),
            ("https://a.test/paths/towpath.html", "https://www.a.test/paths/towpath.html", Www),
            ("https://www.a.test/visit", "https://www.a.test/visit/", Slash),
            ("https://www.a.test/visit/index.html", "https://www.a.test/visit/", Index),
            (
                "https://www.a.test/paths/towpath.htm",
                "https://www.a.test/paths/towpath.html",
                Extension,
            ),
            (
                "https://www.a.test/paths/towpath",
                "https://www.a.test/paths/towpath.html",
                Extension,
            ),
            (
                "https://www.a.test/Paths/Towpath.html",
                "https://www.a.test/paths/towpath.html",
                Case,
            ),
            (
                "https://www.a.test/paths/tow-path.html",
                "https://www.a.test/paths/towpath.html",
                Separators,
            ),
            (
                "https://www.a.test/paths/towppath.html",
                "https://www.a.test/paths/towpath.html",
                Typing { edits: 1 },
            ),
            (
                "https://www.a.test/ptahs/towpath.html",
                "https://www.a.test/paths/towpath.html",
                Typing { edits: 1 },
            ),
            (
                "https://www.a.test/paths/towptahh.html",
                "https://www.a.test/paths/towpath.html",
                Typing { edits: 2 },
            ),
            (
                "https://www.a.test/paths/towpath.hmtl",
                "https://www.a.test/paths/towpath.html",
                Extension,
            ),
            (
                "https://www.canal-trsut.test/join",
                "https://www.canal-trust.test/join",
                HostTyping { edits: 1 },
            ),
            (
                "https://www.canal-trsut.test/else",
                "https://www.canal-trust.test/else",
                HostTyping { edits: 1 },
            ),
            (
                "https://www.a.test/old/paths/towpath.html",
                "https://www.a.test/paths/towpath.html",
                Moved,
            ),
            (
                "http://old-a.test/~museum/collections/bells",
                "https://www.a.test/collections/bells",
                Moved,
            ),
            (
                "https://www.a.test/img/lock-house.jpg",
                "https://www.a.test/img/lock-house.png",
                Extension,
            ),
            (
                "https://www.a.test/visit/opening-times.html",
                "https://www.a.test/visit/opening-hours.html",
                Renamed,
            ),
            (
                "https://www.a.test/visit/www.canal-trust.test/join",
                "https://www.canal-trust.test/join",
                SchemeMissing,
            ),
            (
                "https://www.a.test/https://www.canal-trust.test/join",
                "https://www.canal-trust.test/join",
                Doubled,
            ),
            (
                "http://https//www.canal-trust.test/join",
                "https://www.canal-trust.test/join",
                Doubled,
            ),
            (
                "https://www.a.test/www.a.test/paths/towpath.html",
                "https://www.a.test/paths/towpath.html",
                Doubled,
            ),
            ("htp://www.canal-trust.test/join", "https://www.canal-trust.test/join", SchemeTyping),
            ("https:// www.canal-trust.test/join", "https://www.canal-trust.test/join", Pasted),
            ("https://www.canal-trust.test/join).", "https://www.canal-trust.test/join", Pasted),
            ("https://www.canal-trust.test/join%20", "https://www.canal-trust.test/join", Pasted),
            (
                "https://www.a.test/paths%255Ctowpath.html",
                "https://www.a.test/paths/towpath.html",
                EncodedTwice,
            ),
        ] {
            assert_eq!(first(target), Some((to.to_owned(), reason)), "{target}");
        }
    }

    #[test]
    fn what_nothing_resembles_has_no_plausible_candidate() {
        for target in ["https://www.a.test/annual-report", "https://gone-forever.test/"] {
            let found = candidates(&Fault::of(target), &known());
            assert!(found.iter().all(|found| !found.is_known), "{target}: {found:?}");
        }
        // Another number is another thing.
        let found = candidates(&Fault::of("https://www.a.test/paths/lock-06.html"), &known());
        assert!(found.iter().all(|found| !found.is_known || found.score < 60), "{found:?}");
    }

    #[test]
    fn a_page_of_a_host_that_responds_has_not_moved_to_another() {
        let fault =
            Fault { is_internal: false, ..Fault::of("https://boats.test/collections/bells") };
        let found = candidates(&fault, &known());
        assert!(found.iter().all(|found| found.score < 60 || !found.is_known), "{found:?}");
        let gone = Fault { cause: Some(Cause::Nxdomain), ..fault };
        let found = candidates(&gone, &known());
        let moved =
            found.iter().find(|found| found.reason == Reason::Moved).expect("one has moved");
        assert!(moved.score >= 80, "{found:?}");
    }

    #[test]
    fn a_server_that_fails_has_no_other_pages_proposed() {
        let fault = Fault {
            cause: Some(Cause::ServerError),
            ..Fault::of("http://www.a.test/paths/towppath.html")
        };
        let found = candidates(&fault, &known());
        assert!(found.iter().all(|found| found.to.contains("towppath")), "{found:?}");
    }

    #[test]
    fn the_end_of_permanent_redirects_is_the_only_candidate() {
        let fault = Fault {
            moved_to: Some("https://www.a.test/paths/towpath.html".to_owned()),
            ..Fault::of("http://a.test/tow#map")
        };
        let found = candidates(&fault, &known());
        let to: Vec<&str> = found.iter().map(|found| found.to.as_str()).collect();
        assert_eq!(to, ["https://www.a.test/paths/towpath.html#map"]);
    }

    /// What is offered for a fault: the end of each URL after its host, and the score.
    fn offered(fault: &Fault, known: &KnownUrls) -> Vec<(String, u8)> {
        candidates(fault, known).into_iter().map(|found| (found.to, found.score)).collect()
    }

    #[test]
    fn forms_that_nothing_links_to_are_guessed_the_likeliest_first() {
        let none = KnownUrls::default();
        let of = |target: &str, cause| {
            let fault = Fault { cause: Some(cause), ..Fault::of(target) };
            offered(&fault, &none)
        };
        let expected = |all: &[(&str, u8)]| -> Vec<(String, u8)> {
            all.iter().map(|(to, score)| ((*to).to_owned(), *score)).collect()
        };
        assert_eq!(
            of("http://x.test/A", Cause::NotFound),
            expected(&[
                ("https://x.test/A", 84),
                ("http://www.x.test/A", 83),
                ("http://x.test/A/", 82),
                ("http://x.test/a", 81),
            ])
        );
        assert_eq!(
            of("https://www.x.test/a.htm", Cause::NotFound),
            expected(&[
                ("https://x.test/a.htm", 83),
                ("https://www.x.test/a.html", 81),
                ("http://www.x.test/a.htm", 55),
            ])
        );
        assert_eq!(
            of("http://x.test:8080/a/", Cause::NotFound)[1],
            ("http://x.test:8080/a".into(), 82)
        );
        assert_eq!(of("http://x.test/", Cause::Nxdomain), expected(&[("http://www.x.test/", 83)]));
        assert_eq!(
            of("http://x.test/aab", Cause::NotFound).last().map(|(to, _)| to.as_str()),
            Some("http://x.test/ab"),
            "one of the doubled characters is too many"
        );
        let cases = |target: &str| {
            let fault = Fault::of(target);
            let found = candidates(&fault, &none).into_iter();
            found.filter(|found| found.reason == Reason::Case).count()
        };
        assert_eq!(cases("http://x.test/A"), 1);
        assert_eq!(cases("http://x.test/A%2FB"), 0, "that would change what is escaped");
        assert_eq!(cases("http://x.test/a"), 0);
        for cause in [Cause::ServerError, Cause::Timeout] {
            let found = of("http://x.test/A", cause);
            assert_eq!(found, expected(&[("https://x.test/A", 84), ("http://www.x.test/A", 83)]));
        }
    }

    #[test]
    fn a_file_name_says_more_the_rarer_and_longer_it_is() {
        let page = |path: String| KnownUrl::of(&format!("https://a.test/{path}"));
        let score = |known: Vec<KnownUrl>, target: &str| {
            let found = candidates(&Fault::of(target), &KnownUrls::new(known)).into_iter();
            found.filter(|found| found.is_known).map(|found| found.score).max()
        };
        let alone = vec![page("new/towpath.pdf".into())];
        assert_eq!(score(alone, "https://a.test/old/towpath.pdf"), Some(77));
        assert_eq!(score(vec![page("new/tow.pdf".into())], "https://a.test/old/tow.pdf"), Some(63));
        let two = vec![page("x/towpath.pdf".into()), page("y/towpath.pdf".into())];
        assert_eq!(score(two, "https://a.test/old/towpath.pdf"), Some(63));
        let many =
            |count: usize| (0..count).map(|n| page(format!("{n}/towpath.pdf"))).collect::<Vec<_>>();
        assert_eq!(score(many(40), "https://a.test/old/towpath.pdf"), Some(63));
        assert_eq!(score(many(41), "https://a.test/old/towpath.pdf"), Some(41));
        assert_eq!(score(many(801), "https://a.test/old/towpath.pdf"), None);
        let deep = vec![page("new/a/b/towpath.pdf".into())];
        assert_eq!(score(deep, "https://a.test/old/a/b/towpath.pdf"), Some(87));
    }

    #[test]
    fn a_page_in_the_same_folder_and_far_ahead_of_others_is_surer() {
        let page = |url: &str, title: &str| KnownUrl {
            texts: vec![title.to_owned()],
            ..KnownUrl::of(url)
        };
        let fault = Fault {
            texts: vec!["Opening hours and prices in winter".to_owned()],
            ..Fault::of("https://a.test/visit/when.html")
        };
        // Words are worth the more the rarer they are.
        let others = (0..20).map(|n| page(&format!("https://b.test/{n}"), "Boats and locks"));
        let others: Vec<KnownUrl> = others.collect();
        let score = |known: Vec<KnownUrl>, url: &str| {
            let known = KnownUrls::new([known, others.clone()].concat());
            let found = candidates(&fault, &known);
            let one = found.iter().find(|one| one.to == url);
            one.map(|one| one.score).unwrap_or_else(|| panic!("{found:?}"))
        };
        let title = "Opening hours and boats";
        let (inside, outside) = ("https://a.test/visit/7", "https://a.test/news/7");
        let in_folder = score(vec![page(inside, title)], inside);
        let elsewhere = score(vec![page(outside, title)], outside);
        assert_eq!(in_folder - elsewhere, 8, "{in_folder} {elsewhere}");
        // A second page that is nearly as similar takes away from the first.
        let rival = page("https://a.test/more/8", "Opening hours and cakes");
        let beside = score(vec![page(outside, title), rival], outside);
        assert!(beside + 5 < elsewhere, "{beside} {elsewhere}");
        // The more similar, the surer.
        let better = page(outside, "Opening hours and prices and boats");
        let better = score(vec![better], outside);
        assert!(better > elsewhere + 2, "{better} {elsewhere}");
    }

    #[test]
    fn a_page_is_found_by_what_it_is_called_on_the_same_host_only() {
        let page = |url: &str, title: &str| KnownUrl {
            texts: vec![title.to_owned()],
            ..KnownUrl::of(url)
        };
        let fault = Fault {
            texts: vec!["The opening hours".to_owned()],
            ..Fault::of("https://a.test/old/when.html")
        };
        let found = |known: Vec<KnownUrl>| {
            let found = candidates(&fault, &KnownUrls::new(known)).into_iter();
            found.filter(|one| one.is_known).map(|one| (one.to, one.score)).collect::<Vec<_>>()
        };
        let one = found(vec![
            page("https://a.test/7", "Opening hours"),
            page("https://b.test/7", "Boats"),
        ]);
        assert_eq!(one[0], ("https://a.test/7".to_owned(), 77));
        assert_eq!(found(vec![page("https://b.test/7", "Opening hours")]), []);
        let all = (0..4).map(|n| page(&format!("https://a.test/{n}"), "Opening hours"));
        assert_eq!(found(all.clone().take(3).collect())[0].1, 64);
        assert!(found(all.collect()).iter().all(|(_, score)| *score < 64 || *score == 75));
        let image = Fault { is_image: true, ..fault.clone() };
        let known = KnownUrls::new(vec![page("https://a.test/7", "Opening hours")]);
        assert!(candidates(&image, &known).iter().all(|found| !found.is_known));
        let external = Fault { is_internal: false, ..fault };
        assert!(candidates(&external, &known).iter().all(|found| !found.is_known));
    }
}
