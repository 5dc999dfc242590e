//! The stand-in microphone.

use super::listening::wav_answer;
use super::rights::AskedStudio;
use crate::studio::Problem;
use actix_web::{HttpResponse, get, web};
use jaunty_demo::{LINES, Line, narration};
use jaunty_media::wav_bytes;
use std::sync::OnceLock;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(stand_in_microphone);
}

/// The sound of the stand-in microphone: a made-up narrator who reads the demo's lines without
/// end, for trying the recorder where there is no microphone.
#[utoipa::path(responses((status = 200, content_type = "audio/wav")))]
#[get("/api/stand-in-microphone.wav")]
pub async fn stand_in_microphone(studio: AskedStudio) -> Result<HttpResponse, Problem> {
    static SPOKEN: OnceLock<Vec<u8>> = OnceLock::new();
    let bytes = studio
        .compute(|| -> Result<Vec<u8>, Problem> {
            if let Some(spoken) = SPOKEN.get() {
                return Ok(spoken.clone());
            }
            // The first line comes after a second: nobody likes to wait for a stand-in.
            let early = |l: &Line| Line { start_s: l.start_s - LINES[0].start_s + 1.0, ..*l };
            let lines: Vec<Line> = LINES[..4].iter().map(early).collect();
            let voice = narration(&lines, 26.0).map_err(Problem::bad_value)?;
            Ok(SPOKEN.get_or_init(|| wav_bytes(&voice).unwrap_or_default()).clone())
        })
        .await??;
    Ok(wav_answer(bytes, "no-store"))
}
