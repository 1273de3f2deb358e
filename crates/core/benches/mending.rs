//! Candidates for 1,000 broken targets among 100,000 URLs that work.

use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use rummage_core::mend::Fault;
use rummage_core::mend::known::{KnownUrl, KnownUrls};
use rummage_core::mend::makers::candidates;
use rummage_core::mend::rules;

const WORDS: [&str; 24] = [
    "harbour",
    "orchard",
    "winter",
    "railway",
    "village",
    "garden",
    "library",
    "mountain",
    "weaving",
    "pottery",
    "bridge",
    "market",
    "concerts",
    "opening",
    "history",
    "recipes",
    "festival",
    "members",
    "photographs",
    "excursions",
    "newsletter",
    "exhibition",
    "volunteers",
    "lectures",
];

/// The path and title of a page.
fn page(number: usize) -> (String, String) {
    let word = |divisor: usize| WORDS[number / divisor % WORDS.len()];
    let (one, two, three) = (word(1), word(24), word(576));
    let name = format!("/{three}/{two}/{one}-{two}-{number}.html");
    (name, format!("{one} {two}, {three} {number}"))
}

fn known() -> Vec<KnownUrl> {
    let known = |number| {
        let (path, title) = page(number);
        KnownUrl { url: format!("https://www.a.test{path}"), texts: vec![title] }
    };
    (0..100_000).map(known).collect()
}

/// Typing errors, moved pages, other extensions and hopeless ones.
fn faults() -> Vec<Fault> {
    let fault = |number: usize| {
        let (path, title) = page(number * 97);
        let path = match number % 4 {
            0 => path.replacen('r', "rr", 1),
            1 => format!("/old{path}"),
            2 => path.replace(".html", ".htm"),
            _ => format!("/nowhere/{number}-at-all"),
        };
        let texts = vec![title];
        Fault { texts, ..Fault::of(&format!("https://www.a.test{path}")) }
    };
    (0..1_000).map(fault).collect()
}

fn mending(c: &mut Criterion) {
    let mut group = c.benchmark_group("mending");
    group.sample_size(10);
    let known_urls = known();
    group.bench_function("arrange 100,000 URLs", |b| {
        b.iter(|| KnownUrls::new(black_box(known_urls.clone())));
    });
    let known = KnownUrls::new(known_urls);
    let faults = faults();
    group.bench_function("candidates for 1,000 targets", |b| {
        b.iter(|| faults.iter().map(|fault| candidates(fault, &known).len()).sum::<usize>());
    });
    let best: Vec<Option<String>> = faults
        .iter()
        .map(|fault| candidates(fault, &known).into_iter().next().map(|best| best.to))
        .collect();
    let targets: Vec<(&str, Option<&str>)> =
        faults.iter().zip(&best).map(|(one, to)| (one.target.as_str(), to.as_deref())).collect();
    group.bench_function("rules for 1,000 targets", |b| {
        b.iter(|| rules::find(black_box(&targets), &known).len());
    });
    group.finish();
}

criterion_group!(benches, mending);
criterion_main!(benches);
