//! What was done to the sounds of a cut, as pieces on tracks with levels: what lists for other programs are written from.

use jaunty_fit::fit::{Fitting, FittingEnd};
use jaunty_picture::picture::Picture;
use jaunty_shape::plan::{Layer, Plan, Role};
use jaunty_shape::shape::{CURVE_STEP_SAMPLES, GainCurve};
use jaunty_units::units::db_from_gain;

/// What a sound is called.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceName {
    /// Hash of its content.
    pub hash: String,
    /// The name of its file.
    pub file: String,
    /// Its length in samples of 48 kHz.
    pub length_samples: u64,
}

/// A piece of a sound on a track.
#[derive(Debug, Clone, PartialEq)]
pub struct DonePiece {
    /// The sound, as a place in [`Done::sources`].
    pub source: usize,
    /// First sample of the sound, with its fraction; before its beginning where a loop goes round.
    pub source_start: f64,
    /// First sample of the cut.
    pub cut_start: u64,
    /// The sample of the cut after the last.
    pub cut_end: u64,
    /// Samples of the sound per sample of the cut.
    pub speed: f64,
    /// Over so many of its last samples the next piece fades in and it fades out; 0 for a plain end.
    pub fade_samples: u64,
    /// Gains of it and of the next piece over that fade, at equal distances from its start to its end.
    pub fade_gains: Vec<(f32, f32)>,
}

/// A point of a level: between points it goes straight, in dB.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LevelPoint {
    /// Sample of the cut.
    pub at_samples: u64,
    /// Level in dB; silence is [`LevelPoint::SILENCE_DB`].
    pub level_db: f64,
}

impl LevelPoint {
    /// Stands for silence.
    pub const SILENCE_DB: f64 = -120.0;
}

/// A track.
#[derive(Debug, Clone, PartialEq)]
pub struct DoneTrack {
    /// What it is called.
    pub name: String,
    /// What it is.
    pub role: Role,
    /// Its pieces, one after another.
    pub pieces: Vec<DonePiece>,
    /// Its level over the cut.
    pub levels: Vec<LevelPoint>,
    /// What no list can say of it, for people.
    pub unsaid: Vec<String>,
}

/// What was done to a cut.
#[derive(Debug, Clone, PartialEq)]
pub struct Done {
    /// What the cut is called.
    pub title: String,
    /// Length, rate, first timecode, moments.
    pub picture: Picture,
    /// The sounds.
    pub sources: Vec<SourceName>,
    /// The tracks.
    pub tracks: Vec<DoneTrack>,
}

/// What a plan does to its sounds. `named` says what a sound is called, by its hash.
pub fn done(title: &str, picture: &Picture, plan: &Plan, named: &dyn Fn(&str) -> SourceName) -> Done {
    let mut made = Done { title: title.to_owned(), picture: picture.clone(), sources: Vec::new(), tracks: Vec::new() };
    let master_db = plan.master.as_ref().map_or(0.0, |m| m.gain_db);
    let mut numbers = [0usize; 4];
    for layer in &plan.layers {
        let source = made.sources.iter().position(|s| s.hash == layer.sound).unwrap_or_else(|| {
            made.sources.push(named(&layer.sound));
            made.sources.len() - 1
        });
        let (word, number) = match layer.role {
            Role::Bed => ("bed", &mut numbers[0]),
            Role::Narration => ("voice", &mut numbers[1]),
            Role::Film => ("film", &mut numbers[2]),
            Role::Ambience => ("ambience", &mut numbers[3]),
        };
        *number += 1;
        let length = made.sources[source].length_samples;
        let mut track = track_of(layer, source, length, plan.length_samples);
        track.name = if *number == 1 { word.to_owned() } else { format!("{word} {number}") };
        track.levels = levels_of(layer, plan.length_samples, master_db);
        made.tracks.push(track);
    }
    made
}

