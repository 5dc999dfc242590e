//! A fitting: runs of the bed one after the other, with a splice between each two.

use super::wishes::Passage;
use jaunty_reading::reading::Reading;
use jaunty_sound::splice::{Join, RingOut, SpliceAt};
use jaunty_units::message::Message;
use serde::{Deserialize, Serialize};

/// A fade-out at the end of a bed that has none of its own: common practice, about 2 s and longer than the fade in.
pub const FADE_OUT_SAMPLES: u64 = 120_000;

/// A place inside a piece from which on it runs at another speed: a pin.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Bend {
    /// Sample of the cut.
    pub cut_samples: u64,
    /// Sample of the bed that is heard there.
    pub source_samples: u64,
    /// Samples of the bed per sample of the cut from there on.
    pub speed: f64,
}

fn own_speed() -> f64 {
    1.0
}

/// A run of the bed that is played without interruption.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Piece {
    /// First bar of the bed; a pickup before it belongs to it.
    pub start_bar: usize,
    /// The bar after the last one that begins in this piece.
    pub end_bar: usize,
    /// Sample of the bed at the start of the piece; before its beginning where a loop goes round.
    pub source_start_samples: i64,
    /// First sample of the cut.
    pub cut_start_samples: u64,
    /// The sample of the cut after the last.
    pub cut_end_samples: u64,
    /// Samples of the bed per sample of the cut; 1 is the bed's own speed.
    #[serde(default = "own_speed")]
    pub speed: f64,
    /// Places from which on the speed is another, rising.
    #[serde(default)]
    pub bends: Vec<Bend>,
}

impl Piece {
    /// The stretches of one speed, as sample of the cut, sample of the bed, speed.
    fn stretches(&self) -> impl DoubleEndedIterator<Item = (f64, f64, f64)> + '_ {
        let first = (self.cut_start_samples as f64, self.source_start_samples as f64, self.speed);
        std::iter::once(first).chain(self.bends.iter().map(|b| (b.cut_samples as f64, b.source_samples as f64, b.speed)))
    }

    /// The sample of the bed that is heard at sample `cut` of the cut, also beyond the piece's own
    /// ends, where crossfades need it.
    pub fn source_position(&self, cut: u64) -> f64 {
        let at = cut as f64;
        let (from, source, speed) =
            self.stretches().rev().find(|s| s.0 <= at).unwrap_or((self.cut_start_samples as f64, self.source_start_samples as f64, self.speed));
        source + (at - from) * speed
    }

    /// The sample of the cut at which sample `source` of the bed is heard.
    pub fn cut_position(&self, source: f64) -> f64 {
        let (from, there, speed) =
            self.stretches().rev().find(|s| s.1 <= source).unwrap_or((self.cut_start_samples as f64, self.source_start_samples as f64, self.speed));
        from + (source - there) / speed
    }

    /// The sample of the cut at or after `cut` from which on the speed is another.
    pub fn next_bend(&self, cut: u64) -> Option<u64> {
        self.bends.iter().map(|b| b.cut_samples).find(|at| *at > cut)
    }

    /// Speed at sample `cut` of the cut.
    pub fn speed_at(&self, cut: u64) -> f64 {
        self.stretches().rev().find(|s| s.0 <= cut as f64).map_or(self.speed, |s| s.2)
    }
}

/// One term of what a splice costs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct Term {
    /// What it is about.
    pub name: Message,
    /// What it costs; below 0 it speaks for the splice.
    pub cost: f32,
}

/// A place where playback leaves one point of the bed and goes on at another.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Splice {
    /// The downbeat that is left: the bar before it was the last one heard.
    pub leave_bar: usize,
    /// The downbeat that is entered.
    pub enter_bar: usize,
    /// Both bar lines, by which wishes name the splice.
    pub at: SpliceAt,
    /// The downbeat that is left, in samples of the bed.
    pub leave_samples: u64,
    /// The downbeat that is entered, in samples of the bed, as moved by the alignment.
    pub enter_samples: u64,
    /// The downbeat in the cut, in samples.
    pub at_samples: u64,
    /// How likely the bars on both sides could follow each other, 0 to 1.
    pub goodness: f32,
    /// Whether another phrase goes on there, not a repeat of what would have come.
    #[serde(default)]
    pub is_sequel: bool,
    /// Whether it may be heard, in the planner's own estimate.
    pub audible: Audible,
    /// Share of the bed's own bar lines at which the spectrum changes less than here, 0 to 1.
    #[serde(default)]
    pub surprise_rank: f32,
    /// The exact join.
    pub join: Join,
    /// What it costs, the most first.
    #[serde(default)]
    pub terms: Vec<Term>,
    /// Why this splice was chosen, as a sentence.
    pub why: Message,
    /// Whether somebody asked for it or changed it.
    #[serde(default)]
    pub by_hand: bool,
}

