//! `rummage page`: checks the links on single pages.

use std::io::Write;
use std::path::{Path, PathBuf};

use rummage_core::extract::reading::Format as Reads;
use rummage_core::url::pattern::Pattern;
use rummage_core::url::scope::{Bounds, Scope};
use rummage_core::verdict::Verdict;
use rummage_engine::Document;
use rummage_store::{OpenRun, Reader, RunInfo, RunState, StoreError, StoredUrl};
use rummage_view::ViewError;
use tempfile::TempDir;
use url::{Position, Url};

use super::findings;
use crate::args::{CheckOptions, FINDINGS, FailOn, PageArgs};
use crate::config::Config;
use crate::failure::{Exit, Failure, report_internal};
use crate::folder_site;
use crate::inputs::{bytes, is_readable};
use crate::jobs::{CrawlJob, JobContext, Reporter, pages_of, runtime};
use crate::output::Terminal;
use crate::session::Session;
use crate::signals::stop_on_signal;
use crate::watch::ProgressReporter;
use crate::{choice, output, results, sources, urls};

pub(crate) fn run(args: &PageArgs, session: &Session) -> Result<Exit, Failure> {
    args.showing.listing(session.terminal.verbose)?;
    let config = &session.config;
    let _store = session.store.as_path();
    if args.resume {
        return resume(args, session);
    }
    match draft(args)? {
        Some(draft) => of_draft(args, session, config, draft),
        None => of_site(args, session),
    }
}

/// A page that is not published yet: its future URL, and its contents.
struct Draft {
    url: Url,
    document: Document,
    file: Option<PathBuf>,
}

fn draft(args: &PageArgs) -> Result<Option<Draft>, Failure> {
    let is_draft = |name: &String| name == "-" || is_readable(Path::new(name));
    if !args.pages.iter().any(is_draft) {
        return match args.options.at {
            None => Ok(None),
            Some(_) => Err(Failure::Usage {
                what: format!("{} is not a file, and --as is only for a draft", args.pages[0]),
                hint: "Give a file or - with --as, or the URL of a page without it.".to_owned(),
            }),
        };
    }
    let [name] = args.pages.as_slice() else {
        return Err(Failure::Usage {
            what: "a file or standard input must be the only page".to_owned(),
            hint: "Run rummage page once for each draft.".to_owned(),
        });
    };
    let Some(at) = &args.options.at else {
        return Err(Failure::Usage {
            what: format!(
                "the URL at which {name} will be published is unknown, so its links cannot be resolved"
            ),
            hint: format!("Give it: rummage page {name} --as https://www.example.test/news/"),
        });
    };
    let url = urls::published_at(at)?;
    let (bytes, problem) = bytes(name)?;
    if bytes.trim_ascii().is_empty() {
        return Err(Failure::Usage {
            what: format!("{name} is empty"),
            hint: "Give an HTML page.".to_owned(),
        });
    }
    if let Some(problem) = problem {
        return Err(Failure::Usage { what: format!("{name}: {problem}"), hint: String::new() });
    }
    let format = if name.ends_with(".xhtml") { Reads::Xhtml } else { Reads::Html };
    let file = (name != "-").then(|| PathBuf::from(name));
    Ok(Some(Draft { url, document: Document::Bytes(bytes.into(), format), file }))
}

fn of_draft(
    args: &PageArgs,
    session: &Session,
    config: &Config,
    draft: Draft,
) -> Result<Exit, Failure> {
    // A draft is not part of the site, nor of its runs.
    let folder = TempDir::with_prefix("rummage-page-")
        .map_err(|reason| Failure::System { what: "cannot create a temporary folder", reason })?;
    let store = folder.path().join("draft.db");
    let section = choice::by_host(config, &urls::host(&draft.url));
    let options = CheckOptions { at: None, ..args.options.clone() };
    let pages = vec![draft.url.clone()];
    let pass = CrawlJob::pages_alone(
        JobContext { store: &store, ..session.context(&options, section) },
        pages.clone(),
        None,
        Some(draft.document),
    )?;
    let (ended, _runtime) = drive(pass, session.terminal, None)?;
    if ended.run == 0 {
        return Ok(Exit::Unfinished);
    }
    let reader = Reader::open(&store)?;
    let run = reader.open_run(reader.run(ended.run)?)?;
    show(args, session.terminal, &reader, &run, &pages, draft.file.as_deref(), None)?;
    let exit = match ended.state {
        RunState::Finished => exit(&run, &urls(&run, &pages)?, args.fail_on)?,
        _ => Exit::Unfinished,
    };
    Ok(report_internal(&ended.internal_errors, exit, session.terminal))
}

