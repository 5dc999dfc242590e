//! Planning: what a plan is made from, and what is kept of the one before.

use super::{Cut, Effect, Laid, Setup, UsedSound};
use jaunty_fit::fit::{self, FitRequest, Fitting, Passage, Scene, Wishes};
use jaunty_picture::picture::{Line, MomentKind, Picture};
use jaunty_reading::reading::{BarLikeness, BedRead, EndingKind, Reading};
use jaunty_shape::mix;
use jaunty_shape::plan::{self, AmbienceInput, AmbienceWish, BedInput, FilmInput, FilmWish, Inputs, Kept, Layer, PieceInput, Plan};
use jaunty_shape::shape::{LevelObject, ShapeWishes};
use jaunty_sound::sound::Source;
use jaunty_sound::splice::SpliceAt;
use jaunty_speech::speech::{Phrase, SpeechReading, corrected};
use jaunty_speech::voice::Piece;
use jaunty_units::digest::digest;
use std::collections::HashMap;
use std::sync::Arc;

/// A sound that is open.
pub type Opened = Arc<dyn Source + Send + Sync>;

/// A bed that is open and read, with what was said about the reading.
#[derive(Clone)]
pub struct OpenBed {
    /// Its samples.
    pub source: Opened,
    /// What was read.
    pub read: Arc<BedRead>,
}

impl OpenBed {
    fn reading(&self) -> &Reading {
        &self.read.reading
    }

    fn likeness(&self) -> &BarLikeness {
        &self.read.likeness
    }
}

/// The sounds of a cut that are there, by hash. Whatever is missing is planned without.
#[derive(Clone, Default)]
pub struct Sounds {
    /// Beds that are open and read.
    pub beds: HashMap<String, OpenBed>,
    /// Readings of takes; their phrases as they were heard.
    pub speech: HashMap<String, SpeechReading>,
    /// Takes as they are heard, the film's own sound, ambiences.
    pub open: HashMap<String, Opened>,
    /// What was measured of them before.
    pub kept: Option<Arc<dyn Kept>>,
}

/// The number of the fitting that plays most of what `played` plays.
fn closest(fittings: &[Fitting], played: &Fitting) -> usize {
    (0..fittings.len()).max_by(|&a, &b| fittings[a].agreement(played).total_cmp(&fittings[b].agreement(played)).then(b.cmp(&a))).unwrap_or(0)
}

/// What the bed of a cut lies under: narration, picture cuts, moments. `speech` are readings of takes.
pub fn scene(setup: &Setup, speech: &HashMap<String, SpeechReading>) -> Scene {
    let mut narrator = Vec::new();
    for piece in &setup.pieces {
        if let Some(reading) = speech.get(&piece.sound) {
            narrator.extend(piece.phrases(&corrected(&reading.phrases, setup.edits(&piece.sound))));
        }
    }
    let film = setup.film.as_ref().and_then(|f| Some((f, speech.get(f.talks()?)?)));
    let talk = film.map_or(Vec::new(), |(f, reading)| plan::film::phrases(&f.wish, &corrected(&reading.phrases, &f.edits), setup.picture.picture_samples()));
    let mut phrases: Vec<(u64, u64)> = plan::film::beside(&narrator, &talk).into_iter().map(|p| (p.start_samples, p.end_samples)).collect();
    phrases.sort_unstable();
    let picture = &setup.picture;
    let sample = |frame: u64| picture.rate.samples_from_frames(frame);
    let inner = |frame: &u64| (1..picture.length_frames).contains(frame);
    Scene {
        phrases,
        cuts: picture.shots.iter().map(|s| s.start_frame).filter(inner).map(sample).collect(),
        hits: picture.moments.iter().filter(|m| m.kind == MomentKind::Hit).map(|m| m.frame).filter(inner).map(sample).collect(),
    }
}

