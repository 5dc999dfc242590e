//! Revisions: any order of changes, undo and redo in any number of windows loses nothing that was accepted.

use super::house::House;
use jaunty_core::plan::Plan;
use jaunty_server::features::cuts::setup::Setup;
use jaunty_server::features::cuts::store::{self as cuts, Next, Step};
use jaunty_server::problem::{Code, Problem};
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

fn append(setup: &mut Setup, change: usize) -> Result<(), Problem> {
    setup.title += &format!(".{change}");
    Ok(())
}

async fn act(house: &House, id: Uuid, model: &mut Model, seen: &mut u32, change: usize, act: Act) {
    let pool = &house.app.pool;
    let code = |problem: Problem| problem.code();
    let before = cuts::known(pool, id).await.unwrap();
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
        Act::Want | Act::Note => {
            let done = match act {
                Act::Want => cuts::want(pool, id, Some(*seen), "want", |s| append(s, change)).await,
                _ => cuts::note(pool, id, Some(*seen), "note", None, |s| append(s, change)).await,
            };
            match done {
                Ok(cut) if fresh => {
                    changed(model, cut.revision, waits || matches!(act, Act::Want));
                    *seen = cut.revision;
                }
                other => assert_eq!(other.map(|c| c.revision).map_err(code), Err(Code::Stale), "{act:?} of a window that saw {seen}"),
            }
        }
        Act::Level => {
            let row = cuts::current(pool, &before).await.unwrap();
            if before.check_seen(Some(*seen)).is_ok() {
                let next = Next { what: "level", plan: &row.plan, fittings: &[], chosen: 0 };
                let revision = cuts::append(pool, &before, &next, &|s| append(s, change)).await.unwrap();
                assert!(fresh);
                changed(model, revision, waits);
                *seen = revision;
            } else {
                assert!(!fresh);
            }
        }
        Act::Undo | Act::Redo => {
            let (step, target) = match act {
                Act::Undo => (Step::Undo, model.before.get(&model.shown).cloned()),
                _ => (Step::Redo, model.redo()),
            };
            let expected = if !fresh { Err(Code::Stale) } else { target.clone().ok_or(Code::NothingToUndo) };
            let done = cuts::step(pool, id, *seen, step).await.map_err(code);
            assert_eq!(done, expected.clone().map(|_| ()), "{act:?}");
            if let Ok(target) = expected {
                *seen = cuts::known(pool, id).await.unwrap().revision;
                let (newest, shown) = (model.newest[&target], *seen);
                model.go(target.clone(), shown.max(newest));
                model.seen_as = vec![shown];
                // Who saw the state without its plan has seen it.
                model.seen_as.extend(cuts::known(pool, id).await.unwrap().planned_for);
            }
        }
        Act::Plan => {
            assert_eq!(before.base.is_some(), waits, "{}", model.shown);
            if waits {
                let plan = Plan::empty(before.setup.picture.length_samples());
                let what = cuts::current(pool, &before).await.unwrap().what;
                let revision = cuts::append_planned(pool, &before, &Next { what: &what, plan: &plan, fittings: &[], chosen: 0 }).await.unwrap();
                let shown = model.shown.clone();
                model.waits.insert(shown.clone(), false);
                model.go(shown, revision);
                model.seen_as.push(before.revision);
            }
        }
    }
    let now = cuts::known(pool, id).await.unwrap();
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
                let seen = cuts::known(&house.app.pool, id).await.unwrap().revision;
                match cuts::want(&house.app.pool, id, Some(seen), "want", |s| append(s, window * 100 + change)).await {
                    Ok(_) => break,
                    Err(problem) => assert_eq!(problem.code(), Code::Stale),
                }
                refused += 1;
            }
        }
        refused
    };
    let refused: usize = futures_util::future::join_all((0..WINDOWS).map(window)).await.into_iter().sum();
    let title = cuts::known(&house.app.pool, id).await.unwrap().setup.title;
    let mut changes: Vec<usize> = title.split('.').skip(1).map(|n| n.parse().unwrap()).collect();
    changes.sort_unstable();
    let all: Vec<usize> = (0..WINDOWS).flat_map(|w| (0..CHANGES).map(move |c| w * 100 + c)).collect();
    assert_eq!(changes, all, "each of the changes that were accepted is there, once");
    assert!(refused > 0, "they did meet");
}

#[actix_web::test]
async fn a_change_that_waited_too_long_for_another_is_to_be_sent_again() {
    let house = House::new().await;
    let id = house.cut("Held").await;
    let mut holder = house.app.pool.begin().await.unwrap();
    sqlx::query("SELECT revision FROM cuts WHERE id = ? FOR UPDATE").bind(id).execute(&mut *holder).await.unwrap();
    let mut waiting = house.app.pool.acquire().await.unwrap();
    sqlx::query("SET SESSION innodb_lock_wait_timeout = 1").execute(&mut *waiting).await.unwrap();
    let waited = sqlx::query("UPDATE cuts SET revision = 1 WHERE id = ?").bind(id).execute(&mut *waiting).await.unwrap_err();
    assert_eq!(Problem::from(waited).code(), Code::Unavailable);
}

#[actix_web::test]
async fn candidates_are_compared_again_only_when_they_would_lie_otherwise() {
    let house = House::new().await;
    let (pool, id) = (&house.app.pool, house.cut("Compared").await);
    cuts::note(pool, id, Some(1), "bring in", None, |s| {
        s.add_candidate(&"0".repeat(64), "bed", None);
        Ok(())
    })
    .await
    .unwrap();
    let waiting = async || sqlx::query_as::<_, (i64,)>("SELECT COUNT(*) FROM jobs").fetch_one(pool).await.unwrap().0;
    for (expected, longer) in [(0, false), (1, true)] {
        let cut = cuts::known(pool, id).await.unwrap();
        let row = cuts::current(pool, &cut).await.unwrap();
        let next = Next { what: "level", plan: &row.plan, fittings: &[], chosen: 0 };
        let edit = |s: &mut Setup| {
            s.picture.length_frames += u64::from(longer);
            Ok(())
        };
        cuts::append(pool, &cut, &next, &edit).await.unwrap();
        assert_eq!(waiting().await, expected);
    }
}
