//! Wishes as somebody says them, one at a time, and takes them back again.

use super::ask::{clock, percent};
use super::wishes::{EndWish, Likings, Passage, Pin, StartWish, WishError, Wishes};
use crate::splice::{SpliceAt, Touch};
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

    /// What it asks for, in words.
    pub fn words(self) -> &'static str {
        match self {
            Self::FewSplices => "as few splices as possible",
            Self::OwnOrder => "sections in their own order",
            Self::Builds => "build to the end",
            Self::QuietUnderSpeech => "quiet under the voice, strong in its gaps",
            Self::NoSingingUnderSpeech => "no singing under the voice",
            Self::DownbeatsOnCuts => "downbeats on picture cuts",
            Self::HitsOnMoments => "strong bars on marked moments",
        }
    }
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
#[derive(Debug, Clone, PartialEq)]
pub enum Wish {
    /// A passage of the bed must sound.
    Keep(Passage),
    /// A passage of the bed must not sound.
    LeaveOut(Passage),
    /// A passage of the bed may sound or not.
    Free(Passage),
    /// A moment of the bed on a moment of the cut.
    Pin(Pin),
    /// A splice must be there, in place of another where one is named.
    Splice(SpliceAt, Option<SpliceAt>),
    /// A splice must not be there.
    NoSplice(SpliceAt),
    /// A splice is changed by hand.
    Touch(Touch),
    /// How it begins.
    Start(StartWish),
    /// How it ends.
    End(EndWish),
    /// Where on the cut the bed lies.
    Place(Option<Passage>),
    /// Bars played at least between two splices.
    LeastRun(usize),
    /// How often a passage may be heard.
    MostPlays(Option<u32>),
    /// The most that the speed may change, as a share.
    SpeedChange(f64),
    /// What is liked better.
    Liking(Liking, bool),
}

