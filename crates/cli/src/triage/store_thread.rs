//! The thread that reads the store and runs decisions, in the order in which they come.

use std::collections::HashMap;
use std::sync::mpsc::{Receiver, Sender};
use std::time::Instant;

use rummage_core::findings::waiver::WaiverKind;
use rummage_core::mend::plan::Action;
use rummage_core::verdict::Cause;
use rummage_store::{OpenRun, Reader, RunInfo, StoredUrl};
use rummage_triage::{Decided, Decision, Effect, Index, Msg, View, Vocabulary};
use rummage_view::{Source, TargetId, TargetList, run_title};

use super::decisions::{Decisions, PlanTarget};
use super::network::{NetworkJob, Wanted};
use super::opening::place;
use super::start::{Listed, Opening};
use super::{changes, words};
use crate::args::{self, Command, StoredLinks};
use crate::commands::findings;
use crate::commands::mend::to_files::Edits;
use crate::commands::source::excerpt;
use crate::failure::Failure;
use crate::plan_file::PlanFile;
use crate::session::Session;
use crate::sources;

/// What the thread works with.
pub(super) struct StoreThread<'a> {
    session: &'a Session,
    opening: &'a Opening,
    vocabulary: Vocabulary,
    news: Sender<Msg>,
    jobs: Sender<NetworkJob>,
    decisions: Decisions<'a>,
    generation: u64,
    /// The changes that were shown last.
    shown: Option<Edits>,
}

/// A list and where it is from.
struct Open<'a, 'r> {
    reader: &'a Reader,
    run: &'a OpenRun<'r>,
    list: TargetList<'a>,
    source: Option<Source>,
    positions: HashMap<TargetId, u32>,
}

