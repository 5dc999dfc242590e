//! Level objects from narration and measurement.

use super::forms::Opening;
use super::{BED_ALONE_LUFS, FadeShape, LEAST_UNDER_SPEECH_DB, LevelObject, ShapeWishes, Slope, UNDER_SPEECH_DB};
use jaunty_sound::sound::loudness::{BLOCK_SAMPLES, SILENCE_ENERGY, energy_from_lufs, lufs_from_energy};
use jaunty_speech::speech::{Gap, Phrase, gaps};
use jaunty_units::SAMPLE_RATE_HZ;
use jaunty_units::units::samples_from_seconds;

/// The level stays up at least this long between rise and fall.
const LEAST_HOLD_S: f64 = 0.5;
/// The bed leaves the dip this long after the last syllable,
const AFTER_SPEECH_S: f64 = 0.10;
/// and is back this long before the next.
const BEFORE_SPEECH_S: f64 = 0.15;
/// Swells that a short gap makes lower than this are left out: they sound like a mistake.
const LEAST_RISE_DB: f64 = 4.0;
/// The top of a swell moves by at most this much to fall on a downbeat: a beat or so.
const TOP_REACH_S: f64 = 0.7;
/// A sparse passage is raised over what the whole bed's loudness asks for by at most this much.
/// A loud one is lowered without limit: the voice is never buried.
const MOST_CORRECTION_DB: f64 = 6.0;

/// What is measured of bed and speech before levels are set: mean K-weighted energies of tenths
/// of seconds of the cut, the bed as fitted and at unity gain.
#[derive(Debug, Clone, Copy)]
pub struct Measured<'a> {
    /// The bed's.
    pub bed: &'a [f64],
    /// The narration's.
    pub speech: &'a [f64],
    /// Loudness of the film's own sound where it is heard with the bed, in LUFS.
    pub film_lufs: Option<f64>,
}

fn blocks(start_samples: u64, end_samples: u64, len: usize) -> std::ops::Range<usize> {
    let from = ((start_samples / BLOCK_SAMPLES) as usize).min(len);
    let to = (end_samples.div_ceil(BLOCK_SAMPLES) as usize).clamp(from, len);
    from..to
}

fn mean(energies: &[f64]) -> f64 {
    energies.iter().sum::<f64>() / energies.len().max(1) as f64
}

/// Energetic mean of what is over the absolute gate, in LUFS.
fn gated_lufs(energies: &[f64]) -> Option<f64> {
    let heard: Vec<f64> = energies.iter().copied().filter(|&e| e > SILENCE_ENERGY).collect();
    (!heard.is_empty()).then(|| lufs_from_energy(mean(&heard)))
}

/// Loudness of the speech while it is present, in LUFS; `None` without any.
pub fn speech_lufs(phrases: &[Phrase], speech: &[f64]) -> Option<f64> {
    let spoken: Vec<f64> = phrases.iter().flat_map(|p| speech[blocks(p.start_samples, p.end_samples, speech.len())].iter().copied()).collect();
    gated_lufs(&spoken)
}

/// Energies of speech under its trims.
pub fn trimmed(speech: &[f64], trims: &[LevelObject]) -> Vec<f64> {
    let mut all = speech.to_vec();
    for trim in trims {
        if let LevelObject::Trim { start_samples, end_samples, gain_db } = *trim {
            let gain = 10f64.powf(gain_db / 10.0);
            all[blocks(start_samples, end_samples, speech.len())].iter_mut().for_each(|energy| *energy *= gain);
        }
    }
    all
}

/// Where the bed lies and how it begins and ends, for its fades and the tops of its swells.
#[derive(Debug, Clone, Default)]
pub struct Frame {
    /// Length of the cut in samples.
    pub length_samples: u64,
    /// Where the bed begins on the cut.
    pub start_samples: u64,
    /// Where it is over.
    pub end_samples: u64,
    /// Whether it is faded in: a bed that begins by itself is not.
    pub fades_in: bool,
    /// Length after its own last hit, which a fade out must not reach into.
    pub ring_out_samples: Option<u64>,
    /// Downbeats of the bed as fitted, rising; tops of swells prefer them.
    pub downbeats_samples: Vec<u64>,
    /// Time over which the bed before it gives over to it.
    pub hand_in_samples: Option<u64>,
    /// Time over which it gives over to the bed after it.
    pub hand_out_samples: Option<u64>,
}

