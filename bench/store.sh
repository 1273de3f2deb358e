#!/usr/bin/env bash
# A store of 1,000,000 URLs and 10,000,000 links: how quickly it is written through the
# real writer, how large it is, what a second run adds, and how long each listing takes.
#
#   bench/store.sh [PAGES]
#
# Needs GNU time (Debian: time). Times are noisy; the first lines have what this machine's
# SQLite inserts in plain rows for comparison.
set -euo pipefail
cd "$(dirname "$0")/.."
pages=${1:-100000}
store=target/bench/large.db
mkdir -p target/bench
cargo build --release --quiet
cargo build --release --quiet -p rummage-store --example large_store
rm -f "$store"*
command time -f 'writing: %e s in all, peak memory %M KiB' \
  target/release/examples/large_store "$store" "$pages" 100 2

ask() {
  command time -f "%e s, %M KiB:  findings $*" \
    target/release/rummage findings --store "$store" "$@" >target/bench/listing
}
for words in '--limit 1' '' '--group page' '--group host' '--group cause' '--group none' \
  '--sort target' '--sort pages:desc' '--sort ms:desc' '--group none --sort text' \
  '--format csv' '--format jsonl' '--format json' '--format md' \
  '--group target --format csv' '--search wharf --limit 5' '--all --limit 1' \
  '--all --format jsonl --limit 1'; do
  # shellcheck disable=SC2086
  ask $words
done
for words in 'compare' 'sites' 'trace https://host55.test/articles/5/55' 'trace large.test/part7/page7.html'; do
  # shellcheck disable=SC2086
  command time -f "%e s, %M KiB:  $words" \
    target/release/rummage $words --store "$store" >target/bench/listing
done
