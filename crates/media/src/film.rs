//! Proxy films: what a film is, its own sound, single pictures. All of it is done by ffmpeg and
//! ffprobe of Debian's packages; nothing of a film is decoded here.

use crate::program::{self, Limits, ProgramError};
use jaunty_core::units::{CutLength, FrameRate, TimeError};
use serde::Deserialize;
use std::path::Path;

/// What a film is.
#[derive(Debug, Clone, PartialEq)]
pub struct FilmFacts {
    /// Its frame rate.
    pub rate: FrameRate,
    /// Its length in frames.
    pub length_frames: u64,
    /// The number of its first frame, when it carries a timecode.
    pub first_frame: Option<u64>,
    /// Whether it has a sound of its own.
    pub has_sound: bool,
    /// Width in pixels.
    pub width_px: u32,
    /// Height in pixels.
    pub height_px: u32,
}

/// Why a film cannot be used. The texts say what to do.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum FilmError {
    /// ffmpeg is not installed.
    #[error("ffmpeg is missing on the server. Install the Debian package ffmpeg.")]
    Missing(std::io::Error),
    /// It is no film, or a damaged one; what was told about it is for the log.
    #[error("This is no film that can be read here. Export it as MP4 (H.264) or WebM.")]
    NoFilm(String),
    /// It takes longer than a film should.
    #[error("Reading this film takes too long. Export it as MP4 (H.264) or WebM.")]
    TimedOut,
    /// It runs at a rate that pictures do not run at.
    #[error("The film runs at {0} frames a second. Export it at 23.976, 24, 25, 29.97, 30, 50, 59.94 or 60, with a constant rate.")]
    Rate(String),
    /// It is longer than a cut can be.
    #[error("The film has no length that can be used: {0}. Export the part that you cut to.")]
    Length(#[from] TimeError),
    /// The browser does not play it.
    #[error("Browsers do not play {0}. Export the film as MP4 (H.264) or WebM.")]
    Codec(String),
}

#[derive(Deserialize)]
struct Probed {
    #[serde(default)]
    streams: Vec<Stream>,
    format: Option<Container>,
}

#[derive(Deserialize)]
struct Stream {
    codec_type: Option<String>,
    codec_name: Option<String>,
    #[serde(default)]
    avg_frame_rate: String,
    #[serde(default)]
    r_frame_rate: String,
    nb_read_packets: Option<String>,
    duration: Option<String>,
    width: Option<u32>,
    height: Option<u32>,
    #[serde(default)]
    tags: Tags,
}

#[derive(Deserialize)]
struct Container {
    duration: Option<String>,
    #[serde(default)]
    tags: Tags,
}

#[derive(Deserialize, Default)]
struct Tags {
    #[serde(alias = "TIMECODE")]
    timecode: Option<String>,
    #[serde(alias = "DURATION")]
    duration: Option<String>,
}

/// Containers of films, as ffmpeg names them: no playlist, no list of other files, nothing that opens a second one.
const CONTAINERS: &str = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,ogg,avi";

/// Runs a program of ffmpeg's on one film, which is read from a file and nowhere else.
fn run(program: &str, before: &[&str], film: &Path, after: &[&str], limits: Limits) -> Result<Vec<u8>, FilmError> {
    let film = format!("file:{}", film.display());
    let input = ["-v", "error", "-protocol_whitelist", "file,pipe", "-format_whitelist", CONTAINERS];
    program::run(program, &[&input[..], before, &["-i", &film], after].concat(), limits).map_err(|cause| match cause {
        ProgramError::Missing(cause) => FilmError::Missing(cause),
        ProgramError::TimedOut => FilmError::TimedOut,
        ProgramError::Failed(told) => FilmError::NoFilm(told),
    })
}

fn fraction(text: &str) -> Option<f64> {
    let (num, den) = text.split_once('/')?;
    let (num, den): (f64, f64) = (num.parse().ok()?, den.parse().ok()?);
    (den > 0.0 && num > 0.0).then_some(num / den)
}

fn known(rate: f64, drop_frame: bool) -> Option<FrameRate> {
    let close = |&&(num, den): &&(u32, u32)| (rate - f64::from(num) / f64::from(den)).abs() < 0.01;
    let &(num, den) = FrameRate::KNOWN.iter().find(close)?;
    FrameRate::new(num, den, drop_frame && den == 1001 && num != 24_000).ok()
}

/// Seconds of `90.04` or of `00:01:30.040000000`.
fn seconds(text: &str) -> Option<f64> {
    text.split(':').try_fold(0.0, |sum, part| Some(sum * 60.0 + part.trim().parse::<f64>().ok()?))
}

