//! What is wanted of the fit.

use jaunty_core::fit::{EndWish, Liking, Passage, Pin, Standing, StartWish, Wishes};
use jaunty_core::message::Message;
use jaunty_core::units::seconds_from_samples;
use serde::Serialize;
use utoipa::ToSchema;

/// Which start.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum StartKindView {
    /// As fits best.
    Free,
    /// From the top.
    Top,
    /// At full level on a downbeat.
    Cold,
    /// Faded in.
    FadeIn,
}

/// Which end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum EndKindView {
    /// As fits best.
    Free,
    /// The bed's own.
    OwnEnding,
    /// On a downbeat, with a ring-out.
    Stop,
    /// A fade.
    Fade,
}

/// A passage in seconds.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SpanView {
    /// From.
    pub start_s: f64,
    /// To.
    pub end_s: f64,
}

impl From<&Passage> for SpanView {
    fn from(p: &Passage) -> Self {
        Self { start_s: seconds_from_samples(p.start_samples), end_s: seconds_from_samples(p.end_samples) }
    }
}

/// Where on the cut a bed lies.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PlaceView {
    /// From.
    pub start_s: f64,
    /// To; to the end of the cut without one.
    pub end_s: Option<f64>,
}

/// A pin in seconds.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PinView {
    /// Of the bed.
    pub bed_s: f64,
    /// Of the cut.
    pub cut_s: f64,
}

/// A wish that can be taken back.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct StandingView {
    /// Which.
    pub wish: Standing,
    /// In words.
    pub words: Message,
}

/// A liking and whether it is on.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LikedView {
    /// Which.
    pub liking: Liking,
    /// In words.
    pub words: Message,
    /// Whether.
    pub on: bool,
}

/// What is wanted of the fit.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WishesView {
    /// Every wish that can be taken back.
    pub standing: Vec<StandingView>,
    /// Passages that must sound.
    pub keep: Vec<SpanView>,
    /// Passages that must not.
    pub leave_out: Vec<SpanView>,
    /// Whether nothing that is sung may sound.
    pub leave_out_singing: bool,
    /// Pins.
    pub pins: Vec<PinView>,
    /// Where the bed lies, if not on the whole cut.
    pub place: Option<PlaceView>,
    /// How it begins.
    pub start: StartKindView,
    /// How it ends.
    pub end: EndKindView,
    /// Bars played at least between two splices.
    pub least_run_bars: usize,
    /// How often a passage may be heard.
    pub most_plays: Option<u32>,
    /// The most that the speed may change.
    pub speed_percent: f64,
    /// What can be liked better.
    pub likings: Vec<LikedView>,
}

impl From<&Wishes> for WishesView {
    fn from(wishes: &Wishes) -> Self {
        let mut likings = wishes.likings;
        let pin = |p: &Pin| PinView { bed_s: seconds_from_samples(p.bed_samples), cut_s: seconds_from_samples(p.cut_samples) };
        let standing = |wish: Standing| Some(StandingView { words: wishes.message_of(&wish)?, wish });
        let liked = |liking: Liking| LikedView { liking, words: liking.message(), on: *likings.of(liking) };
        Self {
            standing: wishes.standing().into_iter().filter_map(standing).collect(),
            keep: wishes.keep.iter().map(SpanView::from).collect(),
            leave_out: wishes.leave_out.iter().map(SpanView::from).collect(),
            leave_out_singing: wishes.leave_out_singing,
            pins: wishes.pins.iter().map(pin).collect(),
            place: wishes.place.map(|p| PlaceView {
                start_s: seconds_from_samples(p.start_samples),
                end_s: (p.end_samples != Passage::OPEN_END).then(|| seconds_from_samples(p.end_samples)),
            }),
            start: match wishes.start {
                StartWish::Free => StartKindView::Free,
                StartWish::Top => StartKindView::Top,
                StartWish::Cold { .. } => StartKindView::Cold,
                StartWish::FadeIn { .. } => StartKindView::FadeIn,
            },
            end: match wishes.end {
                EndWish::Free => EndKindView::Free,
                EndWish::OwnEnding { .. } => EndKindView::OwnEnding,
                EndWish::Stop { .. } => EndKindView::Stop,
                EndWish::Fade => EndKindView::Fade,
            },
            least_run_bars: wishes.least_run_bars,
            most_plays: wishes.most_plays,
            speed_percent: (wishes.most_speed_change * 10_000.0).round() / 100.0,
            likings: Liking::ALL.into_iter().map(liked).collect(),
        }
    }
}
