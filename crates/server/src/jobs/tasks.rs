//! The work that jobs do.

use super::queue::Claimed;
use super::worker::Report;
use super::{Task, queue};
use crate::App;
use crate::apart::SoundError;
use crate::features::beds::store::{self as auditions, AuditionRow};
use crate::features::cuts::setup::{Setup, Take, TakeOrigin, UsedSound};
use crate::features::cuts::store::{self as cuts, CutRow, Next, RevisionRow};
use crate::features::cuts::{Laid, replan};
use crate::features::sounds::store as sounds;
use crate::features::voice::lay_take;
use crate::problem::{Code, Problem};
use crate::upload::extension;
use jaunty_core::fit::{self, FitRequest, Fitting, Scene, Wishes};
use jaunty_core::kind::{self, Kind};
use jaunty_core::mix;
use jaunty_core::picture::{Line, MomentKind};
use jaunty_core::plan::{self, AmbienceInput, AmbienceWish, BedInput, FilmInput, FilmWish, Inputs, Layer, PieceInput, Plan, Role};
use jaunty_core::reading::{self, BedRead, Cancelled, Correction, keep_going, read_bed, read_corrected};
use jaunty_core::shape::{LevelObject, ShapeWishes};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::{SpeechReading, corrected, read_speech, take_noise_out};
use jaunty_core::units::seconds_from_samples;
use jaunty_core::voice::{Piece, lay};
use jaunty_media::{PcmFile, WavStream, film, speak};
use sha2::{Digest, Sha256};
use std::collections::HashMap;
use std::fs::File;
use std::io::BufWriter;
use std::path::Path;
use std::time::Duration;
use uuid::Uuid;

