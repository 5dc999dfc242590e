//! Ways to end an edit from a bar line, and what each costs.

use super::joins::Target;
use super::play::Playing;
use crate::fit::bed::closes;
use jaunty_reading::reading::EndingKind;

/// Bars that are played at least before the end.
const LEAST_LAST_RUN: usize = 2;
/// Length of a ring-out that we make: common practice wants at least 2 s.
pub const RING_OUT_SAMPLES: i64 = 120_000;

/// No bar is entered by a last join.
pub(super) const NO_JOIN: u32 = u32::MAX;

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

/// Where an edit stands: on a bar line, free to jump.
#[derive(Clone, Copy)]
pub(super) struct Position {
    pub(super) cost: f32,
    pub(super) time: i64,
    pub(super) bar: usize,
    /// What has sounded of that which must.
    pub(super) mask: u32,
}

impl Playing<'_> {
    /// What a bed that closes by itself pays for another end.
    fn ending_lost(&self) -> f32 {
        match self.reading.ending.kind {
            EndingKind::OwnEnding => self.lost(self.taste.ending_lost),
            EndingKind::FadesOut if closes(self.reading, self.ask.wanted) => self.lost(self.taste.own_fade_lost),
            _ => 0.0,
        }
    }

    pub(super) fn fade_cost(&self) -> f32 {
        self.taste.fade + self.ending_lost()
    }

    /// Offers every way to end from a state: `(cost, bar entered by a last join, end)`.
    pub(super) fn ends(&self, at: Position, joins: &[Target], wanted: i64, offer: &mut impl FnMut(f32, u32, End)) {
        let ask = self.ask;
        let Position { cost, time, bar, mask } = at;
        if ask.ends.own {
            // From the last bar line before the last hit the bed is played to its end.
            if bar == self.last_bar
                && let Some(more) = self.own_ending(at, wanted)
            {
                offer(more, NO_JOIN, End::Own);
            }
            for target in joins {
                let enter = target.enter as usize;
                if enter + LEAST_LAST_RUN <= self.last_bar
                    && enter + self.least_run > self.last_bar
                    && self.may_join(time, enter)
                    && let Some(more) =
                        self.own_ending(Position { cost: cost + target.cost + self.exposed(time), time, bar: enter, mask: mask | target.must }, wanted)
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

    /// The cost of playing on to the bed's own end.
    fn own_ending(&self, at: Position, wanted: i64) -> Option<f32> {
        let (mut cost, mut time, mask) = self.play(at.cost, at.time, at.bar, self.last_bar, at.mask)?;
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