impl Splice {
    /// Where in the cut both sides meet, in samples; the crossfade ends [`jaunty_sound::splice::LEAD_SAMPLES`] before it.
    pub fn meets_samples(&self) -> u64 {
        self.at_samples.saturating_add_signed(self.join.later_samples)
    }

    /// Where both sides meet in the bed, in samples: the leaving one, and the entering one as moved by the alignment.
    pub fn sides_meet_samples(&self) -> [u64; 2] {
        [self.leave_samples, self.enter_samples].map(|line| line.saturating_add_signed(self.join.later_samples))
    }

    /// How hard it is to hear, 0 (everybody will) to 100.
    ///
    /// Two measurements make it. The chance that the bar that comes is right, in pitch and drums, which held on pieces
    /// that it was not fitted on: of splices called .9 and more 97 % were, of .8 to .9 81 %, of .7 to .8 73 %. And the
    /// change of the spectrum at the splice is ranked among the bed's own bar lines: up to their 75th percentile it takes
    /// nothing off, and three tenths when it surprises more than all of them. What a sequel counts for is judgement: no
    /// truth tells how often one passes.
    pub fn hard_to_hear(&self) -> u8 {
        let surprising = ((self.surprise_rank - 0.75) / 0.25).clamp(0.0, 1.0);
        (100.0 * self.goodness * (1.0 - 0.3 * surprising)).round() as u8
    }
}

/// How much a splice is likely to be noticed. The limits are measured: of splices whose chance was called 0.9 and more,
/// 97 % were right; of those from 0.8 to 0.9, 81 %.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Audible {
    /// Nobody should notice.
    Silent,
    /// Worth a listen.
    Listen,
    /// This may be heard.
    Maybe,
}

impl Audible {
    pub(super) fn of(goodness: f32) -> Self {
        match goodness {
            g if g >= 0.9 => Self::Silent,
            g if g >= 0.8 => Self::Listen,
            _ => Self::Maybe,
        }
    }
}

/// How a fitting begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum FittingStart {
    /// From the top.
    #[default]
    Top,
    /// At full level on a downbeat.
    Cold,
    /// Faded in.
    FadeIn,
}

/// How a fitting ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum FittingEnd {
    /// With the bed's own last hit and ring-out.
    OwnEnding,
    /// With the fade that the bed has.
    OwnFade,
    /// On a downbeat, with a ring-out that we make.
    Stop,
    /// With a fade while the music goes on.
    Fade,
    /// The bed is over before the cut is.
    Silence,
}

impl FittingEnd {
    /// Whether the cut closes as the bed does.
    pub fn is_the_beds(self) -> bool {
        matches!(self, Self::OwnEnding | Self::OwnFade)
    }
}

/// One proposed re-edit of a bed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Fitting {
    /// Where on the cut the bed's place begins.
    #[serde(default)]
    pub start_samples: u64,
    /// Length of the place, which the fitting fills to the sample.
    pub length_samples: u64,
    /// What is played, in order, without holes.
    pub pieces: Vec<Piece>,
    /// The splices between the pieces: one fewer than pieces.
    pub splices: Vec<Splice>,
    /// How it begins.
    #[serde(default)]
    pub start: FittingStart,
    /// How it ends.
    pub end: FittingEnd,
    /// The last hit in samples of the cut, when there is one.
    pub last_hit_samples: Option<u64>,
    /// The ring-out that we make, when there is one.
    #[serde(default)]
    pub ring_out: Option<RingOut>,
    /// Samples of the bed per sample of the cut where that differs most from 1.
    pub speed: f64,
    /// What the planner pays for it; lower is better.
    pub cost: f32,
    /// What is heard, in a few words that no other fitting beside it has.
    #[serde(default)]
    pub name: Message,
    /// Why it comes first, or what it gives up that the first one has; one line.
    #[serde(default)]
    pub why: Message,
    /// What the editor should know about it.
    pub notes: Vec<Message>,
}

/// A bar line of a bed as it lies on the cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BarLine {
    /// Where, in samples of the cut.
    pub at_samples: u64,
    /// The bar of the bed that begins there, from 0.
    pub bar: usize,
    /// The section of the bed that is heard to begin there, from 0.
    pub section: Option<usize>,
}

impl Fitting {
    /// The sample of the cut after the last.
    pub fn end_samples(&self) -> u64 {
        self.start_samples + self.length_samples
    }

