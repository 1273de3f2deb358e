//! `rummage crawl`: from what was typed to a crawl, and from its end to an exit code.

use std::io::Write;
use std::path::{Path, PathBuf};
use std::time::Duration;

use http::{HeaderName, HeaderValue};
use rummage_core::crawl::{Crawl, Externals, Fragments, Note, RobotsRule, Settings, SitemapRule};
use rummage_core::extract::elements::Element;
use rummage_core::pattern::Pattern;
use rummage_core::query::QueryRule;
use rummage_core::retry::Retry;
use rummage_core::robots::{self, Robots};
use rummage_core::selection::Selection;
use rummage_engine::{Clock, Config, DEFAULT_USER_AGENT, Ended, Fetcher, Job, Proxies, Stop};
use rummage_store::{NewRun, NoteRow, OpenRun, Reader, RunState, RunWriter, StoreError};
use rummage_view::Listing;
use rustls::pki_types::CertificateDer;
use rustls::pki_types::pem::PemObject;
use tokio::sync::watch;
use url::Url;

use super::findings;
use crate::args::{
    Asking, CrawlArgs, Everywhere, ExternalsChoice, FINDINGS, FragmentsChoice, Showing,
};
use crate::config::{self as settings_file, Placeholders, Section};
use crate::failure::{Exit, Failure};
use crate::signals::stop_requested;
use crate::start::Start;
use crate::values::{Header, Proxy};
use crate::watch::Teller;
use crate::{choice, output, password, paths, start};

/// Octets of a page that are read: far more than pages have, far less than memory.
const MAX_SIZE: usize = 10 << 20;
const TIMEOUT: Duration = Duration::from_secs(20);

pub(crate) fn run(args: CrawlArgs, everywhere: &Everywhere) -> Result<Exit, Failure> {
    // Whatever is wrong with the words is said before anything is asked.
    args.showing.listing(everywhere.verbose)?;
    let config = settings_file::Config::load(everywhere.config.as_deref())?;
    let store = paths::store(everywhere.store.as_deref(), &config)?;
    let plan = if args.resume {
        Plan::resume(&store, &args.asking, &config, everywhere)?
    } else {
        let start = start::resolve(args.start.as_deref(), &config, everywhere.site.as_deref())?;
        Plan::begin(&store, start, &args.asking, &config)?
    };
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|why| Failure::System { what: "no threads could be started", why })?;
    let mut teller = Teller::new(everywhere, plan.asked_for.clone(), plan.last_time);
    if let Some(site) = &plan.section {
        teller.handle_settings(site);
    }
    if let Some(run) = plan.unfinished {
        teller.say(&format!(
            "run {run} was not finished; this is a new run, and rummage crawl --resume can still \
             go on with that one"
        ));
    }
    let section = plan.section.clone();
    let ended = runtime.block_on(drive(plan, &mut teller));
    teller.finish();
    let ended = ended?;
    if ended.run == 0 {
        let mut out = output::stderr(everywhere.color);
        let _ = writeln!(out, "stopped before the start had answered: nothing was found yet");
        return Ok(Exit::Unfinished);
    }
    let settled = config.settled(section.as_deref());
    show(&args, everywhere, &store, &settled, ended)
}

/// Ends just as `rummage findings` does, and writes the files that the settings name.
/// Somebody who closed our output still gets the exit code of the crawl.
fn show(
    args: &CrawlArgs,
    everywhere: &Everywhere,
    store: &Path,
    settled: &Section,
    ended: Ended,
) -> Result<Exit, Failure> {
    let reader = Reader::open(store)?;
    let run = reader.open_run(reader.run(ended.run)?)?;
    let listing = Listing {
        editor_link: settled.own.editor_link.clone(),
        ..args.showing.listing(everywhere.verbose)?
    };
    let selection = args.selecting.selection(FINDINGS);
    let shown = findings::show(&reader, &run, &selection, &listing, &args.showing, everywhere);
    match shown {
        Err(failure) if failure.is_closed_pipe() => {}
        shown => shown?,
    }
    for file in &settled.own.write {
        let showing = Showing::of_file(file);
        let listing = Listing {
            editor_link: settled.own.editor_link.clone(),
            ..showing.listing(everywhere.verbose)?
        };
        let all = Selection::default();
        findings::show(&reader, &run, &all, &listing, &showing, everywhere)?;
    }
    if ended.state == RunState::Stopped {
        if !everywhere.quiet {
            let mut out = output::stderr(everywhere.color);
            let _ = writeln!(out, "not finished; go on with: rummage crawl --resume");
        }
        return Ok(Exit::Unfinished);
    }
    // A site whose links were not seen was not looked through, whatever was found.
    let start = &run.info().start;
    let unseen = |row: &NoteRow| row.note == Note::DrawnByScript && row.address == *start;
    if run.notes()?.iter().any(unseen) {
        return Ok(Exit::Unfinished);
    }
    findings::exit(&run, args.fail_on)
}

