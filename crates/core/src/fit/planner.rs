//! The planner: an exact shortest path over (time in the cut, downbeat of the bed).
//!
//! A state stands at downbeat `i` at output time `t`, free to jump. Two transitions exist: a
//! *step* plays bar `i`; a *join* goes on at downbeat `j` and plays the least run from there, so
//! that the state needs no counter of bars since the last join. Every transition moves time
//! forward, so one sweep in rising time is exact up to the time axis, which is kept in buckets of
//! a quarter bar with one exact time each. Bars of one length keep the phase within the bucket that
//! they started with, so a state also knows its *class*: one for each phase that a start has, and
//! one for what follows a pin. On such a bed nothing hides anything else, and the sweep is exact.
//! Passages that must sound and splices that must be there are bits of the state. A pin is taken
//! where a bar covers it: time goes on from the pin as if it had been met exactly, and the mismatch
//! is paid for as the change of speed that takes it out.
//!
//! [`Planner::sweep`] goes once over all times up to the longest length wanted; reading a length
//! off it ([`Sweep::best`]) looks at the states near its end only.

use super::ask::Ask;
use super::bed::{HEAD_SAMPLES, MOST_SHIFT_SAMPLES, head_samples};
use super::scene::SceneTables;
use super::taste::Taste;
use crate::SAMPLE_RATE_HZ;
use crate::reading::{BarLikeness, EndingKind, Reading};
use crate::splice::LEAD_SAMPLES;

/// Cheapest targets kept of each leave point.
const TARGETS: usize = 8;
/// Bars that are played at least before the end.
const LEAST_LAST_RUN: usize = 2;
/// Length of a ring-out that we make: common practice wants at least 2 s.
pub const RING_OUT_SAMPLES: i64 = 120_000;
/// Up to this length a cut has no time for both an opening and an ending: 40 s. Giving them up costs it less,
const SHORT_SAMPLES: i64 = 40 * SAMPLE_RATE_HZ as i64;
/// by this factor.
const SHORT_SHARE: f32 = 0.4;
/// A splice that is likelier than this to be right is better than losing the opening or the ending; below it none is.
const FAIR_CHANCE: f32 = 0.7;
/// What a splice of less pays more, reached this much below it.
const UNFAIR: f32 = 3.0;
const UNFAIR_WITHIN: f32 = 0.05;
/// A change of speed that nobody hears.
const NEAR_SPEED: f64 = 0.005;
/// States beyond which the time axis is made coarser.
const MOST_STATES: usize = 400_000;
/// Starts whose phases within a bucket differ by less share a class: 1 ms, which no cost can tell.
const SAME_PHASE_SAMPLES: i64 = 48;

/// How an edit begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Start {
    /// From the first sound.
    Top,
    /// On a later beat of the first bar: the beat's index in the reading.
    Pickup(usize),
    /// At full level on a bar line.
    Cold(usize),
    /// Faded in from a bar line.
    FadeIn(usize),
}

/// How an edit ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum End {
    /// With the bed's own last hit.
    Own,
    /// On the downbeat of a bar, which rings out.
    Stop(usize),
    /// With a fade while the music goes on.
    Fade,
}

/// The cheapest edit.
#[derive(Debug, Clone, PartialEq)]
pub struct Arrival {
    /// How it begins.
    pub start: Start,
    /// First bar and the bar after the last of each run; the last run goes on to the end.
    pub runs: Vec<(usize, usize)>,
    /// How it ends.
    pub end: End,
    /// Its cost.
    pub cost: f32,
}

/// The first sample of the bed that a start plays.
pub fn start_samples(start: Start, reading: &Reading, lines: &[i64]) -> i64 {
    let head = HEAD_SAMPLES as i64;
    match start {
        Start::Top => head_samples(reading) as i64,
        Start::Pickup(beat) => (reading.beats_samples[beat] as i64 - head).max(0),
        Start::Cold(bar) | Start::FadeIn(bar) => (lines[bar] - head).max(0),
    }
}

/// What is known of single bars before joins between them are priced.
pub struct Bars {
    /// Logarithm of the length.
    log_duration: Vec<f32>,
    /// Whether a section begins there.
    begins_section: Vec<bool>,
}

impl Bars {
    /// Looks at all bars between `lines`.
    pub fn new(reading: &Reading, lines: &[i64]) -> Self {
        let mut begins_section = vec![false; lines.len()];
        reading.sections.iter().filter(|s| s.start_bar < lines.len()).for_each(|s| begins_section[s.start_bar] = true);
        Self { log_duration: lines.windows(2).map(|w| ((w[1] - w[0]) as f32).ln()).collect(), begins_section }
    }
}