/// Digest of a scene: two that are alike have one.
pub fn fitted_under(scene: &Scene) -> String {
    let mut all = digest(&(&scene.phrases, &scene.cuts, &scene.hits));
    all.truncate(16);
    all
}

/// A bed as the state before has it.
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

/// The layer of a bed in the state before: that of the same sound in the same place. `plan` is the plan of `was`, with what was set
/// by hand since.
fn played_before<'a>(was: &Setup, plan: &'a Plan, setup: &Setup, bed: &UsedSound, wishes: &Wishes) -> Option<Played<'a>> {
    let start = |wishes: &Wishes| wishes.place.map_or(0, |p| p.start_samples);
    let at_hand = was.bed.as_ref().and_then(|b| Some((b, was.wishes(&b.hash)?)));
    let mut all = at_hand.into_iter().chain(was.laid.iter().map(|l| (&l.bed, &l.wishes)));
    let (_, before) = all.find(|(b, w)| b.hash == bed.hash && start(w) == start(wishes))?;
    let layer = plan.beds().find(|l| l.sound == bed.hash && l.fitting.as_ref().is_some_and(|f| f.start_samples == start(before)))?;
    let same_reading = was.corrections(&bed.hash) == setup.corrections(&bed.hash);
    Some(Played { layer, holds: before == wishes && same_reading && plan.length_samples == setup.picture.length_samples() })
}

/// A bed that lies elsewhere on the cut than the one at hand.
struct LaidBed {
    hash: String,
    open: OpenBed,
    fitting: Fitting,
    before: Vec<LevelObject>,
}

/// How a candidate would lie on a cut.
#[derive(Debug, Clone, PartialEq)]
pub struct CandidateFit {
    /// Its best fitting.
    pub fitting: Fitting,
    /// The cut with it.
    pub plan: Plan,
}

/// The film's own sound, while it is heard.
struct FilmSound {
    hash: String,
    open: Opened,
    wish: FilmWish,
    /// Its phrases, where its talk is speech.
    talk: Option<Vec<Phrase>>,
    /// Where the picture is over.
    until_samples: u64,
}

/// What a plan is made from.
pub struct Material {
    length_samples: u64,
    lines: Vec<Line>,
    pieces: Vec<Piece>,
    takes: HashMap<String, (Opened, SpeechReading)>,
    film: Option<FilmSound>,
    bed: Option<(String, OpenBed)>,
    wishes: Wishes,
    /// Level objects of the bed at hand so far.
    before: Vec<LevelObject>,
    /// How the bed at hand was played when it was laid down.
    played: Option<Fitting>,
    laid: Vec<LaidBed>,
    scene: Scene,
    shape: ShapeWishes,
    ambiences: Vec<(AmbienceWish, Opened)>,
    kept: Option<Arc<dyn Kept>>,
}

