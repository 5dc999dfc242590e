//! The mix and its stems as files.

use super::super::listening::{MOST_RANGE_SAMPLES, Ready};
use super::super::task::{Report, TaskError};
use super::super::{Problem, Studio};
use super::Made;
use chrono::Utc;
use futures_util::future::join_all;
use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::handover::{Coding, GoesRound, Level, Share, SoundForm, Stem, level, limited};
use jaunty_core::mix::Hear;
use jaunty_core::picture::Picture;
use jaunty_core::plan::Plan;
use jaunty_core::sound::limiter::{Limiter, for_limiter};
use jaunty_core::sound::loudness::{Loudness, LoudnessMeter, measure_all};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::units::gain_from_db;
use jaunty_media::hand_over::{Broadcast, HandOverError, broadcast, decode_again, encode};
use jaunty_media::{PcmFile, PcmWriter, WavStream, decode_to_source, steps_of, take_away};
use std::fs::File;
use std::ops::Range;
use std::path::Path;
use std::sync::Arc;
use tempfile::NamedTempFile;

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

/// A mix as it was rendered, with what it measures.
pub(super) struct Rendered {
    source: Arc<dyn Source + Send + Sync>,
    pub loudness: Loudness,
    _file: NamedTempFile,
}

impl Rendered {
    /// By how much it is raised or lowered on its way out.
    pub fn level(&self, sound: SoundForm) -> Level {
        let Loudness { integrated_lufs, true_peak_dbtp, .. } = self.loudness;
        level(integrated_lufs, true_peak_dbtp, sound.loudness_lufs, sound.coding.holds_more_than_full_scale())
    }
}

/// Which part of a mix is written.
pub(super) struct MixRange {
    pub range: Range<u64>,
    /// Whether its end runs into its beginning.
    pub loops: bool,
}

impl MixRange {
    pub fn whole(plan: &Plan) -> Self {
        Self { range: 0..plan.length_samples, loops: false }
    }
}

/// What happens to a mix on its way out.
#[derive(Clone)]
pub(super) struct OnItsWay {
    pub gain_db: f64,
    pub limiter: Option<Arc<Limiter>>,
}

impl OnItsWay {
    /// A range of a mix as it leaves.
    fn leaves(&self, mix: &dyn Source, range: Range<u64>) -> Sound {
        let mut sound = Sound::of(mix, range.clone());
        if self.gain_db != 0.0 {
            sound.raise(gain_from_db(self.gain_db) as f32);
        }
        if let Some(limiter) = &self.limiter {
            limiter.apply(range.start, sound.channels_mut());
        }
        sound
    }
}

/// A stem that is being written.
struct OpenStem {
    name: String,
    share: Share,
    ready: Ready,
    file: NamedTempFile,
    stream: WavStream<'static>,
}

/// A stem with a range of it, and its steps.
type Rendering = (OpenStem, Option<(Sound, Vec<i32>)>);

impl Studio {
    /// Renders a plan once, and measures it as it goes: all else is made from that. In turn with everybody who listens meanwhile.
    pub(super) async fn rendered(&self, plan: &Plan, span: &Span) -> Result<Rendered, TaskError> {
        let ready = Arc::new(self.open_plan(plan.clone()).await?);
        let file = self.files.unfinished()?;
        let (mut writer, mut meter) = (PcmWriter::create(file.path(), 2)?, LoudnessMeter::new(2));
        for start in (0..plan.length_samples).step_by(MOST_RANGE_SAMPLES as usize) {
            span.say("rendering and measuring the mix", start as f32 / plan.length_samples.max(1) as f32)?;
            let (ready, end) = (ready.clone(), plan.length_samples.min(start + MOST_RANGE_SAMPLES));
            let work = move || -> Result<_, Problem> {
                let sound = ready.render_at_once(start..end)?;
                let planes: Vec<&[f32]> = sound.channels().iter().map(Vec::as_slice).collect();
                meter.add(&planes);
                writer.append(&planes)?;
                Ok((writer, meter))
            };
            (writer, meter) = self.compute(work).await??;
        }
        writer.close()?;
        let source = PcmFile::open(file.path())?;
        Ok(Rendered { source: Arc::new(source), loudness: meter.end(), _file: file })
    }

