//! Reads access logs, compressed or not, line by line.

use std::fs::File;
use std::io::{self, BufRead, BufReader, Read, Write};

use flate2::bufread::MultiGzDecoder;
use rummage_core::extract::access_log::Arrivals;
use rummage_view::safe;
use url::Url;

use crate::failure::Failure;
use crate::output::Terminal;

/// The longest line that is read: longer ones are not from an access log.
const LONGEST: u64 = 1 << 20;

/// Reads all of these logs. Returns whether a part could not be read.
pub(crate) fn read(
    logs: &[String],
    into: &mut Arrivals,
    terminal: Terminal,
) -> Result<bool, Failure> {
    let mut is_partial = false;
    for log in logs {
        is_partial |= read_one(log, into, terminal)?;
    }
    Ok(is_partial | report_malformed(into, terminal))
}

/// The URL of a path of a log, on the site with this start URL.
pub(crate) fn url(start: &Url, path: &str) -> Option<String> {
    // `//x` is a path here, not a host.
    let mut url = start.join("/").ok()?;
    let (path, query) = path.split_once('?').map_or((path, None), |(p, q)| (p, Some(q)));
    url.set_path(path);
    url.set_query(query);
    Some(url.into())
}

/// The name of a log in messages.
pub(crate) fn named(log: &str) -> &str {
    if log == "-" { "standard input" } else { log }
}

/// Reads a log, line by line. Returns whether part of it could not be read.
fn read_one(log: &str, into: &mut Arrivals, terminal: Terminal) -> Result<bool, Failure> {
    let cannot = |reason: io::Error| Failure::Usage {
        what: format!("cannot read {}: {reason}", safe(log)),
        hint: "Give an access log, or - for standard input.".to_owned(),
    };
    let source: Box<dyn Read> = match log {
        "-" => Box::new(io::stdin()),
        log => Box::new(File::open(log).map_err(cannot)?),
    };
    let mut source = BufReader::with_capacity(256 * 1024, source);
    let is_packed = source.fill_buf().map_err(cannot)?.starts_with(&[0x1f, 0x8b]);
    let mut lines: Box<dyn BufRead> = if is_packed {
        Box::new(BufReader::with_capacity(256 * 1024, MultiGzDecoder::new(source)))
    } else {
        Box::new(source)
    };
    let (before, samples) = (into.lines, into.samples.len());
    let (mut number, mut line) = (0, Vec::new());
    loop {
        line.clear();
        number += 1;
        match (&mut lines).take(LONGEST).read_until(b'\n', &mut line) {
            Ok(0) => break,
            Ok(_) => into.handle_line(number, &line),
            Err(reason) => {
                let what =
                    if is_packed { "the gzip data ends early" } else { "cannot be read further" };
                let mut err = terminal.stderr();
                let log = safe(named(log));
                let _ = writeln!(
                    err,
                    "{log}, line {number}: {what} ({reason}); everything before was counted"
                );
                return Ok(true);
            }
        }
        if line.len() as u64 == LONGEST && !line.ends_with(b"\n") {
            skip_line(&mut *lines);
        }
    }
    for (number, text) in &into.samples[samples..] {
        let mut err = terminal.stderr();
        let (log, text) = (safe(named(log)), safe(text));
        let _ = writeln!(err, "{log}, line {number} is not in access-log format: {text}");
    }
    if into.lines == before {
        let mut err = terminal.stderr();
        let _ = writeln!(err, "{} is empty", safe(named(log)));
        return Ok(true);
    }
    Ok(false)
}

/// Skips to the end of a line without keeping it.
fn skip_line(lines: &mut dyn BufRead) {
    loop {
        let Ok(some) = lines.fill_buf() else { return };
        if some.is_empty() {
            return;
        }
        let (end, is_end) = match some.iter().position(|byte| *byte == b'\n') {
            Some(end) => (end + 1, true),
            None => (some.len(), false),
        };
        lines.consume(end);
        if is_end {
            return;
        }
    }
}

/// Reports how many more lines were skipped. Returns whether all of them were.
fn report_malformed(gathered: &Arrivals, terminal: Terminal) -> bool {
    if gathered.malformed == 0 {
        return false;
    }
    let mut err = terminal.stderr();
    let more = gathered.malformed - gathered.samples.len() as u64;
    if more > 0 {
        let _ = writeln!(err, "and {} more", rummage_view::count(more));
    }
    if gathered.malformed == gathered.lines {
        let _ = writeln!(err, "no line is in Common or Combined Log Format");
        return true;
    }
    false
}
