//! Sounds that are made: a film's own, the scratch voice, takes without noise.

use super::task::{Report, TaskError};
use super::{Problem, Studio, extension};
use crate::store::{cuts, sounds};
use jaunty_core::cut::{Arrival, UsedSound};
use jaunty_core::kind::Kind;
use jaunty_core::picture::Line;
use jaunty_core::plan::Role;
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::take_noise_out;
use jaunty_core::voice::start_after;
use jaunty_media::{WavStream, at_tempo, film, speak};
use std::fs::File;
use std::io;
use std::path::Path;
use uuid::Uuid;

impl Studio {
    /// Takes the own sound out of a film and adds it to the cut.
    pub(super) async fn take_film_sound_out(&self, id: Uuid, hash: &str, report: Report) -> Result<(), TaskError> {
        let cut = cuts::cut(&self.pool, id).await?;
        let Some(film) = cut.setup.film.filter(|f| f.hash == hash) else { return Ok(()) };
        report.say("taking the film's own sound out", 0.1);
        let path = self.files.original(hash, &extension(&film.name)).await?;
        let wav = self.files.unfinished()?;
        let target = wav.path().to_owned();
        self.compute(move || film::extract_sound(&path, &target)).await?.map_err(Problem::from)?;
        let sound = self.take_in_file(wav.path(), &format!("{}, own sound", film.name), "wav").await?;
        self.read(&sound, Role::Film, report.clone()).await?;
        let heard = sounds::sound(&self.pool, &sound).await?.and_then(|s| s.recognised());
        let talks = heard.is_some_and(|r| r.kind == Kind::Speech);
        if talks {
            self.read(&sound, Role::Narration, report).await?;
        }
        self.arrive(id, Arrival::FilmSound { film: hash.to_owned(), sound, talks }).await?;
        Ok(())
    }

    /// Takes the steady noise out of a take; the take as it came stays.
    pub(super) async fn take_noise_out(&self, id: Uuid, hash: &str, report: Report) -> Result<(), TaskError> {
        let cut = cuts::cut(&self.pool, id).await?;
        let Some(take) = cut.setup.takes.into_iter().find(|t| t.hash == hash) else { return Ok(()) };
        let file = self.working_file(hash).await?;
        let told = report.clone();
        let made = self.files.unfinished()?;
        let path = made.path().to_owned();
        let work = move || -> Result<(), TaskError> {
            let mut stream = WavStream::new(File::create(path)?, jaunty_core::sound::Source::channel_count(&file))?;
            let mut failed = None;
            let taken = take_noise_out(&file, &mut |doing, share| told.say(doing, share), &mut |block| {
                failed = stream.append(block).err();
                failed.is_none()
            });
            if let Some(cause) = failed {
                return Err(cause.into());
            }
            taken?;
            Ok(stream.finish()?)
        };
        self.compute(work).await??;
        let sound = self.take_in_file(made.path(), &format!("{}, without noise", take.name), "wav").await?;
        self.read(&sound, Role::Ambience, report).await?;
        self.arrive(id, Arrival::Cleaned { take: hash.to_owned(), sound }).await?;
        Ok(())
    }

    /// Brings a bed to another tempo, its pitch kept; the file as it came stays.
    pub(super) async fn retime(&self, id: Uuid, original: &str, tempo: f64, report: Report) -> Result<(), TaskError> {
        let cut = cuts::cut(&self.pool, id).await?;
        let Some(bed) = cut.setup.made_from(original) else { return Ok(()) };
        let name = bed.retimed.as_ref().map_or(&bed.name, |r| &r.name).clone();
        let file = self.working_file(original).await?;
        let (plain, made) = (self.files.unfinished()?, self.files.unfinished()?);
        let (from, to) = (plain.path().to_owned(), made.path().to_owned());
        let told = report.clone();
        let work = move || -> Result<(), TaskError> {
            written(&file, &from)?;
            if !told.say("changing the tempo", 0.2) {
                return Err(TaskError::Cancelled);
            }
            at_tempo(&from, &to, tempo).map_err(|cause| {
                tracing::warn!(?cause, "a tempo is not changed");
                Problem::bad_value(cause).into()
            })
        };
        self.compute(work).await??;
        let sound = self.take_in_file(made.path(), &format!("{name}, tempo {tempo}"), "wav").await?;
        self.read(&sound, Role::Bed, report).await?;
        self.arrive(id, Arrival::Retimed { original: original.to_owned(), sound, tempo }).await?;
        Ok(())
    }

