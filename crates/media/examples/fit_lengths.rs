//! What the fit makes of a bed whose bars are known, at many lengths, for `tools/fit/measure.py`.
//!
//!     fit_lengths BED.wav GRID.json FROM_S TO_S STEP_S [natural]
//!
//! GRID.json holds `beats` and `downbeats` in seconds; `own` in its place leaves the bars to the
//! reading. `natural` allows only the bed's own start and end. Prints one line of JSON a length.

use jaunty_core::fit::FittedBed;
use jaunty_core::fit::{EndWish, FitRequest, StartWish, Wishes, quick_fitting};
use jaunty_core::reading::{Correction, keep_going, read_corrected};
use jaunty_core::sound::Source;
use jaunty_core::units::{samples_from_seconds, seconds_from_samples};
use jaunty_media::decode_to_source;
use serde_json::{Value, json};
use std::path::Path;

fn main() {
    let arguments: Vec<String> = std::env::args().collect();
    let bed = decode_to_source(Path::new(&arguments[1])).expect("a sound");
    let said = match arguments[2].as_str() {
        "own" => Vec::new(),
        path => vec![given(path)],
    };
    let read = read_corrected(&*bed, &said, &mut keep_going()).expect("nobody cancels");
    let number = |k: usize| arguments[k].parse::<f64>().expect("a number");
    let natural = arguments.get(6).is_some_and(|a| a == "natural");
    let wishes = match natural {
        true => Wishes { end: EndWish::OwnEnding { hit_samples: None }, ..Wishes::default() },
        false => Wishes::default(),
    };
    let mut length_s = number(3);
    while length_s <= number(4) {
        let mut wishes = wishes.clone();
        if natural {
            wishes.start = StartWish::Free;
        }
        let request = FitRequest { wishes, ..FitRequest::of_length(samples_from_seconds(length_s)) };
        let fitting = quick_fitting(&*bed, &read.reading, &read.likeness, &request);
        let heard = FittedBed::new(&*bed, &fitting);
        let joins: Vec<Value> = fitting
            .splices
            .iter()
            .map(|s| {
                json!({
                    "from": seconds_from_samples(s.leave_samples), "to": seconds_from_samples(s.enter_samples), "goodness": s.goodness,
                    "rank": s.surprise_rank, "level_db": level_through(&heard, &*bed, s), "hard": s.hard_to_hear(), "at": seconds_from_samples(s.meets_samples()),
                })
            })
            .collect();
        println!(
            "{}",
            json!({ "length": length_s, "joins": joins, "start": fitting.start, "end": fitting.end, "speed": fitting.speed, "exact": fitting.end_samples() == request.length_samples, "notes": fitting.notes.iter().map(ToString::to_string).collect::<Vec<_>>() })
        );
        length_s += number(5);
    }
}

fn given(path: &str) -> Correction {
    let grid: Value = serde_json::from_str(&std::fs::read_to_string(path).expect("a file")).expect("JSON");
    let samples =
        |name: &str| -> Vec<u64> { grid[name].as_array().expect("a list").iter().map(|s| samples_from_seconds(s.as_f64().expect("seconds"))).collect() };
    let beats = samples("beats");
    let nearest = |at: &u64| (0..beats.len()).min_by_key(|k| beats[*k].abs_diff(*at)).expect("a beat");
    let mut downbeats: Vec<usize> = samples("downbeats").iter().map(nearest).collect();
    downbeats.dedup();
    Correction::Given { beats_samples: beats, downbeats, sections: Vec::new() }
}

/// Level inside the crossfade against the mean of what each side has there alone, in dB.
fn level_through(heard: &dyn Source, bed: &dyn Source, splice: &jaunty_core::fit::Splice) -> f64 {
    let length = splice.join.fade_samples as usize;
    let power = |source: &dyn Source, end: u64| {
        let mut samples = vec![0.0f32; length];
        source.read_mono(end as i64 - length as i64, &mut samples);
        samples.iter().map(|x| f64::from(x * x)).sum::<f64>() / length as f64
    };
    let lead = jaunty_core::splice::LEAD_SAMPLES;
    let [left, entered] = splice.sides_meet_samples();
    let sides = 0.5 * (power(bed, left - lead) + power(bed, entered - lead));
    10.0 * (power(heard, splice.meets_samples() - lead) / sides.max(1e-12)).max(1e-6).log10()
}