impl<'a> StoreThread<'a> {
    pub(super) fn new(
        session: &'a Session,
        opening: &'a Opening,
        vocabulary: Vocabulary,
        news: Sender<Msg>,
        jobs: Sender<NetworkJob>,
    ) -> StoreThread<'a> {
        let decisions = Decisions::new(session, &opening.plan);
        StoreThread {
            session,
            opening,
            vocabulary,
            news,
            jobs,
            decisions,
            generation: 0,
            shown: None,
        }
    }

    /// Does what is wanted until nothing more can be.
    pub(super) fn serve(mut self, work: &Receiver<Effect>) {
        let mut next: Option<View> = None;
        let mut last: Option<View> = None;
        loop {
            let view = match next.take() {
                Some(view) => view,
                None => match work.recv() {
                    Ok(Effect::List(view)) => view,
                    Ok(other) => {
                        self.refuse(other, "the store could not be read");
                        continue;
                    }
                    Err(_) => return,
                },
            };
            match self.with_list(&view, work) {
                Ok(Some(other)) => {
                    last = Some(view);
                    next = Some(other);
                }
                Ok(None) => return,
                Err(failure) => {
                    self.send(Msg::Refused(failure.sentence()));
                    // The list before it is still on the screen.
                    next = last.take().filter(|last| *last != view);
                }
            }
        }
    }

    fn send(&self, msg: Msg) {
        // The view is closed: what was decided is done all the same.
        let _ = self.news.send(msg);
    }

    fn refuse(&self, effect: Effect, why: &str) {
        match effect {
            Effect::Decide(number, ..) => self.send(Msg::Decided(number, Err(why.to_owned()))),
            Effect::Undo(number) => self.send(Msg::Undone(number, Err(why.to_owned()))),
            Effect::Recheck(ids) => self.send(Msg::NotRechecked(ids, why.to_owned())),
            Effect::Propose(ids) => self.send(Msg::Proposed(ids, Err(why.to_owned()))),
            Effect::ShowChanges => self.send(Msg::Changes(Err(why.to_owned()))),
            Effect::Apply => self.send(Msg::Applied(Err(why.to_owned()))),
            Effect::Detail(_, _, id) => {
                self.send(Msg::Detail(id, None));
                self.send(Msg::Refused(why.to_owned()));
            }
            _ => self.send(Msg::Refused(why.to_owned())),
        }
    }

    /// Makes a list and serves it, until another is wanted.
    fn with_list(&mut self, view: &View, work: &Receiver<Effect>) -> Result<Option<View>, Failure> {
        let stored = stored(&view.selection, &self.vocabulary)
            .map_err(|what| Failure::Usage { what, hint: "f changes the filter.".to_owned() })?;
        let began = Instant::now();
        let reader = self.session.reader()?;
        let Some(info) = self.run(&reader, &stored)? else { return Ok(self.wait_for_run(work)) };
        let selection = findings::selection(&stored, self.session, &reader, &info)?;
        let settings = self.session.config.settings(self.session.section_of(&info.site).as_deref());
        let source = sources::of(&info, &settings);
        let run = reader.open_run(info)?;
        let query = run.query(&selection)?;
        let list = TargetList::of(&query, view.order)?;
        let sections = list.sections(view.group)?;
        let numbered = list.ids().iter().zip(0u32..);
        let positions = numbered.map(|(id, at)| (*id, at)).collect();
        self.generation += 1;
        let decided = self.decided(&run, &list);
        let (decided, problem) = match decided {
            Ok(decided) => (decided, None),
            Err(failure) => (Vec::new(), Some(failure.sentence())),
        };
        self.send(Msg::Index(Index {
            generation: self.generation,
            title: run_title(run.info()),
            ids: list.ids().to_vec(),
            sections,
            counts: list.counts().to_vec(),
            links: list.links(),
            decided,
            took: began.elapsed(),
        }));
        if let Some(problem) = problem {
            self.send(Msg::Refused(problem));
        }
        let mut open = Open { reader: &reader, run: &run, list, source, positions };
        for effect in work {
            match effect {
                Effect::List(view) => return Ok(Some(view)),
                effect => self.handle(effect, &mut open),
            }
        }
        Ok(None)
    }

    /// The run that is listed: the one that was named, else the last one of the site.
    /// `None` if that of a crawl has not begun.
    fn run(&self, reader: &Reader, stored: &StoredLinks) -> Result<Option<RunInfo>, Failure> {
        if stored.run.is_some() {
            return Ok(Some(self.session.run(reader, stored.run)?));
        }
        match &self.opening.listed {
            Listed::Site(site) => match reader.last_run_of(site)? {
                Some(run) => Ok(Some(run)),
                None => Ok(Some(self.session.run(reader, None)?)),
            },
            Listed::After(number) => {
                Ok(reader.runs()?.into_iter().rfind(|run| run.number > *number))
            }
        }
    }

    /// An empty list, until another is wanted.
    fn wait_for_run(&mut self, work: &Receiver<Effect>) -> Option<View> {
        self.generation += 1;
        let title = "waiting for the start page".to_owned();
        self.send(Msg::Index(Index { generation: self.generation, title, ..Index::default() }));
        for effect in work {
            match effect {
                Effect::List(view) => return Some(view),
                other => self.refuse(other, "the crawl has not begun"),
            }
        }
        None
    }

    /// What the plan does with targets of a list.
    fn decided(
        &self,
        run: &OpenRun<'_>,
        list: &TargetList<'_>,
    ) -> Result<Vec<(TargetId, String)>, Failure> {
        let mut decided = Vec::new();
        if !self.opening.plan.exists() {
            return Ok(decided);
        }
        let mends = PlanFile::load(&self.opening.plan)?.mends.into_iter().map(|entry| entry.mend);
        let mut by_url: HashMap<StoredUrl, Vec<u32>> = HashMap::new();
        for at in 0u32.. {
            let Some(url) = list.url(at) else { break };
            by_url.entry(url).or_default().push(at);
        }
        for mend in mends.filter(|mend| mend.action != Action::Leave) {
            let bare = mend.target.split('#').next().unwrap_or_default();
            let found = run.find(bare, 16)?.into_iter().find(|(_, url)| url == bare);
            let Some((url, _)) = found else { continue };
            for at in by_url.get(&url).into_iter().flatten() {
                let Some(line) = list.line(*at)?.filter(|line| line.target == mend.target) else {
                    continue;
                };
                decided.push((line.id, mend.action.as_str().to_owned()));
            }
        }
        Ok(decided)
    }

    fn handle(&mut self, effect: Effect, open: &mut Open<'_, '_>) {
        // What waits for a reply gets one.
        let failed = match effect.clone() {
            Effect::Rows(generation, wanted) => self.rows(generation, &wanted, open),
            Effect::Detail(generation, at, id) => self.detail(generation, at, id, open),
            Effect::Find(generation, text) => self.find(generation, &text, open),
            Effect::Decide(number, ids, decision) => {
                let decided = self.decide(number, &ids, &decision, open);
                self.send(Msg::Decided(number, decided));
                Ok(())
            }
            Effect::Undo(number) => {
                let undone = self.decisions.undo(number);
                self.send(Msg::Undone(number, undone));
                Ok(())
            }
            Effect::Recheck(ids) => self.recheck(ids, open),
            Effect::Propose(ids) => {
                let wanted = wanted(&ids, open);
                wanted.map(|wanted| drop(self.jobs.send(NetworkJob::Propose(wanted))))
            }
            Effect::ShowChanges => {
                let changes = self.look(open.run.info());
                self.send(Msg::Changes(changes.map_err(|failure| failure.sentence())));
                Ok(())
            }
            Effect::Apply => {
                let applied = self.apply(open.run.info());
                self.send(Msg::Applied(applied.map_err(|failure| failure.sentence())));
                Ok(())
            }
            _ => Ok(()),
        };
        if let Err(failure) = failed {
            self.refuse(effect, &failure.sentence());
        }
    }

    fn rows(&self, generation: u64, wanted: &[u32], open: &Open<'_, '_>) -> Result<(), Failure> {
        if generation != self.generation {
            return Ok(());
        }
        let mut rows = Vec::with_capacity(wanted.len());
        for at in wanted {
            rows.extend(open.list.line(*at)?.map(|line| (*at, line)));
        }
        self.send(Msg::Rows(generation, rows));
        Ok(())
    }

    fn detail(
        &self,
        generation: u64,
        at: u32,
        id: TargetId,
        open: &mut Open<'_, '_>,
    ) -> Result<(), Failure> {
        let mut detail = match generation == self.generation {
            true => open.list.detail(at, open.reader, open.source.as_ref())?,
            false => None,
        };
        if let (Some(detail), Some(Source::File(_))) = (&mut detail, &open.source) {
            for one in &mut detail.occurrences {
                one.excerpt = one.source.as_deref().and_then(excerpt_of);
            }
        }
        self.send(Msg::Detail(id, detail.map(Box::new)));
        Ok(())
    }

    fn find(&self, generation: u64, text: &str, open: &Open<'_, '_>) -> Result<(), Failure> {
        if generation == self.generation {
            self.send(Msg::Matches(generation, open.list.matches(text)?));
        }
        Ok(())
    }

    fn decide(
        &mut self,
        number: u64,
        ids: &[TargetId],
        decision: &Decision,
        open: &Open<'_, '_>,
    ) -> Result<Decided, String> {
        let positions: Vec<u32> =
            ids.iter().filter_map(|id| open.positions.get(id).copied()).collect();
        if positions.len() < ids.len() {
            return Err("the list has changed in the meantime; nothing was decided".to_owned());
        }
        if let Decision::Waive { kind, reason, until } = decision {
            return self.waive(number, &positions, (*kind, reason, until), open);
        }
        let mut targets = Vec::new();
        for (id, at) in ids.iter().zip(positions) {
            let first = open.list.first(at).map_err(|error| Failure::from(error).sentence())?;
            let Some(first) = first else { continue };
            let target = match first.outcome.cause {
                Some(Cause::NoSuchFragment) => Some(first.full_target()),
                Some(Cause::Placeholder) => None,
                _ => Some(first.url),
            };
            targets.push(PlanTarget { id: *id, target });
        }
        self.decisions.repair(number, &targets, decision)
    }

    fn waive(
        &mut self,
        number: u64,
        positions: &[u32],
        (kind, reason, until): (WaiverKind, &str, &str),
        open: &Open<'_, '_>,
    ) -> Result<Decided, String> {
        let targets = open.list.with_fragments(positions);
        let targets = targets.map_err(|error| Failure::from(error).sentence())?;
        self.decisions.waive(number, targets.into_iter().collect(), kind, reason, until)
    }

    fn recheck(&self, ids: Vec<TargetId>, open: &Open<'_, '_>) -> Result<(), Failure> {
        let wanted = wanted(&ids, open)?;
        let mut urls = Vec::new();
        for one in &wanted {
            let url = open.run.url(one.url)?;
            if !urls.contains(&url) {
                urls.push(url);
            }
        }
        let _ = self.jobs.send(NetworkJob::Recheck(wanted, urls));
        Ok(())
    }

    fn look(&mut self, run: &RunInfo) -> Result<rummage_triage::Changes, Failure> {
        let ground = self.ground(run)?;
        let (edits, changes) = changes::look(&ground, &self.opening.plan)?;
        self.shown = Some(edits);
        Ok(changes)
    }

    fn ground(&self, run: &RunInfo) -> Result<changes::Ground, Failure> {
        changes::ground(self.opening.files.as_deref(), self.opening.at.as_deref(), run)
    }

    fn apply(&mut self, run: &RunInfo) -> Result<rummage_triage::Applied, Failure> {
        let Some(shown) = self.shown.take() else {
            return Err(Failure::Usage {
                what: "the changes were not shown yet".to_owned(),
                hint: "v shows them.".to_owned(),
            });
        };
        let ground = self.ground(run)?;
        let plan = &self.opening.plan;
        let options = ["mend", "apply"].map(str::to_owned).to_vec();
        let mut arguments = vec![plan.display().to_string()];
        let folder = ground.folder.display().to_string();
        arguments.extend(["--files".to_owned(), folder, "--as".to_owned(), ground.at.to_string()]);
        arguments.push("--write".to_owned());
        let mut words = vec!["rummage".to_owned()];
        words.extend(options);
        words.extend(arguments);
        changes::apply(&ground, plan, &shown, words)
    }
}

