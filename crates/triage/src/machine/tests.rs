use rummage_core::mend::plan::Action;
use rummage_core::verdict::Verdict;
use rummage_view::{Group, Section, TargetOrder};

use super::testing::{Driven, index};
use super::*;
use crate::effect::{Applied, Changes, Decided, Place, Proposal, Recheck};

fn driven() -> Driven {
    Driven::new(80, 24, 1..=9)
}

fn ids(ids: &[u64]) -> Vec<TargetId> {
    ids.iter().map(|id| TargetId(*id)).collect()
}

fn current(driven: &Driven) -> Option<u64> {
    driven.state.list.current().map(|(_, id)| id.0)
}

fn saved(command: &str) -> Result<Decided, String> {
    Ok(Decided { summary: "saved".to_owned(), commands: vec![command.to_owned()] })
}

#[test]
fn the_first_thing_wanted_is_the_list_then_what_is_in_sight() {
    let (mut state, first) = State::new(testing::setup(80, 24));
    assert_eq!(first, [Effect::List(state.view.clone())]);
    assert!(state.is_loading());
    let effects = state.update(Msg::Index(index(4, 1..=3)));
    let wanted = [Effect::Rows(4, vec![0, 1, 2]), Effect::Detail(4, 0, TargetId(1))];
    assert_eq!(effects, wanted);
    assert_eq!(state.update(Msg::Key(Key::Down)), [], "the detail of another is on its way");
    assert_eq!(
        state.update(Msg::Detail(TargetId(1), None)),
        [Effect::Detail(4, 1, TargetId(2))],
        "then that of the current line"
    );
}

#[test]
fn a_waiver_is_for_the_current_line_and_goes_on_to_the_next() {
    let mut driven = driven();
    driven.press("jlback in spring⏎");
    let decision = Decision::Waive {
        kind: WaiverKind::Leave,
        reason: "back in spring".to_owned(),
        until: String::new(),
    };
    assert_eq!(driven.take(), [Effect::Decide(1, ids(&[2]), decision)]);
    assert_eq!(current(&driven), Some(3));
    assert_eq!(driven.state.journal.label(TargetId(2)), Some("leave"));
    driven.handle(Msg::Decided(1, saved("rummage waive a")));
    assert_eq!(driven.state.commands(), ["rummage waive a"]);
    // The reason is offered again.
    driven.press("w⏎");
    let effects = driven.take();
    let [Effect::Decide(2, whom, Decision::Waive { kind, reason, .. })] = effects.as_slice() else {
        panic!("{effects:?}");
    };
    assert_eq!((whom, *kind, &**reason), (&ids(&[3]), WaiverKind::Works, "back in spring"));
}

#[test]
fn many_are_marked_and_some_unmarked_before_a_decision() {
    let mut driven = driven();
    driven.press("a");
    driven.press("jj ");
    driven.press("x");
    let unwrap = Decision::Repair { action: Action::Unwrap, to: None };
    assert_eq!(driven.take(), [Effect::Decide(1, ids(&[1, 2, 4, 5, 6, 7, 8, 9]), unwrap)]);
    assert_eq!((driven.state.list.marked(), current(&driven)), (0, Some(4)));
}

#[test]
fn each_decision_has_its_key() {
    for (keys, action) in [("x", Action::Unwrap), ("X", Action::Drop), ("T", Action::Gone)] {
        let mut driven = driven();
        driven.press(keys);
        let decision = Decision::Repair { action, to: None };
        assert_eq!(driven.take(), [Effect::Decide(1, ids(&[1]), decision)], "{keys}");
        let mut driven = super::tests::driven();
        driven.press("d");
        driven.press(keys);
        assert_eq!(driven.take().len(), 1, "from the menu: {keys}");
    }
    let mut driven = driven();
    driven.press("d⎋x");
    assert_eq!(driven.take().len(), 1, "a key that closes the menu decides nothing");
}

