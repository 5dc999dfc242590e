//! Decoding through `symphonia`, resampling through `rubato`.

use crate::downmix::Downmix;
use crate::edit_list::edit_list_start;
use crate::error::DecodeError;
use crate::pcm::{PcmFile, PcmWriter};
use crate::rate::{Rate, Take};
use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::sound::{Sound, Source};
use jaunty_core::units::CutLength;
use std::fs::File;
use std::io;
use std::ops::RangeInclusive;
use std::panic::AssertUnwindSafe;
use std::path::Path;
use symphonia::core::codecs::audio::{AudioDecoder, AudioDecoderOptions};
use symphonia::core::errors::Error as SymphoniaError;
use symphonia::core::formats::probe::Hint;
use symphonia::core::formats::{FormatOptions, FormatReader, TrackType};
use symphonia::core::io::MediaSourceStream;
use symphonia::core::meta::MetadataOptions;

/// Sample rates that are read, in Hz: from telephones to the fastest converters.
pub const RATES_HZ: RangeInclusive<u32> = 4_000..=768_000;
/// Channels of a file at most.
const MOST_CHANNELS: usize = 64;
/// The shortest sound of any use, in samples at 48 kHz: a twentieth of a second.
const LEAST_SAMPLES: u64 = 2400;
/// The longest sound, in samples at 48 kHz: nothing longer fits a cut.
const MOST_SAMPLES: u64 = CutLength::MOST_SAMPLES;
/// The highest sample of a sound: 40 dB over full scale. Files of floating point are now and then
/// mixed hot, but what lies beyond this are no samples.
const MOST_PEAK: f32 = 100.0;
/// Room that a working file leaves on its disk.
const LEAVE_FREE_BYTES: u64 = 256 << 20;

/// What a file turned out to be.
#[derive(Debug, Clone, PartialEq)]
pub struct DecodedInfo {
    /// Sample rate of the file in Hz.
    pub rate_hz: u32,
    /// One or two; more become two.
    pub channel_count: usize,
    /// Length at 48 kHz.
    pub length_samples: u64,
    /// The file ended or broke before its time; what came before it is kept.
    pub damaged: bool,
}

/// Decodes `path` into a working file at `to`.
///
/// `extension` helps to tell formats apart and may be wrong. `progress` gets the share done (0
/// where the length is unknown) and returns whether to go on. A file that breaks off is kept as
/// far as it goes and marked damaged.
///
/// # Errors
/// [`DecodeError`]; the working file is then worthless.
pub fn decode_file(path: &Path, extension: Option<&str>, to: &Path, progress: &mut dyn FnMut(f32) -> bool) -> Result<DecodedInfo, DecodeError> {
    /// How much is written between two looks at the disk.
    const LOOK_BYTES: u64 = 64 << 20;
    let mut writer: Option<PcmWriter> = None;
    let (mut written_bytes, mut looked_bytes) = (0, None);
    let info = decode(path, extension, progress, &mut |planes| {
        if writer.is_none() {
            writer = Some(PcmWriter::create(to, planes.len())?);
        }
        written_bytes += planes.iter().map(|p| size_of_val(*p) as u64).sum::<u64>();
        if looked_bytes.is_none_or(|looked| written_bytes >= looked + LOOK_BYTES) {
            looked_bytes = Some(written_bytes);
            if free_bytes(to)? < LEAVE_FREE_BYTES + LOOK_BYTES {
                return Err(io::ErrorKind::StorageFull.into());
            }
        }
        writer.as_mut().map_or(Ok(()), |pcm| pcm.append(planes))
    })?;
    writer.ok_or(DecodeError::NoSamples)?.finish()?;
    Ok(info)
}

/// Decodes a whole file into memory, for the command line and for tests.
///
/// # Errors
/// As [`decode_file`].
pub fn decode_to_sound(path: &Path) -> Result<Sound, DecodeError> {
    let mut channels: Vec<Vec<f32>> = Vec::new();
    decode(path, path.extension().and_then(|e| e.to_str()), &mut |_| true, &mut |planes| {
        channels.resize(planes.len(), Vec::new());
        for (channel, plane) in channels.iter_mut().zip(planes) {
            channel.extend_from_slice(plane);
        }
        Ok(())
    })?;
    Ok(Sound::new(channels))
}

