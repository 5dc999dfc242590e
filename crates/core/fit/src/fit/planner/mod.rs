//! The planner: an exact shortest path over (time in the cut, downbeat of the bed).
//!
//! A state stands at downbeat `i` at output time `t`, free to jump. Two transitions exist: a
//! *step* plays bar `i`; a *join* goes on at downbeat `j` and plays the least run from there, so
//! that the state needs no counter of bars since the last join. Every transition moves time
//! forward, so one sweep in rising time is exact up to the time axis, which is kept in buckets of
//! a quarter bar with one exact time each. Bars of one length keep the phase within the bucket that
//! they started with, so a state also knows its *class*: one for each phase that a start has, and
//! one for what follows a pin. On such a bed nothing hides anything else, and the sweep is exact.
//! Passages that must sound and splices that must be there are bits of the state. A pin is taken
//! where a bar covers it: time goes on from the pin as if it had been met exactly, and the mismatch
//! is paid for as the change of speed that takes it out.
//!
//! [`Planner::sweep`] goes once over all times up to the longest length wanted; reading a length
//! off it (`Sweep::best`) looks at the states near its end only.
//!
//! | part | does |
//! |---|---|
//! | `starts`, `ends` | ways to begin and to end, with their costs |
//! | `joins` | splices, and the cheapest few of each bar line |
//! | `play` | what it costs to hear bars at a time |
//! | `sweep` | the pass over all times |

mod ends;
mod joins;
mod play;
mod starts;
mod sweep;

pub use ends::End;
pub use joins::{About, Bars, FAIR_CHANCE, Judged, judge, voice};
pub use play::Played;
pub use starts::{Start, start_samples};
pub use sweep::{Arrival, Planner};

#[cfg(test)]
mod tests;
