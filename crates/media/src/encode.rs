//! Writing WAV, the form in which mixes are heard and delivered.

use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::sound::Sound;
use std::io::{self, Cursor, Seek, SeekFrom, Write};
use std::path::Path;

/// Bits of a delivered sample.
pub const BIT_DEPTH: u16 = 24;

/// Full scale of a 24-bit sample; the positive side ends one step below.
const FULL_SCALE: f64 = 8_388_608.0;

/// Something that is written and sought in.
trait Target: Write + Seek {}
impl<T: Write + Seek> Target for T {}

/// Writes a WAV file of 48 kHz piece by piece, of 24 bits or of floating point.
pub struct WavStream<'a> {
    // Not of any kind of target: what goes over single samples is compiled here, optimised in every build.
    to: Box<dyn Target + Send + 'a>,
    head_bytes: u64,
    sound_bytes: u64,
    is_float: bool,
    packed: Vec<u8>,
}

/// The step of 24 bits of a sample; beyond full scale it is held there.
pub fn step_of(sample: f32) -> i32 {
    /// Added and taken away again it leaves a whole number, rounded to the nearest (IEEE 754: there is no room for a fraction).
    const WHOLE: f64 = 1.5 * (1u64 << 52) as f64;
    let held = (f64::from(sample) * FULL_SCALE).clamp(-FULL_SCALE, FULL_SCALE - 1.0);
    ((held + WHOLE) - WHOLE) as i32
}

/// The steps of 24 bits of two channels, one after the other.
pub fn steps_of(sound: &Sound) -> Vec<i32> {
    let [left, right] = [&sound.channels()[0], &sound.channels()[sound.channels().len() - 1]];
    left.iter().zip(right).flat_map(|(l, r)| [step_of(*l), step_of(*r)]).collect()
}

/// Takes steps away from others, one by one.
pub fn take_away(from: &mut [i32], steps: &[i32]) {
    from.iter_mut().zip(steps).for_each(|(from, step)| *from -= step);
}

impl<'a> WavStream<'a> {
    /// Starts a file of `channel_count` channels.
    ///
    /// # Errors
    /// What the file system says.
    pub fn new(to: impl Write + Seek + Send + 'a, channel_count: usize) -> io::Result<Self> {
        Self::start(Box::new(to), channel_count, false)
    }

    /// Starts a file of `channel_count` channels of 32-bit floating point, in which nothing is rounded or held at full scale.
    ///
    /// # Errors
    /// What the file system says.
    pub fn float(to: impl Write + Seek + Send + 'a, channel_count: usize) -> io::Result<Self> {
        Self::start(Box::new(to), channel_count, true)
    }

    fn start(to: Box<dyn Target + Send + 'a>, channel_count: usize, is_float: bool) -> io::Result<Self> {
        let (bits_per_sample, sample_format) = if is_float { (32, hound::SampleFormat::Float) } else { (BIT_DEPTH, hound::SampleFormat::Int) };
        let spec = hound::WavSpec { channels: channel_count as u16, sample_rate: SAMPLE_RATE_HZ, bits_per_sample, sample_format };
        let head = spec.into_header_for_infinite_file();
        let mut stream = Self { to, head_bytes: head.len() as u64, sound_bytes: 0, is_float, packed: head };
        stream.write_packed(0)?;
        Ok(stream)
    }

    /// Writes what is packed, of which so many bytes are sound.
    fn write_packed(&mut self, sound_bytes: usize) -> io::Result<()> {
        self.sound_bytes += sound_bytes as u64;
        if self.sound_bytes + self.head_bytes > u64::from(u32::MAX) {
            return Err(io::Error::new(io::ErrorKind::InvalidInput, "a WAV file holds at most 4 GB"));
        }
        self.to.write_all(&self.packed)?;
        self.packed.clear();
        Ok(())
    }

    /// Appends a sound; samples beyond full scale are held at it.
    ///
    /// # Errors
    /// What the file system says, such as a full disk.
    pub fn append(&mut self, sound: &Sound) -> io::Result<()> {
        let channels = sound.channels();
        let bytes = if self.is_float { 4 } else { 3 };
        for start in (0..channels[0].len()).step_by(AT_ONCE) {
            let range = start..channels[0].len().min(start + AT_ONCE);
            self.packed.resize(range.len() * channels.len() * bytes, 0);
            for (c, channel) in channels.iter().enumerate() {
                for (frame, sample) in self.packed.chunks_exact_mut(channels.len() * bytes).zip(&channel[range.clone()]) {
                    let to = &mut frame[c * bytes..(c + 1) * bytes];
                    if self.is_float { to.copy_from_slice(&sample.to_le_bytes()) } else { to.copy_from_slice(&step_of(*sample).to_le_bytes()[..3]) }
                }
            }
            self.write_packed(self.packed.len())?;
        }
        Ok(())
    }

    /// Appends steps of 24 bits, channel by channel.
    ///
    /// # Errors
    /// What the file system says.
    pub fn append_steps(&mut self, steps: &[i32]) -> io::Result<()> {
        for steps in steps.chunks(AT_ONCE) {
            self.packed.resize(steps.len() * 3, 0);
            self.packed.chunks_exact_mut(3).zip(steps).for_each(|(to, step)| to.copy_from_slice(&step.to_le_bytes()[..3]));
            self.write_packed(self.packed.len())?;
        }
        Ok(())
    }

    /// Completes the head of the file: the sizes of all of it and of its sound.
    ///
    /// # Errors
    /// What the file system says.
    pub fn finish(mut self) -> io::Result<()> {
        // Parts of RIFF are of even length.
        if self.sound_bytes % 2 == 1 {
            self.to.write_all(&[0])?;
        }
        let size = |bytes: u64| (bytes as u32).to_le_bytes();
        self.to.seek(SeekFrom::Start(4))?;
        self.to.write_all(&size(self.head_bytes - 8 + self.sound_bytes + self.sound_bytes % 2))?;
        self.to.seek(SeekFrom::Start(self.head_bytes - 4))?;
        self.to.write_all(&size(self.sound_bytes))?;
        self.to.flush()
    }
}

/// Samples that are packed at once.
const AT_ONCE: usize = 1 << 15;

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
    let mut stream = WavStream::new(std::fs::File::create(path)?, sound.channels().len())?;
    stream.append(sound)?;
    stream.finish()
}
