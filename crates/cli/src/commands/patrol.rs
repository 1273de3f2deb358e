//! `rummage patrol`: watches sites until it is stopped.

use std::io::Write;

use rummage_view::ViewError;

use crate::args::PatrolArgs;
use crate::config::Config;
use crate::failure::{Exit, Failure};
use crate::jobs::runtime;
use crate::patrol::{Patrol, start_log};
use crate::session::Session;
use crate::{digests, paths};

pub(crate) fn run(args: &PatrolArgs, session: &Session) -> Result<Exit, Failure> {
    let config = &session.config;
    let store = session.store.as_path();
    if args.test_digest {
        return test_digest(config, session);
    }
    // An invalid waivers file is reported before any request is made.
    paths::waivers(config, store, session.clock)?;
    let patrol = Patrol::new(store, config.clone(), session, args.once)?;
    start_log(args.log, session.terminal, session.clock);
    Ok(runtime()?.block_on(patrol.run()))
}

/// Sends a sample digest for each site, or for the one that is named.
fn test_digest(config: &Config, session: &Session) -> Result<Exit, Failure> {
    let mut sites: Vec<&str> = config.sites.keys().map(String::as_str).collect();
    if let Some(name) = &session.site {
        sites.retain(|site| site == name);
        if sites.is_empty() {
            sites.push(name);
        }
    } else if sites.is_empty() {
        sites.push("www.example.test");
    }
    let runtime = runtime()?;
    let mut out = session.terminal.stdout();
    let (mut sent, mut failed) = (0, 0);
    for site in sites {
        let settings = config.settings(Some(site));
        for delivery in runtime.block_on(digests::try_out(&settings, site, session.clock)) {
            if delivery.result.is_ok() {
                sent += 1
            } else {
                failed += 1
            }
            writeln!(out, "{}", delivery.sentence()).map_err(ViewError::from)?;
        }
    }
    if sent + failed == 0 {
        return Err(Failure::Usage {
            what: "digests have no recipients: neither digest-to nor digest-command is set"
                .to_owned(),
            hint: "Add to rummage.toml, for example: digest-to = [\"editor@example.test\"]"
                .to_owned(),
        });
    }
    Ok(if failed == 0 { Exit::Fine } else { Exit::Impossible })
}
