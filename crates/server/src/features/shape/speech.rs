//! Editing the speech itself: passages taken out, room made, and phrases corrected by hand. Dips
//! and swells follow.

use super::reshape;
use crate::App;
use crate::features::cuts::setup::Setup;
use crate::features::cuts::view::{BarLineView, CutView, part_views};
use crate::features::plans::seen;
use crate::problem::Problem;
use actix_web::{post, web};
use jaunty_core::shape::{Entry, entry};
use jaunty_core::speech::{Phrase, PhraseEdit};
use jaunty_core::units::samples_from_seconds;
use jaunty_core::voice::{move_after, take_out};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// One edit of the speech; phrases are named by their number from 0.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(tag = "do", rename_all = "camelCase")]
pub enum VoiceEdit {
    /// A passage goes, and what comes after it moves up.
    #[serde(rename_all = "camelCase")]
    TakeOut {
        /// From, in seconds of the cut.
        start_s: f64,
        /// To.
        end_s: f64,
    },
    /// Everything from a point on moves.
    #[serde(rename_all = "camelCase")]
    MoveAfter {
        /// The point, in seconds of the cut.
        at_s: f64,
        /// Later by so much; earlier for negative, as far as there is room.
        by_s: f64,
    },
    /// The voice enters, all of it moved, once the bed has been alone for so long.
    #[serde(rename_all = "camelCase")]
    Enter {
        /// How long the bed is alone, in seconds.
        alone_s: f64,
        /// What the voice waits for then.
        on: Entry,
    },
    /// A phrase begins and ends elsewhere.
    #[serde(rename_all = "camelCase")]
    Edges {
        /// Which.
        phrase: usize,
        /// Where it begins, in seconds of the cut.
        start_s: f64,
        /// Where it is over.
        end_s: f64,
    },
    /// A phrase and the next one are one.
    JoinNext {
        /// Which.
        phrase: usize,
    },
    /// The phrase that is spoken at a moment is two.
    #[serde(rename_all = "camelCase")]
    Split {
        /// The moment, in seconds of the cut.
        at_s: f64,
    },
    /// A phrase is no speech.
    NotSpeech {
        /// Which.
        phrase: usize,
    },
}

impl VoiceEdit {
    fn what(self) -> String {
        match self {
            Self::TakeOut { start_s, end_s } => format!("take {:.1} s out of the voice", end_s - start_s),
            Self::MoveAfter { by_s, .. } => format!("move the voice by {by_s:.1} s from here on"),
            Self::Enter { alone_s, .. } => format!("let the voice enter after {alone_s:.1} s"),
            Self::Edges { phrase, .. } => format!("move the edges of phrase {}", phrase + 1),
            Self::JoinNext { phrase } => format!("join phrases {} and {}", phrase + 1, phrase + 2),
            Self::Split { .. } => "split a phrase".into(),
            Self::NotSpeech { phrase } => format!("phrase {} is no speech", phrase + 1),
        }
    }

    fn check(self) -> Result<(), Problem> {
        let time = |s: f64| (0.0..=86_400.0).contains(&s);
        let fine = match self {
            Self::TakeOut { start_s, end_s } | Self::Edges { start_s, end_s, .. } => time(start_s) && time(end_s) && end_s > start_s,
            Self::MoveAfter { at_s, by_s } => time(at_s) && time(by_s.abs()),
            Self::Split { at_s } | Self::Enter { alone_s: at_s, .. } => time(at_s),
            Self::JoinNext { .. } | Self::NotSpeech { .. } => true,
        };
        if fine { Ok(()) } else { Err(Problem::bad_value("A passage ends after it begins, within the cut.")) }
    }