    /// Writes a range of the mix as WAV of 48 kHz, of floating point or of 24 bits.
    pub(super) async fn write_wav(&self, mix: &Rendered, range: Range<u64>, to: &Path, is_float: bool, out: &OnItsWay, span: &Span) -> Result<(), TaskError> {
        let file = File::create(to)?;
        if range.end - range.start > most_samples(if is_float { 8 } else { 6 }) {
            return Err(Problem::bad_value("A WAV file holds at most 4 GB of sound. Hand the cut over in passages.").into());
        }
        let mut stream = if is_float { WavStream::float(file, 2)? } else { WavStream::new(file, 2)? };
        for start in range.clone().step_by(MOST_RANGE_SAMPLES as usize) {
            span.say("writing the sound", (start - range.start) as f32 / (range.end - range.start).max(1) as f32)?;
            let (source, out, end) = (mix.source.clone(), out.clone(), range.end.min(start + MOST_RANGE_SAMPLES));
            let written = self.compute(move || -> Result<WavStream<'static>, Problem> {
                stream.append(&out.leaves(&*source, start..end))?;
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
        MixRange { range, loops }: MixRange,
        sound: SoundForm,
        span: &Span,
    ) -> Result<Made, TaskError> {
        let mut mix = self.rendered(plan, &span.part(0.0, 0.4)).await?;
        let (level, limiter) = if sound.limited {
            span.say("looking for peaks", 0.4)?;
            let source = mix.source.clone();
            let found = move || {
                let (energies, peaks) = for_limiter(&*source);
                limited(&energies, &peaks, sound.loudness_lufs)
            };
            let (level, limiter) = self.compute(found).await?;
            (level, Some(Arc::new(limiter)))
        } else {
            (mix.level(sound), None)
        };
        let out = OnItsWay { gain_db: level.gain_db, limiter };
        if loops {
            mix.source = Arc::new(GoesRound { mix: mix.source, passage: range.clone() });
        }
        let length = range.end - range.start;
        let is_plain = sound.rate_hz == SAMPLE_RATE_HZ && !sound.mono;
        let is_direct = is_plain && matches!(sound.coding, Coding::Wav24 | Coding::Wav32 | Coding::Broadcast);
        let is_whole = range == (0..plan.length_samples) && !loops;
        let wav = self.files.unfinished()?;
        self.write_wav(&mix, range.clone(), wav.path(), !is_direct || sound.coding == Coding::Wav32, &out, &span.part(0.5, 0.7)).await?;
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
        let (after, decodes_to) = if is_direct && is_whole && out.limiter.is_none() {
            // The samples that were measured, times one gain: nothing about them is left to find out.
            (mix.loudness.clone().raised(level.gain_db), length)
        } else {
            self.measured_file(encoded.path(), sound, length).await?
        };
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
            Ok((measure_all(&*source), source.len_samples()))
        };
        Ok(self.compute(measure).await?.map_err(problem)?)
    }

    /// Stems as WAV files of 24 bits, with their names; the parts of the mix add up to it, step by step. Also by how much
    /// all of them are lowered, so that the mix does not clip.
    pub(super) async fn make_stems(&self, plan: &Plan, stems: Vec<Stem>, span: &Span) -> Result<(Vec<(String, NamedTempFile)>, Level), TaskError> {
        if plan.length_samples > most_samples(6) {
            return Err(Problem::bad_value("A WAV file holds at most 4 GB of sound. Hand the cut over in passages.").into());
        }
        // As it stands, which is nearly always what is handed over; where it would clip, once more and lower.
        let (made, loudness) = self.stems_at(plan, &stems, 0.0, &span.part(0.0, 0.6)).await?;
        let level = level(loudness.integrated_lufs, loudness.true_peak_dbtp, None, false);
        if level.gain_db == 0.0 {
            return Ok((made, level));
        }
        drop(made);
        Ok((self.stems_at(plan, &stems, level.gain_db, &span.part(0.6, 1.0)).await?.0, level))
    }

    /// Stems with so much gain, and what the mix of them measures.
    async fn stems_at(&self, plan: &Plan, stems: &[Stem], gain_db: f64, span: &Span) -> Result<(Vec<(String, NamedTempFile)>, Loudness), TaskError> {
        let mut open = Vec::new();
        for stem in stems {
            let file = self.files.unfinished()?;
            let stream = WavStream::new(File::create(file.path())?, 2)?;
            let ready = self.open_plan(stem.plan.raised(gain_db)).await?;
            open.push(OpenStem { name: stem.name.clone(), share: stem.share, ready, file, stream });
        }
        let last_part = open.iter().rposition(|o| o.share.is_part());
        let mut meter = LoudnessMeter::new(2);
        for start in (0..plan.length_samples).step_by(MOST_RANGE_SAMPLES as usize) {
            span.say("rendering the layers", start as f32 / plan.length_samples.max(1) as f32)?;
            let range = start..plan.length_samples.min(start + MOST_RANGE_SAMPLES);
            let rendered = open.into_iter().enumerate().map(|(k, mut stem)| {
                let range = range.clone();
                let render = move || -> Result<Rendering, Problem> {
                    if stem.share == Share::AllButVoice {
                        return Ok((stem, None));
                    }
                    let sound = stem.ready.render(range, Hear::Everything)?;
                    let steps = steps_of(&sound);
                    if Some(k) != last_part {
                        stem.stream.append_steps(&steps)?;
                    }
                    Ok((stem, Some((sound, steps))))
                };
                self.compute(render)
            });
            let rendered: Vec<Rendering> = join_all(rendered).await.into_iter().map(|done| done?).collect::<Result<_, _>>()?;
            let add_up = move || -> Result<_, Problem> {
                let len = (range.end - range.start) as usize;
                let (mut voice, mut others) = (Sound::silence(2, len), Sound::silence(2, len));
                for (stem, sound) in &rendered {
                    match (stem.share, sound) {
                        (Share::Voice, Some((sound, _))) => voice.add(sound),
                        (Share::Part, Some((sound, _))) => others.add(sound),
                        _ => {}
                    }
                }
                voice.add(&others);
                let mix = voice;
                meter.add(&mix.channels().iter().map(Vec::as_slice).collect::<Vec<_>>());
                // What the parts before have of each step of the mix: the last part takes the rest, which differs from its own
                // sound by the rounding of the others only.
                let mut rest = steps_of(&mix);
                let mut stems = Vec::new();
                for (k, (mut stem, sound)) in rendered.into_iter().enumerate() {
                    match (stem.share, &sound) {
                        (Share::AllButVoice, _) => stem.stream.append_steps(&steps_of(&others))?,
                        (share, Some((_, steps))) if share.is_part() && Some(k) != last_part => take_away(&mut rest, steps),
                        _ => {}
                    }
                    stems.push(stem);
                }
                if let Some(last) = last_part {
                    stems[last].stream.append_steps(&rest)?;
                }
                Ok((stems, meter))
            };
            (open, meter) = self.compute(add_up).await??;
        }
        let mut made = Vec::new();
        for OpenStem { name, file, stream, .. } in open {
            stream.finish()?;
            made.push((format!("{name}.wav"), file));
        }
        Ok((made, meter.end()))
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
