//! Fitting a bed to a length: which bars to keep, which to leave out, which to play again.
//!
//! A *fitting* is one proposed re-edit. It plays runs of whole bars; between two runs lies a
//! splice from one downbeat to another. `planner` finds the cheapest runs exactly;
//! [`fittings`] makes them exact to the sample: it aligns every splice, and what is then left
//! over goes first into the silence at the end, then into a speed change too small to notice.
//!
//! ```
//! use jaunty_core::{fit::{fittings, FitRequest}, reading::{keep_going, read_bed}, sound::Sound};
//! let bed = Sound::silence(2, 48_000);
//! let read = read_bed(&bed, &mut keep_going()).unwrap();
//! let all = fittings(&bed, &read.reading, &read.likeness, &FitRequest { length_samples: 96_000 });
//! assert_eq!(all[0].length_samples, 96_000);
//! assert!(!all[0].notes.is_empty(), "it says that silence cannot be looped");
//! ```

mod planner;

use crate::reading::{BarLikeness, EndingKind, Reading};
use crate::sound::Source;
use crate::splice::{self, Join};
use crate::units::seconds_from_samples;
use planner::{Arrival, Planner, Taste};
use serde::{Deserialize, Serialize};

/// What is wanted of a fitting.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct FitRequest {
    /// Length of the cut in samples.
    pub length_samples: u64,
}

/// The most that may be left as silence after the ring-out, or cut off it: 0.25 s.
const MOST_SHIFT_SAMPLES: i64 = 12_000;
/// The most that the speed may change.
const MOST_SPEED_CHANGE: f64 = 0.01;
/// A fade-out at the end of a bed that has none of its own: common practice, about 2 s and longer than the fade in.
pub const FADE_OUT_SAMPLES: u64 = 120_000;

/// A run of the bed that is played without interruption.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Piece {
    /// First bar of the bed; a pickup before it belongs to it.
    pub start_bar: usize,
    /// The bar after the last one that begins in this piece.
    pub end_bar: usize,
    /// Sample of the bed at the start of the piece.
    pub source_start_samples: u64,
    /// First sample of the cut.
    pub cut_start_samples: u64,
    /// The sample of the cut after the last.
    pub cut_end_samples: u64,
}

/// A place where playback leaves one point of the bed and goes on at another.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Splice {
    /// The downbeat that is left: the bar before it was the last one heard.
    pub leave_bar: usize,
    /// The downbeat that is entered.
    pub enter_bar: usize,
    /// The downbeat that is left, in samples of the bed.
    pub leave_samples: u64,
    /// The downbeat that is entered, in samples of the bed, as moved by the alignment.
    pub enter_samples: u64,
    /// The downbeat in the cut, in samples. The crossfade ends [`splice::LEAD_SAMPLES`] before it.
    pub at_samples: u64,
    /// How likely the bars on both sides could follow each other, 0 to 1.
    pub goodness: f32,
    /// Whether it may be heard, in the planner's own estimate.
    pub audible: Audible,
    /// The exact join.
    pub join: Join,
    /// Why this splice was chosen, as a sentence.
    pub why: String,
}

/// How much a splice is likely to be noticed. The limits are measured: of joins estimated at 0.9
/// and more, 91 % were good; of those from 0.8 to 0.9, 55 %.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
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
    fn of(goodness: f32) -> Self {
        match goodness {
            g if g >= 0.9 => Self::Silent,
            g if g >= 0.8 => Self::Listen,
            _ => Self::Maybe,
        }
    }
}

/// How a fitting ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub enum FittingEnd {
    /// With the bed's own last hit and ring-out.
    OwnEnding,
    /// With a fade while the music goes on.
    Fade,
    /// The bed is over before the cut is.
    Silence,
}

/// One proposed re-edit of a bed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Fitting {
    /// Length of the cut, which the fitting fills to the sample.
    pub length_samples: u64,
    /// What is played, in order, without holes.
    pub pieces: Vec<Piece>,
    /// The splices between the pieces: one fewer than pieces.
    pub splices: Vec<Splice>,
    /// How it ends.
    pub end: FittingEnd,
    /// The bed's last hit in samples of the cut, when it is kept.
    pub last_hit_samples: Option<u64>,
    /// Samples of the bed per sample of the cut; 1 is the bed's own speed, 1 % the most it differs.
    pub speed: f64,
    /// What the planner pays for it; lower is better.
    pub cost: f32,
    /// What the editor should know about it.
    pub notes: Vec<String>,
}

