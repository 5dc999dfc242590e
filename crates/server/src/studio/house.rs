//! Figures that a house keeps for all its cuts.

use super::{Problem, Studio};
use crate::store::{cuts, house};
use jaunty_core::cut::{HouseFigures, Setup};
use jaunty_core::handover::USUAL_PATTERN;
use uuid::Uuid;

impl Studio {
    /// All of them, by name.
    ///
    /// # Errors
    /// What the database says.
    pub async fn houses(&self) -> Result<Vec<HouseFigures>, Problem> {
        Ok(house::all(&self.pool).await?)
    }

    /// Keeps the figures of a cut as they are now under a name. Without a pattern its files are named as they were.
    ///
    /// # Errors
    /// Figures that cannot be kept, [`super::Code::NotFound`], or what the database says.
    pub async fn keep_house(&self, name: &str, cut: Uuid, file_names: Option<String>) -> Result<HouseFigures, Problem> {
        let setup = cuts::cut(&self.pool, cut).await?.setup;
        let pattern = file_names.unwrap_or_else(|| setup.house.as_ref().map_or(USUAL_PATTERN, |h| &h.file_names).to_owned());
        let kept = HouseFigures { name: name.trim().to_owned(), shape: setup.shape, file_names: pattern.trim().to_owned() };
        kept.check().map_err(Problem::bad_value)?;
        house::keep(&self.pool, &kept).await?;
        Ok(kept)
    }

    /// Figures go; cuts that took them keep what they took.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what the database says.
    pub async fn drop_house(&self, name: &str) -> Result<(), Problem> {
        if house::remove(&self.pool, name).await? { Ok(()) } else { Err(Problem::not_found("set of figures")) }
    }

    /// A new cut begins with the figures of the cut before it, as they are kept by now.
    pub(super) async fn begins_as_the_last(&self, setup: &mut Setup) -> Result<(), Problem> {
        let Some(last) = cuts::newest(&self.pool, self.behalf.project).await?.and_then(|row| row.setup.house) else { return Ok(()) };
        if let Some(kept) = house::all(&self.pool).await?.into_iter().find(|h| h.name == last.name) {
            setup.take_house(kept);
        }
        Ok(())
    }
}
