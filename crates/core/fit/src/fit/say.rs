//! Wishes as somebody says them, one at a time, and takes them back again.

use super::bed::HEAD_SAMPLES;
use super::wishes::{EndWish, Likings, Passage, Pin, StartWish, WishError, Wishes};
use jaunty_sound::splice::{SpliceAt, Touch};
use serde::{Deserialize, Serialize};

/// A liking that is on or off.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Liking {
    /// As few splices as possible.
    FewSplices,
    /// Sections in their own order.
    OwnOrder,
    /// Growing towards the end.
    Builds,
    /// Sparse passages under the speech, strong ones in its gaps.
    QuietUnderSpeech,
    /// No singing under the speech.
    NoSingingUnderSpeech,
    /// Downbeats on picture cuts.
    DownbeatsOnCuts,
    /// Strong downbeats on marked moments.
    HitsOnMoments,
}

impl Liking {
    /// All, in the order in which they are offered.
    pub const ALL: [Self; 7] =
        [Self::QuietUnderSpeech, Self::NoSingingUnderSpeech, Self::DownbeatsOnCuts, Self::HitsOnMoments, Self::FewSplices, Self::OwnOrder, Self::Builds];
}

impl Likings {
    /// The place of one liking.
    pub fn of(&mut self, liking: Liking) -> &mut bool {
        match liking {
            Liking::FewSplices => &mut self.few_splices,
            Liking::OwnOrder => &mut self.own_order,
            Liking::Builds => &mut self.builds,
            Liking::QuietUnderSpeech => &mut self.quiet_under_speech,
            Liking::NoSingingUnderSpeech => &mut self.no_singing_under_speech,
            Liking::DownbeatsOnCuts => &mut self.downbeats_on_cuts,
            Liking::HitsOnMoments => &mut self.hits_on_moments,
        }
    }
}

/// One wish.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "what", rename_all = "camelCase")]
pub enum Wish {
    /// A passage of the bed must sound.
    Keep(Passage),
    /// A passage of the bed must not sound.
    LeaveOut(Passage),
    /// A passage of the bed may sound or not.
    Free(Passage),
    /// Nothing that is sung may sound, or it may.
    LeaveOutSinging {
        /// Whether.
        on: bool,
    },
    /// A moment of the bed on a moment of the cut.
    Pin(Pin),
    /// A splice must be there, in place of another where one is named.
    Splice {
        /// Which.
        splice: SpliceAt,
        /// In place of this one.
        instead: Option<SpliceAt>,
    },
    /// A splice must not be there: the next best place is taken.
    NoSplice(SpliceAt),
    /// A splice is changed by hand.
    Touch(Touch),
    /// How it begins.
    Start(StartWish),
    /// How it ends.
    End(EndWish),
    /// Where on the cut the bed lies; all over it without a start.
    #[serde(rename_all = "camelCase")]
    Place {
        /// From.
        start_samples: Option<u64>,
        /// To; to the end of the cut without one.
        end_samples: Option<u64>,
    },
    /// Bars played at least between two splices.
    LeastRun {
        /// 1 to 32.
        bars: usize,
    },
    /// How often a passage may be heard; as often as it takes without a number.
    MostPlays {
        /// 1 to 100.
        times: Option<u32>,
    },
    /// The most that the speed may change.
    SpeedChange {
        /// As a share, 0 to 0.02.
        share: f64,
    },
    /// What is liked better.
    Liking {
        /// Which.
        liking: Liking,
        /// Whether.
        on: bool,
    },
}

impl Wish {
    /// The places of bed and cut that it names, in samples.
    pub fn places(&self) -> Vec<u64> {
        match *self {
            Self::Keep(p) | Self::LeaveOut(p) | Self::Free(p) => vec![p.start_samples, p.end_samples],
            Self::Pin(pin) => vec![pin.bed_samples, pin.cut_samples],
            Self::Splice { splice, .. } | Self::NoSplice(splice) => vec![splice.leave_samples, splice.enter_samples],
            Self::Start(StartWish::Cold { at_samples } | StartWish::FadeIn { at_samples }) => at_samples.into_iter().collect(),
            Self::End(EndWish::OwnEnding { hit_samples: at } | EndWish::Stop { ring_out_samples: at }) => at.into_iter().collect(),
            Self::Place { start_samples, end_samples } => start_samples.into_iter().chain(end_samples).collect(),
            _ => Vec::new(),
        }
    }
}

