//! Undo and redo. Undo takes back one's own last change: where somebody else changed the cut since, everything that was
//! done after it is done again on the state before it.

use super::commit::Said;
use super::{Code, Problem, Studio};
use crate::store::StoreError;
use crate::store::cuts::{self, Commit, CutRow, Done, Revision, Sounding, Step};
use jaunty_core::cut::{Cut, Effect, Work};
use jaunty_core::message;
use jaunty_core::message::{Fact, Message};
use std::collections::HashSet;
use uuid::Uuid;

/// So far back one's own last change is looked for: as many changes are done again for it at most.
const MOST_BACK: usize = 20;

/// What the history has of late, newest first, and what of it was taken back from under others.
struct Lately {
    done: Vec<Done>,
    taken_back: HashSet<u32>,
}

impl Lately {
    /// Whether undo by somebody is one step back: the last change is theirs, or nobody's.
    fn is_one_step_back(&self, person: Uuid) -> bool {
        self.done.first().is_none_or(|last| last.by.is_none_or(|by| by == person) && took_back(last).is_none())
    }

    /// Whether it stands: it is a change, and nobody took it back from under others.
    fn stands(&self, done: &Done) -> bool {
        took_back(done).is_none() && !self.taken_back.contains(&done.revision)
    }

    /// From where everything is to be done again that stands but `own`: from there, or from what was taken back above it.
    fn from(&self, own: usize) -> Option<usize> {
        let mut from = own;
        loop {
            let taken = self.done[..from].iter().filter_map(took_back).map(|revision| self.done.iter().position(|d| d.revision == revision));
            let furthest = taken.collect::<Option<Vec<usize>>>()?.into_iter().max().unwrap_or(own);
            if furthest <= from {
                return Some(from);
            }
            from = furthest;
        }
    }

    /// The newest change of somebody that stands.
    fn own(&self, person: Uuid) -> Option<usize> {
        self.done.iter().position(|d| d.by == Some(person) && d.said.is_some() && self.stands(d))
    }
}

/// The revision that was taken back there, if one was.
fn took_back(done: &Done) -> Option<u32> {
    match serde_json::from_str(done.said.as_ref()?).ok()? {
        Said::TakenBack { took_back } => Some(took_back),
        _ => None,
    }
}

/// What was taken back there, if that was by `person`: it is theirs to do again.
fn to_do_again(done: &Done, person: Uuid) -> Option<Message> {
    let (_, true, Message::Coded { facts, .. }) = (took_back(done)?, done.by == Some(person), &done.what) else { return None };
    let Fact::Message(what) = facts.get("what")? else { return None };
    Some((**what).clone())
}

impl Studio {
    async fn lately(&self, row: &CutRow, most: usize) -> Result<Lately, StoreError> {
        let done = cuts::done(&self.pool, row, most).await?;
        Ok(Lately { taken_back: done.iter().filter_map(took_back).collect(), done })
    }

    /// What undo would take back for whoever asks, and what redo would do again.
    pub(super) async fn would_step(&self, row: &CutRow, shown: &Revision) -> Result<(Option<Message>, Option<Message>), StoreError> {
        let (undo, redo) = (shown.parent.map(|_| shown.what.clone()), cuts::redone(&self.pool, row).await?);
        let Some(person) = self.behalf.person else { return Ok((undo, redo)) };
        if self.lately(row, 1).await?.is_one_step_back(person) {
            return Ok((undo, redo));
        }
        let lately = self.lately(row, MOST_BACK).await?;
        let own = lately.own(person).map(|k| lately.done[k].what.clone());
        Ok((own.or(undo), redo.or_else(|| to_do_again(lately.done.first()?, person))))
    }

