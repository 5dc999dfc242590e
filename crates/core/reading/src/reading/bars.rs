//! What each bar is like, and how the bed moves through its bars: phrases, builds, and places at
//! which it fills out or thins out.

use super::Section;
use super::features::BeatFeatures;
use super::spectra::{FLUX_BANDS, ONSET_FRAMES_PER_S, OnsetSpectra, band_hz};
use serde::{Deserialize, Serialize};

/// The character of one bar.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct BarCharacter {
    /// Attacks a second, over all bands.
    pub attacks_per_s: f32,
    /// Where the middle of its power over frequency lies (spectral centroid), in Hz.
    pub brightness_hz: f32,
    /// Strength of the twelve pitch classes from C on; the strongest is 1.
    pub classes: [f32; 12],
}

/// A way in which the bed moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Motion {
    /// It grows over several bars.
    Builds,
    /// From one bar to the next there is much more of it.
    FillsOut,
    /// From one bar to the next there is much less of it.
    ThinsOut,
}

/// A place at which the bed moves.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Arc {
    /// First bar of it.
    pub start_bar: usize,
    /// The bar after the last; one later than the start for a sudden change.
    pub end_bar: usize,
    /// What happens.
    pub motion: Motion,
    /// By how much the level changes, in dB.
    pub change_db: f32,
}

/// Frames of an onset grid (hundredths of a second) at which something is struck: peaks of the
/// flux of any band that stand out of their neighbourhood.
fn attacks(onsets: &OnsetSpectra) -> Vec<usize> {
    /// A peak is the highest within 50 ms.
    const REACH: usize = 5;
    let strength: Vec<f32> = onsets.flux.iter().map(|f| f.iter().sum::<f32>() / FLUX_BANDS as f32).collect();
    let mean = strength.iter().sum::<f32>() / strength.len().max(1) as f32;
    (0..strength.len())
        .filter(|&k| {
            let around = &strength[k.saturating_sub(REACH)..(k + REACH + 1).min(strength.len())];
            strength[k] > 1.2 * mean + 0.01 && around.iter().all(|s| *s <= strength[k])
        })
        .collect()
}

/// The character of every bar that `downbeats` (indices into the beats) bound.
pub fn characters(beats_s: &[f64], features: &[BeatFeatures], downbeats: &[usize], onsets: &OnsetSpectra) -> Vec<BarCharacter> {
    let attacks = attacks(onsets);
    downbeats
        .windows(2)
        .map(|bar| {
            let (start, end) = (beats_s[bar[0]], beats_s[bar[1]]);
            // Attacks come a little before the line as often as after it.
            let frame = |s: f64| ((s - 0.02).max(0.0) * ONSET_FRAMES_PER_S) as usize;
            let struck = attacks.partition_point(|&k| k < frame(end)) - attacks.partition_point(|&k| k < frame(start));
            let beats = &features[bar[0]..bar[1]];
            let mut classes = [0.0f32; 12];
            let (mut weighted, mut power) = (0.0f32, 0.0f32);
            for beat in beats {
                classes.iter_mut().zip(&beat.chroma).for_each(|(sum, c)| *sum += c);
                for (k, log) in beat.log_mel.iter().enumerate() {
                    let linear = 10f32.powf(*log);
                    weighted += linear * band_hz(k % (beat.log_mel.len() / 2));
                    power += linear;
                }
            }
            let strongest = classes.iter().copied().fold(1e-6, f32::max);
            BarCharacter {
                attacks_per_s: struck as f32 / (end - start).max(0.1) as f32,
                brightness_hz: if power > 0.0 { weighted / power } else { 0.0 },
                classes: classes.map(|c| c / strongest),
            }
        })
        .collect()
}

/// Bars at which phrases of eight bars begin, of four in a bed of fewer than sixteen: sections
/// begin phrases.
pub fn phrases(sections: &[Section], bars: usize) -> Vec<usize> {
    let length = if bars < 16 { 4 } else { 8 };
    sections.iter().flat_map(|s| (s.start_bar..s.end_bar).step_by(length)).collect()
}

/// Bars at which a phrase or half of one begins, counted from the beginning of each section: every four bars, in a bed of
/// bars of more than `LONG_BAR_SAMPLES` every two. Something new may begin at all of them.
pub fn half_phrases(sections: &[Section], bar_lines_samples: &[u64]) -> Vec<usize> {
    const LONG_BAR_SAMPLES: u64 = 13 * jaunty_units::SAMPLE_RATE_HZ as u64 / 5;
    let mut lengths: Vec<u64> = bar_lines_samples.windows(2).map(|w| w[1] - w[0]).collect();
    lengths.sort_unstable();
    let step = if lengths.get(lengths.len() / 2).is_some_and(|l| *l > LONG_BAR_SAMPLES) { 2 } else { 4 };
    sections.iter().flat_map(|s| (s.start_bar..s.end_bar).step_by(step)).collect()
}