    /// Speaks the written lines into one take and lays each of them where nobody speaks yet.
    pub(super) async fn speak_lines(&self, id: Uuid, report: Report) -> Result<(), TaskError> {
        let cut = cuts::cut(&self.pool, id).await?;
        let (lines, length_samples) = (cut.setup.lines.clone(), cut.setup.picture.length_samples());
        let file = self.files.unfinished()?;
        let path = file.path().to_owned();
        let lines = self.compute(move || speak_all(&lines, length_samples, &path, &report)).await??;
        let name = "Scratch voice".to_owned();
        let hash = self.take_in_file(file.path(), &name, "wav").await?;
        self.read(&hash, Role::Narration, Report::default()).await?;
        self.arrive(id, Arrival::Spoken { sound: UsedSound { hash, name }, lines }).await?;
        Ok(())
    }
}

/// Writes a sound as WAV of 32-bit floating point, a part after the other.
fn written(source: &dyn Source, to: &Path) -> Result<(), TaskError> {
    const PART_SAMPLES: u64 = 10 * 48_000;
    let mut stream = WavStream::float(File::create(to)?, source.channel_count())?;
    for start in (0..source.len_samples()).step_by(PART_SAMPLES as usize) {
        let end = source.len_samples().min(start + PART_SAMPLES);
        let plane = |channel| {
            let mut samples = vec![0.0; (end - start) as usize];
            source.read(channel, start as i64, &mut samples);
            samples
        };
        stream.append(&Sound::new((0..source.channel_count()).map(plane).collect()))?;
    }
    Ok(stream.finish()?)
}

/// Where a line is spoken, first sample and the one after the last, and its words.
type Spoken = (u64, u64, String);

/// Speaks the lines into a sound at `to` that ends with the last of them; says where each is.
fn speak_all(lines: &[Line], length_samples: u64, to: &Path, report: &Report) -> Result<Vec<Spoken>, TaskError> {
    let mut track = Track::create(to)?;
    let mut spoken_lines: Vec<Spoken> = Vec::new();
    for (k, line) in lines.iter().enumerate() {
        if !report.say("speaking the lines", k as f32 / lines.len() as f32) {
            return Err(TaskError::Cancelled);
        }
        let start = start_after(line, spoken_lines.last().map(|(_, end, _)| *end));
        if start >= length_samples {
            continue;
        }
        let spoken = speak(&line.words, "en-gb").map_err(|cause| {
            tracing::warn!(?cause, "a line is not spoken");
            Problem::bad_value(cause)
        })?;
        let samples = &spoken.channels()[0];
        let count = samples.len().min((length_samples - start) as usize);
        if count == 0 {
            continue;
        }
        track.put(start, &samples[..count])?;
        spoken_lines.push((start, start + count as u64, line.words.clone()));
    }
    track.finish()?;
    Ok(spoken_lines)
}

/// A sound that is written from its start to its end, whatever its length, with silence where nothing is put.
struct Track {
    stream: WavStream<'static>,
    written_samples: u64,
}

impl Track {
    /// Silence that is written at once.
    const SILENCE_SAMPLES: u64 = 48_000;

    fn create(to: &Path) -> io::Result<Self> {
        Ok(Self { stream: WavStream::new(File::create(to)?, 1)?, written_samples: 0 })
    }

    /// Puts samples at `start`, which lies behind everything that was put before.
    fn put(&mut self, start: u64, samples: &[f32]) -> io::Result<()> {
        while self.written_samples < start {
            let count = (start - self.written_samples).min(Self::SILENCE_SAMPLES);
            self.stream.append(&Sound::silence(1, count as usize))?;
            self.written_samples += count;
        }
        self.stream.append(&Sound::new(vec![samples.to_vec()]))?;
        self.written_samples += samples.len() as u64;
        Ok(())
    }

    fn finish(self) -> io::Result<()> {
        self.stream.finish()
    }
}
