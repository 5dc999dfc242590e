//! Music of a supplier.

use crate::studio::shelf::{Found, FoundPiece};
use serde::Serialize;
use utoipa::ToSchema;

/// A piece on the shelf.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShelfPieceView {
    /// The supplier's name of it.
    pub id: String,
    /// Its title.
    pub title: String,
    /// Who made it.
    pub maker: String,
    /// Its style in a few words.
    pub style: String,
    /// Words for its mood.
    pub moods: Vec<String>,
    /// Beats a minute.
    pub tempo_bpm: f64,
    /// Beats in a bar.
    pub metre: u32,
    /// Its length in seconds.
    pub length_s: f64,
    /// Whether somebody sings.
    pub singing: bool,
    /// The terms of use, for people.
    pub terms: String,
    /// Why it may not be used for this cut.
    pub objection: Option<String>,
    /// Whether this cut has taken it.
    pub taken: bool,
}

/// What the shelf holds.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShelfView {
    /// The supplier.
    pub supplier: String,
    /// Every mood there is.
    pub moods: Vec<String>,
    /// The pieces that were found.
    pub pieces: Vec<ShelfPieceView>,
}

impl From<FoundPiece> for ShelfPieceView {
    fn from(FoundPiece { piece, objection, taken }: FoundPiece) -> Self {
        Self {
            id: piece.id,
            title: piece.title,
            maker: piece.maker,
            style: piece.style,
            moods: piece.moods,
            tempo_bpm: piece.tempo_bpm,
            metre: piece.metre,
            length_s: piece.length_s,
            singing: piece.singing,
            terms: piece.terms.name().to_owned(),
            objection: objection.map(str::to_owned),
            taken,
        }
    }
}

impl From<Found> for ShelfView {
    fn from(found: Found) -> Self {
        Self { supplier: found.supplier, moods: found.moods, pieces: found.pieces.into_iter().map(ShelfPieceView::from).collect() }
    }
}
