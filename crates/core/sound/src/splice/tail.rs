//! The tail of what a splice leaves: a held chord or a voice that would stop dead rings on under what enters.
//!
//! Nothing of the recording can be let go on, since its next beat would be heard too. So the last third of a second is
//! convolved with a [`room`], and each band of it rings only as far as it would drop: as loud as what was heard and as what
//! would have come, less what enters. Where the same music goes on, nothing drops and nothing rings.

use super::room::{convolve, room, shaped};
use super::surprise::{BAND_COUNT, Bands, band_middle_hz, power};
use crate::sound::Source;

/// It is gone this long after the join: 1.2 s.
pub const TAIL_SAMPLES: u64 = 57_600;
/// It joins in this long before the join: 30 ms.
pub const JOINS_IN_SAMPLES: u64 = 1440;
/// What feeds the room: 300 ms.
const FED: usize = 14_400;
/// Levels are those of 120 ms on either side.
const HEARD: usize = 5760;
/// The room takes over this far under what was heard: 3 dB, in power.
const UNDER_DRY: f32 = 0.5;
/// Bands as loud as that, of the loudest one, are heard clearly, in power: -12 dB.
const CLEARLY: f32 = 0.063;
/// A band stops dead when what enters is so much under what should ring, in power: 6 dB.
const STOPS_DEAD: f32 = 4.0;
/// Nothing is softer than that, of the loudest band, in power: -40 dB.
const SILENT: f32 = 1e-4;
/// One band is raised at most so much more than all together: 12 dB, in amplitude.
const MOST_LIFT: f32 = 4.0;
/// What is heard around a join, of one channel or of all together.
pub struct Around {
    /// The leaving side, up to the join.
    before: Vec<f32>,
    /// How loud its bands are.
    was: Bands,
    /// How loud they would have gone on.
    would: Bands,
    /// How loud what enters is.
    enters: Bands,
}

impl Around {
    /// `leave` gives samples of the leaving side and `enter` of the entering one, from so many samples after the join on.
    pub fn new(leave: impl Fn(i64, &mut [f32]), enter: impl Fn(i64, &mut [f32])) -> Self {
        let mut before = vec![0.0; FED];
        leave(-(FED as i64), &mut before);
        let power_of = |read: &dyn Fn(i64, &mut [f32])| {
            let mut samples = vec![0.0; HEARD];
            read(0, &mut samples);
            power(&samples)
        };
        Self { was: power(&before[FED - HEARD..]), would: power_of(&leave), enters: power_of(&enter), before }
    }

    /// All channels of `bed` together, where a splice goes from sample `leave` on at sample `enter`.
    pub fn of(bed: &dyn Source, leave: i64, enter: i64) -> Self {
        Self::new(|from, out| bed.read_mono(leave + from, out), |from, out| bed.read_mono(enter + from, out))
    }

    /// Power at which a band should go on.
    fn wanted(&self, band: usize) -> f32 {
        UNDER_DRY * self.was[band].min(self.would[band])
    }

    /// Whether something that is heard clearly would stop dead.
    pub fn rings(&self) -> bool {
        let top = self.was.iter().copied().fold(0.0, f32::max);
        (0..BAND_COUNT).any(|b| self.was[b] > CLEARLY * top && self.wanted(b) > STOPS_DEAD * self.enters[b].max(SILENT * top))
    }

    /// The tail, from [`JOINS_IN_SAMPLES`] before the join on.
    pub fn tail(&self, channel: usize) -> Vec<f32> {
        let (joins_in, length) = (JOINS_IN_SAMPLES as usize, TAIL_SAMPLES as usize);
        let mut fed = self.before.clone();
        fed[..joins_in].iter_mut().enumerate().for_each(|(k, s)| *s *= k as f32 / joins_in as f32);
        fed[FED - joins_in..].iter_mut().rev().enumerate().for_each(|(k, s)| *s *= k as f32 / joins_in as f32);
        let all = convolve(&fed, &room(length, channel as u64), FED + length);
        let wet = power(&all[FED..FED + HEARD]);
        // No band is lifted far out of what the room hardly has of it.
        let most = MOST_LIFT * ((0..BAND_COUNT).map(|b| self.wanted(b)).sum::<f32>() / wet.iter().sum::<f32>().max(1e-12)).sqrt();
        let gains = std::array::from_fn::<(f32, f32), BAND_COUNT, _>(|band| {
            let lacking = (self.wanted(band) - self.enters[band]).max(0.0);
            (band_middle_hz(band), (lacking / wet[band].max(1e-12)).sqrt().min(most))
        });
        let mut tail = shaped(&all, &gains)[FED - joins_in..].to_vec();
        let ends = 4800;
        for (k, sample) in tail.iter_mut().enumerate() {
            let joins = (k as f32 / joins_in as f32).min(1.0);
            let over = ((joins_in + length - k) as f32 / ends as f32).min(1.0);
            *sample *= joins * joins * over;
        }
        tail
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sound::Sound;

    const SECOND: usize = 48_000;

    fn tone(hz: f32, gain: f32, n: usize) -> f32 {
        gain * (n as f32 * hz * std::f32::consts::TAU / 48_000.0).sin()
    }

    fn db(samples: &[f32]) -> f32 {
        10.0 * (samples.iter().map(|s| s * s).sum::<f32>() / samples.len() as f32 + 1e-12).log10()
    }

    /// A held tone of 660 Hz over a quiet one of 150 Hz for five seconds; then the quiet one alone.
    fn held() -> Sound {
        Sound::new(vec![(0..10 * SECOND).map(|n| tone(150.0, 0.05, n) + if n < 5 * SECOND { tone(660.0, 0.3, n) } else { 0.0 }).collect()])
    }

    #[test]
    fn what_stops_dead_rings_and_what_goes_on_does_not() {
        let bed = held();
        let of = |leave: usize, enter: usize| Around::of(&bed, (leave * SECOND) as i64, (enter * SECOND) as i64);
        assert!(of(2, 7).rings(), "the held tone would be cut off");
        assert!(!of(2, 3).rings(), "the same goes on");
        assert!(!of(7, 2).rings(), "something comes in");
        assert!(!of(5, 7).rings(), "the bed itself stops there");
        assert!(!Around::of(&Sound::new(vec![vec![0.0; 2 * SECOND]]), 48_000, 0).rings(), "silence");
    }

    #[test]
    fn it_takes_over_three_db_under_what_was_heard_and_dies_away() {
        let bed = held();
        let tail = Around::of(&bed, 2 * 48_000, 7 * 48_000).tail(0);
        let (join, level) = (JOINS_IN_SAMPLES as usize, db(&(0..SECOND).map(|n| tone(660.0, 0.3, n)).collect::<Vec<_>>()));
        let first = db(&tail[join..join + HEARD]);
        assert!((first - level + 3.0).abs() < 2.0, "{first:.1} against {level:.1} dB");
        assert!(db(&tail[join + 24_000..join + 36_000]) < first - 15.0, "it dies away");
        assert_eq!(tail.len() as u64, JOINS_IN_SAMPLES + TAIL_SAMPLES);
        assert!(tail[0] == 0.0 && tail[tail.len() - 1].abs() < 1e-5);
        // What enters has the low tone already: it is not doubled.
        let low = shaped(&tail, &[(300.0, 1.0), (301.0, 0.0)]);
        assert!(db(&low) < db(&tail) - 20.0, "{:.1} dB", db(&low) - db(&tail));
    }
}
