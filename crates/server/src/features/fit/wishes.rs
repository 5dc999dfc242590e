//! Saying a wish and taking it back.

use crate::App;
use crate::features::cuts::setup::Setup;
use crate::features::cuts::store::{self as cuts, Edit, Next, RevisionRow};
use crate::features::cuts::view::CutView;
use crate::features::plans::{FromRevision, change, seen};
use crate::jobs::tasks::{Material, closest};
use crate::problem::Problem;
use actix_web::{delete, post, web};
use jaunty_core::fit::{EndWish, Fitting, Liking, Passage, Pin, StartWish, Wish, Wishes};
use jaunty_core::splice::{Law, SpliceAt, Touch};
use jaunty_core::units::{samples_from_seconds, seconds_from_samples};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A splice named by both bar lines, in seconds of the bed.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SpliceName {
    /// The downbeat that is left.
    pub leave_s: f64,
    /// The downbeat that is entered.
    pub enter_s: f64,
}

impl From<SpliceName> for SpliceAt {
    fn from(name: SpliceName) -> Self {
        Self { leave_samples: samples_from_seconds(name.leave_s), enter_samples: samples_from_seconds(name.enter_s) }
    }
}

impl From<SpliceAt> for SpliceName {
    fn from(at: SpliceAt) -> Self {
        Self { leave_s: seconds_from_samples(at.leave_samples), enter_s: seconds_from_samples(at.enter_samples) }
    }
}

/// Which start.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
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
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
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

/// One wish. Places in the bed and in the cut are seconds.
#[derive(Debug, Clone, PartialEq, Deserialize, ToSchema)]
#[serde(tag = "what", rename_all = "camelCase")]
pub enum WishBody {
    /// A passage of the bed must sound.
    #[serde(rename_all = "camelCase")]
    Keep {
        /// From.
        start_s: f64,
        /// To.
        end_s: f64,
    },
    /// A passage of the bed must not sound.
    #[serde(rename_all = "camelCase")]
    LeaveOut {
        /// From.
        start_s: f64,
        /// To.
        end_s: f64,
    },
    /// A passage of the bed may sound or not.
    #[serde(rename_all = "camelCase")]
    Free {
        /// From.
        start_s: f64,
        /// To.
        end_s: f64,
    },
    /// A moment of the bed on a moment of the cut.
    #[serde(rename_all = "camelCase")]
    Pin {
        /// Of the bed.
        bed_s: f64,
        /// Of the cut.
        cut_s: f64,
    },
    /// A splice must be there, in place of another where one is named.
    #[serde(rename_all = "camelCase")]
    Splice {
        /// Which.
        splice: SpliceName,
        /// In place of this one.
        instead: Option<SpliceName>,
    },
    /// A splice must not be there: the next best place is taken.
    #[serde(rename_all = "camelCase")]
    NoSplice {
        /// Which.
        splice: SpliceName,
    },
    /// A splice of the fitting that is played is changed by hand.
    #[serde(rename_all = "camelCase")]
    Touch {
        /// Its number, from 0.
        index: usize,
        /// The entering side so many samples later in its source.
        #[serde(default)]
        nudge_samples: i64,
        /// Both sides meet so many samples later.
        #[serde(default)]
        later_samples: i64,
        /// Both sides meet so many beats later.
        #[serde(default)]
        later_beats: i32,
        /// Length of the crossfade in ms.
        fade_ms: Option<f64>,
        /// How it crosses.
        law: Option<Law>,
    },
    /// How it begins.
    #[serde(rename_all = "camelCase")]
    Start {
        /// Which way.
        kind: StartKindView,
        /// On which moment of the bed, for a cold start or a fade in.
        at_s: Option<f64>,
    },
    /// How it ends.
    #[serde(rename_all = "camelCase")]
    End {
        /// Which way.
        kind: EndKindView,
        /// On which moment of the cut the own last hit falls.
        hit_s: Option<f64>,
        /// About how long a stop rings.
        ring_out_s: Option<f64>,
    },
    /// Where on the cut the bed lies; to its end without one, all over it without times.
    #[serde(rename_all = "camelCase")]
    Place {
        /// From.
        start_s: Option<f64>,
        /// To.
        end_s: Option<f64>,
    },
    /// Bars played at least between two splices.
    #[serde(rename_all = "camelCase")]
    LeastRun {
        /// 1 to 32.
        bars: usize,
    },
    /// How often a passage may be heard; as often as it takes without a number.
    #[serde(rename_all = "camelCase")]
    MostPlays {
        /// 1 to 100.
        times: Option<u32>,
    },
    /// The most that the speed may change.
    #[serde(rename_all = "camelCase")]
    SpeedChange {
        /// 0 to 2.
        percent: f64,
    },
    /// What is liked better.
    #[serde(rename_all = "camelCase")]
    Liking {
        /// Which.
        liking: Liking,
        /// Whether.
        on: bool,
    },
}

