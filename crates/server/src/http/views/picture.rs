//! The picture: film, shots, moments, written lines, the last list.

use super::RateView;
use jaunty_core::cut::{Film, ListReport};
use jaunty_core::picture::{Line, ListChange, Moment, MomentKind, Origin, Picture, Shot};
use jaunty_core::plan::SpeechRule;
use jaunty_core::units::seconds_from_samples;
use serde::Serialize;
use utoipa::ToSchema;

/// A shot.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShotView {
    /// What is seen.
    pub name: String,
    /// Its first frame.
    pub frame: u64,
    /// Where it begins, in seconds.
    pub at_s: f64,
    /// Where it begins, as timecode.
    pub timecode: String,
    /// How long it lasts, in seconds.
    pub length_s: f64,
    /// Whether its hold may change.
    pub still: bool,
    /// Whether it was made by hand.
    pub by_hand: bool,
}

/// A moment.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MomentView {
    /// What happens.
    pub name: String,
    /// Its frame.
    pub frame: u64,
    /// Where, in seconds.
    pub at_s: f64,
    /// Where, as timecode.
    pub timecode: String,
    /// What it is for.
    pub kind: MomentKind,
    /// Whether it was marked by hand.
    pub by_hand: bool,
    /// Where a bed that belongs to it begins, in seconds; only titles and credits have one.
    pub bed_from_s: Option<f64>,
}

/// A written line of the narration.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LineView {
    /// Where its first syllable falls, in seconds.
    pub at_s: f64,
    /// The words.
    pub words: String,
}

impl From<&Line> for LineView {
    fn from(line: &Line) -> Self {
        Self { at_s: seconds_from_samples(line.start_samples), words: line.words.clone() }
    }
}

/// The film of a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FilmView {
    /// Hash of its content.
    pub hash: String,
    /// The name it came with.
    pub name: String,
    /// Its frame rate.
    pub rate: RateView,
    /// Its length as timecode.
    pub length_timecode: String,
    /// Its first timecode, when it carries one.
    pub first_timecode: Option<String>,
    /// Width over height.
    pub aspect: f64,
    /// Whether it has a sound of its own.
    pub has_sound: bool,
    /// Whether that is heard.
    pub sound_on: bool,
    /// Whether the talk in it is speech like a narration's.
    pub talk: bool,
    /// Its gain, in dB.
    pub gain_db: f64,
    /// What it does while somebody speaks.
    pub rule: SpeechRule,
    /// By how much it sinks then, in dB, when it is to be low.
    pub lower_db: f64,
    /// From where on it is heard, in seconds of the cut.
    pub heard_from_s: f64,
    /// Until where.
    pub heard_until_s: f64,
    /// How it differs from the cut, when it does.
    pub differs: Option<String>,
}

/// What became of the last list.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ListReportView {
    /// Name of the file.
    pub file: String,
    /// What it was.
    pub format: String,
    /// What of it is used.
    pub used: String,
    /// What it changed, as sentences.
    pub changes: Vec<String>,
    /// What was not used.
    pub unused: Vec<UnusedView>,
}

/// A line of a list that was not used.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct UnusedView {
    /// Its number, where the format has lines.
    pub line: Option<usize>,
    /// What stands there.
    pub text: String,
    /// Why it was not used.
    pub reason: String,
}

/// Where a frame lies, in seconds of the cut.
pub(super) fn frame_s(picture: &Picture, frame: u64) -> f64 {
    seconds_from_samples(picture.rate.samples_from_frames(frame))
}

pub(super) fn shot_view(shot: &Shot, picture: &Picture) -> ShotView {
    let at_s = frame_s(picture, shot.start_frame);
    ShotView {
        name: shot.name.clone(),
        frame: shot.start_frame,
        at_s,
        timecode: picture.timecode(shot.start_frame),
        length_s: frame_s(picture, shot.end_frame) - at_s,
        still: shot.still,
        by_hand: shot.origin == Origin::Hand,
    }
}

pub(super) fn moment_view(moment: &Moment, picture: &Picture) -> MomentView {
    MomentView {
        name: moment.name.clone(),
        frame: moment.frame,
        at_s: frame_s(picture, moment.frame),
        timecode: picture.timecode(moment.frame),
        kind: moment.kind,
        by_hand: moment.origin == Origin::Hand,
        bed_from_s: picture.bed_from_samples(moment).map(seconds_from_samples),
    }
}

pub(super) fn film_view(film: &Film, picture: &Picture) -> FilmView {
    let same_rate = (film.rate.num(), film.rate.den()) == (picture.rate.num(), picture.rate.den());
    let length = film.rate.timecode(film.length_frames);
    let differs = match (same_rate, film.length_frames == picture.length_frames) {
        (true, true) => None,
        (true, false) => Some(format!("The film is {length} long, the cut {}.", picture.rate.timecode(picture.length_frames))),
        (false, _) => Some(format!("The film runs at {} frames a second, the cut at {}.", RateView::from(film.rate).label, RateView::from(picture.rate).label)),
    };
    let heard = film.wish.heard(picture.picture_samples());
    FilmView {
        hash: film.hash.clone(),
        name: film.name.clone(),
        rate: film.rate.into(),
        length_timecode: length.to_string(),
        first_timecode: film.first_frame.map(|f| film.rate.timecode(f).to_string()),
        aspect: f64::from(film.width_px.max(1)) / f64::from(film.height_px.max(1)),
        has_sound: film.sound.is_some(),
        sound_on: film.sound_on,
        talk: film.talk,
        gain_db: film.wish.gain_db,
        rule: film.wish.rule,
        lower_db: film.wish.lower_db,
        heard_from_s: seconds_from_samples(heard.start_samples),
        heard_until_s: seconds_from_samples(heard.end_samples),
        differs,
    }
}

pub(super) fn list_view(list: &ListReport, picture: &Picture) -> ListReportView {
    let frames = |n: i64| if n.abs() == 1 { "1 frame".to_owned() } else { format!("{} frames", n.abs()) };
    let change = |change: &ListChange| match change {
        ListChange::Added { name, to_frame } => format!("{name} is new, at {}", picture.timecode(*to_frame)),
        ListChange::Gone { name, from_frame } => format!("{name} is gone; it was at {}", picture.timecode(*from_frame)),
        ListChange::Moved { name, from_frame, to_frame, longer_frames } => {
            let moved = *to_frame as i64 - *from_frame as i64;
            let place = match moved {
                0 => "stays where it was".to_owned(),
                n => format!("begins {} {}", frames(n), if n > 0 { "later" } else { "earlier" }),
            };
            let length = match longer_frames {
                0 => String::new(),
                n => format!(", {} {}", frames(*n), if *n > 0 { "longer" } else { "shorter" }),
            };
            format!("{name} {place}{length}")
        }
    };
    ListReportView {
        file: list.file.clone(),
        format: list.format.clone(),
        used: list.used.clone(),
        changes: list.changes.iter().take(200).map(change).collect(),
        unused: list.unused.iter().map(|u| UnusedView { line: u.line, text: u.text.clone(), reason: u.reason.clone() }).collect(),
    }
}