/// Why a task stopped. The texts reach the user.
#[derive(Debug, thiserror::Error)]
pub enum TaskError {
    /// Somebody asked for it.
    #[error("cancelled")]
    Cancelled,
    /// The sound cannot be had.
    #[error("{0}")]
    Sound(SoundError),
    /// Something else; the log knows more.
    #[error("{0}")]
    Problem(#[from] Problem),
}

impl From<SoundError> for TaskError {
    fn from(cause: SoundError) -> Self {
        match cause {
            SoundError::Cancelled => Self::Cancelled,
            other => Self::Sound(other),
        }
    }
}

impl From<TaskError> for Problem {
    fn from(cause: TaskError) -> Self {
        match cause {
            TaskError::Problem(problem) => problem,
            TaskError::Sound(cause) => cause.into(),
            TaskError::Cancelled => Self::internal("a request was cancelled"),
        }
    }
}

impl From<Cancelled> for TaskError {
    fn from(_: Cancelled) -> Self {
        Self::Cancelled
    }
}

impl From<sqlx::Error> for TaskError {
    fn from(cause: sqlx::Error) -> Self {
        Self::Problem(cause.into())
    }
}

async fn blocking<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T, TaskError> {
    tokio::task::spawn_blocking(work).await.map_err(|cause| TaskError::Problem(Problem::internal(cause)))
}

/// How long a job may take: as its input makes one expect, ten times over.
pub async fn most_time(app: &App, job: &Claimed) -> Duration {
    /// For whatever has no length.
    const LEAST: Duration = Duration::from_secs(180);
    /// Twelve hours of music.
    const MOST: Duration = Duration::from_secs(3 * 3600);
    let sound = match &job.task.0 {
        Task::Read { sound, .. } | Task::FilmSound { film: sound } | Task::Clean { take: sound } => sounds::sound(&app.pool, sound).await.ok().flatten(),
        Task::Plan | Task::Compare | Task::Scratch => None,
    };
    // A megabyte of a lossy coding is a minute of sound, which takes some two seconds.
    let by_size = sound.as_ref().map_or(0, |s| s.size_bytes / 50_000);
    let by_length = match cuts::cut(&app.pool, job.cut_id).await {
        Ok(Some(cut)) => seconds_from_samples(cut.setup.picture.length_samples()) as u64 / 4,
        _ => 0,
    };
    (LEAST + Duration::from_secs(by_size.max(by_length))).min(MOST)
}

/// Runs a job's task to its end.
///
/// # Errors
/// [`TaskError`]; the job is then failed or cancelled.
pub async fn run(app: &App, job: &Claimed, report: Report) -> Result<(), TaskError> {
    let id = job.cut_id;
    if job.is_hopeless() {
        if let Task::Read { sound, .. } = &job.task.0 {
            forget(app, id, sound).await?;
        }
        return Err(TaskError::Problem(Problem::bad_value(
            "This broke the program that works on it, twice. Export the file again in another format and bring it in anew.",
        )));
    }
    match &job.task.0 {
        Task::Read { sound, role, what } => {
            if let Err(cause) = read(app, sound, *role, report).await {
                // Only a file that is to blame goes. What a full disk or a lost database stopped can be tried again.
                if matches!(cause, TaskError::Cancelled | TaskError::Sound(SoundError::Refused(_))) {
                    forget(app, id, sound).await?;
                }
                return Err(cause);
            }
            match role {
                Role::Bed => use_first_bed(app, id, sound, what).await,
                Role::Narration => lay_new_take(app, id, sound, what).await,
                Role::Film | Role::Ambience => Ok(replan(app, id, None, what, |_| Ok(())).await.map(|_| ())?),
            }
        }
        Task::Plan => {
            report.say("fitting and shaping", 0.1);
            loop {
                let Some(cut) = cuts::cut(&app.pool, id).await? else { return Ok(()) };
                if cut.base.is_none() {
                    return Ok(());
                }
                match plan_cut(app, &cut).await {
                    // Another change came first: plan again, on top of it.
                    Err(TaskError::Problem(problem)) if problem.code() == Code::Stale => {}
                    Err(other) => return Err(other),
                    Ok(()) => return Ok(queue::add_once(&app.pool, id, &Task::Compare).await?),
                }
            }
        }
        Task::FilmSound { film } => film_sound(app, id, film, report).await,
        Task::Scratch => scratch(app, id, report).await,
        Task::Clean { take } => clean(app, id, take, report).await,
        Task::Compare => compare(app, id, report).await,
    }
}

/// Takes a sound that turned out to be of no use out of a cut again.
///
/// # Errors
/// What the database says.
pub async fn forget(app: &App, id: Uuid, sound: &str) -> Result<(), Problem> {
    let Some(cut) = cuts::cut(&app.pool, id).await? else { return Ok(()) };
    let names = cut.setup.candidates.iter().map(|c| (&c.hash, &c.name)).chain(cut.setup.takes.iter().map(|t| (&t.hash, &t.name)));
    let Some(name) = names.filter(|(hash, _)| *hash == sound).map(|(_, name)| name.clone()).next() else { return Ok(()) };
    cuts::note(&app.pool, id, None, &format!("take \"{name}\" away again"), None, |setup| {
        setup.forget(sound);
        Ok(())
    })
    .await?;
    Ok(())
}

/// Decodes, recognises and reads a sound, as far as that has not been done.
async fn read(app: &App, hash: &str, role: Role, report: Report) -> Result<(), TaskError> {
    let Some(sound) = sounds::sound(&app.pool, hash).await? else { return Ok(()) };
    const DECODING: f32 = 0.4;
    if sound.length_samples.is_none() {
        let decoding = report.clone();
        let info = app.sounds.decode(hash, &sound.extension, move |share| decoding.say("decoding", share * DECODING)).await?;
        sounds::set_decoded(&app.pool, hash, &info).await?;
    }
    let file = app.sounds.working_file(hash, &sound.extension).await?;
    let told = report.clone();
    let mut progress = move |doing: &'static str, share: f32| told.say(doing, DECODING + share * (1.0 - DECODING));
    if sound.recognised().is_none() {
        let recognised = blocking(move || kind::recognise(&file, &mut |doing, _| report.say(doing, DECODING))).await??;
        sounds::set_kind(&app.pool, hash, recognised).await?;
    }
    if matches!(role, Role::Film | Role::Ambience) || sounds::has_reading(&app.pool, hash, role).await? {
        return Ok(());
    }
    let file = app.sounds.working_file(hash, &sound.extension).await?;
    match role {
        Role::Bed if file.len_samples() > reading::MOST_SAMPLES => {
            return Err(SoundError::Refused(
                "This is longer than an hour and a half, and beds are read up to that. Bring in the part that you want to use.".into(),
            )
            .into());
        }
        Role::Bed => {
            let bed = blocking(move || read_bed(&file, &mut progress)).await??;
            sounds::set_bed_reading(&app.pool, hash, &[], &bed).await?;
        }
        Role::Narration | Role::Film | Role::Ambience => {
            let speech = blocking(move || read_speech(&file, &mut progress)).await??;
            sounds::set_speech_reading(&app.pool, hash, &speech).await?;
        }
    }
    Ok(())
}

/// The first bed that is read becomes the bed of a cut without one; others are compared. Whatever it was taken for:
/// who dropped it on the beds meant a bed, unless they say otherwise.
async fn use_first_bed(app: &App, id: Uuid, hash: &str, what: &str) -> Result<(), TaskError> {
    let Some(cut) = cuts::cut(&app.pool, id).await? else { return Ok(()) };
    let candidate = cut.setup.candidates.iter().find(|c| c.hash == hash);
    let Some(candidate) = candidate else { return Ok(()) };
    let music = candidate.kind_by_hand.is_none_or(|kind| kind == Kind::Music);
    if !music || cut.setup.bed.as_ref().is_some_and(|bed| bed.hash != hash) {
        return Ok(queue::add_once(&app.pool, id, &Task::Compare).await?);
    }
    let sound = UsedSound { hash: hash.to_owned(), name: candidate.name.clone() };
    replan(app, id, None, what, |setup| {
        // Another one may have been faster.
        setup.bed.get_or_insert(sound);
        Ok(())
    })
    .await?;
    Ok(())
}

/// Lays a take that has just been read.
async fn lay_new_take(app: &App, id: Uuid, hash: &str, what: &str) -> Result<(), TaskError> {
    let Some(cut) = cuts::cut(&app.pool, id).await? else { return Ok(()) };
    let Some(take) = cut.setup.takes.into_iter().find(|t| t.hash == hash) else { return Ok(()) };
    let Some(reading) = sounds::speech_reading(&app.pool, hash).await? else { return Ok(()) };
    replan(app, id, None, what, |setup| lay_take(&mut setup.pieces, &take, reading.length_samples, &reading.phrases, None)).await?;
    Ok(())
}

/// Takes the own sound out of a film and adds it to the cut.
async fn film_sound(app: &App, id: Uuid, hash: &str, report: Report) -> Result<(), TaskError> {
    let Some(cut) = cuts::cut(&app.pool, id).await? else { return Ok(()) };
    let Some(film) = cut.setup.film.filter(|f| f.hash == hash) else { return Ok(()) };
    report.say("taking the film's own sound out", 0.1);
    let path = app.sounds.original(hash, &extension(&film.name)).await?;
    let wav = app.sounds.unfinished().map_err(Problem::from)?;
    let target = wav.path().to_owned();
    blocking(move || film::extract_sound(&path, &target)).await?.map_err(Problem::from)?;
    let sound = app.take_in_file(wav.path(), &format!("{}, own sound", film.name), "wav").await?;
    read(app, &sound, Role::Film, report).await?;
    replan(app, id, None, "hear the film's own sound", |setup| {
        if let Some(film) = setup.film.as_mut().filter(|f| f.hash == hash) {
            film.sound = Some(sound);
        }
        Ok(())
    })
    .await?;
    Ok(())
}

/// Takes the steady noise out of a take; the take as it came stays.
async fn clean(app: &App, id: Uuid, hash: &str, report: Report) -> Result<(), TaskError> {
    let Some(cut) = cuts::cut(&app.pool, id).await? else { return Ok(()) };
    let Some(take) = cut.setup.takes.into_iter().find(|t| t.hash == hash) else { return Ok(()) };
    let file = app.working_file(hash).await?;
    let told = report.clone();
    let made = app.sounds.unfinished().map_err(Problem::from)?;
    let path = made.path().to_owned();
    let work = move || -> Result<(), TaskError> {
        let mut stream = WavStream::new(BufWriter::new(File::create(path).map_err(Problem::from)?), file.channel_count()).map_err(Problem::from)?;
        let mut failed = None;
        let taken = take_noise_out(&file, &mut |doing, share| told.say(doing, share), &mut |block| {
            failed = stream.append(block).err();
            failed.is_none()
        });
        if let Some(cause) = failed {
            return Err(Problem::from(cause).into());
        }
        taken?;
        Ok(stream.finish().map_err(Problem::from)?)
    };
    blocking(work).await??;
    let cleaned = app.take_in_file(made.path(), &format!("{}, without noise", take.name), "wav").await?;
    read(app, &cleaned, Role::Ambience, report).await?;
    replan(app, id, None, &format!("take the steady noise out of \"{}\"", take.name), |setup| {
        for take in setup.takes.iter_mut().filter(|t| t.hash == hash) {
            (take.cleaned, take.cleaned_on) = (Some(cleaned.clone()), true);
        }
        Ok(())
    })
    .await?;
    Ok(())
}

/// Speaks the written lines into one take and lays each of them where nobody speaks yet.
async fn scratch(app: &App, id: Uuid, report: Report) -> Result<(), TaskError> {
    let Some(cut) = cuts::cut(&app.pool, id).await? else { return Ok(()) };
    let (lines, length_samples) = (cut.setup.lines.clone(), cut.setup.picture.length_samples());
    let file = app.sounds.unfinished().map_err(Problem::from)?;
    let path = file.path().to_owned();
    let spans = blocking(move || speak_all(&lines, length_samples, &path, &report)).await??;
    let name = "Scratch voice";
    let hash = app.take_in_file(file.path(), name, "wav").await?;
    read(app, &hash, Role::Narration, Report::default()).await?;
    replan(app, id, None, "have the lines spoken by the scratch voice", |setup| {
        // An earlier scratch voice gives way to the new one.
        setup.pieces.retain(|p| p.scratch.is_none());
        setup.takes.retain(|t| t.origin != TakeOrigin::Scratch);
        setup.takes.push(Take {
            hash: hash.clone(),
            name: name.to_owned(),
            at_samples: 0,
            origin: TakeOrigin::Scratch,
            edits: Vec::new(),
            cleaned: None,
            cleaned_on: false,
        });
        for (start, end, words) in spans {
            let piece = Piece { sound: hash.clone(), source_start_samples: start, source_end_samples: end, cut_start_samples: start, scratch: Some(words) };
            lay(&mut setup.pieces, piece, &[]);
        }
        Ok(())
    })
    .await?;
    Ok(())
}

/// Where a line is spoken, first sample and the one after the last, and its words.
type Spoken = (u64, u64, String);

/// Speaks the lines into a sound at `to` that ends with the last of them; says where each is. A line
/// that is not over when the next one begins pushes it on.
fn speak_all(lines: &[Line], length_samples: u64, to: &Path, report: &Report) -> Result<Vec<Spoken>, TaskError> {
    /// Least pause between two lines: a quarter of a second.
    const PAUSE_SAMPLES: u64 = 12_000;
    let mut track = Track::create(to)?;
    let (mut spans, mut free) = (Vec::new(), 0);
    for (k, line) in lines.iter().enumerate() {
        if !report.say("speaking the lines", k as f32 / lines.len() as f32) {
            return Err(TaskError::Cancelled);
        }
        let start = line.start_samples.max(free);
        if start >= length_samples {
            continue;
        }
        let spoken = speak(&line.words, "en-gb").map_err(|cause| {
            tracing::warn!(?cause, "a line is not spoken");
            Problem::bad_value(cause)
        })?;
        let samples = &spoken.channels()[0];
        let count = samples.len().min((length_samples - start) as usize);
        if count == 0 {
            continue;
        }
        track.put(start, &samples[..count])?;
        let end = start + count as u64;
        spans.push((start, end, line.words.clone()));
        free = end + PAUSE_SAMPLES;
    }
    track.finish()?;
    Ok(spans)
}

/// A sound that is written from its start to its end, whatever its length, with silence where nothing is put.
struct Track {
    stream: WavStream<BufWriter<File>>,
    written_samples: u64,
}

impl Track {
    /// Silence that is written at once.
    const SILENCE_SAMPLES: u64 = 48_000;

