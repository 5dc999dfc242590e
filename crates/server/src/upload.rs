//! Files that arrive as forms.

use crate::problem::{Code, Problem};
use actix_multipart::{Field, Multipart};
use futures_util::StreamExt;

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

/// All bytes of a file, at most `most`.
///
/// # Errors
/// [`Code::TooLarge`] or [`Code::UploadBroken`].
pub async fn bytes_of(mut field: Field, most: usize) -> Result<Vec<u8>, Problem> {
    let mut all = Vec::new();
    while let Some(chunk) = field.next().await {
        let chunk = chunk.map_err(|_| Problem::new(Code::UploadBroken, "The file did not arrive whole."))?;
        if all.len() + chunk.len() > most {
            return Err(Problem::new(Code::TooLarge, format!("The list has more than {} MB; nothing of it was kept.", most >> 20)));
        }
        all.extend_from_slice(&chunk);
    }
    Ok(all)
}

/// A title from the name of a file.
pub fn title_from(name: &str) -> String {
    let bare = name.rsplit_once('.').map_or(name, |(bare, _)| bare);
    let words: String = bare.chars().map(|c| if c == '_' { ' ' } else { c }).take(200).collect();
    if words.trim().is_empty() { "Untitled cut".to_owned() } else { words.trim().to_owned() }
}
