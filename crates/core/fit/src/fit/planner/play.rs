//! What it costs to play bars from a time on: the bars themselves, what they lie under, and what is pinned within them.

use crate::fit::ask::Ask;
use crate::fit::bed::{MOST_SHIFT_SAMPLES, spare_samples};
use crate::fit::scene::SceneTables;
use crate::fit::taste::Taste;
use jaunty_reading::reading::{BarLikeness, Reading};
use jaunty_sound::splice::LEAD_SAMPLES;
use jaunty_units::SAMPLE_RATE_HZ;

/// A change of speed that nobody hears.
const NEAR_SPEED: f64 = 0.005;
/// Stands for the cost of a bar that must not sound, in sums.
const SILENT: f64 = 1e9;
/// Seconds beyond the wanted length for which costs are tabled.
const TABLED_BEYOND: i64 = 16 * SAMPLE_RATE_HZ as i64;
/// States beyond which the time axis is made coarser.
const MOST_STATES: usize = 400_000;
/// A cut of this length has time for both an opening and an ending: a spot of 30 s has (common practice). One that is half as
/// long has hardly.
const ROOM_FOR_BOTH_SAMPLES: i64 = 30 * SAMPLE_RATE_HZ as i64;
/// Giving up one of them costs a short one less, down to this share.
const SHORT_SHARE: f32 = 0.4;

/// Bars that an earlier alternative plays, by time.
pub struct Played {
    step: i64,
    bars: Vec<u32>,
}

impl Played {
    /// Of (time, bar) pairs in rising time, up to `length`.
    pub fn new(lines: &[(i64, usize)], step: i64, length: i64) -> Self {
        let mut bars = vec![u32::MAX; (length / step) as usize + 2];
        for (k, &(at, bar)) in lines.iter().enumerate() {
            let until = lines.get(k + 1).map_or(length, |next| next.0);
            let from = ((at.max(0) / step) as usize).min(bars.len());
            let to = ((until.max(0) / step) as usize).clamp(from, bars.len());
            bars[from..to].fill(bar as u32);
        }
        Self { step, bars }
    }

    fn at(&self, time: i64) -> Option<usize> {
        self.bars.get((time.max(0) / self.step) as usize).filter(|b| **b != u32::MAX).map(|b| *b as usize)
    }
}

/// The bed under one request: what it costs to hear its bars, wherever they lie.
pub struct Playing<'a> {
    pub(super) reading: &'a Reading,
    pub(super) likeness: &'a BarLikeness,
    pub(super) ask: &'a Ask,
    pub(super) taste: Taste,
    pub(super) scene: &'a SceneTables,
    played: &'a [Played],
    pub(super) lines: &'a [i64],
    pub(super) bars: usize,
    pub(super) last_bar: usize,
    pub(super) least_run: usize,
    pub(super) bucket: i64,
    /// Cost of each bar wherever it is played, infinite for one that must not sound.
    bar_cost: Vec<f32>,
    /// Rank of each bar by level, 0 to 1.
    rank: &'a [f32],
    /// Cost of hearing each bar at each step of time; empty where time does not matter.
    table: Vec<f32>,
    table_step: i64,
    /// Sums of `bar_cost` before each bar, for where nothing else counts.
    sums: Vec<f64>,
    pub(super) marks: bool,
    pub(super) full: u32,
}

impl<'a> Playing<'a> {
    /// Prepares the costs of bars.
    pub fn new(reading: &'a Reading, likeness: &'a BarLikeness, ask: &'a Ask, scene: &'a SceneTables, played: &'a [Played], taste: Taste) -> Self {
        let bars = reading.bar_count();
        let mut playing = Self {
            reading,
            likeness,
            ask,
            taste,
            scene,
            played,
            lines: &ask.lines,
            bars,
            last_bar: ask.last_bar,
            least_run: ask.least_run,
            bucket: ask.bucket,
            bar_cost: (0..bars).map(|bar| if ask.silent[bar] { f32::INFINITY } else { taste.bar(ask.rank[bar]) }).collect(),
            rank: &ask.rank,
            table: Vec::new(),
            table_step: ask.bucket,
            sums: vec![0.0],
            marks: ask.likes_marks && scene.any_marks() && taste.marks > 0.0,
            full: ask.full_mask(),
        };
        for bar in 0..bars {
            // Infinity less infinity is no number: a silent bar makes every sum over it dear beyond reach.
            playing.sums.push(playing.sums[bar] + f64::from(playing.bar_cost[bar]).min(SILENT));
        }
        if scene.any_speech() || !played.is_empty() || taste.is_placed() {
            let step = playing.bucket_for(ask.wanted);
            let rows = (ask.wanted + TABLED_BEYOND) / step + 1;
            playing.table = (0..rows).flat_map(|row| (0..bars).map(move |bar| (row, bar))).map(|(row, bar)| playing.place(row * step, bar)).collect();
            playing.table_step = step;
        }
        playing
    }