/// A wish with the revision that the client saw.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AskWish {
    /// The revision.
    pub revision: u32,
    /// The wish.
    pub wish: WishBody,
}

fn samples(seconds: f64) -> Result<u64, Problem> {
    if (0.0..=86_400.0).contains(&seconds) { Ok(samples_from_seconds(seconds)) } else { Err(Problem::bad_value("A time is 0 to 86400 seconds.")) }
}

fn passage(start_s: f64, end_s: f64) -> Result<Passage, Problem> {
    Ok(Passage { start_samples: samples(start_s)?, end_samples: samples(end_s)? })
}

impl WishBody {
    /// The wish in samples; a change of a splice by hand is on top of what it is in `fitting`.
    fn wish(&self, fitting: Option<&Fitting>, beat_samples: i64) -> Result<Wish, Problem> {
        Ok(match self {
            Self::Keep { start_s, end_s } => Wish::Keep(passage(*start_s, *end_s)?),
            Self::LeaveOut { start_s, end_s } => Wish::LeaveOut(passage(*start_s, *end_s)?),
            Self::Free { start_s, end_s } => Wish::Free(passage(*start_s, *end_s)?),
            Self::Pin { bed_s, cut_s } => Wish::Pin(Pin { bed_samples: samples(*bed_s)?, cut_samples: samples(*cut_s)? }),
            Self::Splice { splice, instead } => Wish::Splice((*splice).into(), instead.map(SpliceAt::from)),
            Self::NoSplice { splice } => Wish::NoSplice((*splice).into()),
            Self::Touch { index, nudge_samples, later_samples, later_beats, fade_ms, law } => {
                let splice = fitting.and_then(|f| f.splices.get(*index)).ok_or_else(|| Problem::not_found("splice"))?;
                let join = splice.join;
                Wish::Touch(Touch {
                    splice: splice.at,
                    moved_samples: Some(join.moved_samples.saturating_add(*nudge_samples)),
                    later_samples: join.later_samples.saturating_add(*later_samples).saturating_add(i64::from(*later_beats) * beat_samples),
                    fade_samples: Some(fade_ms.map_or(join.fade_samples, |ms| (ms.clamp(0.0, 1e6) * 48.0).round() as u64)),
                    law: law.map_or(join.law, Law::from),
                })
            }
            Self::Start { kind, at_s } => {
                let at_samples = at_s.map(samples).transpose()?;
                Wish::Start(match kind {
                    StartKindView::Free => StartWish::Free,
                    StartKindView::Top => StartWish::Top,
                    StartKindView::Cold => StartWish::Cold { at_samples },
                    StartKindView::FadeIn => StartWish::FadeIn { at_samples },
                })
            }
            Self::End { kind, hit_s, ring_out_s } => Wish::End(match kind {
                EndKindView::Free => EndWish::Free,
                EndKindView::OwnEnding => EndWish::OwnEnding { hit_samples: hit_s.map(samples).transpose()? },
                EndKindView::Stop => EndWish::Stop { ring_out_samples: ring_out_s.map(samples).transpose()? },
                EndKindView::Fade => EndWish::Fade,
            }),
            Self::Place { start_s: Some(start), end_s: Some(end) } => Wish::Place(Some(passage(*start, *end)?)),
            Self::Place { start_s: Some(start), end_s: None } => Wish::Place(Some(Passage { start_samples: samples(*start)?, end_samples: Passage::OPEN_END })),
            Self::Place { .. } => Wish::Place(None),
            Self::LeastRun { bars } => Wish::LeastRun(*bars),
            Self::MostPlays { times } => Wish::MostPlays(*times),
            Self::SpeedChange { percent } => Wish::SpeedChange(percent / 100.0),
            Self::Liking { liking, on } => Wish::Liking(*liking, *on),
        })
    }

