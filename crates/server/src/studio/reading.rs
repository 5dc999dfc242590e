//! Decoding, recognising and reading sounds.

use super::Studio;
use super::task::{Report, TaskError};
use crate::apart::SoundError;
use crate::store::sounds;
use jaunty_core::cut::{Arrival, Work};
use jaunty_core::kind;
use jaunty_core::plan::Role;
use jaunty_core::reading::{self, read_bed};
use jaunty_core::sound::Source;
use jaunty_core::speech::read_speech;
use uuid::Uuid;

impl Studio {
    /// Reads a sound as what it is to a cut, and uses it there.
    pub(super) async fn read_and_use(&self, id: Uuid, sound: &str, role: Role, report: Report) -> Result<(), TaskError> {
        if let Err(cause) = self.read(sound, role, report).await {
            // Only a file that is to blame goes. What a full disk or a lost database stopped can be tried again.
            if matches!(cause, TaskError::Cancelled | TaskError::Sound(SoundError::Refused(_))) {
                self.forget_sound_of(id, &Work::Read { sound: sound.to_owned(), role }).await?;
            }
            return Err(cause);
        }
        self.arrive(id, Arrival::Read { sound: sound.to_owned(), role }).await?;
        Ok(())
    }

    /// Decodes, recognises and reads a sound, as far as that has not been done.
    pub(super) async fn read(&self, hash: &str, role: Role, report: Report) -> Result<(), TaskError> {
        const DECODING: f32 = 0.4;
        let Some(sound) = sounds::sound(&self.pool, hash).await? else { return Ok(()) };
        if sound.length_samples.is_none() {
            let decoding = report.clone();
            let info = self.files.decode(hash, &sound.extension, move |share| decoding.say("decoding", share * DECODING)).await?;
            sounds::set_decoded(&self.pool, hash, &info).await?;
        }
        let file = self.files.working_file(hash, &sound.extension).await?;
        let told = report.clone();
        let mut progress = move |doing: &'static str, share: f32| told.say(doing, DECODING + share * (1.0 - DECODING));
        if sound.recognised().is_none() {
            let recognised = self.compute(move || kind::recognise(&file, &mut |doing, _| report.say(doing, DECODING))).await??;
            sounds::set_kind(&self.pool, hash, recognised).await?;
        }
        if matches!(role, Role::Film | Role::Ambience) || sounds::has_reading(&self.pool, hash, role).await? {
            return Ok(());
        }
        let file = self.files.working_file(hash, &sound.extension).await?;
        match role {
            Role::Bed if file.len_samples() > reading::MOST_SAMPLES => {
                return Err(SoundError::Refused(
                    "This is longer than an hour and a half, and beds are read up to that. Bring in the part that you want to use.".into(),
                )
                .into());
            }
            Role::Bed => {
                let bed = self.compute(move || read_bed(&file, &mut progress)).await??;
                sounds::set_bed_reading(&self.pool, hash, &[], &bed).await?;
            }
            Role::Narration | Role::Film | Role::Ambience => {
                let speech = self.compute(move || read_speech(&file, &mut progress)).await??;
                sounds::set_speech_reading(&self.pool, hash, &speech).await?;
            }
        }
        Ok(())
    }
}
