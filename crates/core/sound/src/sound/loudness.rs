//! Loudness after ITU-R BS.1770-4 and EBU R 128, through the crate `ebur128`, and the block
//! energies from which levels under speech are set.

use super::Source;
use ebur128::{EbuR128, Mode};
use jaunty_units::SAMPLE_RATE_HZ;
use serde::{Deserialize, Serialize};

/// Loudness of a whole sound. `None` stands for silence, which has no loudness.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Loudness {
    /// Integrated loudness in LUFS, gated after BS.1770-4.
    pub integrated_lufs: Option<f64>,
    /// Highest short-term loudness (3 s) in LUFS.
    pub short_term_max_lufs: Option<f64>,
    /// Highest sample in dBFS.
    pub sample_peak_dbfs: Option<f64>,
    /// Highest true peak in dBTP, looked for where samples are highest.
    #[serde(default)]
    pub true_peak_dbtp: Option<f64>,
    /// Short-term loudness (3 s) at every second, in LUFS; -70 for silence.
    #[serde(default)]
    pub short_term_lufs: Vec<f32>,
    /// Loudness range in LU (EBU Tech 3342).
    #[serde(default)]
    pub range_lu: Option<f64>,
    /// Places at which samples stick to full scale: where the source is clipped.
    #[serde(default)]
    pub clipped_count: u64,
}

impl Loudness {
    /// What the same sound measures with so much more gain, in dB, where none of it sticks to full scale.
    #[must_use]
    pub fn raised(self, gain_db: f64) -> Self {
        let raised = |value: Option<f64>| value.map(|db| db + gain_db);
        Self {
            integrated_lufs: raised(self.integrated_lufs),
            short_term_max_lufs: raised(self.short_term_max_lufs),
            sample_peak_dbfs: raised(self.sample_peak_dbfs),
            true_peak_dbtp: raised(self.true_peak_dbtp),
            short_term_lufs: self.short_term_lufs.iter().map(|lufs| (f64::from(*lufs) + gain_db).max(-70.0) as f32).collect(),
            ..self
        }
    }
}

/// Distance of the blocks of [`block_energies`] in samples: a tenth of a second.
pub const BLOCK_SAMPLES: u64 = SAMPLE_RATE_HZ as u64 / 10;

/// The K-weighted energy at and below which a block counts as silence: -70 LUFS, the absolute gate of BS.1770-4.
pub const SILENCE_ENERGY: f64 = 1.1724653045822964e-7;

/// Loudness of a mean K-weighted energy in LUFS (BS.1770-4 equation 2).
pub fn lufs_from_energy(energy: f64) -> f64 {
    -0.691 + 10.0 * energy.log10()
}

/// Mean K-weighted energy of a loudness in LUFS.
pub fn energy_from_lufs(lufs: f64) -> f64 {
    10f64.powf((lufs + 0.691) / 10.0)
}

fn meter(channel_count: usize, mode: Mode) -> EbuR128 {
    let mut meter = EbuR128::new(channel_count as u32, SAMPLE_RATE_HZ, mode).expect("one or two channels at 48 kHz are always accepted");
    if channel_count == 1 {
        // A mono sound is heard from both loudspeakers.
        meter.set_channel(0, ebur128::Channel::DualMono).expect("channel 0 exists");
    }
    meter
}

pub(super) fn feed(source: &dyn Source, block: usize, mut each: impl FnMut(&[&[f32]])) {
    let len = source.len_samples();
    let mut planes = vec![vec![0.0f32; block]; source.channel_count()];
    let mut start = 0u64;
    while start < len {
        let count = block.min((len - start) as usize);
        for (channel, plane) in planes.iter_mut().enumerate() {
            source.read(channel, start as i64, &mut plane[..count]);
        }
        let views: Vec<&[f32]> = planes.iter().map(|p| &p[..count]).collect();
        each(&views);
        start += count as u64;
    }
}

/// Measures a whole sound. The true peak of all of it costs ten times the rest and is measured
/// apart ([`true_peak_dbtp`]); here it is looked for in the tenths of a second with the highest samples.
///
/// Everything is made from the energies of tenths of a second, so that the weighted samples are
/// gone over once: a gating block of BS.1770-4 is four of them, a short-term window thirty.
pub fn measure(source: &dyn Source) -> Loudness {
    let mut parts = Parts::new(source.channel_count());
    feed(source, BLOCK_SAMPLES as usize, |planes| parts.add(planes));
    let true_peak_dbtp = likely_true_peak_dbtp(source, &parts.peaks);
    parts.end(true_peak_dbtp)
}

