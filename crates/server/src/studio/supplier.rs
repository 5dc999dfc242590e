//! What a supplier of music offers, as far as Jaunty Bar needs it. A real one would be asked over
//! HTTP; the one that ships is a stand-in with music of our own.

use super::Problem;
use chrono::Utc;
use futures_util::future::BoxFuture;
use jaunty_core::terms::Terms;
use jaunty_demo::shelf;
use jaunty_media::write_wav;
use std::path::PathBuf;

/// A piece on the shelf.
#[derive(Debug, Clone, PartialEq)]
pub struct Piece {
    /// The supplier's name of it.
    pub id: String,
    /// Its title.
    pub title: String,
    /// Who made it.
    pub maker: String,
    /// Words for its mood.
    pub moods: Vec<String>,
    /// Its style in a few words.
    pub style: String,
    /// Beats a minute.
    pub tempo_bpm: f64,
    /// Beats in a bar.
    pub metre: u32,
    /// Its length in seconds.
    pub length_s: f64,
    /// Whether somebody sings.
    pub singing: bool,
    /// The terms of use.
    pub terms: Terms,
}

/// What to look for; `None` and empty mean anything.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Query {
    /// Words of the title, the style or the maker, all of which must occur.
    pub words: String,
    /// A mood.
    pub mood: Option<String>,
    /// Tempo from and to, in beats a minute.
    pub tempo_bpm: (Option<f64>, Option<f64>),
    /// Length from and to, in seconds.
    pub length_s: (Option<f64>, Option<f64>),
    /// With or without singing.
    pub singing: Option<bool>,
}

impl Query {
    /// Whether a piece is what was looked for.
    pub fn finds(&self, piece: &Piece) -> bool {
        let text = format!("{} {} {} {}", piece.title, piece.style, piece.maker, piece.moods.join(" ")).to_lowercase();
        let within = |value: f64, (from, to): (Option<f64>, Option<f64>)| from.is_none_or(|f| value >= f) && to.is_none_or(|t| value <= t);
        self.words.to_lowercase().split_whitespace().all(|word| text.contains(word))
            && self.mood.as_ref().is_none_or(|mood| piece.moods.iter().any(|m| m == mood))
            && within(piece.tempo_bpm, self.tempo_bpm)
            && within(piece.length_s, self.length_s)
            && self.singing.is_none_or(|wanted| wanted == piece.singing)
    }
}

/// What a supplier grants.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Grant {
    /// Number of the licence.
    pub number: String,
    /// The line to credit the piece with.
    pub credit: String,
}

/// Somebody who offers music.
pub trait Supplier: Send + Sync {
    /// Its name.
    fn name(&self) -> &str;

    /// The pieces that a query finds.
    ///
    /// # Errors
    /// What the supplier says.
    fn search(&self, query: Query) -> BoxFuture<'_, Result<Vec<Piece>, Problem>>;

    /// One piece.
    ///
    /// # Errors
    /// A 404, or what the supplier says.
    fn piece(&self, id: String) -> BoxFuture<'_, Result<Piece, Problem>>;

    /// The sound of a piece, as a local file.
    ///
    /// # Errors
    /// A 404, or what the supplier says.
    fn sound(&self, id: String) -> BoxFuture<'_, Result<PathBuf, Problem>>;

    /// Asks for a licence.
    ///
    /// # Errors
    /// A 404, or what the supplier says.
    fn licence(&self, id: String) -> BoxFuture<'_, Result<Grant, Problem>>;
}

/// The stand-in: pieces of `jaunty-demo`, rendered when they are first asked for.
pub struct StandIn {
    folder: PathBuf,
}

impl StandIn {
    /// A shelf that keeps its rendered pieces in `folder`.
    pub fn new(folder: PathBuf) -> Self {
        Self { folder }
    }

    fn all() -> Vec<Piece> {
        let piece = |p: &shelf::Piece| Piece {
            id: p.id.to_owned(),
            title: p.score.title.to_owned(),
            maker: p.maker.to_owned(),
            moods: p.moods.iter().map(|m| (*m).to_owned()).collect(),
            style: p.style.to_owned(),
            tempo_bpm: p.score.tempo_bpm,
            metre: p.score.metre as u32,
            length_s: p.score.length_s(),
            singing: p.singing,
            terms: p.terms,
        };
        shelf::pieces().iter().map(piece).collect()
    }

