//! Runs decisions: each as the command that does the same.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use rummage_core::findings::waiver::WaiverKind;
use rummage_triage::{Decided, Decision};
use rummage_view::{TargetId, counted};

use super::words::line;
use crate::args::{self, Command};
use crate::commands::{mend, waive};
use crate::failure::Failure;
use crate::plan_file::edit::{self, Before};
use crate::session::Session;
use crate::{paths, waivers};

/// What was there before a decision.
enum Undo {
    Waiver(Box<waivers::Entry>),
    /// The plan's entries, in the order in which they were set.
    Plan(Vec<Before>),
}

/// The decisions of this session, by their numbers.
pub(super) struct Decisions<'a> {
    session: &'a Session,
    plan: &'a Path,
    undo: HashMap<u64, Undo>,
}

/// A target of a decision.
pub(super) struct PlanTarget {
    pub(super) id: TargetId,
    /// As plans name it; `None` if it has no URL of its own.
    pub(super) target: Option<String>,
}

impl<'a> Decisions<'a> {
    pub(super) fn new(session: &'a Session, plan: &'a Path) -> Decisions<'a> {
        Decisions { session, plan, undo: HashMap::new() }
    }

    /// Waives targets, given as waivers name them.
    pub(super) fn waive(
        &mut self,
        number: u64,
        targets: Vec<String>,
        kind: WaiverKind,
        reason: &str,
        until: &str,
    ) -> Result<Decided, String> {
        let mut options = vec!["waive".to_owned()];
        if kind == WaiverKind::Works {
            options.push("--works".to_owned());
        }
        options.extend(["--reason".to_owned(), reason.to_owned()]);
        if !until.is_empty() {
            options.extend(["--until".to_owned(), until.to_owned()]);
        }
        let many = counted(targets.len() as u64, "target", "targets");
        let words = words(self.session, options, targets);
        let Command::Waive(args) = parse(&words)? else { unreachable!("the first word says so") };
        let entry = waive::waive(&args, self.session).map_err(|failure| failure.sentence())?;
        let until = entry.until.map_or("with no end date".to_owned(), |day| format!("until {day}"));
        self.undo.insert(number, Undo::Waiver(Box::new(entry)));
        let summary = format!("waived {many} {until}");
        Ok(Decided { summary, commands: vec![line(&words)] })
    }

    /// Writes repairs into the plan.
    pub(super) fn repair(
        &mut self,
        number: u64,
        targets: &[PlanTarget],
        decision: &Decision,
    ) -> Result<Decided, String> {
        let steps = steps(targets, decision)?;
        let (mut commands, mut before, mut summary) = (Vec::new(), Vec::new(), String::new());
        for Step { targets, action, to } in steps {
            let mut options = vec!["mend".to_owned(), "set".to_owned()];
            options.extend(["--action".to_owned(), action]);
            if let Some(to) = to {
                options.extend(["--to".to_owned(), to]);
            }
            let plan = self.plan.display().to_string();
            let words = words(self.session, options, [vec![plan], targets].concat());
            let set = parse(&words).and_then(|command| self.set(command));
            match set {
                Ok((text, old)) => {
                    commands.push(line(&words));
                    before.push(old);
                    summary = text;
                }
                Err(why) => {
                    // All of a decision holds, or nothing of it.
                    let _ = put_back(self.plan, &before);
                    return Err(why);
                }
            }
        }
        if commands.len() > 1 {
            let many = counted(commands.len() as u64, "target", "targets");
            summary = format!("{}: replace {many}", self.plan.display());
        }
        self.undo.insert(number, Undo::Plan(before));
        Ok(Decided { summary, commands })
    }

    fn set(&self, command: Command) -> Result<(String, Before), String> {
        let Command::Mend(mend) = command else { unreachable!("the first word says so") };
        let args::MendCommand::Set(set) = mend.command else { unreachable!("so does the second") };
        mend::set::set(&set, self.session).map_err(|failure| failure.sentence())
    }

    /// Takes a decision back.
    pub(super) fn undo(&mut self, number: u64) -> Result<String, String> {
        let Some(undo) = self.undo.remove(&number) else {
            return Err("there is nothing to undo".to_owned());
        };
        let done: Result<String, Failure> = match &undo {
            Undo::Waiver(entry) => {
                waive::lift(entry, self.session).map(|was_there| match was_there {
                    true => "the waiver is lifted".to_owned(),
                    false => "the waiver was lifted already".to_owned(),
                })
            }
            Undo::Plan(before) => {
                put_back(self.plan, before).map(|()| format!("{}: as before", self.plan.display()))
            }
        };
        done.map_err(|failure| {
            self.undo.insert(number, undo);
            failure.sentence()
        })
    }
}

/// A command with the options that say which store and site it is about.
pub(super) fn words(
    session: &Session,
    options: Vec<String>,
    arguments: Vec<String>,
) -> Vec<String> {
    let mut words = vec!["rummage".to_owned()];
    words.extend(options);
    words.extend(global(session));
    // An argument that looks like an option is none after two hyphens.
    if arguments.iter().any(|argument| argument.starts_with('-')) {
        words.push("--".to_owned());
    }
    words.extend(arguments);
    words
}

fn put_back(plan: &Path, before: &[Before]) -> Result<(), Failure> {
    before.iter().rev().try_for_each(|before| edit::put_back(plan, before))
}

/// The options of every command that differ from their defaults.
fn global(session: &Session) -> Vec<String> {
    let mut words = Vec::new();
    let default: Option<PathBuf> = paths::store(None, &session.config).ok();
    if default.as_deref() != Some(&session.store) {
        words.extend(["--store".to_owned(), session.store.display().to_string()]);
    }
    if let Some(file) = &session.config_file {
        words.extend(["--config".to_owned(), file.display().to_string()]);
    }
    if let Some(site) = &session.site {
        words.extend(["--site".to_owned(), site.clone()]);
    }
    words
}

fn parse(words: &[String]) -> Result<Command, String> {
    let args = args::parse_words(words)?;
    args.command.ok_or_else(|| "this is no command".to_owned())
}

/// One command about a plan.
struct Step {
    targets: Vec<String>,
    action: String,
    to: Option<String>,
}

fn steps(targets: &[PlanTarget], decision: &Decision) -> Result<Vec<Step>, String> {
    let target = |targets: &PlanTarget| {
        targets.target.clone().ok_or_else(|| {
            "a placeholder has no URL that a plan could name: edit the page (e), or waive it"
                .to_owned()
        })
    };
    let replace = "replace".to_owned();
    match decision {
        Decision::Repair { action, to } => {
            let targets = targets.iter().map(target).collect::<Result<Vec<_>, String>>()?;
            Ok(vec![Step { targets, action: action.as_str().to_owned(), to: to.clone() }])
        }
        Decision::ReplaceEach(each) => {
            let to: HashMap<TargetId, &String> = each.iter().map(|(id, to)| (*id, to)).collect();
            let with_url = targets.iter().filter(|targets| to.contains_key(&targets.id));
            with_url
                .map(|targets| {
                    let to = Some(to[&targets.id].clone());
                    Ok(Step { targets: vec![target(targets)?], action: replace.clone(), to })
                })
                .collect()
        }
        Decision::Waive { .. } => Ok(Vec::new()),
    }
}