impl Frame {
    /// A bed over all of a cut.
    pub fn whole(length_samples: u64) -> Self {
        Self { length_samples, end_samples: length_samples, fades_in: true, ..Self::default() }
    }
}

/// The level objects of a bed under a narration.
///
/// `phrases` are in samples of the cut. `before` are the objects so far: what was set by hand
/// stays where it still touches a phrase or a gap of its own.
pub fn propose_bed(measured: Measured<'_>, phrases: &[Phrase], frame: &Frame, wishes: &ShapeWishes, before: &[LevelObject]) -> Vec<LevelObject> {
    let mut objects = Vec::new();
    let bed_lufs = gated_lufs(measured.bed).unwrap_or(BED_ALONE_LUFS);
    match speech_lufs(phrases, measured.speech) {
        // Without a voice the film's own sound is what must be understood; without that, nothing is.
        None => {
            let lufs = measured.film_lufs.map_or(wishes.bed_alone_lufs, |film| film - wishes.alone_db);
            objects.push(LevelObject::Base { gain_db: lufs - bed_lufs });
        }
        Some(speech) => {
            let levels = Levels { measured, speech, bed: bed_lufs, wishes, frame };
            let (dips, swells) = levels.dips_and_swells(phrases);
            objects.extend(dips);
            objects.extend(emphases(phrases, before));
            objects.extend(swells);
        }
    }
    objects.extend(before.iter().filter(|o| matches!(o, LevelObject::Sweep { .. })).cloned());
    let place = frame.end_samples.saturating_sub(frame.start_samples);
    // Common practice: about 1 s in and 2 s out, the out longer than the in.
    let fade_in_s = wishes.fade_in_s.unwrap_or(if frame.fades_in { 1.0 } else { 0.0 });
    let fade_out_s = wishes.fade_out_s.unwrap_or(2.0);
    let asked_out = wishes.fade_out_s.map_or(frame.ring_out_samples.unwrap_or(u64::MAX), |_| u64::MAX);
    let shape = wishes.fade_shape;
    let fade_in = samples_from_seconds(fade_in_s).min(place / 4);
    let fade_out = samples_from_seconds(fade_out_s).min(place / 4).min(asked_out);
    // Two beds are unlike sounds, of which equal power keeps the level.
    let handed = |samples: Option<u64>, else_samples| samples.map_or((else_samples, shape), |s| (s.min(place), FadeShape::EqualPower));
    let ((fade_in, in_shape), (fade_out, out_shape)) = (handed(frame.hand_in_samples, fade_in), handed(frame.hand_out_samples, fade_out));
    objects.push(LevelObject::FadeIn { start_samples: frame.start_samples, length_samples: fade_in, shape: in_shape, by_hand: false });
    objects.push(LevelObject::FadeOut { end_samples: frame.end_samples, length_samples: fade_out, shape: out_shape, by_hand: false });
    objects.into_iter().map(|object| kept_by_hand(&object, before).unwrap_or(object)).collect()
}

/// Emphases that still lie on a phrase, on that phrase as it lies now.
fn emphases(phrases: &[Phrase], before: &[LevelObject]) -> Vec<LevelObject> {
    let on = |start: u64, end: u64| {
        phrases.iter().filter(|p| p.end_samples.min(end) > p.start_samples.max(start)).max_by_key(|p| p.end_samples.min(end) - p.start_samples.max(start))
    };
    before
        .iter()
        .filter_map(|object| match *object {
            LevelObject::Emphasis { start_samples, end_samples, deeper_db } => {
                let phrase = on(start_samples, end_samples)?;
                Some(LevelObject::Emphasis { start_samples: phrase.start_samples, end_samples: phrase.end_samples, deeper_db })
            }
            _ => None,
        })
        .collect()
}

