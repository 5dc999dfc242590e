//! Handing over: files of a revision, each a job, made once for what they are made of.

mod archive;
mod files;
mod sound;

use super::task::{Report, TaskError};
use super::{Problem, Studio};
use crate::store::archive as whole;
use crate::store::cuts::{self, Revision};
use crate::store::handed::{self, HandedRow};
use crate::store::jobs;
use jaunty_core::cut::Work;
use jaunty_core::handover::{Form, SourceName, file_name};
use jaunty_exchange::archive::hash_of;
use sqlx::types::Json;
use std::collections::HashMap;
use std::path::PathBuf;
use uuid::Uuid;

/// What came of asking for a file.
#[derive(Debug)]
pub enum Asked {
    /// It is there.
    There(HandedRow),
    /// It is being made.
    Waits,
}

/// A file as it was made.
struct Made {
    file: tempfile::NamedTempFile,
    told: Vec<String>,
}

impl Studio {
    /// Asks for a file of a revision: one that was made of the same before is there at once.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or a form that makes no sense for this cut.
    pub async fn ask_to_hand_over(&self, id: Uuid, revision: u32, form: Form) -> Result<Asked, Problem> {
        if let Some(row) = self.made_before(id, revision, form).await? {
            return Ok(Asked::There(row));
        }
        jobs::add_once(&self.pool, id, &Work::HandOver { revision, form }, self.behalf.person).await?;
        Ok(Asked::Waits)
    }

    /// Hands over what is shown of a cut, made here and now unless the same was made before.
    ///
    /// # Errors
    /// Those of [`Studio::ask_to_hand_over`], and what making it says.
    pub async fn hand_over_here(&self, id: Uuid, form: Form) -> Result<HandedRow, TaskError> {
        let revision = cuts::cut(&self.pool, id).await?.revision;
        match self.made_before(id, revision, form).await? {
            Some(row) => Ok(row),
            None => self.hand_over(id, revision, &form, Report::default()).await,
        }
    }

    /// What was made of the same before, noted for this revision.
    async fn made_before(&self, id: Uuid, revision: u32, form: Form) -> Result<Option<HandedRow>, Problem> {
        let found = self.revision_to_hand_over(id, revision).await?;
        form.check(found.cut.plan.length_samples).map_err(|cause| Problem::bad_value(cause.to_string()))?;
        if matches!(form, Form::Film { .. }) && found.cut.setup.film.is_none() {
            return Err(Problem::bad_value("This cut has no film. Bring one in at Picture."));
        }
        if found.cut.plan.layers.is_empty() && form != Form::Cut {
            return Err(Problem::bad_value("There is nothing to hand over yet. Bring in a bed first."));
        }
        if let Some(same) = handed::made_of(&self.pool, &self.made_of(id, &found, &form).await?).await? {
            let row = HandedRow { id: Uuid::now_v7(), revision, ..same };
            return Ok(Some(handed::note(&self.pool, id, &row).await?));
        }
        Ok(None)
    }

    /// Digest of everything that a file is made of.
    async fn made_of(&self, id: Uuid, found: &Revision, form: &Form) -> Result<String, Problem> {
        Ok(match form {
            // All of its history, which only grows.
            Form::Cut => hash_of(format!("{id} {} {}", found.number, whole::revision_count(&self.pool, id).await?).as_bytes()),
            _ => found.cut.handed_as(form),
        })
    }

    /// Makes a file and notes it.
    ///
    /// # Errors
    /// [`TaskError`].
    pub(super) async fn hand_over(&self, id: Uuid, revision: u32, form: &Form, report: Report) -> Result<HandedRow, TaskError> {
        let found = self.revision_to_hand_over(id, revision).await?;
        let made_of = self.made_of(id, &found, form).await?;
        let made = self.make(id, &found, form, &report).await?;
        let received = self.files.take_over(made.file).await?;
        let (file_hash, size_bytes) = (received.hash.clone(), received.size_bytes);
        self.files.keep(received).await?;
        let setup = &found.cut.setup;
        let name = file_name(setup.file_names(), &setup.title, form.name(), revision, chrono::Utc::now().date_naive());
        let row = HandedRow {
            id: Uuid::now_v7(),
            revision,
            made_of,
            form: Json(*form),
            name: format!("{name}.{}", form.extension()),
            file_hash,
            size_bytes,
            told: Json(made.told),
            created_at: chrono::NaiveDateTime::default(),
        };
        Ok(handed::note(&self.pool, id, &row).await?)
    }

    /// A file that was handed over, as a local file, and the name to save it under.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what the disk says.
    pub async fn handed_file(&self, id: Uuid, handed: Uuid) -> Result<(PathBuf, String), Problem> {
        let row = handed::find(&self.pool, id, handed).await?.ok_or_else(|| Problem::not_found("file"))?;
        Ok((self.files.original(&row.file_hash, row.form.extension()).await?, row.name))
    }

    async fn revision_to_hand_over(&self, id: Uuid, revision: u32) -> Result<Revision, Problem> {
        cuts::revision(&self.pool, id, revision).await?.ok_or_else(|| Problem::not_found("revision"))
    }

    /// What the sounds of a revision are called.
    async fn source_names(&self, found: &Revision) -> Result<HashMap<String, SourceName>, Problem> {
        use jaunty_core::sound::Source;
        let setup = &found.cut.setup;
        let mut named = HashMap::new();
        for layer in &found.cut.plan.layers {
            if named.contains_key(&layer.sound) {
                continue;
            }
            let file = setup.name_of(&layer.sound).unwrap_or("sound").to_owned();
            let length_samples = self.working_file(&layer.sound).await?.len_samples();
            named.insert(layer.sound.clone(), SourceName { hash: layer.sound.clone(), file, length_samples });
        }
        Ok(named)
    }
}
