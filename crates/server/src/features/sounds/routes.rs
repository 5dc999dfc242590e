//! Routes of sounds.

use super::SoundHash;
use crate::App;
use crate::problem::Problem;
use actix_web::{HttpResponse, get, web};
use jaunty_core::sound::Source;
use jaunty_core::units::seconds_from_samples;
use serde::Serialize;
use utoipa::ToSchema;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(waveform);
}

/// A waveform to draw.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WaveformView {
    /// Seconds from one peak to the next.
    pub step_s: f64,
    /// Highest absolute sample of each step, 0 to 65535 for 0 to full scale.
    pub peaks: Vec<u16>,
}

/// The waveform of a sound, about 1500 peaks whatever its length.
#[utoipa::path(params(("hash" = String, Path)), responses((status = 200, body = WaveformView)))]
#[get("/api/sounds/{hash}/waveform")]
pub async fn waveform(app: web::Data<App>, hash: web::Path<SoundHash>) -> Result<HttpResponse, Problem> {
    let file = app.working_file(&hash.0).await?;
    let span_samples = (file.len_samples() / 1500).max(48);
    let drawn = app.compute(move || jaunty_media::overview(&file, span_samples)).await?;
    let view = WaveformView { step_s: seconds_from_samples(drawn.span_samples), peaks: drawn.peaks };
    // The hash names the content, so this never changes.
    Ok(HttpResponse::Ok().insert_header(("cache-control", "private, max-age=31536000, immutable")).json(view))
}
