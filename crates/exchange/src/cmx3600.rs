//! CMX 3600 edit lists.
//!
//! An event is one line: number, reel, channels, kind of transition (with its length in frames),
//! then four timecodes: source in and out, record in and out; the out points are exclusive. A
//! dissolve has two lines of one number: the outgoing side, mostly without length, and the
//! incoming side, which begins on the record side where the dissolve begins. Comments start with
//! `*` and belong to the event above. The layout is the public one that editing systems share;
//! tests compare with the package `otio-cmx3600-adapter`.

use crate::{DAY_FRAMES, ExchangeError, For, Format, List, Listed, in_order, kind_of};
use jaunty_core::picture::Unused;
use jaunty_core::picture::{Marks, Moment, Origin, Picture, Shot, tidy_name};
use jaunty_core::units::{FrameRate, TimeError};
use std::fmt::Write;

/// Whether a text looks like an edit list: an event, or a title or counting mode at its head.
pub(crate) fn looks_like(text: &str) -> bool {
    text.lines().take(400).any(|line| Event::parse(line).is_some_and(|e| e.is_ok()))
        || text.lines().take(20).any(|line| line.starts_with("TITLE:") || line.starts_with("FCM:"))
}

/// The words of an event line.
struct Event<'a> {
    number: &'a str,
    reel: &'a str,
    channels: &'a str,
    transition: &'a str,
    times: [&'a str; 4],
}

fn is_time(word: &str) -> bool {
    word.bytes().all(|b| b.is_ascii_digit() || matches!(b, b':' | b';' | b'.' | b',')) && word.bytes().filter(|b| !b.is_ascii_digit()).count() == 3
}

impl<'a> Event<'a> {
    /// `None` when the line is no event at all; `Some(Err)` when it begins like one.
    fn parse(line: &'a str) -> Option<Result<Self, &'static str>> {
        let words: Vec<&str> = line.split_whitespace().take(16).collect();
        let number = *words.first()?;
        if !number.bytes().all(|b| b.is_ascii_digit()) || words.len() < 4 || !line.contains(':') {
            return None;
        }
        let times: Vec<&str> = words.iter().rev().take_while(|w| is_time(w)).copied().collect();
        let [record_out, record_in, source_out, source_in] = times[..] else {
            return Some(Err("an event needs four timecodes: source in, source out, record in, record out"));
        };
        let names = &words[1..words.len() - 4];
        let [reel, channels, transition, ..] = names else {
            return Some(Err("an event needs a reel, its channels and a kind of transition before the timecodes"));
        };
        Some(Ok(Self { number, reel, channels, transition, times: [source_in, source_out, record_in, record_out] }))
    }

    fn has_picture(&self) -> bool {
        let channels = self.channels.to_ascii_uppercase();
        channels == "B" || channels.contains('V')
    }
}

/// The rate that a list without one must have been written at.
fn inferred(text: &str) -> Result<FrameRate, TimeError> {
    let drop_frame =
        text.lines().any(|l| l.trim().eq_ignore_ascii_case("FCM: DROP FRAME")) || text.lines().take(2000).any(|l| l.contains(';') && Event::parse(l).is_some());
    let frames = |l| {
        Event::parse(l).and_then(Result::ok).map(|e| e.times.map(|t| t.rsplit([':', ';', '.', ',']).next().and_then(|f| f.parse::<u32>().ok()).unwrap_or(0)))
    };
    let (mut highest, mut count) = (0, 0);
    for frame in text.lines().take(20_000).filter_map(frames).flatten() {
        highest = highest.max(frame);
        count += 1;
    }
    match highest {
        50.. => FrameRate::new(if drop_frame { 60_000 } else { 60 }, if drop_frame { 1001 } else { 1 }, drop_frame),
        30.. => FrameRate::new(if drop_frame { 60_000 } else { 50 }, if drop_frame { 1001 } else { 1 }, drop_frame),
        _ if drop_frame => FrameRate::new(30_000, 1001, true),
        25.. => FrameRate::new(30, 1, false),
        // Of a hundred timecodes at 25 frames, one at least shows the 25th frame.
        0..=23 if count >= 100 => FrameRate::new(24, 1, false),
        _ => FrameRate::new(25, 1, false),
    }
}

/// What is being built from the lines.
struct Reader<'a> {
    rate: FrameRate,
    shots: Vec<Listed>,
    /// First source frame of each shot, where it can be read.
    sources: Vec<Option<u64>>,
    /// First and last shot of the event that comments belong to, and its number.
    current: Option<(&'a str, Option<usize>, Option<usize>)>,
    moments: Vec<(usize, Moment)>,
    unused: Vec<Unused>,
}

impl<'a> Reader<'a> {
    fn event(&mut self, line_number: usize, line: &'a str, event: &Event<'a>) {
        let mut skip = |reason: String| self.unused.push(Unused::new(Some(line_number), line, reason));
        let same = self.current.is_some_and(|(number, ..)| number == event.number);
        if !same {
            self.current = Some((event.number, None, None));
        }
        if !event.has_picture() {
            return skip(if event.channels.eq_ignore_ascii_case("NONE") {
                "it has no channels".into()
            } else {
                "sound only: there is no picture in it".into()
            });
        }
        if !matches!(event.transition.as_bytes().first(), Some(b'C' | b'D' | b'W' | b'K' | b'c' | b'd' | b'w' | b'k')) {
            return skip(format!("\"{}\" is no kind of transition: C, D, W or K", event.transition));
        }
        let frame = |text: &str| self.rate.frame_from_timecode(&text.replace(',', ":"));
        let (start_frame, end_frame) = match (frame(event.times[2]), frame(event.times[3])) {
            (Ok(start), Ok(end)) => (start, end),
            (Err(cause), _) | (_, Err(cause)) => return skip(format!("record time: {cause}")),
        };
        if start_frame == end_frame {
            // The outgoing side of a dissolve shows no picture of its own.
            let outgoing = self.current.as_mut();
            if let Some((_, first, _)) = outgoing {
                *first = None;
            }
            return;
        }
        if end_frame < start_frame {
            return skip("it ends before it begins".into());
        }
        if matches!(event.reel.to_ascii_uppercase().as_str(), "BL" | "BLACK" | "BLK") {
            return skip("black: it stays a gap between shots".into());
        }
        // V2 lies over V or V1.
        let layer =
            event.channels.bytes().skip_while(|b| !b.eq_ignore_ascii_case(&b'V')).nth(1).filter(u8::is_ascii_digit).map_or(1, |d| usize::from(d - b'0'));
        let shot = Shot { name: tidy_name(event.reel, "shot"), start_frame, end_frame, still: false, origin: Origin::List };
        self.shots.push(Listed { shot, line: Some(line_number), layer });
        self.sources.push(frame(event.times[0]).ok());
        let index = self.shots.len() - 1;
        if let Some((_, first, last)) = &mut self.current {
            if !same {
                *first = Some(index);
            }
            *last = Some(index);
        }
    }

