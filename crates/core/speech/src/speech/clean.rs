//! Steady noise taken out of a voice, by the recurrent network of J.-M. Valin, "A Hybrid DSP/Deep
//! Learning Approach to Real-Time Full-Band Speech Enhancement" (IEEE MMSP 2018), through the crate
//! `nnnoiseless`.

use jaunty_sound::progress::{Cancelled, Progress};
use jaunty_sound::sound::{Sound, Source};
use nnnoiseless::DenoiseState;

/// A share of the voice as it came stays in it, so that rooms do not vanish between words: noise
/// goes down by some 20 dB at most.
const KEPT: f32 = 0.1;
/// The network wants samples as 16-bit numbers.
const SCALE: f32 = 32_768.0;

/// A voice without its steady noise: the same channels, the same length, in step to the sample.
///
/// # Errors
/// [`Cancelled`] when `progress` says stop.
pub fn without_noise(voice: &dyn Source, progress: &mut Progress<'_>) -> Result<Sound, Cancelled> {
    let mut planes = vec![Vec::with_capacity(voice.len_samples() as usize); voice.channel_count()];
    take_noise_out(voice, progress, &mut |block| {
        planes.iter_mut().zip(block.channels()).for_each(|(plane, cleaned)| plane.extend_from_slice(cleaned));
        true
    })?;
    Ok(Sound::new(planes))
}

/// As [`without_noise`], handed to `put` a second at a time; `put` says whether to go on.
///
/// # Errors
/// [`Cancelled`] when `progress` or `put` says stop.
pub fn take_noise_out(voice: &dyn Source, progress: &mut Progress<'_>, put: &mut dyn FnMut(&Sound) -> bool) -> Result<(), Cancelled> {
    const FRAME: usize = DenoiseState::FRAME_SIZE;
    /// A second.
    const BLOCK: usize = 100 * FRAME;
    let length = voice.len_samples() as usize;
    let mut states: Vec<_> = (0..voice.channel_count()).map(|_| DenoiseState::new()).collect();
    let (mut heard, mut cleaned) = ([0.0f32; FRAME], [0.0f32; FRAME]);
    let mut hear = |state: &mut DenoiseState<'_>, channel: usize, start: usize, cleaned: &mut [f32; FRAME]| {
        voice.read(channel, start as i64, &mut heard);
        heard.iter_mut().for_each(|x| *x = if x.is_finite() { *x * SCALE } else { 0.0 });
        state.process_frame(cleaned, &heard);
    };
    // What comes out is one frame late.
    for (channel, state) in states.iter_mut().enumerate() {
        hear(state, channel, 0, &mut cleaned);
    }
    for start in (0..length).step_by(BLOCK) {
        if !progress("taking steady noise out", start as f32 / length as f32) {
            return Err(Cancelled);
        }
        let count = BLOCK.min(length - start);
        let mut planes = vec![vec![0.0f32; count]; states.len()];
        for (channel, (state, plane)) in states.iter_mut().zip(&mut planes).enumerate() {
            voice.read(channel, start as i64, plane);
            for (k, out) in plane.chunks_mut(FRAME).enumerate() {
                hear(state, channel, start + (k + 1) * FRAME, &mut cleaned);
                out.iter_mut().zip(&cleaned).for_each(|(o, c)| *o = (1.0 - KEPT) * c / SCALE + if o.is_finite() { KEPT * *o } else { 0.0 });
            }
        }
        if !put(&Sound::new(planes)) {
            return Err(Cancelled);
        }
    }
    Ok(())
}