    fn create(to: &Path) -> Result<Self, Problem> {
        Ok(Self { stream: WavStream::new(BufWriter::new(File::create(to)?), 1)?, written_samples: 0 })
    }

    /// Puts samples at `start`, which lies behind everything that was put before.
    fn put(&mut self, start: u64, samples: &[f32]) -> Result<(), Problem> {
        while self.written_samples < start {
            let count = (start - self.written_samples).min(Self::SILENCE_SAMPLES);
            self.stream.append(&Sound::silence(1, count as usize))?;
            self.written_samples += count;
        }
        self.stream.append(&Sound::new(vec![samples.to_vec()]))?;
        self.written_samples += samples.len() as u64;
        Ok(())
    }

    fn finish(self) -> Result<(), Problem> {
        Ok(self.stream.finish()?)
    }
}

/// A bed that is open and read.
struct OpenBed {
    hash: String,
    file: PcmFile,
    read: BedRead,
}

impl OpenBed {
    /// A bed that has been read, with what a person said about it. It is read again where that has
    /// not been done yet, or was done by an older reader.
    async fn of(app: &App, hash: &str, corrections: &[Correction]) -> Result<Option<Self>, TaskError> {
        if sounds::bed_document(&app.pool, hash, corrections).await?.is_none() {
            return Ok(None);
        }
        let file = app.working_file(hash).await?;
        let read = match sounds::bed_reading(&app.pool, hash, corrections).await? {
            Some(read) => read,
            None => {
                let (file, said) = (app.working_file(hash).await?, corrections.to_vec());
                let read = blocking(move || read_corrected(&file, &said, &mut keep_going())).await??;
                sounds::set_bed_reading(&app.pool, hash, corrections, &read).await?;
                read
            }
        };
        Ok(Some(Self { hash: hash.to_owned(), file, read }))
    }

