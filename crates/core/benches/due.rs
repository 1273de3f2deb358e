//! How long it takes to compute when a million URLs on ten thousand hosts are due.
//!
//! `command time -f '%M KiB' cargo bench -p rummage-core --bench due` also shows the memory.

use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use rummage_core::Seconds;
use rummage_core::schedule::policy::{Checked, LastOutcome, RecheckPolicy, due_at, share};
use rummage_core::url::scope::Scope;

const URLS: u32 = 1_000_000;
const HOSTS: u32 = 10_000;
const NOW: Seconds = 1_800_000_000;

/// A check of each kind, at times that differ.
fn checked(number: u32) -> Checked {
    let last = match number % 20 {
        0 => LastOutcome::Wrong,
        1 => LastOutcome::Temporary,
        _ => LastOutcome::Sound,
    };
    let checked_at = NOW - Seconds::from(number % 2_000_000);
    let times = 1 + number % 7;
    Checked {
        last,
        scope: Scope::External,
        checked_at,
        since: checked_at - 9,
        times,
        is_new: false,
        waived: false,
    }
}

fn plan(urls: &[String]) -> Vec<(u32, Seconds)> {
    let policy = RecheckPolicy::default();
    let mut planned: Vec<(Seconds, u32)> = Vec::with_capacity(urls.len());
    for (number, url) in (0u32..).zip(urls) {
        if let Some((at, _)) = due_at(url, &checked(number), &policy, NOW) {
            planned.push((at, number));
        }
    }
    planned.sort_unstable();
    let uses = planned.iter().map(|(at, number)| (number % HOSTS, *at));
    let times = share(NOW, uses, std::iter::empty(), &policy);
    planned.iter().zip(times).map(|((_, number), at)| (*number, at)).collect()
}

fn due(criterion: &mut Criterion) {
    let urls: Vec<String> =
        (0..URLS).map(|n| format!("https://host{}.test/{n}", n % HOSTS)).collect();
    let mut group = criterion.benchmark_group("due");
    group.sample_size(10);
    group.bench_function("a million addresses", |bench| {
        bench.iter(|| black_box(plan(black_box(&urls))));
    });
    group.finish();
}

criterion_group!(benches, due);
criterion_main!(benches);
