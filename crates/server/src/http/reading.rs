//! The bed as it came, and its beats, bars and sections as files.

use super::listening::{attached, check_range, wav_answer};
use super::rights::AskedStudio;
use crate::studio::{GridFile, Problem};
use actix_web::{HttpRequest, HttpResponse, get, web};
use jaunty_media::wav_bytes;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(bed_sound).service(grid_out);
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
pub async fn bed_sound(studio: AskedStudio, id: web::Path<Uuid>, range: web::Query<BedRange>) -> Result<HttpResponse, Problem> {
    check_range(range.length_samples)?;
    let asked = range.from_samples..range.from_samples.saturating_add(range.length_samples);
    let sound = studio.bed_range(*id, asked, range.count).await?;
    Ok(wav_answer(studio.compute(move || wav_bytes(&sound)).await??, "no-store"))
}

/// What a grid is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
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
pub async fn grid_out(studio: AskedStudio, id: web::Path<Uuid>, out: web::Query<GridOut>, request: HttpRequest) -> Result<HttpResponse, Problem> {
    let (format, ending) = match out.format {
        GridFormat::Midi => (GridFile::Midi, "mid"),
        GridFormat::Jams => (GridFile::Jams, "jams"),
        GridFormat::Wav => (GridFile::Wav, "wav"),
    };
    let (file, title) = studio.grid_file(*id, format).await?;
    attached(file, &format!("bars.{ending}"), format!("{title}, bars.{ending}"), &request)
}
