//! OpenTimelineIO JSON (ASWF; schemas Timeline.1, Stack.1, Track.1, Clip.1 and .2, Gap.1,
//! Transition.1, Marker.1 and .2, FreezeFrame.1, LinearTimeWarp.1).
//!
//! What is seen is what the topmost enabled video track shows at each frame. A compound (a stack
//! inside a track) is one shot. Markers become moments, freeze frames and still images become
//! stills. Tests compare with the package `opentimelineio`.

use crate::{DAY_FRAMES, ExchangeError, For, Format, List, Listed, in_order, kind_of};
use jaunty_core::picture::Unused;
use jaunty_core::picture::{Marks, Moment, MomentKind, Origin, Picture, Shot, tidy_name};
use jaunty_core::units::FrameRate;
use serde_json::{Value, json};

/// Compounds inside compounds are followed this far.
const DEEPEST: usize = 32;

/// The picture rate that a number of frames a second means.
fn known_rate(rate: f64, drop_frame: bool) -> Option<FrameRate> {
    let (num, den) = FrameRate::KNOWN.into_iter().find(|(num, den)| (rate - f64::from(*num) / f64::from(*den)).abs() < 0.01)?;
    // The format does not say how timecode counts; like the library, 29.97 and 59.94 count drop-frame.
    FrameRate::new(num, den, drop_frame && den == 1001 && num != 24_000).ok()
}

fn schema(item: &Value) -> &str {
    item["OTIO_SCHEMA"].as_str().unwrap_or("").split('.').next().unwrap_or("")
}

fn name(item: &Value) -> &str {
    item["name"].as_str().unwrap_or("")
}

/// A RationalTime in seconds.
fn seconds(time: &Value) -> Option<f64> {
    let (value, rate) = (time["value"].as_f64()?, time["rate"].as_f64()?);
    let seconds = value / rate;
    (rate > 0.0 && seconds.is_finite() && seconds.abs() <= 2.0 * 86_400.0).then_some(seconds)
}

struct Reader {
    rate: FrameRate,
    shots: Vec<Listed>,
    moments: Vec<Moment>,
    unused: Vec<Unused>,
    /// Where the longest video track is over, gaps included.
    end_frame: u64,
}

impl Reader {
    fn skip(&mut self, item: &Value, reason: &str) {
        let called = format!("{} \"{}\"", schema(item), name(item));
        self.unused.push(Unused::new(None, &called, reason));
    }

    fn frames(&self, seconds: f64) -> f64 {
        seconds * self.rate.as_f64()
    }

    /// Length of an item in seconds, and where it begins in its own time.
    fn extent(&self, item: &Value, depth: usize) -> Option<(f64, f64)> {
        let range = &item["source_range"];
        if range.is_object() {
            return Some((seconds(&range["start_time"])?, seconds(&range["duration"])?));
        }
        let children = item["children"].as_array();
        match schema(item) {
            "Stack" | "Track" if depth >= DEEPEST => None,
            "Stack" => Some((0.0, children?.iter().filter_map(|c| self.extent(c, depth + 1)).map(|e| e.1).fold(0.0, f64::max))),
            "Track" => Some((0.0, children?.iter().filter(|c| schema(c) != "Transition").filter_map(|c| self.extent(c, depth + 1)).map(|e| e.1).sum())),
            _ => {
                let range = &reference(item)["available_range"];
                Some((seconds(&range["start_time"])?, seconds(&range["duration"])?))
            }
        }
    }

    /// Markers of an item that lies at `at_s` on the timeline and begins at `own_start_s` in its own time.
    fn markers(&mut self, item: &Value, at_s: f64, own_start_s: f64) {
        for marker in item["markers"].as_array().into_iter().flatten() {
            let Some(start_s) = seconds(&marker["marked_range"]["start_time"]) else {
                self.skip(marker, "its time cannot be read");
                continue;
            };
            let frame = self.frames(at_s + start_s - own_start_s).round();
            if !(0.0..DAY_FRAMES).contains(&frame) {
                self.skip(marker, "it lies outside the timeline");
                continue;
            }
            let called = Some(name(marker)).filter(|n| !n.is_empty()).or(marker["comment"].as_str()).unwrap_or("moment");
            let kind = match marker["metadata"]["jauntyKind"].as_str() {
                Some("other") => MomentKind::Other,
                _ => kind_of(called),
            };
            self.moments.push(Moment { name: tidy_name(called, "moment"), frame: frame as u64, kind, origin: Origin::List });
        }
    }