#[test]
fn a_new_url_is_proposed_or_typed() {
    let mut driven = driven();
    driven.press("c");
    assert_eq!(driven.take(), [Effect::Propose(ids(&[1]))]);
    let to = "http://a.test/new".to_owned();
    let why = "200 OK".to_owned();
    let proposal = Proposal { target: TargetId(1), to: to.clone(), is_sure: true, why };
    driven.handle(Msg::Proposed(ids(&[1]), Ok(vec![proposal])));
    driven.press("⏎");
    let replace = |to: &str| Decision::Repair { action: Action::Replace, to: Some(to.to_owned()) };
    assert_eq!(driven.take(), [Effect::Decide(1, ids(&[1]), replace(&to))]);
    // What has moved has a URL at once.
    driven.press("jc⏎");
    let moved = Effect::Decide(2, ids(&[3]), replace("http://b.test/3"));
    assert_eq!(driven.take(), [Effect::Propose(ids(&[3])), moved]);
    driven.press("t⎋");
    assert_eq!(driven.take(), [Effect::Propose(ids(&[4]))], "nothing is decided");
}

#[test]
fn undo_takes_back_the_last_decision_when_it_is_saved() {
    let mut driven = driven();
    driven.press("xu");
    assert_eq!(driven.take().len(), 1, "it is not saved yet");
    driven.handle(Msg::Decided(1, saved("one")));
    driven.press("u");
    assert_eq!(driven.take(), [Effect::Undo(1)]);
    driven.handle(Msg::Undone(1, Ok("taken back".to_owned())));
    assert_eq!(driven.state.journal.label(TargetId(1)), None);
    assert_eq!(driven.state.message.message, "taken back");
    driven.press("u");
    assert_eq!(driven.take(), []);
}

#[test]
fn a_decision_that_cannot_be_saved_is_reported_and_does_not_hold() {
    let mut driven = driven();
    driven.press("x");
    driven.handle(Msg::Decided(1, Err("plan.toml cannot be written".to_owned())));
    assert!(driven.state.message.is_error);
    assert_eq!(driven.state.journal.label(TargetId(1)), None);
    assert!(driven.state.commands().is_empty());
}

#[test]
fn a_recheck_runs_beside_and_its_result_is_shown_in_place() {
    let mut driven = driven();
    driven.press("rr");
    assert_eq!(driven.take(), [Effect::Recheck(ids(&[1])), Effect::Recheck(ids(&[2]))]);
    assert_eq!(driven.state.journal.recheck(TargetId(1)), Some(&Rechecking::Running));
    let now = Recheck { verdict: Some(Verdict::Sound), cause: "200 OK".to_owned(), is_same: false };
    driven.handle(Msg::Rechecked(vec![(TargetId(1), now.clone())], "rummage recheck x".to_owned()));
    assert_eq!(driven.state.journal.recheck(TargetId(1)), Some(&Rechecking::Done(now)));
    assert_eq!(driven.state.message.message, "rechecked: 1 changed, 0 unchanged");
    assert!(driven.state.journal.is_rechecking(), "the other goes on");
    driven.handle(Msg::NotRechecked(ids(&[2]), "the store is in use".to_owned()));
    assert!(driven.state.message.is_error && !driven.state.journal.is_rechecking());
}

#[test]
fn a_filter_is_explained_as_it_is_typed_and_refused_if_it_is_wrong() {
    let mut driven = driven();
    driven.press("f--v⇥d⇥");
    let typed: Vec<Effect> =
        ["", "-", "--", "--v", "--verdict ", "--verdict d", "--verdict doubtful"]
            .into_iter()
            .map(|text| Effect::Explain(text.to_owned()))
            .collect();
    assert_eq!(driven.take(), typed);
    driven.handle(Msg::Explained(Err("no such option".to_owned())));
    driven.press("⏎");
    assert!(matches!(driven.state.mode, Mode::Filter(_)) && driven.take().is_empty());
    driven.handle(Msg::Explained(Ok("doubtful links".to_owned())));
    driven.press("⏎");
    let wanted = View { selection: "--verdict doubtful".to_owned(), ..driven.state.view.clone() };
    assert_eq!(driven.take(), [Effect::List(wanted.clone())]);
    assert_eq!(driven.state.view.selection, "", "the old list is shown until then");
    driven.handle(Msg::Index(index(2, [2])));
    assert_eq!(driven.state.view, wanted);
    driven.press("f⎋");
    driven.take();
    driven.handle(Msg::Refused("the store is damaged".to_owned()));
    assert!(driven.state.message.is_error && !driven.state.is_loading());
}