/// A wish that stands, for a list of them.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Standing {
    Keep(usize),
    LeaveOut(usize),
    Pin(usize),
    Splice(usize),
    NoSplice(usize),
    Touch(usize),
    Start,
    End,
    Place,
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
            Wish::Pin(pin) => {
                // A pin dropped where another is moves that one.
                next.pins.retain(|p| p.bed_samples != pin.bed_samples && p.cut_samples != pin.cut_samples);
                next.pins.push(pin);
                next.pins.sort_by_key(|p| p.cut_samples);
            }
            Wish::Splice(splice, instead) => {
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
            Wish::Place(place) => next.place = place,
            Wish::LeastRun(bars) => next.least_run_bars = bars,
            Wish::MostPlays(plays) => next.most_plays = plays,
            Wish::SpeedChange(share) => next.most_speed_change = share,
            Wish::Liking(liking, on) => *next.likings.of(liking) = on,
        }
        next.check()?;
        *self = next;
        Ok(())
    }

    fn standing(&self) -> Vec<Standing> {
        let mut all: Vec<Standing> = Vec::new();
        all.extend(self.place.map(|_| Standing::Place));
        all.extend((self.start != StartWish::Free).then_some(Standing::Start));
        all.extend((self.end != EndWish::Free).then_some(Standing::End));
        all.extend((0..self.keep.len()).map(Standing::Keep));
        all.extend((0..self.leave_out.len()).map(Standing::LeaveOut));
        all.extend((0..self.pins.len()).map(Standing::Pin));
        all.extend((0..self.splices.len()).map(Standing::Splice));
        all.extend((0..self.no_splices.len()).map(Standing::NoSplice));
        all.extend((0..self.touches.len()).map(Standing::Touch));
        all
    }

    /// Every wish that can be taken back, in words.
    pub fn said(&self) -> Vec<String> {
        let passage = |p: &Passage| format!("{} to {}", clock(p.start_samples), clock(p.end_samples));
        let splice = |s: &SpliceAt| format!("from {} to {} of the bed", clock(s.leave_samples), clock(s.enter_samples));
        let at = |s: Option<u64>| s.map_or(String::new(), |s| format!(" at {} of the bed", clock(s)));
        self.standing()
            .into_iter()
            .map(|standing| match standing {
                Standing::Keep(k) => format!("keep {} of the bed", passage(&self.keep[k])),
                Standing::LeaveOut(k) => format!("leave {} of the bed out", passage(&self.leave_out[k])),
                Standing::Pin(k) => format!("{} of the bed on {} of the cut", clock(self.pins[k].bed_samples), clock(self.pins[k].cut_samples)),
                Standing::Splice(k) => format!("splice {}", splice(&self.splices[k])),
                Standing::NoSplice(k) => format!("no splice {}", splice(&self.no_splices[k])),
                Standing::Touch(k) => format!("splice {} changed by hand", splice(&self.touches[k].splice)),
                Standing::Start => match self.start {
                    StartWish::Free => String::new(),
                    StartWish::Top => "start from the top".into(),
                    StartWish::Cold { at_samples } => format!("cold start{}", at(at_samples)),
                    StartWish::FadeIn { at_samples } => format!("fade in{}", at(at_samples)),
                },
                Standing::End => match self.end {
                    EndWish::Free => String::new(),
                    EndWish::OwnEnding { hit_samples: None } => "its own ending".into(),
                    EndWish::OwnEnding { hit_samples: Some(hit) } => format!("its last hit on {} of the cut", clock(hit)),
                    EndWish::Stop { ring_out_samples: None } => "stop on a downbeat and ring out".into(),
                    EndWish::Stop { ring_out_samples: Some(ring) } => format!("stop on a downbeat and ring out for {}", clock(ring)),
                    EndWish::Fade => "fade out".into(),
                },
                Standing::Place => match self.place {
                    Some(p) if p.end_samples == Passage::OPEN_END => format!("the bed lies from {} of the cut on", clock(p.start_samples)),
                    Some(p) => format!("the bed lies on {} of the cut", passage(&p)),
                    None => String::new(),
                },
            })
            .collect()
    }

    /// The number of pin `pin` in [`Wishes::said`].
    pub fn number_of_pin(&self, pin: usize) -> Option<usize> {
        self.standing().iter().position(|standing| matches!(standing, Standing::Pin(k) if *k == pin))
    }

    /// Whether the wish of a number in [`Wishes::said`] changes a splice by hand and leaves the rest as it is.
    pub fn is_touch(&self, index: usize) -> bool {
        matches!(self.standing().get(index), Some(Standing::Touch(_)))
    }

    /// Takes the wish of a number in [`Wishes::said`] back; `false` if there is none.
    pub fn take_back(&mut self, index: usize) -> bool {
        let Some(standing) = self.standing().get(index).copied() else { return false };
        match standing {
            Standing::Keep(k) => drop(self.keep.remove(k)),
            Standing::LeaveOut(k) => drop(self.leave_out.remove(k)),
            Standing::Pin(k) => drop(self.pins.remove(k)),
            Standing::Splice(k) => drop(self.splices.remove(k)),
            Standing::NoSplice(k) => drop(self.no_splices.remove(k)),
            Standing::Touch(k) => drop(self.touches.remove(k)),
            Standing::Start => self.start = StartWish::Free,
            Standing::End => self.end = EndWish::Free,
            Standing::Place => self.place = None,
        }
        true
    }

    /// The settings that are always there, in words, for what is undone.
    pub fn settings(&self) -> String {
        let plays = self.most_plays.map_or("as often as it takes".into(), |n| format!("at most {n} times"));
        format!("at least {} bars between splices, heard {plays}, speed within {}", self.least_run_bars, percent(self.most_speed_change))
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
        w.say(Wish::Pin(Pin { bed_samples: 5, cut_samples: 9 })).unwrap();
        w.say(Wish::Pin(Pin { bed_samples: 5, cut_samples: 12 })).unwrap();
        w.say(Wish::End(EndWish::Fade)).unwrap();
        assert_eq!(w.said().len(), 3, "{:?}", w.said());
        assert!(w.said()[0].contains("fade") && w.said()[2].contains("on 0:00.0"));
        assert!(!w.take_back(3) && w.take_back(2) && w.take_back(0) && w.take_back(0));
        assert_eq!(w, Wishes::default());
    }

    #[test]
    fn nonsense_is_refused_and_changes_nothing() {
        let mut w = Wishes::default();
        assert_eq!(w.say(Wish::Keep(p(5, 5))), Err(WishError::EmptyPassage));
        assert_eq!(w.say(Wish::SpeedChange(f64::NAN)), Err(WishError::Speed));
        assert_eq!(w.say(Wish::LeastRun(0)), Err(WishError::LeastRun));
        assert_eq!(w.say(Wish::MostPlays(Some(0))), Err(WishError::MostPlays));
        for k in 0..super::super::MOST_MUSTS as u64 {
            w.say(Wish::Keep(p(1000 * k, 1000 * k + 10))).unwrap();
        }
        assert!(matches!(w.say(Wish::Keep(p(90_000, 90_001))), Err(WishError::TooMany(_))));
    }
}