    fn track(&mut self, track: &Value, layer: usize, stack_at_s: f64) {
        if track["enabled"] == json!(false) {
            return self.skip(track, "this track is switched off");
        }
        let own_start_s = seconds(&track["source_range"]["start_time"]).unwrap_or(0.0);
        let own_end_s = seconds(&track["source_range"]["duration"]).map_or(f64::INFINITY, |d| own_start_s + d);
        self.markers(track, stack_at_s, own_start_s);
        // In frames, so that a sum of whole numbers stays whole.
        let mut at = 0.0f64;
        for item in track["children"].as_array().into_iter().flatten() {
            if schema(item) == "Transition" {
                continue;
            }
            let Some((start_s, length_s)) = self.extent(item, 0) else {
                self.skip(item, "its length is not told");
                continue;
            };
            let length = self.frames(length_s);
            if length < 0.0 || at + length > DAY_FRAMES {
                self.skip(item, "its length makes no sense");
                continue;
            }
            let shift = self.frames(stack_at_s - own_start_s);
            let begin = (at.max(self.frames(own_start_s)) + shift).round().max(0.0) as u64;
            let end = ((at + length).min(self.frames(own_end_s)) + shift).round().max(0.0) as u64;
            let at_s = (at + shift) / self.rate.as_f64();
            at += length;
            self.end_frame = self.end_frame.max(end);
            match schema(item) {
                "Gap" => self.markers(item, at_s, start_s),
                "Clip" | "Stack" | "Track" if item["enabled"] == json!(false) => self.skip(item, "it is switched off"),
                "Clip" | "Stack" | "Track" => {
                    self.markers(item, at_s, start_s);
                    if end > begin {
                        let shot =
                            Shot { name: tidy_name(name(item), "shot"), start_frame: begin, end_frame: end, still: is_still(item), origin: Origin::List };
                        self.shots.push(Listed { shot, line: None, layer });
                    } else {
                        self.skip(item, "it lasts no time");
                    }
                }
                _ => self.skip(item, "this kind of item is not known"),
            }
        }
    }
}

fn reference(item: &Value) -> &Value {
    let key = item["active_media_reference_key"].as_str().unwrap_or("DEFAULT_MEDIA");
    let many = &item["media_references"][key];
    if many.is_object() { many } else { &item["media_reference"] }
}

fn is_still(item: &Value) -> bool {
    let frozen = |effect: &Value| schema(effect) == "FreezeFrame" || (schema(effect) == "LinearTimeWarp" && effect["time_scalar"].as_f64() == Some(0.0));
    let image =
        |url: &str| url.rsplit_once('.').is_some_and(|(_, end)| matches!(end.to_ascii_lowercase().as_str(), "jpg" | "jpeg" | "png" | "tif" | "tiff" | "webp"));
    item["effects"].as_array().into_iter().flatten().any(frozen) || reference(item)["target_url"].as_str().is_some_and(image)
}

/// The first timeline in a document.
fn timeline(item: &Value, depth: usize) -> Option<&Value> {
    match schema(item) {
        "Timeline" | "Stack" | "Track" => Some(item),
        "SerializableCollection" if depth < DEEPEST => item["children"].as_array()?.iter().find_map(|c| timeline(c, depth + 1)),
        _ => None,
    }
}

/// The rate of the first thing on a video track that has one.
fn rate_of(item: &Value, depth: usize) -> Option<f64> {
    if depth > DEEPEST || item["kind"] == json!("Audio") {
        return None;
    }
    let own = &item["source_range"]["duration"]["rate"];
    let media = &reference(item)["available_range"]["duration"]["rate"];
    let child = || item["children"].as_array()?.iter().find_map(|c| rate_of(c, depth + 1));
    own.as_f64().filter(|_| schema(item) != "Gap").or_else(|| media.as_f64()).or_else(child)
}