impl Material {
    /// Everything of `setup` that is there. Of the beds of `was` and its plan, what was chosen and set by hand is kept.
    pub fn new(setup: &Setup, sounds: &Sounds, was: &Setup, plan: &Plan) -> Self {
        let mut takes = HashMap::new();
        let mut pieces = Vec::new();
        for piece in &setup.pieces {
            // Read as it came, heard as it is wanted.
            let heard = setup.takes.iter().find(|t| t.hash == piece.sound).map_or(piece.sound.as_str(), |t| t.heard());
            if let (Some(reading), Some(open)) = (sounds.speech.get(&piece.sound), sounds.open.get(heard)) {
                let phrases = corrected(&reading.phrases, setup.edits(&piece.sound));
                takes.entry(heard.to_owned()).or_insert_with(|| (open.clone(), SpeechReading { phrases, ..reading.clone() }));
            }
            pieces.push(Piece { sound: heard.to_owned(), ..piece.clone() });
        }
        let film = setup.film.as_ref().filter(|f| f.sound_on).and_then(|f| {
            let hash = f.sound.clone()?;
            let talk = f.talks().and_then(|sound| sounds.speech.get(sound)).map(|reading| corrected(&reading.phrases, &f.edits));
            Some(FilmSound { open: sounds.open.get(&hash)?.clone(), hash, wish: f.wish.clone(), talk, until_samples: setup.picture.picture_samples() })
        });
        // One that is still being read is heard later.
        let ambiences = setup.ambiences.iter().filter_map(|wish| Some((wish.clone(), sounds.open.get(&wish.hash)?.clone()))).collect();
        let length_samples = setup.picture.length_samples();
        let scene = scene(setup, &sounds.speech);
        let at_hand = setup.bed.as_ref().and_then(|bed| played_before(was, plan, setup, bed, setup.wishes(&bed.hash)?));
        let mut laid = Vec::new();
        let parts = setup.parts();
        for part in &parts {
            let Some(Laid { bed, wishes }) = part.laid.and_then(|k| setup.laid.get(k)) else { continue };
            let Some(open) = sounds.beds.get(&bed.hash).cloned() else { continue };
            let (before, kept) = played_before(was, plan, setup, bed, wishes).map_or((Vec::new(), None), |p| (p.layer.levels.clone(), p.fitting()));
            let request = FitRequest { length_samples, wishes: setup.asked(*part), scene: scene.clone() };
            let fitting = kept.unwrap_or_else(|| fit::quick_fitting(&*open.source, open.reading(), open.likeness(), &request));
            laid.push(LaidBed { hash: bed.hash.clone(), open, fitting, before });
        }
        Self {
            length_samples,
            lines: setup.lines.clone(),
            pieces,
            takes,
            film,
            wishes: parts.iter().find(|p| p.laid.is_none()).map(|p| setup.asked(*p)).unwrap_or_default(),
            scene,
            shape: setup.shape.clone(),
            kept: sounds.kept.clone(),
            ambiences,
            // What was set by hand goes over to a new bed where that lies in the same place.
            before: at_hand.as_ref().map(|p| p.layer).or(plan.bed()).map_or(Vec::new(), |layer| layer.levels.clone()),
            played: at_hand.and_then(|p| p.fitting()),
            laid,
            bed: setup.bed.as_ref().and_then(|bed| Some((bed.hash.clone(), sounds.beds.get(&bed.hash)?.clone()))),
        }
    }

    fn request(&self, wishes: Wishes) -> FitRequest {
        FitRequest { length_samples: self.length_samples, wishes, scene: self.scene.clone() }
    }

    /// Samples of music in the bed at hand.
    pub fn music_samples(&self) -> u64 {
        self.bed.as_ref().map_or(0, |(_, b)| b.reading().music_samples())
    }

    /// The fittings of the bed at hand, none without one.
    pub fn fittings(&self) -> Vec<Fitting> {
        let request = self.request(self.wishes.clone());
        self.bed.as_ref().map_or(Vec::new(), |(_, bed)| fit::fittings(&*bed.source, bed.reading(), bed.likeness(), &request))
    }

    /// The best fitting alone.
    pub fn quick_fitting(&self) -> Option<Fitting> {
        let request = self.request(self.wishes.clone());
        self.bed.as_ref().map(|(_, bed)| fit::quick_fitting(&*bed.source, bed.reading(), bed.likeness(), &request))
    }

    /// A fitting with its splices as the wishes have them by now.
    fn retouched(&self, fitting: &Fitting, touched: &[SpliceAt]) -> Fitting {
        let request = self.request(self.wishes.clone());
        self.bed.as_ref().map_or_else(|| fitting.clone(), |(_, bed)| fit::retouched(&*bed.source, bed.reading(), bed.likeness(), &request, fitting, touched))
    }