/// [`measure`] with the true peak of all of it.
pub fn measure_all(source: &dyn Source) -> Loudness {
    let mut meter = LoudnessMeter::new(source.channel_count());
    feed(source, BLOCK_SAMPLES as usize, |planes| meter.add(planes));
    meter.end()
}

/// All of [`Loudness`] but the true peak.
struct Parts {
    energies: BlockEnergies,
    /// Highest sample of each tenth of a second.
    peaks: Vec<f32>,
    highest: f32,
    clipped_count: u64,
}

impl Parts {
    fn new(channel_count: usize) -> Self {
        Self { energies: BlockEnergies::new(channel_count), peaks: Vec::new(), highest: 0.0, clipped_count: 0 }
    }

    fn add(&mut self, planes: &[&[f32]]) {
        self.energies.add(planes);
        let len = planes[0].len();
        for start in (0..len).step_by(BLOCK_SAMPLES as usize) {
            let block = start..len.min(start + BLOCK_SAMPLES as usize);
            let peak = planes.iter().map(|p| highest(&[&p[block.clone()]])).fold(0.0, f32::max);
            self.clipped_count += planes.iter().map(|p| clips(&p[block.clone()])).sum::<u64>();
            self.highest = self.highest.max(peak);
            self.peaks.push(peak);
        }
    }

    fn end(self, true_peak_dbtp: Option<f64>) -> Loudness {
        let energies = self.energies.end();
        let short_term = windows(&energies, 30);
        Loudness {
            integrated_lufs: integrated_lufs(&energies),
            short_term_max_lufs: finite(lufs_from_energy(short_term.iter().copied().fold(0.0, f64::max))),
            sample_peak_dbfs: finite(jaunty_units::units::db_from_gain(f64::from(self.highest))),
            true_peak_dbtp,
            short_term_lufs: (0..energies.len().div_ceil(10)).map(|s| short_term_at(&energies, s)).collect(),
            range_lu: range_lu(short_term),
            clipped_count: self.clipped_count,
        }
    }
}

/// [`measure_all`] of a sound that comes piece by piece, of whole tenths of a second but for the last.
pub struct LoudnessMeter {
    parts: Parts,
    true_peak: TruePeak,
}

impl LoudnessMeter {
    /// For a sound of one or two channels.
    pub fn new(channel_count: usize) -> Self {
        Self { parts: Parts::new(channel_count), true_peak: TruePeak::new(channel_count) }
    }

    /// The next piece.
    pub fn add(&mut self, planes: &[&[f32]]) {
        /// From so many samples on a second thread is worth its while: a second.
        const LONG: usize = SAMPLE_RATE_HZ as usize;
        let Self { parts, true_peak } = self;
        if planes[0].len() < LONG {
            parts.add(planes);
            return true_peak.add(planes);
        }
        std::thread::scope(|scope| {
            scope.spawn(|| true_peak.add(planes));
            parts.add(planes);
        });
    }

    /// All of it was there.
    pub fn end(self) -> Loudness {
        let true_peak_dbtp = self.true_peak.dbtp();
        self.parts.end(true_peak_dbtp)
    }
}

/// Integrated loudness in LUFS and loudness range in LU of what has these [`block_energies`].
pub fn integrated_and_range(energies: &[f64]) -> (Option<f64>, Option<f64>) {
    (integrated_lufs(energies), range_lu(windows(energies, 30)))
}

/// Short-term loudness of the three seconds that end with second `second`, in LUFS, -70 at least.
fn short_term_at(energies: &[f64], second: usize) -> f32 {
    let end = ((second + 1) * 10).min(energies.len());
    let window = &energies[end.saturating_sub(30)..end];
    let mean = window.iter().sum::<f64>() / window.len().max(1) as f64;
    lufs_from_energy(mean.max(SILENCE_ENERGY)) as f32
}

/// The highest true peak (BS.1770-4 annex 2) among the fifty tenths of a second with the highest
/// samples: a true peak lies beside a high sample.
fn likely_true_peak_dbtp(source: &dyn Source, peaks: &[f32]) -> Option<f64> {
    const MOST: usize = 50;
    /// Samples around each tenth, for the interpolation.
    const AROUND: i64 = 64;
    let mut order: Vec<usize> = (0..peaks.len()).collect();
    order.sort_by(|&a, &b| peaks[b].total_cmp(&peaks[a]));
    let mut meter = meter(source.channel_count(), Mode::TRUE_PEAK);
    let mut planes = vec![vec![0.0f32; (BLOCK_SAMPLES as i64 + 2 * AROUND) as usize]; source.channel_count()];
    for &block in order.iter().take(MOST) {
        for (channel, plane) in planes.iter_mut().enumerate() {
            source.read(channel, (block as u64 * BLOCK_SAMPLES) as i64 - AROUND, plane);
            // A step from one tenth to the next is no part of the sound.
            let last = plane.len() - 1;
            for k in 0..AROUND as usize / 2 {
                let gain = k as f32 / (AROUND as f32 / 2.0);
                plane[k] *= gain;
                plane[last - k] *= gain;
            }
        }
        meter.add_frames_planar_f32(&planes.iter().map(Vec::as_slice).collect::<Vec<_>>()).ok()?;
    }
    top_db(source.channel_count(), |c| meter.true_peak(c).unwrap_or(0.0))
}

