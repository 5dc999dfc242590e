//! The commands that need no server: list shots, tell kinds, read, fit and mix files.

use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::fit::{self, FitRequest, Fitting, Scene};
use jaunty_core::handover::{Coding, Form, FormError, Level, SoundForm, level, limited};
use jaunty_core::message::Message;
use jaunty_core::mix::{self, Hear};
use jaunty_core::plan::{self, BedInput, Inputs, PieceInput, Plan, Role};
use jaunty_core::reading::{self, BedRead, Reading};
use jaunty_core::shape::{FadeShape, LevelObject};
use jaunty_core::sound::limiter::{Limiter, for_limiter};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::{self, SpeechReading};
use jaunty_core::units::{CutLength, FrameRate, TimeError, seconds_from_samples};
use jaunty_core::voice::Piece;
use jaunty_exchange::{ExchangeError, For};
use jaunty_media::hand_over::{HandOverError, encode};
use jaunty_media::{DecodeError, WavStream, decode_to_sound, decode_to_source};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

/// Why a command stopped.
#[derive(Debug, thiserror::Error)]
pub enum CliError {
    /// A file could not be read as sound.
    #[error("{path}: {cause}")]
    Decode {
        /// The file.
        path: PathBuf,
        /// Why.
        cause: DecodeError,
    },
    /// The result could not be written.
    #[error("{path}: {cause}")]
    Write {
        /// The file.
        path: PathBuf,
        /// Why.
        cause: std::io::Error,
    },
    /// A list could not be used.
    #[error("{path}: {cause}")]
    List {
        /// The file.
        path: PathBuf,
        /// Why.
        cause: ExchangeError,
    },
    /// A file could not be opened.
    #[error("{path}: {cause}")]
    Open {
        /// The file.
        path: PathBuf,
        /// Why.
        cause: std::io::Error,
    },
    /// The rate is none.
    #[error("\"{0}\" is no frame rate; write 25, 23.976, 29.97df or 30000/1001")]
    Rate(String),
    /// The length makes no sense.
    #[error(transparent)]
    Length(#[from] TimeError),
    /// The plan and its sounds do not belong together.
    #[error(transparent)]
    Render(#[from] mix::MissingSound),
    /// There is no such form.
    #[error(transparent)]
    Form(#[from] FormError),
    /// A form that says something of a cut, asked for without one.
    #[error("a Broadcast Wave carries the timecode of a cut: take it from there, by jaunty hand-over")]
    NoCut,
    /// The file could not be encoded.
    #[error("{path}: {cause}")]
    Encode {
        /// The file.
        path: PathBuf,
        /// Why.
        cause: HandOverError,
    },
}

/// What a file is read as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum ReadAs {
    /// Music: beats, bars, sections.
    Bed,
    /// Speech: phrases and gaps.
    Narration,
}

fn load(path: &Path) -> Result<Sound, CliError> {
    decode_to_sound(path).map_err(|cause| CliError::Decode { path: path.to_owned(), cause })
}

fn seconds(samples: &[u64]) -> Vec<f64> {
    samples.iter().map(|&s| seconds_from_samples(s)).collect()
}

/// A file that is only read, however long.
fn open(path: &Path) -> Result<Box<dyn Source + Send + Sync>, CliError> {
    decode_to_source(path).map_err(|cause| CliError::Decode { path: path.to_owned(), cause })
}

fn read_bed(sound: &dyn Source) -> BedRead {
    reading::read_bed(sound, &mut reading::keep_going()).expect("nobody cancels a command")
}

fn read_narration(sound: &dyn Source) -> SpeechReading {
    speech::read_speech(sound, &mut reading::keep_going()).expect("nobody cancels a command")
}

fn sections_json(reading: &Reading) -> Vec<Value> {
    let span = |s: &reading::Section| json!({ "start": seconds_from_samples(s.start_samples), "end": seconds_from_samples(s.end_samples), "label": s.label });
    reading.sections.iter().map(span).collect()
}

fn span_json(span: &reading::Span) -> Value {
    json!({ "start": seconds_from_samples(span.start_samples), "end": seconds_from_samples(span.end_samples), "likelihood": span.likelihood })
}

fn phrases_json(reading: &SpeechReading) -> Vec<Value> {
    let span = |p: &speech::Phrase| json!({ "start": seconds_from_samples(p.start_samples), "end": seconds_from_samples(p.end_samples) });
    reading.phrases.iter().map(span).collect()
}

/// `jaunty read`: what a file is, as JSON.
///
/// # Errors
/// [`CliError`] with what to do.
pub fn read(file: &Path, read_as: ReadAs) -> Result<Value, CliError> {
    let sound = open(file)?;
    let length_s = seconds_from_samples(sound.len_samples());
    Ok(match read_as {
        ReadAs::Narration => {
            let read = read_narration(&*sound);
            json!({
                "duration_s": length_s,
                "speech": phrases_json(&read),
                "loudness": read.loudness,
                "noise_floor_dbfs": read.noise_floor_dbfs,
                "confidence": { "speech": read.confidence },
            })
        }
        ReadAs::Bed => {
            let read = read_bed(&*sound).reading;
            json!({
                "duration_s": length_s,
                "tempo_bpm": read.tempo_bpm,
                "metre": read.metre,
                "key": read.key.map(reading::Key::name),
                "beats": seconds(&read.beats_samples),
                "downbeats": seconds(&read.bar_lines_samples()),
                "sections": sections_json(&read),
                "music_start_s": seconds_from_samples(read.music_start_samples),
                "ending": {
                    "kind": read.ending.kind,
                    "last_hit_s": seconds_from_samples(read.ending.last_hit_samples),
                    "music_end_s": seconds_from_samples(read.ending.music_end_samples),
                },
                "loudness": read.loudness,
                "singing": read.singing.iter().map(span_json).collect::<Vec<_>>(),
                "loops": read.loops.iter().map(|l| json!({ "start_bar": l.start_bar + 1, "end_bar": l.end_bar, "goodness": l.goodness })).collect::<Vec<_>>(),
                "repeats": read.repeats.iter().map(|bar| bar + 1).collect::<Vec<_>>(),
                "bar_levels_db": read.bar_levels_db,
                "bars": read.bars.iter().map(|b| json!({ "attacks_per_s": b.attacks_per_s, "brightness_hz": b.brightness_hz, "classes": b.classes })).collect::<Vec<_>>(),
                "phrases": read.phrases.iter().map(|bar| bar + 1).collect::<Vec<_>>(),
                "arcs": read.arcs.iter().map(|a| json!({ "start_bar": a.start_bar + 1, "end_bar": a.end_bar, "motion": a.motion, "change_db": a.change_db })).collect::<Vec<_>>(),
                "second_opinions": read.second_opinions.iter().map(|o| json!({ "what": o.correction.message().to_string(), "tempo_bpm": o.tempo_bpm, "metre": o.metre, "likelihood": o.likelihood })).collect::<Vec<_>>(),
                "confidence": read.confidence,
            })
        }
    })
}

/// A frame rate as people write it: `25`, `23.976`, `29.97df`, `30000/1001`, `30000/1001df`.
fn rate_from(text: &str) -> Result<FrameRate, CliError> {
    let bad = || CliError::Rate(text.to_owned());
    let (number, drop_frame) = match text.trim().strip_suffix("df") {
        Some(number) => (number, true),
        None => (text.trim(), false),
    };
    let value: f64 = match number.split_once('/') {
        Some((num, den)) => num.parse::<f64>().map_err(|_| bad())? / den.parse::<f64>().map_err(|_| bad())?,
        None => number.parse().map_err(|_| bad())?,
    };
    let close = |(num, den): &(u32, u32)| (value - f64::from(*num) / f64::from(*den)).abs() < 0.01;
    let (num, den) = FrameRate::KNOWN.into_iter().find(close).ok_or_else(bad)?;
    FrameRate::new(num, den, drop_frame).map_err(|_| bad())
}

/// `jaunty shots`: what a list of shots holds, as JSON.
///
/// # Errors
/// [`CliError`] with what to do.
pub fn shots(file: &Path, rate: Option<&str>) -> Result<Value, CliError> {
    let rate = rate.map(rate_from).transpose()?;
    let bytes = std::fs::read(file).map_err(|cause| CliError::Open { path: file.to_owned(), cause })?;
    let list = jaunty_exchange::read(&bytes, For { rate, first_frame: 0 }).map_err(|cause| CliError::List { path: file.to_owned(), cause })?;
    let end = |frame: u64| (frame < u64::MAX).then_some(frame);
    let shot = |s: &jaunty_core::picture::Shot| json!({ "label": s.name, "start_frame": s.start_frame, "end_frame": end(s.end_frame), "still": s.still });
    let moment = |m: &jaunty_core::picture::Moment| json!({ "label": m.name, "frame": m.frame, "kind": m.kind });
    let line = |l: &jaunty_core::picture::Line| json!({ "start_s": seconds_from_samples(l.start_samples), "words": l.words });
    Ok(json!({
        "format": list.format,
        "rate": format!("{}/{}", list.rate.num(), list.rate.den()),
        "rate_known": list.rate_known,
        "drop": list.rate.is_drop_frame(),
        "first_frame": list.first_frame,
        "length_frames": list.length_frames,
        "shots": list.marks.shots.iter().map(shot).collect::<Vec<_>>(),
        "moments": list.marks.moments.iter().map(moment).collect::<Vec<_>>(),
        "lines": list.lines.iter().map(line).collect::<Vec<_>>(),
        "unused": list.unused,
    }))
}

/// `jaunty kind`: whether a file is music, speech or the sound of a room, as JSON.
///
/// # Errors
/// [`CliError`] with what to do.
pub fn kind(file: &Path) -> Result<Value, CliError> {
    let found = jaunty_core::kind::recognise(&*open(file)?, &mut reading::keep_going()).expect("nobody cancels a command");
    Ok(json!(found))
}

fn fitting_json(fitting: &Fitting) -> Value {
    let splices: Vec<Value> = fitting
        .splices
        .iter()
        .map(|s| {
            let [from, to] = s.sides_meet_samples();
            json!({
                "from_s": seconds_from_samples(from),
                "to_s": seconds_from_samples(to),
                "at_s": seconds_from_samples(s.meets_samples()),
                "later_s": s.join.later_samples as f64 / 48_000.0,
                "from_bar": s.leave_bar + 1,
                "to_bar": s.enter_bar + 1,
                "goodness": s.goodness,
                "audible": s.audible,
                "correlation": s.join.correlation,
                "rings": s.join.rings,
                "why": s.why.to_string(),
            })
        })
        .collect();
    json!({
        "end": fitting.end,
        "start": fitting.start,
        "name": fitting.name.to_string(),
        "why": fitting.why.to_string(),
        "splices": splices,
        "speed": fitting.speed,
        "cost": fitting.cost,
        "notes": fitting.notes.iter().map(Message::to_string).collect::<Vec<_>>(),
    })
}

/// The sounds of a plan of files.
fn sounds_of<'a>(bed: Option<&'a Sound>, narration: Option<&'a Sound>) -> impl Fn(&str) -> Option<&'a dyn Source> {
    move |name: &str| match name {
        "bed" => bed.map(|s| s as &dyn Source),
        "narration" => narration.map(|s| s as &dyn Source),
        _ => None,
    }
}

/// Writes a plan as WAV, of floating point or of 24 bits.
fn write_wav(plan: &Plan, sounds: &mix::Sounds<'_, '_>, limiter: Option<&Limiter>, is_float: bool, out: &Path) -> Result<(), CliError> {
    let cause = |cause| CliError::Write { path: out.to_owned(), cause };
    let file = std::fs::File::create(out).map_err(cause)?;
    let mut stream = if is_float { WavStream::float(file, 2) } else { WavStream::new(file, 2) }.map_err(cause)?;
    const BLOCK: u64 = 480_000;
    for start in (0..plan.length_samples).step_by(BLOCK as usize) {
        let mut sound = mix::render(plan, sounds, start..start + BLOCK, Hear::Everything)?;
        if let Some(limiter) = limiter {
            limiter.apply(start, sound.channels_mut());
        }
        stream.append(&sound).map_err(cause)?;
    }
    stream.finish().map_err(cause)
}

/// Writes a plan in any form; what happened to its level.
fn write_mix(plan: &Plan, sounds: &mix::Sounds<'_, '_>, form: SoundForm, title: &str, out: &Path) -> Result<Level, CliError> {
    if form.coding == Coding::Broadcast {
        return Err(CliError::NoCut);
    }
    Form::Mix { sound: form }.check(plan.length_samples)?;
    let (level, limiter) = if form.limited {
        let (energies, peaks) = for_limiter(&mix::Heard::new(plan, sounds, Hear::Everything)?);
        let (level, limiter) = limited(&energies, &peaks, form.loudness_lufs);
        (level, Some(limiter))
    } else {
        let loudness = mix::loudness(plan, sounds)?;
        (level(loudness.integrated_lufs, loudness.true_peak_dbtp, form.loudness_lufs, form.coding.holds_more_than_full_scale()), None)
    };
    let plan = plan.raised(level.gain_db);
    let is_direct = form.rate_hz == SAMPLE_RATE_HZ && !form.mono && matches!(form.coding, Coding::Wav24 | Coding::Wav32);
    if is_direct {
        write_wav(&plan, sounds, limiter.as_ref(), form.coding == Coding::Wav32, out)?;
        return Ok(level);
    }
    let wav = tempfile::NamedTempFile::new().map_err(|cause| CliError::Write { path: out.to_owned(), cause })?;
    write_wav(&plan, sounds, limiter.as_ref(), true, wav.path())?;
    encode(wav.path(), out, form, plan.length_samples, title).map_err(|cause| CliError::Encode { path: out.to_owned(), cause })?;
    Ok(level)
}

/// `jaunty fit`: the bed alone, re-cut to a length, at its own level.
///
/// # Errors
/// [`CliError`] with what to do.
pub fn fit(bed: &Path, length_s: f64, out: &Path) -> Result<Value, CliError> {
    let length_samples = CutLength::samples_from_seconds(length_s)?;
    let sound = load(bed)?;
    let BedRead { reading, likeness } = read_bed(&sound);
    let fittings = fit::fittings(&sound, &reading, &likeness, &FitRequest::of_length(length_samples));
    let best = &fittings[0];
    let mut levels = Vec::new();
    // Without a plan around it the bed keeps its own level; only a bed that does not end by itself is faded.
    if best.end == fit::FittingEnd::Fade {
        let length = fit::FADE_OUT_SAMPLES.min(length_samples / 4);
        levels.push(LevelObject::FadeOut { end_samples: length_samples, length_samples: length, shape: FadeShape::EqualPower, by_hand: false });
    }
    let layer = plan::Layer { role: Role::Bed, sound: "bed".into(), fitting: Some(best.clone()), piece: None, levels, pocket: None, ambience: None };
    let plan = Plan { layers: vec![layer], ..Plan::empty(length_samples) };
    write_wav(&plan, &sounds_of(Some(&sound), None), None, false, out)?;
    let mut result = fitting_json(best);
    result["length_samples"] = json!(length_samples);
    result["alternatives"] = json!(fittings[1..].iter().map(fitting_json).collect::<Vec<_>>());
    Ok(result)
}

/// `jaunty mix`: bed and narration as a finished mix.
///
/// # Errors
/// [`CliError`] with what to do.
pub fn mix(bed: &Path, narration: &Path, length_s: f64, sound: SoundForm, out: &Path) -> Result<Value, CliError> {
    let length_samples = CutLength::samples_from_seconds(length_s)?;
    let (bed_sound, voice) = (load(bed)?, load(narration)?);
    let BedRead { reading, likeness } = read_bed(&bed_sound);
    let speech = read_narration(&voice);
    // The bed is fitted to the narration as well as to the length, as the server does.
    let phrases = speech.phrases.iter().map(|p| (p.start_samples, p.end_samples)).collect();
    let request = FitRequest { scene: Scene { phrases, ..Scene::default() }, ..FitRequest::of_length(length_samples) };
    let fittings = fit::fittings(&bed_sound, &reading, &likeness, &request);
    let lines = reading.bar_lines_samples();
    let bed_input = BedInput { sound: "bed", source: &bed_sound, fitting: &fittings[0], bar_lines_samples: &lines, before: &[] };
    let piece = Piece::whole("narration", voice.len_samples());
    let narration_input = [PieceInput { piece: &piece, source: &voice, reading: &speech }];
    let plan = plan::propose(Inputs { length_samples, beds: &[bed_input], narration: &narration_input, ..Inputs::default() });
    let title = out.file_stem().unwrap_or_default().to_string_lossy();
    let level = write_mix(&plan, &sounds_of(Some(&bed_sound), Some(&voice)), sound, &title, out)?;
    let mut result = fitting_json(&fittings[0]);
    result["length_samples"] = json!(length_samples);
    result["level"] = json!({ "gain_db": level.gain_db, "limited_db": level.limited_db, "words": level.words() });
    result["levels"] = json!(plan.bed().map(|b| &b.levels));
    result["speech"] = json!(phrases_json(&speech));
    result["findings"] = json!(jaunty_core::check::findings(&plan, Some(&reading), &[]));
    Ok(result)
}