/// All that is known before the first request.
struct Plan {
    asked_for: String,
    /// The name of its section in the settings file.
    section: Option<String>,
    starts: Vec<Url>,
    settings: Settings,
    config: Config,
    writer: RunWriter,
    last_time: Option<Duration>,
    /// A run that waits to be finished, and is not this one.
    unfinished: Option<i64>,
    /// The run that goes on.
    earlier: Option<Earlier>,
}

/// A run that was stopped before its end.
struct Earlier {
    reader: Reader,
    run: i64,
    site: String,
    under_way: Duration,
}

impl Plan {
    fn begin(
        store: &Path,
        start: Start,
        asking: &Asking,
        file: &settings_file::Config,
    ) -> Result<Plan, Failure> {
        let settled = file.settled(start.site.as_deref());
        let asking = asking.clone().or(settled.asking.clone());
        let starts = start::candidates(&start.text)?;
        let config = config(&asking)?;
        let writer = RunWriter::begin(store, new_run(&start.text, &asking, &settled))?;
        let reader = Reader::open(store)?;
        Ok(Plan {
            last_time: reader.last_time(&start.text)?,
            unfinished: reader.unfinished().ok().map(|replay| replay.run.number),
            settings: settings(&asking, &settled)?,
            asked_for: start.text,
            section: start.site,
            starts,
            config,
            writer,
            earlier: None,
        })
    }

    fn resume(
        store: &Path,
        asking: &Asking,
        file: &settings_file::Config,
        everywhere: &Everywhere,
    ) -> Result<Plan, Failure> {
        let reader = Reader::open(store)?;
        let replay = reader.unfinished()?;
        let earlier: Asking = serde_json::from_str(&replay.options)
            .map_err(|error| StoreError::Damaged(error.to_string()))?;
        let section = choice::name_of(file, everywhere, &replay.run.site);
        let settled = file.settled(section.as_deref());
        // What a run keeps has no secrets: these come from the settings once more.
        let asking = asking.clone().or(earlier).or(settled.asking.clone());
        let asked_for = replay.run.asked_for.clone();
        let config = config(&asking)?;
        let number = replay.run.number;
        let writer = RunWriter::resume(store, number, new_run(&asked_for, &asking, &settled))?;
        // What is due waits for no longer than it would have.
        let wall = jiff::Timestamp::now().duration_since(replay.run.started_at);
        let wall = Duration::try_from(wall).unwrap_or_default();
        Ok(Plan {
            starts: start::candidates(&asked_for)?,
            asked_for,
            section,
            settings: settings(&asking, &settled)?,
            config,
            writer,
            last_time: None,
            unfinished: None,
            earlier: Some(Earlier {
                reader,
                run: number,
                under_way: wall.max(replay.run.took),
                site: replay.run.site,
            }),
        })
    }
}

/// How to ask again what a run asked: as the environment says now, else in the same way.
pub(super) fn options_of(run: &OpenRun<'_>) -> Result<Asking, Failure> {
    let wrong = |error: clap::Error| Failure::Usage {
        what: error.to_string().trim_start_matches("error: ").trim().to_owned(),
        hint: "Mend the variable, or take it out of the environment.".to_owned(),
    };
    let damaged = |error: serde_json::Error| StoreError::Damaged(error.to_string());
    let earlier: Asking = serde_json::from_str(&run.info().options).map_err(damaged)?;
    Ok(Asking::of_environment().map_err(wrong)?.or(earlier))
}

