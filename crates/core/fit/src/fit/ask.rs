//! Wishes as the planner understands them: bars instead of samples, and what contradicts what.

use super::bed::{HEAD_SAMPLES, MOST_SHIFT_SAMPLES, PlacedPin, closes, head_samples, last_bar};
use super::wishes::{EndWish, Passage, StartWish, Wishes};
use jaunty_reading::reading::{EndingKind, Motion, Reading};
use jaunty_sound::splice::SpliceAt;
use jaunty_units::message;
use jaunty_units::message::{Fact, Message};
use std::cell::OnceCell;
use std::rc::Rc;

/// Which starts may be taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Starts {
    /// From the first sound.
    pub top: bool,
    /// On a later beat of the first bar.
    pub pickup: bool,
    /// On a bar line: on any, or on the one named.
    pub cold: Option<Option<usize>>,
    /// Faded in from a bar line.
    pub fade_in: Option<Option<usize>>,
}

/// Which ends may be taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Ends {
    /// The bed's own.
    pub own: bool,
    /// A stop on a downbeat.
    pub stop: bool,
    /// A fade.
    pub fade: bool,
}

/// One request in the planner's terms.
#[derive(Debug, Clone)]
pub struct Ask {
    /// Length of the place in samples.
    pub wanted: i64,
    /// Bar lines in samples of the bed, one more than bars.
    pub lines: Vec<i64>,
    /// What joins cost by themselves, computed once for all that is asked of these bars.
    pub joins: Rc<OnceCell<Vec<f32>>>,
    /// The bar at which the own ending begins.
    pub last_bar: usize,
    /// Bars played at least between joins.
    pub least_run: usize,
    /// A quarter of a typical bar in samples.
    pub bucket: i64,
    /// Bars that must not sound.
    pub silent: Vec<bool>,
    /// Rank of each bar by level, 0 the quietest to 1.
    pub rank: Vec<f32>,
    /// Bars on which a hit may fall: sections begin, or it fills out.
    pub strong: Vec<bool>,
    /// How likely somebody sings in each bar.
    pub singing: Vec<f32>,
    /// Passages that must sound, first bar and the one after the last.
    pub keep: Vec<(usize, usize)>,
    /// Joins that must be there.
    pub musts: Vec<(usize, usize)>,
    /// Joins that must not.
    pub banned: Vec<(usize, usize)>,
    /// Joins that earlier alternatives have.
    pub used_joins: Vec<(usize, usize)>,
    /// Whether anything may be heard again.
    pub plays_again: bool,
    /// Whether what was heard again is then gone beyond, so that nothing is heard three times in a row.
    pub moves_on: bool,
    /// Pins, rising.
    pub pins: Vec<PlacedPin>,
    /// The most that the speed may change.
    pub most_speed_change: f64,
    /// Starts that may be taken.
    pub starts: Starts,
    /// Ends that may be taken.
    pub ends: Ends,
    /// About how long a stop rings.
    pub ring_out: Option<i64>,
    /// Whether downbeats on cuts or moments are liked.
    pub likes_marks: bool,
}

/// The bar line nearest to a sample.
pub fn nearest_line(lines: &[i64], at: u64) -> usize {
    let at = at as i64;
    let next = lines.partition_point(|line| *line <= at).min(lines.len() - 1);
    match next.checked_sub(1) {
        Some(before) if (at - lines[before]) <= (lines[next] - at) => before,
        _ => next,
    }
}

