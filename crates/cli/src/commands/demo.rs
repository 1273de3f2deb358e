//! `rummage demo`: the tool at work on a simulated web, with nothing to set up.
//!
//! The commands that are shown are run as they are shown, by this very program,
//! in a temporary folder that is gone afterwards.

use std::io::Write;
use std::path::Path;

use rummage_demo::{Scenario, Step, TOUR, Web, museum, museum_earlier, serve};
use rummage_view::ViewError;
use tempfile::TempDir;
use tokio::process::Command;

use crate::args::{Color, DemoArgs, DemoCommand, Everywhere};
use crate::failure::{Exit, Failure};
use crate::output;
use crate::signals::stop_requested;

pub(crate) fn run(args: &DemoArgs, everywhere: &Everywhere) -> Result<Exit, Failure> {
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|why| Failure::System { what: "no threads could be started", why })?;
    runtime.block_on(async {
        let is_earlier = matches!(args.command, Some(DemoCommand::Serve { earlier: true }));
        let scenario = if is_earlier { museum_earlier() } else { museum() };
        let stage = Stage::set_up(&scenario).await?;
        tokio::select! {
            shown = show(args, everywhere, &stage) => shown,
            () = stop_requested() => Ok(match args.command {
                Some(DemoCommand::Serve { .. }) => Exit::Fine,
                None => Exit::Unfinished,
            }),
        }
    })
}

async fn show(args: &DemoArgs, everywhere: &Everywhere, stage: &Stage) -> Result<Exit, Failure> {
    match args.command {
        Some(DemoCommand::Serve { .. }) => {
            say_how(&mut output::stdout(everywhere.color), stage).map_err(ViewError::from)?;
            std::future::pending().await
        }
        None => perform(everywhere, stage).await,
    }
}

/// The web on the air, and a folder for what comes of it.
struct Stage {
    folder: TempDir,
    environment: Vec<(&'static str, String)>,
    /// Goes off the air when dropped.
    _web: Web,
}

impl Stage {
    async fn set_up(scenario: &Scenario) -> Result<Stage, Failure> {
        let system = |what| move |why| Failure::System { what, why };
        let folder =
            TempDir::with_prefix("rummage-demo-").map_err(system("no temporary folder"))?;
        let web = serve(scenario).await.map_err(system("the simulated web cannot be served"))?;
        let certificate = folder.path().join("authority.pem");
        std::fs::write(&certificate, &web.certificate)
            .map_err(system("the temporary folder cannot be written to"))?;
        let mut environment = web.environment(&text(&certificate));
        environment.push(("RUMMAGE_STORE", text(&folder.path().join("rummage.db"))));
        Ok(Stage { folder, environment, _web: web })
    }
}

/// The path as text; temporary folders have plain names.
fn text(path: &Path) -> String {
    path.to_string_lossy().into_owned()
}

async fn perform(everywhere: &Everywhere, stage: &Stage) -> Result<Exit, Failure> {
    let program = std::env::current_exe()
        .map_err(|why| Failure::System { what: "this program cannot find itself", why })?;
    for (number, step) in TOUR.iter().enumerate() {
        let mut out = output::stdout(everywhere.color);
        announce(&mut out, number, step).map_err(ViewError::from)?;
        let mut command = Command::new(&program);
        command.args(step.words).args(color(everywhere)).current_dir(stage.folder.path());
        if everywhere.quiet {
            command.arg("--quiet");
        }
        let status = command
            .envs(stage.environment.iter().map(|(name, value)| (name, value)))
            .kill_on_drop(true)
            .status()
            .await
            .map_err(|why| Failure::System { what: "this program cannot start itself", why })?;
        // 1 says that something is broken, which is why we are here.
        if !matches!(status.code(), Some(0 | 1)) {
            return Ok(Exit::Impossible);
        }
    }
    Ok(Exit::Fine)
}

fn color(everywhere: &Everywhere) -> &'static [&'static str] {
    match everywhere.color {
        Color::Auto => &[],
        Color::Always => &["--color", "always"],
        Color::Never => &["--color", "never"],
    }
}

fn announce(out: &mut dyn Write, number: usize, step: &Step) -> std::io::Result<()> {
    let strong = clap::builder::styling::Style::new().bold();
    if number > 0 {
        writeln!(out)?;
    }
    writeln!(out, "# {}", step.about)?;
    writeln!(out, "{strong}$ rummage {}{strong:#}\n", step.words.join(" "))?;
    out.flush()
}

fn say_how(out: &mut dyn Write, stage: &Stage) -> std::io::Result<()> {
    writeln!(out, "The simulated web is on the air until Ctrl-C. In another shell, set")?;
    for (name, value) in &stage.environment {
        writeln!(out, "  export {name}='{value}'")?;
    }
    writeln!(out, "and try")?;
    for step in TOUR {
        writeln!(out, "  rummage {}", step.words.join(" "))?;
    }
    out.flush()
}