/// What a join costs, term by term; the words are the page's.
pub fn join_terms(reading: &Reading, likeness: &BarLikeness, about: &Bars, leave: usize, enter: usize) -> [(&'static str, f32); 8] {
    let bars = about.log_duration.len();
    let chance = likeness.could_follow(leave, enter);
    let unfair = UNFAIR * ((FAIR_CHANCE - chance) / UNFAIR_WITHIN).clamp(0.0, 1.0);
    // More than three quarters of the bed's own bar lines change is heard; a splice that surprises more than all of
    // them is as bad as one that is right in four of five.
    let surprise = 2.0 * ((likeness.surprise_rank(leave, enter) - 0.75) / 0.25).max(0.0);
    let distance = leave.abs_diff(enter);
    let phrase = match distance {
        d if d % 8 == 0 => 0.0,
        d if d % 4 == 0 => 0.04,
        d if d % 2 == 0 => 0.15,
        _ => 0.30,
    };
    let back = if enter < leave { 0.07 + 0.25 * (1.0 - distance as f32 / 8.0).max(0.0) } else { 0.0 };
    let far = if enter > leave && distance > bars / 2 { 0.03 } else { 0.0 };
    let tempo = 0.3 * ((about.log_duration[leave - 1] - about.log_duration[enter]) / 0.03).powi(2).min(9.0);
    let levels = &reading.bar_levels_db;
    let would_come = levels.get(leave).copied().unwrap_or(levels[leave - 1]);
    let step = 0.5 * ((levels[enter] - would_come).abs() - 2.0).max(0.0) / 3.0;
    // From the end of a section into the beginning of one the ear expects something new.
    let section = if about.begins_section[leave] && about.begins_section[enter] { -0.1 } else { 0.0 };
    [
        ("how alike the bars are", 8.0 * -chance.max(0.001).ln() + unfair),
        ("change of the sound", surprise),
        ("place in the phrase", phrase),
        ("heard again", back),
        ("far apart", far),
        ("tempo of both sides", tempo),
        ("step in level", step),
        ("between sections", section),
    ]
}

/// Where an edit stands: what it cost so far, when it is, and how it came here.
#[derive(Clone, Copy)]
struct Label {
    cost: f32,
    time: i32,
    /// State before, or [`FIRST_START`] minus the number of the start.
    from: u32,
    /// The bar entered by a join, or [`NO_JOIN`].
    enter: u32,
}

const NO_JOIN: u32 = u32::MAX;
const FIRST_START: u32 = u32::MAX - 1;
const UNREACHED: Label = Label { cost: f32::INFINITY, time: 0, from: 0, enter: NO_JOIN };

#[derive(Clone, Copy)]
struct Target {
    enter: u32,
    cost: f32,
    /// The bit of a splice that must be there.
    must: u32,
}

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

/// What every sweep of one request shares.
pub struct Planner<'a> {
    reading: &'a Reading,
    likeness: &'a BarLikeness,
    ask: &'a Ask,
    taste: Taste,
    scene: &'a SceneTables,
    played: &'a [Played],
    lines: &'a [i64],
    bars: usize,
    last_bar: usize,
    least_run: usize,
    bucket: i64,
    joins: Vec<Vec<Target>>,
    /// Cost of each bar wherever it is played, infinite for one that must not sound.
    bar_cost: Vec<f32>,
    /// Rank of each bar by level, 0 to 1.
    rank: &'a [f32],
    starts: Vec<(Start, i64, f32)>,
    /// Phases within a bucket that the starts have, one for each class of states before a pin.
    phases: Vec<i64>,
    /// Cost of hearing each bar at each step of time; empty where time does not matter.
    table: Vec<f32>,
    table_step: i64,
    /// Sums of `bar_cost` before each bar, for where nothing else counts.
    sums: Vec<f64>,
    marks: bool,
    full: u32,
}

/// Stands for the cost of a bar that must not sound, in sums.
const SILENT: f64 = 1e9;
/// Seconds beyond the wanted length for which costs are tabled.
const TABLED_BEYOND: i64 = 16 * SAMPLE_RATE_HZ as i64;

impl<'a> Planner<'a> {
    /// Prepares joins and starts.
    pub fn new(reading: &'a Reading, likeness: &'a BarLikeness, ask: &'a Ask, scene: &'a SceneTables, played: &'a [Played], taste: Taste) -> Self {
        let bars = reading.bar_count();
        let mut planner = Self {
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
            joins: Vec::new(),
            bar_cost: (0..bars).map(|bar| if ask.silent[bar] { f32::INFINITY } else { taste.bar(ask.rank[bar]) }).collect(),
            rank: &ask.rank,
            starts: Vec::new(),
            phases: Vec::new(),
            table: Vec::new(),
            table_step: ask.bucket,
            sums: vec![0.0],
            marks: ask.likes_marks && scene.any_marks() && taste.marks > 0.0,
            full: ask.full_mask(),
        };
        for bar in 0..bars {
            // Infinity less infinity is no number: a silent bar makes every sum over it dear beyond reach.
            planner.sums.push(planner.sums[bar] + f64::from(planner.bar_cost[bar]).min(SILENT));
        }
        if scene.any_speech() || !played.is_empty() || taste.is_placed() {
            let step = planner.bucket_for(ask.wanted);
            let rows = (ask.wanted + TABLED_BEYOND) / step + 1;
            planner.table = (0..rows).flat_map(|row| (0..bars).map(move |bar| (row, bar))).map(|(row, bar)| planner.place(row * step, bar)).collect();
            planner.table_step = step;
        }
        let joins = ask.joins.get_or_init(|| {
            let about = Bars::new(reading, &ask.lines);
            let terms = |leave: usize, enter: usize| join_terms(reading, likeness, &about, leave, enter).iter().map(|t| t.1).sum();
            (1..=bars).flat_map(|leave| (0..bars).map(move |enter| (leave, enter))).map(|(leave, enter)| terms(leave, enter)).collect()
        });
        planner.joins = (0..=bars).map(|leave| planner.targets(joins, leave)).collect();
        planner.starts = planner.starts();
        planner.phases = phases(&planner.starts, ask.bucket);
        planner
    }