    /// Applies the edit; `phrases` are those of the plan that the client saw.
    /// `lines` are the bar lines of the beds as fitted.
    fn apply(self, setup: &mut Setup, phrases: &[Phrase], lines: &[BarLineView]) -> Result<(), Problem> {
        let middle = |phrase: usize| phrases.get(phrase).map(|p| (p.start_samples + p.end_samples) / 2).ok_or_else(|| Problem::not_found("phrase"));
        let (at, edit): (u64, Box<dyn Fn(u64, i64) -> PhraseEdit>) = match self {
            Self::TakeOut { start_s, end_s } => {
                take_out(&mut setup.pieces, &mut setup.lines, samples_from_seconds(start_s)..samples_from_seconds(end_s));
                return Ok(());
            }
            Self::MoveAfter { at_s, by_s } => {
                move_after(&mut setup.pieces, &mut setup.lines, samples_from_seconds(at_s), (by_s * 48_000.0).round() as i64);
                return Ok(());
            }
            Self::Enter { alone_s, on } => {
                let at = |lines: &mut dyn Iterator<Item = &BarLineView>| lines.map(|l| samples_from_seconds(l.at_s)).collect::<Vec<u64>>();
                let (downbeats, sections) = (at(&mut lines.iter()), at(&mut lines.iter().filter(|l| l.letter.is_some())));
                let target = entry(samples_from_seconds(alone_s), on, &downbeats, &sections);
                let target =
                    target.ok_or_else(|| Problem::bad_value("The bed has no such place after that time. Let the voice enter earlier, or anywhere."))?;
                let first = phrases.first().ok_or_else(|| Problem::bad_value("There is no voice yet that could enter."))?;
                move_after(&mut setup.pieces, &mut setup.lines, 0, target as i64 - first.start_samples as i64);
                return Ok(());
            }
            Self::Edges { phrase, start_s, end_s } => {
                let shifted = |s: f64, shift: i64| (samples_from_seconds(s) as i64 + shift).max(0) as u64;
                (
                    middle(phrase)?,
                    Box::new(move |at_samples, shift| PhraseEdit::Edges {
                        at_samples,
                        start_samples: shifted(start_s, shift),
                        end_samples: shifted(end_s, shift),
                    }),
                )
            }
            Self::JoinNext { phrase } => (middle(phrase)?, Box::new(|at_samples, _| PhraseEdit::JoinNext { at_samples })),
            Self::Split { at_s } => (samples_from_seconds(at_s), Box::new(|at_samples, _| PhraseEdit::Split { at_samples })),
            Self::NotSpeech { phrase } => (middle(phrase)?, Box::new(|at_samples, _| PhraseEdit::NotSpeech { at_samples })),
        };
        let piece = setup.pieces.iter().find(|p| p.scratch.is_none() && p.on_cut().contains(&at)).cloned();
        let piece = piece.ok_or_else(|| Problem::bad_value("Nobody speaks there but the scratch voice; its lines are changed at Voice."))?;
        let shift = piece.source_start_samples as i64 - piece.cut_start_samples as i64;
        let take = setup.takes.iter_mut().find(|t| t.hash == piece.sound).ok_or_else(|| Problem::not_found("take"))?;
        take.edits.push(edit((at as i64 + shift).max(0) as u64, shift));
        Ok(())
    }
}

/// An edit with the revision that the client saw.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct EditVoice {
    /// The revision.
    pub revision: u32,
    /// The edit.
    pub edit: VoiceEdit,
}

/// Edits the speech; dips and swells follow.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = EditVoice, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/voice/edit")]
pub async fn edit_voice(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<EditVoice>) -> Result<web::Json<CutView>, Problem> {
    body.edit.check()?;
    let (_, current) = seen(&app, *id, body.revision).await?;
    let lines = part_views(&app, &current).await?.1;
    let (phrases, said) = (current.plan.phrases, body.edit);
    let edit = move |setup: &mut Setup| said.apply(setup, &phrases, &lines);
    Ok(web::Json(reshape(&app, *id, current.revision, &said.what(), &edit, |_| Ok(())).await?))
}