fn new_run(asked_for: &str, asking: &Asking, settled: &Section) -> NewRun {
    let json = |asking: &Asking| serde_json::to_string(asking).expect("options are plain data");
    let placeholders = settled.own.placeholders == Some(Placeholders::Broken);
    NewRun {
        asked_for: asked_for.to_owned(),
        options: json(&asking.without_secrets()),
        bounds: json(&asking.bounds()),
        version: env!("CARGO_PKG_VERSION").to_owned(),
        started_at: jiff::Timestamp::now(),
        placeholders_are_broken: placeholders,
    }
}

async fn drive(plan: Plan, teller: &mut Teller) -> Result<Ended, Failure> {
    let mut crawl = Crawl::new(plan.settings, plan.starts.clone());
    let mut before = Duration::ZERO;
    let mut writer = plan.writer;
    if let Some(earlier) = plan.earlier {
        before = earlier.under_way;
        replay(&earlier, &mut crawl, &mut writer)?;
        let pages = rummage_view::count(crawl.progress().pages);
        let Earlier { run, site, .. } = earlier;
        teller.say(&format!("going on with run {run} of {site}: pages read so far: {pages}"));
    }
    let clock = Clock::starting_at(before);
    let fetcher = Fetcher::new(plan.config, clock);
    if let Some(start) = plan.starts.first() {
        fetcher.handle_start(start).await;
    }
    let stop = stop_on_signal();
    let job = Job { crawl, fetcher, clock, writer, stop };
    Ok(rummage_engine::crawl(job, teller).await?)
}

/// Tells the crawl once more what it was told before, and lets the writer find its
/// way back in.
fn replay(earlier: &Earlier, crawl: &mut Crawl, writer: &mut RunWriter) -> Result<(), StoreError> {
    earlier.reader.for_each_reply(earlier.run, |address, reply| {
        // An address that new settings leave out is not heard of again.
        crawl.handle_replayed(address, reply);
        while let Some(event) = crawl.poll_event() {
            writer.handle_event(event)?;
        }
        Ok(())
    })?;
    writer.handle_replayed();
    crawl.handle_resumed();
    writer.commit()
}

/// The first Ctrl-C (or request to end) stops the crawl; the second leaves at once.
fn stop_on_signal() -> Stop {
    let (sender, stop) = watch::channel(false);
    tokio::spawn(async move {
        stop_requested().await;
        let _ = sender.send(true);
        stop_requested().await;
        std::process::exit(Exit::Unfinished as i32);
    });
    stop
}

fn settings(asking: &Asking, settled: &Section) -> Result<Settings, Failure> {
    let patterns = |list: &[String]| list.iter().map(|text| Pattern::new(text)).collect();
    let preset = Settings::default();
    Ok(Settings {
        externals: match asking.externals {
            Some(ExternalsChoice::Note) => Externals::Note,
            Some(ExternalsChoice::Check) | None => Externals::Check,
        },
        depth: asking.depth,
        max_pages: asking.max_pages,
        within: asking.within.iter().map(|within| within.0.clone()).collect(),
        robots: robots(asking)?,
        sitemap: sitemap(asking)?,
        query: asking.query.as_ref().map_or(QueryRule::Keep, |query| query.0.clone()),
        ask_elements: asking.ask_elements.iter().filter_map(|name| Element::named(name)).collect(),
        exclude: patterns(&asking.exclude),
        include: patterns(&asking.include),
        concurrency: asking.concurrency.unwrap_or(preset.concurrency),
        per_host: asking.per_host,
        interval: asking.rate.map(|rate| rate.0),
        retry: Retry {
            attempts: asking.attempts.unwrap_or(preset.retry.attempts),
            timeout: timeout(asking),
        },
        hops: asking.hops.unwrap_or(preset.hops),
        fragments: match asking.fragments {
            Some(FragmentsChoice::All) => Fragments::All,
            Some(FragmentsChoice::None) => Fragments::None,
            Some(FragmentsChoice::Internal) | None => Fragments::Internal,
        },
        gentle: asking.gentle.unwrap_or_default(),
        expected: settled.expected(),
        has_credentials: asking.user.is_some() || asking.header.iter().any(is_secret),
        proxied: proxies(asking).any(),
    })
}