/// The line of a file around a tag; `None` if it cannot be read.
fn excerpt_of(source: &str) -> Option<String> {
    /// Larger files are no pages that people write.
    const LARGEST: u64 = 4 << 20;
    let (file, line, column) = place(source);
    let (line, column): (usize, u32) = (line?.parse().ok()?, column?.parse().ok()?);
    if std::fs::metadata(file).ok()?.len() > LARGEST {
        return None;
    }
    let text = std::fs::read(file).ok()?;
    let text = String::from_utf8_lossy(&text);
    let line = text.lines().nth(line.checked_sub(1)?)?;
    Some(excerpt(line, column)).filter(|excerpt| !excerpt.is_empty())
}

/// Targets with what requests need to know of them.
fn wanted(ids: &[TargetId], open: &Open<'_, '_>) -> Result<Vec<Wanted>, Failure> {
    let mut wanted = Vec::new();
    for at in ids.iter().filter_map(|id| open.positions.get(id)) {
        let (Some(line), Some(url)) = (open.list.line(*at)?, open.list.url(*at)) else { continue };
        wanted.push(Wanted { url, line });
    }
    Ok(wanted)
}

/// A selection as typed.
pub(super) fn stored(selection: &str, vocabulary: &Vocabulary) -> Result<StoredLinks, String> {
    let mut all = vec!["rummage".to_owned(), "triage".to_owned()];
    all.extend(words::options(selection, vocabulary)?);
    let args = args::parse_words(&all)?;
    match args.command {
        Some(Command::Triage(triage)) => Ok(triage.stored),
        _ => Err("this is no selection".to_owned()),
    }
}
