//! The plan as it stands.

use super::lanes::{LaneView, LayerView, lane_views, layer_views};
use super::levels::level_views;
use super::parts::part_views;
use super::shape::{loudness_choices, pocket_choices};
use super::{AmbienceView, BarLineView, FigureChoiceView, FittingView, FormsView, LevelView, PartView, PocketChoiceView, WishesView};
use crate::studio::OpenCut;
use chrono::{DateTime, Utc};
use jaunty_core::check::{self, Weight};
use jaunty_core::cut::{Accepted, Change, HouseFigures};
use jaunty_core::fit::Wishes;
use jaunty_core::message::Message;
use jaunty_core::plan::BedAgainst;
use jaunty_core::shape::{LevelName, ShapeWishes};
use jaunty_core::speech::Phrase;
use jaunty_core::units::seconds_from_samples;
use serde::Serialize;
use utoipa::ToSchema;

/// A phrase of the narration.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PhraseView {
    /// Where it begins, in seconds.
    pub start_s: f64,
    /// Where it is over.
    pub end_s: f64,
    /// Its words, where known.
    pub words: Option<String>,
    /// The dip that holds the bed under it.
    pub dip: Option<LevelName>,
}

/// Something that the check found.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FindingView {
    /// Whether it needs a look, or is just good to know.
    pub needs_look: bool,
    /// Where, in seconds.
    pub at_s: f64,
    /// What was found.
    pub text: String,
    /// What to do about it.
    pub mend: String,
    /// Its name among those that somebody accepted.
    pub key: String,
    /// What would mend it at once, where that is known.
    pub remedy: Option<RemedyView>,
}

/// A change that mends what was found.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RemedyView {
    /// What it will do, in words.
    pub words: String,
    /// The change.
    pub change: Change,
}

impl From<check::Finding> for FindingView {
    fn from(f: check::Finding) -> Self {
        let key = f.key();
        let remedy = f.remedy.map(|r| RemedyView { words: r.words, change: r.change });
        Self { needs_look: f.weight == Weight::Look, at_s: seconds_from_samples(f.at_samples), text: f.text, mend: f.mend, key, remedy }
    }
}

/// The plan of a cut as it stands.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PlanView {
    /// Its number.
    pub revision: u32,
    /// What was done last.
    pub what: Message,
    /// Who did that, where people sign in.
    pub made_by: Option<String>,
    /// The revision that it was made from.
    pub parent: Option<u32>,
    /// What undo would take back.
    pub undo: Option<Message>,
    /// What redo would do again.
    pub redo: Option<Message>,
    /// When it was saved.
    pub saved_at: DateTime<Utc>,
    /// Its length in samples; for asking for sound.
    pub length_samples: u64,
    /// The fittings to choose from, best first.
    pub fittings: Vec<FittingView>,
    /// Which of them is played.
    pub chosen: usize,
    /// Whether narration or picture have changed since the bed was fitted.
    pub fitted_before: bool,
    /// What is wanted of the fit.
    pub wishes: WishesView,
    /// The beds of the cut, in the order in which they are heard.
    pub parts: Vec<PartView>,
    /// Bar lines of the beds as fitted.
    pub bar_lines: Vec<BarLineView>,
    /// Swells and dips.
    pub levels: Vec<LevelView>,
    /// What the level of the beds is measured against.
    pub bed_against: BedAgainst,
    /// Figures that all level objects follow.
    pub shape: ShapeWishes,
    /// The figures of the house that were taken, as they were then.
    pub house: Option<HouseFigures>,
    /// How spoken shows open and close, for those who ask for it.
    pub forms: FormsView,
    /// Pockets to choose from.
    pub pocket_choices: Vec<PocketChoiceView>,
    /// Loudness of the whole to choose from, in LUFS.
    pub loudness_choices: Vec<FigureChoiceView>,
    /// Ambiences.
    pub ambiences: Vec<AmbienceView>,
    /// The film's own sound and the ambiences as lanes.
    pub lanes: Vec<LaneView>,
    /// The layers whose levels can be changed.
    pub layers: Vec<LayerView>,
    /// Gain of the whole in dB, where a loudness was asked for.
    pub master_gain_db: Option<f64>,
    /// How much of that the guard against true peaks held back, in dB.
    pub held_back_db: Option<f64>,
    /// The middle of the pocket as it is, in Hz.
    pub pocket_hz: Option<f64>,
    /// Phrases of the narration.
    pub phrases: Vec<PhraseView>,
    /// What the check found.
    pub findings: Vec<FindingView>,
    /// What of it somebody accepted.
    pub accepted: Vec<Accepted>,
    /// What the check looked at, as sentences that hold when it finds nothing.
    pub looked_at: Vec<String>,
}

impl From<&OpenCut> for PlanView {
    fn from(open: &OpenCut) -> Self {
        let (revision, cut) = (&open.current, &open.current.cut);
        let (setup, plan) = (&cut.setup, &cut.plan);
        let used = |hash: &str| setup.parts().iter().any(|p| setup.bed_of(*p).is_some_and(|b| b.hash == hash));
        let objections: Vec<String> = open.candidates.iter().filter(|c| used(&c.candidate.hash)).filter_map(|c| c.objection.map(str::to_owned)).collect();
        let reading = open.bed.as_ref().and_then(|b| b.reading.as_ref());
        let music_samples = reading.map_or(0, |r| r.music_samples());
        let bed = plan.bed();
        let (parts, lines, bar_lines) = part_views(open);
        let phrase = |p: &Phrase| PhraseView {
            start_s: seconds_from_samples(p.start_samples),
            end_s: seconds_from_samples(p.end_samples),
            words: p.words.clone(),
            dip: plan.dip_under(p).and_then(LevelName::of),
        };
        Self {
            revision: revision.number,
            parent: revision.parent,
            undo: open.undo.clone(),
            what: revision.what.clone(),
            made_by: revision.made_by.clone(),
            redo: open.redo.clone(),
            saved_at: revision.created_at.and_utc(),
            length_samples: plan.length_samples,
            fittings: cut.fittings.iter().map(|f| FittingView::of(f, music_samples)).collect(),
            chosen: cut.chosen,
            fitted_before: open.fitted_before,
            wishes: bed.and_then(|b| setup.wishes(&b.sound)).map_or_else(|| WishesView::from(&Wishes::default()), WishesView::from),
            parts,
            bar_lines,
            levels: level_views(plan, &lines),
            bed_against: plan.bed_against,
            shape: setup.shape.clone(),
            house: setup.house.clone(),
            forms: FormsView::default(),
            pocket_choices: pocket_choices(),
            loudness_choices: loudness_choices(),
            ambiences: setup.ambiences.iter().map(AmbienceView::from).collect(),
            lanes: lane_views(cut),
            layers: layer_views(cut),
            master_gain_db: plan.master.map(|m| m.gain_db),
            held_back_db: plan.master.map(|m| m.held_back_db).filter(|db| *db > 0.05),
            pocket_hz: bed.and_then(|b| b.pocket.as_ref()).map(|p| p.centre_hz),
            phrases: plan.phrases.iter().map(phrase).collect(),
            findings: check::picture_findings(setup).into_iter().chain(check::findings(plan, reading, &objections)).map(FindingView::from).collect(),
            accepted: open.row.setup.accepted.clone(),
            looked_at: check::LOOKED_AT.map(str::to_owned).to_vec(),
        }
    }
}
