//! `rummage` without arguments: what it is, and what to type next.

use std::io::Write;

use rummage_store::{Reader, StoreError};
use rummage_view::ViewError;

use crate::failure::{Exit, Failure};
use crate::output;
use crate::session::Session;

pub(crate) fn run(session: &Session) -> Result<Exit, Failure> {
    let config = &session.config;
    let store = session.store.as_path();
    let mut out = output::buffered(session.terminal.stdout());
    writeln!(out, "Rummage finds the broken links of a website, and the pages they appear on.\n")
        .map_err(ViewError::from)?;
    let sites = match Reader::open(store) {
        Ok(reader) => reader.sites()?,
        Err(StoreError::Missing { .. }) => Vec::new(),
        Err(error) => return Err(error.into()),
    };
    let mut next = Vec::new();
    if let Some(last) = sites.iter().max_by_key(|site| site.last.number) {
        let named = sites
            .iter()
            .cloned()
            .map(|site| (crate::choice::own_section(config, &site.last.site), site))
            .collect::<Vec<_>>();
        rummage_view::sites(&mut out, &named)?;
        writeln!(out).map_err(ViewError::from)?;
        let start = crate::choice::own_section(config, &last.last.site)
            .unwrap_or_else(|| last.last.given_start.clone());
        next.push(("rummage findings".to_owned(), "what is broken now"));
        next.push(("rummage trace URL".to_owned(), "everything about one URL"));
        next.push((format!("rummage crawl {start}"), "crawl it again"));
        if last.runs > 1 {
            next.push((
                "rummage compare".to_owned(),
                "what is newly broken since the previous run",
            ));
        }
    } else if let Some(name) = config.sites.keys().next() {
        next.push((format!("rummage crawl {name}"), "crawl this site from rummage.toml"));
    } else {
        next.push(("rummage crawl www.example.test".to_owned(), "crawl a site"));
        next.push(("rummage demo".to_owned(), "see it all on a small simulated web"));
        next.push(("rummage init".to_owned(), "write a settings file to edit"));
    }
    next.push(("rummage --help".to_owned(), "all commands"));
    let width = next.iter().map(|(command, _)| command.len()).max().unwrap_or_default();
    writeln!(out, "Next:").map_err(ViewError::from)?;
    for (command, what) in next {
        writeln!(out, "  {command:width$}  {what}").map_err(ViewError::from)?;
    }
    out.flush().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}
