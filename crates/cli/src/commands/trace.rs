//! `rummage trace`: all about one address.

use std::io::Write;

use rummage_core::findings::selection::Selection;
use rummage_store::{Address, OpenRun};
use rummage_view::{Group, Listing, ViewError, safe};
use url::Url;

use crate::args::{TraceArgs, TraceFormat};
use crate::failure::{Exit, Failure};
use crate::session::Session;
use crate::{output, sources};

/// So many addresses are listed when several fit.
const SHORT_LIST: usize = 20;

pub(crate) fn run(args: &TraceArgs, session: &Session) -> Result<Exit, Failure> {
    let config = &session.config;
    let reader = session.reader()?;
    let run = session.run(&reader, args.run)?;
    let name = session.section_of(&run.site);
    let settled = config.settled(name.as_deref());
    let source = sources::of(&run, &settled);
    let listing = Listing {
        unfold: args.unfold,
        verbose: session.terminal.verbose,
        source,
        ..Listing::by(Group::Target)
    };
    let run = reader.open_run(run)?;
    let found = find(&run, &args.target)?;
    let mut out = output::buffered(session.terminal.stdout());
    match (found.as_slice(), args.format) {
        ([], _) => return Err(nothing(&run, &args.target)),
        ([(address, _)], TraceFormat::Text) => {
            rummage_view::trace(&mut out, &reader, &run, *address, &listing)?;
            if args.source {
                out.flush().map_err(ViewError::from)?;
                super::source::show(&mut out, &run, *address, &settled)?;
            }
        }
        ([(address, _)], TraceFormat::Jsonl) => {
            rummage_view::links_to(&mut out, &run, *address, &Selection::all())?;
        }
        ([(address, _)], TraceFormat::Json) => {
            rummage_view::json_of(&mut out, &run, *address, &Selection::all())?;
        }
        (several, _) => list(&mut out, several)?,
    }
    out.flush().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}

fn nothing(run: &OpenRun<'_>, target: &str) -> Failure {
    let number = run.info().number;
    Failure::Usage {
        what: format!("run {number} knows no address with \"{}\" in it", safe(target)),
        hint: "Give an address, or a part of one, from: rummage findings --all --group none"
            .to_owned(),
    }
}

/// The addresses that fit: in normal form exactly, else those that hold the text.
fn find(run: &OpenRun<'_>, target: &str) -> Result<Vec<(Address, String)>, Failure> {
    if let Ok(mut url) = Url::parse(target) {
        url.set_fragment(None);
        let found = run.find(url.as_str(), 1)?;
        if found.first().is_some_and(|(_, address)| address == url.as_str()) {
            return Ok(found);
        }
    }
    let bare = target.split('#').next().unwrap_or(target);
    let found = run.find(target, SHORT_LIST + 1)?;
    Ok(if found.is_empty() && !bare.is_empty() { run.find(bare, SHORT_LIST + 1)? } else { found })
}

fn list(out: &mut dyn Write, several: &[(Address, String)]) -> Result<(), ViewError> {
    writeln!(out, "several addresses fit; name one of them:")?;
    for (_, address) in several.iter().take(SHORT_LIST) {
        writeln!(out, "  {}", safe(address))?;
    }
    if several.len() > SHORT_LIST {
        writeln!(out, "  and more")?;
    }
    Ok(())
}