#[test]
fn groups_and_orders_come_in_turn() {
    let mut driven = driven();
    let mut groups = Vec::new();
    for _ in 0..4 {
        driven.press("b");
        for effect in driven.take() {
            if let Effect::List(view) = effect {
                groups.push(view.group);
                driven.handle(Msg::Index(index(1, 1..=9)));
            }
        }
    }
    assert_eq!(groups, [Group::Page, Group::Host, Group::Cause, Group::Target]);
    let mut orders = Vec::new();
    for _ in 0..4 {
        driven.press("s");
        for effect in driven.take() {
            if let Effect::List(view) = effect {
                orders.push(view.order);
                driven.handle(Msg::Index(index(1, 1..=9)));
            }
        }
    }
    use TargetOrder::{MostLinks, Newest, Url, Worst};
    assert_eq!(orders, [MostLinks, Newest, Url, Worst]);
}

#[test]
fn a_search_goes_to_what_it_found() {
    let mut driven = driven();
    driven.press("/Rota⏎");
    assert_eq!(driven.take(), [Effect::Find(1, "Rota".to_owned())]);
    driven.handle(Msg::Matches(1, vec![4, 6]));
    assert_eq!(current(&driven), Some(5));
    driven.press("n");
    assert_eq!(current(&driven), Some(7));
    driven.press("N");
    assert_eq!(current(&driven), Some(5));
    driven.press("/⏎/x⎋");
    assert_eq!(driven.take(), [], "an empty search, and one that was given up");
    driven.press("/zz⏎");
    driven.handle(Msg::Matches(1, vec![]));
    assert!(driven.state.message.is_error);
}

#[test]
fn targets_and_pages_are_opened_beside() {
    let mut driven = driven();
    driven.press("o");
    let target = Place::Url("http://a.test/news/2026/target-1.html".to_owned());
    assert_eq!(driven.take(), [Effect::Open(target)]);
    driven.press("p");
    assert_eq!(driven.take(), [Effect::Open(Place::Url("http://a.test/page0".to_owned()))]);
    driven.press("e");
    assert!(driven.take().is_empty() && driven.state.message.is_error, "it is not known where");
    driven.press("⏎jep");
    let source = Place::Source("https://cms.test/edit/page1".to_owned());
    let page = Place::Url("http://a.test/page1".to_owned());
    assert_eq!(driven.take(), [Effect::Open(source), Effect::Open(page)]);
    driven.press("⎋j");
    assert_eq!(current(&driven), Some(2));
}

#[test]
fn the_changes_are_shown_before_they_are_made() {
    let mut driven = driven();
    driven.press("vy");
    assert_eq!(driven.take(), [Effect::ShowChanges], "nothing was shown yet");
    let changes = Changes { lines: Vec::new(), summary: "2 links".to_owned(), files: 1 };
    driven.handle(Msg::Changes(Ok(changes)));
    driven.press("yy");
    assert_eq!(driven.take(), [Effect::Apply], "once");
    driven.handle(Msg::Applied(Err("a file has changed".to_owned())));
    assert!(driven.state.message.is_error);
    driven.press("y");
    assert_eq!(driven.take(), [Effect::Apply]);
    let (summary, command) = ("changed".to_owned(), "rummage mend apply".to_owned());
    driven.handle(Msg::Applied(Ok(Applied { summary, command })));
    assert!(matches!(driven.state.mode, Mode::List));
    assert_eq!(driven.state.commands(), ["rummage mend apply"]);
}

#[test]
fn leaving_while_something_goes_on_is_asked_about() {
    let mut driven = driven();
    driven.press("q");
    assert_eq!(driven.take(), [Effect::Quit]);
    assert!(driven.state.has_ended());
    let live = |has_ended| Msg::Live(LiveCrawl { progress: String::new(), done: 0, has_ended });
    for (keys, effects) in [
        ("q⎋", vec![]),
        ("qx", vec![]),
        ("qw", vec![Effect::Quit]),
        ("qs", vec![Effect::StopCrawl, Effect::Quit]),
    ] {
        let mut driven = super::tests::driven();
        driven.handle(live(false));
        driven.press(keys);
        assert_eq!(driven.take(), effects, "{keys}");
    }
    let mut driven = super::tests::driven();
    driven.handle(live(false));
    driven.press("r");
    assert!(driven.take().is_empty(), "the crawl writes to the store");
    driven.handle(live(true));
    driven.take();
    driven.press("q");
    assert_eq!(driven.take(), [Effect::Quit]);
}