    fn fittings(&self, request: &FitRequest) -> Vec<Fitting> {
        fit::fittings(&self.file, &self.read.reading, &self.read.likeness, request)
    }
}

/// The number of the fitting that plays most of what `played` plays.
pub fn closest(fittings: &[Fitting], played: &Fitting) -> u32 {
    (0..fittings.len()).max_by(|&a, &b| fittings[a].agreement(played).total_cmp(&fittings[b].agreement(played)).then(b.cmp(&a))).unwrap_or(0) as u32
}

/// A bed that lies elsewhere on the cut than the one at hand.
struct LaidBed {
    open: OpenBed,
    fitting: Fitting,
    before: Vec<LevelObject>,
}

/// What a plan is made from.
pub struct Material {
    length_samples: u64,
    lines: Vec<Line>,
    pieces: Vec<Piece>,
    takes: HashMap<String, (PcmFile, SpeechReading)>,
    film: Option<(String, PcmFile, FilmWish)>,
    bed: Option<OpenBed>,
    wishes: Wishes,
    /// Level objects of the bed at hand so far.
    before: Vec<LevelObject>,
    /// How the bed at hand was played when it was laid down.
    played: Option<Fitting>,
    laid: Vec<LaidBed>,
    scene: Scene,
    shape: ShapeWishes,
    ambiences: Vec<(AmbienceWish, PcmFile)>,
}

/// What the bed of a cut lies under: narration, picture cuts, moments.
///
/// # Errors
/// What the database says.
pub async fn scene(app: &App, setup: &Setup) -> Result<Scene, Problem> {
    let mut readings: HashMap<&str, Option<SpeechReading>> = HashMap::new();
    let mut phrases = Vec::new();
    for piece in &setup.pieces {
        if !readings.contains_key(piece.sound.as_str()) {
            readings.insert(&piece.sound, sounds::speech_reading(&app.pool, &piece.sound).await?);
        }
        if let Some(Some(reading)) = readings.get(piece.sound.as_str()) {
            phrases.extend(piece.phrases(&corrected(&reading.phrases, setup.edits(&piece.sound))).into_iter().map(|p| (p.start_samples, p.end_samples)));
        }
    }
    phrases.sort_unstable();
    let picture = &setup.picture;
    let sample = |frame: u64| picture.rate.samples_from_frames(frame);
    let inner = |frame: &u64| (1..picture.length_frames).contains(frame);
    Ok(Scene {
        phrases,
        cuts: picture.shots.iter().map(|s| s.start_frame).filter(inner).map(sample).collect(),
        hits: picture.moments.iter().filter(|m| m.kind == MomentKind::Hit).map(|m| m.frame).filter(inner).map(sample).collect(),
    })
}

/// Digest of a scene: two that are alike have one.
pub fn fitted_under(scene: &Scene) -> String {
    let text = serde_json::json!([scene.phrases, scene.cuts, scene.hits]).to_string();
    Sha256::digest(text.as_bytes()).iter().take(8).map(|byte| format!("{byte:02x}")).collect()
}

/// A bed as the shown revision has it.
struct Played<'a> {
    layer: &'a Layer,
    /// Whether it is still asked for in the same way.
    holds: bool,
}

