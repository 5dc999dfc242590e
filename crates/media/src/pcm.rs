//! The working form of a sound: a file of interleaved little-endian `f32` at 48 kHz behind a
//! short head, of which any range can be read without the rest.

use jaunty_core::sound::Source;
use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::os::unix::fs::FileExt;
use std::path::Path;

const MAGIC: &[u8; 7] = b"JBPCM01";
const HEAD_BYTES: u64 = 8;
const SAMPLE_BYTES: u64 = 4;

/// Writes a working file.
pub struct PcmWriter {
    file: BufWriter<File>,
    bytes: Vec<u8>,
}

impl PcmWriter {
    /// Starts a file for one or two channels.
    ///
    /// # Errors
    /// What the file system says.
    pub fn create(path: &Path, channel_count: usize) -> io::Result<Self> {
        let mut file = BufWriter::with_capacity(1 << 18, File::create(path)?);
        file.write_all(MAGIC)?;
        file.write_all(&[channel_count as u8])?;
        Ok(Self { file, bytes: Vec::new() })
    }

    /// Appends planes of equal length.
    ///
    /// # Errors
    /// What the file system says, such as a full disk.
    pub fn append(&mut self, planes: &[&[f32]]) -> io::Result<()> {
        self.bytes.clear();
        for index in 0..planes.first().map_or(0, |p| p.len()) {
            for plane in planes {
                self.bytes.extend_from_slice(&plane[index].to_le_bytes());
            }
        }
        self.file.write_all(&self.bytes)
    }

    /// Completes a file that need not outlive a power cut.
    ///
    /// # Errors
    /// What the file system says.
    pub fn close(mut self) -> io::Result<()> {
        self.file.flush()
    }

    /// Makes sure that everything is on disk.
    ///
    /// # Errors
    /// What the file system says.
    pub fn finish(mut self) -> io::Result<()> {
        self.file.flush()?;
        self.file.get_ref().sync_all()
    }
}

/// A working file, open for reading.
#[derive(Debug)]
pub struct PcmFile {
    file: File,
    channel_count: usize,
    len_samples: u64,
}

impl PcmFile {
    /// Opens a working file.
    ///
    /// # Errors
    /// What the file system says, or [`io::ErrorKind::InvalidData`] for another kind of file.
    pub fn open(path: &Path) -> io::Result<Self> {
        let file = File::open(path)?;
        let mut head = [0u8; HEAD_BYTES as usize];
        file.read_exact_at(&mut head, 0)?;
        let channel_count = usize::from(head[7]);
        if &head[..7] != MAGIC || !matches!(channel_count, 1 | 2) {
            return Err(io::Error::new(io::ErrorKind::InvalidData, "not a working sound file"));
        }
        let len_samples = (file.metadata()?.len() - HEAD_BYTES) / (SAMPLE_BYTES * channel_count as u64);
        Ok(Self { file, channel_count, len_samples })
    }

    /// Reads frames from `start` and hands each to `put` as (index in the range, samples of all channels).
    fn for_each_frame(&self, start: i64, count: usize, mut put: impl FnMut(usize, &[u8])) {
        let skip = start.min(0).unsigned_abs() as usize;
        let from = start.max(0) as u64;
        if skip >= count || from >= self.len_samples {
            return;
        }
        let frames = ((count - skip) as u64).min(self.len_samples - from) as usize;
        let frame_bytes = SAMPLE_BYTES as usize * self.channel_count;
        const CHUNK: usize = 1 << 14;
        let mut bytes = vec![0u8; CHUNK.min(frames) * frame_bytes];
        for done in (0..frames).step_by(CHUNK) {
            let now = CHUNK.min(frames - done);
            let part = &mut bytes[..now * frame_bytes];
            // A file that shrinks under us reads as silence; it is only a cache and made anew.
            if self.file.read_exact_at(part, HEAD_BYTES + (from + done as u64) * frame_bytes as u64).is_err() {
                return;
            }
            for (k, frame) in part.chunks_exact(frame_bytes).enumerate() {
                put(skip + done + k, frame);
            }
        }
    }
}

fn sample(frame: &[u8], channel: usize) -> f32 {
    let at = channel * SAMPLE_BYTES as usize;
    f32::from_le_bytes([frame[at], frame[at + 1], frame[at + 2], frame[at + 3]])
}

impl Source for PcmFile {
    fn len_samples(&self) -> u64 {
        self.len_samples
    }

    fn channel_count(&self) -> usize {
        self.channel_count
    }

    fn read(&self, channel: usize, start: i64, out: &mut [f32]) {
        out.fill(0.0);
        let channel = channel.min(self.channel_count - 1);
        self.for_each_frame(start, out.len(), |k, frame| out[k] = sample(frame, channel));
    }

    fn read_mono(&self, start: i64, out: &mut [f32]) {
        out.fill(0.0);
        if self.channel_count == 2 {
            self.for_each_frame(start, out.len(), |k, frame| out[k] = 0.5 * (sample(frame, 0) + sample(frame, 1)));
        } else {
            self.for_each_frame(start, out.len(), |k, frame| out[k] = sample(frame, 0));
        }
    }
}
