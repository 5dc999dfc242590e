//! The cut itself: handed over as one file, and taken in again from one.

use super::super::task::TaskError;
use super::super::{Problem, Studio};
use super::Made;
use super::sound::Span;
use crate::store::{Received, StoreError, archive, cuts, people, sounds, unused};
use futures_util::Stream;
use jaunty_core::cut::{Cut, Licence};
use jaunty_core::kind::Recognised;
use jaunty_core::reading::{BarLikeness, Reading};
use jaunty_core::speech::SpeechReading;
use jaunty_exchange::archive::{ArchiveError, ArchivedSound, Contents, Documents, Opened, write};
use std::collections::{HashMap, HashSet};
use std::fmt::Display;
use std::io::{Seek, SeekFrom};
use std::path::Path;
use uuid::Uuid;

impl From<ArchiveError> for Problem {
    fn from(cause: ArchiveError) -> Self {
        match cause {
            ArchiveError::Io(cause) => StoreError::from(cause).into(),
            said => {
                let text = said.to_string();
                let mut letters = text.chars();
                let first = letters.next().into_iter().flat_map(char::to_uppercase);
                Self::bad_value(first.chain(letters).chain(['.']).collect::<String>())
            }
        }
    }
}

impl Studio {
    /// The cut itself, showing revision `shown`.
    pub(super) async fn make_archive(&self, cut: Uuid, shown: u32, span: &Span) -> Result<Made, TaskError> {
        span.say("gathering its history", 0.0)?;
        let mut documents = Documents::new(self.files.unfinished()?)?;
        let mut contents = archive::history(&self.pool, cut, shown, &mut documents).await?;
        let mut measured = HashMap::new();
        let mut files = Vec::new();
        let theirs = people::sounds_of(&self.pool, cuts::project_of(&self.pool, cut).await?).await?;
        for hash in unused::named_by(&self.pool, &contents).await? {
            let missing = || StoreError::damaged("a cut names a sound that its project does not have");
            let sound = sounds::sound(&self.pool, &hash).await?.filter(|_| theirs.contains(&hash)).ok_or_else(missing)?;
            files.push((hash.clone(), self.files.original(&hash, &sound.extension).await?));
            contents.sounds.push(ArchivedSound {
                hash: hash.clone(),
                name: sound.name,
                extension: sound.extension,
                kind: sound.kind,
                kind_confidence: sound.kind_confidence,
            });
            for (reading, bytes) in archive::readings(&self.pool, &hash, &mut documents).await? {
                measured.extend(reading.measured.clone().zip(bytes));
                contents.readings.push(reading);
            }
        }
        let mut packed = documents.finish()?;
        let (span, to) = (span.clone(), self.files.unfinished()?);
        let file = to.reopen()?;
        let told = vec![
            format!("{} revisions, {} sounds and films", contents.revisions.len(), contents.sounds.len()),
            "another Jaunty Bar opens it under New cut, from a file".to_owned(),
        ];
        let mut measured: Vec<(String, Vec<u8>)> = measured.into_iter().collect();
        measured.sort();
        let put_together = move || {
            packed.seek(SeekFrom::Start(0))?;
            write(&file, &contents, &mut packed, &measured, &files, &mut |share| span.say("putting the sounds in", 0.1 + 0.9 * share).is_ok())
        };
        self.compute(put_together).await?.map_err(|cause| match cause.kind() {
            std::io::ErrorKind::Interrupted => TaskError::Cancelled,
            _ => cause.into(),
        })?;
        Ok(Made { file: to, told })
    }

    /// Takes a cut in that was handed over as one file, as it arrives; its name here.
    ///
    /// # Errors
    /// What receiving it says, or what is wrong with it; no cut is made then.
    pub async fn take_cut_in<B, E>(&self, chunks: impl Stream<Item = Result<B, E>> + Unpin) -> Result<Uuid, Problem>
    where
        B: AsRef<[u8]>,
        E: Display,
    {
        let received = self.files.receive_whole_cut(chunks).await?;
        self.open_whole_cut(received).await
    }

    /// As [`Studio::take_cut_in`], from this machine.
    ///
    /// # Errors
    /// As [`Studio::take_cut_in`].
    pub async fn take_cut_file_in(&self, path: &Path) -> Result<Uuid, Problem> {
        self.open_whole_cut(self.files.receive_made(path).await?).await
    }