/// Mean energies of all runs of `tenths` blocks, in steps of one; of the whole where it is shorter.
fn windows(energies: &[f64], tenths: usize) -> Vec<f64> {
    energies.windows(tenths.min(energies.len().max(1))).map(|w| w.iter().sum::<f64>() / w.len() as f64).collect()
}

/// The mean of what lies at most `under_lu` under the mean of what is no silence, as energy; the
/// relative gate of BS.1770-4 and of EBU Tech 3342.
fn relative_gate(windows: &[f64], under_lu: f64) -> Option<f64> {
    let heard: Vec<f64> = windows.iter().copied().filter(|&e| e >= SILENCE_ENERGY).collect();
    (!heard.is_empty()).then(|| heard.iter().sum::<f64>() / heard.len() as f64 * 10f64.powf(-under_lu / 10.0))
}

/// Integrated loudness (BS.1770-4 annex 1): 400 ms blocks that overlap by three quarters, gated at
/// -70 LUFS and then 10 LU under what is left.
fn integrated_lufs(energies: &[f64]) -> Option<f64> {
    let blocks = windows(energies, 4);
    let gate = relative_gate(&blocks, 10.0)?.max(SILENCE_ENERGY);
    let loud: Vec<f64> = blocks.into_iter().filter(|&e| e >= gate).collect();
    finite(lufs_from_energy(loud.iter().sum::<f64>() / loud.len() as f64))
}

/// Loudness range (EBU Tech 3342): from the 10th to the 95th percentile of the short-term
/// loudness, gated at -70 LUFS and then 20 LU under what is left.
fn range_lu(short_term: Vec<f64>) -> Option<f64> {
    let gate = relative_gate(&short_term, 20.0)?.max(SILENCE_ENERGY);
    let mut heard: Vec<f64> = short_term.into_iter().filter(|&e| e >= gate).collect();
    heard.sort_by(f64::total_cmp);
    let at = |share: f64| heard.get(((heard.len() - 1) as f64 * share).round() as usize).copied();
    Some(lufs_from_energy(at(0.95)?) - lufs_from_energy(at(0.10)?))
}

/// Runs of samples at full scale. Three in a row are no chance: a sine that just reaches full
/// scale stays there for two (common practice, no source).
fn clips(plane: &[f32]) -> u64 {
    const FULL: f32 = 0.9995;
    const RUN: usize = 3;
    // Nearly always nothing is near full scale, and looking for that is quick.
    if plane.iter().fold(0.0f32, |top, s| top.max(s.abs())) < FULL {
        return 0;
    }
    plane.chunk_by(|a, b| a.abs() >= FULL && b.abs() >= FULL && a.signum() == b.signum()).filter(|run| run.len() >= RUN && run[0].abs() >= FULL).count() as u64
}

/// Highest true peak of a sound in dBTP (BS.1770-4 annex 2); `None` for silence.
pub fn true_peak_dbtp(source: &dyn Source) -> Option<f64> {
    let mut peak = TruePeak::new(source.channel_count());
    feed(source, BLOCK_SAMPLES as usize, |planes| peak.add(planes));
    peak.dbtp()
}

fn finite(value: f64) -> Option<f64> {
    value.is_finite().then_some(value)
}

fn top_db(channel_count: usize, of: impl Fn(u32) -> f64) -> Option<f64> {
    finite(jaunty_units::units::db_from_gain((0..channel_count as u32).map(of).fold(0.0, f64::max)))
}

fn last_block_energy(meter: &EbuR128, frames: usize) -> f64 {
    let window_ms = (frames as u64 * 1000 / u64::from(SAMPLE_RATE_HZ)).max(1) as u32;
    let lufs = meter.loudness_window(window_ms).unwrap_or(f64::NEG_INFINITY);
    if lufs.is_finite() { energy_from_lufs(lufs) } else { 0.0 }
}

