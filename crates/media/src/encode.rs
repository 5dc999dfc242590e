//! Writing WAV, the form in which mixes are heard and delivered.

use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::sound::Sound;
use std::io::{self, Cursor, Seek, Write};
use std::path::Path;

/// Bits of a delivered sample.
pub const BIT_DEPTH: u16 = 24;

/// Full scale of a 24-bit sample; the positive side ends one step below.
const FULL_SCALE: f64 = 8_388_608.0;

/// Writes a WAV file of 48 kHz piece by piece, of 24 bits or of floating point.
pub struct WavStream<W: Write + Seek> {
    writer: hound::WavWriter<W>,
    is_float: bool,
}

/// The step of 24 bits of a sample; beyond full scale it is held there.
pub fn step_of(sample: f32) -> i32 {
    (f64::from(sample) * FULL_SCALE).round().clamp(-FULL_SCALE, FULL_SCALE - 1.0) as i32
}

fn io_error(cause: hound::Error) -> io::Error {
    match cause {
        hound::Error::IoError(cause) => cause,
        other => io::Error::other(other),
    }
}

impl<W: Write + Seek> WavStream<W> {
    /// Starts a file of `channel_count` channels.
    ///
    /// # Errors
    /// What the file system says.
    pub fn new(to: W, channel_count: usize) -> io::Result<Self> {
        let spec =
            hound::WavSpec { channels: channel_count as u16, sample_rate: SAMPLE_RATE_HZ, bits_per_sample: BIT_DEPTH, sample_format: hound::SampleFormat::Int };
        Ok(Self { writer: hound::WavWriter::new(to, spec).map_err(io_error)?, is_float: false })
    }

    /// Starts a file of `channel_count` channels of 32-bit floating point, in which nothing is rounded or held at full scale.
    ///
    /// # Errors
    /// What the file system says.
    pub fn float(to: W, channel_count: usize) -> io::Result<Self> {
        let spec =
            hound::WavSpec { channels: channel_count as u16, sample_rate: SAMPLE_RATE_HZ, bits_per_sample: 32, sample_format: hound::SampleFormat::Float };
        Ok(Self { writer: hound::WavWriter::new(to, spec).map_err(io_error)?, is_float: true })
    }

    /// Appends a sound; samples beyond full scale are held at it.
    ///
    /// # Errors
    /// What the file system says, such as a full disk.
    pub fn append(&mut self, sound: &Sound) -> io::Result<()> {
        let channels = sound.channels();
        for index in 0..channels[0].len() {
            for channel in channels {
                if self.is_float {
                    self.writer.write_sample(channel[index]).map_err(io_error)?;
                    continue;
                }
                self.writer.write_sample(step_of(channel[index])).map_err(io_error)?;
            }
        }
        Ok(())
    }

    /// Appends steps of 24 bits, channel by channel.
    ///
    /// # Errors
    /// What the file system says.
    pub fn append_steps(&mut self, steps: impl Iterator<Item = i32>) -> io::Result<()> {
        for step in steps {
            self.writer.write_sample(step).map_err(io_error)?;
        }
        Ok(())
    }

    /// Completes the head of the file.
    ///
    /// # Errors
    /// What the file system says.
    pub fn finish(self) -> io::Result<()> {
        self.writer.finalize().map_err(io_error)
    }
}

/// A whole sound as the bytes of a WAV file.
///
/// # Errors
/// If it is too long for a WAV file (4 GiB).
pub fn wav_bytes(sound: &Sound) -> io::Result<Vec<u8>> {
    let mut bytes = Cursor::new(Vec::new());
    let mut stream = WavStream::new(&mut bytes, sound.channels().len())?;
    stream.append(sound)?;
    stream.finish()?;
    Ok(bytes.into_inner())
}

/// A whole sound as a WAV file at `path`.
///
/// # Errors
/// What the file system says.
pub fn write_wav(path: &Path, sound: &Sound) -> io::Result<()> {
    let mut stream = WavStream::new(io::BufWriter::new(std::fs::File::create(path)?), sound.channels().len())?;
    stream.append(sound)?;
    stream.finish()
}
