//! The narrator: Debian's `espeak-ng`, each line laid at its time.

use crate::DemoError;
use jaunty_core::sound::Sound;
use jaunty_core::units::samples_from_seconds;
use jaunty_media::speak;

/// One line of the narration.
#[derive(Debug, Clone, Copy)]
pub struct Line {
    /// Where its first syllable should fall, in seconds of the cut.
    pub start_s: f64,
    /// The words.
    pub words: &'static str,
}

/// Speaks `lines` into one mono sound of `length_s`.
///
/// # Errors
/// [`DemoError::Voice`] when `espeak-ng` is missing or fails.
pub fn narration(lines: &[Line], length_s: f64) -> Result<Sound, DemoError> {
    let mut track = vec![0.0f32; samples_from_seconds(length_s) as usize];
    for line in lines {
        let spoken = speak(line.words, "en-gb")?;
        let at = samples_from_seconds(line.start_s) as usize;
        for (sample, voice) in track.iter_mut().skip(at).zip(&spoken.channels()[0]) {
            *sample += voice;
        }
    }
    // A quiet room instead of digital silence, so that the narration reads like a recorded one.
    let mut state = 1u32;
    for sample in &mut track {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        *sample += (state >> 8) as f32 / (1 << 24) as f32 * 2e-4 - 1e-4;
    }
    Ok(Sound::new(vec![track]))
}
