//! A fitting: its runs and splices.

use jaunty_core::fit::{self, Audible, Fitting, FittingEnd, FittingStart, Term};
use jaunty_core::message::Message;
use jaunty_core::splice::{Law, SpliceAt};
use jaunty_core::units::seconds_from_samples;
use serde::Serialize;
use utoipa::ToSchema;

/// A run of the bed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PieceView {
    /// Start in seconds of the bed.
    pub source_start_s: f64,
    /// End in seconds of the bed.
    pub source_end_s: f64,
    /// Start in seconds of the cut.
    pub cut_start_s: f64,
    /// End in seconds of the cut.
    pub cut_end_s: f64,
    /// Its first bar, from 1.
    pub start_bar: usize,
    /// Its last bar.
    pub end_bar: usize,
}

/// A splice.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SpliceView {
    /// Where both sides meet, in seconds of the cut.
    pub at_s: f64,
    /// The last bar heard before it.
    pub leave_bar: usize,
    /// The bar that comes after it.
    pub enter_bar: usize,
    /// How audible it is likely to be.
    pub audible: Audible,
    /// How hard it is to hear, 0 to 100.
    pub hard_to_hear: u8,
    /// Share of the bed's own bar lines that surprise less, in percent.
    pub surprise_percent: u8,
    /// How likely both sides could follow each other, 0 to 1.
    pub goodness: f32,
    /// Length of the crossfade in ms.
    pub crossfade_ms: f64,
    /// How it crosses.
    pub law: Law,
    /// Whether what is left rings on under what enters.
    pub rings: bool,
    /// How far the entering side was moved later, in ms.
    pub moved_ms: f64,
    /// How much later than the bar line both sides meet, in ms.
    pub later_ms: f64,
    /// Correlation of both sides, -1 to 1.
    pub correlation: f32,
    /// What it costs, the most first.
    pub terms: Vec<Term>,
    /// Why it was chosen.
    pub why: Message,
    /// Whether somebody asked for it or changed it.
    pub by_hand: bool,
    /// Both bar lines, by which it is named.
    pub name: SpliceAt,
}

impl From<&fit::Splice> for SpliceView {
    fn from(splice: &fit::Splice) -> Self {
        Self {
            at_s: seconds_from_samples(splice.meets_samples()),
            leave_bar: splice.leave_bar,
            enter_bar: splice.enter_bar + 1,
            audible: splice.audible,
            hard_to_hear: splice.hard_to_hear(),
            surprise_percent: (100.0 * splice.surprise_rank).round() as u8,
            goodness: splice.goodness,
            crossfade_ms: seconds_from_samples(splice.join.fade_samples) * 1000.0,
            law: splice.join.law,
            rings: splice.join.rings,
            moved_ms: splice.join.moved_samples as f64 / 48.0,
            later_ms: splice.join.later_samples as f64 / 48.0,
            correlation: splice.join.correlation,
            terms: splice.terms.clone(),
            why: splice.why.clone(),
            by_hand: splice.by_hand,
            name: splice.at,
        }
    }
}

/// A fitting to choose from.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FittingView {
    /// What is heard, in a few words.
    pub name: Message,
    /// Why it comes first, or what it gives up that the first one has.
    pub why: Message,
    /// How hard its worst splice is to hear, 0 to 100; none without splices.
    pub worst: Option<u8>,
    /// What the planner pays for it; lower is better.
    pub cost: f32,
    /// How it begins.
    pub start: FittingStart,
    /// Length of a ring-out that we make, in seconds.
    pub ring_out_s: Option<f64>,
    /// Seconds of the bed that are never heard.
    pub left_out_s: f64,
    /// Seconds of the cut in which something is heard again.
    pub repeated_s: f64,
    /// Its runs.
    pub pieces: Vec<PieceView>,
    /// Its splices.
    pub splices: Vec<SpliceView>,
    /// How it ends.
    pub end: FittingEnd,
    /// The last hit in seconds of the cut.
    pub last_hit_s: Option<f64>,
    /// How much faster than the bed it runs, in percent.
    pub speed_change_percent: f64,
    /// What the editor should know.
    pub notes: Vec<Message>,
}

impl FittingView {
    /// The view of a fitting of a bed with so many samples of music.
    pub fn of(fitting: &Fitting, music_samples: u64) -> Self {
        let piece = |p: &fit::Piece| PieceView {
            source_start_s: seconds_from_samples(p.source_start_samples.max(0) as u64),
            source_end_s: p.source_position(p.cut_end_samples) / f64::from(jaunty_core::SAMPLE_RATE_HZ),
            cut_start_s: seconds_from_samples(p.cut_start_samples),
            cut_end_s: seconds_from_samples(p.cut_end_samples),
            start_bar: p.start_bar + 1,
            end_bar: p.end_bar,
        };
        let (heard, repeated) = fitting.heard_and_repeated_samples();
        Self {
            name: fitting.name.clone(),
            why: fitting.why.clone(),
            worst: fitting.worst_splice(),
            cost: fitting.cost,
            start: fitting.start,
            ring_out_s: fitting.ring_out.map(|r| seconds_from_samples(r.length_samples.saturating_sub(r.fed_samples))),
            left_out_s: seconds_from_samples(music_samples.saturating_sub(heard)),
            repeated_s: seconds_from_samples(repeated),
            pieces: fitting.pieces.iter().map(piece).collect(),
            splices: fitting.splices.iter().map(SpliceView::from).collect(),
            end: fitting.end,
            last_hit_s: fitting.last_hit_samples.map(seconds_from_samples),
            speed_change_percent: (fitting.speed - 1.0) * 100.0,
            notes: fitting.notes.clone(),
        }
    }
}
