//! Files that arrive as forms.

use crate::App;
use crate::apart::{read_grid, read_list};
use crate::features::cuts::setup::UsedSound;
use crate::features::sounds::store as sounds;
use crate::problem::{Code, Problem};
use crate::storage::Received;
use actix_multipart::{Field, Multipart};
use futures_util::StreamExt;
use jaunty_exchange::grid::{Bed, Grid};
use jaunty_exchange::{For, List, MOST_BYTES};
use std::path::Path;

/// The name of a file as it is kept: without folders, not empty, at most 255 characters.
pub fn tidy_name(name: &str) -> String {
    let last = name.rsplit(['/', '\\']).next().unwrap_or_default();
    let kept: String = last.chars().filter(|c| !c.is_control()).take(255).collect();
    if kept.trim().is_empty() { "unnamed".to_owned() } else { kept.trim().to_owned() }
}

/// The ending of a file name, in small letters.
pub fn extension(name: &str) -> String {
    let end = name.rsplit_once('.').map_or("", |(_, end)| end);
    end.chars().filter(char::is_ascii_alphanumeric).take(8).collect::<String>().to_ascii_lowercase()
}

/// The first file of a form, with its tidied name.
///
/// # Errors
/// [`Code::UploadBroken`] or [`Code::BadRequest`].
pub async fn first_file(form: &mut Multipart) -> Result<(String, Field), Problem> {
    while let Some(field) = form.next().await {
        let field = field.map_err(|_| Problem::new(Code::UploadBroken, "The file did not arrive whole."))?;
        let name = field.content_disposition().and_then(|d| d.get_filename().map(tidy_name));
        if let Some(name) = name {
            return Ok((name, field));
        }
    }
    Err(Problem::new(Code::BadRequest, "The request holds no file."))
}

impl App {
    /// Takes the sound or film of a form in.
    ///
    /// # Errors
    /// What receiving it says, or that it is empty.
    pub async fn take_in(&self, form: &mut Multipart) -> Result<UsedSound, Problem> {
        let (name, field) = first_file(form).await?;
        let received = self.sounds.receive(field).await?;
        if received.size_bytes == 0 {
            return Err(Problem::bad_value(format!("\"{name}\" is empty: it has no bytes. Export it again.")));
        }
        let hash = self.keep(received, &name, &extension(&name)).await?;
        Ok(UsedSound { hash, name })
    }

    /// Takes a sound or film in that lies on this machine; its hash.
    ///
    /// # Errors
    /// What storing it says.
    pub async fn take_in_file(&self, path: &Path, name: &str, extension: &str) -> Result<String, Problem> {
        self.keep(self.sounds.receive_file(path).await?, name, extension).await
    }

    /// Reads a list that arrives.
    ///
    /// # Errors
    /// What receiving or reading it says.
    pub async fn read_list(&self, field: Field, wanted: For) -> Result<List, Problem> {
        let received = self.sounds.receive_at_most(field, MOST_BYTES as u64).await?;
        read_list(self.sounds.program(), received.path(), wanted).await
    }

    /// Reads a grid that arrives.
    ///
    /// # Errors
    /// What receiving or reading it says.
    pub async fn read_grid(&self, field: Field, bed: Bed) -> Result<Grid, Problem> {
        /// A WAV file with cue points brings its sound with it.
        const MOST_GRID_BYTES: u64 = 256 << 20;
        let received = self.sounds.receive_at_most(field, MOST_GRID_BYTES).await?;
        read_grid(self.sounds.program(), received.path(), bed).await
    }

    /// Noted first and stored then: a sweep that would remove the same sound waits or is waited for.
    async fn keep(&self, received: Received, name: &str, extension: &str) -> Result<String, Problem> {
        if let Some(quota_bytes) = self.quota_bytes {
            let kept_bytes = sounds::size_bytes(&self.pool).await?;
            if kept_bytes.saturating_add(received.size_bytes) > quota_bytes {
                let text = format!("The sounds on this server may take {} MB, and with this file they would take more.", quota_bytes / 1_000_000);
                return Err(Problem::new(Code::NoRoom, text));
            }
        }
        let hash = received.hash.clone();
        sounds::insert(&self.pool, &hash, name, extension, received.size_bytes).await?;
        self.sounds.keep(received)?;
        Ok(hash)
    }
}

/// A title from the name of a file.
pub fn title_from(name: &str) -> String {
    let bare = name.rsplit_once('.').map_or(name, |(bare, _)| bare);
    let words: String = bare.chars().map(|c| if c == '_' { ' ' } else { c }).take(200).collect();
    if words.trim().is_empty() { "Untitled cut".to_owned() } else { words.trim().to_owned() }
}