/// Decodes a whole file for one who only reads it: a short one stays in memory, a long one goes to
/// a working file that is gone when the source is.
///
/// # Errors
/// As [`decode_file`].
pub fn decode_to_source(path: &Path) -> Result<Box<dyn Source + Send + Sync>, DecodeError> {
    /// Ten minutes.
    const MOST_IN_MEMORY: usize = 600 * SAMPLE_RATE_HZ as usize;
    let mut channels: Vec<Vec<f32>> = Vec::new();
    let mut spilled: Option<(tempfile::NamedTempFile, PcmWriter)> = None;
    decode(path, path.extension().and_then(|e| e.to_str()), &mut |_| true, &mut |planes| {
        if let Some((_, pcm)) = spilled.as_mut() {
            return pcm.append(planes);
        }
        channels.resize(planes.len(), Vec::new());
        for (channel, plane) in channels.iter_mut().zip(planes) {
            channel.extend_from_slice(plane);
        }
        if channels[0].len() > MOST_IN_MEMORY {
            let file = tempfile::NamedTempFile::new()?;
            let mut pcm = PcmWriter::create(file.path(), channels.len())?;
            pcm.append(&channels.iter().map(Vec::as_slice).collect::<Vec<_>>())?;
            channels = Vec::new();
            spilled = Some((file, pcm));
        }
        Ok(())
    })?;
    Ok(match spilled {
        // The open file outlives its name.
        Some((file, pcm)) => {
            pcm.finish()?;
            Box::new(PcmFile::open(file.path())?)
        }
        None => Box::new(Sound::new(channels)),
    })
}

/// Decodes `path` and hands its samples at 48 kHz to `take`, some at a time. A decoder that panics has
/// met a file that it cannot decode.
fn decode(path: &Path, extension: Option<&str>, progress: &mut dyn FnMut(f32) -> bool, take: &mut Take<'_>) -> Result<DecodedInfo, DecodeError> {
    // What it leaves half done is dropped with it.
    let decoded = std::panic::catch_unwind(AssertUnwindSafe(|| decode_all(path, extension, progress, take)));
    decoded.unwrap_or_else(|_| Err(DecodeError::Malformed("the decoder panicked".into())))
}

fn decode_all(path: &Path, extension: Option<&str>, progress: &mut dyn FnMut(f32) -> bool, take: &mut Take<'_>) -> Result<DecodedInfo, DecodeError> {
    if path.metadata()?.len() == 0 {
        return Err(DecodeError::Empty);
    }
    let mut reader = Reader::open(path, extension)?;
    // A head that lies the other way is found out by counting.
    if reader.says_too_long() {
        return Err(DecodeError::TooLong);
    }
    let mut planes: Vec<Vec<f32>> = Vec::new();
    let mut converter: Option<(Rate, u32)> = None;
    let (mut read_frames, mut no_numbers, mut length_samples) = (0u64, 0u64, 0u64);
    let mut counted = |out: &[&[f32]]| {
        length_samples += out[0].len() as u64;
        take(out)
    };
    while let Some(rate_hz) = reader.next(&mut planes)? {
        if !RATES_HZ.contains(&rate_hz) {
            return Err(DecodeError::Rate(rate_hz));
        }
        no_numbers += only_numbers(&mut planes)?;
        let channels = planes.len();
        if converter.is_none() {
            converter = Some((Rate::new(rate_hz, channels)?, rate_hz));
        }
        let Some((rate, first_rate)) = converter.as_mut() else { continue };
        if rate_hz != *first_rate {
            return Err(DecodeError::Malformed("the sample rate changes within the file".into()));
        }
        read_frames += planes[0].len() as u64;
        if read_frames / u64::from(rate_hz) > MOST_SAMPLES / u64::from(SAMPLE_RATE_HZ) {
            return Err(DecodeError::TooLong);
        }
        rate.push(&planes, &mut counted)?;
        let share = reader.frames.map_or(0.0, |all| (read_frames as f32 / all.max(1) as f32).min(1.0));
        if !progress(share) {
            return Err(DecodeError::Cancelled);
        }
    }
    let Some((mut rate, rate_hz)) = converter else { return Err(DecodeError::NoSamples) };
    rate.finish(&mut counted)?;
    if length_samples < LEAST_SAMPLES {
        return Err(DecodeError::NoSamples);
    }
    if no_numbers * 2 >= read_frames * planes.len() as u64 {
        return Err(DecodeError::NoSound);
    }
    let short = reader.frames.is_some_and(|all| read_frames + u64::from(rate_hz) / 10 < all);
    Ok(DecodedInfo { rate_hz, channel_count: planes.len(), length_samples, damaged: reader.damaged || short || no_numbers > 0 })
}

/// Makes silence of what is no number, and says how many samples that were.
fn only_numbers(planes: &mut [Vec<f32>]) -> Result<u64, DecodeError> {
    let mut count = 0;
    for sample in planes.iter_mut().flatten() {
        if !sample.is_finite() {
            *sample = 0.0;
            count += 1;
        } else if sample.abs() > MOST_PEAK {
            return Err(DecodeError::NoSound);
        }
    }
    Ok(count)
}