fn of_site(args: &PageArgs, session: &Session) -> Result<Exit, Failure> {
    let mut pages = Vec::new();
    let mut over_http = Vec::new();
    for page in &args.pages {
        let mut candidates = urls::candidates(page)?;
        candidates.iter_mut().for_each(|url| url.set_fragment(None));
        over_http.push(candidates.get(1).cloned());
        pages.push(candidates.swap_remove(0));
    }
    let section = session.section_of(&urls::host(&pages[0]));
    let known = match session.store.exists() {
        true => known(&session.reader()?, &pages)?,
        false => None,
    };
    let (pass, before) = match &known {
        Some(base) => {
            let reader = session.reader()?;
            let run = reader.open_run(base.clone())?;
            // A host without a scheme: the page may be known over http alone.
            for (page, over_http) in pages.iter_mut().zip(over_http) {
                let is_known = |url: &Url| {
                    run.find(url.as_str(), 1).map(|it| it.iter().any(|(_, it)| it == url.as_str()))
                };
                if let Some(over_http) = over_http
                    && !is_known(page)?
                    && is_known(&over_http)?
                {
                    *page = over_http;
                }
            }
            let pass =
                CrawlJob::pages(session.context(&args.options, section), &run, pages.clone())?;
            (pass, Some(base))
        }
        None => {
            // As a crawl does; no secret goes over http because https has failed.
            let alone = pages.len() == 1 && !args.options.has_credentials();
            let fallback = over_http.swap_remove(0).filter(|_| alone);
            let context = session.context(&args.options, section);
            (CrawlJob::pages_alone(context, pages.clone(), fallback, None)?, None)
        }
    };
    conclude(args, session, pass, pages, before)
}

/// Continues a check that was stopped.
fn resume(args: &PageArgs, session: &Session) -> Result<Exit, Failure> {
    let reader = session.reader()?;
    let run = reader.unfinished_page()?;
    let pages = pages_of(&run)?;
    let before = known(&reader, &pages)?;
    let section = session.section_of(&urls::host(&pages[0]));
    let pass = CrawlJob::resume_pages(session.context(&args.options, section), run)?;
    conclude(args, session, pass, pages, before.as_ref())
}

/// Runs the check, and shows its results.
fn conclude(
    args: &PageArgs,
    session: &Session,
    pass: CrawlJob,
    mut pages: Vec<Url>,
    before: Option<&RunInfo>,
) -> Result<Exit, Failure> {
    let (ended, runtime) = drive(pass, session.terminal, before)?;
    if ended.run == 0 {
        return Ok(Exit::Unfinished);
    }
    let reader = session.reader()?;
    let run = reader.open_run(reader.run(ended.run)?)?;
    if before.is_none() && run.info().start.starts_with("http:") {
        // The page is where it responded.
        let twin = Url::parse(&run.info().start).ok();
        if let Some(twin) =
            twin.filter(|url| url[Position::BeforeHost..] == pages[0][Position::BeforeHost..])
        {
            pages[0] = twin;
        }
    }
    show(args, session.terminal, &reader, &run, &pages, None, before)?;
    // The run of a page alone says nothing of the site.
    if before.is_some() {
        let settings = session.config.settings(session.section_of(&run.info().site).as_deref());
        results::write_files(&reader, &run, &settings, session.terminal)?;
    }
    session.deliver_digests(&runtime);
    let exit = match ended.state {
        RunState::Finished => exit(&run, &urls(&run, &pages)?, args.fail_on)?,
        _ => {
            let hint = "This check is unfinished. Continue it with: rummage page --resume";
            let _ = writeln!(session.terminal.stderr(), "{hint}");
            Exit::Unfinished
        }
    };
    Ok(report_internal(&ended.internal_errors, exit, session.terminal))
}

