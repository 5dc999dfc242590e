//! Steady noise taken out of a voice, by the recurrent network of J.-M. Valin, "A Hybrid DSP/Deep
//! Learning Approach to Real-Time Full-Band Speech Enhancement" (IEEE MMSP 2018), through the crate
//! `nnnoiseless`.

use crate::reading::{Cancelled, Progress};
use crate::sound::{Sound, Source};
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
    const FRAME: usize = DenoiseState::FRAME_SIZE;
    let length = voice.len_samples() as usize;
    let channels = voice.channel_count();
    let mut planes = Vec::with_capacity(channels);
    for channel in 0..channels {
        let mut state = DenoiseState::new();
        let mut plane = vec![0.0f32; length];
        let (mut heard, mut cleaned) = ([0.0f32; FRAME], [0.0f32; FRAME]);
        let frames = length.div_ceil(FRAME);
        // What comes out is one frame late.
        for frame in 0..=frames {
            if frame % 500 == 0 && !progress("taking steady noise out", (channel * frames + frame) as f32 / (channels * frames).max(1) as f32) {
                return Err(Cancelled);
            }
            voice.read(channel, (frame * FRAME) as i64, &mut heard);
            heard.iter_mut().for_each(|x| *x = if x.is_finite() { *x * SCALE } else { 0.0 });
            state.process_frame(&mut cleaned, &heard);
            let Some(start) = frame.checked_sub(1).map(|f| f * FRAME) else { continue };
            let out = &mut plane[start..(start + FRAME).min(length)];
            out.iter_mut().zip(&cleaned).for_each(|(o, c)| *o = c / SCALE);
        }
        let mut own = vec![0.0f32; length];
        voice.read(channel, 0, &mut own);
        plane.iter_mut().zip(&own).for_each(|(p, o)| *p = (1.0 - KEPT) * *p + if o.is_finite() { KEPT * o } else { 0.0 });
        planes.push(plane);
    }
    Ok(Sound::new(planes))
}
