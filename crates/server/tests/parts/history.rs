//! Revisions: any order of changes, undo and redo in any number of windows loses nothing that was accepted.

use super::house::House;
use jaunty_core::cut::{Arrival, UsedSound};
use jaunty_core::cut::{AskedRate, Change, Cut, CutChange, Description, Figure, LevelsChange, PictureChange, Setup, VoiceChange, Work};
use jaunty_core::picture::{Line, MomentKind};
use jaunty_server::store::StoreError;
use jaunty_server::store::cuts::{self, Commit, CutRow, Sounding, Step};
use jaunty_server::studio::{Code, Problem};
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;
use std::collections::HashMap;
use uuid::Uuid;

/// What a window does with what it saw last, or the machine with what is shown.
#[derive(Debug, Clone, Copy)]
enum Act {
    /// Looks at the cut.
    Look,
    /// Changes how it sounds: its plan follows later.
    Want,
    /// Notes something.
    Note,
    /// Changes a level: the plan is changed at once.
    Level,
    Undo,
    Redo,
    /// The machine makes the plan that is waited for.
    Plan,
}

/// What is expected: states are named by the changes that made them, one after another.
#[derive(Default)]
struct Model {
    shown: String,
    /// What was before each state.
    before: HashMap<String, String>,
    /// The newest revision that holds each state.
    newest: HashMap<String, u32>,
    /// Whether each state waits for its plan.
    waits: HashMap<String, bool>,
    /// Revisions that count as the shown one.
    seen_as: Vec<u32>,
}

impl Model {
    fn go(&mut self, state: String, revision: u32) {
        self.newest.insert(state.clone(), revision);
        self.shown = state;
        self.seen_as = vec![revision];
    }

    fn redo(&self) -> Option<String> {
        let after = self.before.iter().filter(|(_, before)| **before == self.shown).map(|(after, _)| after);
        after.max_by_key(|after| self.newest[*after]).cloned()
    }
}

/// A new revision on top of the one that a window saw, whose title ends in the number of the change.
async fn commit(house: &House, row: &CutRow, seen: u32, change: usize, sounding: Sounding<'_>) -> Result<u32, Code> {
    if !row.is_seen(seen) {
        return Err(Code::Stale);
    }
    let setup = Setup { title: format!("{}.{change}", row.setup.title), ..row.setup.clone() };
    let work: &[Work] = if matches!(sounding, Sounding::Waits) { &[Work::Plan] } else { &[] };
    let commit = Commit { what: &jaunty_core::message!("fit.again"), said: None, setup: &setup, sounding, work, by: None, brings: false };
    cuts::commit(&house.studio.pool, row, &commit).await.map_err(|cause| Problem::from(cause).code())
}

async fn act(house: &House, id: Uuid, model: &mut Model, seen: &mut u32, change: usize, act: Act) {
    let pool = &house.studio.pool;
    let before = cuts::cut(pool, id).await.unwrap();
    let fresh = model.seen_as.contains(seen);
    // What is shown now, and whether that is as expected, whatever is done to it.
    let changed = |model: &mut Model, revision: u32, waits: bool| {
        let state = format!("{}.{change}", model.shown);
        model.before.insert(state.clone(), model.shown.clone());
        model.waits.insert(state.clone(), waits);
        model.go(state, revision);
    };
    let waits = model.waits.get(&model.shown).copied().unwrap_or(false);
    match act {
        Act::Look => *seen = before.revision,
        Act::Want | Act::Note | Act::Level => {
            let shown = cuts::current(pool, &before).await.unwrap().cut;
            let sounding = match act {
                Act::Want => Sounding::Waits,
                Act::Note => Sounding::Alike,
                _ => Sounding::As(&shown),
            };
            match commit(house, &before, *seen, change, sounding).await {
                Ok(revision) if fresh => {
                    changed(model, revision, waits || matches!(act, Act::Want));
                    *seen = revision;
                }
                other => assert_eq!(other, Err(Code::Stale), "{act:?} of a window that saw {seen}"),
            }
        }
        Act::Undo | Act::Redo => {
            let (step, target) = match act {
                Act::Undo => (Step::Undo, model.before.get(&model.shown).cloned()),
                _ => (Step::Redo, model.redo()),
            };
            let expected = if !fresh { Err(Code::Stale) } else { target.clone().ok_or(Code::NothingToUndo) };
            let done = house.studio.step(id, *seen, step, true).await.map_err(|problem| problem.code());
            assert_eq!(done.map(|_| ()), expected.clone().map(|_| ()), "{act:?}");
            if let Ok(target) = expected {
                *seen = cuts::cut(pool, id).await.unwrap().revision;
                let (newest, shown) = (model.newest[&target], *seen);
                model.go(target.clone(), shown.max(newest));
                model.seen_as = vec![shown];
                // Who saw the state without its plan has seen it.
                model.seen_as.extend(cuts::cut(pool, id).await.unwrap().planned_for);
            }
        }
        Act::Plan => {
            assert_eq!(before.base.is_some(), waits, "{}", model.shown);
            if waits {
                let what = cuts::current(pool, &before).await.unwrap().what;
                let made = Cut::new(before.setup.clone());
                let planned = Commit { what: &what, said: None, setup: &before.setup, sounding: Sounding::Planned(&made), work: &[], by: None, brings: false };
                let revision = cuts::commit(pool, &before, &planned).await.unwrap();
                let shown = model.shown.clone();
                model.waits.insert(shown.clone(), false);
                model.go(shown, revision);
                model.seen_as.push(before.revision);
            }
        }
    }
    let now = cuts::cut(pool, id).await.unwrap();
    assert_eq!(now.setup.title, model.shown, "after {act:?}");
    assert_eq!(now.base.is_some(), model.waits.get(&model.shown).copied().unwrap_or(false), "{}", model.shown);
}