    fn comment(&mut self, line_number: usize, line: &'a str) {
        let body = line.trim_start_matches(['*', ' ', '\t']).trim();
        let after = |mark: &str| body.get(..mark.len()).filter(|head| head.eq_ignore_ascii_case(mark)).map(|_| body[mark.len()..].trim());
        let (first, last) = self.current.map_or((None, None), |(_, first, last)| (first, last));
        let name = |shots: &mut Vec<Listed>, index: Option<usize>, name: &str| {
            if let Some(listed) = index.and_then(|k| shots.get_mut(k)) {
                listed.shot.name = tidy_name(name, &listed.shot.name);
            }
        };
        if let Some(text) = after("FROM CLIP NAME:") {
            name(&mut self.shots, first, text);
        } else if let Some(text) = after("TO CLIP NAME:").or_else(|| after("CLIP NAME:")) {
            name(&mut self.shots, last, text);
        } else if after("FREEZE FRAME").is_some() {
            self.still(last);
        } else if let Some(text) = after("LOC:") {
            let (time, rest) = text.split_once(char::is_whitespace).unwrap_or((text, ""));
            // A colour stands before the name.
            let rest = rest.trim();
            let (colour, after_colour) = rest.split_once(char::is_whitespace).unwrap_or((rest, ""));
            let coloured = colour.len() > 1 && colour.bytes().all(|b| b.is_ascii_uppercase());
            let called = if coloured && !after_colour.trim().is_empty() { after_colour } else { rest };
            match self.rate.frame_from_timecode(time) {
                Ok(frame) => self.moments.push((
                    line_number,
                    Moment { frame: self.on_record(frame, last), name: tidy_name(called, "moment"), kind: kind_of(called), origin: Origin::List },
                )),
                Err(cause) => self.unused.push(Unused::new(Some(line_number), line, cause.to_string())),
            }
        }
        // Other comments are for people.
    }

    /// A locator carries record time; some systems write the source time of its event instead.
    fn on_record(&self, frame: u64, index: Option<usize>) -> u64 {
        let Some((listed, source)) = index.and_then(|k| Some((self.shots.get(k)?, self.sources.get(k).copied().flatten()?))) else { return frame };
        let Shot { start_frame, end_frame, .. } = listed.shot;
        let in_source = (source..source + (end_frame - start_frame)).contains(&frame);
        if in_source && !(start_frame..end_frame).contains(&frame) { start_frame + (frame - source) } else { frame }
    }

