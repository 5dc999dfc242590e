//! The proxy film: what it is, and single pictures of it.

use super::{Problem, Studio, extension, title_from};
use crate::store::cuts;
use bytes::Bytes;
use jaunty_core::cut::{Arrival, Film, Setup, UsedSound};
use jaunty_core::picture::Picture;
use jaunty_core::plan::FilmWish;
use jaunty_core::units::CutLength;
use jaunty_media::film;
use uuid::Uuid;

impl Studio {
    /// What a film is that came in, and whether it has a sound of its own.
    async fn describe_film(&self, UsedSound { hash, name }: UsedSound) -> Result<Arrival, Problem> {
        let path = self.files.original(&hash, &extension(&name)).await?;
        let facts = self.compute(move || film::probe(&path)).await??;
        let film = Film {
            hash,
            name,
            rate: facts.rate,
            length_frames: facts.length_frames,
            first_frame: facts.first_frame,
            sound: None,
            sound_on: true,
            wish: FilmWish::default(),
            talk: false,
            edits: Vec::new(),
            width_px: facts.width_px,
            height_px: facts.height_px,
        };
        Ok(Arrival::Film { film, has_sound: facts.has_sound })
    }

    /// Brings a film into a cut; its own sound is taken out in the background.
    ///
    /// # Errors
    /// A file that is no film, or what the database says.
    pub async fn bring_film_in(&self, id: Uuid, file: UsedSound) -> Result<u32, Problem> {
        let film = self.describe_film(file).await?;
        self.arrive(id, film).await
    }

    /// Makes a cut from a film: its rate, length and first timecode.
    ///
    /// # Errors
    /// A file that is no film, or what the database says.
    pub async fn cut_from_film(&self, file: UsedSound) -> Result<Uuid, Problem> {
        let arrival = self.describe_film(file).await?;
        let Arrival::Film { film, .. } = &arrival else { return Err(Problem::internal("a film that is none")) };
        let mut picture = Picture::new(CutLength::new(film.rate, film.length_frames).map_err(Problem::bad_value)?);
        picture.first_frame = film.first_frame.unwrap_or(0);
        let id = self.new_cut(&Setup::new(&title_from(&film.name), picture)).await?;
        self.arrive(id, arrival).await?;
        Ok(id)
    }

    /// The film of a cut.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what the database says.
    pub async fn film_of(&self, id: Uuid, hash: &str) -> Result<Film, Problem> {
        let film = cuts::cut(&self.pool, id).await?.setup.film;
        film.filter(|f| f.hash == hash).ok_or_else(|| Problem::not_found("film"))
    }

    /// A small picture of a frame of the film, as JPEG.
    ///
    /// # Errors
    /// [`super::Code::NotFound`] behind the end of the film, or what taking it out says.
    pub async fn film_picture(&self, id: Uuid, hash: &str, frame: u64) -> Result<Bytes, Problem> {
        /// Width: several fit beside each other over the sheet.
        const SMALL_PX: u32 = 160;
        let film = self.film_of(id, hash).await?;
        if frame >= film.length_frames {
            return Err(Problem::not_found("picture"));
        }
        let made = self.pictures.of(hash, frame, async || {
            let file = self.files.original(hash, &extension(&film.name)).await?;
            // The first picture from half a frame before on is this one, however its time was rounded.
            let at_s = (frame as f64 - 0.5).max(0.0) / film.rate.as_f64();
            let made = self.files.unfinished()?;
            self.compute(move || -> Result<Vec<u8>, Problem> {
                film::still(&file, at_s, SMALL_PX, made.path())?;
                Ok(std::fs::read(made.path())?)
            })
            .await?
        });
        made.await
    }
}
