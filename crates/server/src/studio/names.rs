//! Names of files and what is made of them.

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

/// The title of a copy, which is not told from its original otherwise.
pub fn copied_title(title: &str) -> String {
    const COPY: &str = ", copy";
    let kept: String = title.chars().take(200 - COPY.len()).collect();
    format!("{kept}{COPY}")
}

/// A title from the name of a file.
pub fn title_from(name: &str) -> String {
    let bare = name.rsplit_once('.').map_or(name, |(bare, _)| bare);
    let words: String = bare.chars().map(|c| if c == '_' { ' ' } else { c }).take(200).collect();
    if words.trim().is_empty() { "Untitled cut".to_owned() } else { words.trim().to_owned() }
}