/// A wish that stands, named by what it is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "what", rename_all = "camelCase")]
pub enum Standing {
    /// Where on the cut the bed lies.
    Place,
    /// How it begins.
    Start,
    /// How it ends.
    End,
    /// A passage of the bed that must sound.
    #[serde(rename_all = "camelCase")]
    Keep {
        /// Its first sample.
        start_samples: u64,
    },
    /// A passage of the bed that must not sound.
    #[serde(rename_all = "camelCase")]
    LeaveOut {
        /// Its first sample.
        start_samples: u64,
    },
    /// Nothing that is sung.
    Singing,
    /// A pin.
    #[serde(rename_all = "camelCase")]
    Pin {
        /// Sample of the cut.
        cut_samples: u64,
    },
    /// A splice that must be there.
    Splice(SpliceAt),
    /// A splice that must not be there.
    NoSplice(SpliceAt),
    /// A splice that was changed by hand.
    Touch(SpliceAt),
}

/// `spans` without `cut`.
fn without(spans: &[Passage], cut: &Passage) -> Vec<Passage> {
    spans
        .iter()
        .flat_map(|s| {
            let before = Passage { end_samples: s.end_samples.min(cut.start_samples), ..*s };
            let after = Passage { start_samples: s.start_samples.max(cut.end_samples), ..*s };
            [before, after]
        })
        .filter(|s| s.start_samples < s.end_samples)
        .collect()
}

/// `spans` with `new`, joined with what it touches.
fn with(spans: &[Passage], new: Passage) -> Vec<Passage> {
    let touches = |s: &&Passage| s.start_samples <= new.end_samples && new.start_samples <= s.end_samples;
    let (near, mut rest): (Vec<&Passage>, Vec<&Passage>) = spans.iter().partition(touches);
    let joined =
        near.into_iter().fold(new, |a, b| Passage { start_samples: a.start_samples.min(b.start_samples), end_samples: a.end_samples.max(b.end_samples) });
    rest.push(&joined);
    let mut all: Vec<Passage> = rest.into_iter().copied().collect();
    all.sort_by_key(|s| s.start_samples);
    all
}

impl Wishes {
    /// Takes a wish in. What it contradicts at the same place gives way: the last word counts.
    ///
    /// # Errors
    /// [`WishError`] if it makes no sense; nothing is changed then.
    pub fn say(&mut self, wish: Wish) -> Result<(), WishError> {
        let mut next = self.clone();
        match wish {
            Wish::Keep(p) => {
                next.leave_out = without(&next.leave_out, &p);
                next.keep = with(&next.keep, p);
            }
            Wish::LeaveOut(p) => {
                next.keep = without(&next.keep, &p);
                next.leave_out = with(&next.leave_out, p);
            }
            Wish::Free(p) => {
                next.keep = without(&next.keep, &p);
                next.leave_out = without(&next.leave_out, &p);
            }
            Wish::LeaveOutSinging { on } => next.leave_out_singing = on,
            // What is to lie on the very beginning is how the bed begins: its attack comes a few ms after it, uncut.
            Wish::Pin(pin) if pin.cut_samples <= next.place.map_or(0, |p| p.start_samples) + HEAD_SAMPLES => {
                next.start = StartWish::Cold { at_samples: Some(pin.bed_samples) };
            }
            Wish::Pin(pin) => {
                // A pin dropped where another is moves that one.
                next.pins.retain(|p| p.bed_samples != pin.bed_samples && p.cut_samples != pin.cut_samples);
                next.pins.push(pin);
                next.pins.sort_by_key(|p| p.cut_samples);
            }
            Wish::Splice { splice, instead } => {
                next.splices.retain(|s| Some(*s) != instead && *s != splice);
                next.no_splices.retain(|s| *s != splice);
                next.splices.push(splice);
            }
            Wish::NoSplice(splice) => {
                next.splices.retain(|s| *s != splice);
                next.no_splices.retain(|s| *s != splice);
                next.no_splices.push(splice);
            }
            Wish::Touch(touch) => {
                next.touches.retain(|t| t.splice != touch.splice);
                next.touches.push(touch);
            }
            Wish::Start(start) => next.start = start,
            Wish::End(end) => next.end = end,
            Wish::Place { start_samples, end_samples } => {
                next.place = start_samples.map(|start_samples| Passage { start_samples, end_samples: end_samples.unwrap_or(Passage::OPEN_END) });
            }
            Wish::LeastRun { bars } => next.least_run_bars = bars,
            Wish::MostPlays { times } => next.most_plays = times,
            Wish::SpeedChange { share } => next.most_speed_change = share,
            Wish::Liking { liking, on } => *next.likings.of(liking) = on,
        }
        next.check()?;
        *self = next;
        Ok(())
    }