    /// Goes one step back or on in the history; the revision that is shown then. Back goes who does not say `whoever` over
    /// their own last change only.
    ///
    /// # Errors
    /// [`Code::Stale`], [`Code::NothingToUndo`], [`Code::OfAnother`], or what the database says.
    pub async fn step(&self, id: Uuid, seen: u32, step: Step, whoever: bool) -> Result<u32, Problem> {
        let row = cuts::cut(&self.pool, id).await?;
        let plain = async |step| Ok(cuts::step(&self.pool, id, seen, step, self.behalf.person).await?);
        let Some(person) = self.behalf.person.filter(|_| row.is_seen(seen)) else { return plain(step).await };
        let last = self.lately(&row, 1).await?;
        match step {
            // What was taken back from under others is there again one step before.
            Step::Redo if cuts::redone(&self.pool, &row).await?.is_none() && last.done.iter().any(|d| to_do_again(d, person).is_some()) => {
                plain(Step::Undo).await
            }
            Step::Undo if !whoever && !last.is_one_step_back(person) => self.take_back_own(&row, &self.lately(&row, MOST_BACK).await?, person).await,
            step => plain(step).await,
        }
    }

    async fn take_back_own(&self, row: &CutRow, lately: &Lately, person: Uuid) -> Result<u32, Problem> {
        let last = &lately.done[0];
        let Some(own) = lately.own(person) else {
            let name = last.name.as_deref().unwrap_or("somebody else");
            return Err(match last.by == Some(person) {
                true => Problem::new(Code::NothingToUndo, "There is nothing of yours to go back over."),
                false => Problem::new(Code::OfAnother, format!("The last change is by {name}: {}.", last.what)),
            });
        };
        if row.base.is_some() {
            return Err(Problem::new(Code::Stale, "The plan is still being made."));
        }
        let mine = &lately.done[own];
        let made = self.done_without(row, lately, own).await.map_err(|cause| {
            let builds = format!("What was done since builds on \"{}\", so that it cannot be taken back alone: {cause}", mine.what);
            if cause.code() == Code::Internal { cause } else { Problem::new(Code::OfAnother, builds) }
        })?;
        if made.setup == row.setup && made.plan == cuts::current(&self.pool, row).await?.cut.plan {
            return Err(Problem::new(Code::OfAnother, format!("What was done since says anew what \"{}\" said: nothing is left of it.", mine.what)));
        }
        let what = message!("undo.own", what = mine.what.clone());
        let said = Some(serde_json::to_string(&Said::TakenBack { took_back: mine.revision }).map_err(StoreError::from)?);
        let work = if made.compares_otherwise(&row.setup) { vec![Work::Compare] } else { Vec::new() };
        let commit = Commit { what: &what, said, setup: &made.setup, sounding: Sounding::As(&made), work: &work, by: Some(person), brings: false };
        Ok(cuts::commit(&self.pool, row, &commit).await?)
    }

    /// The state as if one change had never been made.
    async fn done_without(&self, row: &CutRow, lately: &Lately, own: usize) -> Result<Cut, Problem> {
        let gone = || Problem::bad_value("the state before it is not there any more");
        let from = lately.from(own).ok_or_else(gone)?;
        let before = lately.done[from].before.ok_or_else(gone)?;
        let mut state = cuts::revision(&self.pool, row.id, before).await?.ok_or_else(gone)?.cut;
        let again = lately.done[..=from].iter().enumerate().rev().filter(|(k, done)| *k != own && lately.stands(done));
        for (_, done) in again {
            let said: Option<Said> = done.said.as_deref().and_then(|said| serde_json::from_str(said).ok());
            let said = said.ok_or_else(|| Problem::bad_value(format!("{} is not a change of its own", done.what)))?;
            let readings = self.readings(&state.setup, &said.needs(&state.setup)).await?;
            let mut after = state.clone();
            match said.apply(&mut after, &readings)? {
                Effect::Unchanged(_) | Effect::Note(_) => state = after,
                effect => state = self.computed(&effect, &state, &said, &readings).await?,
            }
        }
        Ok(state)
    }
}