    fn duration(&self, from: usize, to: usize) -> i64 {
        self.lines[to] - self.lines[from]
    }

    /// Cost of beginning at a bar: nothing where a section begins, more the less a phrase does.
    fn opening_cost(&self, bar: usize) -> f32 {
        let section = self.reading.sections.iter().rev().find(|s| s.start_bar <= bar).map_or(0, |s| s.start_bar);
        match bar - section {
            0 => 0.0,
            d if d % 8 == 0 => 0.02,
            d if d % 4 == 0 => 0.06,
            d if d % 2 == 0 => 0.2,
            _ => 0.35,
        }
    }

    fn starts(&self) -> Vec<(Start, i64, f32)> {
        let ask = self.ask;
        let lead = self.lines[0] - head_samples(self.reading) as i64;
        let mut all = Vec::new();
        let inside = |bar: usize| ask.keep.iter().any(|k| bar > k.0 && bar < k.1);
        // What was cut as a loop has no opening.
        let lost = if ask.starts.top && !self.reading.is_loop() { self.lost(self.taste.opening_lost) } else { 0.0 };
        if ask.starts.top && !ask.silent[0] {
            all.push((Start::Top, lead, 0.0));
        }
        // A pickup is not the whole first bar: half of what an opening is worth is lost.
        if ask.starts.pickup && !ask.silent[0] && !ask.keep.iter().any(|k| k.0 == 0) {
            let (first, second) = (self.reading.downbeats[0], self.reading.downbeats[1]);
            // The second beat of a bar makes an odd pickup of nearly a whole bar; from the third on it is one.
            all.extend((first + 1..second).map(|beat| {
                let heard = self.lines[1] - self.reading.beats_samples[beat] as i64;
                (Start::Pickup(beat), HEAD_SAMPLES as i64 + heard - self.duration(0, 1), 0.3 + 0.5 * lost)
            }));
        }
        for bar in 0..self.last_bar {
            let cost = lost + self.opening_cost(bar);
            // A first run shorter than the least is for those who name its bar.
            let may = |at: Option<Option<usize>>| at.is_some_and(|named| named.map_or(bar + self.least_run <= self.last_bar, |b| b == bar)) && !inside(bar);
            if may(ask.starts.cold) && (bar > 0 || ask.starts.cold == Some(Some(0)) || !ask.starts.top) {
                all.push((Start::Cold(bar), HEAD_SAMPLES as i64, 0.5 + cost));
            }
            if may(ask.starts.fade_in) {
                all.push((Start::FadeIn(bar), HEAD_SAMPLES as i64, 0.7 + cost));
            }
        }
        all.retain(|&(start, time, _)| {
            let (bed, bar) = (start_samples(start, self.reading, self.lines), start_bar(start));
            // What is pinned to before the first line has to lie there by itself.
            let before = ask.pins.iter().filter(|p| p.at < time).all(|p| p.bed >= bed && (0..=self.bucket).contains(&(p.at - (p.bed - bed))));
            before && self.may_begin(bed, bar, time)
        });
        all
    }

    fn targets(&self, joins: &[f32], leave: usize) -> Vec<Target> {
        let ask = self.ask;
        let inside = |bar: usize| ask.keep.iter().any(|k| bar > k.0 && bar < k.1);
        if leave == 0 || leave > self.last_bar || inside(leave) {
            return Vec::new();
        }
        // A loop goes on at its beginning, whatever lies before it.
        let seam = |enter: usize| enter == 0 && leave == self.reading.bar_count() && self.reading.is_loop();
        let must = |enter: usize| ask.musts.iter().position(|m| *m == (leave, enter)).map_or(0, |k| 1 << (ask.keep.len() + k));
        let mut all: Vec<Target> = (0..self.bars)
            .filter(|&enter| {
                enter != leave
                    && (self.lines[enter] >= 2 * LEAD_SAMPLES as i64 || seam(enter))
                    && !ask.silent[enter]
                    && !inside(enter)
                    && !ask.banned.contains(&(leave, enter))
            })
            .filter(|&enter| enter > leave || ask.plays_again)
            .map(|enter| Target { enter: enter as u32, cost: self.join_cost(joins, leave, enter), must: must(enter) })
            .collect();
        let order = |a: &Target, b: &Target| (b.must != 0).cmp(&(a.must != 0)).then(a.cost.total_cmp(&b.cost)).then(a.enter.cmp(&b.enter));
        if all.len() > TARGETS {
            all.select_nth_unstable_by(TARGETS, order);
            all.truncate(TARGETS);
        }
        all.sort_by(order);
        all
    }

