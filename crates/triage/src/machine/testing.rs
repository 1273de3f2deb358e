//! Plain records, and a state that is driven by hand.

use rummage_core::verdict::Verdict;
use rummage_view::{Group, Occurrence, TargetDetail, TargetId, TargetLine, TargetOrder};

use super::{Setup, State};
use crate::effect::{Effect, Index, Msg, View};
use crate::keys::Key;
use crate::vocabulary::{OptionInfo, Vocabulary};

/// The target with this number: some are broken, some doubtful, some moved.
pub(crate) fn row(id: u64) -> TargetLine {
    let (verdict, status, cause) = match id % 4 {
        2 => (Verdict::Doubtful, Some(403), "403 Forbidden"),
        3 => (Verdict::Moved, Some(200), "moved permanently"),
        0 => (Verdict::Broken, None, "host name does not exist (NXDOMAIN)"),
        _ => (Verdict::Broken, Some(404), "404 Not Found"),
    };
    let is_moved = verdict == Verdict::Moved;
    TargetLine {
        id: TargetId(id),
        verdict,
        status,
        cause: cause.to_owned(),
        code: status.map_or("nxdomain".to_owned(), |status| status.to_string()),
        target: format!("http://a.test/news/2026/target-{id}.html"),
        links: id * id,
        standing: (id == 1).then(|| "new".to_owned()),
        waived: false,
        is_internal: !id.is_multiple_of(4),
        moved_to: is_moved.then(|| format!("http://b.test/{id}")),
    }
}

/// Its detail, with so many occurrences.
pub(crate) fn detail(id: u64, occurrences: usize) -> TargetDetail {
    let line = row(id);
    let occurrence = |at: usize| Occurrence {
        page: format!("http://a.test/page{at}"),
        at: format!("{}:7", 31 + at),
        tag: format!("<a href=\"/news/2026/target-{id}.html\">The rota of {at}</a>"),
        region: Some("footer"),
        shared: (at == 0).then(|| "on 73 of 88 pages, in footer, one edit".to_owned()),
        source: (at == 1).then(|| "https://cms.test/edit/page1".to_owned()),
        excerpt: (at == 2).then(|| "the <a href=/>rota</a> of spring".to_owned()),
    };
    TargetDetail {
        meaning: vec![
            format!("{}  {} (not-found), internal", line.verdict.as_str(), line.cause),
            "To do: correct the link, or remove it.".to_owned(),
        ],
        evidence: vec![
            "requests".to_owned(),
            "2026-11-29 10:00:00 UTC  GET   404 Not Found  3 ms".to_owned(),
        ],
        history: vec!["over 2 runs".to_owned(), "run 1, 2026-10-01  sound  works".to_owned()],
        occurrences: (0..occurrences).map(occurrence).collect(),
        more: None,
        line,
    }
}

pub(crate) fn index(generation: u64, ids: impl IntoIterator<Item = u64>) -> Index {
    let ids: Vec<TargetId> = ids.into_iter().map(TargetId).collect();
    let count = |verdict| {
        let of = ids.iter().filter(|id| row(id.0).verdict == verdict);
        (verdict, of.count() as u64)
    };
    Index {
        generation,
        title: "run 3 of www.a.test".to_owned(),
        counts: Verdict::ALL.map(count).to_vec(),
        links: ids.iter().map(|id| id.0 * id.0).sum(),
        ids,
        ..Index::default()
    }
}

pub(crate) fn setup(width: u16, height: u16) -> Setup {
    let option = |name: &str, help: &str, values: &[&str]| OptionInfo {
        name: name.to_owned(),
        help: help.to_owned(),
        takes_value: true,
        values: values.iter().map(|value| (*value).to_owned()).collect(),
    };
    Setup {
        view: View { selection: String::new(), group: Group::Target, order: TargetOrder::Worst },
        vocabulary: Vocabulary {
            options: vec![
                option("--verdict", "Links with these verdicts", &["broken", "doubtful", "moved"]),
                option("--host", "Links to matching hosts", &[]),
            ],
        },
        plan: "plan.toml".to_owned(),
        live: None,
        size: (width, height),
    }
}

/// A state whose wishes for texts and details are fulfilled at once.
pub(crate) struct Driven {
    pub(crate) state: State,
    /// What else it wants done.
    pub(crate) effects: Vec<Effect>,
}

impl Driven {
    /// A state with these targets.
    pub(crate) fn new(width: u16, height: u16, ids: impl IntoIterator<Item = u64>) -> Driven {
        let (state, effects) = State::new(setup(width, height));
        let mut driven = Driven { state, effects };
        driven.handle(Msg::Index(index(1, ids)));
        driven.effects.clear();
        driven
    }

    pub(crate) fn handle(&mut self, msg: Msg) {
        let mut effects = self.state.update(msg);
        while !effects.is_empty() {
            let mut more = Vec::new();
            for effect in effects {
                match effect {
                    Effect::Rows(generation, wanted) => {
                        let rows = wanted.iter().map(|at| (*at, row(self.state.list.id(*at).0)));
                        more.extend(self.state.update(Msg::Rows(generation, rows.collect())));
                    }
                    Effect::Detail(_, _, id) => {
                        let detail = Some(Box::new(detail(id.0, 3)));
                        more.extend(self.state.update(Msg::Detail(id, detail)));
                    }
                    other => self.effects.push(other),
                }
            }
            effects = more;
        }
    }

    /// Presses keys: each character, `⏎` for Enter, `⎋` for Escape, `⇥` for Tab, `↓` and `↑`.
    pub(crate) fn press(&mut self, keys: &str) {
        for c in keys.chars() {
            self.handle(Msg::Key(match c {
                '⏎' => Key::Enter,
                '⎋' => Key::Escape,
                '⇥' => Key::Tab,
                '↓' => Key::Down,
                '↑' => Key::Up,
                '←' => Key::Left,
                '→' => Key::Right,
                c => Key::Char(c),
            }));
        }
    }

    /// What it wanted done since the last call.
    pub(crate) fn take(&mut self) -> Vec<Effect> {
        std::mem::take(&mut self.effects)
    }
}