impl Played<'_> {
    fn fitting(&self) -> Option<Fitting> {
        self.layer.fitting.clone().filter(|_| self.holds)
    }
}

/// The layer of a bed in the shown revision: that of the same sound in the same place.
fn played_before<'a>(current: &'a RevisionRow, setup: &Setup, bed: &UsedSound, wishes: &Wishes) -> Option<Played<'a>> {
    let was = &current.setup;
    let start = |wishes: &Wishes| wishes.place.map_or(0, |p| p.start_samples);
    let at_hand = was.bed.as_ref().and_then(|b| Some((b, was.wishes(&b.hash)?)));
    let mut all = at_hand.into_iter().chain(was.laid.iter().map(|l| (&l.bed, &l.wishes)));
    let (_, before) = all.find(|(b, w)| b.hash == bed.hash && start(w) == start(wishes))?;
    let layer = current.plan.beds().find(|l| l.sound == bed.hash && l.fitting.as_ref().is_some_and(|f| f.start_samples == start(before)))?;
    let same_reading = was.corrections(&bed.hash) == setup.corrections(&bed.hash);
    Some(Played { layer, holds: before == wishes && same_reading && current.plan.length_samples == setup.picture.length_samples() })
}

impl Material {
    /// Everything of a setup that is there and read. Of the beds in `current` what was chosen and
    /// set by hand is kept.
    ///
    /// # Errors
    /// [`TaskError`] if a stored sound cannot be opened.
    pub async fn of(app: &App, setup: &Setup, current: &RevisionRow) -> Result<Self, TaskError> {
        let mut takes = HashMap::new();
        let mut pieces = Vec::new();
        for piece in &setup.pieces {
            // Read as it came, heard as it is wanted.
            let heard = setup.takes.iter().find(|t| t.hash == piece.sound).map_or(piece.sound.as_str(), |t| t.heard());
            if !takes.contains_key(heard)
                && let Some(reading) = sounds::speech_reading(&app.pool, &piece.sound).await?
            {
                let phrases = corrected(&reading.phrases, setup.edits(&piece.sound));
                takes.insert(heard.to_owned(), (app.working_file(heard).await?, SpeechReading { phrases, ..reading }));
            }
            pieces.push(Piece { sound: heard.to_owned(), ..piece.clone() });
        }
        let film = match setup.film.as_ref().filter(|f| f.sound_on).and_then(|f| Some((f.sound.clone()?, f.wish.clone()))) {
            Some((hash, wish)) => Some((hash.clone(), app.working_file(&hash).await?, wish)),
            None => None,
        };
        let mut ambiences = Vec::new();
        for wish in &setup.ambiences {
            // One that is still being read is heard later.
            if sounds::sound(&app.pool, &wish.hash).await?.is_some_and(|s| s.length_samples.is_some()) {
                ambiences.push((wish.clone(), app.working_file(&wish.hash).await?));
            }
        }
        let bed = match &setup.bed {
            Some(bed) => OpenBed::of(app, &bed.hash, setup.corrections(&bed.hash)).await?,
            None => None,
        };
        let length_samples = setup.picture.length_samples();
        let scene = scene(app, setup).await?;
        let at_hand = setup.bed.as_ref().and_then(|bed| played_before(current, setup, bed, setup.wishes(&bed.hash)?));
        let mut laid = Vec::new();
        let parts = setup.parts();
        for part in &parts {
            let Some(Laid { bed, wishes }) = part.laid.and_then(|k| setup.laid.get(k)) else { continue };
            let Some(open) = OpenBed::of(app, &bed.hash, setup.corrections(&bed.hash)).await? else { continue };
            let (before, kept) = played_before(current, setup, bed, wishes).map_or((Vec::new(), None), |p| (p.layer.levels.clone(), p.fitting()));
            let request = FitRequest { length_samples, wishes: setup.asked(*part), scene: scene.clone() };
            laid.push(match kept {
                Some(fitting) => LaidBed { open, fitting, before },
                None => blocking(move || LaidBed { fitting: open.fittings(&request).swap_remove(0), open, before }).await?,
            });
        }
        Ok(Self {
            length_samples,
            lines: setup.lines.clone(),
            pieces,
            takes,
            film,
            wishes: parts.iter().find(|p| p.laid.is_none()).map(|p| setup.asked(*p)).unwrap_or_default(),
            scene,
            shape: setup.shape.clone(),
            ambiences,
            // What was set by hand goes over to a new bed where that lies in the same place.
            before: at_hand.as_ref().map(|p| p.layer).or(current.plan.bed()).map_or(Vec::new(), |layer| layer.levels.clone()),
            played: at_hand.and_then(|p| p.fitting()),
            laid,
            bed,
        })
    }

