//! Names of files that are handed over.

use super::FormError;

/// How files are named where nobody says otherwise.
pub const USUAL_PATTERN: &str = "{title}, {what}";
/// What stands for something in a pattern: the cut's title, what the file is, its revision, the day on which it was made.
pub const PLACES: [&str; 4] = ["{title}", "{what}", "{revision}", "{date}"];
/// The longest pattern, in characters.
const MOST_CHARS: usize = 120;

/// A text as a part of a file's name, on every system.
pub fn safe_name(text: &str) -> String {
    let safe: String = text.chars().map(|c| if c.is_alphanumeric() || " -_,.()".contains(c) { c } else { '-' }).take(MOST_CHARS).collect();
    let safe = safe.trim().trim_matches('.').trim();
    if safe.is_empty() { "cut".to_owned() } else { safe.to_owned() }
}

/// Whether files can be named by a pattern.
///
/// # Errors
/// [`FormError`] with what to write.
pub fn check_pattern(pattern: &str) -> Result<(), FormError> {
    let refused = |text: String| Err(FormError(text));
    if !pattern.contains("{what}") {
        return refused("Without {what} in it all files would have one name: write for example \"{title}, {what}\".".to_owned());
    }
    if pattern.chars().count() > MOST_CHARS {
        return refused(format!("A pattern has at most {MOST_CHARS} characters."));
    }
    let plain = PLACES.iter().fold(pattern.to_owned(), |text, place| text.replace(place, ""));
    if plain.contains(['{', '}']) { refused(format!("In braces stand {}.", PLACES.join(", "))) } else { Ok(()) }
}

/// The name of a file by a pattern, without its ending. `day` is written as the pattern's date.
pub fn file_name(pattern: &str, title: &str, what: &str, revision: u32, day: chrono::NaiveDate) -> String {
    let told = [title, what, &revision.to_string(), &day.format("%Y-%m-%d").to_string()].map(safe_name);
    // Put together piece by piece: a title that looks like a place is none.
    let (mut name, mut rest) = (String::new(), pattern);
    while let Some((at, place)) = (0..PLACES.len()).filter_map(|k| Some((rest.find(PLACES[k])?, k))).min() {
        name.push_str(&rest[..at]);
        name.push_str(&told[place]);
        rest = &rest[at + PLACES[place].len()..];
    }
    name.push_str(rest);
    safe_name(&name)
}
