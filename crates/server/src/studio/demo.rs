//! Loading the demo scenario: made by `jaunty-demo`, brought in by the same ways as a user's files.

use super::{Problem, Studio};
use crate::store::{cuts, jobs};
use jaunty_core::cut::{Arrival, Setup, Take, UsedSound, Work};
use jaunty_core::picture::{Line, MomentKind, Picture};
use jaunty_core::plan::{AmbienceWish, Role};
use jaunty_core::units::{CutLength, FrameRate, samples_from_seconds, seconds_from_samples};
use jaunty_demo::{CUT, LINES, beds, film, narration, rooms};
use jaunty_media::write_wav;
use std::path::{Path, PathBuf};

/// The files of the scenario.
struct Files {
    beds: Vec<PathBuf>,
    rooms: Vec<PathBuf>,
    voice: PathBuf,
    film: PathBuf,
}

fn rate() -> Result<FrameRate, Problem> {
    FrameRate::new(CUT.frames_per_second, 1, false).map_err(Problem::bad_value)
}

/// Makes the files of the scenario in `folder`, those that are not there yet.
fn make_files(folder: &Path) -> Result<Files, Problem> {
    std::fs::create_dir_all(folder)?;
    let mut made =
        Files { beds: Vec::new(), rooms: Vec::new(), voice: folder.join("Narration, first take.wav"), film: folder.join("The Market Hall Clock, proxy.webm") };
    let film = made.film.clone();
    std::thread::scope(|both| {
        // The film takes about as long as everything that is heard.
        let drawn = both.spawn(|| draw_film(folder, &film));
        make_sounds(folder, &mut made)?;
        drawn.join().map_err(|_| Problem::internal("the film of the demo was not drawn"))?
    })?;
    Ok(made)
}

fn draw_film(folder: &Path, drawn: &Path) -> Result<(), Problem> {
    if !drawn.exists() {
        let whole = tempfile::NamedTempFile::new_in(folder)?;
        film::make(whole.path(), 0, CUT.length_frames).map_err(Problem::bad_value)?;
        whole.persist(drawn).map_err(|e| Problem::from(e.error))?;
    }
    Ok(())
}

fn make_sounds(folder: &Path, made: &mut Files) -> Result<(), Problem> {
    for score in [beds::copper_escapement(), beds::seven_lanterns(), beds::bench_lamp()] {
        let path = folder.join(format!("{}.wav", score.title));
        if !path.exists() {
            let played = score.play().map_err(Problem::bad_value)?;
            write_wav(&path, &played.sound)?;
        }
        made.beds.push(path);
    }
    for make in [rooms::workshop, rooms::square] {
        let room = make();
        let path = folder.join(format!("{}.wav", room.title));
        if !path.exists() {
            write_wav(&path, &room.sound)?;
        }
        made.rooms.push(path);
    }
    if !made.voice.exists() {
        let length_s = seconds_from_samples(rate()?.samples_from_frames(CUT.length_frames));
        write_wav(&made.voice, &narration(&LINES, length_s).map_err(Problem::bad_value)?)?;
    }
    Ok(())
}

impl Studio {
    async fn store_demo_sound(&self, path: &Path) -> Result<UsedSound, Problem> {
        let name = path.file_name().and_then(|n| n.to_str()).unwrap_or("demo.wav").to_owned();
        Ok(UsedSound { hash: self.take_in_file(path, &name, "wav").await?, name })
    }

    /// Makes the scenario's files in `folder` and its cut in the database, unless a cut is there already.
    ///
    /// # Errors
    /// [`Problem`] with what is missing.
    pub async fn load_demo(&self, folder: &Path) -> Result<bool, Problem> {
        if !cuts::all(&self.pool).await?.is_empty() {
            return Ok(false);
        }
        let (for_files, rate) = (folder.to_owned(), rate()?);
        let files = tokio::task::spawn_blocking(move || make_files(&for_files)).await.map_err(Problem::internal)??;
        let mut picture = Picture {
            first_frame: rate.frame_from_timecode("01:00:00:00").map_err(Problem::bad_value)?,
            ..Picture::new(CutLength::new(rate, CUT.length_frames).map_err(Problem::bad_value)?)
        };
        for shot in CUT.shots {
            picture.begin_shot(shot.start_frame, shot.name).map_err(Problem::bad_value)?;
        }
        for moment in CUT.moments {
            picture.mark_moment(moment.frame, MomentKind::Hit, moment.name).map_err(Problem::bad_value)?;
        }
        let mut stored = Vec::new();
        for path in &files.beds {
            stored.push(self.store_demo_sound(path).await?);
        }
        // The workshop under its shots, the square from noon on; both low while the narrator speaks.
        let mut ambiences = Vec::new();
        for (path, (from, until)) in files.rooms.iter().zip([(362, Some(1060)), (1935, None)]) {
            let UsedSound { hash, name } = self.store_demo_sound(path).await?;
            let sample = |frame: u64| rate.samples_from_frames(frame);
            let (start_samples, end_samples) = (sample(from), until.map(sample));
            ambiences.push(AmbienceWish { start_samples, end_samples, ..AmbienceWish::new(&hash, &name, 16.0) });
        }
        let line = |l: &jaunty_demo::Line| Line { start_samples: samples_from_seconds(l.start_s), words: l.words.to_owned() };
        // The bed of the scenario is settled; the others stand beside it to be compared.
        let setup =
            Setup { bed: stored.first().cloned(), lines: LINES.iter().map(line).collect(), ambiences: ambiences.clone(), ..Setup::new(CUT.title, picture) };
        let id = self.new_cut_with_sounds(&setup).await?;
        for one in ambiences {
            jobs::add_once(&self.pool, id, &Work::Read { sound: one.hash, role: Role::Ambience }, None).await?;
        }
        let voice = self.store_demo_sound(&files.voice).await?;
        self.arrive(id, Arrival::Take(Take::new(&voice.hash, &voice.name))).await?;
        for sound in stored {
            self.arrive(id, Arrival::Bed { sound, licence: None }).await?;
        }
        let name = files.film.file_name().and_then(|n| n.to_str()).unwrap_or("film.webm").to_owned();
        let hash = self.take_in_file(&files.film, &name, "webm").await?;
        self.bring_film_in(id, UsedSound { hash, name }).await?;
        Ok(true)
    }
}
