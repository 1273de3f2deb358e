//! `rummage mend redirects`: redirects from the site's old URLs, for its server.

use std::io::Write;

use rummage_core::mend::redirects::redirects;
use rummage_core::url::scope::Bounds;
use rummage_view::redirects::{apache, csv, json, nginx};
use rummage_view::{ViewError, safe};

use crate::args::{MendRedirectsArgs, RedirectForm};
use crate::failure::{Exit, Failure};
use crate::listing::whole_file;
use crate::output::Terminal;
use crate::plan_file::PlanFile;

pub(super) fn run(args: &MendRedirectsArgs, terminal: Terminal) -> Result<Exit, Failure> {
    let file = PlanFile::load(&args.plan)?;
    let site = file.site.as_ref().ok_or_else(|| Failure::Usage {
        what: format!("{} does not say which site it is for", args.plan.display()),
        hint: "Add a line at its top: site = \"https://www.example.test/\"".to_owned(),
    })?;
    let bounds = Bounds::around(site, &[]);
    let status = args.status.parse().expect("the command line takes only statuses");
    let done = redirects(&file.plan(), |url| bounds.is_own(url), status);
    let text = match args.form {
        RedirectForm::Nginx => nginx(&done.all),
        RedirectForm::Apache => apache(&done.all),
        RedirectForm::Csv => csv(&done.all)?,
        RedirectForm::Json => json(&done.all),
    };
    let mut err = terminal.stderr();
    let path = args.output.as_deref().filter(|path| path.as_os_str() != "-");
    match path {
        None => {
            let mut out = std::io::stdout();
            out.write_all(text.as_bytes()).and_then(|()| out.flush()).map_err(ViewError::from)?;
        }
        Some(path) => {
            let old = match std::fs::read_to_string(path) {
                Ok(old) => old,
                Err(reason) if reason.kind() == std::io::ErrorKind::NotFound => String::new(),
                Err(reason) => {
                    return Err(Failure::Usage {
                        what: format!("cannot read {}: {reason}", path.display()),
                        hint: "Give another file with -o.".to_owned(),
                    });
                }
            };
            if !old.is_empty() && old != text {
                let mut out = terminal.stdout();
                rummage_view::diff(&mut out, &path.display().to_string(), &old, &text)?;
            }
            let may = old.is_empty() || args.write;
            if old == text {
                let _ = writeln!(err, "{} is up to date", path.display());
            } else if may {
                whole_file(path, |mut file| {
                    Ok(file.write_all(text.as_bytes()).map_err(ViewError::from)?)
                })?;
            } else {
                let _ = writeln!(err, "{} was not changed; --write replaces it", path.display());
            }
        }
    }
    for (url, why) in &done.omitted {
        let _ = writeln!(err, "no redirect for {}: {}", safe(url), why.words());
    }
    for (url, prefix) in &done.left {
        let (url, prefix) = (safe(url), safe(prefix));
        let _ = writeln!(err, "{prefix} redirects {url} as well, which the plan leaves alone");
    }
    let many = rummage_view::counted(done.all.len() as u64, "redirect", "redirects");
    let _ = writeln!(err, "{many}");
    Ok(Exit::Fine)
}