    fn still(&mut self, index: Option<usize>) {
        if let Some(listed) = index.and_then(|k| self.shots.get_mut(k)) {
            listed.shot.still = true;
            if let Some(bare) = listed.shot.name.strip_suffix(" FF") {
                listed.shot.name = bare.trim().to_owned();
            }
        }
    }
}

/// Reads an edit list.
///
/// # Errors
/// [`ExchangeError`] when drop-frame counting does not go with the cut's rate.
pub fn read(text: &str, cut: For) -> Result<List, ExchangeError> {
    let guess = inferred(text).map_err(|cause| ExchangeError::Damaged { format: Format::Cmx3600.name(), cause: cause.to_string() })?;
    let rate = match cut.rate {
        // The list says how its timecode counts; the cut says how fast its frames run.
        Some(rate) if guess.is_drop_frame() != rate.is_drop_frame() => FrameRate::new(rate.num(), rate.den(), guess.is_drop_frame()).unwrap_or(rate),
        Some(rate) => rate,
        None => guess,
    };
    let mut reader = Reader { rate, shots: Vec::new(), sources: Vec::new(), current: None, moments: Vec::new(), unused: Vec::new() };
    if guess.is_drop_frame() && !rate.is_drop_frame() {
        let reason = format!("drop-frame timecode exists only at 29.97 and 59.94 frames; the cut runs at {:.3}", rate.as_f64());
        reader.unused.push(Unused::new(None, "FCM: DROP FRAME", reason));
    }
    for (index, line) in text.lines().enumerate() {
        let (line_number, line) = (index + 1, line.trim());
        match Event::parse(line) {
            Some(Ok(event)) => reader.event(line_number, line, &event),
            Some(Err(reason)) => reader.unused.push(Unused::new(Some(line_number), line, reason)),
            None if line.starts_with('*') => reader.comment(line_number, line),
            None if line.is_empty() || line.starts_with("TITLE:") || line.starts_with("FCM:") => {}
            None if line.starts_with("M2") => {
                // Code, reel, frames a second, source time.
                let speed = line.split_whitespace().nth(2).and_then(|w| w.parse::<f64>().ok());
                if speed == Some(0.0) {
                    let last = reader.current.and_then(|(_, _, last)| last);
                    reader.still(last);
                }
            }
            None => reader.unused.push(Unused::new(Some(line_number), line, "not understood: neither an event nor a comment")),
        }
    }
    let Reader { shots, moments, mut unused, .. } = reader;
    let base = shots.iter().map(|l| l.shot.start_frame).min().unwrap_or(0);
    let end = shots.iter().map(|l| l.shot.end_frame).max().unwrap_or(base);
    let mut kept = Vec::new();
    for (line, mut moment) in moments {
        if moment.frame >= base && (end == base || moment.frame < end) && (moment.frame - base) as f64 <= DAY_FRAMES {
            moment.frame -= base;
            kept.push(moment);
        } else {
            unused.push(Unused::new(Some(line), &moment.name, "this moment lies outside the shots"));
        }
    }
    kept.sort_by_key(|m| m.frame);
    let marks = Marks { shots: in_order(shots, base, &mut unused), moments: kept };
    unused.sort_by_key(|u| u.line);
    Ok(List {
        format: Format::Cmx3600,
        rate,
        rate_known: cut.rate.is_some(),
        first_frame: Some(base),
        length_frames: Some(end - base),
        marks,
        lines: Vec::new(),
        unused,
    })
}

/// Writes the shots of a cut as an edit list; moments follow their shot as `LOC` comments.
/// Source times count from zero in every shot, as a cut knows nothing of reels.
pub fn write(title: &str, picture: &Picture) -> String {
    let clean = |text: &str| text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect::<String>();
    let counting = if picture.rate.is_drop_frame() { "DROP FRAME" } else { "NON-DROP FRAME" };
    let mut out = format!("TITLE: {}\nFCM: {counting}\n\n", clean(title));
    for (index, shot) in picture.shots.iter().enumerate() {
        let (length, place) = (shot.end_frame - shot.start_frame, |frame| picture.timecode(frame));
        let zero = picture.rate.timecode(0);
        let number = index + 1;
        // The format gives eight columns to a reel; the whole name stands in the comment.
        let _ = writeln!(
            out,
            "{number:03}  AX       V     C        {zero} {} {} {}\n* FROM CLIP NAME: {}",
            picture.rate.timecode(length),
            place(shot.start_frame),
            place(shot.end_frame),
            clean(&shot.name)
        );
        if shot.still {
            let _ = writeln!(out, "M2   AX       000.0                {zero}");
        }
        for moment in picture.moments.iter().filter(|m| (shot.start_frame..shot.end_frame).contains(&m.frame)) {
            let _ = writeln!(out, "* LOC: {} RED {}", place(moment.frame), clean(&moment.name));
        }
    }
    out
}
