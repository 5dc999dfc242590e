//! The computation of Jaunty Bar: every rule of the job, and nothing else.
//!
//! Data flows one way, and every arrow is a pure function from a serialisable value to a
//! serialisable value:
//!
//! ```text
//! sounds -> readings -> request -> fitting -> plan -> sound
//! ```
//!
//! | module | turns | into |
//! |---|---|---|
//! | [`units`] | frame rates, timecode, decibels | exact numbers |
//! | [`picture`] | shots, moments, stills, lists of them | what the cut looks like in time |
//! | [`terms`] | terms of use and the purpose of a cut | whether a bed may be used |
//! | [`sound`] | a source of samples | views, resampled copies |
//! | [`kind`] | a sound | music, speech or room |
//! | [`reading`] | a bed | tempo, beats, bars, sections, ending, likeness of bars |
//! | [`speech`] | a narration | phrases, gaps, loudness |
//! | [`voice`] | takes and the pieces used of them | one narration on the cut |
//! | [`fit`] | a reading and a length | ranked fittings |
//! | [`splice`] | two places of a bed | the exact sample and law of a join |
//! | [`shape`] | fitting, phrases, loudness | level objects, and those into a gain curve |
//! | [`plan`] | the fitted bed, narration and levels | the document that says how a cut sounds |
//! | [`mix`] | a plan and its sounds | samples, for any range |
//! | [`cut`] | what somebody said, and the sounds | the next state of the cut |
//! | [`handover`] | a plan | forms, stems, pieces and levels, cue sheet |
//! | [`message`] | a code with facts | words |
//! | [`check`] | a plan, and what is measured of it | findings |
//!
//! Time is counted in integer samples at [`SAMPLE_RATE_HZ`] and, for the picture, in integer
//! frames at a rational rate. Seconds are for people. The crate does no input or output, starts
//! no threads and knows no clock.
#![forbid(unsafe_code)]
#![deny(missing_docs)]

pub use jaunty_cut::{check, cut, handover};
pub use jaunty_fit::fit;
pub use jaunty_picture::{picture, terms};
pub use jaunty_reading::{kind, reading};
pub use jaunty_shape::{mix, plan, shape};
pub use jaunty_sound::{progress, sound, splice};
pub use jaunty_speech::{speech, voice};
pub use jaunty_units::{SAMPLE_RATE_HZ, digest, message, units};
