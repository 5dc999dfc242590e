//! Proxy films: what a film is, its own sound, single pictures. All of it is done by ffmpeg and
//! ffprobe of Debian's packages; nothing of a film is decoded here.

use jaunty_core::units::FrameRate;
use serde::Deserialize;
use std::path::Path;
use std::process::{Command, Stdio};

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
    #[error("ffmpeg is missing ({0}); install the Debian package ffmpeg")]
    Missing(std::io::Error),
    /// It is no film, or a damaged one.
    #[error("this is no film that can be read here ({0}); export it as MP4 (H.264) or WebM")]
    NoFilm(String),
    /// It runs at a rate that pictures do not run at.
    #[error("the film runs at {0} frames a second; export it at 23.976, 24, 25, 29.97, 30, 50, 59.94 or 60, with a constant rate")]
    Rate(String),
    /// The browser does not play it.
    #[error("browsers do not play {0}; export the film as MP4 (H.264) or WebM")]
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

fn run(program: &str, arguments: &[&str], path: &Path, more: &[&str]) -> Result<Vec<u8>, FilmError> {
    let out = Command::new(program).args(arguments).arg(path).args(more).stdin(Stdio::null()).output().map_err(FilmError::Missing)?;
    if out.status.success() {
        return Ok(out.stdout);
    }
    let told = String::from_utf8_lossy(&out.stderr);
    // The last line says what is wrong; the path in it is ours and means nothing to the user.
    let line = told.lines().last().unwrap_or("it broke off").replace(&path.display().to_string(), "the file");
    Err(FilmError::NoFilm(line.chars().take(160).collect()))
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
    let arguments = ["-v", "error", "-count_packets", "-show_streams", "-show_format", "-of", "json"];
    let told = run("ffprobe", &arguments, path, &[])?;
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
    let length_frames =
        counted.or_else(|| lasts_s.and_then(|s| rate.frames_from_seconds(s).ok())).ok_or_else(|| FilmError::NoFilm("it has no frames".into()))?;
    Ok(FilmFacts {
        rate,
        length_frames,
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
    let more = ["-vn", "-af", "aresample=async=1:first_pts=0", "-ac", "2", "-ar", "48000", "-c:a", "pcm_s24le", "-f", "wav", "-y"];
    let target = wav.display().to_string();
    run("ffmpeg", &["-v", "error", "-nostdin", "-i"], film, &[&more[..], &[&target]].concat()).map(|_| ())
}

/// Writes one picture of the film as JPEG, `width_px` wide.
///
/// # Errors
/// [`FilmError`].
pub fn still(film: &Path, at_s: f64, width_px: u32, jpeg: &Path) -> Result<(), FilmError> {
    let (at, scale, target) = (format!("{at_s:.4}"), format!("scale={width_px}:-2"), jpeg.display().to_string());
    run("ffmpeg", &["-v", "error", "-nostdin", "-ss", &at, "-i"], film, &["-frames:v", "1", "-vf", &scale, "-q:v", "5", "-f", "image2", "-y", &target])?;
    if jpeg.metadata().map_or(0, |m| m.len()) > 0 { Ok(()) } else { Err(FilmError::NoFilm("there is no picture at that time".into())) }
}
