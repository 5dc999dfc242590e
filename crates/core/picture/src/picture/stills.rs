//! When the picture may give way: how long stills would have to be held for the bed to be as long
//! as the cut.
//!
//! Good when both are close: 56 s of 8 stills at 7 s become 82 s at 10.25 s each (common practice).

use super::{Moment, Picture, Shot};
use serde::{Deserialize, Serialize};

/// Beyond these factors held stills look hurried or frozen (judgement).
const SENSIBLE: std::ops::RangeInclusive<f64> = 0.6..=1.6;

/// How stills would be held.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Holding {
    /// Length of the cut then, in frames.
    pub length_frames: u64,
    /// By how much each still is held longer; below 1 shorter.
    pub factor: f64,
    /// Length of each shot then, in frames, in order.
    pub shot_frames: Vec<u64>,
    /// Which of the shots are stills.
    pub stills: Vec<bool>,
    /// Mean hold of a still then, in frames.
    pub mean_hold_frames: f64,
    /// Whether that is sensible.
    pub advised: bool,
}

/// How the stills of a picture would have to be held for it to last `length_frames`; `None` when
/// it has no stills or they cannot take it up. Other shots keep their length; what rounding leaves
/// goes to the stills one frame at a time, so that the length is exact.
pub fn hold(picture: &Picture, length_frames: u64) -> Option<Holding> {
    let shots: Vec<(u64, bool)> = picture.shots.iter().map(|s| (s.end_frame.saturating_sub(s.start_frame), s.still)).collect();
    let held: u64 = shots.iter().filter(|s| s.1).map(|s| s.0).sum();
    let other = picture.length_frames.checked_sub(held)?;
    let count = shots.iter().filter(|s| s.1).count() as u64;
    let room = length_frames.checked_sub(other).filter(|r| *r >= count && count > 0 && held > 0)?;
    let factor = room as f64 / held as f64;
    let (mut before, mut given) = (0.0, 0u64);
    let shot_frames = shots
        .iter()
        .map(|&(frames, still)| {
            if !still {
                return frames;
            }
            before += frames as f64 * factor;
            let hold = (before.round() as u64).saturating_sub(given).max(1);
            given += hold;
            hold
        })
        .collect();
    Some(Holding {
        length_frames,
        factor,
        shot_frames,
        stills: shots.iter().map(|s| s.1).collect(),
        mean_hold_frames: room as f64 / count as f64,
        advised: SENSIBLE.contains(&factor),
    })
}

impl Picture {
    /// Takes other lengths of its shots in; what lies in a shot keeps its place in it, moments of a
    /// still in proportion.
    pub fn take_holding(&mut self, holding: &Holding) {
        let mut at = self.shots.first().map_or(0, |s| s.start_frame);
        let mut moved: Vec<(Shot, u64)> = Vec::new();
        for (shot, &frames) in self.shots.iter().zip(&holding.shot_frames) {
            moved.push((Shot { start_frame: at, end_frame: at + frames, ..shot.clone() }, shot.start_frame));
            at += frames;
        }
        let shift = |frame: u64| match self.shots.iter().rposition(|s| s.start_frame <= frame) {
            None => frame,
            Some(k) => {
                let (old, new) = (&self.shots[k], &moved[k].0);
                let share = (frame - old.start_frame) as f64 / (old.end_frame - old.start_frame).max(1) as f64;
                new.start_frame + ((new.end_frame - new.start_frame) as f64 * share).round() as u64
            }
        };
        let moments = self.moments.iter().map(|m| Moment { frame: shift(m.frame).min(holding.length_frames.saturating_sub(1)), ..m.clone() }).collect();
        self.moments = moments;
        self.shots = moved.into_iter().map(|m| m.0).collect();
        self.length_frames = holding.length_frames;
    }
}
