//! The film's own sound and ambiences by hand.

use crate::cut::{Cut, Refusal, Setup};
use jaunty_shape::plan::{Lane, lane};
use jaunty_shape::shape::{LevelChange, LevelError, LevelName, LevelObject};
use jaunty_units::message;
use jaunty_units::message::Message;

/// What it is called.
pub(super) fn name(setup: &Setup, lane: &Lane) -> Message {
    match lane {
        Lane::Film => message!("levels.lane.film"),
        Lane::Ambience { sound } => message!("levels.lane.ambience", name = setup.name_of(sound).unwrap_or("?")),
    }
}

/// What was set by hand of it so far.
pub(super) fn by_hand<'a>(setup: &'a mut Setup, lane: &Lane) -> Result<&'a mut Vec<LevelObject>, Refusal> {
    match lane {
        Lane::Film => setup.film.as_mut().map(|f| &mut f.wish.by_hand).ok_or(Refusal::Unknown("film")),
        Lane::Ambience { sound } => setup.ambiences.iter_mut().find(|a| a.hash == *sound).map(|a| &mut a.by_hand).ok_or(Refusal::Unknown("ambience")),
    }
}

/// The level object of that name in a lane that is heard.
pub(super) fn named(cut: &Cut, of: &Lane, name: LevelName) -> Result<LevelObject, Refusal> {
    let place = cut.setup.lane_heard(of).ok_or(Refusal::Unknown("lane"))?;
    let layer = cut.plan.layers.iter().find(|l| of.is(l)).ok_or(Refusal::Unknown("lane"))?;
    lane::settable(layer, place).into_iter().find(|o| name.names(o)).ok_or(LevelError::NoObject.into())
}

/// Passages or fades of it, alike.
pub(super) fn set(cut: &mut Cut, of: &Lane, names: &[LevelName], change: &LevelChange) -> Result<(), Refusal> {
    for name in names {
        let mut object = named(cut, of, *name)?;
        let by_hand = by_hand(&mut cut.setup, of)?;
        lane::give_back(by_hand, &object);
        object.change(change)?;
        by_hand.push(object);
    }
    Ok(())
}

/// A fade goes back to the rule, a passage goes.
pub(super) fn give_back(cut: &mut Cut, of: &Lane, name: LevelName) -> Result<(), Refusal> {
    let object = named(cut, of, name)?;
    lane::give_back(by_hand(&mut cut.setup, of)?, &object);
    Ok(())
}
