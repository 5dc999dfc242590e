//! Of splices: why each was chosen, and what the terms of its price are about.

use crate::fit::planner::{About, Judged};
use jaunty_reading::reading::{BarLikeness, Reading};
use jaunty_sound::splice::Join;
use jaunty_units::message::{Fact, Message};
use jaunty_units::units::seconds_from_samples;
use jaunty_units::{SAMPLE_RATE_HZ, message};

pub(in crate::fit) fn why_spliced(reading: &Reading, likeness: &BarLikeness, judged: &Judged, (leave, enter): (usize, usize), join: &Join) -> Message {
    let mut clauses = match likeness.sequel_rank(leave, enter).filter(|_| judged.is_sequel) {
        Some(rank) => vec![message!("splice.sequel", less = Fact::figure(100.0 * f64::from(rank), 0))],
        None => vec![
            if leave < likeness.bar_count() && likeness.of(leave, enter) > 0.75 {
                message!("splice.soundsLike", bar = enter + 1, like = leave + 1)
            } else {
                message!("splice.followsLike", bar = leave, next = enter + 1)
            },
            match leave.abs_diff(enter) {
                d if d % 8 == 0 => message!("splice.samePlace", bars = 8usize),
                d if d % 4 == 0 => message!("splice.samePlace", bars = 4usize),
                d if d % 2 == 0 => message!("splice.samePlace", bars = 2usize),
                _ => message!("splice.otherPlace"),
            },
        ],
    };
    let half_beats = (2.0 * join.later_samples as f64 * reading.tempo_bpm / 60.0 / f64::from(SAMPLE_RATE_HZ)).round() as i64;
    let far = match half_beats.unsigned_abs() {
        1 => message!("splice.far.half"),
        n if n % 2 == 0 => message!("splice.far.whole", n = n / 2),
        n => message!("splice.far.andAHalf", n = n / 2),
    };
    match half_beats {
        0 => {}
        1.. => clauses.push(message!("splice.meetsAfter", far = far)),
        _ => clauses.push(message!("splice.meetsBefore", far = far)),
    }
    let ms = Fact::figure(seconds_from_samples(join.moved_samples.unsigned_abs()) * 1000.0, 1);
    match join.moved_samples {
        0 => {}
        1.. => clauses.push(message!("splice.movedLater", ms = ms)),
        _ => clauses.push(message!("splice.movedEarlier", ms = ms)),
    }
    if join.rings {
        clauses.push(message!("splice.rings"));
    }
    message!("splice.why", clauses = Fact::Clauses(clauses))
}

impl About {
    /// What it is about.
    pub(in crate::fit) fn message(self) -> Message {
        match self {
            Self::SungLine => message!("splice.term.sungLine"),
            Self::ChangeOfSound => message!("splice.term.changeOfSound"),
            Self::HeardAgain => message!("splice.term.heardAgain"),
            Self::FarApart => message!("splice.term.farApart"),
            Self::Tempo => message!("splice.term.tempo"),
            Self::StepInLevel => message!("splice.term.stepInLevel"),
            Self::BetweenSections => message!("splice.term.betweenSections"),
            Self::Likeness => message!("splice.term.likeness"),
            Self::PlaceInPhrase => message!("splice.term.placeInPhrase"),
            Self::GoesOn => message!("splice.term.goesOn"),
            Self::OtherPhrase => message!("splice.term.otherPhrase"),
        }
    }
}