    fn join_cost(&self, joins: &[f32], leave: usize, enter: usize) -> f32 {
        let terms = joins[(leave - 1) * self.bars + enter];
        let again = if enter < leave { self.taste.again } else { 0.0 };
        let used = 0.8 * self.ask.used_joins.iter().filter(|j| **j == (leave, enter)).count() as f32;
        self.taste.join + terms + again + used
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
    fn exposed(&self, time: i64) -> f32 {
        const AROUND: i64 = SAMPLE_RATE_HZ as i64 / 2;
        if self.scene.any_speech() { 0.2 * (1.0 - self.scene.speech_share(time - AROUND, time + AROUND)) } else { 0.0 }
    }

    /// Plays bars `bar` to `to` from `time` on: the cost, the time then, and the bits of passages
    /// that were heard whole. `None` where something must not be.
    fn play(&self, mut cost: f32, mut time: i64, bar: usize, to: usize, mut mask: u32) -> Option<(f32, i64, u32)> {
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
    fn may_begin(&self, bed: i64, bar: usize, time: i64) -> bool {
        let pins = &self.ask.pins;
        let next = pins.get(pins.partition_point(|p| p.at < time));
        next.is_none_or(|p| p.bed >= bed || p.at >= time + self.duration(bar, bar + 1))
    }

    /// Whether bar `enter` may come at `time` in place of the bar that would follow: a moment that is pinned to just
    /// before that must not lie in what the join cuts off.
    fn may_join(&self, time: i64, enter: usize) -> bool {
        const LEAD: i64 = LEAD_SAMPLES as i64;
        let pins = &self.ask.pins;
        let passed = pins[..pins.partition_point(|p| p.at < time)].last();
        passed.is_none_or(|p| time - p.at >= LEAD) && self.may_begin(self.lines[enter] - LEAD, enter, time)
    }

    /// What it costs to take `mismatch` samples out before pin `k`; `None` beyond the limits.
    fn pin_cost(&self, k: usize, mismatch: i64) -> Option<f32> {
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
    fn leftover_cost(&self, length: i64, wanted: i64) -> Option<f32> {
        if self.ask.hit_is_pinned() {
            // The last hit lies where it was asked for; what rings after it is cut off or leaves silence.
            return Some(0.0);
        }
        let leftover = wanted - length;
        let shift = leftover.clamp(-MOST_SHIFT_SAMPLES, MOST_SHIFT_SAMPLES);
        let from = self.ask.pins.last().map_or(0, |p| p.at);
        self.change_cost(shift, leftover - shift, wanted - from)
    }

    /// The step of the time axis for edits of up to `longest` samples.
    fn bucket_for(&self, longest: i64) -> i64 {
        let mut bucket = self.bucket;
        while (longest / bucket) as usize * (self.bars + 1) * (self.full as usize + 1) > MOST_STATES && bucket < self.bucket * 4 {
            bucket *= 2;
        }
        bucket
    }

    /// Goes over all times up to `longest` samples.
    pub fn sweep(&self, longest: i64) -> Sweep<'_> {
        let slack = MOST_SHIFT_SAMPLES + (longest as f64 * self.ask.most_speed_change) as i64;
        let masks = self.full as usize + 1;
        let bucket = self.bucket_for(longest);
        // A coarser axis is no longer exact, and classes would only cost time.
        let classes = if bucket == self.bucket { self.phases.len() + self.ask.pins.len().min(2) } else { 1 };
        let buckets = ((longest + slack) / bucket) as usize + 2;
        let labels = vec![UNREACHED; buckets * (self.bars + 1) * masks * classes];
        let mut sweep = Sweep { planner: self, labels, bucket, masks, classes, limit: longest + slack };
        for (number, &(start, time, cost)) in self.starts.iter().enumerate() {
            let bar = start_bar(start);
            let to = (bar + self.least_run).min(self.last_bar.max(bar));
            let class = self.phases.iter().position(|p| same_phase(*p, time, self.bucket)).unwrap_or(0);
            if let Some((cost, time, mask)) = self.play(cost, time, bar, to, 0) {
                sweep.relax(cost, time, State { bar: to, mask, class }, FIRST_START - number as u32, NO_JOIN);
            }
        }
        // Where no pin moves time, no passage must sound and no bar earns anything, it is known before a join is played
        // that it cannot help.
        let lands_on_time = !self.marks && self.ask.pins.is_empty() && self.ask.keep.is_empty();
        for index in 0..sweep.labels.len() {
            let label = sweep.labels[index];
            if label.cost == f32::INFINITY {
                continue;
            }
            let State { bar, mask, class } = sweep.state(index);
            let time = i64::from(label.time);
            if bar < self.last_bar
                && let Some((cost, time, mask)) = self.play(label.cost, time, bar, bar + 1, mask)
            {
                sweep.relax(cost, time, State { bar: bar + 1, mask, class }, index as u32, NO_JOIN);
            }
            let joins = &self.joins[bar];
            if joins.is_empty() {
                continue;
            }
            let exposed = self.exposed(time);
            for target in joins {
                let landed = target.enter as usize + self.least_run;
                if landed > self.last_bar {
                    continue;
                }
                let (enter, cost, mask) = (target.enter as usize, label.cost + target.cost + exposed, mask | target.must);
                if !self.may_join(time, enter) {
                    continue;
                }
                if lands_on_time && sweep.is_cheaper(cost, time + self.duration(enter, landed), State { bar: landed, mask, class }) {
                    continue;
                }
                if let Some((cost, time, mask)) = self.play(cost, time, enter, landed, mask) {
                    sweep.relax(cost, time, State { bar: landed, mask, class }, index as u32, target.enter);
                }
            }
        }
        sweep
    }
}

/// Whether two times lie at the same place within their buckets.
fn same_phase(a: i64, b: i64, bucket: i64) -> bool {
    let apart = (a - b).rem_euclid(bucket);
    apart.min(bucket - apart) < SAME_PHASE_SAMPLES
}

/// The phases within a bucket that `starts` have.
fn phases(starts: &[(Start, i64, f32)], bucket: i64) -> Vec<i64> {
    let mut phases: Vec<i64> = Vec::new();
    for &(_, time, _) in starts {
        if !phases.iter().any(|p| same_phase(*p, time, bucket)) {
            phases.push(time);
        }
    }
    phases
}

/// The bar at which a start's own bars begin.
pub fn start_bar(start: Start) -> usize {
    match start {
        Start::Top | Start::Pickup(_) => 0,
        Start::Cold(bar) | Start::FadeIn(bar) => bar,
    }
}

/// All states of one sweep.
pub struct Sweep<'a> {
    planner: &'a Planner<'a>,
    labels: Vec<Label>,
    bucket: i64,
    masks: usize,
    classes: usize,
    limit: i64,
}

/// Where an edit can stand within one bucket of time.
#[derive(Clone, Copy)]
struct State {
    bar: usize,
    /// What has sounded of that which must.
    mask: u32,
    /// Which start's phase it has, or that it follows a pin.
    class: usize,
}

struct Last {
    state: u32,
    enter: u32,
    end: End,
}

impl Sweep<'_> {
    fn index(&self, bucket: usize, state: State) -> usize {
        bucket * self.per_bucket() + (state.bar * self.masks + state.mask as usize) * self.classes + state.class
    }

