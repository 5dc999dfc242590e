//! Changing a cut: the one way in which anything about it changes.

use super::{Code, Problem, Studio};
use crate::store::cuts::{self, Commit, CutRow, Sounding};
use crate::store::{StoreError, jobs};
use jaunty_core::cut::{Arrival, Change, Cut, Effect, LevelsChange, Readings, Refusal, Setup, Work, compute};
use jaunty_core::message::Message;
use jaunty_core::plan::{Plan, Role};
use jaunty_core::shape::{Corners, GainCurve};
use serde::{Deserialize, Serialize};
use std::ops::Range;
use uuid::Uuid;

/// Something that changes a cut.
#[derive(Clone, Serialize, Deserialize)]
#[serde(untagged)]
pub(super) enum Said {
    /// A person says it.
    Change(Change),
    /// It comes in.
    Arrival(Arrival),
    /// A person takes a change of theirs back from under those of others.
    #[serde(rename_all = "camelCase")]
    TakenBack {
        /// The revision that made it.
        took_back: u32,
    },
}

impl Said {
    pub(super) fn needs(&self, setup: &Setup) -> Vec<(String, Role)> {
        match self {
            Self::Change(change) => change.needs(setup),
            Self::Arrival(arrival) => arrival.needs(setup),
            Self::TakenBack { .. } => Vec::new(),
        }
    }

    pub(super) fn apply(&self, cut: &mut Cut, readings: &Readings) -> Result<Effect, Refusal> {
        match self {
            Self::Change(change) => change.apply(cut, readings),
            Self::Arrival(arrival) => arrival.apply(cut, readings),
            Self::TakenBack { .. } => Ok(Effect::Unchanged(None)),
        }
    }

    fn message(&self, before: &Cut) -> Message {
        match self {
            Self::Change(change) => change.message(before),
            Self::Arrival(arrival) => arrival.message(before),
            Self::TakenBack { .. } => Message::default(),
        }
    }
}

/// What a change of levels would make of a plan.
pub struct TriedLevels {
    before: Plan,
    after: Plan,
}

impl TriedLevels {
    /// What the layers that would lie otherwise gain over `range`, with their places in the plan, as corners
    /// ([`GainCurve::change_from`]); `None` where more than levels would change.
    pub fn gained(&self, range: Range<u64>) -> Option<Vec<(usize, Corners)>> {
        let curve = |plan: &Plan, layer: usize| GainCurve::of(&plan.layers[layer].levels);
        let gained = |layer| (layer, curve(&self.after, layer).change_from(&curve(&self.before, layer), range.clone()));
        Some(self.before.differs_in_levels(&self.after)?.into_iter().map(gained).collect())
    }
}

/// How often a change is made again because another one came in between.
const MOST_TRIES: usize = 12;

impl Studio {
    /// A person changes a cut that showed revision `seen`; the revision that is shown then.
    ///
    /// # Errors
    /// [`Code::Stale`] where something else is shown by now, what the change says, or what the database says.
    pub async fn change(&self, id: Uuid, seen: u32, change: Change) -> Result<u32, Problem> {
        self.commit(id, Some(seen), Said::Change(change)).await
    }

    /// Something comes into a cut, on top of whatever is there; the revision that is shown then.
    ///
    /// # Errors
    /// What does not fit, or what the database says.
    pub async fn arrive(&self, id: Uuid, arrival: Arrival) -> Result<u32, Problem> {
        self.commit(id, None, Said::Arrival(arrival)).await
    }

    async fn commit(&self, id: Uuid, seen: Option<u32>, said: Said) -> Result<u32, Problem> {
        for last in (0..MOST_TRIES).map(|k| k + 1 == MOST_TRIES) {
            let row = cuts::cut(&self.pool, id).await?;
            if let Some(seen) = seen.filter(|seen| !row.is_seen(*seen)) {
                return Err(Problem::new(Code::Stale, format!("Your page showed revision {seen}, the plan is at {}.", row.revision)));
            }
            match self.commit_on(&row, &said).await {
                // Something came in between, the machine's own plan perhaps: again, on top of that.
                Err(Error::Store(StoreError::Stale)) if !last => {}
                Err(error) => return Err(error.into()),
                Ok(revision) => return Ok(revision),
            }
        }
        unreachable!("the last try returns")
    }

