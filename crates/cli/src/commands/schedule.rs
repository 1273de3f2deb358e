//! `rummage schedule`: what will be rechecked and when, and entries for cron and systemd.

use std::io::Write;
use std::path::Path;

use rummage_store::RunInfo;
use rummage_view::ViewError;

use crate::args::{Emit, ScheduleArgs, ScheduleFormat};
use crate::config::Config;
use crate::failure::{Exit, Failure};
use crate::jobs::{finished, plan};
use crate::output;
use crate::session::Session;

pub(crate) fn run(args: &ScheduleArgs, session: &Session) -> Result<Exit, Failure> {
    let config = &session.config;
    let store = session.store.as_path();
    let reader = session.reader()?;
    let run = finished(&reader, session.run(&reader, None)?)?;
    let mut out = output::buffered(session.terminal.stdout());
    if let Some(emit) = args.emit {
        let entry = Entry::new(config, store, &run, session)?;
        let text = match emit {
            Emit::Cron => entry.cron(),
            Emit::Systemd => entry.systemd(),
        };
        out.write_all(text.as_bytes()).and_then(|()| out.flush()).map_err(ViewError::from)?;
        return Ok(Exit::Fine);
    }
    let now = session.clock.now();
    let now = args.as_of.map_or(now, |when| when.moment(now));
    let name = session.section_of(&run.site);
    let policy = config.settings(name.as_deref()).own.due.policy();
    let open = reader.open_run(run)?;
    let plan = plan(&reader, &open, &policy, now)?;
    match args.format {
        ScheduleFormat::Text => rummage_view::schedule(&mut out, &open, &plan, now, args.limit)?,
        ScheduleFormat::Jsonl => {
            rummage_view::schedule_rows(&mut out, &open, &plan, args.limit)?;
        }
    }
    out.flush().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}

/// An entry that has cron or systemd recheck what is due.
struct Entry {
    program: String,
    words: Vec<String>,
    site: String,
}

impl Entry {
    fn new(
        config: &Config,
        store: &Path,
        run: &RunInfo,
        session: &Session,
    ) -> Result<Entry, Failure> {
        let system = |reason| Failure::System { what: "cannot find this program", reason };
        let whole = |path: &Path| std::path::absolute(path).map_err(system);
        let program = std::env::current_exe().map_err(system)?;
        let site = session.section_of(&run.site).unwrap_or(run.site.clone());
        let mut words = vec!["recheck".to_owned(), "--due".to_owned(), "--quiet".to_owned()];
        words.extend(["--site".to_owned(), site.clone()]);
        words.extend(["--store".to_owned(), whole(store)?.display().to_string()]);
        if let Some(path) = &config.path {
            words.extend(["--config".to_owned(), whole(path)?.display().to_string()]);
        }
        Ok(Entry { program: program.display().to_string(), words, site })
    }

    /// Every ten minutes; a recheck makes no requests if nothing is due. The minute depends on
    /// the site, so that many entries do not start together.
    fn cron(&self) -> String {
        let minute = self.site.bytes().fold(0u32, |sum, byte| sum + u32::from(byte)) % 10;
        let minutes: Vec<String> = (0..6).map(|ten| (ten * 10 + minute).to_string()).collect();
        // cron treats % as the end of the command, but file names may contain it.
        let words: Vec<String> = std::iter::once(&self.program)
            .chain(&self.words)
            .map(|word| quoted(word).replace('%', "\\%"))
            .collect();
        format!(
            "# Rechecks what is due on {}; cron emails the output.\n\
             {} * * * * {}\n",
            rummage_view::safe(&self.site),
            minutes.join(","),
            words.join(" ")
        )
    }

    /// Two files, each after a line with its name.
    fn systemd(&self) -> String {
        let words: Vec<String> = std::iter::once(&self.program)
            .chain(&self.words)
            .map(|word| unit_quoted(word))
            .collect();
        let folder = self
            .words
            .iter()
            .skip_while(|word| *word != "--store")
            .nth(1)
            .and_then(|store| Path::new(store).parent())
            .map_or_else(String::new, |folder| unit_quoted(&folder.display().to_string()));
        let site = rummage_view::safe(&self.site).to_string();
        format!(
            "# rummage-recheck.service: in ~/.config/systemd/user\n\
             [Unit]\n\
             Description=Recheck what is due on {site}\n\
             \n\
             [Service]\n\
             Type=oneshot\n\
             ExecStart={}\n\
             # Exit code 1 means broken links, not a failure of the service.\n\
             SuccessExitStatus=1\n\
             NoNewPrivileges=yes\n\
             PrivateTmp=yes\n\
             ProtectSystem=strict\n\
             ProtectHome=read-only\n\
             ReadWritePaths={folder}\n\
             RestrictAddressFamilies=AF_INET AF_INET6 AF_UNIX\n\
             LockPersonality=yes\n\
             RestrictRealtime=yes\n\
             RestrictSUIDSGID=yes\n\
             SystemCallArchitectures=native\n\
             \n\
             # rummage-recheck.timer: in the same folder; then run\n\
             # systemctl --user enable --now rummage-recheck.timer\n\
             [Unit]\n\
             Description=Recheck what is due on {site}\n\
             \n\
             [Timer]\n\
             OnCalendar=*:0/10\n\
             RandomizedDelaySec=120\n\
             Persistent=true\n\
             \n\
             [Install]\n\
             WantedBy=timers.target\n",
            words.join(" ")
        )
    }
}

/// Quotes a word for a shell.
fn quoted(word: &str) -> String {
    let plain = |c: char| c.is_ascii_alphanumeric() || "-_./:=@,+%".contains(c);
    if !word.is_empty() && word.chars().all(plain) {
        word.to_owned()
    } else {
        format!("'{}'", word.replace('\'', "'\\''"))
    }
}

/// Quotes a word for a systemd unit (systemd.service, "Command lines"; systemd.unit,
/// "Specifiers").
pub(super) fn unit_quoted(word: &str) -> String {
    let word = word.replace('%', "%%").replace('$', "$$");
    if word.contains([' ', '"', '\'', '\\', ';']) {
        format!("\"{}\"", word.replace('\\', "\\\\").replace('"', "\\\""))
    } else {
        word
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_quoted_for_shells_and_units() {
        assert_eq!(quoted("/srv/store.db"), "/srv/store.db");
        assert_eq!(quoted("it's mine"), "'it'\\''s mine'");
        assert_eq!(unit_quoted("/srv/100% $x/a b"), "\"/srv/100%% $$x/a b\"");
    }
}
