//! Hearing and handing over: ranges of a revision, and the whole of it, rendered from the plan.

use crate::App;
use crate::features::cuts::store::{self as cuts, CutRow};
use crate::features::sounds::WaveformView;
use crate::problem::Problem;
use actix_files::NamedFile;
use actix_web::http::header::{Charset, ContentDisposition, ContentEncoding, DispositionParam, DispositionType, ExtendedValue};
use actix_web::{HttpRequest, HttpResponse, get, web};
use jaunty_core::mix::{Hear, Meters, meters, outline, render};
use jaunty_core::plan::{Layer, Plan, Role};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::units::{samples_from_seconds, seconds_from_samples};
use jaunty_media::{PcmFile, WavStream, wav_bytes};
use serde::Deserialize;
use std::collections::HashMap;
use std::io::BufWriter;
use std::sync::Arc;
use utoipa::IntoParams;
use uuid::Uuid;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(sound).service(mix).service(shaped);
}

/// A plan with its sounds open.
pub struct Ready {
    plan: Plan,
    files: HashMap<String, PcmFile>,
}

impl Ready {
    /// A revision's plan with its sounds open.
    ///
    /// # Errors
    /// A 404, or what decoding says.
    pub async fn of(app: &App, id: Uuid, revision: u32) -> Result<(CutRow, Self), Problem> {
        let cut = cuts::known(&app.pool, id).await?;
        let row = cuts::revision(&app.pool, id, revision).await?.ok_or_else(|| Problem::not_found("revision"))?;
        Ok((cut, Self::with(app, row.plan).await?))
    }

    /// Opens the sounds of a plan.
    ///
    /// # Errors
    /// A 404 for a sound that is gone, or what decoding says.
    pub async fn with(app: &App, plan: Plan) -> Result<Self, Problem> {
        let mut files = HashMap::new();
        for layer in &plan.layers {
            if !files.contains_key(&layer.sound) {
                files.insert(layer.sound.clone(), app.working_file(&layer.sound).await?);
            }
        }
        Ok(Self { plan, files })
    }

    /// Takes layers out, named as `bed`, `voice`, `film` or by the hash of an ambience.
    fn mute(&mut self, names: &str) {
        let silent = |layer: &Layer| {
            names.split(',').any(|name| match layer.role {
                Role::Bed => name == "bed",
                Role::Narration => name == "voice",
                Role::Film => name == "film",
                Role::Ambience => name == layer.sound,
            })
        };
        self.plan.layers.retain(|layer| !silent(layer));
    }

    /// What is measured of it.
    ///
    /// # Errors
    /// A sound that is gone.
    pub fn meters(&self) -> Result<Meters, Problem> {
        meters(&self.plan, &|name| self.files.get(name).map(|f| f as &dyn Source)).map_err(Problem::internal)
    }

    fn render(&self, range: std::ops::Range<u64>, hear: Hear) -> Result<Sound, Problem> {
        render(&self.plan, &|name| self.files.get(name).map(|f| f as &dyn Source), range, hear).map_err(Problem::internal)
    }
}

/// The range to hear.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct Range {
    /// First sample.
    from_samples: u64,
    /// Number of samples, at most 30 seconds.
    length_samples: u64,
    /// What to hear.
    hear: Hear,
    /// Layers that are not heard, as `bed`, `voice`, `film` or the hash of an ambience, with commas between.
    without: Option<String>,
}

/// The longest range that is rendered for one request: 30 s.
const MOST_SAMPLES: u64 = 1_440_000;

/// The longest mix: the head of a WAV file counts bytes in 32 bits.
const MOST_WAV_SAMPLES: u64 = (u32::MAX as u64 - 4096) / 6;

/// A range of a revision as WAV: the same samples that the whole mix has there.
#[utoipa::path(params(("id" = Uuid, Path), ("revision" = u32, Path), Range), responses((status = 200, content_type = "audio/wav")))]
#[get("/api/cuts/{id}/revisions/{revision}/sound")]
pub async fn sound(app: web::Data<App>, path: web::Path<(Uuid, u32)>, range: web::Query<Range>) -> Result<HttpResponse, Problem> {
    let (id, revision) = path.into_inner();
    let (_, mut ready) = Ready::of(&app, id, revision).await?;
    ready.mute(range.without.as_deref().unwrap_or_default());
    // A revision never changes, so what was heard once need not be rendered again.
    sound_answer(&app, ready, range.from_samples, range.length_samples, range.hear, "private, max-age=86400, immutable").await
}