    pub(super) fn duration(&self, from: usize, to: usize) -> i64 {
        self.lines[to] - self.lines[from]
    }

    /// The step of the time axis for edits of up to `longest` samples.
    pub(super) fn bucket_for(&self, longest: i64) -> i64 {
        let mut bucket = self.bucket;
        while (longest / bucket) as usize * (self.bars + 1) * (self.full as usize + 1) > MOST_STATES && bucket < self.bucket * 4 {
            bucket *= 2;
        }
        bucket
    }

    /// Bars that are played at least after a splice from `leave` to `enter`. Who moves on plays what is heard again and half
    /// as much more: less would only creep through a passage that goes round.
    pub(super) fn least_run_after(&self, leave: usize, enter: usize) -> usize {
        let again = leave.saturating_sub(enter);
        if self.ask.moves_on && again > 0 { self.least_run.max(again + again / 2 + 1) } else { self.least_run }
    }

    /// What losing the opening or the ending costs this cut.
    pub(super) fn lost(&self, whole: f32) -> f32 {
        let room = (2.0 * self.ask.wanted as f32 / ROOM_FOR_BOTH_SAMPLES as f32 - 1.0).clamp(0.0, 1.0);
        whole * (SHORT_SHARE + (1.0 - SHORT_SHARE) * room)
    }

    /// Cost of beginning at a bar: nothing where a section begins, more the less a phrase does.
    pub(super) fn opening_cost(&self, bar: usize) -> f32 {
        let section = self.reading.sections.iter().rev().find(|s| s.start_bar <= bar).map_or(0, |s| s.start_bar);
        match bar - section {
            0 => 0.0,
            d if d % 8 == 0 => 0.02,
            d if d % 4 == 0 => 0.06,
            d if d % 2 == 0 => 0.2,
            _ => 0.35,
        }
    }

    /// What a downbeat on a picture cut or a marked moment earns.
    fn on_marks(&self, time: i64, bar: usize) -> f32 {
        self.taste.marks * (self.scene.on_cut(time) + if self.ask.strong[bar] { 3.0 } else { 1.0 } * self.scene.on_hit(time))
    }

    /// What it costs to hear bar `bar` at `time`, but for marks.
    fn place(&self, time: i64, bar: usize) -> f32 {
        let taste = &self.taste;
        let end = time + self.duration(bar, bar + 1);
        let mut cost = 0.0;
        if self.scene.any_speech() {
            let spoken = self.scene.speech_share(time, end);
            let rank = self.rank[bar];
            cost += taste.under_speech * (spoken * (rank - 0.5).max(0.0) + 0.6 * (1.0 - spoken) * (0.5 - rank).max(0.0));
            cost += taste.singing_under_speech * spoken * self.ask.singing[bar];
        }
        if taste.builds > 0.0 {
            let wanted = 0.15 + 0.85 * time as f32 / self.ask.wanted.max(1) as f32;
            cost += taste.builds * (self.rank[bar] - wanted).powi(2);
        }
        for played in self.played {
            if let Some(other) = played.at((time + end) / 2) {
                cost += taste.apart * (self.likeness.of(bar, other) - 0.6).max(0.0) / 0.4;
            }
        }
        cost
    }

    /// What it costs to hear a splice at `time`: under speech it is masked.
    pub(super) fn exposed(&self, time: i64) -> f32 {
        const AROUND: i64 = SAMPLE_RATE_HZ as i64 / 2;
        if self.scene.any_speech() { 0.2 * (1.0 - self.scene.speech_share(time - AROUND, time + AROUND)) } else { 0.0 }
    }

