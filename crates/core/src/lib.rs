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

pub mod check;
pub mod cut;
pub mod digest;
pub mod fit;
pub mod handover;
pub mod kind;
pub mod message;
pub mod mix;
pub mod picture;
pub mod plan;
pub mod reading;
pub mod shape;
pub mod sound;
pub mod speech;
pub mod splice;
pub mod terms;
pub mod units;
pub mod voice;

/// The one sample rate of the inside, in Hz. Every sound is brought to it when it comes in, so
/// that a position means the same in a bed, a narration and the mix.
pub const SAMPLE_RATE_HZ: u32 = 48_000;
