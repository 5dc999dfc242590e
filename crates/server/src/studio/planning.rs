//! What plans are made from: readings and open sounds. Planning itself is the core's.

use super::task::{Report, TaskError};
use super::{Problem, Studio};
use crate::store::comparisons::{self, Comparison};
use crate::store::{StoreError, cuts, sounds};
use jaunty_core::cut::{Cut, Material, OpenBed, Opened, Readings, Setup, Sounds};
use jaunty_core::fit::Fitting;
use jaunty_core::picture::stills::{Holding, hold};
use jaunty_core::plan::Role;
use jaunty_core::reading::{Correction, keep_going, read_corrected};
use jaunty_core::units::{CutLength, FrameRate};
use std::collections::hash_map::Entry;
use std::sync::Arc;
use uuid::Uuid;

/// What a length would give.
#[derive(Debug, Clone)]
pub struct TriedFitting {
    /// The best fitting.
    pub fitting: Fitting,
    /// Samples of music in the bed.
    pub music_samples: u64,
}

/// A length at which the bed ends by itself, and how the stills would be held for it.
#[derive(Debug, Clone)]
pub struct StillsWay {
    /// The length.
    pub length_frames: u64,
    /// The stills.
    pub held: Holding,
}

/// Lengths at which the bed of a cut ends by itself.
#[derive(Debug, Clone)]
pub struct NaturalWays {
    /// The cut's frame rate.
    pub rate: FrameRate,
    /// The lengths in frames, nearest first, and whether that is the whole bed.
    pub lengths: Vec<(u64, bool)>,
    /// How the stills could take them up.
    pub stills: Vec<StillsWay>,
    /// Why they cannot.
    pub why_not: Option<&'static str>,
}

impl Studio {
    /// What has been read of sounds, as corrected in `setup`; what has not been read is left out.
    ///
    /// # Errors
    /// What the database says.
    pub(super) async fn readings(&self, setup: &Setup, of: &[(String, Role)]) -> Result<Readings, StoreError> {
        let mut readings = Readings::default();
        for (hash, role) in of {
            match role {
                Role::Bed => readings.beds.extend(sounds::bed_document(&self.pool, hash, setup.corrections(hash)).await?.map(|r| (hash.clone(), r))),
                _ => readings.speech.extend(sounds::speech_reading(&self.pool, hash).await?.map(|r| (hash.clone(), r))),
            }
        }
        Ok(readings)
    }

    /// Readings of the takes that are heard.
    ///
    /// # Errors
    /// What the database says.
    pub(super) async fn speech_of(&self, setup: &Setup) -> Result<Readings, StoreError> {
        let mut takes: Vec<(String, Role)> = setup.pieces.iter().map(|p| (p.sound.clone(), Role::Narration)).collect();
        takes.dedup();
        takes.extend(setup.film.as_ref().and_then(|f| f.talks()).map(|sound| (sound.to_owned(), Role::Narration)));
        self.readings(setup, &takes).await
    }

    /// A bed that has been read, with what a person said about it. It is read again where that has
    /// not been done yet, or was done by an older reader.
    async fn open_bed(&self, hash: &str, corrections: &[Correction]) -> Result<Option<OpenBed>, Problem> {
        if sounds::bed_document(&self.pool, hash, corrections).await?.is_none() {
            return Ok(None);
        }
        let source = Arc::new(self.working_file(hash).await?);
        let read = match sounds::bed_reading(&self.pool, hash, corrections).await? {
            Some(read) => read,
            None => {
                let (file, said) = (source.clone(), corrections.to_vec());
                let read =
                    self.compute(move || read_corrected(&*file, &said, &mut keep_going())).await?.map_err(|_| Problem::internal("nobody cancels this"))?;
                sounds::set_bed_reading(&self.pool, hash, corrections, &read).await?;
                read
            }
        };
        Ok(Some(OpenBed { source, read: Arc::new(read) }))
    }

    /// Every sound of a setup that is there and read.
    ///
    /// # Errors
    /// What the database says, or a stored sound that cannot be opened.
    pub(super) async fn sounds(&self, setup: &Setup) -> Result<Sounds, Problem> {
        let mut all = Sounds { speech: self.speech_of(setup).await?.speech, kept: Some(Arc::new(self.measured.clone())), ..Sounds::default() };
        for bed in setup.bed.iter().chain(setup.laid.iter().map(|l| &l.bed)) {
            if !all.beds.contains_key(&bed.hash) {
                all.beds.extend(self.open_bed(&bed.hash, setup.corrections(&bed.hash)).await?.map(|open| (bed.hash.clone(), open)));
            }
        }
        // Read as it came, heard as it is wanted.
        let heard = setup.pieces.iter().filter(|p| all.speech.contains_key(&p.sound));
        let mut wanted: Vec<String> =
            heard.map(|p| setup.takes.iter().find(|t| t.hash == p.sound).map_or(p.sound.as_str(), |t| t.heard()).to_owned()).collect();
        wanted.extend(setup.film.as_ref().filter(|f| f.sound_on).and_then(|f| f.sound.clone()));
        for ambience in &setup.ambiences {
            // One that is still being read is heard later.
            if sounds::sound(&self.pool, &ambience.hash).await?.is_some_and(|s| s.length_samples.is_some()) {
                wanted.push(ambience.hash.clone());
            }
        }
        for hash in wanted {
            if let Entry::Vacant(place) = all.open.entry(hash) {
                let file: Opened = Arc::new(self.working_file(place.key()).await?);
                place.insert(file);
            }
        }
        Ok(all)
    }

