//! Extracts every page of a folder, for measurements and `callgrind`:
//!
//!     cargo run --release -p rummage-store --example extraction -- FOLDER [ROUNDS]
//!
//! Prints pages, bytes (and how many of them were not read because they were known), links, a hash of everything extracted, and megabytes per second.

#![allow(clippy::print_stdout, reason = "an example may")]

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, Instant};

use rummage_core::extract::repeats::Repeats;
use rummage_core::extract::{Extractor, Format};

const CHUNK: usize = 16 * 1024;

fn pages(folder: &Path, found: &mut Vec<PathBuf>) {
    let entries = std::fs::read_dir(folder).expect("the folder can be read");
    for entry in entries.map(|entry| entry.expect("the folder can be read").path()) {
        if entry.is_dir() {
            pages(&entry, found);
        } else if entry.extension().is_some_and(|kind| kind == "html") {
            found.push(entry);
        }
    }
}

fn main() {
    let mut arguments = std::env::args().skip(1);
    let folder = arguments.next().expect("the first argument is a folder");
    let rounds: u32 = arguments.next().map_or(1, |rounds| rounds.parse().expect("a number"));
    let mut found = Vec::new();
    pages(Path::new(&folder), &mut found);
    found.sort();
    let pages: Vec<Vec<u8>> =
        found.iter().map(|page| std::fs::read(page).expect("the page can be read")).collect();
    let (mut links, mut hash, mut spared, mut best) = (0, 0, 0, Duration::MAX);
    for _ in 0..rounds {
        (links, hash) = (0, 0);
        let start = Instant::now();
        let repeats = Arc::new(Repeats::default());
        for page in &pages {
            let mut extractor = Extractor::new(Format::Html, None, 10 << 20);
            extractor.set_repeats(&repeats);
            page.chunks(CHUNK).for_each(|chunk| {
                extractor.feed(chunk);
            });
            let reading = extractor.finish();
            links += reading.links().len();
            hash ^= reading.hash();
        }
        best = best.min(start.elapsed());
        spared = repeats.spared();
    }
    let bytes: usize = pages.iter().map(Vec::len).sum();
    let speed = bytes as f64 / best.as_secs_f64() / 1e6;
    println!(
        "{} pages, {bytes} bytes ({spared} of them known), {links} links, {hash:032x}: {speed:.0} MB/s",
        pages.len()
    );
}