/// `object` as a hand-set object of the same kind has it that overlaps it by more than half; fades
/// have one counterpart.
fn kept_by_hand(object: &LevelObject, before: &[LevelObject]) -> Option<LevelObject> {
    let (start, end) = object.span()?;
    let fade = matches!(object, LevelObject::FadeIn { .. } | LevelObject::FadeOut { .. });
    let alike = |old: &&LevelObject| {
        let overlap = |(a, b): (u64, u64)| b.min(end).saturating_sub(a.max(start));
        std::mem::discriminant(*old) == std::mem::discriminant(object)
            && old.by_hand()
            && (fade || old.span().is_some_and(|s| 2 * overlap(s) > (s.1 - s.0).min(end - start)))
    };
    before.iter().find(alike).and_then(|old| object.with_hand(old))
}

struct Levels<'a> {
    measured: Measured<'a>,
    speech: f64,
    bed: f64,
    wishes: &'a ShapeWishes,
    frame: &'a Frame,
}

impl Levels<'_> {
    fn dips_and_swells(&self, phrases: &[Phrase]) -> (Vec<LevelObject>, Vec<LevelObject>) {
        let length_samples = self.frame.length_samples;
        let mut swells = Vec::new();
        let mut dips = Vec::new();
        let mut group: Option<(u64, u64)> = None;
        let mut spoken: Vec<(u64, u64)> = Vec::new();
        let spaces = gaps(phrases, length_samples);
        for phrase in phrases.iter().filter(|p| p.start_samples < length_samples) {
            let end = phrase.end_samples.min(length_samples);
            let gap_before = spaces.iter().find(|g| g.end_samples == phrase.start_samples);
            if let Some(swell) = gap_before.and_then(|&gap| self.swell(gap, length_samples)) {
                swells.push(swell);
                dips.extend(group.take().map(|g| self.dip(g, &std::mem::take(&mut spoken))));
            }
            if self.wishes.hold_each_phrase {
                // Between two of them the level goes from one to the other, over the whole of their gap.
                dips.push(self.held((phrase.start_samples, end)));
                continue;
            }
            group = Some((group.map_or(phrase.start_samples, |g| g.0), end));
            spoken.push((phrase.start_samples, end));
        }
        dips.extend(group.map(|g| self.dip(g, &spoken)));
        let closing = spaces.last().filter(|g| g.end_samples == length_samples && g.start_samples > 0);
        swells.extend(closing.and_then(|&gap| self.swell(gap, length_samples)));
        (dips, swells)
    }

    /// The swell that a gap has time for: a short gap gets a lower one at the same slope.
    fn swell(&self, gap: Gap, length_samples: u64) -> Option<LevelObject> {
        let (first, last) = (gap.start_samples == 0, gap.end_samples == length_samples);
        if let (true, false, Some(opening)) = (first, last, self.wishes.opening) {
            return Some(self.opening(gap, opening));
        }
        let wishes = self.wishes;
        let closing = wishes.closing.filter(|_| last && !first);
        let under_words = closing.filter(|c| c.under_words_s > 0.0).map(|c| gap.start_samples.saturating_sub(samples_from_seconds(c.under_words_s)));
        let start_samples = if first { 0 } else { under_words.unwrap_or(gap.start_samples + samples_from_seconds(AFTER_SPEECH_S)) };
        let end_samples = if last { length_samples } else { gap.end_samples.saturating_sub(samples_from_seconds(BEFORE_SPEECH_S)) };
        let room_s = end_samples.saturating_sub(start_samples) as f64 / f64::from(SAMPLE_RATE_HZ);
        let slopes = f64::from(u8::from(!first) + u8::from(!last)).max(1.0);
        // Behind the last words the bed may take longer to rise.
        let wanted_s = closing.map_or(wishes.ease_s, |c| c.rise_s);
        let ease_s = ((room_s - LEAST_HOLD_S) / slopes).min(wanted_s);
        let full = (wishes.under_speech_db - wishes.alone_db).max(0.0);
        // A short gap gets a lower swell at the same slope.
        let rise_db = if wishes.ease_s > 0.0 { full * (ease_s / wishes.ease_s).min(1.0) } else { full };
        let too_short = closing.is_none() && gap.length_samples() < samples_from_seconds(wishes.least_gap_s);
        if too_short || ease_s < 0.0 || rise_db <= 0.0 || rise_db < LEAST_RISE_DB.min(full) {
            return None;
        }
        let under_speech_db = wishes.under_speech_db - rise_db;
        let ease = samples_from_seconds(ease_s);
        let rise_samples = if first { 0 } else { self.to_a_downbeat(start_samples, ease, end_samples - if last { 0 } else { ease }) };
        Some(LevelObject::Swell {
            start_samples,
            end_samples,
            rise_samples,
            fall_samples: if last { 0 } else { ease },
            gain_db: self.speech - under_speech_db - self.bed,
            under_speech_db,
            rise_slope: closing.map_or(Slope::One, |c| c.slope),
            fall_slope: Slope::One,
            by_hand: false,
        })
    }

    /// The bed alone at first, and its fall under the voice as somebody wants it.
    fn opening(&self, gap: Gap, opening: Opening) -> LevelObject {
        let (end_samples, fall_samples) = opening.fall(gap.end_samples);
        LevelObject::Swell {
            start_samples: 0,
            end_samples,
            rise_samples: 0,
            fall_samples,
            gain_db: self.speech - self.wishes.alone_db - self.bed,
            under_speech_db: self.wishes.alone_db,
            rise_slope: Slope::One,
            fall_slope: opening.slope,
            by_hand: false,
        }
    }

    /// The length of a rise that reaches its top on a downbeat near where it would be anyway, if
    /// that leaves the least hold before `until`.
    fn to_a_downbeat(&self, start: u64, ease: u64, until: u64) -> u64 {
        let (top, reach, hold) = (start + ease, samples_from_seconds(TOP_REACH_S), samples_from_seconds(LEAST_HOLD_S));
        let near = |d: &&u64| d.abs_diff(top) <= reach && **d > start + ease / 2 && **d + hold <= until;
        let downbeat = self.frame.downbeats_samples.iter().filter(near).min_by_key(|d| d.abs_diff(top));
        downbeat.map_or(ease, |d| d - start)
    }

    /// The dip under one phrase, as far under just this phrase as asked.
    fn held(&self, (start_samples, end_samples): (u64, u64)) -> LevelObject {
        let Measured { bed, speech, .. } = self.measured;
        let under = self.wishes.under_speech_db;
        let own = |of: &[f64]| gated_lufs(&of[blocks(start_samples, end_samples, of.len())]);
        let whole = self.speech - under - self.bed;
        let gain_db = own(speech).zip(own(bed)).map_or(whole, |(speech, bed)| speech - under - bed);
        // A bed that pauses here is not raised out of its noise.
        LevelObject::Dip { start_samples, end_samples, gain_db: gain_db.min(whole + 2.0 * MOST_CORRECTION_DB), under_speech_db: under, by_hand: false }
    }

    /// The dip under one group of phrases: as far under the speech as asked on average (20 dB), in
    /// no three seconds with speech more than 2 dB closer.
    fn dip(&self, (start_samples, end_samples): (u64, u64), spoken: &[(u64, u64)]) -> LevelObject {
        let Measured { bed, speech, .. } = self.measured;
        let count = bed.len().min(speech.len());
        let while_spoken: Vec<f64> = spoken.iter().flat_map(|&(a, b)| bed[blocks(a, b, bed.len())].iter().copied()).collect();
        let under = self.wishes.under_speech_db;
        let least = under - (UNDER_SPEECH_DB - LEAST_UNDER_SPEECH_DB);
        let whole = self.speech - under - self.bed;
        let own = gated_lufs(&while_spoken).map_or(whole, |bed| self.speech - under - bed);
        let mut gain_db = own.min(whole + MOST_CORRECTION_DB);
        /// Three seconds, the short-term window of EBU Tech 3341.
        const WINDOW: usize = 30;
        // Speech is present in a tenth that is no more than 13 dB under its mean.
        let present = 0.05 * energy_from_lufs(self.speech);
        for from in blocks(start_samples, end_samples, count) {
            let window = from..(from + WINDOW).min(count);
            let talking: Vec<usize> = window.filter(|&b| speech[b] > present).collect();
            let over = |energies: &[f64]| talking.iter().map(|&b| energies[b]).sum::<f64>() / talking.len() as f64;
            if 2 * talking.len() < WINDOW || over(bed) <= SILENCE_ENERGY {
                continue;
            }
            let apart = lufs_from_energy(over(speech)) - lufs_from_energy(over(bed));
            gain_db = gain_db.min(apart - least);
        }
        LevelObject::Dip { start_samples, end_samples, gain_db, under_speech_db: under, by_hand: false }
    }
}
