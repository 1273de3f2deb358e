//! `rummage demo`: a tour of the tool on a simulated web, without any setup.
//!
//! The commands shown are run exactly as shown, by this program, in a temporary folder that is
//! deleted afterwards.

use std::io::Write;
use std::path::Path;
use std::process::Stdio;

use rummage_demo::{
    MENDING, ReceivedEmail, Scenario, Step, TOUR, WATCHED, WATCHING, Web, moved, museum,
    museum_earlier, serve, write_files, write_pages,
};
use rummage_view::ViewError;
use tempfile::TempDir;
use tokio::process::Command;

use crate::args::{DemoArgs, DemoCommand};
use crate::clock;
use crate::failure::{Exit, Failure};
use crate::output::Terminal;
use crate::signals::stop_requested;

pub(crate) fn run(args: &DemoArgs, terminal: Terminal) -> Result<Exit, Failure> {
    if let Some(DemoCommand::Files { folder }) = &args.command {
        write_files(folder)
            .map_err(|reason| Failure::System { what: "cannot write the files", reason })?;
        say_what_for(&mut terminal.stdout(), folder).map_err(ViewError::from)?;
        return Ok(Exit::Fine);
    }
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|reason| Failure::System { what: "cannot start threads", reason })?;
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
        Some(DemoCommand::Serve { emails, .. }) => {
            if let Some(folder) = emails {
                std::fs::create_dir_all(folder).map_err(|reason| Failure::System {
                    what: "cannot create the folder for emails",
                    reason,
                })?;
            }
            say_how(&mut terminal.stdout(), stage).map_err(ViewError::from)?;
            show_emails(terminal, stage, emails.as_deref()).await
        }
        _ => {
            perform(terminal, stage, TOUR, &[]).await?;
            mend(terminal, stage).await?;
            watch(terminal, stage).await
        }
    }
}