/// Says what a film is: rate, length and first timecode are read from its container, its frames
/// are counted.
///
/// # Errors
/// [`FilmError`] with what to do.
pub fn probe(path: &Path) -> Result<FilmFacts, FilmError> {
    let arguments = ["-count_packets", "-show_streams", "-show_format", "-of", "json"];
    let told = run("ffprobe", &arguments, path, &[], Limits { time_s: 60, file_bytes: 0 })?;
    let probed: Probed = serde_json::from_slice(&told).map_err(|cause| FilmError::NoFilm(cause.to_string()))?;
    let is = |kind: &'static str| move |s: &&Stream| s.codec_type.as_deref() == Some(kind);
    let cover = |s: &&Stream| matches!(s.codec_name.as_deref(), Some("mjpeg" | "png" | "bmp" | "gif"));
    let Some(video) = probed.streams.iter().filter(is("video")).find(|s| !cover(s)) else {
        return Err(FilmError::NoFilm("it has no moving picture".into()));
    };
    let codec = video.codec_name.as_deref().unwrap_or("an unknown codec");
    if !matches!(codec, "h264" | "vp8" | "vp9" | "av1" | "theora") {
        return Err(FilmError::Codec(codec.to_owned()));
    }
    let container = probed.format.as_ref();
    let timecode = probed.streams.iter().find_map(|s| s.tags.timecode.as_deref()).or_else(|| container.and_then(|c| c.tags.timecode.as_deref()));
    let told_rate = fraction(&video.avg_frame_rate).or_else(|| fraction(&video.r_frame_rate));
    let drop_frame = timecode.is_some_and(|t| t.contains(';'));
    let rate = told_rate.and_then(|r| known(r, drop_frame)).or_else(|| fraction(&video.r_frame_rate).and_then(|r| known(r, drop_frame)));
    let rate = rate.ok_or_else(|| FilmError::Rate(told_rate.map_or("an unknown number of".into(), |r| format!("{r:.3}"))))?;
    let counted = video.nb_read_packets.as_deref().and_then(|n| n.parse::<u64>().ok()).filter(|n| *n > 0);
    let lasts_s =
        [video.duration.as_deref(), video.tags.duration.as_deref(), container.and_then(|c| c.duration.as_deref())].into_iter().flatten().find_map(seconds);
    let length = match (counted, lasts_s) {
        (Some(frames), _) => CutLength::new(rate, frames),
        (None, Some(s)) => CutLength::from_seconds(rate, s),
        (None, None) => return Err(FilmError::NoFilm("it has no frames".into())),
    }?;
    Ok(FilmFacts {
        rate,
        length_frames: length.frames(),
        first_frame: timecode.and_then(|t| rate.frame_from_timecode(t).ok()),
        has_sound: probed.streams.iter().any(|s| is("audio")(&s)),
        width_px: video.width.unwrap_or(0),
        height_px: video.height.unwrap_or(0),
    })
}

/// Writes the film's own sound as WAV of 48 kHz in two channels, in step with its picture.
///
/// # Errors
/// [`FilmError`].
pub fn extract_sound(film: &Path, wav: &Path) -> Result<(), FilmError> {
    // Silence before a late first sample, so that sample 0 is frame 0.
    let most_s = (CutLength::MOST_HOURS * 3600).to_string();
    let more = ["-t", &most_s, "-vn", "-af", "aresample=async=1:first_pts=0", "-ac", "2", "-ar", "48000", "-c:a", "pcm_s24le", "-f", "wav", "-y"];
    let target = format!("file:{}", wav.display());
    let limits = Limits { time_s: 600, file_bytes: CutLength::MOST_SAMPLES * 6 + 4096 };
    run("ffmpeg", &["-nostdin"], film, &[&more[..], &[&target]].concat(), limits).map(|_| ())
}

/// Writes one picture of the film as JPEG, `width_px` wide.
///
/// # Errors
/// [`FilmError`].
pub fn still(film: &Path, at_s: f64, width_px: u32, jpeg: &Path) -> Result<(), FilmError> {
    let (at, scale, target) = (format!("{at_s:.4}"), format!("scale={width_px}:-2"), format!("file:{}", jpeg.display()));
    let more = ["-frames:v", "1", "-vf", &scale, "-q:v", "5", "-f", "image2", "-update", "1", "-y", &target];
    run("ffmpeg", &["-nostdin", "-ss", &at], film, &more, Limits { time_s: 20, file_bytes: 16 << 20 })?;
    if jpeg.metadata().map_or(0, |m| m.len()) > 0 { Ok(()) } else { Err(FilmError::NoFilm("there is no picture at that time".into())) }
}
