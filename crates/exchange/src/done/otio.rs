//! OpenTimelineIO: a track for each layer, its pieces as clips with exact source ranges, crossfades as transitions,
//! levels as keyed values in the track's metadata, moments as markers. Times count in samples.

use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::handover::{Done, DonePiece, DoneTrack};
use serde_json::{Value, json};

fn time(samples: f64) -> Value {
    json!({ "OTIO_SCHEMA": "RationalTime.1", "rate": f64::from(SAMPLE_RATE_HZ), "value": samples })
}

fn range(start: f64, length: f64) -> Value {
    json!({ "OTIO_SCHEMA": "TimeRange.1", "start_time": time(start), "duration": time(length) })
}

fn gap(length: u64) -> Value {
    json!({ "OTIO_SCHEMA": "Gap.1", "name": "", "enabled": true, "metadata": {}, "effects": [], "markers": [], "source_range": range(0.0, length as f64) })
}

fn clip(piece: &DonePiece, done: &Done) -> Value {
    let source = &done.sources[piece.source];
    let effects = if piece.speed == 1.0 {
        json!([])
    } else {
        json!([{ "OTIO_SCHEMA": "LinearTimeWarp.1", "name": "", "metadata": {}, "effect_name": "LinearTimeWarp", "time_scalar": piece.speed }])
    };
    json!({
        "OTIO_SCHEMA": "Clip.2", "name": source.file, "enabled": true, "effects": effects, "markers": [],
        "metadata": { "jaunty": { "sha256": source.hash } },
        // The range counts what lasts on the timeline; a speed reads more or less of the source, from the same start.
        "source_range": range(piece.source_start, (piece.cut_end - piece.cut_start) as f64),
        "active_media_reference_key": "DEFAULT_MEDIA",
        "media_references": { "DEFAULT_MEDIA": {
            "OTIO_SCHEMA": "ExternalReference.1", "name": source.file, "metadata": {}, "target_url": source.file,
            "available_range": range(0.0, source.length_samples as f64),
        } },
    })
}

fn track(track: &DoneTrack, done: &Done) -> Value {
    let mut children = Vec::new();
    let mut at = 0;
    for piece in &track.pieces {
        if piece.cut_start > at {
            children.push(gap(piece.cut_start - at));
        }
        children.push(clip(piece, done));
        if piece.fade_samples > 0 {
            // The crossfade lies before the joint: what comes is heard under what goes, and stands alone from the joint on.
            let gains: Vec<[f32; 2]> = piece.fade_gains.iter().map(|g| [g.0, g.1]).collect();
            children.push(json!({
                "OTIO_SCHEMA": "Transition.1", "name": "",
                "metadata": { "jaunty": { "gains": { "unit": "[of what goes, of what comes], at equal distances", "points": gains } } },
                "transition_type": "SMPTE_Dissolve",
                "in_offset": time(piece.fade_samples as f64), "out_offset": time(0.0),
            }));
        }
        at = piece.cut_end;
    }
    let levels: Vec<Value> = track.levels.iter().map(|p| json!([p.at_samples, (p.level_db * 1e4).round() / 1e4])).collect();
    json!({
        "OTIO_SCHEMA": "Track.1", "name": track.name, "kind": "Audio", "enabled": true, "effects": [], "markers": [], "source_range": null,
        "children": children,
        "metadata": { "jaunty": { "levels": { "unit": "[sample of the cut, dB]", "points": levels }, "unsaid": track.unsaid } },
    })
}

/// The timeline.
pub fn write(done: &Done) -> String {
    let picture = &done.picture;
    let rate = picture.rate.as_f64();
    let marker = |m: &jaunty_core::picture::Moment| {
        let frames = |value: u64| json!({ "OTIO_SCHEMA": "RationalTime.1", "rate": rate, "value": value as f64 });
        json!({
            "OTIO_SCHEMA": "Marker.2", "name": m.name, "color": "RED", "comment": "", "metadata": {},
            "marked_range": { "OTIO_SCHEMA": "TimeRange.1", "start_time": frames(m.frame), "duration": frames(0) },
        })
    };
    let stack = json!({
        "OTIO_SCHEMA": "Stack.1", "name": "tracks", "enabled": true, "metadata": {}, "effects": [], "source_range": null,
        "markers": picture.moments.iter().map(marker).collect::<Vec<_>>(),
        "children": done.tracks.iter().map(|t| track(t, done)).collect::<Vec<_>>(),
    });
    let document = json!({
        "OTIO_SCHEMA": "Timeline.1", "name": done.title, "metadata": {}, "tracks": stack,
        "global_start_time": { "OTIO_SCHEMA": "RationalTime.1", "rate": rate, "value": picture.first_frame as f64 },
    });
    format!("{document:#}\n")
}
