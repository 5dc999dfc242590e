//! How naturally one passage could go on at the beginning of another that does not repeat it: a fitting sequel.
//!
//! In a bed in which no bar comes again there is nothing to splice that sounds like what would have come. But the end of
//! a phrase may go on at the beginning of another phrase: what the ear wants there is a bass and a chord that lead on, a
//! key that stays, and a level, a colour and a density that go on or change no more than the bed itself changes them from
//! phrase to phrase. So the places where recordings go from phrase to phrase by themselves teach it, against places where
//! they do not, and every bed's own are the measure by which its splices are told.

use super::{BarLikeness, BeatFeatures};

/// What is known of a bed's phrases: how naturally each could go on at the beginning of each other.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Sequels {
    /// Bars at which phrases begin, rising; the first bar of the bed is none.
    phrases: Vec<u32>,
    /// In row `leave` and column `enter`: the share of the bed's own steps from phrase to phrase that are less natural.
    ranks: Vec<f32>,
}

impl Sequels {
    /// Between the phrases that begin at `phrases`.
    pub fn between(sides: &Sides, likeness: &BarLikeness, phrases: &[usize]) -> Self {
        let phrases: Vec<usize> = phrases.iter().copied().filter(|p| *p > 0 && *p < likeness.bar_count()).collect();
        let natural = |leave: usize, enter: usize| {
            let features = sides.features(likeness, leave, enter);
            BIAS + WEIGHTS.iter().zip(features).map(|(weight, value)| weight * value).sum::<f32>()
        };
        let mut own: Vec<f32> = phrases.iter().map(|&line| natural(line, line)).collect();
        own.sort_by(f32::total_cmp);
        let rank = |z: f32| {
            let below = own.partition_point(|o| *o < z) as f32;
            // A bed of few phrases says little of itself: as much is known of beds at large as four phrases say.
            let at_large = 1.0 / (1.0 + (-1.7 * (z - OWN_MEAN) / OWN_DEVIATION).exp());
            (below + AT_LARGE * at_large) / (own.len() as f32 + AT_LARGE)
        };
        let ranks = phrases.iter().flat_map(|&leave| phrases.iter().map(move |&enter| (leave, enter))).map(|(l, e)| rank(natural(l, e))).collect();
        Self { phrases: phrases.into_iter().map(|p| p as u32).collect(), ranks }
    }

    /// The share of the bed's own steps from phrase to phrase that are less natural than going on at bar `enter` after
    /// bar `leave - 1`; `None` unless phrases begin at both.
    pub fn rank(&self, leave: usize, enter: usize) -> Option<f32> {
        let row = self.phrases.binary_search(&(leave as u32)).ok()?;
        let column = self.phrases.binary_search(&(enter as u32)).ok()?;
        Some(self.ranks[row * self.phrases.len() + column])
    }

    /// As little-endian bytes, with the number of phrases first.
    pub fn to_bytes(&self) -> Vec<u8> {
        let numbers = std::iter::once(self.phrases.len() as u32).chain(self.phrases.iter().copied());
        numbers.flat_map(u32::to_le_bytes).chain(self.ranks.iter().flat_map(|r| r.to_le_bytes())).collect()
    }

    /// The inverse of [`Sequels::to_bytes`], with the bytes that follow; `None` if the bytes are no such thing.
    pub fn from_bytes(bytes: &[u8]) -> Option<(Self, &[u8])> {
        let (count, rest) = bytes.split_first_chunk::<4>()?;
        let count = u32::from_le_bytes(*count) as usize;
        let (phrases, rest) = rest.split_at_checked(count.checked_mul(4)?)?;
        let (ranks, rest) = rest.split_at_checked(count.checked_mul(count)?.checked_mul(4)?)?;
        let phrases = phrases.as_chunks::<4>().0.iter().map(|c| u32::from_le_bytes(*c)).collect();
        Some((Self { phrases, ranks: ranks.as_chunks::<4>().0.iter().map(|c| f32::from_le_bytes(*c)).collect() }, rest))
    }
}