    fn what(&self, wishes: &Wishes) -> String {
        match self {
            Self::Liking { liking, on: true } => format!("like {}", liking.words()),
            Self::Liking { liking, on: false } => format!("no longer ask for {}", liking.words()),
            Self::LeastRun { .. } | Self::MostPlays { .. } | Self::SpeedChange { .. } => format!("fit with {}", wishes.settings()),
            Self::Free { .. } => "let a passage of the bed be free again".into(),
            Self::Start { kind: StartKindView::Free, .. } => "let the start be free".into(),
            Self::End { kind: EndKindView::Free, .. } => "let the end be free".into(),
            Self::Place { start_s: None, .. } => "let the bed lie on the whole cut".into(),
            Self::Keep { .. } => "keep a passage of the bed".into(),
            Self::LeaveOut { .. } => "leave a passage of the bed out".into(),
            Self::Pin { cut_s, .. } => format!("pin the bed on {cut_s:.1} s of the cut"),
            Self::Splice { .. } => "move a splice".into(),
            Self::NoSplice { .. } => "try the next best place for a splice".into(),
            Self::Touch { .. } => "change a splice by hand".into(),
            Self::Start { .. } => "choose the start of the bed".into(),
            Self::End { .. } => "choose the end of the bed".into(),
            Self::Place { .. } => "choose where the bed lies".into(),
        }
    }
}

/// Fits anew after `edit` and appends the result; the alternative that is played stays the
/// nearest to what it was when another than the best one had been chosen.
async fn refit(app: &App, id: Uuid, revision: u32, what: &str, only_splices: bool, edit: Edit<'_>) -> Result<CutView, Problem> {
    change(app, id, revision, async |cut, current| {
        let mut setup = current.setup.clone();
        edit(&mut setup)?;
        let material = Material::of(app, &setup, &current).await?;
        let RevisionRow { plan, fittings, chosen, .. } = current;
        let next = app
            .compute(move || {
                let played = fittings.get(chosen as usize).cloned();
                let (all, chosen) = if only_splices {
                    let all: Vec<Fitting> = fittings.iter().map(|f| material.retouched(f)).collect();
                    (all, chosen)
                } else {
                    let all = material.fittings();
                    let chosen = played.filter(|_| chosen != 0).map_or(0, |played| closest(&all, &played));
                    (all, chosen)
                };
                let mut next = material.propose(all.get(chosen as usize));
                next.fitted_under = if only_splices { plan.fitted_under } else { material.fitted_under() };
                (all, chosen, next)
            })
            .await?;
        let (fittings, chosen, plan) = next;
        cuts::append(&app.pool, cut, &Next { what, plan: &plan, fittings: &fittings, chosen }, edit).await.map(|_| ())
    })
    .await
}

fn wishes_of(setup: &mut Setup) -> Result<&mut Wishes, Problem> {
    let hash = setup.bed.as_ref().map(|b| b.hash.clone()).ok_or_else(|| Problem::bad_value("There is no bed yet that could be fitted."))?;
    setup.candidate(&hash).map(|c| &mut c.wishes).ok_or_else(|| Problem::not_found("bed"))
}

