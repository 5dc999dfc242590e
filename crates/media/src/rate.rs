//! Bringing sound of any rate to the working rate.

use crate::error::DecodeError;
use jaunty_core::SAMPLE_RATE_HZ;
use rubato::audioadapter_buffers::direct::SequentialSliceOfVecs;
use rubato::{Fft, FixedSync, Indexing, Resampler, WindowFunction};
use std::io;

/// Brings planes of any rate to 48 kHz without a delay.
pub enum Rate {
    Same,
    Convert { fft: Box<Fft<f32>>, waiting: Vec<Vec<f32>>, skip: usize, owed: f64, ratio: f64 },
}

/// Takes equally long pieces of all channels.
pub type Take<'a> = dyn FnMut(&[&[f32]]) -> io::Result<()> + 'a;

impl Rate {
    /// From `rate_hz` to the working rate.
    pub fn new(rate_hz: u32, channels: usize) -> Result<Self, DecodeError> {
        if rate_hz == SAMPLE_RATE_HZ {
            return Ok(Self::Same);
        }
        // Transforms of at least 256 frames at 48 kHz, and as long in time at every rate: as short ones at 192 kHz
        // would take 6 dB off at 20 kHz.
        const TRANSFORMS: usize = 16;
        let chunk = TRANSFORMS * 256 * rate_hz.div_ceil(SAMPLE_RATE_HZ) as usize;
        let fft = Fft::new_custom(rate_hz as usize, SAMPLE_RATE_HZ as usize, chunk, TRANSFORMS, channels, WindowFunction::BlackmanHarris2, FixedSync::Input)
            .map_err(|_| DecodeError::Rate(rate_hz))?;
        let skip = fft.output_delay();
        let ratio = f64::from(SAMPLE_RATE_HZ) / f64::from(rate_hz);
        Ok(Self::Convert { fft: Box::new(fft), waiting: vec![Vec::new(); channels], skip, owed: 0.0, ratio })
    }

    /// Takes equally long planes.
    pub fn push(&mut self, planes: &[Vec<f32>], take: &mut Take<'_>) -> Result<(), DecodeError> {
        match self {
            Self::Same => Ok(take(&planes.iter().map(Vec::as_slice).collect::<Vec<_>>())?),
            Self::Convert { waiting, owed, ratio, .. } => {
                for (queue, plane) in waiting.iter_mut().zip(planes) {
                    queue.extend_from_slice(plane);
                }
                *owed += planes[0].len() as f64 * *ratio;
                self.convert(false, take)
            }
        }
    }

    /// Flushes what the resampler still holds; the length is the input's times the ratio.
    pub fn finish(&mut self, take: &mut Take<'_>) -> Result<(), DecodeError> {
        self.convert(true, take)
    }

    fn convert(&mut self, flush: bool, take: &mut Take<'_>) -> Result<(), DecodeError> {
        let Self::Convert { fft, waiting, skip, owed, .. } = self else { return Ok(()) };
        let failed = |cause: String| DecodeError::Malformed(cause);
        loop {
            let has = waiting[0].len();
            let needs = fft.input_frames_next();
            if has < needs && !(flush && *owed >= 0.5) {
                return Ok(());
            }
            let channels = waiting.len();
            let input = SequentialSliceOfVecs::new(waiting, channels, has).map_err(|e| failed(e.to_string()))?;
            let mut output = vec![vec![0.0f32; fft.output_frames_next()]; channels];
            let room = output[0].len();
            let mut target = SequentialSliceOfVecs::new_mut(&mut output, channels, room).map_err(|e| failed(e.to_string()))?;
            let partial = (has < needs).then(|| Indexing::new().partial_len(has));
            let (_, made) = fft.process_into_buffer(&input, &mut target, partial.as_ref()).map_err(|e| failed(e.to_string()))?;
            let from = (*skip).min(made);
            *skip -= from;
            let count = (made - from).min(owed.round() as usize);
            *owed -= count as f64;
            take(&output.iter().map(|p| &p[from..from + count]).collect::<Vec<_>>())?;
            waiting.iter_mut().for_each(|queue| {
                queue.drain(..needs.min(queue.len()));
            });
        }
    }
}
