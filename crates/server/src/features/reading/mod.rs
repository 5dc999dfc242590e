//! The reading of the bed: heard from any bar, counted along, corrected.

use crate::App;
use crate::features::cuts::replan;
use crate::features::cuts::setup::{Candidate, Setup};
use crate::features::cuts::store as cuts;
use crate::features::cuts::view::CutView;
use crate::features::listening::wav_answer;
use crate::features::plans::FromRevision;
use crate::features::sounds::store as sounds;
use crate::problem::Problem;
use crate::upload::{first_file, title_from};
use actix_files::NamedFile;
use actix_multipart::Multipart;
use actix_web::http::header::{Charset, ContentDisposition, ContentEncoding, DispositionParam, DispositionType, ExtendedValue};
use actix_web::{HttpRequest, HttpResponse, delete, get, post, web};
use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::mix::count_along;
use jaunty_core::reading::{Correction, Reading};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::units::{samples_from_seconds, seconds_from_samples};
use jaunty_exchange::grid::{self, Bed, Grid};
use jaunty_media::{PcmFile, WavStream, wav_bytes};
use serde::Deserialize;
use std::io::{BufWriter, Seek, SeekFrom, Write};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(correct).service(take_back).service(bed_sound).service(take_grid).service(grid_out);
}

/// What a person says about the reading; places are seconds of the bed.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "what", rename_all = "camelCase")]
pub enum Said {
    /// There are twice as many beats.
    DoubleTempo,
    /// Only every second beat is one.
    HalfTempo,
    /// What was taken for beats lies between them.
    OffBeats,
    /// The pulse is near this tempo.
    Tempo {
        /// Beats a minute.
        bpm: f64,
    },
    /// So many beats make a bar.
    Metre {
        /// 1 to 12.
        beats: u32,
    },
    /// Bars begin so many beats later (earlier for negative).
    ShiftBars {
        /// Beats.
        beats: i32,
    },
    /// All beats lie so much later (earlier for negative).
    Nudge {
        /// Milliseconds.
        ms: f64,
    },
    /// Somebody tapped the beat here.
    #[serde(rename_all = "camelCase")]
    Taps {
        /// When.
        at_s: Vec<f64>,
    },
    /// A section begins elsewhere.
    #[serde(rename_all = "camelCase")]
    MoveBoundary {
        /// Where it began.
        from_s: f64,
        /// Where it begins.
        to_s: f64,
    },
    /// Another section begins here.
    #[serde(rename_all = "camelCase")]
    Split {
        /// Where.
        at_s: f64,
    },
    /// No section begins here.
    #[serde(rename_all = "camelCase")]
    Join {
        /// Where.
        at_s: f64,
    },
    /// The section here has a name.
    #[serde(rename_all = "camelCase")]
    Name {
        /// A place in it.
        at_s: f64,
        /// Its name; empty takes it away.
        name: String,
    },
    /// The section here is like others of this letter.
    #[serde(rename_all = "camelCase")]
    Letter {
        /// A place in it.
        at_s: f64,
        /// The letter.
        label: String,
    },
    /// Somebody sings here, or nobody does.
    #[serde(rename_all = "camelCase")]
    Singing {
        /// From.
        start_s: f64,
        /// To.
        end_s: f64,
        /// Whether.
        sings: bool,
    },
    /// The bed ends with its last hit here.
    #[serde(rename_all = "camelCase")]
    LastHit {
        /// Where.
        at_s: f64,
    },
    /// The bed has no ending of its own: from here on it fades.
    #[serde(rename_all = "camelCase")]
    FadesFrom {
        /// Where.
        at_s: f64,
    },
}

impl From<Said> for Correction {
    fn from(said: Said) -> Self {
        let at = |s: f64| samples_from_seconds(s.clamp(0.0, 86_400.0));
        match said {
            Said::DoubleTempo => Self::DoubleTempo,
            Said::HalfTempo => Self::HalfTempo,
            Said::OffBeats => Self::OffBeats,
            Said::Tempo { bpm } => Self::Tempo { bpm },
            Said::Metre { beats } => Self::Metre { beats },
            Said::ShiftBars { beats } => Self::ShiftBars { beats: beats.clamp(-12, 12) },
            Said::Nudge { ms } => Self::Nudge { samples: (ms.clamp(-10_000.0, 10_000.0) * 48.0).round() as i64 },
            Said::Taps { at_s } => Self::Taps { at_samples: at_s.into_iter().map(at).collect() },
            Said::MoveBoundary { from_s, to_s } => Self::MoveBoundary { from_samples: at(from_s), to_samples: at(to_s) },
            Said::Split { at_s } => Self::Split { at_samples: at(at_s) },
            Said::Join { at_s } => Self::Join { at_samples: at(at_s) },
            Said::Name { at_s, name } => Self::Name { at_samples: at(at_s), name },
            Said::Letter { at_s, label } => Self::Letter { at_samples: at(at_s), label },
            Said::Singing { start_s, end_s, sings } => Self::Singing { start_samples: at(start_s), end_samples: at(end_s), sings },
            Said::LastHit { at_s } => Self::LastHit { at_samples: at(at_s) },
            Said::FadesFrom { at_s } => Self::FadesFrom { at_samples: at(at_s) },
        }
    }
}