    /// Every wish that can be taken back.
    pub fn standing(&self) -> Vec<Standing> {
        let mut all: Vec<Standing> = Vec::new();
        all.extend(self.place.map(|_| Standing::Place));
        all.extend((self.start != StartWish::Free).then_some(Standing::Start));
        all.extend((self.end != EndWish::Free).then_some(Standing::End));
        all.extend(self.keep.iter().map(|p| Standing::Keep { start_samples: p.start_samples }));
        all.extend(self.leave_out.iter().map(|p| Standing::LeaveOut { start_samples: p.start_samples }));
        all.extend(self.leave_out_singing.then_some(Standing::Singing));
        all.extend(self.pins.iter().map(|p| Standing::Pin { cut_samples: p.cut_samples }));
        all.extend(self.splices.iter().copied().map(Standing::Splice));
        all.extend(self.no_splices.iter().copied().map(Standing::NoSplice));
        all.extend(self.touches.iter().map(|t| Standing::Touch(t.splice)));
        all
    }

    /// Takes a wish back; whether it stood.
    pub fn take_back(&mut self, standing: &Standing) -> bool {
        if !self.standing().contains(standing) {
            return false;
        }
        match standing {
            Standing::Keep { start_samples } => self.keep.retain(|p| p.start_samples != *start_samples),
            Standing::LeaveOut { start_samples } => self.leave_out.retain(|p| p.start_samples != *start_samples),
            Standing::Singing => self.leave_out_singing = false,
            Standing::Pin { cut_samples } => self.pins.retain(|p| p.cut_samples != *cut_samples),
            Standing::Splice(at) => self.splices.retain(|s| s != at),
            Standing::NoSplice(at) => self.no_splices.retain(|s| s != at),
            Standing::Touch(at) => self.touches.retain(|t| t.splice != *at),
            Standing::Start => self.start = StartWish::Free,
            Standing::End => self.end = EndWish::Free,
            Standing::Place => self.place = None,
        }
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn p(start_samples: u64, end_samples: u64) -> Passage {
        Passage { start_samples, end_samples }
    }

    #[test]
    fn the_last_word_counts_and_everything_can_be_taken_back() {
        let mut w = Wishes::default();
        w.say(Wish::Keep(p(100, 500))).unwrap();
        w.say(Wish::LeaveOut(p(300, 400))).unwrap();
        assert_eq!((w.keep.clone(), w.leave_out.clone()), (vec![p(100, 300), p(400, 500)], vec![p(300, 400)]));
        w.say(Wish::Keep(p(250, 450))).unwrap();
        assert_eq!((w.keep.clone(), w.leave_out.len()), (vec![p(100, 500)], 0));
        w.say(Wish::Pin(Pin { bed_samples: 5, cut_samples: 9_000 })).unwrap();
        w.say(Wish::Pin(Pin { bed_samples: 5, cut_samples: 9_600 })).unwrap();
        w.say(Wish::End(EndWish::Fade)).unwrap();
        let pin = Standing::Pin { cut_samples: 9_600 };
        assert_eq!(w.standing(), [Standing::End, Standing::Keep { start_samples: 100 }, pin]);
        assert!(w.message_of(&Standing::End).unwrap().to_string().contains("fade") && w.message_of(&pin).unwrap().to_string().contains("on 0:00.2"));
        assert_eq!((w.message_of(&Standing::Start), w.take_back(&Standing::Start)), (None, false));
        assert!(w.standing().iter().all(|standing| w.take_back(standing)));
        assert_eq!(w, Wishes::default());
    }

    #[test]
    fn nonsense_is_refused_and_changes_nothing() {
        let mut w = Wishes::default();
        assert_eq!(w.say(Wish::Keep(p(5, 5))), Err(WishError::EmptyPassage));
        w.say(Wish::Pin(Pin { bed_samples: 96_000, cut_samples: 0 })).unwrap();
        assert_eq!(w.start, StartWish::Cold { at_samples: Some(96_000) }, "what lies on the beginning is how it begins");
        assert!(w.pins.iter().all(|p| p.cut_samples > 0));
        assert_eq!(w.say(Wish::SpeedChange { share: f64::NAN }), Err(WishError::Speed));
        assert_eq!(w.say(Wish::LeastRun { bars: 0 }), Err(WishError::LeastRun));
        assert_eq!(w.say(Wish::MostPlays { times: Some(0) }), Err(WishError::MostPlays));
        for k in 0..super::super::MOST_MUSTS as u64 {
            w.say(Wish::Keep(p(1000 * k, 1000 * k + 10))).unwrap();
        }
        assert!(matches!(w.say(Wish::Keep(p(90_000, 90_001))), Err(WishError::TooMany(_))));
    }
}
