//! Reads sound files and prints a JSON line of each, with the seconds that it took: what `tools/eval` scores.

use jaunty_core::reading::{Key, keep_going, read_bed};
use jaunty_core::units::seconds_from_samples;
use serde_json::json;
use std::path::Path;

fn main() {
    for name in std::env::args().skip(1) {
        let Ok(sound) = jaunty_media::decode_to_sound(Path::new(&name)) else {
            println!("{}", json!({ "file": name, "error": "no sound" }));
            continue;
        };
        let begun = std::time::Instant::now();
        let read = read_bed(&sound, &mut keep_going()).expect("nobody cancels").reading;
        let took_s = begun.elapsed().as_secs_f64();
        let seconds = |samples: &[u64]| samples.iter().map(|s| seconds_from_samples(*s)).collect::<Vec<f64>>();
        let span = |start: u64, end: u64| (seconds_from_samples(start), seconds_from_samples(end));
        println!(
            "{}",
            json!({
                "file": name,
                "wall_s": took_s,
                "length_s": seconds_from_samples(read.length_samples),
                "beats": seconds(&read.beats_samples),
                "downbeats": seconds(&read.bar_lines_samples()),
                "tempo_bpm": read.tempo_bpm,
                "metre": read.metre,
                "key": read.key.map(Key::name),
                "sections": read.sections.iter().map(|s| { let (start, end) = span(s.start_samples, s.end_samples); json!({ "start": start, "end": end, "label": s.label }) }).collect::<Vec<_>>(),
                "confidence": read.confidence,
                "second_opinions": read.second_opinions.iter().map(|o| json!({ "what": o.correction.message().to_string(), "tempo_bpm": o.tempo_bpm, "metre": o.metre, "likelihood": o.likelihood })).collect::<Vec<_>>(),
                "ending": { "kind": read.ending.kind, "last_hit_s": seconds_from_samples(read.ending.last_hit_samples), "music_end_s": seconds_from_samples(read.ending.music_end_samples) },
                "singing": read.singing.iter().map(|s| span(s.start_samples, s.end_samples)).collect::<Vec<_>>(),
                "music_start_s": seconds_from_samples(read.music_start_samples),
            })
        );
    }
}