impl Fitting {
    /// How well this holds, 0 to 100, for comparing beds at a glance: the chance that its worst
    /// splice is a good one, lowered when the bed's own ending is lost or the bed stops early.
    ///
    /// The chance is the share of good joins that the estimate was measured to have on held-back
    /// pieces (91 % at 0.95, 55 % at 0.85, 25 % at 0.75); what an ending is worth is judgement.
    pub fn figure(&self) -> u8 {
        const CHANCE: [(f32, f32); 5] = [(0.5, 0.05), (0.75, 0.25), (0.85, 0.55), (0.95, 0.91), (1.0, 0.97)];
        let chance = |g: f32| match CHANCE.windows(2).find(|w| g <= w[1].0) {
            Some(w) => w[0].1 + (w[1].1 - w[0].1) * ((g - w[0].0) / (w[1].0 - w[0].0)).max(0.0),
            None => 0.97,
        };
        let worst = self.splices.iter().map(|s| chance(s.goodness)).fold(1.0, f32::min);
        let ending = match self.end {
            FittingEnd::OwnEnding => 1.0,
            FittingEnd::Fade => 0.85,
            FittingEnd::Silence => 0.3,
        };
        (100.0 * worst * ending).round() as u8
    }

    /// The sample of the bed that is heard at sample `cut` of the cut by piece `piece`, whose run
    /// is extended beyond its ends for the crossfades.
    pub fn source_position(&self, piece: &Piece, cut: u64) -> f64 {
        piece.source_start_samples as f64 + (cut as f64 - piece.cut_start_samples as f64) * self.speed
    }

    /// Bar lines of the bed as fitted: (sample of the cut, bar of the bed).
    pub fn bar_lines(&self, bed_bar_lines_samples: &[u64]) -> Vec<(u64, usize)> {
        let mut lines = Vec::new();
        for (index, piece) in self.pieces.iter().enumerate() {
            for (bar, &line) in bed_bar_lines_samples.iter().enumerate().take(piece.end_bar).skip(piece.start_bar) {
                let at = piece.cut_start_samples as f64 + (line as f64 - piece.source_start_samples as f64) / self.speed;
                let at = at.round().max(0.0) as u64;
                // The line on a splice belongs to the piece that is entered.
                let end = if index + 1 == self.pieces.len() { self.length_samples } else { piece.cut_end_samples };
                if at < end {
                    lines.push((at, bar));
                }
            }
        }
        lines
    }
}

/// The fittings of a bed to a length, best first; at least one, at most four.
///
/// A bed without at least two bars cannot be re-cut: the one fitting then plays it once, as far
/// as it goes, and says so in its notes.
pub fn fittings(bed: &dyn Source, reading: &Reading, likeness: &BarLikeness, request: &FitRequest) -> Vec<Fitting> {
    let mut found: Vec<Fitting> = Vec::new();
    if reading.bar_count() >= 2 && request.length_samples > 0 {
        for taste in [Taste::BEST, Taste::OWN_ENDING, Taste::FADE, Taste::FEW_SPLICES] {
            let planner = Planner::new(reading, likeness, request.length_samples, taste);
            let Some(arrival) = planner.best() else { continue };
            let fitting = exact(bed, reading, likeness, request, &arrival);
            let same = |other: &Fitting| other.end == fitting.end && runs(other) == runs(&fitting);
            // An alternative with a splice that is likely to be heard is no alternative.
            let poor = fitting.splices.iter().any(|s| s.goodness < 0.6);
            if !found.iter().any(same) && (found.is_empty() || !poor) {
                found.push(fitting);
            }
        }
        found.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    }
    if found.is_empty() {
        found.push(played_once(bed, reading, request));
    }
    found
}

fn runs(fitting: &Fitting) -> Vec<(usize, usize)> {
    fitting.pieces.iter().map(|p| (p.start_bar, p.end_bar)).collect()
}