/// The simulated web while it is served, and a folder for results.
struct Stage {
    folder: TempDir,
    environment: Vec<(&'static str, String)>,
    /// Stops serving when dropped.
    web: Web,
}

impl Stage {
    async fn set_up(scenario: &Scenario) -> Result<Stage, Failure> {
        let system = |what| move |reason| Failure::System { what, reason };
        let folder = TempDir::with_prefix("rummage-demo-")
            .map_err(system("cannot create a temporary folder"))?;
        let web = serve(scenario).await.map_err(system("cannot serve the simulated web"))?;
        let certificate = folder.path().join("authority.pem");
        std::fs::write(&certificate, &web.certificate)
            .map_err(system("cannot write to the temporary folder"))?;
        let mut environment = web.environment(&text(&certificate));
        environment.push(("RUMMAGE_STORE", text(&folder.path().join("rummage.db"))));
        Ok(Stage { folder, environment, web })
    }
}

impl Stage {
    /// This program with these arguments, in this folder and on this web.
    fn command(&self, words: &[&str]) -> Result<Command, Failure> {
        let program = std::env::current_exe()
            .map_err(|reason| Failure::System { what: "cannot find this program", reason })?;
        let mut command = Command::new(program);
        command
            .args(words)
            .current_dir(self.folder.path())
            .envs(self.environment.iter().map(|(name, value)| (name, value)))
            .kill_on_drop(true);
        Ok(command)
    }
}

/// The path as text; temporary folders have ASCII names.
fn text(path: &Path) -> String {
    path.to_string_lossy().into_owned()
}

/// Runs the commands of a tour, with the options and environment for this stage.
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

/// Mends pages in a folder.
async fn mend(terminal: Terminal, stage: &Stage) -> Result<(), Failure> {
    write_pages(&stage.folder.path().join("moved"), moved()).map_err(|reason| Failure::System {
        what: "cannot write to the temporary folder",
        reason,
    })?;
    let store = [("RUMMAGE_STORE", text(&stage.folder.path().join("mended.db")))];
    println(terminal, "")?;
    perform(terminal, stage, MENDING, &store).await
}

/// Shows a watched site: it was crawled some weeks ago, and changes are reported by email.
async fn watch(terminal: Terminal, stage: &Stage) -> Result<Exit, Failure> {
    let system = |what| move |reason| Failure::System { what, reason };
    std::fs::write(stage.folder.path().join("rummage.toml"), WATCHED)
        .map_err(system("cannot write to the temporary folder"))?;
    let store = [("RUMMAGE_STORE", text(&stage.folder.path().join("watched.db")))];
    let earlier = Stage::set_up(&museum_earlier()).await?;
    let mut command = earlier.command(&["crawl", "--quiet", "--fail-on", "never"])?;
    command.current_dir(stage.folder.path()).envs(store.clone()).stdout(Stdio::null());
    command.env(clock::BEHIND, "10m");
    end_well(command).await?;
    drop(earlier);
    println(terminal, "")?;
    perform(terminal, stage, WATCHING, &store).await?;
    match stage.web.emails().last() {
        Some(email) => {
            println(terminal, "")?;
            write_email(terminal, email)?;
        }
        None => return Ok(Exit::Impossible),
    }
    Ok(Exit::Fine)
}

/// Shows each email that arrives, and saves it to a folder.
async fn show_emails(
    terminal: Terminal,
    stage: &Stage,
    folder: Option<&Path>,
) -> Result<Exit, Failure> {
    let mut arrivals = stage.web.arrivals();
    let mut shown = 0;
    loop {
        let many = arrivals.wait_for(|many| *many > shown).await.map(|many| *many);
        let Ok(many) = many else { return std::future::pending().await };
        for (number, email) in (shown + 1..).zip(&stage.web.emails()[shown..many]) {
            if let Some(folder) = folder {
                std::fs::write(folder.join(format!("{number}.eml")), &email.source)
                    .map_err(|reason| Failure::System { what: "cannot save an email", reason })?;
            }
            println(terminal, "\n# An email has arrived.")?;
            write_email(terminal, email)?;
        }
        shown = many;
    }
}

fn write_email(terminal: Terminal, email: &ReceivedEmail) -> Result<(), Failure> {
    let mut text = String::new();
    for name in ["From", "To", "Subject"] {
        let field = match name {
            "Subject" => Some(email.subject()),
            name => email.field(name),
        };
        let field = field.unwrap_or_default();
        text += &format!("{name}: {}\n", rummage_view::safe(&field));
    }
    println(terminal, &format!("{text}\n{}", email.text().trim_end()))
}

fn println(terminal: Terminal, text: &str) -> Result<(), Failure> {
    let mut out = terminal.stdout();
    writeln!(out, "{text}").and_then(|()| out.flush()).map_err(ViewError::from)?;
    Ok(())
}

/// Waits for a command to end. Exit code 1 is fine: the demo has broken links.
async fn end_well(mut command: Command) -> Result<(), Failure> {
    let status = command
        .status()
        .await
        .map_err(|reason| Failure::System { what: "cannot start this program", reason })?;
    match status.code() {
        Some(0 | 1) => Ok(()),
        _ => Err(Failure::Conflict {
            what: "a command of the demo failed".to_owned(),
            hint: "Its messages are shown above.".to_owned(),
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
    writeln!(out, "These are the museum's files. While rummage demo serve is running, try")?;
    let at = "https://www.ashlock-canal.test/";
    writeln!(out, "  rummage crawl {folder}/public --as {at}")?;
    writeln!(out, "  rummage crawl {folder}/moved --as {at}")?;
    writeln!(out, "  rummage mend propose -o plan.toml")?;
    writeln!(out, "  rummage mend apply plan.toml --files {folder}/moved")?;
    writeln!(out, "  rummage page {folder}/public/visit/index.html --as {at}visit/")?;
    writeln!(out, "  rummage probe {folder}/urls.csv --append-columns")?;
    writeln!(out, "  rummage arrivals {folder}/access.log --as {at} --check")?;
    out.flush()
}

fn say_how(out: &mut dyn Write, stage: &Stage) -> std::io::Result<()> {
    writeln!(out, "The simulated web is served until Ctrl-C. In another shell, set")?;
    for (name, value) in &stage.environment {
        writeln!(out, "  export {name}='{value}'")?;
    }
    writeln!(out, "and try")?;
    for step in TOUR {
        writeln!(out, "  rummage {}", step.words.join(" "))?;
    }
    out.flush()
}