/// What the bed's own steps count beside those of beds at large.
const AT_LARGE: f32 = 4.0;
/// How natural the own steps of the beds are that taught it: mean and deviation.
const OWN_MEAN: f32 = 0.64;
const OWN_DEVIATION: f32 = 1.03;
/// Fitted by `tools/fit/sequel.py` on 131 recordings. Between a bed's own steps and steps to other phrases that repeat
/// nothing the area under the curve is .83 on 50 recordings kept aside and .84 on 22 of packages that taught nothing.
const BIAS: f32 = 4.087;
const WEIGHTS: [f32; FEATURES] = [
    -1.296, 0.146, 0.607, 0.322, 0.121, 0.008, -0.557, 0.028, -0.405, 0.160, -0.434, -0.420, -0.020, -0.143, -0.352, -0.381, -1.012, 0.023, -0.115, 0.331,
    0.011, 0.014, -0.042, 0.081, -0.453, -1.964, -0.567, 0.051, -1.554, 0.713, 0.042,
];

/// Numbers by which a step from one passage to another is told.
pub const FEATURES: usize = 31;

/// What is heard on one side of a bar line.
struct Side {
    /// Pitch classes of four beats, of sixteen, and of the one nearest to the line.
    bar_chroma: [f32; 12],
    bars_chroma: [f32; 12],
    beat_chroma: [f32; 12],
    beat_bass: [f32; 12],
    /// Mean mel bands of the bar, and those of the half beat beside the line.
    mel: Vec<f32>,
    half_mel: Vec<f32>,
    level_db: f32,
    beat_level_db: f32,
    /// Onsets of the bar by band.
    density: [f32; 3],
    attack: f32,
}

/// The sides of all bar lines of a bed.
pub struct Sides {
    /// The end of each bar.
    before: Vec<Side>,
    /// The beginning of each bar.
    after: Vec<Side>,
}

impl Sides {
    /// Of the bars that `downbeats` (indices into `beats`) bound.
    pub fn of(beats: &[BeatFeatures], downbeats: &[usize]) -> Self {
        let bars = downbeats.len().saturating_sub(1);
        let side = |bar: usize, is_end: bool| {
            let own = &beats[downbeats[bar]..downbeats[bar + 1]];
            let line = downbeats[bar + usize::from(is_end)];
            // Pitches are heard in windows that reach over the line, so what is told of them begins one beat away from it:
            // else the bed's own steps would be known by their own sound.
            let away = |least: usize, most: usize| {
                let (from, to) = if is_end { (line.saturating_sub(most), line - least) } else { (line + least, line + most) };
                &beats[from.min(beats.len() - 1)..to.clamp(from.min(beats.len() - 1) + 1, beats.len())]
            };
            let beat = if is_end { &own[own.len() - 1] } else { &own[0] };
            let half = beat.log_mel.len() / 2;
            let mean = |of: &dyn Fn(&BeatFeatures) -> f32| own.iter().map(of).sum::<f32>() / own.len() as f32;
            Side {
                bar_chroma: super::sum_of_chroma(away(1, 5)),
                bars_chroma: super::sum_of_chroma(away(1, 17)),
                beat_chroma: super::sum_of_chroma(away(1, 2)),
                beat_bass: away(1, 2)[0].bass,
                mel: (0..half).map(|k| mean(&|b| 0.5 * (b.log_mel[k] + b.log_mel[half + k]))).collect(),
                half_mel: if is_end { beat.log_mel[half..].to_vec() } else { beat.log_mel[..half].to_vec() },
                level_db: mean(&|b| b.loudness_db.max(FLOOR_DB)),
                beat_level_db: beat.loudness_db.max(FLOOR_DB),
                density: std::array::from_fn(|band| mean(&|b| b.onset.iter().skip(band).step_by(3).sum::<f32>() / 4.0)),
                attack: beat.attack.iter().sum(),
            }
        };
        Self { before: (0..bars).map(|b| side(b, true)).collect(), after: (0..bars).map(|b| side(b, false)).collect() }
    }