    /// Makes a change of a cut as it is in `row`.
    async fn commit_on(&self, row: &CutRow, said: &Said) -> Result<u32, Error> {
        let current = cuts::current(&self.pool, row).await?;
        let readings = self.readings(&row.setup, &said.needs(&row.setup)).await?;
        // What is wanted is ahead of what the plan was made for while the cut waits for its plan.
        let before = current.cut;
        let mut wanted = Cut { setup: row.setup.clone(), ..before.clone() };
        let effect = said.apply(&mut wanted, &readings)?;
        let what = said.message(&Cut { setup: row.setup.clone(), ..before.clone() });
        let mut work = Vec::new();
        let sounding = match &effect {
            Effect::Unchanged(follows) => {
                if let Some(follows) = follows {
                    jobs::add_once(&self.pool, row.id, follows, self.behalf.person).await?;
                }
                return Ok(row.revision);
            }
            Effect::Note(follows) => {
                work.extend(follows.clone());
                if wanted.plan == before.plan { Sounding::Alike } else { Sounding::As(&wanted) }
            }
            Effect::Replan => {
                work.push(Work::Plan);
                Sounding::Waits
            }
            Effect::Reshape | Effect::Retouch | Effect::Refit => {
                let made = self.computed(&effect, &before, said, &readings).await?;
                let setup = std::mem::replace(&mut wanted.setup, made.setup.clone());
                wanted = Cut { setup, ..made };
                Sounding::As(&wanted)
            }
        };
        if !matches!(effect, Effect::Replan) && wanted.compares_otherwise(&row.setup) {
            work.push(Work::Compare);
        }
        // What arrives was received whole, was made here, or was handed on by somebody who may.
        let brings = matches!(said, Said::Arrival(_));
        let said = serde_json::to_string(said).map_err(StoreError::from)?;
        let commit = Commit { what: &what, said: Some(said), setup: &wanted.setup, sounding, work: &work, by: self.behalf.person, brings };
        Ok(cuts::commit(&self.pool, row, &commit).await?)
    }

    /// What a change of levels would make of a cut that shows revision `seen`; nothing is changed.
    ///
    /// # Errors
    /// [`Code::Stale`], what the change says, a change that takes longer than a hand waits, or what the database says.
    pub async fn try_levels(&self, id: Uuid, seen: u32, change: LevelsChange) -> Result<TriedLevels, Problem> {
        let row = cuts::cut(&self.pool, id).await?;
        let current = cuts::current(&self.pool, &row).await?;
        if current.number != seen || row.base.is_some() {
            return Err(Problem::new(Code::Stale, format!("Your page showed revision {seen}, the plan is at {}.", row.revision)));
        }
        let before = current.cut;
        let said = Said::Change(Change::Levels(change));
        let mut after = before.clone();
        match said.apply(&mut after, &Readings::default())? {
            Effect::Unchanged(_) | Effect::Note(_) => {}
            effect @ Effect::Reshape => after = self.computed(&effect, &before, &said, &Readings::default()).await?,
            _ => return Err(Problem::bad_value("This is heard when it has been made.")),
        }
        Ok(TriedLevels { before: before.plan, after: after.plan })
    }

    /// The state that a change of `before` leads to, computed.
    pub(super) async fn computed(&self, effect: &Effect, before: &Cut, said: &Said, readings: &Readings) -> Result<Cut, Problem> {
        let mut after = before.clone();
        said.apply(&mut after, readings)?;
        let sounds = self.sounds(&after.setup).await?;
        let (effect, before) = (effect.clone(), before.clone());
        self.compute(move || compute(&effect, &before, after, &sounds)).await
    }

    /// Makes the plan that a cut waits for, if it does.
    ///
    /// # Errors
    /// What the database or a sound says.
    pub async fn plan(&self, id: Uuid) -> Result<(), Problem> {
        loop {
            let row = match cuts::cut(&self.pool, id).await {
                Err(StoreError::NoCut) => return Ok(()),
                other => other?,
            };
            if row.base.is_none() {
                return Ok(());
            }
            let current = cuts::current(&self.pool, &row).await?;
            let sounds = self.sounds(&row.setup).await?;
            let wanted = Cut { setup: row.setup.clone(), ..current.cut.clone() };
            let made = self.compute(move || compute(&Effect::Replan, &current.cut, wanted, &sounds)).await?;
            let commit = Commit {
                what: &current.what,
                said: None,
                setup: &made.setup,
                sounding: Sounding::Planned(&made),
                work: &[Work::Compare],
                by: None,
                brings: false,
            };
            match cuts::commit(&self.pool, &row, &commit).await {
                // Another change came first: plan again, on top of it.
                Err(StoreError::Stale) => {}
                other => return Ok(other.map(|_| ())?),
            }
        }
    }
}

/// Why one try of a change came to nothing.
enum Error {
    Store(StoreError),
    Problem(Problem),
}

impl From<StoreError> for Error {
    fn from(cause: StoreError) -> Self {
        Self::Store(cause)
    }
}

impl From<Error> for Problem {
    fn from(error: Error) -> Self {
        match error {
            Error::Store(cause) => cause.into(),
            Error::Problem(problem) => problem,
        }
    }
}

impl From<Problem> for Error {
    fn from(problem: Problem) -> Self {
        Self::Problem(problem)
    }
}

impl From<Refusal> for Error {
    fn from(refusal: Refusal) -> Self {
        Self::Problem(refusal.into())
    }
}