    /// What a cut is made from as it stands, at another length where one is given.
    async fn material(&self, id: Uuid, length_frames: Option<u64>) -> Result<(Setup, Material), Problem> {
        let row = cuts::cut(&self.pool, id).await?;
        let mut setup = row.setup.clone();
        if let Some(frames) = length_frames {
            setup.picture.set_length(CutLength::new(setup.picture.rate, frames).map_err(Problem::bad_value)?);
        }
        let Cut { setup: was, plan, .. } = cuts::current(&self.pool, &row).await?.cut;
        let sounds = self.sounds(&setup).await?;
        let wanted = setup.clone();
        let material = self.compute(move || Material::new(&wanted, &sounds, &was, &plan)).await?;
        Ok((setup, material))
    }

    /// What another length would give; nothing is changed.
    ///
    /// # Errors
    /// A length that no cut has, a cut without a bed, or what the database says.
    pub async fn fitting_at(&self, id: Uuid, length_frames: u64) -> Result<TriedFitting, Problem> {
        let (_, material) = self.material(id, Some(length_frames)).await?;
        let tried = self.compute(move || Some(TriedFitting { fitting: material.quick_fitting()?, music_samples: material.music_samples() })).await?;
        tried.ok_or_else(|| Problem::bad_value("There is no bed yet that could be fitted."))
    }

    /// Lengths at which the bed ends by itself, and how the stills could take them up.
    ///
    /// # Errors
    /// What the database says.
    pub async fn natural_ways(&self, id: Uuid) -> Result<NaturalWays, Problem> {
        let (setup, material) = self.material(id, None).await?;
        let (lengths, material) = self.compute(move || (material.natural_lengths(), material)).await?;
        let picture = &setup.picture;
        // What runs on behind the picture is none of its frames.
        let frames = |samples: u64| picture.rate.frames_that_hold(samples).checked_sub(picture.tail_frames).filter(|n| *n > 0);
        let way = |samples: u64| {
            let length_frames = frames(samples)?;
            Some(StillsWay { length_frames, held: hold(picture, length_frames)? })
        };
        let stills: Vec<StillsWay> = lengths.iter().copied().filter_map(way).collect();
        let why_not = material.why_stills_stand(picture, lengths.len(), stills.len());
        let whole_samples = material.whole_samples();
        let lengths = lengths.into_iter().filter_map(|samples| Some((frames(samples)?, Some(samples) == whole_samples))).collect();
        Ok(NaturalWays { rate: picture.rate, lengths, stills, why_not })
    }

    /// Fits every candidate that has been read to the cut as it stands.
    ///
    /// # Errors
    /// [`TaskError`].
    pub(super) async fn compare(&self, id: Uuid, report: Report) -> Result<(), TaskError> {
        let row = cuts::cut(&self.pool, id).await?;
        let done = comparisons::all(&self.pool, id).await?;
        let setup = &row.setup;
        let fresh = |hash: &str| done.iter().any(|c| c.sound_hash == hash && c.made_for == setup.fitted_as(hash));
        let waiting: Vec<&str> = setup.candidates.iter().map(|c| c.hash.as_str()).filter(|hash| !fresh(hash)).collect();
        if waiting.is_empty() {
            return Ok(());
        }
        let material = Arc::new(self.material(id, None).await?.1);
        for (k, hash) in waiting.iter().enumerate() {
            if !report.say("fitting the candidates", k as f32 / waiting.len() as f32) {
                return Err(TaskError::Cancelled);
            }
            let Some(bed) = self.open_bed(hash, setup.corrections(hash)).await? else { continue };
            let (material, wishes, sound) = (material.clone(), setup.wishes(hash).cloned().unwrap_or_default(), (*hash).to_owned());
            let lies = self.compute(move || material.candidate(&sound, &bed, wishes)).await?;
            let comparison = Comparison {
                sound_hash: (*hash).to_owned(),
                made_for: setup.fitted_as(hash),
                figure: lies.fitting.figure().into(),
                splice_count: lies.fitting.splices.len() as u32,
                ending: lies.fitting.end,
            };
            comparisons::set(&self.pool, id, &comparison, &lies.plan).await?;
        }
        Ok(())
    }
}
