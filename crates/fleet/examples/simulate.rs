//! A fleet of 10,000 sites and 50 workers, played through in a second: how long sites wait, and
//! what the database has to do.
//!
//! ```sh
//! cargo run --release -p rummage-fleet --example simulate
//! ```
//!
//! Nothing is requested and no database is needed. Durations are drawn from a seed: most sites take a
//! minute, some take hours. What a pass costs the database was measured by `bench/fleet.py`.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

const SITES: usize = 10_000;
const WORKERS: usize = 50;
/// Sites that a worker checks at the same time.
const LANES: usize = 4;
const DAY: f64 = 86_400.0;
/// From the start of a crawl to the next one.
const EVERY: f64 = 7.0 * DAY;
/// From the start of a pass to the next recheck of what is due.
const RECHECK: f64 = DAY;
/// A recheck takes this part of the time of a crawl.
const PART: f64 = 0.1;

/// Transactions of a pass, apart from those below.
const OF_PASS: f64 = 12.0;
/// Transactions for each external URL that a pass needs.
const OF_EXTERNAL: f64 = 1.5;
/// External URLs of a site, on average.
const EXTERNALS: f64 = 40.0;
/// Seconds between two renewals of a lease, and two reports of a worker.
const RENEWAL: f64 = 15.0;
const BEAT: f64 = 5.0;
/// Bytes of a store that are sent after a crawl, and after a recheck, for each second of a crawl.
const OF_CRAWL: f64 = 4_000.0;
const OF_RECHECK: f64 = 1_000.0;

/// Pseudo-random numbers from 0 to 1, the same each time.
struct Draw(u64);

impl Draw {
    fn next(&mut self) -> f64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        #[expect(clippy::cast_precision_loss, reason = "a draw need not be exact")]
        let number = (self.0 >> 11) as f64;
        number / (1u64 << 53) as f64
    }
}

/// Seconds in tenths, which can be ordered.
type Tenths = u64;

fn tenths(seconds: f64) -> Tenths {
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "it is positive")]
    let tenths = (seconds * 10.0) as Tenths;
    tenths
}

#[expect(clippy::cast_precision_loss, reason = "weeks have far fewer tenths of a second")]
fn seconds(tenths: Tenths) -> f64 {
    tenths as f64 / 10.0
}

/// What a span of time came to.
#[derive(Default)]
struct Sums {
    waits: Vec<Tenths>,
    passes: f64,
    busy: f64,
    bytes: f64,
}

impl Sums {
    fn print(&mut self, name: &str, span: f64, lanes: usize) {
        self.waits.sort_unstable();
        let at = |part: usize| {
            let last = self.waits.len().saturating_sub(1);
            self.waits.get(last * part / 100).map_or(0.0, |wait| seconds(*wait) / 60.0)
        };
        #[expect(clippy::cast_precision_loss, reason = "there are few lanes")]
        let lanes = lanes as f64;
        let statements = self.passes * (OF_PASS + EXTERNALS * OF_EXTERNAL) / span
            + self.busy / RENEWAL / span
            + lanes / 4.0 / BEAT;
        #[expect(clippy::print_stdout, reason = "it is what the example is for")]
        {
            println!(
                "{name:<28} wait {:>6.1} min (median), {:>6.1} (99 %), {:>6.1} (longest); lanes \
                 {:>3.0} % busy; {statements:>5.1} transactions/s, {:>6.1} MB/h of stores",
                at(50),
                at(99),
                at(100),
                100.0 * self.busy / span / lanes,
                self.bytes / span * 3600.0 / 1e6
            );
        }
    }
}

struct Site {
    /// Seconds that a crawl takes.
    takes: f64,
    crawled: f64,
}

struct Fleet {
    sites: Vec<Site>,
    /// When each site is due.
    due: BinaryHeap<Reverse<(Tenths, usize)>>,
    /// When each lane is free.
    free: BinaryHeap<Reverse<Tenths>>,
}

impl Fleet {
    /// All sites are new and due at once.
    fn new(draw: &mut Draw) -> Fleet {
        let takes = |draw: &mut Draw| (20.0 / (1.0 - draw.next()).powf(0.8)).min(6.0 * 3600.0);
        let sites: Vec<Site> =
            (0..SITES).map(|_| Site { takes: takes(draw), crawled: f64::MIN }).collect();
        let due = (0..SITES).map(|site| Reverse((0, site))).collect();
        let free = (0..WORKERS * LANES).map(|_| Reverse(0)).collect();
        Fleet { sites, due, free }
    }

    /// Plays from one time to another.
    fn play(&mut self, until: f64) -> Sums {
        let mut sums = Sums::default();
        while let Some(Reverse((due, site))) = self.due.peek().copied() {
            let Reverse(free) = *self.free.peek().expect("a fleet has lanes");
            let at = due.max(free);
            if seconds(at) >= until {
                break;
            }
            self.due.pop();
            self.free.pop();
            let now = seconds(at);
            let own = &mut self.sites[site];
            let is_crawl = now >= own.crawled + EVERY;
            let took = if is_crawl { own.takes } else { own.takes * PART };
            if is_crawl {
                own.crawled = now;
            }
            let next = (now + RECHECK).min(own.crawled + EVERY).max(now + took);
            sums.waits.push(at - due);
            sums.passes += 1.0;
            sums.busy += took;
            sums.bytes += own.takes * if is_crawl { OF_CRAWL } else { OF_RECHECK };
            self.due.push(Reverse((tenths(next), site)));
            self.free.push(Reverse(tenths(now + took)));
        }
        sums
    }
}

fn main() {
    let mut fleet = Fleet::new(&mut Draw(7));
    let lanes = WORKERS * LANES;
    let week = 7.0 * DAY;
    fleet.play(DAY).print("the first day", DAY, lanes);
    fleet.play(week).print("the rest of the first week", 6.0 * DAY, lanes);
    fleet.play(2.0 * week).print("the second week", week, lanes);
    // Ninety per cent of the workers are lost; their sites are taken by the others.
    let mut few = BinaryHeap::new();
    while few.len() < lanes / 10 {
        few.extend(fleet.free.pop());
    }
    fleet.free = few;
    fleet.play(2.0 * week + DAY).print("a day with 5 workers", DAY, lanes / 10);
    let left = 2.0 * week + DAY;
    fleet.free.extend((0..lanes - lanes / 10).map(|_| Reverse(tenths(left))));
    fleet.play(left + DAY).print("the day after", DAY, lanes);
}
