//! How many bytes of HTML one core parses per second, everything included.
//!
//!     cargo bench -p rummage-core
//!
//! The pages are those of the site that `bench/crawl.sh` crawls. They arrive in chunks as from a
//! socket, and nothing of them is stored. Machines are noisy: for comparison, a tokenizer of the
//! same standard runs on the same pages and discards its tokens, and what counts is the ratio.

use std::cell::Cell;

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use html5ever::tendril::StrTendril;
use html5ever::tokenizer::{
    BufferQueue, Token, TokenSink, TokenSinkResult, Tokenizer, TokenizerOpts,
};
use rummage_core::extract::{Extractor, Format};
use rummage_demo::large_site;

const CHUNK: usize = 16 * 1024;

fn read(html: &str) -> usize {
    let mut page = Extractor::new(Format::Html, Some("utf-8"), 10 << 20);
    for chunk in html.as_bytes().chunks(CHUNK) {
        page.feed(chunk);
    }
    page.finish().links().len()
}

/// Counts tags.
#[derive(Default)]
struct Tags(Cell<usize>);

impl TokenSink for Tags {
    type Handle = ();

    fn process_token(&self, token: Token, _: u64) -> TokenSinkResult<()> {
        if let Token::TagToken(_) = token {
            self.0.set(self.0.get() + 1);
        }
        TokenSinkResult::Continue
    }
}

fn tokenize(html: &str) -> usize {
    let tokenizer = Tokenizer::new(Tags::default(), TokenizerOpts::default());
    let input = BufferQueue::default();
    input.push_back(StrTendril::from_slice(html));
    let _ = tokenizer.feed(&input);
    tokenizer.end();
    tokenizer.sink.0.get()
}

fn extraction(criterion: &mut Criterion) {
    let pages: Vec<String> = large_site(5000).take(1000).map(|(_, html)| html).collect();
    let bytes: usize = pages.iter().map(String::len).sum();
    let mut group = criterion.benchmark_group("extraction");
    group.throughput(Throughput::BytesDecimal(bytes as u64));
    group.sample_size(20);
    group.bench_function("large site", |bencher| {
        bencher.iter(|| pages.iter().map(|html| read(html)).sum::<usize>());
    });
    group.bench_function("tokens alone, by html5ever", |bencher| {
        bencher.iter(|| pages.iter().map(|html| tokenize(html)).sum::<usize>());
    });
    group.finish();
}

criterion_group!(benches, extraction);
criterion_main!(benches);