    /// Lengths of the cut, near its own, at which the bed ends by itself.
    pub fn natural_lengths(&self) -> Vec<u64> {
        let request = self.request(self.wishes.clone());
        let place = request.wishes.place.unwrap_or(Passage { start_samples: 0, end_samples: Passage::OPEN_END });
        // A bed that is to be over at a place of the cut is over there however long the cut is.
        let Some((_, bed)) = self.bed.as_ref().filter(|_| place.end_samples == Passage::OPEN_END) else { return Vec::new() };
        fit::natural_lengths(bed.reading(), bed.likeness(), &request).into_iter().map(|samples| place.start_samples + samples).collect()
    }

    /// Length of the cut with the whole bed, from its first sample to its last.
    pub fn whole_samples(&self) -> Option<u64> {
        let (_, bed) = self.bed.as_ref()?;
        Some(self.wishes.place.map_or(0, |p| p.start_samples) + fit::whole_samples(bed.reading()))
    }

    /// Why the picture cannot give way, in words; none where it can. `lengths` are the natural ones, `ways` how many of them the
    /// stills can take up.
    pub fn why_stills_stand(&self, picture: &Picture, lengths: usize, ways: usize) -> Option<&'static str> {
        let (_, bed) = self.bed.as_ref()?;
        match () {
            () if ways > 0 => None,
            () if lengths == 0 && bed.reading().ending.kind == EndingKind::StopsDead => {
                Some("This bed stops dead: there is no ending of its own that the cut could wait for.")
            }
            () if lengths == 0 => Some("At no length near this one does the bed end by itself without a splice that may be heard."),
            () if picture.shots.is_empty() => Some("No shots are known of this cut."),
            () if picture.shots.iter().all(|s| !s.still) => Some("No shot is marked as a still, of which the hold may change."),
            () => Some("The stills are too few or too short to take it up."),
        }
    }

    /// The plan with `fitting` for the bed at hand, keeping what was set by hand.
    pub fn propose(&self, fitting: Option<&Fitting>) -> Plan {
        let at_hand = self.bed.as_ref().zip(fitting).map(|((hash, bed), fitting)| (hash.as_str(), bed, fitting, self.before.as_slice()));
        self.propose_with(at_hand)
    }

    /// How a candidate would lie, in place of the bed at hand.
    pub fn candidate(&self, hash: &str, bed: &OpenBed, wishes: Wishes) -> CandidateFit {
        let fitting = fit::quick_fitting(&*bed.source, bed.reading(), bed.likeness(), &self.request(wishes));
        let plan = self.propose_with(Some((hash, bed, &fitting, &[])));
        CandidateFit { fitting, plan }
    }

    fn propose_with(&self, at_hand: Option<(&str, &OpenBed, &Fitting, &[LevelObject])>) -> Plan {
        let laid = self.laid.iter().map(|l| (l.hash.as_str(), &l.open, &l.fitting, l.before.as_slice()));
        let heard: Vec<_> = at_hand.into_iter().chain(laid).collect();
        let lines: Vec<Vec<u64>> = heard.iter().map(|(_, bed, ..)| bed.reading().bar_lines_samples()).collect();
        let beds: Vec<BedInput<'_>> = heard
            .iter()
            .zip(&lines)
            .map(|(&(sound, bed, fitting, before), lines)| BedInput { sound, source: &*bed.source, fitting, bar_lines_samples: lines, before })
            .collect();
        let open = self.pieces.iter().filter_map(|piece| Some((piece, self.takes.get(&piece.sound)?)));
        let ambiences: Vec<AmbienceInput<'_>> = self.ambiences.iter().map(|(wish, source)| AmbienceInput { wish, source: &**source }).collect();
        let narration: Vec<PieceInput<'_>> = open.map(|(piece, (source, reading))| PieceInput { piece, source: &**source, reading }).collect();
        let inputs = Inputs {
            length_samples: self.length_samples,
            beds: &beds,
            narration: &narration,
            lines: &self.lines,
            film: self.film.as_ref().map(|f| FilmInput {
                sound: &f.hash,
                wish: &f.wish,
                source: &*f.open,
                talk: f.talk.as_deref(),
                until_samples: f.until_samples,
            }),
            shape: Some(&self.shape),
            ambiences: &ambiences,
            kept: self.kept.as_deref(),
        };
        let mut plan = plan::propose(inputs);
        if let Some(target_lufs) = self.shape.target_lufs {
            let open = |hash: &str| -> Option<&dyn Source> {
                let bed = heard.iter().find(|(sound, ..)| *sound == hash).map(|(_, bed, ..)| &bed.source);
                let take = self.takes.get(hash).map(|(source, _)| source);
                let ambience = self.ambiences.iter().find(|(wish, _)| wish.hash == hash).map(|(_, source)| source);
                let film = self.film.as_ref().filter(|f| f.hash == hash).map(|f| &f.open);
                bed.or(take).or(ambience).or(film).map(|source| &**source as &dyn Source)
            };
            // Every sound that the plan names is one of these.
            plan.master = mix::master(&plan, &open, target_lufs).ok().flatten();
        }
        plan
    }
}

