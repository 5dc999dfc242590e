//! The mix and its stems as files.

use super::super::listening::{MOST_RANGE_SAMPLES, Ready};
use super::super::task::{Report, TaskError};
use super::super::{Problem, Studio};
use super::Made;
use chrono::Utc;
use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::handover::{Coding, Level, SoundForm, Stem, level};
use jaunty_core::mix::Hear;
use jaunty_core::picture::Picture;
use jaunty_core::plan::Plan;
use jaunty_core::sound::limiter::Limiter;
use jaunty_core::sound::loudness::Loudness;
use jaunty_media::hand_over::{Broadcast, HandOverError, broadcast, decode_again, encode};
use jaunty_media::{WavStream, decode_to_source, step_of};
use std::fs::File;
use std::io::BufWriter;
use std::ops::Range;
use std::path::Path;
use std::sync::Arc;

/// The most samples of two channels that a WAV file of 4 GB holds, with its head.
fn most_samples(bytes_a_sample: u64) -> u64 {
    (u64::from(u32::MAX) - 4096) / bytes_a_sample
}

/// A share of a job that its parts tell their own share of.
#[derive(Clone)]
pub(super) struct Span {
    pub report: Report,
    pub from: f32,
    pub to: f32,
}

impl Span {
    pub fn say(&self, doing: &str, share: f32) -> Result<(), TaskError> {
        if self.report.say(doing, self.from + share * (self.to - self.from)) { Ok(()) } else { Err(TaskError::Cancelled) }
    }

    pub fn part(&self, from: f32, to: f32) -> Self {
        let at = |share: f32| self.from + share * (self.to - self.from);
        Self { report: self.report.clone(), from: at(from), to: at(to) }
    }
}

/// Where the sound of a file begins as the picture counts, in samples since midnight.
fn time_reference(picture: &Picture, start_samples: u64) -> u64 {
    picture.rate.samples_from_frames(picture.first_frame) + start_samples
}

impl Studio {
    /// The loudness of the whole of a plan, and by how much it is raised or lowered on its way out.
    pub(super) async fn measured(&self, ready: &Arc<Ready>, sound: SoundForm, span: &Span) -> Result<(Loudness, Level), TaskError> {
        span.say("measuring the mix", 0.0)?;
        let heard = ready.clone();
        let loudness = self.compute(move || heard.loudness()).await??;
        let level = level(loudness.integrated_lufs, loudness.true_peak_dbtp, sound.loudness_lufs, sound.coding.holds_more_than_full_scale());
        Ok((loudness, level))
    }

    /// Writes a range of a plan as WAV of 48 kHz, of floating point or of 24 bits.
    pub(super) async fn write_wav(
        &self,
        ready: &Arc<Ready>,
        range: Range<u64>,
        to: &Path,
        is_float: bool,
        limiter: Option<&Arc<Limiter>>,
        span: &Span,
    ) -> Result<(), TaskError> {
        let file = BufWriter::new(File::create(to)?);
        if range.end - range.start > most_samples(if is_float { 8 } else { 6 }) {
            return Err(Problem::bad_value("A WAV file holds at most 4 GB of sound. Hand the cut over in passages.").into());
        }
        let mut stream = if is_float { WavStream::float(file, 2)? } else { WavStream::new(file, 2)? };
        // In turn with everybody who listens meanwhile.
        for start in range.clone().step_by(MOST_RANGE_SAMPLES as usize) {
            span.say("rendering", (start - range.start) as f32 / (range.end - range.start).max(1) as f32)?;
            let (ready, limiter, end) = (ready.clone(), limiter.cloned(), range.end.min(start + MOST_RANGE_SAMPLES));
            let written = self.compute(move || -> Result<WavStream<_>, Problem> {
                let mut sound = ready.render(start..end, Hear::Everything)?;
                if let Some(limiter) = limiter {
                    limiter.apply(start, sound.channels_mut());
                }
                stream.append(&sound)?;
                Ok(stream)
            });
            stream = written.await??;
        }
        Ok(stream.finish()?)
    }