impl Ask {
    /// The request of `wishes` for a place of `length` samples that begins at sample `place_start` of the cut.
    ///
    /// # Panics
    /// If the reading has fewer than two bars.
    pub fn new(reading: &Reading, wishes: &Wishes, place_start: u64, length: u64) -> Self {
        let bars = reading.bar_count();
        assert!(bars >= 2, "nothing to re-cut");
        let lines: Vec<i64> = reading.bar_lines_samples().iter().map(|&l| l as i64).collect();
        let mut durations: Vec<i64> = lines.windows(2).map(|w| w[1] - w[0]).collect();
        durations.sort_unstable();
        let bucket = (durations[bars / 2] / 4).max(1);
        let last_bar = last_bar(reading, &lines, bucket);
        let line = |at: u64| nearest_line(&lines, at);
        let span = |p: &Passage| (line(p.start_samples).min(bars - 1), line(p.end_samples));
        let silent_spans: Vec<(usize, usize)> = wishes.leave_out.iter().map(span).map(|(a, b)| (a, b.max(a + 1))).collect();
        let sung = |bar: usize| {
            let (from, to) = (lines[bar] as u64, lines[bar + 1] as u64);
            let share = |s: &jaunty_reading::reading::Span| {
                s.end_samples.min(to).saturating_sub(s.start_samples.max(from)) as f32 / (to - from).max(1) as f32 * s.likelihood
            };
            reading.singing.iter().map(share).sum::<f32>().min(1.0)
        };
        // A bar of which a tenth is sung has a word in it; less is the end of one that rings.
        let left_out = |bar: usize| silent_spans.iter().any(|s| (s.0..s.1).contains(&bar)) || wishes.leave_out_singing && sung(bar) > 0.1;
        let silent = (0..bars).map(left_out).collect();
        let keep = wishes.keep.iter().map(span).map(|(a, b)| (a, b.max(a + 1).min(last_bar.max(a + 1)))).collect();
        let join = |s: &SpliceAt| (line(s.leave_samples), line(s.enter_samples).min(bars - 1));
        let mut pins: Vec<PlacedPin> =
            wishes.pins.iter().map(|p| PlacedPin { bed: p.bed_samples as i64, at: p.cut_samples as i64 - place_start as i64 }).collect();
        let own = reading.ending.kind == EndingKind::OwnEnding;
        if let (EndWish::OwnEnding { hit_samples: Some(at) }, true) = (wishes.end, own) {
            pins.push(PlacedPin { bed: reading.ending.last_hit_samples as i64, at: at as i64 - place_start as i64 });
        }
        pins.sort_by_key(|p| p.at);
        let starts = match wishes.start {
            StartWish::Free => Starts { top: true, pickup: true, cold: Some(None), fade_in: None },
            StartWish::Top => Starts { top: true, ..Starts::default() },
            StartWish::Cold { at_samples } => Starts { cold: Some(at_samples.map(line)), ..Starts::default() },
            StartWish::FadeIn { at_samples } => Starts { fade_in: Some(at_samples.map(line)), ..Starts::default() },
        };
        let ends = match wishes.end {
            EndWish::Free => Ends { own: closes(reading, length as i64), stop: true, fade: true },
            // A bed that is cut off has no ending to keep, one that fades no last hit: the wish is named as contradicted.
            EndWish::OwnEnding { hit_samples } => {
                let fades = reading.ending.kind == EndingKind::FadesOut && hit_samples.is_none();
                Ends { own: own || fades, ..Ends::default() }
            }
            EndWish::Stop { .. } => Ends { stop: true, ..Ends::default() },
            EndWish::Fade => Ends { fade: true, ..Ends::default() },
        };
        let ring_out = match wishes.end {
            EndWish::Stop { ring_out_samples } => ring_out_samples.map(|r| (r as i64).max(4800)),
            _ => None,
        };
        let strong = (0..bars)
            .map(|bar| reading.sections.iter().any(|s| s.start_bar == bar) || reading.arcs.iter().any(|a| a.start_bar == bar && a.motion == Motion::FillsOut))
            .collect();
        let likings = wishes.likings;
        Self {
            wanted: length as i64,
            last_bar,
            least_run: wishes.least_run_bars.min((bars / 2).max(1)),
            bucket,
            silent,
            rank: ranks(&reading.bar_levels_db),
            strong,
            singing: (0..bars).map(sung).collect(),
            keep,
            musts: wishes.splices.iter().map(join).collect(),
            banned: wishes.no_splices.iter().map(join).collect(),
            used_joins: Vec::new(),
            plays_again: wishes.most_plays != Some(1),
            moves_on: false,
            pins,
            most_speed_change: wishes.most_speed_change,
            starts,
            ends,
            ring_out,
            likes_marks: likings.downbeats_on_cuts || likings.hits_on_moments,
            lines,
            joins: Rc::default(),
        }
    }

    /// All bits of passages and splices that must be there.
    pub fn full_mask(&self) -> u32 {
        (1 << (self.keep.len() + self.musts.len())) - 1
    }

    /// Whether the last hit has a place of its own.
    pub fn hit_is_pinned(&self) -> bool {
        self.pins.last().is_some_and(|p| p.bed >= self.lines[self.last_bar] - self.bucket)
    }
}

/// Rank of each value, 0 the least to 1.
fn ranks(levels: &[f32]) -> Vec<f32> {
    let mut sorted = levels.to_vec();
    sorted.sort_by(f32::total_cmp);
    let last = (levels.len().max(2) - 1) as f32;
    levels.iter().map(|l| sorted.partition_point(|s| s < l) as f32 / last).collect()
}

/// A wish that can be set aside when it cannot hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Held {
    /// A pin, by its number.
    Pin(usize),
    /// A passage to keep.
    Keep(usize),
    /// A splice by hand.
    Splice(usize),
    /// A passage to leave out.
    LeaveOut(usize),
    /// All that is sung.
    Singing,
    /// Where the last hit falls, or which end.
    End,
    /// How it begins.
    Start,
    /// How often a passage may be heard.
    MostPlays,
}

impl Wishes {
    /// Every wish that could stand in the way, the weakest first.
    pub(super) fn held(&self) -> Vec<Held> {
        let mut all = Vec::new();
        if self.most_plays.is_some() {
            all.push(Held::MostPlays);
        }
        all.extend((0..self.splices.len()).rev().map(Held::Splice));
        if self.start != StartWish::Free {
            all.push(Held::Start);
        }
        if self.end != EndWish::Free {
            all.push(Held::End);
        }
        all.extend((0..self.keep.len()).rev().map(Held::Keep));
        all.extend((0..self.pins.len()).rev().map(Held::Pin));
        all.extend((0..self.leave_out.len()).rev().map(Held::LeaveOut));
        if self.leave_out_singing {
            all.push(Held::Singing);
        }
        all
    }

