//! WebVTT (W3C) and SubRip captions: the words of the narration with rough times.
//!
//! Both are blocks of a time line `from --> to` and text lines. Tags and position settings are
//! left away. Tests compare with the packages `webvtt-py` and `pysrt`.

use crate::{ExchangeError, For, Format, List};
use jaunty_core::picture::Unused;
use jaunty_core::picture::{Line, Marks};
use jaunty_core::units::{FrameRate, samples_from_seconds};

/// Seconds of `h:mm:ss.mmm`, `mm:ss.mmm`, with a comma or a point.
fn seconds(text: &str) -> Option<f64> {
    let text = text.trim().replace(',', ".");
    let mut fields = text.rsplit(':');
    fn part(field: &str) -> Option<f64> {
        let plain = field.len() <= 9 && field.bytes().all(|b| b.is_ascii_digit() || b == b'.');
        if plain { field.parse().ok() } else { None }
    }
    let seconds = part(fields.next()?)?;
    let minutes = part(fields.next()?)?;
    let hours = fields.next().map_or(Some(0.0), part)?;
    let sane = fields.next().is_none() && seconds < 60.0 && minutes < 60.0 && hours < 24.0;
    sane.then_some(hours * 3600.0 + minutes * 60.0 + seconds)
}

/// The words of a caption line without tags and with entities resolved.
fn plain(line: &str) -> String {
    let mut out = String::with_capacity(line.len());
    let mut rest = line;
    while let Some(open) = rest.find('<') {
        // A `<` that nothing closes is a character like any other.
        let Some(close) = rest[open..].find('>') else { break };
        out.push_str(&rest[..open]);
        rest = &rest[open + close + 1..];
    }
    out.push_str(rest);
    for (entity, character) in [("&lt;", "<"), ("&gt;", ">"), ("&nbsp;", " "), ("&lrm;", ""), ("&rlm;", ""), ("&quot;", "\""), ("&#39;", "'"), ("&amp;", "&")] {
        out = out.replace(entity, character);
    }
    out.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Words with their times in samples of the cut as SubRip.
pub fn write_subrip<'a>(lines: impl Iterator<Item = (u64, u64, &'a str)>) -> String {
    let time = |samples: u64| {
        let ms = samples * 1000 / u64::from(jaunty_core::SAMPLE_RATE_HZ);
        format!("{:02}:{:02}:{:02},{:03}", ms / 3_600_000, ms / 60_000 % 60, ms / 1000 % 60, ms % 1000)
    };
    // An empty line would end a caption.
    let words = |text: &str| text.split_whitespace().collect::<Vec<_>>().join(" ").replace("-->", "->");
    lines.enumerate().map(|(k, (start, end, text))| format!("{}\n{} --> {}\n{}\n\n", k + 1, time(start), time(end), words(text))).collect()
}

/// Reads captions.
///
/// # Errors
/// None so far: what cannot be used is listed.
pub fn read(text: &str, format: Format, cut: For) -> Result<List, ExchangeError> {
    let rate = match cut.rate {
        Some(rate) => rate,
        None => FrameRate::new(25, 1, false).map_err(|cause| ExchangeError::Rate(cause.to_string()))?,
    };
    let mut unused = Vec::new();
    let mut cues: Vec<(usize, f64, String)> = Vec::new();
    let mut lines = text.lines().enumerate().peekable();
    while let Some((index, line)) = lines.next() {
        let Some((from, to)) = line.split_once("-->") else { continue };
        let to = to.split_whitespace().next().unwrap_or("");
        let mut words = Vec::new();
        while let Some((_, line)) = lines.peek() {
            if line.trim().is_empty() || line.contains("-->") {
                break;
            }
            words.push(plain(line));
            lines.next();
        }
        // SubRip numbers its blocks: a number before a time line that came without an empty line.
        if lines.peek().is_some_and(|(_, next)| next.contains("-->")) && words.last().is_some_and(|w| w.bytes().all(|b| b.is_ascii_digit())) {
            words.pop();
        }
        let words = words.join(" ").trim().to_owned();
        let reason = match (seconds(from), seconds(to)) {
            (Some(from), Some(to)) if to > from && !words.is_empty() => {
                cues.push((index + 1, from, words));
                continue;
            }
            (Some(_), Some(_)) if words.is_empty() => "it has no words",
            (Some(_), Some(_)) => "it ends before it begins",
            _ => "its times cannot be read; write 00:01:02.500 --> 00:01:04.000",
        };
        unused.push(Unused::new(Some(index + 1), line, reason));
    }
    // Captions of a programme that starts at one hour count from there as its timecode does.
    let first_s = cut.first_frame as f64 / rate.as_f64();
    let earliest = cues.iter().map(|c| c.1).fold(f64::INFINITY, f64::min);
    let base = if first_s > 0.0 && earliest >= first_s - 1.0 { first_s } else { 0.0 };
    cues.sort_by(|a, b| a.1.total_cmp(&b.1));
    let lines = cues.into_iter().map(|(_, from, words)| Line { start_samples: samples_from_seconds(from - base), words }).collect();
    Ok(List { format, rate, rate_known: cut.rate.is_some(), first_frame: None, length_frames: None, marks: Marks::default(), lines, unused })
}