    /// Plays bars `bar` to `to` from `time` on: the cost, the time then, and the bits of passages
    /// that were heard whole. `None` where something must not be.
    pub(super) fn play(&self, mut cost: f32, mut time: i64, bar: usize, to: usize, mut mask: u32) -> Option<(f32, i64, u32)> {
        let ask = self.ask;
        if self.table.is_empty() && !self.marks && ask.pins.is_empty() && ask.keep.is_empty() {
            let own = self.sums[to] - self.sums[bar];
            return if own < 0.5 * SILENT { Some((cost + own as f32, time + self.duration(bar, to), mask)) } else { None };
        }
        let rows = self.table.len() / self.bars;
        for bar in bar..to {
            cost += self.bar_cost[bar];
            if cost == f32::INFINITY {
                return None;
            }
            let mut end = time + self.duration(bar, bar + 1);
            if rows > 0 {
                cost += self.table[((time.max(0) / self.table_step) as usize).min(rows - 1) * self.bars + bar];
            }
            if self.marks {
                cost -= self.on_marks(time, bar);
            }
            if !ask.pins.is_empty() {
                let mut from = (self.lines[bar], time);
                let next = ask.pins.partition_point(|p| p.at < time);
                for (k, pin) in ask.pins.iter().enumerate().skip(next) {
                    if pin.at >= end {
                        break;
                    }
                    cost += self.pin_cost(k, pin.bed - (from.0 + pin.at - from.1))?;
                    from = (pin.bed, pin.at);
                    end = pin.at + self.lines[bar + 1] - pin.bed;
                }
            }
            if end <= time {
                return None;
            }
            time = end;
            for (k, keep) in ask.keep.iter().enumerate() {
                if keep.1 == bar + 1 {
                    mask |= 1 << k;
                }
            }
        }
        Some((cost, time, mask))
    }

    /// Whether a run may begin at sample `bed` with the rest of bar `bar`, whose line falls on `time`: a moment that
    /// is pinned to that time must lie in it.
    pub(super) fn may_begin(&self, bed: i64, bar: usize, time: i64) -> bool {
        let pins = &self.ask.pins;
        let next = pins.get(pins.partition_point(|p| p.at < time));
        next.is_none_or(|p| p.bed >= bed || p.at >= time + self.duration(bar, bar + 1))
    }

    /// Whether bar `enter` may come at `time` in place of the bar that would follow: a moment that is pinned to just
    /// before that must not lie in what the join cuts off.
    pub(super) fn may_join(&self, time: i64, enter: usize) -> bool {
        const LEAD: i64 = LEAD_SAMPLES as i64;
        let pins = &self.ask.pins;
        let passed = pins[..pins.partition_point(|p| p.at < time)].last();
        passed.is_none_or(|p| time - p.at >= LEAD) && self.may_begin(self.lines[enter] - LEAD, enter, time)
    }

    /// What it costs to take `mismatch` samples out before pin `k`; `None` beyond the limits.
    pub(super) fn pin_cost(&self, k: usize, mismatch: i64) -> Option<f32> {
        let before = k.checked_sub(1).map_or(0, |b| self.ask.pins[b].at);
        // Only the first stretch can begin a little later.
        let shift = if k == 0 { mismatch.clamp(-MOST_SHIFT_SAMPLES, 0) } else { 0 };
        self.change_cost(shift, mismatch - shift, self.ask.pins[k].at - before)
    }

    /// Cost of `shift` samples at an end and of a change of speed that takes `rest` samples out of
    /// `length`; `None` beyond the limits.
    fn change_cost(&self, shift: i64, rest: i64, length: i64) -> Option<f32> {
        let speed = rest.abs() as f64 / length.max(1) as f64;
        // The alignment of the splices may still move the length: a tenth of the range stays free for it.
        if rest != 0 && speed > 0.9 * self.ask.most_speed_change {
            return None;
        }
        let shift_s = shift.abs() as f64 / f64::from(SAMPLE_RATE_HZ);
        // The speed stays the bed's own unless that saves a splice: beyond half a per cent it is dearer than any.
        let beyond = (speed / NEAR_SPEED - 1.0).max(0.0);
        Some((0.05 * (shift_s / 0.25).powi(2) + 0.3 * (speed / NEAR_SPEED).powi(2) + 4.0 * beyond) as f32)
    }

    /// What it costs to make an edit of `length` samples as long as wanted; `None` beyond the limits.
    pub(super) fn leftover_cost(&self, length: i64, wanted: i64) -> Option<f32> {
        if self.ask.hit_is_pinned() {
            // The last hit lies where it was asked for; what rings after it is cut off or leaves silence.
            return Some(0.0);
        }
        let spare = (length - wanted).clamp(0, spare_samples(self.reading));
        let leftover = wanted - (length - spare);
        let shift = leftover.clamp(-MOST_SHIFT_SAMPLES, MOST_SHIFT_SAMPLES);
        let from = self.ask.pins.last().map_or(0, |p| p.at);
        self.change_cost(shift, leftover - shift, wanted - from)
    }
}