    /// The wishes without one of them.
    pub(super) fn without(&self, held: Held) -> Self {
        let mut rest = self.clone();
        match held {
            Held::Pin(k) => drop(rest.pins.remove(k)),
            Held::Keep(k) => drop(rest.keep.remove(k)),
            Held::Splice(k) => drop(rest.splices.remove(k)),
            Held::LeaveOut(k) => drop(rest.leave_out.remove(k)),
            Held::Singing => rest.leave_out_singing = false,
            Held::End => rest.end = EndWish::Free,
            Held::Start => rest.start = StartWish::Free,
            Held::MostPlays => rest.most_plays = None,
        }
        rest
    }

    /// Why a wish cannot hold, as a sentence.
    pub(super) fn why_not(&self, held: Held, reading: &Reading, place: Passage) -> Message {
        use Fact::Clock;
        let overlaps = |a: &Passage, b: &Passage| a.start_samples < b.end_samples && b.start_samples < a.end_samples;
        let (length, speed) = (Clock(place.end_samples - place.start_samples), Fact::percent(self.most_speed_change));
        // That no way is as long as it should be; whether something else that was asked for may be why.
        let no_way = || {
            if self.held().len() > 1 {
                message!("aside.noWayWithOthers", length = length.clone(), speed = speed.clone())
            } else {
                message!("aside.noWay", length = length.clone(), speed = speed.clone())
            }
        };
        match held {
            Held::Pin(k) => {
                let pin = self.pins[k];
                let out = |p: &&Passage| (p.start_samples..p.end_samples).contains(&pin.bed_samples);
                let reason = if !(place.start_samples..place.end_samples).contains(&pin.cut_samples) {
                    message!("aside.pinOutside")
                } else if pin.bed_samples >= reading.ending.music_end_samples || pin.bed_samples + HEAD_SAMPLES < head_samples(reading) {
                    message!("aside.pinOnNothing")
                } else if let Some(p) = self.leave_out.iter().find(out) {
                    message!("aside.pinLeftOut", from = Clock(p.start_samples), to = Clock(p.end_samples))
                } else if let Some(other) = self.pins.iter().enumerate().find(|(j, p)| *j != k && too_close(&pin, p)).map(|(_, p)| p) {
                    message!("aside.pinContradicts", cut = Clock(other.cut_samples))
                } else {
                    message!("aside.pinNotReached", speed = speed)
                };
                message!("aside.pin", bed = Clock(pin.bed_samples), cut = Clock(pin.cut_samples), reason = reason)
            }
            Held::Keep(k) => {
                let keep = &self.keep[k];
                let reason = if let Some(p) = self.leave_out.iter().find(|p| overlaps(keep, p)) {
                    message!("aside.keepLeftOut", from = Clock(p.start_samples), to = Clock(p.end_samples))
                } else if keep.end_samples - keep.start_samples > place.end_samples - place.start_samples {
                    message!("aside.keepTooLong")
                } else {
                    message!("aside.keepNoRoom")
                };
                message!("aside.keep", from = Clock(keep.start_samples), to = Clock(keep.end_samples), reason = reason)
            }
            Held::Splice(k) => message!("aside.splice", from = Clock(self.splices[k].leave_samples), to = Clock(self.splices[k].enter_samples)),
            Held::LeaveOut(k) => message!("aside.leaveOut", from = Clock(self.leave_out[k].start_samples), to = Clock(self.leave_out[k].end_samples)),
            Held::Singing => message!("aside.singing"),
            Held::End => match self.end {
                EndWish::OwnEnding { hit_samples: Some(_) } if reading.ending.kind == EndingKind::FadesOut => message!("aside.lastHitFades"),
                EndWish::OwnEnding { .. } if reading.ending.kind == EndingKind::StopsDead => message!("aside.stopsDead"),
                EndWish::OwnEnding { hit_samples: Some(at) } => message!("aside.lastHit", at = Clock(at), speed = speed),
                EndWish::OwnEnding { hit_samples: None } => message!("aside.ownEnding", reason = no_way()),
                _ => message!("aside.end", reason = no_way()),
            },
            Held::Start => message!("aside.start", reason = no_way()),
            Held::MostPlays => message!("aside.plays"),
        }
    }
}

/// Whether two pins leave no time for the music between them: they want different music at (nearly) one moment.
fn too_close(a: &super::wishes::Pin, b: &super::wishes::Pin) -> bool {
    let cut = b.cut_samples as i64 - a.cut_samples as i64;
    let bed = b.bed_samples as i64 - a.bed_samples as i64;
    cut.abs() < 4 * i64::from(jaunty_units::SAMPLE_RATE_HZ) && (cut - bed).abs() > MOST_SHIFT_SAMPLES
}