/// A correction to be made.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AskCorrection {
    /// The revision that the client saw.
    pub revision: u32,
    /// What is said.
    pub said: Said,
}

fn bed_of(setup: &mut Setup) -> Result<&mut Candidate, Problem> {
    let hash = setup.bed.as_ref().map(|b| b.hash.clone()).ok_or_else(|| Problem::not_found("bed"))?;
    setup.candidate(&hash).ok_or_else(|| Problem::not_found("bed"))
}

/// Keeps a correction on top of the reading; the bed is read and the cut planned with it.
///
/// # Errors
/// What the correction's check says, or a stale page.
pub async fn say(app: &App, id: Uuid, seen: u32, correction: Correction) -> Result<(), Problem> {
    correction.check().map_err(Problem::bad_value)?;
    let what = format!("correct the reading: {}", correction.words());
    replan(app, id, Some(seen), &what, |setup| {
        bed_of(setup)?.corrections.push(correction);
        Ok(())
    })
    .await?;
    Ok(())
}

/// Says something about the reading of the bed.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = AskCorrection, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/bed/corrections")]
pub async fn correct(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<AskCorrection>) -> Result<web::Json<CutView>, Problem> {
    let AskCorrection { revision, said } = body.into_inner();
    say(&app, *id, revision, said.into()).await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Takes one correction back, whenever it was made.
#[utoipa::path(params(("id" = Uuid, Path), ("index" = usize, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[delete("/api/cuts/{id}/bed/corrections/{index}")]
pub async fn take_back(app: web::Data<App>, path: web::Path<(Uuid, usize)>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let (id, index) = path.into_inner();
    let mut cut = cuts::known(&app.pool, id).await?;
    cut.check_seen(Some(body.revision))?;
    let words = bed_of(&mut cut.setup)?.corrections.get(index).ok_or_else(|| Problem::not_found("correction"))?.words();
    replan(&app, id, Some(body.revision), &format!("take a correction back: {words}"), |setup| {
        bed_of(setup)?.corrections.remove(index);
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// A range of the bed itself.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct BedRange {
    /// First sample.
    from_samples: u64,
    /// Number of samples, at most 30 seconds.
    length_samples: u64,
    /// Whether a tick sounds on every beat.
    count: bool,
}

/// The bed as it came, from any place, with a tick on every beat where that is asked for.
#[utoipa::path(params(("id" = Uuid, Path), BedRange), responses((status = 200, content_type = "audio/wav")))]
#[get("/api/cuts/{id}/bed/sound")]
pub async fn bed_sound(app: web::Data<App>, id: web::Path<Uuid>, range: web::Query<BedRange>) -> Result<HttpResponse, Problem> {
    /// The longest range for one request: 30 s.
    const MOST_SAMPLES: u64 = 1_440_000;
    /// Peak of a tick: heard over a loud bed, no shock over a quiet one.
    const TICK: f32 = 0.35;
    if range.length_samples > MOST_SAMPLES {
        return Err(Problem::bad_value("At most 30 seconds are given at once."));
    }
    let mut cut = cuts::known(&app.pool, *id).await?;
    let bed = bed_of(&mut cut.setup)?.clone();
    let file = app.working_file(&bed.hash).await?;
    let reading: Option<Reading> = if range.count { sounds::bed_document(&app.pool, &bed.hash, &bed.corrections).await? } else { None };
    let (from, length) = (range.from_samples, range.length_samples as usize);
    let bytes = app
        .compute(move || {
            let mut planes = vec![vec![0.0; length]; file.channel_count()];
            for (channel, plane) in planes.iter_mut().enumerate() {
                file.read(channel, from as i64, plane);
            }
            let mut sound = Sound::new(planes);
            if let Some(reading) = reading {
                count_along(&mut sound, from, &reading, TICK);
            }
            wav_bytes(&sound).map_err(Problem::from)
        })
        .await??;
    Ok(wav_answer(bytes, "no-store"))
}

/// Takes a grid that was made elsewhere: a Standard MIDI File, JAMS, or a WAV file with cue points.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/bed/grid")]
pub async fn take_grid(app: web::Data<App>, id: web::Path<Uuid>, mut form: Multipart) -> Result<web::Json<CutView>, Problem> {
    let mut cut = cuts::known(&app.pool, *id).await?;
    let revision = cut.revision;
    let bed = bed_of(&mut cut.setup)?.clone();
    let reading = sounds::bed_document(&app.pool, &bed.hash, &bed.corrections).await?.ok_or_else(|| Problem::not_found("reading"))?;
    let (_, field) = first_file(&mut form).await?;
    let for_bed = Bed { length_s: seconds_from_samples(reading.length_samples), metre: reading.metre as usize };
    let grid = app.read_grid(field, for_bed).await?;
    let beats_samples = grid.beats_s.iter().map(|&s| samples_from_seconds(s)).collect();
    let sections = grid.sections.into_iter().map(|(at_s, name)| (samples_from_seconds(at_s), name)).collect();
    say(&app, *id, revision, Correction::Given { beats_samples, downbeats: grid.downbeats, sections }).await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// What a grid is written as.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum GridFormat {
    /// Standard MIDI File with a tempo map and markers.
    Midi,
    /// JAMS with beats and sections.
    Jams,
    /// The bed as WAV with a cue point for each bar.
    Wav,
}

/// How to write a grid.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct GridOut {
    /// The format.
    format: GridFormat,
}

/// The bed's beats, bars and sections as a file.
#[utoipa::path(params(("id" = Uuid, Path), GridOut), responses((status = 200, content_type = "application/octet-stream")))]
#[get("/api/cuts/{id}/bed/grid")]
pub async fn grid_out(app: web::Data<App>, id: web::Path<Uuid>, out: web::Query<GridOut>, request: HttpRequest) -> Result<HttpResponse, Problem> {
    let mut cut = cuts::known(&app.pool, *id).await?;
    let bed = bed_of(&mut cut.setup)?.clone();
    let reading = sounds::bed_document(&app.pool, &bed.hash, &bed.corrections).await?.ok_or_else(|| Problem::not_found("reading"))?;
    let grid = Grid {
        beats_s: reading.beats_samples.iter().map(|&s| seconds_from_samples(s)).collect(),
        downbeats: reading.downbeats.clone(),
        sections: reading.sections.iter().map(|s| (seconds_from_samples(s.start_samples), s.name.clone().unwrap_or_else(|| s.label.clone()))).collect(),
    };
    let (title, length_s) = (title_from(&bed.name), seconds_from_samples(reading.length_samples));
    let sound = match out.format {
        GridFormat::Wav => Some(app.working_file(&bed.hash).await?),
        _ => None,
    };
    let (title_in, format) = (title.clone(), out.format);
    let file = app
        .compute(move || -> Result<std::fs::File, Problem> {
            let mut file = tempfile::tempfile()?;
            match (format, sound) {
                (GridFormat::Wav, Some(sound)) => write_with_cues(&mut file, &sound, &grid)?,
                (GridFormat::Jams, _) => file.write_all(grid::jams::write(&grid, &title_in, length_s).as_bytes())?,
                _ => file.write_all(&grid::midi::write(&grid))?,
            }
            file.seek(SeekFrom::Start(0))?;
            Ok(file)
        })
        .await??;
    let ending = match out.format {
        GridFormat::Midi => "mid",
        GridFormat::Jams => "jams",
        GridFormat::Wav => "wav",
    };
    let name = ExtendedValue { charset: Charset::Ext("UTF-8".into()), language_tag: None, value: format!("{title}, bars.{ending}").into_bytes() };
    let disposition = ContentDisposition { disposition: DispositionType::Attachment, parameters: vec![DispositionParam::FilenameExt(name)] };
    let answer = NamedFile::from_file(file, format!("bars.{ending}"))?.set_content_disposition(disposition).set_content_encoding(ContentEncoding::Identity);
    Ok(answer.into_response(&request))
}

/// The sound as WAV with the cue points of its grid behind it.
fn write_with_cues(file: &mut std::fs::File, sound: &PcmFile, grid: &Grid) -> Result<(), Problem> {
    const BLOCK: usize = 1 << 16;
    let mut stream = WavStream::new(BufWriter::new(file.try_clone()?), sound.channel_count())?;
    for start in (0..sound.len_samples()).step_by(BLOCK) {
        let count = BLOCK.min((sound.len_samples() - start) as usize);
        let mut planes = vec![vec![0.0; count]; sound.channel_count()];
        for (channel, plane) in planes.iter_mut().enumerate() {
            sound.read(channel, start as i64, plane);
        }
        stream.append(&Sound::new(planes))?;
    }
    stream.finish()?;
    let end = file.seek(SeekFrom::End(0))?;
    if end % 2 == 1 {
        file.write_all(&[0])?;
    }
    file.write_all(&grid::cues::chunks_of(grid, SAMPLE_RATE_HZ))?;
    // The size in the head of the file counts the new chunks too.
    let size = (file.seek(SeekFrom::End(0))? - 8) as u32;
    file.seek(SeekFrom::Start(4))?;
    file.write_all(&size.to_le_bytes())?;
    Ok(())
}
