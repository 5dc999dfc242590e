//! Views of what is given to somebody to hear.

use crate::store::keys::{KeyRow, Opens};
use crate::store::remarks::RemarkRow;
use crate::studio::HeardCut;
use chrono::{DateTime, Utc};
use jaunty_core::shape::GainCurve;
use jaunty_core::units::{samples_from_seconds, seconds_from_samples};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// A link by which somebody hears a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct GivenView {
    /// Its name in addresses.
    pub id: Uuid,
    /// Whom it is for.
    pub to: String,
    /// The revision that is heard; the newest without it.
    pub revision: Option<u32>,
    /// Whether a word is asked for as well.
    pub asks_word: bool,
    /// When it was given.
    pub created_at: DateTime<Utc>,
    /// Until when it opens.
    pub expires_at: DateTime<Utc>,
}

impl GivenView {
    /// A key that lets somebody hear a cut.
    pub fn of(row: &KeyRow) -> Option<Self> {
        let Opens::Listening { revision, .. } = row.opens else { return None };
        let (created_at, expires_at) = (row.created_at.and_utc(), row.expires_at.and_utc());
        Some(Self { id: row.id, to: row.given_to.clone(), revision, asks_word: row.word.is_some(), created_at, expires_at })
    }
}

/// Something that was said of a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RemarkView {
    /// Its name in addresses.
    pub id: Uuid,
    /// The revision that was heard.
    pub revision: u32,
    /// The moment it is about, in seconds; all of it without one.
    pub at_s: Option<f64>,
    /// What was said.
    pub words: String,
    /// Whether all is well with that.
    pub approves: bool,
    /// Who said it.
    pub said_by: String,
    /// Whether it is done.
    pub done: bool,
    /// When it was said.
    pub created_at: DateTime<Utc>,
}

impl From<&RemarkRow> for RemarkView {
    fn from(row: &RemarkRow) -> Self {
        Self {
            id: row.id,
            revision: row.revision,
            at_s: row.at_samples.map(seconds_from_samples),
            words: row.words.clone(),
            approves: row.approves,
            said_by: row.said_by.clone(),
            done: row.done_at.is_some(),
            created_at: row.created_at.and_utc(),
        }
    }
}

/// A line that is spoken.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SpokenView {
    /// Where it begins, in seconds.
    pub start_s: f64,
    /// Where it is over.
    pub end_s: f64,
    /// Its words, where known.
    pub words: Option<String>,
}

/// A cut as somebody hears it who was given it: nothing of how it is made.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HeardView {
    /// Its name in addresses.
    pub id: Uuid,
    /// Its title.
    pub title: String,
    /// The revision that is heard.
    pub revision: u32,
    /// Its length in samples.
    pub length_samples: u64,
    /// Its length in seconds.
    pub length_s: f64,
    /// When it was made.
    pub made_at: DateTime<Utc>,
    /// Whether there is a film to it.
    pub film: bool,
    /// Width of its picture over its height.
    pub film_aspect: Option<f64>,
    /// Frames a second.
    pub frame_rate: f64,
    /// What is spoken.
    pub spoken: Vec<SpokenView>,
    /// The level of the bed each half second, in dB.
    pub bed_db: Vec<f32>,
    /// What was said of it.
    pub remarks: Vec<RemarkView>,
    /// What whoever listens is called, where that is known.
    pub name: String,
    /// Whether whoever listens may change the cut.
    pub edits: bool,
}

impl HeardView {
    /// What somebody hears, who is called `name`.
    pub fn of(heard: &HeardCut, name: &str, edits: bool) -> Self {
        let (setup, plan) = (&heard.revision.cut.setup, &heard.revision.cut.plan);
        let step = samples_from_seconds(0.5);
        let curve = plan.bed().map(|bed| GainCurve::of(&bed.levels));
        let level = |at: u64| curve.as_ref().map(|c| c.level_db(at).max(-60.0) as f32);
        let spoken = plan.phrases.iter().map(|p| SpokenView {
            start_s: seconds_from_samples(p.start_samples),
            end_s: seconds_from_samples(p.end_samples),
            words: p.words.clone(),
        });
        Self {
            id: heard.id,
            title: setup.title.clone(),
            revision: heard.revision.number,
            length_samples: plan.length_samples,
            length_s: seconds_from_samples(plan.length_samples),
            made_at: heard.revision.created_at.and_utc(),
            film: setup.film.is_some(),
            film_aspect: setup.film.as_ref().map(|film| super::picture::film_view(film, &setup.picture).aspect),
            frame_rate: setup.picture.rate.as_f64(),
            spoken: spoken.collect(),
            bed_db: (0..=plan.length_samples / step).filter_map(|k| level(k * step)).collect(),
            remarks: heard.remarks.iter().map(RemarkView::from).collect(),
            name: name.to_owned(),
            edits,
        }
    }
}
