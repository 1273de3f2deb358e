//! `rummage init`: a new settings file.

use std::fs::OpenOptions;
use std::io::{ErrorKind, Write};
use std::path::PathBuf;

use crate::args::GlobalArgs;
use crate::args::InitArgs;
use crate::config::{FILE, write};
use crate::failure::{Exit, Failure};
use crate::output::Terminal;
use crate::urls;

pub(crate) fn run(
    args: &InitArgs,
    global: &GlobalArgs,
    terminal: Terminal,
) -> Result<Exit, Failure> {
    let path = global.config.clone().unwrap_or_else(|| PathBuf::from(FILE));
    let site = match &args.start {
        None => None,
        Some(start) => {
            let url = urls::candidates(start)?.swap_remove(0);
            Some((name(&urls::host(&url)), start.trim()))
        }
    };
    let text = write::text(site.as_ref().map(|(name, start)| (name.as_str(), *start)));
    // An existing file is never overwritten.
    let made = OpenOptions::new().write(true).create_new(true).open(&path);
    let mut file = made.map_err(|reason| match reason.kind() {
        ErrorKind::AlreadyExists => Failure::Usage {
            what: format!("{} already exists; nothing was changed", path.display()),
            hint: "Edit it, or choose another file with --config.".to_owned(),
        },
        _ => Failure::Usage {
            what: format!("cannot write {}: {reason}", path.display()),
            hint: "Check the folder and its permissions.".to_owned(),
        },
    })?;
    file.write_all(text.as_bytes())
        .map_err(|reason| Failure::System { what: "cannot write the settings file", reason })?;
    let mut out = terminal.stdout();
    let next = match &site {
        Some((name, _)) => format!("rummage crawl {name}"),
        None => "edit it, then: rummage crawl".to_owned(),
    };
    writeln!(out, "Wrote {}. Next: {next}", path.display())
        .map_err(rummage_view::ViewError::from)?;
    Ok(Exit::Fine)
}

/// A name for a site: the first distinctive part of its host name.
fn name(host: &str) -> String {
    let bare = host.split(':').next().unwrap_or(host).trim_start_matches("www.");
    let first = bare.split('.').next().unwrap_or(bare);
    let is_url = first.is_empty() || bare.split('.').all(|part| part.parse::<u8>().is_ok());
    let plain = |c: char| c.is_ascii_alphanumeric() || c == '-' || c == '_';
    if is_url || !first.chars().all(plain) { "site".to_owned() } else { first.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_site_is_named_after_its_host() {
        for (host, site) in [
            ("www.ashlock-canal.test", "ashlock-canal"),
            ("a.test:8080", "a"),
            ("127.0.0.1:8000", "site"),
            ("[::1]:80", "site"),
            ("localhost", "localhost"),
        ] {
            assert_eq!(name(host), site);
        }
    }
}