    fn request(&self, wishes: Wishes) -> FitRequest {
        FitRequest { length_samples: self.length_samples, wishes, scene: self.scene.clone() }
    }

    /// Digest of what the bed is fitted under.
    pub fn fitted_under(&self) -> String {
        fitted_under(&self.scene)
    }

    /// Samples of music in the bed.
    pub fn music_samples(&self) -> u64 {
        self.bed.as_ref().map_or(0, |b| b.read.reading.ending.music_end_samples.saturating_sub(b.read.reading.music_start_samples))
    }

    /// The fittings of the bed, none without one.
    pub fn fittings(&self) -> Vec<Fitting> {
        self.bed.as_ref().map_or(Vec::new(), |bed| bed.fittings(&self.request(self.wishes.clone())))
    }

    /// The best fitting alone.
    pub fn quick_fitting(&self) -> Option<Fitting> {
        let request = self.request(self.wishes.clone());
        self.bed.as_ref().map(|bed| fit::quick_fitting(&bed.file, &bed.read.reading, &bed.read.likeness, &request))
    }

    /// A fitting with its splices as the wishes have them by now.
    pub fn retouched(&self, fitting: &Fitting) -> Fitting {
        let request = self.request(self.wishes.clone());
        self.bed.as_ref().map_or_else(|| fitting.clone(), |bed| fit::retouched(&bed.file, &bed.read.reading, &bed.read.likeness, &request, fitting))
    }

