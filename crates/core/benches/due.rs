//! How long it takes to say when a million addresses on ten thousand hosts are due.
//!
//! `command time -f '%M KiB' cargo bench -p rummage-core --bench due` tells the memory too.

use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use rummage_core::Seconds;
use rummage_core::schedule::policy::{Checked, Rhythm, Word, due_at, share};
use rummage_core::url::scope::Scope;

const ADDRESSES: u32 = 1_000_000;
const HOSTS: u32 = 10_000;
const NOW: Seconds = 1_800_000_000;

/// A check of each kind, at times that differ.
fn checked(number: u32) -> Checked {
    let word = match number % 20 {
        0 => Word::Wrong,
        1 => Word::Passing,
        _ => Word::Sound,
    };
    let last = NOW - Seconds::from(number % 2_000_000);
    let times = 1 + number % 7;
    Checked {
        word,
        scope: Scope::External,
        last,
        since: last - 9,
        times,
        is_new: false,
        waived: false,
    }
}

fn plan(addresses: &[String]) -> Vec<(u32, Seconds)> {
    let rhythm = Rhythm::default();
    let mut planned: Vec<(Seconds, u32)> = Vec::with_capacity(addresses.len());
    for (number, address) in (0u32..).zip(addresses) {
        if let Some((at, _)) = due_at(address, &checked(number), &rhythm, NOW) {
            planned.push((at, number));
        }
    }
    planned.sort_unstable();
    let wishes = planned.iter().map(|(at, number)| (number % HOSTS, *at));
    let times = share(NOW, wishes, std::iter::empty(), &rhythm);
    planned.iter().zip(times).map(|((_, number), at)| (*number, at)).collect()
}

fn due(criterion: &mut Criterion) {
    let addresses: Vec<String> =
        (0..ADDRESSES).map(|n| format!("https://host{}.test/{n}", n % HOSTS)).collect();
    let mut group = criterion.benchmark_group("due");
    group.sample_size(10);
    group.bench_function("a million addresses", |bench| {
        bench.iter(|| black_box(plan(black_box(&addresses))));
    });
    group.finish();
}

criterion_group!(benches, due);
criterion_main!(benches);