    /// A range of the mix as a file of any form.
    pub(super) async fn make_mix(
        &self,
        plan: &Plan,
        picture: &Picture,
        title: &str,
        range: Range<u64>,
        sound: SoundForm,
        span: &Span,
    ) -> Result<Made, TaskError> {
        let ready = Arc::new(self.open_plan(plan.clone()).await?);
        let (level, limiter) = if sound.limited {
            span.say("looking for peaks", 0.0)?;
            let heard = ready.clone();
            let (level, limiter) = self.compute(move || heard.limited(sound.loudness_lufs)).await??;
            (level, Some(Arc::new(limiter)))
        } else {
            (self.measured(&ready, sound, &span.part(0.0, 0.3)).await?.1, None)
        };
        let ready = Arc::new(self.open_plan(plan.raised(level.gain_db)).await?);
        let length = range.end - range.start;
        let is_plain = sound.rate_hz == SAMPLE_RATE_HZ && !sound.mono;
        let is_direct = is_plain && matches!(sound.coding, Coding::Wav24 | Coding::Wav32 | Coding::Broadcast);
        let wav = self.files.unfinished()?;
        self.write_wav(&ready, range.clone(), wav.path(), !is_direct || sound.coding == Coding::Wav32, limiter.as_ref(), &span.part(0.3, 0.7)).await?;
        span.say("writing the file", 0.75)?;
        let encoded = if is_direct {
            wav
        } else {
            let made = self.files.unfinished()?;
            let (from, to, title) = (wav.path().to_owned(), made.path().to_owned(), title.to_owned());
            self.compute(move || encode(&from, &to, sound, length, &title)).await?.map_err(problem)?;
            made
        };
        span.say("measuring the file", 0.9)?;
        let (after, decodes_to) = self.measured_file(encoded.path(), sound, length).await?;
        let file = if sound.coding == Coding::Broadcast {
            let made = self.files.unfinished()?;
            let about = Broadcast {
                description: title.to_owned(),
                time_reference: time_reference(picture, range.start) * u64::from(sound.rate_hz) / u64::from(SAMPLE_RATE_HZ),
                date: Utc::now().format("%Y-%m-%d").to_string(),
                time: Utc::now().format("%H:%M:%S").to_string(),
                lufs: after.integrated_lufs,
                range_lu: after.range_lu,
                peak_dbtp: after.true_peak_dbtp,
                most_momentary_lufs: None,
                most_short_term_lufs: after.short_term_max_lufs,
            };
            broadcast(encoded.path(), made.path(), &about)?;
            made
        } else {
            encoded
        };
        let mut told = vec![measured_words(&after)];
        let more = decodes_to as i64 - length as i64;
        if more.abs() > 2 {
            told.push(format!("it comes in blocks: some players read {more} samples more than the cut has"));
        }
        told.extend(level.words());
        if after.true_peak_dbtp.is_some_and(|peak| peak > 0.0) && !sound.coding.holds_more_than_full_scale() {
            told.push("its coding overshoots full scale; take WAV, FLAC or a lower loudness".into());
        }
        if after.clipped_count > 0 && sound.coding.holds_more_than_full_scale() {
            told.push("it goes over full scale, which this form holds".into());
        }
        Ok(Made { file, told })
    }

    /// What a file that was written measures, decoded again, and to how many samples of 48 kHz.
    async fn measured_file(&self, file: &Path, sound: SoundForm, length: u64) -> Result<(Loudness, u64), TaskError> {
        let decoded = self.files.unfinished()?;
        let (from, to) = (file.to_owned(), decoded.path().to_owned());
        let is_wav = sound.coding.extension() == "wav";
        let measure = move || -> Result<(Loudness, u64), HandOverError> {
            let path = if is_wav {
                from
            } else {
                decode_again(&from, &to, length)?;
                to
            };
            let source = decode_to_source(&path).map_err(|cause| HandOverError::Failed(cause.to_string()))?;
            Ok((jaunty_core::sound::loudness::measure_all(&*source), source.len_samples()))
        };
        Ok(self.compute(measure).await?.map_err(problem)?)
    }