    fn one(id: &str) -> Result<Piece, Problem> {
        Self::all().into_iter().find(|p| p.id == id).ok_or_else(|| Problem::not_found("piece"))
    }
}

impl Supplier for StandIn {
    fn name(&self) -> &str {
        "The shelf (a stand-in)"
    }

    fn search(&self, query: Query) -> BoxFuture<'_, Result<Vec<Piece>, Problem>> {
        Box::pin(async move { Ok(Self::all().into_iter().filter(|p| query.finds(p)).collect()) })
    }

    fn piece(&self, id: String) -> BoxFuture<'_, Result<Piece, Problem>> {
        Box::pin(async move { Self::one(&id) })
    }

    fn sound(&self, id: String) -> BoxFuture<'_, Result<PathBuf, Problem>> {
        let folder = self.folder.clone();
        Box::pin(async move {
            let work = move || -> Result<PathBuf, Problem> {
                let found = shelf::pieces().into_iter().find(|p| p.id == id).ok_or_else(|| Problem::not_found("piece"))?;
                let path = folder.join(format!("{}.wav", found.score.title));
                if !path.exists() {
                    std::fs::create_dir_all(&folder)?;
                    let played = found.score.play().map_err(Problem::bad_value)?;
                    let made = tempfile::NamedTempFile::new_in(&folder)?;
                    write_wav(made.path(), &played.sound)?;
                    made.persist(&path).map_err(|e| Problem::from(e.error))?;
                }
                Ok(path)
            };
            tokio::task::spawn_blocking(work).await.map_err(Problem::internal)?
        })
    }

    fn licence(&self, id: String) -> BoxFuture<'_, Result<Grant, Problem>> {
        Box::pin(async move {
            let piece = Self::one(&id)?;
            let number = format!("SHELF-{}-{}", Utc::now().format("%Y%m%d"), &uuid::Uuid::new_v4().simple().to_string()[..8]);
            Ok(Grant { number, credit: format!("\"{}\" by {}, from the shelf", piece.title, piece.maker) })
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(query: Query) -> Vec<Piece> {
        StandIn::all().into_iter().filter(|p| query.finds(p)).collect()
    }

    #[test]
    fn a_dozen_pieces_and_more_in_four_kinds_of_terms() {
        let all = found(Query::default());
        assert!(all.len() >= 12);
        let mut terms: Vec<String> = all.iter().map(|p| format!("{:?}", p.terms)).collect();
        terms.sort();
        terms.dedup();
        assert!(terms.len() >= 4, "{terms:?}");
        assert!(all.iter().any(|p| p.singing) && all.iter().any(|p| p.metre == 3));
    }

    #[test]
    fn a_query_finds_what_meets_all_of_it() {
        let all = StandIn::all();
        for piece in &all {
            let whole = Query {
                words: format!("{} {}", piece.maker.to_uppercase(), piece.title),
                mood: piece.moods.first().cloned(),
                tempo_bpm: (Some(piece.tempo_bpm), Some(piece.tempo_bpm)),
                length_s: (Some(piece.length_s), Some(piece.length_s)),
                singing: Some(piece.singing),
            };
            assert_eq!(found(whole.clone()), std::slice::from_ref(piece), "limits count as inside");
            for other in [
                Query { words: format!("{} unheardof", piece.title), ..whole.clone() },
                Query { mood: Some("unheardof".into()), ..whole.clone() },
                Query { tempo_bpm: (Some(piece.tempo_bpm + 0.1), None), ..whole.clone() },
                Query { length_s: (None, Some(piece.length_s - 0.1)), ..whole.clone() },
                Query { singing: Some(!piece.singing), ..whole.clone() },
            ] {
                assert_eq!(found(other), []);
            }
        }
        let (slow, quick) =
            (found(Query { tempo_bpm: (None, Some(90.0)), ..Query::default() }), found(Query { tempo_bpm: (Some(90.1), None), ..Query::default() }));
        assert_eq!(slow.len() + quick.len(), all.len());
    }
}