    /// Lengths near that of the cut at which the bed ends by itself.
    pub fn natural_lengths(&self) -> Vec<u64> {
        let request = self.request(self.wishes.clone());
        self.bed.as_ref().map_or(Vec::new(), |bed| fit::natural_lengths(&bed.read.reading, &bed.read.likeness, &request))
    }

    /// Changes the level objects of all beds, the one at hand first: those set by hand are kept in
    /// the next plan.
    ///
    /// # Errors
    /// What `hand` says.
    pub fn set_by_hand(&mut self, hand: impl FnOnce(&mut [&mut Vec<LevelObject>]) -> Result<(), Problem>) -> Result<(), Problem> {
        let mut all: Vec<&mut Vec<LevelObject>> = std::iter::once(&mut self.before).chain(self.laid.iter_mut().map(|l| &mut l.before)).collect();
        hand(&mut all)
    }

    /// The plan with `fitting` for the bed at hand, keeping what was set by hand.
    pub fn propose(&self, fitting: Option<&Fitting>) -> Plan {
        self.propose_with(self.bed.as_ref().zip(fitting), &self.before)
    }

    fn propose_with(&self, at_hand: Option<(&OpenBed, &Fitting)>, before: &[LevelObject]) -> Plan {
        let at_hand = at_hand.map(|(bed, fitting)| (bed, fitting, before));
        let heard: Vec<_> = at_hand.into_iter().chain(self.laid.iter().map(|l| (&l.open, &l.fitting, l.before.as_slice()))).collect();
        let lines: Vec<Vec<u64>> = heard.iter().map(|(bed, ..)| bed.read.reading.bar_lines_samples()).collect();
        let inputs = heard.iter().zip(&lines);
        let beds: Vec<BedInput<'_>> = inputs
            .map(|(&(bed, fitting, before), lines)| BedInput { sound: &bed.hash, source: &bed.file, fitting, bar_lines_samples: lines, before })
            .collect();
        let open = self.pieces.iter().filter_map(|piece| Some((piece, self.takes.get(&piece.sound)?)));
        let ambiences: Vec<AmbienceInput<'_>> = self.ambiences.iter().map(|(wish, source)| AmbienceInput { wish, source }).collect();
        let narration: Vec<PieceInput<'_>> = open.map(|(piece, (source, reading))| PieceInput { piece, source, reading }).collect();
        let inputs = Inputs {
            length_samples: self.length_samples,
            beds: &beds,
            narration: &narration,
            lines: &self.lines,
            film: self.film.as_ref().map(|(sound, _, wish)| FilmInput { sound, wish }),
            shape: Some(&self.shape),
            ambiences: &ambiences,
        };
        let mut plan = plan::propose(inputs);
        if let Some(target_lufs) = self.shape.target_lufs {
            let open = |hash: &str| -> Option<&dyn Source> {
                let bed = heard.iter().find(|(bed, ..)| bed.hash == hash).map(|(bed, ..)| &bed.file);
                let take = self.takes.get(hash).map(|(file, _)| file);
                let ambience = self.ambiences.iter().find(|(wish, _)| wish.hash == hash).map(|(_, file)| file);
                let film = self.film.as_ref().filter(|(name, ..)| name == hash).map(|(_, file, _)| file);
                bed.or(take).or(ambience).or(film).map(|file| file as &dyn Source)
            };
            // Every sound that the plan names is one of these.
            plan.master = mix::master(&plan, &open, target_lufs).ok().flatten();
        }
        plan
    }
}

