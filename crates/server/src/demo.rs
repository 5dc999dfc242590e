//! Loading the demo scenario: made by `jaunty-demo`, brought in by the same ways as a user's files.

use crate::App;
use crate::features::cuts::store::{self as cuts, Mark, Setup, UsedSound};
use crate::features::sounds::{attach, store as sounds};
use crate::jobs::{Task, queue};
use crate::problem::Problem;
use jaunty_core::plan::Role;
use jaunty_core::units::{FrameRate, samples_from_seconds, seconds_from_samples};
use jaunty_demo::{CUT, LINES, beds, narration};
use jaunty_media::write_wav;
use std::path::{Path, PathBuf};

/// Makes the files of the scenario in `folder`, those that are not there yet.
fn make_files(folder: &Path) -> Result<Vec<PathBuf>, Problem> {
    std::fs::create_dir_all(folder)?;
    let mut paths = Vec::new();
    // The main bed comes last, so that it is the one that the cut ends up with.
    for score in [beds::bench_lamp(), beds::seven_lanterns(), beds::copper_escapement()] {
        let path = folder.join(format!("{}.wav", score.title));
        if !path.exists() {
            let played = score.play().map_err(Problem::bad_value)?;
            write_wav(&path, &played.sound)?;
        }
        paths.push(path);
    }
    let path = folder.join("Narration, first take.wav");
    if !path.exists() {
        let rate = FrameRate::new(CUT.frames_per_second, 1, false).map_err(Problem::bad_value)?;
        let length_s = seconds_from_samples(rate.samples_from_frames(CUT.length_frames));
        write_wav(&path, &narration(&LINES, length_s, folder).map_err(Problem::bad_value)?)?;
    }
    paths.push(path);
    Ok(paths)
}

async fn store(app: &App, path: &Path) -> Result<UsedSound, Problem> {
    let bytes = tokio::fs::read(path).await?;
    let chunks: Vec<Result<&[u8], std::io::Error>> = bytes.chunks(1 << 20).map(Ok).collect();
    let stored = app.sounds.store(futures_util::stream::iter(chunks)).await?;
    let name = path.file_name().and_then(|n| n.to_str()).unwrap_or("demo.wav").to_owned();
    sounds::insert(&app.pool, &stored.hash, &name, "wav", stored.size_bytes).await?;
    Ok(UsedSound { hash: stored.hash, name })
}

/// Makes the scenario's files in `folder` and its cut in the database, unless a cut is there already.
///
/// # Errors
/// [`Problem`] with what is missing.
pub async fn load(app: &App, folder: &Path) -> Result<bool, Problem> {
    if !cuts::all(&app.pool).await?.is_empty() {
        return Ok(false);
    }
    let (for_files, rate) = (folder.to_owned(), FrameRate::new(CUT.frames_per_second, 1, false).map_err(Problem::bad_value)?);
    let paths = tokio::task::spawn_blocking(move || make_files(&for_files)).await.map_err(Problem::internal)??;
    let setup = Setup { rate, length_frames: CUT.length_frames, bed: None, narration: None };
    let shots: Vec<Mark> = CUT.shots.iter().map(|s| Mark { name: s.name.into(), frame: s.start_frame }).collect();
    let moments: Vec<Mark> = CUT.moments.iter().map(|m| Mark { name: m.name.into(), frame: m.frame }).collect();
    let words: Vec<(u64, String)> = LINES.iter().map(|l| (samples_from_seconds(l.start_s), l.words.to_owned())).collect();
    let id = cuts::insert(&app.pool, CUT.title, &setup, &shots, &moments, &words).await?;
    let Some((voice, beds)) = paths.split_last() else { return Ok(false) };
    let voice = store(app, voice).await?;
    attach(app, id, Role::Narration, voice).await?;
    let Some((main, others)) = beds.split_last() else { return Ok(false) };
    let main = store(app, main).await?;
    attach(app, id, Role::Bed, main).await?;
    // The others are read too, and stand ready to be chosen.
    for bed in others {
        let bed = store(app, bed).await?;
        queue::add(&app.pool, id, &Task::Read { sound: bed.hash, role: Role::Bed, what: String::new() }).await?;
    }
    Ok(true)
}