/// The last finished run of the site that contains all of these pages.
fn known(reader: &Reader, pages: &[Url]) -> Result<Option<RunInfo>, Failure> {
    for site in reader.sites()? {
        let Some(run) = reader.last_finished_of(&site.last.site)? else { continue };
        // A preview is not the page that is on the web.
        if folder_site::folder(&run.site).is_some() {
            continue;
        }
        let Ok(start) = Url::parse(&run.start) else { continue };
        let bounds = Bounds::around(&start, &[]);
        if pages.iter().all(|page| bounds.scope(page) == Scope::Internal) {
            return Ok(Some(run));
        }
    }
    Ok(None)
}

fn drive(
    pass: CrawlJob,
    terminal: Terminal,
    before: Option<&RunInfo>,
) -> Result<(rummage_engine::Ended, tokio::runtime::Runtime), Failure> {
    let mut reporter =
        ProgressReporter::new(terminal, pass.given_start.clone(), None).without_head().brief();
    if let Some(before) = before.filter(|_| pass.rechecked() > 0) {
        let many = rummage_view::counted(pass.rechecked() as u64, "URL", "URLs");
        reporter.say(&format!("checking {many}; everything else as in run {}", before.number));
    }
    let runtime = runtime()?;
    let ended = runtime.block_on(async { pass.drive(stop_on_signal(), &mut reporter).await });
    reporter.finish();
    Ok((ended?, runtime))
}

fn show(
    args: &PageArgs,
    terminal: Terminal,
    reader: &Reader,
    run: &OpenRun<'_>,
    pages: &[Url],
    file: Option<&Path>,
    before: Option<&RunInfo>,
) -> Result<(), Failure> {
    let mut listing = args.showing.listing(terminal.verbose)?;
    listing.source = file.map(sources::of_file);
    let urls = urls(run, pages)?;
    let mut selection = args.selecting.selection(FINDINGS);
    if args.showing.destination()?.is_for_reading_here() {
        let mut out = output::buffered(terminal.stdout());
        let shown = rummage_view::pages(&mut out, run, &urls, &selection, &listing, before);
        shown.and_then(|()| out.flush().map_err(ViewError::from))?;
        return Ok(());
    }
    for page in &urls {
        selection.pages.push(Pattern::new(&run.url(*page)?));
    }
    findings::show(reader, run, &selection, &listing, &args.showing, terminal)
}

/// The pages as the run knows them: where their redirects end.
fn urls(run: &OpenRun<'_>, pages: &[Url]) -> Result<Vec<StoredUrl>, Failure> {
    let mut urls = Vec::new();
    for page in pages {
        let exact = |text: &str| -> Result<Option<StoredUrl>, StoreError> {
            let found = run.find(text, 1)?.into_iter().find(|(_, url)| url == text);
            Ok(found.map(|(url, _)| url))
        };
        let Some(given) = exact(page.as_str())? else { continue };
        let last = run.way(given)?.last().map(|hop| hop.url.clone());
        let url = last.map(|last| exact(&last)).transpose()?.flatten().unwrap_or(given);
        if !urls.contains(&url) {
            urls.push(url);
        }
    }
    Ok(urls)
}

/// The exit code for these pages alone.
fn exit(run: &OpenRun<'_>, pages: &[StoredUrl], fail_on: FailOn) -> Result<Exit, Failure> {
    let Some(selection) = findings::failing(fail_on) else { return Ok(Exit::Fine) };
    for page in pages {
        let mut wrong = false;
        match run.query_on(*page, &selection)? {
            Some(query) => wrong |= findings::has_any(&query)?,
            // The page itself is missing.
            None => {
                let outcome = run.outcome(*page)?;
                wrong = outcome.is_some_and(|outcome| outcome.verdict == Verdict::Broken);
            }
        }
        if wrong {
            return Ok(Exit::Broken);
        }
    }
    Ok(Exit::Fine)
}
