//! A bed made as long as is asked for, from outside: read, fit, mix, write.
//!
//!     cargo run -p jaunty-media --example fit_a_bed -- BED SECONDS OUT.wav

use jaunty_core::fit::{FitRequest, fittings};
use jaunty_core::mix::{Hear, render};
use jaunty_core::plan::{BedInput, Inputs, propose};
use jaunty_core::reading::{keep_going, read_bed};
use jaunty_core::sound::Source;
use jaunty_core::units::CutLength;
use jaunty_media::{decode_to_sound, write_wav};
use std::error::Error;
use std::path::Path;

fn main() -> Result<(), Box<dyn Error>> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let [bed, seconds, out] = &arguments[..] else { return Err("BED SECONDS OUT.wav".into()) };
    let length_samples = CutLength::samples_from_seconds(seconds.parse()?)?;

    // A sound is what it is as music: beats, bars, sections, and how well any bar could follow any other.
    let bed = decode_to_sound(Path::new(bed))?;
    let read = read_bed(&bed, &mut keep_going())?;
    println!("{:.1} BPM, {} bars", read.reading.tempo_bpm, read.reading.bar_count());

    // The fittings for a length, the one that an editor would make first.
    let all = fittings(&bed, &read.reading, &read.likeness, &FitRequest::of_length(length_samples));
    for fitting in &all {
        println!("{}: {} splices", fitting.name, fitting.splices.len());
    }

    // The plan says how the cut sounds: here the bed alone, with what it does at both ends.
    let lines = read.reading.bar_lines_samples();
    let input = BedInput { sound: "bed", source: &bed, fitting: &all[0], bar_lines_samples: &lines, before: &[] };
    let plan = propose(Inputs { length_samples, beds: &[input], ..Inputs::default() });

    // Any range of it is sound.
    let sound = render(&plan, &|_| Some(&bed as &dyn Source), 0..length_samples, Hear::Everything)?;
    write_wav(Path::new(out), &sound)?;
    Ok(())
}