    /// How well this holds, 0 to 100, for comparing beds at a glance: how hard its worst splice is
    /// to hear ([`Splice::hard_to_hear`]), lowered when the bed's own ending is lost or the bed
    /// stops early. What an ending is worth is judgement.
    pub fn figure(&self) -> u8 {
        let ending = match self.end {
            FittingEnd::OwnEnding => 1.0,
            FittingEnd::OwnFade => 0.95,
            FittingEnd::Stop => 0.92,
            FittingEnd::Fade => 0.85,
            FittingEnd::Silence => 0.3,
        };
        (f32::from(self.worst_splice().unwrap_or(100)) * ending).round() as u8
    }

    /// Samples of the bed that are heard, each counted once, and samples that are heard again.
    pub fn heard_and_repeated_samples(&self) -> (u64, u64) {
        let mut passages = self.heard_passages();
        passages.sort_by_key(|p| p.start_samples);
        let (mut heard, mut all, mut until) = (0, 0, 0);
        for p in passages {
            all += p.end_samples.saturating_sub(p.start_samples);
            heard += p.end_samples.saturating_sub(p.start_samples.max(until));
            until = until.max(p.end_samples);
        }
        (heard, all - heard)
    }

    /// Share of the time in which `other` plays the same moment of the bed, 0 to 1.
    pub fn agreement(&self, other: &Self) -> f32 {
        /// Half a second.
        const STEP: usize = 24_000;
        /// Nearer than this is the same moment: 50 ms.
        const SAME_SAMPLES: f64 = 2400.0;
        let at = |fitting: &Self, time: u64| {
            let piece = fitting.pieces.iter().find(|p| (p.cut_start_samples..p.cut_end_samples).contains(&time));
            piece.map(|p| p.source_position(time))
        };
        let times = || (self.start_samples..self.end_samples()).step_by(STEP);
        let same = times().filter(|&t| matches!((at(self, t), at(other, t)), (Some(a), Some(b)) if (a - b).abs() < SAME_SAMPLES)).count();
        same as f32 / times().count().max(1) as f32
    }

    /// How hard its worst splice is to hear; `None` without splices.
    pub fn worst_splice(&self) -> Option<u8> {
        self.splices.iter().map(Splice::hard_to_hear).min()
    }

    /// Bar lines of the bed as fitted: (sample of the cut, bar of the bed).
    pub fn bar_lines(&self, bed_bar_lines_samples: &[u64]) -> Vec<(u64, usize)> {
        let mut lines = Vec::new();
        for (index, piece) in self.pieces.iter().enumerate() {
            // The bars of the last piece go on as far as it sounds.
            let last = index + 1 == self.pieces.len();
            let bars = if last { bed_bar_lines_samples.len() } else { piece.end_bar };
            let end = match (&self.ring_out, last) {
                (Some(ring), true) => ring.stop_samples(),
                _ => piece.cut_end_samples,
            };
            for (bar, &line) in bed_bar_lines_samples.iter().enumerate().take(bars).skip(piece.start_bar) {
                let at = piece.cut_position(line as f64).round();
                // The line on a splice belongs to the piece that is entered.
                if at >= 0.0 && (at as u64) < end {
                    lines.push((at as u64, bar));
                }
            }
        }
        lines
    }

    /// The bar lines of the bed as fitted, with the sections that are heard to begin on them.
    pub fn counted_bar_lines(&self, reading: &Reading) -> Vec<BarLine> {
        let section_at = |bar: usize| reading.sections.iter().position(|s| (s.start_bar..s.end_bar).contains(&bar));
        let mut last = None;
        let lines = self.bar_lines(&reading.bar_lines_samples()).into_iter();
        lines
            .map(|(at_samples, bar)| {
                let section = section_at(bar);
                // One begins where it begins in the bed, and where a splice enters the middle of another.
                let begins = section.is_some_and(|k| reading.sections[k].start_bar == bar) || section != last;
                last = section;
                BarLine { at_samples, bar, section: section.filter(|_| begins) }
            })
            .collect()
    }

    /// Passages of the bed that are heard, as samples of it, in the order in which they are played.
    pub fn heard_passages(&self) -> Vec<Passage> {
        self.pieces
            .iter()
            .enumerate()
            .map(|(k, piece)| {
                let end = match (&self.ring_out, k + 1 == self.pieces.len()) {
                    (Some(ring), true) => ring.stop_samples(),
                    _ => piece.cut_end_samples,
                };
                Passage { start_samples: piece.source_start_samples.max(0) as u64, end_samples: piece.source_position(end).round().max(0.0) as u64 }
            })
            .collect()
    }
}