/// Computes anew what a change of `before` to `after` has for its effect: fittings and plan of `after`.
pub fn compute(effect: &Effect, before: &Cut, mut after: Cut, sounds: &Sounds) -> Cut {
    let material = Material::new(&after.setup, sounds, &before.setup, &after.plan);
    let mut fitted_under_before = after.plan.fitted_under.clone();
    match effect {
        Effect::Unchanged(_) | Effect::Note(_) => return after,
        Effect::Reshape => {}
        Effect::Retouch => {
            let otherwise = touched_otherwise(&before.setup, &after.setup);
            for fitting in after.fittings.iter_mut().filter(|f| f.splices.iter().any(|s| otherwise.contains(&s.at))) {
                *fitting = material.retouched(fitting, &otherwise);
            }
        }
        Effect::Refit => {
            // The alternative that is played stays the nearest to what it was when another than the best one had been chosen.
            let played = before.fitting().filter(|_| before.chosen != 0);
            after.fittings = material.fittings();
            after.chosen = played.map_or(0, |played| closest(&after.fittings, played));
            fitted_under_before = fitted_under(&material.scene);
        }
        Effect::Replan => {
            if !keeps_fittings(before, &after.setup) {
                after.fittings = material.fittings();
                after.chosen = material.played.as_ref().map_or(0, |played| closest(&after.fittings, played));
                fitted_under_before = fitted_under(&material.scene);
            }
        }
    }
    let plan = material.propose(after.fitting());
    after.plan = Plan { fitted_under: fitted_under_before, ..plan };
    after
}

/// The splices of the bed at hand that are changed by hand otherwise than they were.
fn touched_otherwise(was: &Setup, setup: &Setup) -> Vec<SpliceAt> {
    let touches = |setup: &Setup| setup.bed.as_ref().and_then(|b| setup.wishes(&b.hash)).map_or(Vec::new(), |w| w.touches.clone());
    let (old, new) = (touches(was), touches(setup));
    old.iter().filter(|t| !new.contains(t)).chain(new.iter().filter(|t| !old.contains(t))).map(|t| t.splice).collect()
}

/// Whether a fitting that somebody chose stays: while bed, its reading, what is wanted of it and the length stay. The first narration
/// is worth fitting anew for; after that a change of it must not move splices unasked.
fn keeps_fittings(before: &Cut, setup: &Setup) -> bool {
    let was = &before.setup;
    let bed = setup.bed.as_ref().map_or("", |b| &b.hash);
    let same = was.bed == setup.bed
        && was.corrections(bed) == setup.corrections(bed)
        && was.wishes(bed) == setup.wishes(bed)
        && before.plan.length_samples == setup.picture.length_samples();
    let first_voice = was.pieces.is_empty() && !setup.pieces.is_empty() && before.chosen == 0;
    same && !first_voice && !before.fittings.is_empty()
}