    /// What tells the step from the end of bar `leave - 1` to the beginning of bar `enter`:
    ///
    /// | number | what |
    /// |---|---|
    /// | 0 to 2 | how alike the pitch classes of a bar, of four bars and of a beat are on both sides (cosine) |
    /// | 3 to 14 | how strongly the bass moves up by so many semitones |
    /// | 15, 16 | how far the colour changes, of the bars and of the half beats beside the line |
    /// | 17 to 20 | by how much the level of the bars and of the beats changes, each with its sign and without, in 6 dB |
    /// | 21 to 26 | by how much the onsets of the three bands change, with their signs, then without |
    /// | 27 | how hard the first beat is struck |
    /// | 28 | how many of the bed's own bar lines change less |
    /// | 29 | whether the same step happens elsewhere |
    /// | 30 | how far the last beat lies over its bar, in 6 dB |
    pub fn features(&self, likeness: &BarLikeness, leave: usize, enter: usize) -> [f32; FEATURES] {
        let (a, b) = (&self.before[leave - 1], &self.after[enter]);
        let cosine = |x: &[f32], y: &[f32]| x.iter().zip(y).map(|(p, q)| p * q).sum::<f32>();
        let apart = |x: &[f32], y: &[f32]| (x.iter().zip(y).map(|(p, q)| (p - q) * (p - q)).sum::<f32>() / x.len().max(1) as f32).sqrt();
        let mut all = [0.0; FEATURES];
        all[0] = cosine(&a.bar_chroma, &b.bar_chroma);
        all[1] = cosine(&a.bars_chroma, &b.bars_chroma);
        all[2] = cosine(&a.beat_chroma, &b.beat_chroma);
        for interval in 0..12 {
            all[3 + interval] = (0..12).map(|class| a.beat_bass[class] * b.beat_bass[(class + interval) % 12]).sum();
        }
        all[15] = apart(&a.mel, &b.mel);
        all[16] = apart(&a.half_mel, &b.half_mel);
        let (bar, beat) = ((b.level_db - a.level_db) / 6.0, (b.beat_level_db - a.beat_level_db) / 6.0);
        all[17..21].copy_from_slice(&[bar, bar.abs(), beat, beat.abs()]);
        for band in 0..3 {
            let change = b.density[band] - a.density[band];
            (all[21 + band], all[24 + band]) = (change, change.abs());
        }
        all[27] = (b.attack + 0.01).ln();
        all[28] = likeness.surprise_rank(leave, enter);
        all[29] = self.elsewhere(likeness, leave, enter).max(0.01).ln();
        all[30] = (a.beat_level_db - a.level_db) / 6.0;
        all
    }

    /// Whether elsewhere in the bed a bar like the last goes on with one like the first, 0 to 1. Of very long beds, where
    /// the work would grow with the cube, nothing is told, for their own steps as little as for others.
    fn elsewhere(&self, likeness: &BarLikeness, leave: usize, enter: usize) -> f32 {
        if likeness.bar_count() > super::BRIDGE_BARS {
            return 0.0;
        }
        let others = (0..likeness.bar_count().saturating_sub(1)).filter(|&k| k + 1 != leave && k + 1 != enter);
        others.map(|k| likeness.of(k, leave - 1) * likeness.of(k + 1, enter)).fold(0.0, f32::max)
    }
}

/// Quieter than this is as good as silent.
const FLOOR_DB: f32 = -60.0;

#[cfg(test)]
mod tests {
    use super::super::tests::beat;
    use super::*;
    use jaunty_sound::splice::surprise::LineSpectra;

    /// Eight phrases of four bars of four beats, each around one pitch class, with its level.
    fn bed(phrases: [(usize, f32); 8]) -> BarLikeness {
        let beats: Vec<BeatFeatures> = (0..8 * 16 + 1)
            .map(|k| {
                let (class, loudness_db) = phrases[(k / 16).min(7)];
                BeatFeatures { loudness_db, log_mel: vec![loudness_db / 10.0; 80], ..beat((class + [0, 7, 5, 0][k / 4 % 4]) % 12) }
            })
            .collect();
        let downbeats: Vec<usize> = (0..=32).map(|bar| 4 * bar).collect();
        let likeness = BarLikeness::between(&beats, &downbeats, 4, LineSpectra::default());
        likeness.with_sequels(&Sides::of(&beats, &downbeats), &(0..8).map(|phrase| 4 * phrase).collect::<Vec<_>>())
    }

    #[test]
    fn a_phrase_in_the_same_key_at_the_same_level_goes_on_better_than_one_far_away() {
        let likeness = bed([(0, -20.0), (0, -20.0), (7, -20.0), (0, -21.0), (6, -45.0), (6, -46.0), (0, -20.0), (7, -20.0)]);
        let rank = |leave: usize, enter: usize| likeness.sequel_rank(leave, enter).expect("both begin phrases");
        for far in [16, 20] {
            assert!(rank(8, 24) > rank(8, far), "into the phrase at {far}: {} against {}", rank(8, far), rank(8, 24));
        }
        assert!(rank(8, 16) < 0.5, "into another key, 25 dB softer: {}", rank(8, 16));
        assert_eq!(likeness.sequel_rank(8, 9), None, "no phrase begins there");
        assert_eq!(likeness.sequel_rank(0, 8), None, "nothing comes before the first");
        assert_eq!(BarLikeness::from_bytes(&likeness.to_bytes()), Some(likeness));
    }
}