/// Where the bed builds, fills out and thins out, in order.
pub fn arcs(levels_db: &[f32], characters: &[BarCharacter]) -> Vec<Arc> {
    /// Quieter than this under the loudest bar is as good as silent.
    const FLOOR_DB: f32 = -30.0;
    /// A sudden change is at least as large as this, in dB,
    const SUDDEN_DB: f32 = 5.0;
    /// a build rises by this,
    const BUILD_DB: f32 = 5.0;
    /// over this many bars.
    const BUILD_BARS: std::ops::RangeInclusive<usize> = 4..=16;
    let level = |k: usize| levels_db[k].max(FLOOR_DB);
    let bars = levels_db.len().min(characters.len());
    let mean = |from: usize, to: usize| (from..to).map(level).sum::<f32>() / (to - from).max(1) as f32;
    let mut all = Vec::new();
    let mut sudden = vec![false; bars + 1];
    for (bar, sudden) in sudden.iter_mut().enumerate().take(bars).skip(1) {
        let (before, after) = (mean(bar.saturating_sub(2), bar), mean(bar, (bar + 2).min(bars)));
        // It is the step itself that is sudden, not the slope that it lies on.
        let step = level(bar) - level(bar - 1);
        if (after - before).abs() >= SUDDEN_DB && step.abs() >= 0.6 * SUDDEN_DB && step.signum() == (after - before).signum() && bar + 1 < bars {
            *sudden = true;
            let motion = if step > 0.0 { Motion::FillsOut } else { Motion::ThinsOut };
            all.push(Arc { start_bar: bar, end_bar: bar + 1, motion, change_db: after - before });
        }
    }
    let mut from = 0;
    while from + BUILD_BARS.start() <= bars {
        // The longest rise from here without a sudden change or a step back of more than 1 dB.
        let steady = |k: &usize| !sudden[*k] && level(*k) > level(k - 1) - 1.0;
        let end = (from + 1..bars.min(from + BUILD_BARS.end())).take_while(steady).last().map_or(from + 1, |k| k + 1);
        let length = end - from;
        let rise = level(end - 1) - level(from);
        let (first, second) = (mean(from, from + length / 2), mean(from + length / 2, end));
        if BUILD_BARS.contains(&length) && rise >= BUILD_DB && second > first + 0.3 * BUILD_DB {
            all.push(Arc { start_bar: from, end_bar: end, motion: Motion::Builds, change_db: rise });
            from = end;
        } else {
            from += 1;
        }
    }
    all.sort_by_key(|arc| arc.start_bar);
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_ramp_builds_a_step_fills_out_and_a_break_thins_out() {
        let levels = [-20.0, -20.0, -18.0, -16.0, -14.0, -12.0, -12.0, -12.0, -2.0, -2.0, -2.0, -14.0, -14.0, -14.0];
        let arcs = arcs(&levels, &[BarCharacter::default(); 14]);
        let told: Vec<(usize, Motion)> = arcs.iter().map(|a| (a.start_bar, a.motion)).collect();
        assert_eq!(told, [(0, Motion::Builds), (8, Motion::FillsOut), (11, Motion::ThinsOut)]);
        assert!((arcs[0].change_db - 8.0).abs() < 0.1 && (arcs[1].change_db - 10.0).abs() < 0.1 && (arcs[2].change_db + 12.0).abs() < 0.1);
    }

    #[test]
    fn an_even_bed_has_no_arcs() {
        assert!(arcs(&[-3.0, -2.0, -3.5, -2.5, -3.0, -2.0, -1.0, -2.0], &[BarCharacter::default(); 8]).is_empty());
        assert!(arcs(&[], &[]).is_empty());
    }

    #[test]
    fn something_new_may_begin_every_four_bars_of_a_section_and_every_two_long_ones() {
        let section = |start_bar: usize, end_bar: usize| Section { start_bar, end_bar, start_samples: 0, end_samples: 0, label: "A".into(), name: None };
        let lines = |bar_samples: u64| (0..=16).map(|bar| bar * bar_samples).collect::<Vec<_>>();
        let sections = [section(0, 10), section(10, 16)];
        assert_eq!(half_phrases(&sections, &lines(2 * 48_000)), [0, 4, 8, 10, 14]);
        assert_eq!(half_phrases(&sections, &lines(3 * 48_000)), [0, 2, 4, 6, 8, 10, 12, 14]);
        assert!(half_phrases(&[], &[]).is_empty());
    }
}