/// A range of a plan as WAV.
///
/// # Errors
/// A range over 30 seconds, or what rendering says.
pub async fn sound_answer(app: &App, ready: Ready, from: u64, length: u64, hear: Hear, caching: &'static str) -> Result<HttpResponse, Problem> {
    if length > MOST_SAMPLES {
        return Err(Problem::bad_value("At most 30 seconds are rendered at once."));
    }
    let asked = from..from.saturating_add(length);
    let bytes = app.compute(move || wav_bytes(&ready.render(asked, hear)?).map_err(Problem::from)).await??;
    Ok(wav_answer(bytes, caching))
}

/// A WAV file, as it is: to compress sound takes longer than to render it, and gains nothing.
pub fn wav_answer(bytes: Vec<u8>, caching: &'static str) -> HttpResponse {
    HttpResponse::Ok().content_type("audio/wav").insert_header(ContentEncoding::Identity).insert_header(("cache-control", caching)).body(bytes)
}

/// The whole mix as a WAV file of 48 kHz and 24 bits, exactly as long as the cut.
#[utoipa::path(params(("id" = Uuid, Path), ("revision" = u32, Path)), responses((status = 200, content_type = "audio/wav")))]
#[get("/api/cuts/{id}/revisions/{revision}/mix.wav")]
pub async fn mix(app: web::Data<App>, path: web::Path<(Uuid, u32)>, request: HttpRequest) -> Result<HttpResponse, Problem> {
    let (id, revision) = path.into_inner();
    let (cut, ready) = Ready::of(&app, id, revision).await?;
    if ready.plan.length_samples > MOST_WAV_SAMPLES {
        return Err(Problem::bad_value("A WAV file holds at most 4 hours of such sound. Hand the cut over in parts."));
    }
    let file = tempfile::tempfile()?;
    let mut stream = WavStream::new(BufWriter::new(file.try_clone()?), 2)?;
    let ready = Arc::new(ready);
    // In turn with everybody who listens meanwhile.
    for start in (0..ready.plan.length_samples).step_by(MOST_SAMPLES as usize) {
        let ready = ready.clone();
        let written = app.compute(move || -> Result<WavStream<_>, Problem> {
            stream.append(&ready.render(start..start + MOST_SAMPLES, Hear::Everything)?)?;
            Ok(stream)
        });
        stream = written.await??;
    }
    stream.finish()?;
    let safe: String = cut.setup.title.chars().map(|c| if c.is_alphanumeric() || " -_".contains(c) { c } else { '-' }).collect();
    let name = ExtendedValue { charset: Charset::Ext("UTF-8".into()), language_tag: None, value: format!("{safe}, mix.wav").into_bytes() };
    let disposition = ContentDisposition { disposition: DispositionType::Attachment, parameters: vec![DispositionParam::FilenameExt(name)] };
    let answer = NamedFile::from_file(file, "mix.wav")?.set_content_disposition(disposition).set_content_encoding(ContentEncoding::Identity);
    Ok(answer.into_response(&request))
}

/// The waveform of the bed as fitted and shaped, a hundred peaks a second.
#[utoipa::path(params(("id" = Uuid, Path), ("revision" = u32, Path)), responses((status = 200, body = WaveformView)))]
#[get("/api/cuts/{id}/revisions/{revision}/waveform")]
pub async fn shaped(app: web::Data<App>, path: web::Path<(Uuid, u32)>) -> Result<HttpResponse, Problem> {
    let (id, revision) = path.into_inner();
    let (_, ready) = Ready::of(&app, id, revision).await?;
    let span_samples = samples_from_seconds(0.01);
    let peaks = app
        .compute(move || {
            let peaks = outline(&ready.plan, &|name| ready.files.get(name).map(|f| f as &dyn Source), span_samples).map_err(Problem::internal)?;
            Ok::<_, Problem>(peaks.into_iter().map(|peak| (peak.min(1.0) * 65_535.0).round() as u16).collect())
        })
        .await??;
    let view = WaveformView { step_s: seconds_from_samples(span_samples), peaks };
    let caching = ("cache-control", "private, max-age=86400, immutable");
    Ok(HttpResponse::Ok().insert_header(ContentEncoding::Identity).insert_header(caching).json(view))
}
