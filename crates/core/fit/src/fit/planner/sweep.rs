//! One pass over all times: the cheapest way to each state, and the cheapest edit of a length read off it.

use super::ends::{End, NO_JOIN, Position, RING_OUT_SAMPLES};
use super::joins::{Target, joins};
use super::play::{Played, Playing};
use super::starts::{Start, phases, same_phase, start_bar, starts};
use crate::fit::ask::Ask;
use crate::fit::bed::MOST_SHIFT_SAMPLES;
use crate::fit::scene::SceneTables;
use crate::fit::taste::Taste;
use jaunty_reading::reading::{BarLikeness, Reading};

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

const FIRST_START: u32 = u32::MAX - 1;
const UNREACHED: Label = Label { cost: f32::INFINITY, time: 0, from: 0, enter: NO_JOIN };

/// What every sweep of one request shares.
pub struct Planner<'a> {
    pub(super) playing: Playing<'a>,
    pub(super) joins: Vec<Vec<Target>>,
    pub(super) starts: Vec<(Start, i64, f32)>,
    /// Phases within a bucket that the starts have, one for each class of states before a pin.
    phases: Vec<i64>,
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
        (self.planner.playing.bars + 1) * self.masks * self.classes
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
        let class = match self.planner.playing.ask.pins.partition_point(|p| p.at < time) {
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
        let earliest = if planner.playing.ask.hit_is_pinned() { 0 } else { wanted - self.reach() };
        let first = (earliest / self.bucket).max(0) as usize;
        for (index, label) in self.labels.iter().enumerate().skip(first * self.per_bucket()) {
            if label.cost < f32::INFINITY {
                let State { bar, mask, .. } = self.state(index);
                let at = Position { cost: label.cost, time: i64::from(label.time), bar, mask };
                planner.playing.ends(at, &planner.joins[bar], wanted, &mut |cost, enter, end| offer(cost, index as u32, enter, end));
            }
        }
        let (cost, last) = best?;
        Some(self.trace(cost, &last))
    }

    /// How long before the end a state may be from which an edit ends.
    fn reach(&self) -> i64 {
        let planner = self.planner;
        let tail =
            planner.playing.reading.ending.music_end_samples as i64 - planner.playing.lines[planner.playing.last_bar.saturating_sub(planner.playing.least_run)];
        let bar = planner.playing.lines.windows(2).map(|w| w[1] - w[0]).max().unwrap_or(0);
        let ring = 3 * planner.playing.ask.ring_out.unwrap_or(RING_OUT_SAMPLES);
        tail.max(bar).max(ring) + MOST_SHIFT_SAMPLES + (self.limit as f64 * planner.playing.ask.most_speed_change) as i64 + self.bucket
    }

    /// A cut shorter than the least run is faded out of it.
    pub(super) fn too_short(&self, wanted: i64, offer: &mut impl FnMut(f32, u32, u32, End)) {
        let planner = self.planner;
        if planner.playing.full != 0 || !planner.playing.ask.ends.fade {
            return;
        }
        for (number, &(start, time, cost)) in planner.starts.iter().enumerate() {
            let bar = start_bar(start);
            let to = (bar + planner.playing.least_run).min(planner.playing.last_bar.max(bar));
            if let Some((played, end, _)) = planner.playing.play(cost, time, bar, to, 0)
                && end > wanted
            {
                offer(played + planner.playing.fade_cost(), FIRST_START - number as u32, NO_JOIN, End::Fade);
            }
        }
    }

    fn trace(&self, cost: f32, last: &Last) -> Arrival {
        let planner = self.planner;
        let mut runs = Vec::new();
        let mut end = match last.end {
            End::Stop(bar) => bar,
            _ => planner.playing.bars,
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

impl<'a> Planner<'a> {
    /// Prepares joins and starts.
    pub fn new(reading: &'a Reading, likeness: &'a BarLikeness, ask: &'a Ask, scene: &'a SceneTables, played: &'a [Played], taste: Taste) -> Self {
        let playing = Playing::new(reading, likeness, ask, scene, played, taste);
        let (joins, starts) = (joins(&playing), starts(&playing));
        Self { phases: phases(&starts, ask.bucket), playing, joins, starts }
    }

    /// Goes over all times up to `longest` samples.
    pub fn sweep(&self, longest: i64) -> Sweep<'_> {
        let playing = &self.playing;
        let slack = MOST_SHIFT_SAMPLES + (longest as f64 * playing.ask.most_speed_change) as i64;
        let masks = playing.full as usize + 1;
        let bucket = playing.bucket_for(longest);
        // A coarser axis is no longer exact, and classes would only cost time.
        let classes = if bucket == playing.bucket { self.phases.len() + playing.ask.pins.len().min(2) } else { 1 };
        let buckets = ((longest + slack) / bucket) as usize + 2;
        let labels = vec![UNREACHED; buckets * (playing.bars + 1) * masks * classes];
        let mut sweep = Sweep { planner: self, labels, bucket, masks, classes, limit: longest + slack };
        for (number, &(start, time, cost)) in self.starts.iter().enumerate() {
            let bar = start_bar(start);
            let to = (bar + playing.least_run).min(playing.last_bar.max(bar));
            let class = self.phases.iter().position(|p| same_phase(*p, time, playing.bucket)).unwrap_or(0);
            if let Some((cost, time, mask)) = playing.play(cost, time, bar, to, 0) {
                sweep.relax(cost, time, State { bar: to, mask, class }, FIRST_START - number as u32, NO_JOIN);
            }
        }
        // Where no pin moves time, no passage must sound and no bar earns anything, it is known before a join is played
        // that it cannot help.
        let lands_on_time = !playing.marks && playing.ask.pins.is_empty() && playing.ask.keep.is_empty();
        for index in 0..sweep.labels.len() {
            let label = sweep.labels[index];
            if label.cost == f32::INFINITY {
                continue;
            }
            let State { bar, mask, class } = sweep.state(index);
            let time = i64::from(label.time);
            if bar < playing.last_bar
                && let Some((cost, time, mask)) = playing.play(label.cost, time, bar, bar + 1, mask)
            {
                sweep.relax(cost, time, State { bar: bar + 1, mask, class }, index as u32, NO_JOIN);
            }
            let joins = &self.joins[bar];
            if joins.is_empty() {
                continue;
            }
            let exposed = playing.exposed(time);
            for target in joins {
                let landed = target.enter as usize + playing.least_run_after(bar, target.enter as usize);
                if landed > playing.last_bar {
                    continue;
                }
                let (enter, cost, mask) = (target.enter as usize, label.cost + target.cost + exposed, mask | target.must);
                if !playing.may_join(time, enter) {
                    continue;
                }
                if lands_on_time && sweep.is_cheaper(cost, time + playing.duration(enter, landed), State { bar: landed, mask, class }) {
                    continue;
                }
                if let Some((cost, time, mask)) = playing.play(cost, time, enter, landed, mask) {
                    sweep.relax(cost, time, State { bar: landed, mask, class }, index as u32, target.enter);
                }
            }
        }
        sweep
    }
}
