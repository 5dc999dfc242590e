//! One splice close up: both sides over each other, their beats, and the level through the joint.

use super::{FittedBed, Fitting};
use jaunty_reading::reading::Reading;
use jaunty_sound::sound::Source;
use jaunty_sound::splice::LEAD_SAMPLES;
use jaunty_units::SAMPLE_RATE_HZ;
use jaunty_units::units::seconds_from_samples;
use serde::Serialize;

/// A splice close up. Times are seconds from the beat at which both sides meet, as heard in the cut.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct CloseUp {
    /// Seconds between two peaks.
    pub step_s: f64,
    /// Where the first peak is.
    pub start_s: f64,
    /// Highest samples of the leaving side, as it would go on, 0 to 1.
    pub leaving: Vec<f32>,
    /// Highest samples of the entering side, as it came, 0 to 1.
    pub entering: Vec<f32>,
    /// Highest samples of what is heard.
    pub heard: Vec<f32>,
    /// Beats of the leaving side.
    pub leaving_beats_s: Vec<f64>,
    /// Beats of the entering side.
    pub entering_beats_s: Vec<f64>,
    /// Where the crossfade begins.
    pub fade_start_s: f64,
    /// Where it is complete.
    pub fade_end_s: f64,
    /// Gains of both sides over the crossfade, in equal steps.
    pub gains: Vec<(f32, f32)>,
    /// Level of what is heard in dBFS, over hundredths of a second.
    pub levels_db: Vec<f32>,
    /// Seconds between two levels.
    pub level_step_s: f64,
    /// How far the level inside the crossfade is from that of both sides, in dB.
    pub joint_db: f32,
}

impl CloseUp {
    /// Splice `index` of a fitting of `bed`, so far on either side; none where there is no such splice.
    pub fn of(bed: &dyn Source, fitting: &Fitting, reading: &Reading, index: usize, reach_s: f64) -> Option<Self> {
        let splice = fitting.splices.get(index)?;
        /// Peaks over the whole width.
        const PEAKS: i64 = 900;
        /// A hundredth of a second.
        const LEVEL: i64 = 480;
        let reach = (reach_s * f64::from(SAMPLE_RATE_HZ)) as i64;
        let step = (2 * reach / PEAKS).max(1);
        let heard = FittedBed::new(bed, fitting);
        let read = |source: &dyn Source, middle: i64, from: i64, count: i64| {
            let mut samples = vec![0.0f32; count.max(0) as usize];
            source.read_mono(middle + from, &mut samples);
            samples
        };
        let peaks = |source: &dyn Source, middle: u64| -> Vec<f32> {
            let samples = read(source, middle as i64, -reach, 2 * reach);
            samples.chunks(step as usize).map(|c| c.iter().fold(0.0f32, |top, s| top.max(s.abs()))).collect()
        };
        let power = |samples: &[f32]| samples.iter().map(|s| s * s).sum::<f32>() / samples.len().max(1) as f32;
        let db = |power: f32| 10.0 * (power + 1e-10).log10();
        let beats = |line: u64| -> Vec<f64> {
            let near = |b: &&u64| (**b as i64 - line as i64).abs() <= reach;
            reading.beats_samples.iter().filter(near).map(|b| (*b as f64 - line as f64) / 48_000.0).collect()
        };
        let join = splice.join;
        let fade = join.fade_samples as i64;
        let end = -(LEAD_SAMPLES as i64);
        let ([left, entered], met) = (splice.sides_meet_samples(), splice.meets_samples());
        let through = read(&heard, met as i64, end - fade, fade);
        let sides = 0.5 * (power(&read(bed, left as i64, end - fade, fade)) + power(&read(bed, entered as i64, end - fade, fade)));
        Some(Self {
            step_s: seconds_from_samples(step as u64),
            start_s: -(reach as f64) / 48_000.0,
            leaving: peaks(bed, left),
            entering: peaks(bed, entered),
            heard: peaks(&heard, met),
            leaving_beats_s: beats(left),
            entering_beats_s: beats(entered),
            fade_start_s: (end - fade) as f64 / 48_000.0,
            fade_end_s: end as f64 / 48_000.0,
            gains: (0..=40).map(|k| join.gains(k as f32 / 40.0)).collect(),
            levels_db: read(&heard, met as i64, -reach, 2 * reach).chunks(LEVEL as usize).map(|c| db(power(c))).collect(),
            level_step_s: seconds_from_samples(LEVEL as u64),
            joint_db: db(power(&through)) - db(sides),
        })
    }
}