/// Takes a wish in and fits anew.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = AskWish, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/fit/wishes")]
pub async fn say_wish(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<AskWish>) -> Result<web::Json<CutView>, Problem> {
    let (_, current) = seen(&app, *id, body.revision).await?;
    let fitting = current.fittings.get(current.chosen as usize);
    let beat_samples = match &current.setup.bed {
        Some(bed) if matches!(body.wish, WishBody::Touch { later_beats, .. } if later_beats != 0) => {
            let reading = crate::features::sounds::store::bed_document(&app.pool, &bed.hash, current.setup.corrections(&bed.hash)).await?;
            reading.map_or(24_000, |r| samples_from_seconds(60.0 / r.tempo_bpm.max(20.0)) as i64)
        }
        _ => 0,
    };
    let wish = body.wish.wish(fitting, beat_samples)?;
    if matches!(wish, Wish::Place(_)) && !current.setup.laid.is_empty() {
        return Err(Problem::bad_value("Several beds share this cut. Move the handover between them instead."));
    }
    let mut setup = current.setup.clone();
    let wishes = wishes_of(&mut setup)?;
    wishes.say(wish.clone()).map_err(Problem::bad_value)?;
    let what = body.wish.what(wishes);
    let only_splices = matches!(wish, Wish::Touch(_));
    let edit = move |setup: &mut Setup| wishes_of(setup)?.say(wish.clone()).map_err(Problem::bad_value);
    Ok(web::Json(refit(&app, *id, body.revision, &what, only_splices, &edit).await?))
}

/// Takes a wish back and fits anew.
#[utoipa::path(params(("id" = Uuid, Path), ("index" = usize, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[delete("/api/cuts/{id}/fit/wishes/{index}")]
pub async fn take_wish_back(app: web::Data<App>, path: web::Path<(Uuid, usize)>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let (id, index) = path.into_inner();
    let (_, current) = seen(&app, id, body.revision).await?;
    let mut setup = current.setup.clone();
    let shares = !setup.laid.is_empty();
    let wishes = wishes_of(&mut setup)?;
    let words = wishes.said().into_iter().nth(index).ok_or_else(|| Problem::not_found("wish"))?;
    let only_splices = wishes.is_touch(index);
    let mut without = wishes.clone();
    if shares && without.take_back(index) && without.place != wishes.place {
        return Err(Problem::bad_value("Several beds share this cut. Move the handover between them, or take one off."));
    }
    let edit = move |setup: &mut Setup| if wishes_of(setup)?.take_back(index) { Ok(()) } else { Err(Problem::not_found("wish")) };
    Ok(web::Json(refit(&app, id, body.revision, &format!("take back: {words}"), only_splices, &edit).await?))
}

/// Fits anew to the narration and the picture as they are by now.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/fit/again")]
pub async fn fit_again(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    Ok(web::Json(refit(&app, *id, body.revision, "fit again", false, &|setup| wishes_of(setup).map(|_| ())).await?))
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
    /// Its number among all wishes that can be taken back.
    pub index: usize,
}

/// A liking and whether it is on.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LikedView {
    /// Which.
    pub liking: Liking,
    /// In words.
    pub words: String,
    /// Whether.
    pub on: bool,
}

/// What is wanted of the fit.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WishesView {
    /// Every wish that can be taken back, in words.
    pub said: Vec<String>,
    /// Passages that must sound.
    pub keep: Vec<SpanView>,
    /// Passages that must not.
    pub leave_out: Vec<SpanView>,
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
        let pin = |p: &Pin, index| PinView { bed_s: seconds_from_samples(p.bed_samples), cut_s: seconds_from_samples(p.cut_samples), index };
        let liked = |liking: Liking| LikedView { liking, words: liking.words().to_owned(), on: *likings.of(liking) };
        Self {
            said: wishes.said(),
            keep: wishes.keep.iter().map(SpanView::from).collect(),
            leave_out: wishes.leave_out.iter().map(SpanView::from).collect(),
            pins: wishes.pins.iter().enumerate().filter_map(|(k, p)| Some(pin(p, wishes.number_of_pin(k)?))).collect(),
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
