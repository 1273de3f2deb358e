//! `rummage demo`: the tool at work on a simulated web, with nothing to set up.
//!
//! The commands that are shown are run as they are shown, by this very program,
//! in a temporary folder that is gone afterwards.

use std::io::Write;
use std::path::Path;
use std::process::Stdio;

use rummage_demo::{
    Letter, Scenario, Step, TOUR, WATCHED, WATCHING, Web, museum, museum_earlier, serve,
    write_handed,
};
use rummage_view::ViewError;
use tempfile::TempDir;
use tokio::process::Command;

use crate::args::{DemoArgs, DemoCommand};
use crate::failure::{Exit, Failure};
use crate::output::Terminal;
use crate::signals::stop_requested;

pub(crate) fn run(args: &DemoArgs, terminal: Terminal) -> Result<Exit, Failure> {
    if let Some(DemoCommand::Files { folder }) = &args.command {
        write_handed(folder)
            .map_err(|why| Failure::System { what: "the files cannot be written", why })?;
        say_what_for(&mut terminal.stdout(), folder).map_err(ViewError::from)?;
        return Ok(Exit::Fine);
    }
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|why| Failure::System { what: "no threads could be started", why })?;
    runtime.block_on(async {
        let is_earlier = matches!(args.command, Some(DemoCommand::Serve { earlier: true, .. }));
        let scenario = if is_earlier { museum_earlier() } else { museum() };
        let stage = Stage::set_up(&scenario).await?;
        tokio::select! {
            shown = show(args, terminal, &stage) => shown,
            () = stop_requested() => Ok(match args.command {
                Some(_) => Exit::Fine,
                None => Exit::Unfinished,
            }),
        }
    })
}

async fn show(args: &DemoArgs, terminal: Terminal, stage: &Stage) -> Result<Exit, Failure> {
    match &args.command {
        Some(DemoCommand::Serve { letters, .. }) => {
            if let Some(folder) = letters {
                std::fs::create_dir_all(folder)
                    .map_err(|why| Failure::System { what: "no folder for letters", why })?;
            }
            say_how(&mut terminal.stdout(), stage).map_err(ViewError::from)?;
            show_letters(terminal, stage, letters.as_deref()).await
        }
        _ => {
            perform(terminal, stage, TOUR, &[]).await?;
            watch(terminal, stage).await
        }
    }
}

/// The web on the air, and a folder for what comes of it.
struct Stage {
    folder: TempDir,
    environment: Vec<(&'static str, String)>,
    /// Goes off the air when dropped.
    web: Web,
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
        Ok(Stage { folder, environment, web })
    }
}

impl Stage {
    /// This program with these words, in this folder and on this web.
    fn command(&self, words: &[&str]) -> Result<Command, Failure> {
        let program = std::env::current_exe()
            .map_err(|why| Failure::System { what: "this program cannot find itself", why })?;
        let mut command = Command::new(program);
        command
            .args(words)
            .current_dir(self.folder.path())
            .envs(self.environment.iter().map(|(name, value)| (name, value)))
            .kill_on_drop(true);
        Ok(command)
    }
}

/// The path as text; temporary folders have plain names.
fn text(path: &Path) -> String {
    path.to_string_lossy().into_owned()
}

/// Runs the commands of a tour; what a command is not told by these, the stage tells it.
async fn perform(
    terminal: Terminal,
    stage: &Stage,
    tour: &[Step],
    environment: &[(&str, String)],
) -> Result<(), Failure> {
    for (number, step) in tour.iter().enumerate() {
        let mut out = terminal.stdout();
        announce(&mut out, number, step).map_err(ViewError::from)?;
        let mut command = stage.command(step.words)?;
        command.args(terminal.color_option()).envs(environment.iter().cloned());
        if terminal.quiet {
            command.arg("--quiet");
        }
        end_well(command).await?;
    }
    Ok(())
}

/// The site is watched: it was crawled some weeks ago, and what has changed comes by mail.
async fn watch(terminal: Terminal, stage: &Stage) -> Result<Exit, Failure> {
    let system = |what| move |why| Failure::System { what, why };
    std::fs::write(stage.folder.path().join("rummage.toml"), WATCHED)
        .map_err(system("the temporary folder cannot be written to"))?;
    let store = [("RUMMAGE_STORE", text(&stage.folder.path().join("watched.db")))];
    let earlier = Stage::set_up(&museum_earlier()).await?;
    let mut command = earlier.command(&["crawl", "--quiet", "--fail-on", "never"])?;
    command.current_dir(stage.folder.path()).envs(store.clone()).stdout(Stdio::null());
    end_well(command).await?;
    drop(earlier);
    println(terminal, "")?;
    perform(terminal, stage, WATCHING, &store).await?;
    match stage.web.letters().last() {
        Some(letter) => {
            println(terminal, "")?;
            write_letter(terminal, letter)?;
        }
        None => return Ok(Exit::Impossible),
    }
    Ok(Exit::Fine)
}

/// Shows each letter that comes, and keeps it in a folder.
async fn show_letters(
    terminal: Terminal,
    stage: &Stage,
    folder: Option<&Path>,
) -> Result<Exit, Failure> {
    let mut arrivals = stage.web.arrivals();
    let mut shown = 0;
    loop {
        let many = arrivals.wait_for(|many| *many > shown).await.map(|many| *many);
        let Ok(many) = many else { return std::future::pending().await };
        for (number, letter) in (shown + 1..).zip(&stage.web.letters()[shown..many]) {
            if let Some(folder) = folder {
                std::fs::write(folder.join(format!("{number}.eml")), &letter.source)
                    .map_err(|why| Failure::System { what: "a letter cannot be kept", why })?;
            }
            println(terminal, "\n# A letter has come.")?;
            write_letter(terminal, letter)?;
        }
        shown = many;
    }
}

fn write_letter(terminal: Terminal, letter: &Letter) -> Result<(), Failure> {
    let mut text = String::new();
    for name in ["From", "To", "Subject"] {
        let field = match name {
            "Subject" => Some(letter.subject()),
            name => letter.field(name),
        };
        let field = field.unwrap_or_default();
        text += &format!("{name}: {}\n", rummage_view::safe(&field));
    }
    println(terminal, &format!("{text}\n{}", letter.text().trim_end()))
}

fn println(terminal: Terminal, text: &str) -> Result<(), Failure> {
    let mut out = terminal.stdout();
    writeln!(out, "{text}").and_then(|()| out.flush()).map_err(ViewError::from)?;
    Ok(())
}

/// Waits for the end of a command; 1 says that something is broken, which is why we are
/// here.
async fn end_well(mut command: Command) -> Result<(), Failure> {
    let status = command
        .status()
        .await
        .map_err(|why| Failure::System { what: "this program cannot start itself", why })?;
    match status.code() {
        Some(0 | 1) => Ok(()),
        _ => Err(Failure::Conflict {
            what: "a command of the demo did not come to its end".to_owned(),
            hint: "What it said stands above.".to_owned(),
        }),
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

fn say_what_for(out: &mut dyn Write, folder: &Path) -> std::io::Result<()> {
    let folder = folder.display();
    writeln!(out, "What the museum has at hand. While rummage demo serve runs, try")?;
    let at = "https://www.ashlock-canal.test/";
    writeln!(out, "  rummage crawl {folder}/public --as {at}")?;
    writeln!(out, "  rummage page {folder}/public/visit/index.html --as {at}visit/")?;
    writeln!(out, "  rummage probe {folder}/addresses.csv --append-columns")?;
    writeln!(out, "  rummage arrivals {folder}/access.log --as {at} --ask")?;
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