#[test]
fn what_is_pasted_over_the_list_decides_nothing() {
    let mut driven = driven();
    driven.handle(Msg::Pasted("xTru".to_owned()));
    assert_eq!(driven.take(), []);
    driven.press("l");
    driven.handle(Msg::Pasted("a\nreason".to_owned()));
    driven.press("⏎");
    let effects = driven.take();
    let [Effect::Decide(_, _, Decision::Waive { reason, .. })] = effects.as_slice() else {
        panic!("{effects:?}");
    };
    assert_eq!(reason, "areason");
}

#[test]
fn a_group_is_closed_and_opened_with_enter() {
    let mut driven = driven();
    let section = |title: &str, targets: &[u32]| Section {
        title: title.to_owned(),
        targets: targets.to_vec(),
    };
    let sections = Some(vec![section("a.test", &[0, 1]), section("b.test", &[2])]);
    driven.handle(Msg::Index(crate::Index { sections, ..index(2, 1..=3) }));
    driven.press("k⏎");
    assert_eq!(driven.state.list.position(), (1, 3));
    driven.press("⏎");
    assert_eq!(driven.state.list.position(), (1, 5));
    driven.press("o");
    assert!(driven.take().is_empty(), "a group is no target");
    driven.press("l");
    assert!(matches!(driven.state.mode, Mode::List), "nor is it decided on");
    driven.press(" x");
    let effects = driven.take();
    let [Effect::Decide(_, whom, _)] = effects.as_slice() else { panic!("{effects:?}") };
    assert_eq!(whom, &ids(&[1, 2]));
}

#[test]
fn news_of_a_crawl_leave_the_current_line_where_it_is() {
    let mut driven = driven();
    driven.press("jjj");
    driven.press(" ");
    driven.press("k");
    driven.handle(Msg::Index(index(2, (20..30).chain(1..=9))));
    assert_eq!(current(&driven), Some(4));
    assert!(driven.state.list.is_marked(TargetId(4)));
}

#[test]
fn the_list_is_read_again_while_a_crawl_finds_more() {
    let mut driven = driven();
    let tick = |driven: &mut Driven, done, has_ended| {
        driven.handle(Msg::Live(LiveCrawl { progress: String::new(), done, has_ended }));
        let lists = driven.take().into_iter().filter(|effect| matches!(effect, Effect::List(_)));
        lists.count()
    };
    assert_eq!(tick(&mut driven, 5, false), 0);
    assert_eq!(tick(&mut driven, 9, false), 1, "every other second");
    assert_eq!((tick(&mut driven, 12, false), tick(&mut driven, 15, false)), (0, 0), "it is read");
    let slow = std::time::Duration::from_secs(1);
    driven.handle(Msg::Index(crate::Index { took: slow, ..index(2, 1..=9) }));
    let lists: Vec<usize> = (20..27).map(|done| tick(&mut driven, done, false)).collect();
    assert_eq!(lists, [0, 0, 0, 0, 0, 0, 1], "less often if it takes long");
    driven.handle(Msg::Index(index(3, 1..=9)));
    assert_eq!((0..5).map(|_| tick(&mut driven, 26, false)).sum::<usize>(), 0, "nothing is new");
    assert_eq!(tick(&mut driven, 26, true), 1, "at the end");
    driven.handle(Msg::Index(index(4, 1..=9)));
    assert_eq!(tick(&mut driven, 26, true), 0);
}

#[test]
fn what_is_shown_stays_until_the_same_is_there_anew() {
    let mut driven = driven();
    driven.press("⏎j");
    let effects = driven.state.update(Msg::Index(index(2, 1..=9)));
    assert!(matches!(effects.as_slice(), [Effect::Rows(2, _), Effect::Detail(2, 0, _)]));
    let selected = driven.state.detail.selected();
    assert!(driven.state.detail.of(TargetId(1)).is_some() && driven.state.list.row(0).is_some());
    driven.state.update(Msg::Detail(TargetId(1), Some(Box::new(testing::detail(1, 3)))));
    assert_eq!(driven.state.detail.selected(), selected, "the same link");
}

#[test]
fn keys_without_a_meaning_say_where_help_is() {
    let mut driven = driven();
    driven.press("%");
    assert_eq!(driven.state.message.message, "? shows what the keys do");
    driven.press("?jj");
    assert!(matches!(driven.state.mode, Mode::Help(2)));
    driven.press("⎋");
    assert!(matches!(driven.state.mode, Mode::List));
}