    async fn open_whole_cut(&self, received: Received) -> Result<Uuid, Problem> {
        let (file, scratch) = (std::fs::File::open(received.path())?, self.files.unfinished()?.reopen()?);
        let (mut opened, licences) = self.compute(move || looked_through(file, scratch)).await??;
        let contents = opened.contents.clone();
        self.check_quota(opened.sound_bytes()?).await?;
        let mut new = HashSet::new();
        for sound in &contents.sounds {
            // Also of a sound that lies here already: who sends an archive has a right to what they can show all bytes of.
            let made = self.files.unfinished()?;
            let (mut to, hash) = (made.reopen()?, sound.hash.clone());
            opened = self.compute(move || opened.sound(&hash, &mut to).map(|()| opened)).await??;
            if sounds::sound(&self.pool, &sound.hash).await?.is_some() {
                continue;
            }
            new.insert(sound.hash.as_str());
            self.take_in_file(made.path(), &sound.name, &sound.extension).await?;
            if let (Some(kind), Some(confidence)) = (&sound.kind, sound.kind_confidence)
                && let Ok(kind) = serde_json::from_value(serde_json::Value::String(kind.clone()))
            {
                sounds::set_kind(&self.pool, &sound.hash, Recognised { kind, confidence: confidence.clamp(0.0, 1.0) }).await?;
            }
        }
        for reading in contents.readings.iter().filter(|reading| new.contains(reading.sound.as_str())) {
            let document = opened.document(&reading.document)?;
            let measured = reading.measured.as_ref().map(|hash| opened.measured(hash)).transpose()?;
            archive::keep_reading(&self.pool, reading, &String::from_utf8_lossy(&document), measured).await?;
        }
        let mut text_of = |hash: &str| opened.document(hash).map_err(|_| StoreError::damaged("a document was there and is not any more"));
        let origin = cuts::Origin { project: self.behalf.project, by: self.behalf.person, brings: true };
        Ok(archive::insert(&self.pool, &contents, &licences, &mut text_of, origin).await?)
    }
}

/// Opens an archive and looks at everything in it but its sounds: that it means something, that all it means lies in it.
fn looked_through(file: std::fs::File, scratch: std::fs::File) -> Result<(Opened, Vec<Licence>), Problem> {
    let mut opened = Opened::open(file, scratch)?;
    let Contents { revisions, sounds, readings, licences, .. } = opened.contents.clone();
    let held: HashSet<&str> = sounds.iter().map(|s| s.hash.as_str()).collect();
    let mut looked = HashSet::new();
    for line in &revisions {
        if !looked.insert((&line.setup, &line.plan, &line.fittings)) {
            continue;
        }
        let cut =
            Cut { setup: opened.value(&line.setup)?, plan: opened.value(&line.plan)?, fittings: opened.value(&line.fittings)?, chosen: line.chosen as usize };
        cut.check().map_err(|cause| ArchiveError::Damaged(cause.to_string()))?;
        if let Some(missing) = cut.setup.sounds().into_iter().chain(cut.plan.sounds()).find(|hash| !held.contains(hash)) {
            return Err(ArchiveError::Damaged(format!("a sound that it names is missing ({missing})")).into());
        }
    }
    for reading in &readings {
        match reading.read_as.as_str() {
            "bed" => {
                opened.value::<Reading>(&reading.document)?;
                let measured = reading.measured.as_ref().map(|hash| opened.measured(hash)).transpose()?;
                if measured.is_none_or(|bytes| BarLikeness::from_bytes(&bytes).is_none()) {
                    return Err(ArchiveError::Damaged("what was measured of a bed is broken".into()).into());
                }
            }
            "narration" => drop(opened.value::<SpeechReading>(&reading.document)?),
            _ => return Err(ArchiveError::Damaged("something was read as what there is not".into()).into()),
        }
        if reading.made_by.len() > 16 || !reading.made_by.is_ascii() {
            return Err(ArchiveError::Damaged("something was read by nobody".into()).into());
        }
    }
    let licences = licences.iter().map(|hash| opened.value(hash)).collect::<Result<_, _>>()?;
    Ok((opened, licences))
}
