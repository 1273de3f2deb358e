//! `rummage trace`: everything about one URL.

use std::io::Write;

use rummage_core::findings::selection::Selection;
use rummage_core::url::reference::path_of;
use rummage_core::verdict::Cause;
use rummage_store::{LinkRow, OpenRun, StoreError, StoredUrl};
use rummage_view::{Group, Listing, ViewError, safe};
use url::Url;

use crate::args::{TraceArgs, TraceFormat};
use crate::failure::{Exit, Failure};
use crate::session::Session;
use crate::waivers::File;
use crate::{output, sources};

/// How many URLs are compared with a path.
const MOST: usize = 10_000;
/// How many URLs are listed when several match.
const SHORT_LIST: usize = 20;

pub(crate) fn run(args: &TraceArgs, session: &Session) -> Result<Exit, Failure> {
    let config = &session.config;
    let reader = session.reader()?;
    let run = session.run(&reader, args.run)?;
    let name = session.section_of(&run.site);
    let settings = config.settings(name.as_deref());
    let source = sources::of(&run, &settings);
    let listing = Listing {
        unfold: args.unfold,
        verbose: session.terminal.verbose,
        source,
        ..Listing::by(Group::Target)
    };
    let run = reader.open_run(run)?;
    let mut found = find(&run, &args.target)?;
    let placeholders = placeholders(&run, &args.target)?;
    let is_page = |url: &str| url == args.target && url.starts_with("http");
    let is_exact = found.iter().any(|(_, url)| is_page(url));
    if !placeholders.is_empty() && !is_exact && args.format == TraceFormat::Text {
        let mut out = output::buffered(session.terminal.stdout());
        rummage_view::trace_placeholder(&mut out, run.info(), &placeholders, &listing)?;
        out.flush().map_err(ViewError::from)?;
        return Ok(Exit::Fine);
    }
    found.truncate(SHORT_LIST + 1);
    let mut out = output::buffered(session.terminal.stdout());
    match (found.as_slice(), args.format) {
        ([], _) => return Err(nothing(&run, &args.target)),
        ([(url, _)], TraceFormat::Text) => {
            let file = File::load(config, &session.store)?;
            let waivers = super::waive::of_target(&run, *url, &file, session.clock.today())?;
            rummage_view::trace(&mut out, &reader, &run, *url, &waivers, &listing)?;
            if args.source {
                out.flush().map_err(ViewError::from)?;
                super::source::show(&mut out, &run, *url, &settings)?;
            }
        }
        ([(url, _)], TraceFormat::Jsonl) => {
            rummage_view::links_to(&mut out, &run, *url, &Selection::all())?;
        }
        ([(url, _)], TraceFormat::Json) => {
            rummage_view::json_of(&mut out, &run, *url, &Selection::all())?;
        }
        (several, _) => {
            list(&mut out, several)?;
            out.flush().map_err(ViewError::from)?;
            return Ok(Exit::Usage);
        }
    }
    out.flush().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}

/// The placeholder links with this source text, as listings show it.
fn placeholders(run: &OpenRun<'_>, target: &str) -> Result<Vec<LinkRow>, Failure> {
    let target = if target == "an empty URL" { "" } else { target.trim() };
    let selection = Selection { causes: vec![Cause::Placeholder], ..Selection::all() };
    let query = run.query(&selection)?;
    let mut links = Vec::new();
    query.for_each(|found| {
        let row = query.row(found)?;
        if row.written.trim() == target {
            links.push(row);
        }
        Ok::<_, StoreError>(())
    })?;
    Ok(links)
}

fn nothing(run: &OpenRun<'_>, target: &str) -> Failure {
    let number = run.info().number;
    Failure::Usage {
        what: format!("run {number} has no URL with \"{}\" in it", safe(target)),
        hint: "Give a URL, or part of one, from: rummage findings --all --group none".to_owned(),
    }
}

/// The matching URLs: the one with exactly this normal form or path, else those that contain the
/// text.
fn find(run: &OpenRun<'_>, target: &str) -> Result<Vec<(StoredUrl, String)>, Failure> {
    if let Ok(mut url) = Url::parse(target) {
        url.set_fragment(None);
        let found = run.find(url.as_str(), 1)?;
        if found.first().is_some_and(|(_, url)| url == url.as_str()) {
            return Ok(found);
        }
    }
    if target.starts_with('/') {
        // Many URLs may contain the path of one.
        let mut found = run.find(target, MOST)?;
        found.retain(|(_, url)| path_of(url) == target);
        if !found.is_empty() {
            return Ok(found);
        }
    }
    let bare = target.split('#').next().unwrap_or(target);
    let found = run.find(target, SHORT_LIST + 1)?;
    Ok(if found.is_empty() && !bare.is_empty() { run.find(bare, SHORT_LIST + 1)? } else { found })
}

fn list(out: &mut dyn Write, several: &[(StoredUrl, String)]) -> Result<(), ViewError> {
    writeln!(out, "several URLs match; give one of them:")?;
    for (_, url) in several.iter().take(SHORT_LIST) {
        writeln!(out, "  {}", safe(url))?;
    }
    if several.len() > SHORT_LIST {
        writeln!(out, "  and more")?;
    }
    Ok(())
}
