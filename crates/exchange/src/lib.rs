//! Open formats in and out.
//!
//! | module | format | in | out |
//! |---|---|---|---|
//! | [`otio`] | OpenTimelineIO JSON | shots, stills, moments | shots, moments |
//! | [`cmx3600`] | CMX 3600 edit list | shots, stills, moments | shots, moments |
//! | [`moments`] | table of moments (CSV) | moments, shots | |
//! | [`captions`] | WebVTT, SubRip | lines of the narration | |
//! | [`done`] | what was done to a cut: OpenTimelineIO, CMX 3600, CSV, MIDI, pages | | pieces, levels, cue sheet, report |
//! | [`archive`] | a cut as one file | the cut with its history and sounds | the same |
//! | [`grid`] | Standard MIDI File, JAMS, cue points | beats and bars of a bed | beats, bars, sections |
//!
//! [`read`] finds out which of them a file is. Whatever of a list cannot be used is told, line by
//! line, with the reason ([`Unused`]); a list never fails because of one bad line.
#![forbid(unsafe_code)]
#![deny(missing_docs)]

pub mod archive;
pub mod captions;
pub mod cmx3600;
pub mod done;
pub mod grid;
pub mod moments;
pub mod otio;

use jaunty_core::picture::{Line, MOST_MARKS, Marks, Picture, Shot, Unused};
use jaunty_core::units::FrameRate;
use serde::{Deserialize, Serialize};

/// Largest list that is read, in bytes.
pub const MOST_BYTES: usize = 64 << 20;
/// Most lines of a list that is text: a cut holds [`MOST_MARKS`] shots, moments and lines of words, and no format takes twelve lines for one. What
/// has more is refused before anything of it is read, so that nobody keeps a parser busy for minutes.
pub const MOST_LINES: usize = 12 * MOST_MARKS;
/// Frames in a day at 60 frames a second: no time on a list lies behind this.
const DAY_FRAMES: f64 = 86_400.0 * 60.0;

/// What a list turned out to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub enum Format {
    /// OpenTimelineIO JSON.
    OpenTimelineIo,
    /// CMX 3600 edit list.
    Cmx3600,
    /// A table of moments.
    Moments,
    /// WebVTT captions.
    WebVtt,
    /// SubRip captions.
    SubRip,
}

impl Format {
    /// Its name for people.
    pub fn name(self) -> &'static str {
        match self {
            Self::OpenTimelineIo => "OpenTimelineIO",
            Self::Cmx3600 => "CMX 3600 edit list",
            Self::Moments => "table of moments",
            Self::WebVtt => "WebVTT captions",
            Self::SubRip => "SubRip captions",
        }
    }
}

/// What is known of the cut that a list is for.
#[derive(Debug, Clone, Copy, Default, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct For {
    /// Its rate; lists that carry one of their own are held to it.
    pub rate: Option<FrameRate>,
    /// The number of its first frame: timecodes of moments and captions count from there.
    pub first_frame: u64,
}

impl For {
    /// A list for an existing cut.
    pub fn cut(picture: &Picture) -> Self {
        Self { rate: Some(picture.rate), first_frame: picture.first_frame }
    }
}

/// A list that was read.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct List {
    /// What it is.
    pub format: Format,
    /// Its frame rate.
    pub rate: FrameRate,
    /// Whether the list itself or the caller gave the rate; otherwise it was inferred.
    pub rate_known: bool,
    /// The number of the first frame, when the list carries timecode.
    pub first_frame: Option<u64>,
    /// Length of what it lists, in frames; captions and moments have none.
    pub length_frames: Option<u64>,
    /// Its shots and moments.
    pub marks: Marks,
    /// Its lines of narration.
    pub lines: Vec<Line>,
    /// What was not used; of a long list the first of it, and how much more there is.
    pub unused: Vec<Unused>,
}

/// Why nothing of a list could be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ExchangeError {
    /// It holds nothing.
    #[error("the list is empty; export it again")]
    Empty,
    /// It is larger than any list.
    #[error("the list has more than {} MB; export shots or captions only", MOST_BYTES >> 20)]
    TooLarge,
    /// It has more lines than any list of a cut.
    #[error(
        "the list has more than {MOST_LINES} lines; a cut holds {MOST_MARKS} shots and as many moments and lines of words: export that part of it which belongs to the cut"
    )]
    TooLong,
    /// It is not one of the formats.
    #[error("this is no list that can be read here ({0}); use OpenTimelineIO, a CMX 3600 edit list, a CSV table, WebVTT or SubRip")]
    Unknown(String),
    /// It is damaged.
    #[error("the {format} cannot be read: {cause}; export it again")]
    Damaged {
        /// What it looks like.
        format: &'static str,
        /// What is wrong.
        cause: String,
    },
    /// It runs at a rate that pictures do not run at.
    #[error("the list runs at {0} frames a second; say the cut's frame rate, one of 23.976, 24, 25, 29.97, 30, 50, 59.94 and 60")]
    Rate(String),
    /// Not one line could be used.
    #[error("nothing in the {format} could be used; the first reason: {reason}")]
    NothingUsed {
        /// What it is.
        format: &'static str,
        /// Why its first line was not used.
        reason: String,
    },
}

/// Text of a file: UTF-8, UTF-16 with a mark, or Windows-1252.
fn text_of(bytes: &[u8]) -> String {
    if let Some((encoding, _)) = encoding_rs::Encoding::for_bom(bytes) {
        return encoding.decode(bytes).0.into_owned();
    }
    match std::str::from_utf8(bytes) {
        Ok(text) => text.to_owned(),
        Err(_) => encoding_rs::WINDOWS_1252.decode(bytes).0.into_owned(),
    }
}