#[actix_web::test]
async fn four_windows_and_the_machine_agree_with_a_model() {
    const CASES: u32 = 24;
    let house = House::new().await;
    let one = prop_oneof![
        2 => Just(Act::Look), 3 => Just(Act::Want), 2 => Just(Act::Note), 2 => Just(Act::Level), 3 => Just(Act::Undo), 3 => Just(Act::Redo), 3 => Just(Act::Plan)
    ];
    let acts = prop::collection::vec((0..4usize, one), 20..60);
    let mut runner = TestRunner::new(ProptestConfig::with_cases(CASES));
    for _ in 0..CASES {
        let acts = acts.new_tree(&mut runner).unwrap().current();
        let id = house.cut("").await;
        let mut model = Model::default();
        model.go(String::new(), 1);
        let mut seen = [1; 4];
        for (change, (window, one)) in acts.into_iter().enumerate() {
            act(&house, id, &mut model, &mut seen[window], change, one).await;
        }
    }
}

/// A moment that nobody else marks.
fn mark(frame: usize) -> Change {
    Change::Picture(PictureChange::MarkMoment { frame: frame as u64, kind: MomentKind::Hit, name: String::new() })
}

/// Another title.
fn call(title: String) -> Change {
    let rate = AskedRate { num: 25, den: 1, drop_frame: false };
    Change::Cut(CutChange::Describe(Description { title, length: "40".into(), rate, first_timecode: None, commercial: false, paid_plan: false }))
}

#[actix_web::test]
async fn changes_at_once_are_each_accepted_once_or_refused() {
    const WINDOWS: usize = 6;
    const CHANGES: usize = 15;
    let house = House::new().await;
    let id = house.cut("").await;
    let window = async |window: usize| {
        let mut refused = 0;
        for change in 0..CHANGES {
            // As a page does it that is told: look again, then make the change again.
            loop {
                let seen = cuts::cut(&house.studio.pool, id).await.unwrap().revision;
                match house.studio.change(id, seen, mark(window * 100 + change)).await {
                    Ok(_) => break,
                    Err(problem) => assert_eq!(problem.code(), Code::Stale),
                }
                refused += 1;
            }
        }
        refused
    };
    let refused: usize = futures_util::future::join_all((0..WINDOWS).map(window)).await.into_iter().sum();
    let marked: Vec<usize> = cuts::cut(&house.studio.pool, id).await.unwrap().setup.picture.moments.iter().map(|m| m.frame as usize).collect();
    let all: Vec<usize> = (0..WINDOWS).flat_map(|w| (0..CHANGES).map(move |c| w * 100 + c)).collect();
    assert_eq!(marked, all, "each of the changes that were accepted is there, once");
    assert!(refused > 0, "they did meet");
}

#[actix_web::test]
async fn a_change_that_waited_too_long_for_another_is_to_be_sent_again() {
    let house = House::new().await;
    let id = house.cut("Held").await;
    let mut holder = house.studio.pool.begin().await.unwrap();
    sqlx::query("SELECT revision FROM cuts WHERE id = ? FOR UPDATE").bind(id).execute(&mut *holder).await.unwrap();
    let mut waiting = house.studio.pool.acquire().await.unwrap();
    sqlx::query("SET SESSION innodb_lock_wait_timeout = 1").execute(&mut *waiting).await.unwrap();
    let waited = sqlx::query("UPDATE cuts SET revision = 1 WHERE id = ?").bind(id).execute(&mut *waiting).await.unwrap_err();
    assert_eq!(Problem::from(StoreError::from(waited)).code(), Code::Unavailable);
}

#[actix_web::test]
async fn candidates_are_compared_again_only_when_they_would_lie_otherwise() {
    let house = House::new().await;
    let (studio, id) = (&house.studio, house.cut("Compared").await);
    let sound = UsedSound { hash: "0".repeat(64), name: "bed".into() };
    let brought_in = studio.arrive(id, Arrival::Bed { sound, licence: None }).await.unwrap();
    let compared = async || {
        let (count,): (i64,) = sqlx::query_as("SELECT COUNT(*) FROM jobs WHERE task LIKE '%compare%'").fetch_one(&studio.pool).await.unwrap();
        count
    };
    let level = Change::Levels(LevelsChange::Figure { figure: Figure::AloneDb(9.0) });
    let shaped = studio.change(id, brought_in, level).await.unwrap();
    assert_eq!(compared().await, 0);
    let lines = vec![Line { start_samples: 48_000, words: "A word that the bed lies under.".into() }];
    studio.change(id, shaped, Change::Voice(VoiceChange::Lines { lines })).await.unwrap();
    assert_eq!(compared().await, 1);
}

#[actix_web::test]
async fn what_stays_as_it_was_is_stored_once() {
    let house = House::new().await;
    let (studio, id) = (&house.studio, house.cut("Small").await);
    let documents = async || sqlx::query_as::<_, (i64,)>("SELECT COUNT(*) FROM documents").fetch_one(&studio.pool).await.unwrap().0;
    // Setup, plan and an empty list of fittings.
    assert_eq!(documents().await, 3);
    studio.change(id, 1, call("Larger".into())).await.unwrap();
    assert_eq!(documents().await, 4, "another title is another setup and nothing else");
    studio.change(id, 2, call("Small".into())).await.unwrap();
    assert_eq!(documents().await, 4, "what was there before is there");
    let (said,): (String,) = sqlx::query_as("SELECT said FROM revisions WHERE cut_id = ? AND revision = 2").bind(id).fetch_one(&studio.pool).await.unwrap();
    assert!(matches!(serde_json::from_str(&said), Ok(Change::Cut(_))), "what was said is kept as a value: {said}");
}
