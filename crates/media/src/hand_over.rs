//! Files to hand over: sound in every coding, Broadcast Wave, films with a new sound. What has a rate or a coding of its
//! own is made by ffmpeg of Debian's packages, from a WAV of floating point.

use crate::program::{self, Limits, ProgramError};
use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::handover::{Coding, FilmContainer, SoundForm};
use std::fs::File;
use std::io::{self, BufReader, BufWriter, Seek, SeekFrom, Write};
use std::path::Path;

/// Why a file was not made.
#[derive(Debug, thiserror::Error)]
pub enum HandOverError {
    /// ffmpeg is not installed.
    #[error("ffmpeg is missing on the server. Install the Debian package ffmpeg.")]
    Missing(io::Error),
    /// It takes too long.
    #[error("Writing this took too long. Try again, or take another form.")]
    TimedOut,
    /// ffmpeg said no; what it told is for the log.
    #[error("This could not be written. Take another form.")]
    Failed(String),
    /// The container does not take the film's picture as it is.
    #[error("This container does not hold the picture of this film. Take MKV, which holds any.")]
    Container(String),
    /// The disk.
    #[error("{0}")]
    Io(#[from] io::Error),
}

impl From<ProgramError> for HandOverError {
    fn from(cause: ProgramError) -> Self {
        match cause {
            ProgramError::Missing(cause) => Self::Missing(cause),
            ProgramError::TimedOut => Self::TimedOut,
            ProgramError::Failed(told) => Self::Failed(told),
        }
    }
}

/// What a Broadcast Wave says of itself (EBU Tech 3285, version 2).
#[derive(Debug, Clone, PartialEq)]
pub struct Broadcast {
    /// At most 256 characters.
    pub description: String,
    /// Samples since midnight of the first one.
    pub time_reference: u64,
    /// The day, as 2026-11-29.
    pub date: String,
    /// The time, as 12:30:00.
    pub time: String,
    /// Integrated loudness in LUFS.
    pub lufs: Option<f64>,
    /// Loudness range in LU.
    pub range_lu: Option<f64>,
    /// Highest true peak in dBTP.
    pub peak_dbtp: Option<f64>,
    /// Highest momentary loudness in LUFS.
    pub most_momentary_lufs: Option<f64>,
    /// Highest short-term loudness in LUFS.
    pub most_short_term_lufs: Option<f64>,
}

impl Broadcast {
    /// The chunk, head and all.
    fn chunk(&self) -> Vec<u8> {
        /// Size of the fields before the coding history.
        const FIXED: usize = 602;
        let mut out = Vec::with_capacity(FIXED + 64);
        let mut text = |text: &str, bytes: usize| {
            // The fields are ASCII.
            let mut field: Vec<u8> = text.chars().map(|c| if c.is_ascii() && !c.is_control() { c as u8 } else { b'?' }).take(bytes).collect();
            field.resize(bytes, 0);
            out.extend(field);
        };
        text(&self.description, 256);
        text("Jaunty Bar", 32);
        text("", 32);
        text(&self.date, 10);
        text(&self.time, 8);
        out.extend(self.time_reference.to_le_bytes());
        out.extend(2u16.to_le_bytes());
        out.extend([0; 64]);
        // Hundredths; 0x7fff says that nothing was measured.
        let hundredths = |value: Option<f64>| value.filter(|v| v.is_finite()).map_or(0x7fff, |v| (v * 100.0).round().clamp(-9999.0, 9999.0) as i16);
        for value in [self.lufs, self.range_lu, self.peak_dbtp, self.most_momentary_lufs, self.most_short_term_lufs] {
            out.extend(hundredths(value).to_le_bytes());
        }
        out.resize(FIXED, 0);
        out.extend(b"A=PCM,F=48000,W=24,M=stereo,T=Jaunty Bar\r\n");
        if out.len() % 2 == 1 {
            out.push(0);
        }
        let mut chunk = b"bext".to_vec();
        chunk.extend((out.len() as u32).to_le_bytes());
        chunk.extend(out);
        chunk
    }
}

/// Writes the WAV file `from` as Broadcast Wave.
///
/// # Errors
/// What the disk says.
pub fn broadcast(from: &Path, to: &Path, about: &Broadcast) -> io::Result<()> {
    let mut source = BufReader::new(File::open(from)?);
    let size = source.get_ref().metadata()?.len();
    let chunk = about.chunk();
    let mut target = BufWriter::new(File::create(to)?);
    target.write_all(b"RIFF")?;
    target.write_all(&((size - 8 + chunk.len() as u64) as u32).to_le_bytes())?;
    target.write_all(b"WAVE")?;
    // Before the samples, as the standard wants it.
    target.write_all(&chunk)?;
    source.seek(SeekFrom::Start(12))?;
    io::copy(&mut source, &mut target)?;
    target.flush()
}

/// Samples at `rate_hz` that last as long as `length_samples` at the working rate.
pub fn samples_at(length_samples: u64, rate_hz: u32) -> u64 {
    let (n, rate, working) = (u128::from(length_samples), u128::from(rate_hz), u128::from(SAMPLE_RATE_HZ));
    ((n * rate + working / 2) / working) as u64
}

fn ffmpeg(arguments: &[&str], length_samples: u64) -> Result<(), HandOverError> {
    let limits = Limits { time_s: 120 + length_samples / u64::from(SAMPLE_RATE_HZ), file_bytes: u64::MAX >> 1 };
    program::run("ffmpeg", &[&["-nostdin", "-v", "error", "-y", "-protocol_whitelist", "file,pipe"], arguments].concat(), limits)?;
    Ok(())
}

fn file(path: &Path) -> String {
    format!("file:{}", path.display())
}

/// Writes the WAV file `from` (48 kHz, floating point, stereo, `length_samples` long) as `form`, to the sample as long.
/// `title` is its name in files that can carry one.
///
/// # Errors
/// [`HandOverError`].
pub fn encode(from: &Path, to: &Path, form: SoundForm, length_samples: u64, title: &str) -> Result<(), HandOverError> {
    let rate = form.rate_hz.to_string();
    let count = samples_at(length_samples, form.rate_hz);
    // The resampler may end a sample early or late: it is filled up and cut to length.
    let dither = if form.coding == Coding::Wav16 { ":dither_method=triangular:osf=s16" } else { "" };
    let mono = if form.mono { "pan=mono|c0=0.5*c0+0.5*c1," } else { "" };
    let filter = format!("{mono}aresample={rate}:resampler=soxr:precision=28{dither},apad,atrim=end_sample={count}");
    let (input, target, name) = (file(from), file(to), format!("title={title}"));
    let coding: &[&str] = match form.coding {
        Coding::Wav16 => &["-c:a", "pcm_s16le", "-f", "wav"],
        Coding::Wav24 | Coding::Broadcast => &["-c:a", "pcm_s24le", "-f", "wav"],
        Coding::Wav32 => &["-c:a", "pcm_f32le", "-f", "wav"],
        Coding::Flac => &["-c:a", "flac", "-sample_fmt", "s32", "-bits_per_raw_sample", "24", "-compression_level", "8", "-f", "flac"],
        Coding::Mp3 => &["-c:a", "libmp3lame", "-b:a", "320k", "-f", "mp3"],
        Coding::Aac => &["-c:a", "aac", "-b:a", "256k", "-f", "ipod"],
        Coding::Opus => &["-c:a", "libopus", "-b:a", "160k", "-f", "opus"],
    };
    let before = ["-f", "wav", "-i", &input, "-map_metadata", "-1", "-metadata", &name, "-fflags", "+bitexact", "-flags:a", "+bitexact", "-af", &filter];
    ffmpeg(&[&before, coding, &[&target]].concat(), length_samples)
}

/// Decodes a file that was written, as WAV of floating point at its own rate, to measure what came out.
///
/// # Errors
/// [`HandOverError`].
pub fn decode_again(from: &Path, to: &Path, length_samples: u64) -> Result<(), HandOverError> {
    ffmpeg(&["-i", &file(from), "-c:a", "pcm_f32le", "-f", "wav", &file(to)], length_samples)
}

/// Writes `film` with the WAV file `sound` (48 kHz, floating point) as its sound; its picture is copied bit for bit.
/// The old sound stays as a second track where that is asked for and there is one; `captions` (SubRip) become a text track.
///
/// # Errors
/// [`HandOverError`].
pub fn film(
    film: &Path,
    sound: &Path,
    captions: Option<&Path>,
    to: &Path,
    container: FilmContainer,
    keeps_old_sound: bool,
    length_samples: u64,
) -> Result<(), HandOverError> {
    let (picture, heard, target) = (file(film), file(sound), file(to));
    let mut arguments = vec!["-i", &picture, "-i", &heard];
    let text = captions.map(file);
    if let Some(text) = &text {
        arguments.extend(["-f", "srt", "-i", text]);
    }
    arguments.extend(["-map", "0:v:0", "-map", "1:a:0"]);
    if keeps_old_sound {
        arguments.extend(["-map", "0:a?"]);
    }
    if text.is_some() {
        arguments.extend(["-map", "2:s:0"]);
    }
    arguments.extend(["-c:v", "copy", "-fflags", "+bitexact"]);
    arguments.extend(match container {
        FilmContainer::Mp4 => ["-c:a", "aac", "-b:a", "320k", "-c:s", "mov_text", "-f", "mp4"],
        FilmContainer::Mov => ["-c:a", "pcm_s24le", "-ar", "48000", "-c:s", "mov_text", "-f", "mov"],
        FilmContainer::Mkv => ["-c:a", "flac", "-ar", "48000", "-c:s", "srt", "-f", "matroska"],
    });
    if container != FilmContainer::Mkv {
        arguments.extend(["-movflags", "+faststart"]);
    }
    arguments.extend(["-disposition:a:0", "default", &target]);
    ffmpeg(&arguments, length_samples).map_err(|cause| match cause {
        HandOverError::Failed(told) if container != FilmContainer::Mkv => HandOverError::Container(told),
        other => other,
    })
}