/// Bytes that are free for us on the disk of `path`.
///
/// # Errors
/// What the file system says.
pub fn free_bytes(path: &Path) -> io::Result<u64> {
    let told = nix::sys::statvfs::statvfs(path)?;
    Ok(told.blocks_available() * told.fragment_size())
}

/// Packets of one file as planes of samples.
struct Reader {
    format: Box<dyn FormatReader>,
    decoder: Box<dyn AudioDecoder>,
    track_id: u32,
    frames: Option<u64>,
    rate_hz: Option<u32>,
    /// Samples that the encoder put before the sound and that are still to be dropped.
    skip: usize,
    /// How more than two channels become two.
    downmix: Option<Downmix>,
    damaged: bool,
}

impl Reader {
    fn open(path: &Path, extension: Option<&str>) -> Result<Self, DecodeError> {
        let stream = MediaSourceStream::new(Box::new(File::open(path)?), Default::default());
        let mut hint = Hint::new();
        if let Some(extension) = extension {
            hint.with_extension(extension);
        }
        let format = symphonia::default::get_probe()
            .probe(&hint, stream, FormatOptions::default(), MetadataOptions::default())
            .map_err(|cause| DecodeError::Unsupported(cause.to_string()))?;
        let track = format.default_track(TrackType::Audio).ok_or_else(|| DecodeError::Unsupported("no track of sound".into()))?;
        let parameters = track.codec_params.as_ref().and_then(|p| p.audio()).ok_or_else(|| DecodeError::Unsupported("unknown coding".into()))?;
        if let Some(count) = parameters.channels.as_ref().map(|c| c.count()).filter(|count| *count > MOST_CHANNELS) {
            return Err(DecodeError::Channels(count));
        }
        // Before the decoder plans for it.
        if let Some(rate_hz) = parameters.sample_rate.filter(|rate| !RATES_HZ.contains(rate)) {
            return Err(DecodeError::Rate(rate_hz));
        }
        let decoder = symphonia::default::get_codecs()
            .make_audio_decoder(parameters, &AudioDecoderOptions::default())
            .map_err(|cause| DecodeError::Unsupported(cause.to_string()))?;
        let skip = edit_list_start(path, parameters.sample_rate).unwrap_or(0);
        let (track_id, frames, rate_hz) = (track.id, track.num_frames, parameters.sample_rate);
        Ok(Self { format, decoder, track_id, frames, rate_hz, skip, downmix: None, damaged: false })
    }

    /// Whether the head says that the sound is longer than a cut can be. Plain samples are counted
    /// instead: where they were written before their number was known, the head says the most that it can.
    fn says_too_long(&self) -> bool {
        let plain = matches!(self.format.format_info().short_name, "wave" | "aiff" | "caf");
        let Some((frames, rate_hz)) = self.frames.zip(self.rate_hz).filter(|_| !plain) else { return false };
        frames / u64::from(rate_hz.max(1)) > MOST_SAMPLES / u64::from(SAMPLE_RATE_HZ)
    }

    /// Decodes the next packet into `planes` and gives its rate; `None` at the end.
    fn next(&mut self, planes: &mut Vec<Vec<f32>>) -> Result<Option<u32>, DecodeError> {
        loop {
            let packet = match self.format.next_packet() {
                Ok(Some(packet)) => packet,
                Ok(None) => return Ok(None),
                Err(SymphoniaError::IoError(cause)) if cause.kind() != io::ErrorKind::UnexpectedEof => return Err(cause.into()),
                // What came before the break is kept.
                Err(_) => {
                    self.damaged = true;
                    return Ok(None);
                }
            };
            if packet.track_id != self.track_id {
                continue;
            }
            match self.decoder.decode(&packet) {
                Ok(buffer) if buffer.frames() == 0 => {}
                Ok(buffer) => {
                    let rate_hz = buffer.spec().rate();
                    let count = buffer.spec().channels().count();
                    if count > MOST_CHANNELS {
                        return Err(DecodeError::Channels(count));
                    }
                    if buffer.spec().channels().count() > 2 && self.downmix.is_none() {
                        self.downmix = Downmix::of(buffer.spec().channels());
                    }
                    buffer.copy_to_vecs_planar(planes);
                    if let Some(downmix) = &self.downmix {
                        downmix.apply(planes);
                    }
                    let drop = self.skip.min(buffer.frames());
                    self.skip -= drop;
                    planes.iter_mut().for_each(|p| {
                        p.drain(..drop.min(p.len()));
                    });
                    if planes.first().is_some_and(|p| !p.is_empty()) {
                        return Ok(Some(rate_hz));
                    }
                }
                Err(SymphoniaError::DecodeError(_)) => self.damaged = true,
                Err(cause) => return Err(DecodeError::Malformed(cause.to_string())),
            }
        }
    }
}