/// Reads a timeline.
///
/// # Errors
/// [`ExchangeError`] when it is no timeline or runs at no picture rate.
pub fn read(text: &str, cut: For) -> Result<List, ExchangeError> {
    let damaged = |cause: String| ExchangeError::Damaged { format: Format::OpenTimelineIo.name(), cause };
    let document: Value = serde_json::from_str(text).map_err(|cause| damaged(cause.to_string()))?;
    let Some(timeline) = timeline(&document, 0) else {
        return Err(damaged(if document["OTIO_SCHEMA"].is_string() { "it holds no timeline".into() } else { "it is JSON of another kind".into() }));
    };
    let stack = if schema(timeline) == "Timeline" { &timeline["tracks"] } else { timeline };
    let own = timeline["global_start_time"]["rate"].as_f64().or_else(|| rate_of(stack, 0));
    let drop_frame = cut.rate.is_none_or(FrameRate::is_drop_frame);
    let rate = match own {
        Some(own) => known_rate(own, drop_frame).or(cut.rate).ok_or_else(|| ExchangeError::Rate(format!("{own}")))?,
        None => cut.rate.ok_or_else(|| ExchangeError::Rate("unknown".into()))?,
    };
    let mut reader = Reader { rate, shots: Vec::new(), moments: Vec::new(), unused: Vec::new(), end_frame: 0 };
    if let Some(cut_rate) = cut.rate
        && (cut_rate.num(), cut_rate.den()) != (rate.num(), rate.den())
    {
        let reason = format!("the cut runs at {:.3}; the list's times are used as they fall", cut_rate.as_f64());
        reader.unused.push(Unused::new(None, &format!("{:.3} frames a second", rate.as_f64()), reason));
        reader.rate = cut_rate;
    }
    reader.markers(timeline, 0.0, 0.0);
    let tracks: Vec<&Value> = if schema(stack) == "Track" { vec![stack] } else { stack["children"].as_array().into_iter().flatten().collect() };
    let stack_start_s = if schema(stack) == "Stack" { seconds(&stack["source_range"]["start_time"]).unwrap_or(0.0) } else { 0.0 };
    if schema(stack) == "Stack" {
        reader.markers(stack, 0.0, stack_start_s);
    }
    for (layer, track) in tracks.into_iter().enumerate() {
        match (schema(track), track["kind"].as_str()) {
            ("Track", Some("Audio")) => {
                let count = track["children"].as_array().map_or(0, Vec::len);
                reader.skip(track, &format!("a sound track with {count} items: there is no picture in it"));
            }
            ("Track", _) => reader.track(track, layer, -stack_start_s),
            // A clip or gap that lies in the stack itself is a track of its own.
            _ => reader.track(&json!({ "OTIO_SCHEMA": "Track.1", "children": [track] }), layer, -stack_start_s),
        }
    }
    let Reader { rate, shots, mut moments, mut unused, end_frame } = reader;
    moments.sort_by_key(|m| m.frame);
    let first_frame = seconds(&timeline["global_start_time"]).map(|s| (s * rate.as_f64()).round().max(0.0) as u64);
    let marks = Marks { shots: in_order(shots, 0, &mut unused), moments };
    Ok(List { format: Format::OpenTimelineIo, rate, rate_known: true, first_frame, length_frames: Some(end_frame), marks, lines: Vec::new(), unused })
}

/// Writes the picture of a cut as a timeline of one video track, with gaps where no shot is.
pub fn write(title: &str, picture: &Picture) -> String {
    let rate = picture.rate.as_f64();
    let time = |frame: u64| json!({ "OTIO_SCHEMA": "RationalTime.1", "rate": rate, "value": frame as f64 });
    let range = |start: u64, length: u64| json!({ "OTIO_SCHEMA": "TimeRange.1", "start_time": time(start), "duration": time(length) });
    let item = |kind: &str, name: &str, length: u64, effects: Value| {
        json!({
            "OTIO_SCHEMA": kind, "name": name, "enabled": true, "metadata": {}, "effects": effects, "markers": [],
            "source_range": range(0, length), "media_reference": { "OTIO_SCHEMA": "MissingReference.1", "name": "", "metadata": {}, "available_range": null },
        })
    };
    let gap = |length: u64| {
        let mut gap = item("Gap.1", "", length, json!([]));
        if let Some(fields) = gap.as_object_mut() {
            fields.remove("media_reference");
        }
        gap
    };
    let mut children = Vec::new();
    let mut at = 0;
    for shot in &picture.shots {
        if shot.start_frame > at {
            children.push(gap(shot.start_frame - at));
        }
        let frozen = json!([{ "OTIO_SCHEMA": "FreezeFrame.1", "name": "", "metadata": {}, "effect_name": "FreezeFrame", "time_scalar": 0 }]);
        let effects = if shot.still { frozen } else { json!([]) };
        children.push(item("Clip.1", &shot.name, shot.end_frame - shot.start_frame, effects));
        at = shot.end_frame;
    }
    if picture.length_frames > at {
        children.push(gap(picture.length_frames - at));
    }
    let marker = |m: &Moment| {
        json!({
            "OTIO_SCHEMA": "Marker.2", "name": m.name, "color": "RED", "comment": "", "marked_range": range(m.frame, 0),
            "metadata": if m.kind == MomentKind::Other { json!({ "jauntyKind": "other" }) } else { json!({}) },
        })
    };
    let track = json!({
        "OTIO_SCHEMA": "Track.1", "name": "picture", "kind": "Video", "enabled": true, "metadata": {}, "effects": [], "markers": [],
        "source_range": null, "children": children,
    });
    let stack = json!({
        "OTIO_SCHEMA": "Stack.1", "name": "tracks", "enabled": true, "metadata": {}, "effects": [], "source_range": null,
        "markers": picture.moments.iter().map(marker).collect::<Vec<_>>(), "children": [track],
    });
    let document = json!({
        "OTIO_SCHEMA": "Timeline.1", "name": title, "metadata": {}, "global_start_time": time(picture.first_frame), "tracks": stack,
    });
    format!("{document:#}\n")
}