fn track_of(layer: &Layer, source: usize, source_length: u64, cut_length: u64) -> DoneTrack {
    let mut track = DoneTrack { name: String::new(), role: layer.role, pieces: Vec::new(), levels: Vec::new(), unsaid: Vec::new() };
    let whole = |start: u64, end: u64, from: u64| DonePiece {
        source,
        source_start: from as f64,
        cut_start: start,
        cut_end: end,
        speed: 1.0,
        fade_samples: 0,
        fade_gains: Vec::new(),
    };
    if layer.pocket.is_some() {
        track.unsaid.push("the pocket for the voice".into());
    }
    match (&layer.fitting, &layer.piece) {
        (Some(fitting), _) => {
            track.pieces = fitted_pieces(fitting, source);
            if fitting.splices.iter().any(|s| s.join.rings) {
                track.unsaid.push("what rings on after a splice".into());
            }
            if fitting.end == FittingEnd::Stop {
                track.unsaid.push("the ring-out after the stop".into());
            }
        }
        (None, Some(piece)) => {
            let on_cut = piece.on_cut();
            track.pieces.push(whole(on_cut.start, on_cut.end.min(cut_length), piece.source_start_samples));
        }
        (None, None) if layer.ambience.is_some() => {
            track.pieces.push(whole(0, cut_length, 0));
            track.unsaid.push("how the ambience goes on and on".into());
        }
        (None, None) => track.pieces.push(whole(0, cut_length.min(source_length), 0)),
    }
    track.pieces.retain(|p| p.cut_start < p.cut_end);
    track
}

fn fitted_pieces(fitting: &Fitting, source: usize) -> Vec<DonePiece> {
    /// Points of a crossfade: between them it goes straight within -80 dB.
    const POINTS: u32 = 64;
    let mut all = Vec::new();
    for (k, piece) in fitting.pieces.iter().enumerate() {
        let mut at = piece.cut_start_samples;
        // A piece whose speed changes is one piece for each speed.
        while at < piece.cut_end_samples {
            let until = piece.next_bend(at).map_or(piece.cut_end_samples, |b| b.min(piece.cut_end_samples));
            let join = fitting.splices.get(k).filter(|_| until == piece.cut_end_samples).map(|s| &s.join);
            let fade_gains = join.map(|j| (0..=POINTS).map(|x| j.gains(x as f32 / POINTS as f32)).collect());
            all.push(DonePiece {
                source,
                source_start: piece.source_position(at),
                cut_start: at,
                cut_end: until,
                speed: piece.speed_at(at),
                fade_samples: join.map_or(0, |j| j.fade_samples),
                fade_gains: fade_gains.unwrap_or_default(),
            });
            at = until;
        }
    }
    all
}

/// The level of a layer in points, as few as say it within a thousandth of a dB (of what is nearly silent, within -100 dB
/// of full level): from each point on the line goes as far as it stays that near (Elmeleegy et al., "Online piece-wise
/// linear approximation of numerical streams with precision guarantees", VLDB 2009, their swing filter).
fn levels_of(layer: &Layer, length: u64, master_db: f64) -> Vec<LevelPoint> {
    const NEAR_DB: f64 = 1e-3;
    const NEAR_GAIN: f64 = 1e-5;
    let curve = GainCurve::of(&layer.levels);
    // What is rendered goes straight between these points too.
    let level = |at: u64| {
        let gain = curve.gain(at);
        let near = NEAR_DB.max(db_from_gain(1.0 + NEAR_GAIN / gain.max(1e-9)));
        ((if gain > 1e-6 { db_from_gain(gain) + master_db } else { LevelPoint::SILENCE_DB }).max(LevelPoint::SILENCE_DB), near)
    };
    let mut points = vec![LevelPoint { at_samples: 0, level_db: level(0).0 }];
    let mut last = points[0];
    let (mut least, mut most) = (f64::NEG_INFINITY, f64::INFINITY);
    let mut at = 0;
    while at < length {
        at = (at + CURVE_STEP_SAMPLES).min(length);
        let (level_db, near) = level(at);
        let from = points[points.len() - 1];
        let slope = |to_db: f64, from: LevelPoint| (to_db - from.level_db) / (at - from.at_samples) as f64;
        let own = slope(level_db, from);
        if own < least || own > most {
            points.push(last);
            (least, most) = (slope(level_db - near, last), slope(level_db + near, last));
        } else {
            (least, most) = (least.max(slope(level_db - near, from)), most.min(slope(level_db + near, from)));
        }
        last = LevelPoint { at_samples: at, level_db };
    }
    if last.at_samples > points[points.len() - 1].at_samples {
        points.push(last);
    }
    points
}