    fn per_bucket(&self) -> usize {
        (self.planner.bars + 1) * self.masks * self.classes
    }

    /// The state at a place among the labels.
    fn state(&self, index: usize) -> State {
        let k = index % self.per_bucket();
        State { bar: k / self.classes / self.masks, mask: (k / self.classes % self.masks) as u32, class: k % self.classes }
    }

    /// Whether a state without pins before it is reached already for no more than `cost`.
    fn is_cheaper(&self, cost: f32, time: i64, state: State) -> bool {
        time > self.limit || self.labels[self.index((time / self.bucket) as usize, state)].cost <= cost
    }

    /// Offers a way to reach a state; what came past a pin leaves the class of its start.
    fn relax(&mut self, cost: f32, time: i64, state: State, from: u32, enter: u32) {
        if time > self.limit || time < 0 {
            return;
        }
        let phases = self.planner.phases.len();
        let class = match self.planner.ask.pins.partition_point(|p| p.at < time) {
            _ if self.classes == 1 => 0,
            0 => state.class,
            // Before and after the next pin may lie in one bucket.
            passed => phases + (passed - 1) % 2,
        };
        let index = self.index((time / self.bucket) as usize, State { class, ..state });
        let slot = &mut self.labels[index];
        if cost < slot.cost {
            *slot = Label { cost, time: time as i32, from, enter };
        }
    }

    /// The cheapest edit of `wanted` samples, if there is one.
    pub fn best(&self, wanted: i64) -> Option<Arrival> {
        let planner = self.planner;
        let mut best: Option<(f32, Last)> = None;
        let mut offer = |cost: f32, state: u32, enter: u32, end: End| {
            if best.as_ref().is_none_or(|b| cost < b.0) {
                best = Some((cost, Last { state, enter, end }));
            }
        };
        self.too_short(wanted, &mut offer);
        // A last hit with a place of its own may fall long before the end.
        let earliest = if planner.ask.hit_is_pinned() { 0 } else { wanted - self.reach() };
        let first = (earliest / self.bucket).max(0) as usize;
        for (index, label) in self.labels.iter().enumerate().skip(first * self.per_bucket()) {
            if label.cost < f32::INFINITY {
                let State { bar, mask, .. } = self.state(index);
                planner.ends(label.cost, i64::from(label.time), bar, mask, wanted, &mut |cost, enter, end| offer(cost, index as u32, enter, end));
            }
        }
        let (cost, last) = best?;
        Some(self.trace(cost, &last))
    }

    /// How long before the end a state may be from which an edit ends.
    fn reach(&self) -> i64 {
        let planner = self.planner;
        let tail = planner.reading.ending.music_end_samples as i64 - planner.lines[planner.last_bar.saturating_sub(planner.least_run)];
        let bar = planner.lines.windows(2).map(|w| w[1] - w[0]).max().unwrap_or(0);
        let ring = 3 * planner.ask.ring_out.unwrap_or(RING_OUT_SAMPLES);
        tail.max(bar).max(ring) + MOST_SHIFT_SAMPLES + (self.limit as f64 * planner.ask.most_speed_change) as i64 + self.bucket
    }

    /// A cut shorter than the least run is faded out of it.
    fn too_short(&self, wanted: i64, offer: &mut impl FnMut(f32, u32, u32, End)) {
        let planner = self.planner;
        if planner.full != 0 || !planner.ask.ends.fade {
            return;
        }
        for (number, &(start, time, cost)) in planner.starts.iter().enumerate() {
            let bar = start_bar(start);
            let to = (bar + planner.least_run).min(planner.last_bar.max(bar));
            if let Some((played, end, _)) = planner.play(cost, time, bar, to, 0)
                && end > wanted
            {
                offer(played + planner.fade_cost(), FIRST_START - number as u32, NO_JOIN, End::Fade);
            }
        }
    }

    fn trace(&self, cost: f32, last: &Last) -> Arrival {
        let planner = self.planner;
        let mut runs = Vec::new();
        let mut end = match last.end {
            End::Stop(bar) => bar,
            _ => planner.bars,
        };
        let (mut state, mut enter) = (last.state, last.enter);
        let starts = |state: u32| FIRST_START - state;
        let start = loop {
            if state > FIRST_START - planner.starts.len() as u32 {
                break planner.starts[starts(state) as usize].0;
            }
            if enter != NO_JOIN {
                runs.push((enter as usize, end));
                end = self.state(state as usize).bar;
            }
            let label = &self.labels[state as usize];
            (state, enter) = (label.from, label.enter);
        };
        runs.push((start_bar(start), end));
        runs.reverse();
        Arrival { start, runs, end: last.end, cost }
    }
}