/// Makes the planned runs exact to the sample.
fn exact(bed: &dyn Source, reading: &Reading, likeness: &BarLikeness, request: &FitRequest, plan: &Arrival) -> Fitting {
    let lines = reading.bar_lines_samples();
    let lead = splice::LEAD_SAMPLES;
    let joins: Vec<Join> = plan.runs.windows(2).map(|w| splice::align(bed, lines[w[0].1], lines[w[1].0])).collect();
    // Source start and length of each piece at the bed's own speed.
    let mut spans: Vec<(u64, u64)> = Vec::new();
    for (index, &(from, to)) in plan.runs.iter().enumerate() {
        let start = match index {
            0 => planner::head_samples(reading),
            _ => (lines[from] as i64 + joins[index - 1].moved_samples).max(lead as i64) as u64 - lead,
        };
        let end = match index + 1 == plan.runs.len() {
            false => lines[to] - lead,
            true if plan.end == FittingEnd::OwnEnding => reading.ending.music_end_samples,
            true => u64::MAX,
        };
        spans.push((start, end.saturating_sub(start)));
    }
    let wanted = request.length_samples;
    let own_ending = plan.end == FittingEnd::OwnEnding;
    let speed = if own_ending { speed_for(spans.iter().map(|s| s.1).sum(), wanted) } else { 1.0 };
    let mut pieces: Vec<Piece> = Vec::new();
    let mut at = 0u64;
    for (&(source_start_samples, length), &(start_bar, end_bar)) in spans.iter().zip(&plan.runs) {
        let last = pieces.len() + 1 == spans.len();
        let cut_end_samples = if last { wanted } else { at + (length as f64 / speed).round() as u64 };
        pieces.push(Piece { start_bar, end_bar, source_start_samples, cut_start_samples: at, cut_end_samples });
        at = cut_end_samples;
    }
    let splices = (1..pieces.len())
        .map(|k| {
            let (leave_bar, enter_bar) = (plan.runs[k - 1].1, plan.runs[k].0);
            let goodness = likeness.could_follow(leave_bar, enter_bar);
            Splice {
                leave_bar,
                enter_bar,
                leave_samples: lines[leave_bar],
                enter_samples: pieces[k].source_start_samples + lead,
                at_samples: pieces[k].cut_start_samples + (lead as f64 / speed).round() as u64,
                goodness,
                audible: Audible::of(goodness),
                join: joins[k - 1],
                why: why(likeness, leave_bar, enter_bar, &joins[k - 1]),
            }
        })
        .collect();
    let mut fitting = Fitting { length_samples: wanted, pieces, splices, end: plan.end, last_hit_samples: None, speed, cost: plan.cost, notes: Vec::new() };
    if own_ending && let Some(last) = fitting.pieces.last() {
        let hit = reading.ending.last_hit_samples;
        let at = last.cut_start_samples as f64 + (hit as f64 - last.source_start_samples as f64) / speed;
        fitting.last_hit_samples = Some(at.round() as u64);
    }
    if reading.confidence.beats < 0.35 {
        fitting.notes.push("The beat of this bed is uncertain: listen to every splice.".into());
    }
    fitting
}

/// The speed that takes up what is left over once the silence at the end has taken its share.
fn speed_for(natural: u64, wanted: u64) -> f64 {
    let leftover = wanted as i64 - natural as i64;
    let rest = leftover - leftover.clamp(-MOST_SHIFT_SAMPLES, MOST_SHIFT_SAMPLES);
    if rest == 0 {
        return 1.0;
    }
    let speed = natural as f64 / (natural as f64 + rest as f64);
    speed.clamp(1.0 - MOST_SPEED_CHANGE, 1.0 + MOST_SPEED_CHANGE)
}

fn why(likeness: &BarLikeness, leave: usize, enter: usize, join: &Join) -> String {
    let distance = leave.abs_diff(enter);
    let place = match distance {
        d if d % 8 == 0 => "the same place of an eight-bar phrase",
        d if d % 4 == 0 => "the same place of a four-bar phrase",
        d if d % 2 == 0 => "the same place of a two-bar phrase",
        _ => "another place of the phrase",
    };
    let alike = if leave < likeness.bar_count() && likeness.of(leave, enter) > 0.75 {
        format!("bar {} sounds like bar {}, which would have come", enter + 1, leave + 1)
    } else {
        format!("elsewhere in the bed a bar like {} is followed by one like {}", leave, enter + 1)
    };
    let moved = match join.moved_samples {
        0 => String::new(),
        n => format!("; moved {:.1} ms {} so that the attacks meet", n.abs() as f64 / 48.0, if n > 0 { "later" } else { "earlier" }),
    };
    format!("{alike}; {place}{moved}")
}

/// The bed once, from its first sound, as far as it goes.
fn played_once(bed: &dyn Source, reading: &Reading, request: &FitRequest) -> Fitting {
    let wanted = request.length_samples;
    let start = reading.music_start_samples.min(bed.len_samples());
    let has = reading.ending.music_end_samples.max(start) - start;
    let (length_s, wanted_s) = (seconds_from_samples(has), seconds_from_samples(wanted));
    let why = match reading.bar_count() {
        0 => "no bars were found in it",
        _ => "it has a single bar",
    };
    let (end, note) = if has >= wanted {
        (FittingEnd::Fade, format!("This bed cannot be re-cut on its beats ({why}): it is played from its start and faded at {wanted_s:.1} s."))
    } else {
        let silence_s = wanted_s - length_s;
        (
            FittingEnd::Silence,
            format!("This bed of {length_s:.1} s cannot be extended ({why}): it is played once and {silence_s:.1} s stay without music. Bring a longer bed."),
        )
    };
    Fitting {
        length_samples: wanted,
        pieces: vec![Piece { start_bar: 0, end_bar: reading.bar_count(), source_start_samples: start, cut_start_samples: 0, cut_end_samples: wanted }],
        splices: Vec::new(),
        end,
        last_hit_samples: (end == FittingEnd::Silence && reading.ending.kind == EndingKind::OwnEnding)
            .then(|| reading.ending.last_hit_samples.saturating_sub(start)),
        speed: 1.0,
        cost: 10.0,
        notes: vec![note],
    }
}