/// Whether a field says who asks: what acts must not be asked then.
fn is_secret(header: &Header) -> bool {
    header.name == http::header::AUTHORIZATION || header.name == http::header::COOKIE
}

fn proxies(asking: &Asking) -> Proxies {
    match &asking.proxy {
        Some(Proxy(Some(proxy))) => Proxies::one(proxy),
        Some(Proxy(None)) => Proxies::none(),
        None => Proxies::of_environment(),
    }
}

fn robots(asking: &Asking) -> Result<RobotsRule, Failure> {
    match asking.robots.as_deref() {
        None | Some("obey") => Ok(RobotsRule::Obey),
        Some("ignore") => Ok(RobotsRule::Ignore),
        Some(file) => match std::fs::read(file) {
            Ok(rules) => {
                let rules = &rules[..rules.len().min(robots::MAX_SIZE)];
                Ok(RobotsRule::Given(Robots::parse(&String::from_utf8_lossy(rules))))
            }
            Err(why) => Err(Failure::Usage {
                what: format!("--robots {file} cannot be read: {why}"),
                hint: "Give obey, ignore, or a file such as ./robots.txt.".to_owned(),
            }),
        },
    }
}

fn sitemap(asking: &Asking) -> Result<SitemapRule, Failure> {
    let given = match asking.sitemap.as_deref() {
        None | Some("auto") => return Ok(SitemapRule::Auto),
        Some("none") => return Ok(SitemapRule::None),
        Some(given) => given,
    };
    match Url::parse(given) {
        Ok(mut url) if matches!(url.scheme(), "http" | "https") => {
            url.set_fragment(None);
            Ok(SitemapRule::At(url))
        }
        _ => Err(Failure::Usage {
            what: format!("--sitemap {given} is no address"),
            hint: "Give auto, none, or an address such as https://www.example.test/sitemap.xml."
                .to_owned(),
        }),
    }
}

fn timeout(asking: &Asking) -> Duration {
    asking.timeout.map_or(TIMEOUT, |time| time.0)
}

pub(super) fn config(asking: &Asking) -> Result<Config, Failure> {
    let agent = asking.user_agent.as_deref().unwrap_or(DEFAULT_USER_AGENT);
    let mut ca_certs = Vec::new();
    for file in &asking.ca_cert {
        ca_certs.extend(certificates(file)?);
    }
    Ok(Config {
        user_agent: agent.parse().map_err(|_| Failure::Usage {
            what: "--user-agent holds characters that a header field cannot".to_owned(),
            hint: "Use plain letters, digits and punctuation.".to_owned(),
        })?,
        headers: headers(asking)?,
        proxies: proxies(asking),
        timeout: timeout(asking),
        dns: asking.dns,
        connect: asking.connect.iter().map(|connect| connect.0.clone()).collect(),
        ca_certs,
        allow_private: asking.allow_private.unwrap_or_default(),
        max_size: asking.max_size.map_or(MAX_SIZE, |size| size.0),
    })
}

fn headers(asking: &Asking) -> Result<Vec<(HeaderName, HeaderValue)>, Failure> {
    let mut headers = Vec::new();
    for header in &asking.header {
        let value = header.value().map_err(|why| Failure::Usage {
            what: format!("the field {} cannot be sent: {why}", header.name),
            hint: "Set the variable that the settings name, or mend the value.".to_owned(),
        })?;
        headers.push((header.name.clone(), value));
    }
    if let Some(user) = &asking.user {
        headers.push((http::header::AUTHORIZATION, password::basic(user)?));
    }
    Ok(headers)
}

fn certificates(file: &PathBuf) -> Result<Vec<CertificateDer<'static>>, Failure> {
    let wrong = |why: String| Failure::Usage {
        what: format!("--ca-cert {} cannot be used: {why}", file.display()),
        hint: "Give a PEM file that begins with -----BEGIN CERTIFICATE-----.".to_owned(),
    };
    let found: Result<Vec<_>, _> =
        CertificateDer::pem_file_iter(file).map_err(|error| wrong(error.to_string()))?.collect();
    let found = found.map_err(|error| wrong(error.to_string()))?;
    if found.is_empty() { Err(wrong("it holds no certificate".to_owned())) } else { Ok(found) }
}