impl Planner<'_> {
    /// What losing the opening or the ending costs this cut.
    fn lost(&self, whole: f32) -> f32 {
        if self.ask.wanted > SHORT_SAMPLES { whole } else { SHORT_SHARE * whole }
    }

    /// What a bed with an ending of its own pays for another.
    fn ending_lost(&self) -> f32 {
        if self.reading.ending.kind == EndingKind::OwnEnding { self.lost(self.taste.ending_lost) } else { 0.0 }
    }

    fn fade_cost(&self) -> f32 {
        self.taste.fade + self.ending_lost()
    }

    /// Offers every way to end from a state: `(cost, bar entered by a last join, end)`.
    fn ends(&self, cost: f32, time: i64, bar: usize, mask: u32, wanted: i64, offer: &mut impl FnMut(f32, u32, End)) {
        let ask = self.ask;
        let own = self.reading.ending.kind == EndingKind::OwnEnding;
        if own && ask.ends.own {
            // From the last bar line before the last hit the bed is played to its end.
            if bar == self.last_bar
                && let Some(more) = self.own_ending(cost, time, bar, mask, wanted)
            {
                offer(more, NO_JOIN, End::Own);
            }
            for target in &self.joins[bar] {
                let enter = target.enter as usize;
                if enter + LEAST_LAST_RUN <= self.last_bar
                    && enter + self.least_run > self.last_bar
                    && self.may_join(time, enter)
                    && let Some(more) = self.own_ending(cost + target.cost + self.exposed(time), time, enter, mask | target.must, wanted)
                {
                    offer(more, target.enter, End::Own);
                }
            }
        }
        if mask != self.full || time > wanted {
            return;
        }
        let rest = wanted - time;
        let pinned = ask.pins.last().is_some_and(|p| p.at >= time);
        if ask.ends.stop && !pinned && bar > 0 && bar <= self.last_bar && bar < self.bars && !ask.silent[bar] {
            let ring = ask.ring_out.unwrap_or(RING_OUT_SAMPLES);
            let off = (rest - ring) as f32 / ring as f32;
            if off.abs() <= 0.5 {
                offer(cost + self.taste.stop + self.ending_lost() + self.opening_cost(bar) + 0.4 * off * off, NO_JOIN, End::Stop(bar));
            }
        }
        // Only from the last bar line before the end: earlier ones step on to it.
        if ask.ends.fade && bar < self.last_bar && rest <= self.duration(bar, bar + 1) {
            let end = (bar + 1).min(self.last_bar);
            let silent = ask.silent[bar];
            let pins_met = ask.pins.last().is_none_or(|p| p.at < time);
            if !silent && (pins_met || self.play(0.0, time, bar, end, 0).is_some()) {
                offer(cost + self.fade_cost(), NO_JOIN, End::Fade);
            }
        } else if ask.ends.fade && bar == self.last_bar && rest <= self.bucket {
            offer(cost + self.fade_cost(), NO_JOIN, End::Fade);
        }
    }

    /// The cost of playing from `bar` to the bed's own end.
    fn own_ending(&self, cost: f32, time: i64, bar: usize, mask: u32, wanted: i64) -> Option<f32> {
        let (cost, mut time, mask) = self.play(cost, time, bar, self.last_bar, mask)?;
        let mut cost = cost;
        let mut from = self.lines[self.last_bar];
        let end = self.reading.ending.music_end_samples as i64;
        let next = self.ask.pins.partition_point(|p| p.at < time);
        for (k, pin) in self.ask.pins.iter().enumerate().skip(next) {
            if pin.bed < from - self.bucket || pin.bed > end || pin.at >= wanted {
                return None;
            }
            cost += self.pin_cost(k, pin.bed - (from + pin.at - time))?;
            (from, time) = (pin.bed, pin.at);
        }
        if mask != self.full {
            return None;
        }
        Some(cost + self.taste.own + self.leftover_cost(time + end - from, wanted)?)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fit::scene::Scene;
    use crate::fit::wishes::{EndWish, Passage, Pin, StartWish, Wishes};
    use crate::reading::{Ending, Reading};
    use crate::splice::SpliceAt;
    use proptest::prelude::*;

    const TENTH: u64 = 4800;

    /// A bed with bars of the given lengths in tenths of a second and a ring-out of one second.
    fn reading(tenths: &[u64], levels_db: &[f32]) -> Reading {
        let mut lines = vec![0u64];
        for t in tenths {
            lines.push(lines[lines.len() - 1] + t * TENTH);
        }
        let last = lines[lines.len() - 1];
        Reading {
            length_samples: last + 48_000,
            tempo_bpm: 120.0,
            metre: 1,
            downbeats: (0..lines.len()).collect(),
            beats_samples: lines,
            ending: Ending { kind: EndingKind::OwnEnding, last_hit_samples: last, music_end_samples: last + 48_000 },
            bar_levels_db: levels_db.to_vec(),
            ..Reading::default()
        }
    }

    /// A likeness with the given goodness, through its own bytes: nothing else makes one.
    fn likeness(bars: usize, goodness: &[f32]) -> BarLikeness {
        let mut bytes = (bars as u32).to_le_bytes().to_vec();
        for value in std::iter::repeat_n(&0.5f32, bars * bars).chain(goodness) {
            bytes.extend_from_slice(&value.to_le_bytes());
        }
        BarLikeness::from_bytes(&bytes).expect("a whole likeness")
    }

    /// The slow, obvious planner: every edit there is, one after the other. Costs are not negative
    /// here, so that a dear beginning can be given up.
    fn try_all(planner: &Planner<'_>, wanted: i64, cost: f32, time: i64, bar: usize, mask: u32, best: &mut f32) {
        let limit = wanted + MOST_SHIFT_SAMPLES + (wanted as f64 * planner.ask.most_speed_change) as i64;
        if time > limit || time < 0 || cost >= *best {
            return;
        }
        planner.ends(cost, time, bar, mask, wanted, &mut |total, _, _| *best = best.min(total));
        if bar < planner.last_bar
            && let Some((cost, time, mask)) = planner.play(cost, time, bar, bar + 1, mask)
        {
            try_all(planner, wanted, cost, time, bar + 1, mask, best);
        }
        for target in &planner.joins[bar] {
            let enter = target.enter as usize;
            let landed = enter + planner.least_run;
            if landed <= planner.last_bar
                && planner.may_join(time, enter)
                && let Some((cost, time, mask)) = planner.play(cost + target.cost + planner.exposed(time), time, enter, landed, mask | target.must)
            {
                try_all(planner, wanted, cost, time, landed, mask, best);
            }
        }
    }

    fn cheapest_by_trying_all(planner: &Planner<'_>, sweep: &Sweep<'_>, wanted: i64) -> Option<f32> {
        let mut best = f32::INFINITY;
        sweep.too_short(wanted, &mut |cost, _, _, _| best = best.min(cost));
        for &(start, time, cost) in &planner.starts {
            let bar = start_bar(start);
            let to = (bar + planner.least_run).min(planner.last_bar.max(bar));
            if let Some((cost, time, mask)) = planner.play(cost, time, bar, to, 0) {
                try_all(planner, wanted, cost, time, to, mask, &mut best);
            }
        }
        best.is_finite().then_some(best)
    }

    fn wishes(kind: u8, lines: &[u64], a: usize, b: usize, wanted: u64) -> Wishes {
        let bars = lines.len() - 1;
        let passage = |from: usize, to: usize| Passage { start_samples: lines[from.min(bars - 1)], end_samples: lines[to.clamp(from.min(bars - 1) + 1, bars)] };
        let (from, to) = (a % bars, a % bars + 1 + b % 3);
        let mut w = Wishes { start: if kind & 1 == 0 { StartWish::Top } else { StartWish::Free }, ..Wishes::default() };
        match kind / 2 % 6 {
            1 => w.keep = vec![passage(from, to)],
            2 => w.leave_out = vec![passage(from.max(2), to.max(3))],
            3 => w.pins = vec![Pin { bed_samples: lines[from] + 1000, cut_samples: wanted * (2 + b as u64 % 5) / 8 }],
            4 => {
                w.splices = vec![SpliceAt { leave_samples: lines[(a % bars).max(1)], enter_samples: lines[b % bars] }];
                w.no_splices = vec![SpliceAt { leave_samples: lines[(b % bars).max(1)], enter_samples: lines[a % bars] }];
            }
            5 => {
                w.keep = vec![passage(from, to)];
                w.pins = vec![Pin { bed_samples: lines[bars / 2], cut_samples: wanted / 2 }];
                w.most_plays = Some(1);
            }
            _ => {}
        }
        w.end = match b % 4 {
            0 => EndWish::OwnEnding { hit_samples: a.is_multiple_of(3).then_some(wanted - 60_000) },
            1 => EndWish::Stop { ring_out_samples: None },
            2 => EndWish::Fade,
            _ => EndWish::Free,
        };
        w
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(500))]
        #[test]
        fn the_sweep_finds_what_trying_all_edits_finds(
            bars in 5usize..9,
            steady in 8u64..20,
            goodness in prop::collection::vec((500u16..10_000).prop_map(|k| f32::from(k) / 10_000.0), 100),
            levels in prop::collection::vec((0u16..2000).prop_map(|k| f32::from(k) / -100.0), 10),
            wanted_tenths in 40u64..200,
            kind in 0u8..12,
            (a, b) in (0usize..20, 0usize..20),
            spoken in prop::option::of((0u64..100, 5u64..60)),
        ) {
            let reading = reading(&vec![steady; bars], &levels[..bars]);
            let likeness = likeness(bars, &goodness[..bars * bars]);
            let wanted = wanted_tenths * TENTH;
            let lines = reading.bar_lines_samples();
            let wishes = wishes(kind, &lines, a, b, wanted);
            let ask = Ask::new(&reading, &wishes, 0, wanted);
            let phrases = spoken.map(|(from, length)| (from * TENTH, (from + length) * TENTH)).into_iter().collect();
            let scene = SceneTables::new(&Scene { phrases, ..Scene::default() }, 0, wanted as i64);
            for taste in [Taste::BEST, Taste { join: 1.5, again: 1.0, weak: 0.25, under_speech: 0.15, ..Taste::BEST }] {
                let planner = Planner::new(&reading, &likeness, &ask, &scene, &[], taste);
                let sweep = planner.sweep(wanted as i64);
                let found = sweep.best(wanted as i64);
                let all = cheapest_by_trying_all(&planner, &sweep, wanted as i64);
                prop_assert_eq!(all.is_some(), found.is_some(), "{:?} {:?}", all, found);
                if let (Some(found), Some(all)) = (&found, all) {
                    // Bars of one length: states hold one time each, so the sweep is exact.
                    prop_assert!((found.cost - all).abs() < 1e-3, "{} against {all}", found.cost);
                }
                if let Some(found) = found {
                    let runs = &found.runs;
                    let inner = &runs[..runs.len() - 1];
                    prop_assert!(inner.iter().all(|r| r.1 - r.0 >= planner.least_run), "{:?}", runs);
                    for (from, to) in &ask.keep {
                        prop_assert!(runs.iter().any(|r| r.0 <= *from && r.1 >= *to), "{:?} keeps {from}..{to}", runs);
                    }
                    let heard = |bar: usize| runs.iter().any(|r| (r.0..r.1).contains(&bar) && bar < planner.last_bar);
                    if found.end == End::Own {
                        prop_assert!((0..bars).all(|bar| !(ask.silent[bar] && heard(bar))), "{:?} leaves out", runs);
                    }
                    prop_assert!(ask.musts.iter().all(|m| runs.windows(2).any(|w| (w[0].1, w[1].0) == *m)));
                    prop_assert!(ask.banned.iter().all(|m| !runs.windows(2).any(|w| (w[0].1, w[1].0) == *m)));
                    if wishes.most_plays == Some(1) {
                        prop_assert!(runs.windows(2).all(|w| w[1].0 >= w[0].1), "{:?} plays nothing twice", runs);
                    }
                }
            }
        }
    }

    #[test]
    fn drifting_bars_cost_little_more_than_the_best_there_is() {
        // The buckets are no longer exact then; the measured excess of the design is 0.03 at the 95th percentile.
        let tenths = [18, 19, 20, 20, 21, 20, 19, 18, 19, 20];
        let reading = reading(&tenths, &[-3.0; 10]);
        let goodness: Vec<f32> = (0..100).map(|k| 0.6 + 0.4 * ((k * 37) % 100) as f32 / 100.0).collect();
        let likeness = likeness(10, &goodness);
        let scene = SceneTables::new(&Scene::default(), 0, 48_000);
        for wanted in (100..260).step_by(10) {
            let wanted = wanted * TENTH as i64;
            let ask = Ask::new(&reading, &Wishes { start: StartWish::Top, ..Wishes::default() }, 0, wanted as u64);
            let planner = Planner::new(&reading, &likeness, &ask, &scene, &[], Taste::BEST);
            let sweep = planner.sweep(wanted);
            let (Some(found), Some(all)) = (sweep.best(wanted), cheapest_by_trying_all(&planner, &sweep, wanted)) else { continue };
            assert!(found.cost - all < 0.3, "{wanted}: {} against {all}", found.cost);
        }
    }

    #[test]
    fn the_opening_and_the_ending_are_worth_fair_splices_and_no_unfair_one() {
        // Common practice: begin as the bed begins, end as it ends, and splice where nobody hears it.
        let reading = reading(&[20; 60], &[-3.0; 60]);
        let scene = SceneTables::new(&Scene::default(), 0, 48_000);
        // Thirty-two bars less, and the ring-out.
        let wanted = 57 * 48_000;
        let best = |chance: f32| {
            let ask = Ask::new(&reading, &Wishes::default(), 0, wanted as u64);
            let likeness = likeness(60, &[chance; 3600]);
            Planner::new(&reading, &likeness, &ask, &scene, &[], Taste::BEST).sweep(wanted).best(wanted).unwrap()
        };
        for chance in [0.97, 0.85, 0.75] {
            let found = best(chance);
            assert_eq!((found.start, found.end, found.runs.len()), (Start::Top, End::Own, 2), "splices that are right in {chance}");
        }
        for chance in [0.6, 0.3] {
            let found = best(chance);
            assert!(matches!(found.start, Start::Cold(_)) && found.end == End::Own && found.runs.len() == 1, "{chance}: {found:?}");
        }
    }

    #[test]
    fn one_sweep_answers_every_shorter_length() {
        let reading = reading(&[20; 12], &[-3.0; 12]);
        let goodness: Vec<f32> = (0..144).map(|k| 0.5 + 0.5 * ((k * 31) % 100) as f32 / 100.0).collect();
        let likeness = likeness(12, &goodness);
        let scene = SceneTables::new(&Scene::default(), 0, 48_000);
        let longest = 40 * 48_000;
        let ask = Ask::new(&reading, &Wishes::default(), 0, longest as u64);
        let planner = Planner::new(&reading, &likeness, &ask, &scene, &[], Taste::BEST);
        let sweep = planner.sweep(longest);
        for seconds in 6..40 {
            let wanted = seconds * 48_000;
            let ask = Ask::new(&reading, &Wishes::default(), 0, wanted as u64);
            let own = Planner::new(&reading, &likeness, &ask, &scene, &[], Taste::BEST);
            let (one, other) = (sweep.best(wanted), own.sweep(wanted).best(wanted));
            assert_eq!(one.map(|a| (a.runs, a.end)), other.map(|a| (a.runs, a.end)), "{seconds} s");
        }
    }
}