/// Fits and shapes a cut and appends the result as a revision.
async fn plan_cut(app: &App, cut: &CutRow) -> Result<(), TaskError> {
    let current = cuts::current(&app.pool, cut).await?;
    let what = current.what.clone();
    let material = Material::of(app, &cut.setup, &current).await?;
    // A fitting that somebody chose stays while bed, its reading and length stay.
    let bed_hash = cut.setup.bed.as_ref().map_or("", |b| &b.hash);
    let same_reading = current.setup.corrections(bed_hash) == cut.setup.corrections(bed_hash);
    let same_wishes = current.setup.wishes(bed_hash) == cut.setup.wishes(bed_hash);
    let same_bed = current.setup.bed == cut.setup.bed && same_reading && same_wishes && current.plan.length_samples == material.length_samples;
    // The first narration is worth fitting anew for; after that a change of it must not move splices unasked.
    let first_voice = current.setup.pieces.is_empty() && !cut.setup.pieces.is_empty() && current.chosen == 0;
    let kept = (same_bed && !first_voice).then_some((current.fittings, current.chosen)).filter(|(all, _)| !all.is_empty());
    let fitted_under = current.plan.fitted_under;
    let (fittings, chosen, plan) = blocking(move || {
        let fitted_under = if kept.is_some() { fitted_under } else { material.fitted_under() };
        let (fittings, chosen) = kept.unwrap_or_else(|| {
            let all = material.fittings();
            let chosen = material.played.as_ref().map_or(0, |played| closest(&all, played));
            (all, chosen)
        });
        let mut plan = material.propose(fittings.get(chosen as usize));
        plan.fitted_under = fitted_under;
        (fittings, chosen, plan)
    })
    .await?;
    cuts::append_planned(&app.pool, cut, &Next { what: &what, plan: &plan, fittings: &fittings, chosen }).await?;
    Ok(())
}

/// Fits every candidate that has been read to the cut as it stands.
async fn compare(app: &App, id: Uuid, report: Report) -> Result<(), TaskError> {
    let Some(cut) = cuts::cut(&app.pool, id).await? else { return Ok(()) };
    let done: Vec<AuditionRow> = auditions::all(&app.pool, id).await?;
    let fresh = |hash: &str| done.iter().any(|a| a.sound_hash == hash && a.made_for == cut.setup.fitted_as(hash));
    let waiting: Vec<&str> = cut.setup.candidates.iter().map(|c| c.hash.as_str()).filter(|hash| !fresh(hash)).collect();
    if waiting.is_empty() {
        return Ok(());
    }
    let current = cuts::current(&app.pool, &cut).await?;
    let mut material = Material::of(app, &cut.setup, &current).await?;
    material.bed = None;
    let material = std::sync::Arc::new(material);
    for (k, hash) in waiting.iter().enumerate() {
        if !report.say("fitting the candidates", k as f32 / waiting.len() as f32) {
            return Err(TaskError::Cancelled);
        }
        let Some(bed) = OpenBed::of(app, hash, cut.setup.corrections(hash)).await? else { continue };
        let (material, wishes) = (material.clone(), cut.setup.wishes(hash).cloned().unwrap_or_default());
        let (best, plan) = blocking(move || {
            let request = material.request(wishes);
            let best = fit::quick_fitting(&bed.file, &bed.read.reading, &bed.read.likeness, &request);
            let plan = material.propose_with(Some((&bed, &best)), &[]);
            (best, plan)
        })
        .await?;
        let row = AuditionRow {
            sound_hash: (*hash).to_owned(),
            made_for: cut.setup.fitted_as(hash),
            figure: best.figure().into(),
            splice_count: best.splices.len() as u32,
            ending: match best.end {
                fit::FittingEnd::OwnEnding => "ownEnding",
                fit::FittingEnd::Stop => "stop",
                fit::FittingEnd::Fade => "fade",
                fit::FittingEnd::Silence => "silence",
            }
            .into(),
        };
        auditions::set(&app.pool, id, &row, &plan).await?;
    }
    Ok(())
}
