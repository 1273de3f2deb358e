//! `rummage trace`: all about one address.

use std::io::Write;

use rummage_core::selection::Selection;
use rummage_store::Reader;
use rummage_view::{ViewError, safe};
use url::Url;

use crate::args::{Everywhere, Format, TraceArgs};
use crate::failure::{Exit, Failure};
use crate::{output, paths};

/// So many addresses are listed when several fit.
const SHORT_LIST: u32 = 20;

pub(crate) fn run(args: &TraceArgs, everywhere: Everywhere) -> Result<Exit, Failure> {
    let reader = Reader::open(&paths::store(everywhere.store)?)?;
    let run = reader.last_run()?;
    let found = find(&reader, run.number, &args.target)?;
    let mut out = output::buffered(output::stdout(everywhere.color));
    match (found.as_slice(), args.format) {
        ([], _) => {
            return Err(Failure::Usage {
                what: format!(
                    "the last run knows no address with \"{}\" in it",
                    safe(&args.target)
                ),
                hint: "Give an address, or a part of one, from: rummage findings --all".to_owned(),
            });
        }
        ([address], Format::Text) => rummage_view::trace(&mut out, &reader, &run, address)?,
        ([address], Format::Jsonl) => {
            rummage_view::jsonl(&mut out, &reader, &run, &Selection::all(), |row| {
                row.address == *address
            })?;
        }
        (several, _) => {
            list(&mut out, several)?;
        }
    }
    out.flush().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}

/// The addresses that fit: in normal form exactly, else those that hold the text.
fn find(reader: &Reader, run: i64, target: &str) -> Result<Vec<String>, Failure> {
    if let Ok(mut url) = Url::parse(target) {
        url.set_fragment(None);
        let found = reader.find(run, url.as_str(), 1)?;
        if found.first().is_some_and(|address| address == url.as_str()) {
            return Ok(found);
        }
    }
    Ok(reader.find(run, target, SHORT_LIST + 1)?)
}

fn list(out: &mut dyn Write, several: &[String]) -> Result<(), ViewError> {
    let most = SHORT_LIST as usize;
    writeln!(out, "several addresses fit; name one of them:")?;
    for address in several.iter().take(most) {
        writeln!(out, "  {}", safe(address))?;
    }
    if several.len() > most {
        writeln!(out, "  and more")?;
    }
    Ok(())
}
