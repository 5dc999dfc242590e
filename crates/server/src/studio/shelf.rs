//! The shelf: music of a supplier, found, heard and taken with its terms.

use super::supplier::{Piece, Query};
use super::{Code, Problem, Studio};
use crate::store::{cuts, licences};
use chrono::Utc;
use jaunty_core::cut::{Arrival, Candidate, Licence, Setup, UsedSound};
use jaunty_core::shape::BED_ALONE_LUFS;
use jaunty_core::sound::loudness;
use jaunty_core::terms::{Purpose, Terms, objection};
use jaunty_core::units::gain_from_db;
use jaunty_media::{decode_to_sound, write_wav};
use std::path::{Path, PathBuf};
use uuid::Uuid;

/// A piece as a cut sees it.
#[derive(Debug, Clone)]
pub struct FoundPiece {
    /// The piece.
    pub piece: Piece,
    /// Why it may not be used for the cut.
    pub objection: Option<&'static str>,
    /// Whether the cut has it already.
    pub taken: bool,
}

/// What a search found.
#[derive(Debug, Clone)]
pub struct Found {
    /// The supplier.
    pub supplier: String,
    /// All moods that the supplier knows.
    pub moods: Vec<String>,
    /// The pieces.
    pub pieces: Vec<FoundPiece>,
}

impl Studio {
    /// Whether another cut has taken a piece that only one may.
    pub(super) async fn taken_elsewhere(&self, cut: Uuid, piece: &str, terms: Terms) -> Result<bool, Problem> {
        Ok(terms == Terms::OneProject && licences::takers(&self.pool, piece).await?.iter().any(|taker| *taker != cut))
    }

    /// Why a candidate may not be used for a cut, by its supplier's terms or by those that somebody said.
    pub(super) async fn objection_of(&self, cut: Uuid, setup: &Setup, candidate: &Candidate) -> Result<Option<&'static str>, Problem> {
        let Some(terms) = setup.terms(&candidate.hash) else { return Ok(None) };
        let elsewhere = match &candidate.licence {
            Some(licence) => self.taken_elsewhere(cut, &licence.piece, terms).await?,
            None if terms == Terms::OneProject => {
                let lies = |setup: &Setup| setup.parts().iter().any(|p| setup.bed_of(*p).is_some_and(|b| b.hash == candidate.hash));
                cuts::all(&self.pool).await?.iter().any(|row| row.id != cut && lies(&row.setup))
            }
            None => false,
        };
        Ok(objection(terms, setup.purpose, elsewhere))
    }

    async fn objection_to(&self, cut: Uuid, purpose: Purpose, piece: &Piece) -> Result<Option<&'static str>, Problem> {
        Ok(objection(piece.terms, purpose, self.taken_elsewhere(cut, &piece.id, piece.terms).await?))
    }

    /// Finds pieces for a cut.
    ///
    /// # Errors
    /// What the supplier or the database says.
    pub async fn search_shelf(&self, id: Uuid, query: Query) -> Result<Found, Problem> {
        let setup = cuts::cut(&self.pool, id).await?.setup;
        let mut moods: Vec<String> = self.shelf.search(Query::default()).await?.into_iter().flat_map(|p| p.moods).collect();
        moods.sort();
        moods.dedup();
        let mut pieces = Vec::new();
        for piece in self.shelf.search(query).await? {
            let objection = self.objection_to(id, setup.purpose, &piece).await?;
            let taken = setup.candidates.iter().any(|c| c.licence.as_ref().is_some_and(|l| l.piece == piece.id));
            pieces.push(FoundPiece { piece, objection, taken });
        }
        Ok(Found { supplier: self.shelf.name().to_owned(), moods, pieces })
    }

    /// A piece to listen to, as loud as a bed alone.
    ///
    /// # Errors
    /// What the supplier or the disk says.
    pub async fn preview(&self, piece: String) -> Result<PathBuf, Problem> {
        let path = self.shelf.sound(piece).await?;
        let quiet = self.files.cache_path(&format!("{}.quiet.wav", path.file_stem().and_then(|s| s.to_str()).unwrap_or("piece")));
        let work = move || -> Result<PathBuf, Problem> {
            if !quiet.exists() {
                let mut sound = decode_to_sound(&path).map_err(Problem::bad_value)?;
                let lufs = loudness::measure(&sound).integrated_lufs.unwrap_or(BED_ALONE_LUFS);
                let gain = gain_from_db(BED_ALONE_LUFS - lufs) as f32;
                sound.channels_mut().iter_mut().flatten().for_each(|s| *s *= gain);
                let made = tempfile::NamedTempFile::new_in(quiet.parent().unwrap_or(Path::new(".")))?;
                write_wav(made.path(), &sound)?;
                made.persist(&quiet).map_err(|e| Problem::from(e.error))?;
            }
            Ok(quiet)
        };
        self.compute(work).await?
    }

    /// Takes a piece into a cut, with its licence.
    ///
    /// # Errors
    /// [`Code::MayNotUse`] where its terms object and that is not passed over, or what the supplier or the database says.
    pub async fn take_piece(&self, id: Uuid, piece: String, despite_objection: bool) -> Result<u32, Problem> {
        let setup = cuts::cut(&self.pool, id).await?.setup;
        let piece = self.shelf.piece(piece).await?;
        let warned = self.objection_to(id, setup.purpose, &piece).await?;
        if let Some(objection) = warned.filter(|_| !despite_objection) {
            return Err(Problem::new(Code::MayNotUse, objection));
        }
        let file = self.shelf.sound(piece.id.clone()).await?;
        let name = file.file_name().and_then(|n| n.to_str()).unwrap_or("piece.wav").to_owned();
        let hash = self.take_in_file(&file, &name, "wav").await?;
        let grant = self.shelf.licence(piece.id.clone()).await?;
        let licence = Licence {
            supplier: self.shelf.name().to_owned(),
            piece: piece.id.clone(),
            maker: piece.maker.clone(),
            terms: piece.terms,
            singing: piece.singing,
            credit: grant.credit,
            number: grant.number,
            taken_at: Utc::now(),
            warned: warned.map(str::to_owned),
        };
        licences::insert(&self.pool, id, &licence).await?;
        self.arrive(id, Arrival::Bed { sound: UsedSound { hash, name }, licence: Some(licence) }).await
    }

    /// Asks for the sound of every piece on the shelf, one after another in the background, so
    /// that the first listen need not wait for it.
    pub fn render_shelf(&self) {
        let shelf = self.shelf.clone();
        tokio::spawn(async move {
            for piece in shelf.search(Query::default()).await.unwrap_or_default() {
                if let Err(cause) = shelf.sound(piece.id.clone()).await {
                    tracing::warn!(%cause, piece = piece.id, "a piece on the shelf has no sound");
                }
            }
        });
    }
}