/// Reads a list of any known format, found by its content.
///
/// # Errors
/// [`ExchangeError`] when nothing of it can be used, with what to do.
pub fn read(bytes: &[u8], cut: For) -> Result<List, ExchangeError> {
    if bytes.len() > MOST_BYTES {
        return Err(ExchangeError::TooLarge);
    }
    let binary = bytes.iter().take(4096).filter(|b| **b == 0).count() > 0 && encoding_rs::Encoding::for_bom(bytes).is_none();
    if binary {
        return Err(ExchangeError::Unknown("it is not text".into()));
    }
    let text = text_of(bytes);
    let head = text.trim_start();
    if head.is_empty() {
        return Err(ExchangeError::Empty);
    }
    if !head.starts_with('{') && text.lines().nth(MOST_LINES).is_some() {
        return Err(ExchangeError::TooLong);
    }
    let mut list = if head.starts_with('{') {
        otio::read(head, cut)?
    } else if head.starts_with('<') {
        return Err(ExchangeError::Unknown("it is XML or a web page".into()));
    } else if head.starts_with("WEBVTT") {
        captions::read(&text, Format::WebVtt, cut)?
    } else if cmx3600::looks_like(&text) {
        cmx3600::read(&text, cut)?
    } else if text.lines().take(200).any(|l| l.contains("-->")) {
        captions::read(&text, Format::SubRip, cut)?
    } else {
        moments::read(&text, cut)?
    };
    keep_within_limits(&mut list);
    if list.marks.shots.is_empty() && list.marks.moments.is_empty() && list.lines.is_empty() {
        let reason = list.unused.first().map_or("it lists nothing".to_owned(), |u| u.reason.clone());
        return Err(ExchangeError::NothingUsed { format: list.format.name(), reason });
    }
    Ok(list)
}

fn keep_within_limits(list: &mut List) {
    let over = |what: &str, count: usize| {
        Unused::new(None, &format!("{} more {what}", count - MOST_MARKS), format!("a cut holds at most {MOST_MARKS} {what}; the first ones are kept"))
    };
    if list.marks.shots.len() > MOST_MARKS {
        list.unused.push(over("shots", list.marks.shots.len()));
        list.marks.shots.truncate(MOST_MARKS);
    }
    if list.marks.moments.len() > MOST_MARKS {
        list.unused.push(over("moments", list.marks.moments.len()));
        list.marks.moments.truncate(MOST_MARKS);
    }
    if list.lines.len() > MOST_MARKS {
        list.unused.push(over("lines", list.lines.len()));
        list.lines.truncate(MOST_MARKS);
    }
}

/// A shot as a list names it, with where it stands there.
struct Listed {
    shot: Shot,
    line: Option<usize>,
    /// Higher ones cover lower ones.
    layer: usize,
}

/// Shots that follow each other: where two overlap, the one that covers the other (a higher
/// layer; on one layer the one that begins later) is kept and the other gives way. Frames before
/// `base` do not count.
fn in_order(mut listed: Vec<Listed>, base: u64, unused: &mut Vec<Unused>) -> Vec<Shot> {
    // Positions on the list at which something begins or ends, and on top of each stretch the
    // highest shot: a sweep with a heap of what is running, so that long lists stay quick.
    listed.sort_by_key(|l| l.shot.start_frame);
    let mut edges: Vec<u64> = listed.iter().flat_map(|l| [l.shot.start_frame, l.shot.end_frame]).collect();
    edges.sort_unstable();
    edges.dedup();
    let mut running: std::collections::BinaryHeap<(usize, u64, usize)> = std::collections::BinaryHeap::new();
    let mut shown: Vec<(usize, u64, u64)> = Vec::new();
    let mut next = 0;
    for pair in edges.windows(2) {
        while listed.get(next).is_some_and(|l| l.shot.start_frame <= pair[0]) {
            running.push((listed[next].layer, listed[next].shot.start_frame, next));
            next += 1;
        }
        while running.peek().is_some_and(|&(_, _, k)| listed[k].shot.end_frame <= pair[0]) {
            running.pop();
        }
        let Some(&(_, _, top)) = running.peek() else { continue };
        match shown.last_mut() {
            Some((k, _, end)) if *k == top && *end == pair[0] => *end = pair[1],
            _ => shown.push((top, pair[0], pair[1])),
        }
    }
    let mut seen = vec![0u64; listed.len()];
    for &(k, start, end) in &shown {
        seen[k] += end - start;
    }
    for (l, seen) in listed.iter().zip(&seen) {
        let hidden = l.shot.end_frame - l.shot.start_frame - seen;
        if hidden > 0 {
            let what = if *seen == 0 { "it is covered by another shot" } else { "another shot covers a part of it" };
            unused.push(Unused::new(l.line, &l.shot.name, format!("{what} ({hidden} frames)")));
        }
    }
    let moved = |(k, start, end): (usize, u64, u64)| Shot { start_frame: start - base, end_frame: end - base, ..listed[k].shot.clone() };
    shown.into_iter().map(moved).collect()
}

/// What a moment is for, from what it is called.
fn kind_of(name: &str) -> jaunty_core::picture::MomentKind {
    use jaunty_core::picture::MomentKind;
    let small = name.to_lowercase();
    let has = |word: &str| small.split(|c: char| !c.is_alphanumeric()).any(|w| w == word);
    match () {
        () if has("title") || has("titles") => MomentKind::Title,
        () if has("credits") || has("credit") => MomentKind::Credits,
        () => MomentKind::Hit,
    }
}