/// Mean K-weighted energy of each tenth of a second, channels summed as BS.1770-4 does.
///
/// The last block may be shorter; its energy is the mean over what there is.
pub fn block_energies(source: &dyn Source) -> Vec<f64> {
    let mut energies = BlockEnergies::new(source.channel_count());
    feed(source, BLOCK_SAMPLES as usize, |planes| energies.add(planes));
    energies.end()
}

/// [`block_energies`] of a sound that comes piece by piece.
pub struct BlockEnergies {
    meter: EbuR128,
    energies: Vec<f64>,
}

impl BlockEnergies {
    /// For a sound of one or two channels.
    pub fn new(channel_count: usize) -> Self {
        Self { meter: meter(channel_count, Mode::M), energies: Vec::new() }
    }

    /// The next piece, of whole blocks unless it is the last one.
    pub fn add(&mut self, planes: &[&[f32]]) {
        let len = planes[0].len();
        for start in (0..len).step_by(BLOCK_SAMPLES as usize) {
            let block: Vec<&[f32]> = planes.iter().map(|plane| &plane[start..len.min(start + BLOCK_SAMPLES as usize)]).collect();
            self.meter.add_frames_planar_f32(&block).expect("planes of one length");
            self.energies.push(last_block_energy(&self.meter, block[0].len()));
        }
    }

    /// The energies of all blocks.
    pub fn end(self) -> Vec<f64> {
        self.energies
    }
}

/// [`true_peak_dbtp`] of a sound that comes piece by piece.
///
/// Between samples a band-limited sound reaches no higher than [`OVERSHOOT`] times the highest sample around. Where even that
/// is under the highest peak so far nothing is interpolated: the result is the same, and most of a sound is such.
pub struct TruePeak {
    meter: EbuR128,
    /// The last samples of each channel that the meter may not have seen.
    before: Vec<[f32; REACH]>,
    /// Whether it saw them.
    is_fed: bool,
}

/// Samples on either side that the interpolation goes over, and more.
const REACH: usize = 32;
/// Over the interpolation filter's sum of magnitudes in any phase, which is under 1.9.
const OVERSHOOT: f32 = 2.2;
/// Samples of which it is decided at once whether they are interpolated.
const DECIDED: usize = 480;

fn highest(planes: &[&[f32]]) -> f32 {
    planes.iter().flat_map(|p| p.iter()).fold(0.0f32, |top, s| top.max(s.abs()))
}

impl TruePeak {
    /// For a sound of one or two channels.
    pub fn new(channel_count: usize) -> Self {
        Self { meter: meter(channel_count, Mode::TRUE_PEAK), before: vec![[0.0; REACH]; channel_count], is_fed: true }
    }

    fn feed(&mut self, planes: &[&[f32]]) {
        self.meter.add_frames_planar_f32(planes).expect("planes of one length");
    }

    fn so_far(&self) -> f32 {
        (0..self.channel_count() as u32).map(|c| self.meter.true_peak(c).unwrap_or(0.0)).fold(0.0, f64::max) as f32
    }

    /// The next piece.
    pub fn add(&mut self, planes: &[&[f32]]) {
        let len = planes[0].len();
        for start in (0..len).step_by(DECIDED) {
            let block: Vec<&[f32]> = planes.iter().map(|plane| &plane[start..len.min(start + DECIDED)]).collect();
            let before: Vec<[f32; REACH]> = self.before.clone();
            let before: Vec<&[f32]> = before.iter().map(<[f32; REACH]>::as_slice).collect();
            let needed = highest(&block).max(highest(&before)) * OVERSHOOT >= self.so_far();
            if needed {
                // What was left out before lies under the highest, and so does whatever the meter makes of it.
                if !self.is_fed {
                    self.feed(&before);
                }
                self.feed(&block);
            }
            self.is_fed = needed;
            for (kept, plane) in self.before.iter_mut().zip(&block) {
                let fresh = plane.len().min(REACH);
                kept.copy_within(fresh.., 0);
                kept[REACH - fresh..].copy_from_slice(&plane[plane.len() - fresh..]);
            }
        }
    }

    /// The next piece; the highest in it as an amplitude. The meter finds it some samples late.
    pub fn add_and_look(&mut self, planes: &[&[f32]]) -> f32 {
        self.feed(planes);
        (0..self.channel_count() as u32).map(|c| self.meter.prev_true_peak(c).unwrap_or(0.0)).fold(0.0, f64::max) as f32
    }

    /// Of how many channels.
    pub fn channel_count(&self) -> usize {
        self.meter.channels() as usize
    }

    /// The highest so far, in dBTP; `None` for silence.
    pub fn dbtp(&self) -> Option<f64> {
        top_db(self.channel_count(), |c| self.meter.true_peak(c).unwrap_or(0.0))
    }
}