    /// Stems as WAV files of 24 bits, with their names; the parts of the mix add up to it, step by step. Also by how much
    /// all of them are lowered, so that the mix does not clip.
    pub(super) async fn make_stems(&self, plan: &Plan, stems: Vec<Stem>, span: &Span) -> Result<(Vec<(String, tempfile::NamedTempFile)>, Level), TaskError> {
        let whole = Arc::new(self.open_plan(plan.clone()).await?);
        let (_, level) = self.measured(&whole, SoundForm::default(), &span.part(0.0, 0.2)).await?;
        let whole = Arc::new(self.open_plan(plan.raised(level.gain_db)).await?);
        if plan.length_samples > most_samples(6) {
            return Err(Problem::bad_value("A WAV file holds at most 4 GB of sound. Hand the cut over in passages.").into());
        }
        let mut open = Vec::new();
        for stem in stems {
            let file = self.files.unfinished()?;
            let stream = WavStream::new(BufWriter::new(File::create(file.path())?), 2)?;
            open.push((stem.name, stem.is_part, Arc::new(self.open_plan(stem.plan.raised(level.gain_db)).await?), file, stream));
        }
        for start in (0..plan.length_samples).step_by(MOST_RANGE_SAMPLES as usize) {
            span.say("rendering the layers", 0.2 + 0.8 * start as f32 / plan.length_samples.max(1) as f32)?;
            let range = start..plan.length_samples.min(start + MOST_RANGE_SAMPLES);
            let (ready, asked) = (whole.clone(), range.clone());
            let mix = self.compute(move || ready.render(asked, Hear::Everything)).await??;
            let steps = |sound: &jaunty_core::sound::Sound| -> Vec<i32> {
                let [left, right] = [&sound.channels()[0], &sound.channels()[sound.channels().len() - 1]];
                left.iter().zip(right).flat_map(|(l, r)| [step_of(*l), step_of(*r)]).collect()
            };
            // What the parts before have of each step of the mix: the last part takes the rest, which differs from its own
            // sound by the rounding of the others only.
            let mut rest = steps(&mix);
            let last_part = open.iter().rposition(|o| o.1);
            for (k, (_, is_part, ready, _, stream)) in open.iter_mut().enumerate() {
                if Some(k) == last_part {
                    stream.append_steps(rest.iter().copied())?;
                    continue;
                }
                let (ready, asked) = (ready.clone(), range.clone());
                let own = steps(&self.compute(move || ready.render(asked, Hear::Everything)).await??);
                if *is_part {
                    rest.iter_mut().zip(&own).for_each(|(r, o)| *r -= o);
                }
                stream.append_steps(own.into_iter())?;
            }
        }
        let mut made = Vec::new();
        for (name, _, _, file, stream) in open {
            stream.finish()?;
            made.push((format!("{name}.wav"), file));
        }
        Ok((made, level))
    }
}

/// What a file measures, for people.
fn measured_words(loudness: &Loudness) -> String {
    match (loudness.integrated_lufs, loudness.true_peak_dbtp) {
        (Some(lufs), Some(peak)) => format!("{lufs:.1} LUFS, {peak:.1} dBTP"),
        _ => "silence".to_owned(),
    }
}

/// What is said of a file that could not be written; the cause goes to the log.
pub(super) fn problem(cause: HandOverError) -> Problem {
    tracing::warn!(cause = ?cause, "a file was not written");
    match cause {
        HandOverError::Io(cause) => cause.into(),
        other => Problem::bad_value(other.to_string()),
    }
}
