//! Reading, fitting and rendering a four-minute bed, and their ratio to real time.
//!
//! `cargo bench -p jaunty-core` prints the times and, at the end, the ratios of one run.

use criterion::{Criterion, criterion_group, criterion_main};
use jaunty_core::fit::{FitRequest, fittings};
use jaunty_core::mix::{Hear, render};
use jaunty_core::plan::BedInput;
use jaunty_core::reading::{keep_going, read_bed};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::read_speech;
use std::hint::black_box;
use std::time::Instant;

#[path = "../tests/parts/music.rs"]
#[allow(dead_code)]
mod music;

const CUT_S: u64 = 90;

struct Material {
    bed: Sound,
    voice: Sound,
}

/// Four minutes of music at 120 BPM in stereo, and 90 s of narration.
fn material() -> Material {
    let bed = music::Piece { head_s: 0.0, ..music::Piece::pop(120.0, 119) }.make().sound;
    let voice = music::voice(CUT_S as f64, &[(6.0, 12.0), (16.0, 30.0), (38.0, 52.0), (60.0, 80.0)], 0.12);
    Material { bed, voice }
}

fn benches(criterion: &mut Criterion) {
    let Material { bed, voice } = material();
    let bed_s = bed.len_samples() as f64 / 48_000.0;
    let read = read_bed(&bed, &mut keep_going()).expect("nobody cancels");
    let speech = read_speech(&voice, &mut keep_going()).expect("nobody cancels");
    let request = FitRequest::of_length(CUT_S * 48_000);
    let all = fittings(&bed, &read.reading, &read.likeness, &request);
    let plan = music::propose(
        request.length_samples,
        Some(BedInput { sound: "bed", source: &bed, fitting: &all[0], bar_lines_samples: &[] }),
        Some((&voice, &speech)),
        &[],
    );
    let sounds = |name: &str| Some(if name == "bed" { &bed as &dyn Source } else { &voice });
    let work_read = || black_box(read_bed(&bed, &mut keep_going()).expect("nobody cancels"));
    let work_fit = || black_box(fittings(&bed, &read.reading, &read.likeness, &request));
    let work_render = || black_box(render(&plan, &sounds, 0..request.length_samples, Hear::Everything).expect("both sounds are there"));

    let mut group = criterion.benchmark_group("four-minute bed");
    group.sample_size(10);
    group.bench_function("read", |b| b.iter(work_read));
    group.bench_function("fit to 90 s, all alternatives", |b| b.iter(work_fit));
    group.bench_function("render 90 s of bed and narration", |b| b.iter(work_render));
    group.finish();

    let seconds = |work: &dyn Fn()| {
        let start = Instant::now();
        work();
        start.elapsed().as_secs_f64()
    };
    let (read_s, fit_s, render_s) = (seconds(&|| drop(work_read())), seconds(&|| drop(work_fit())), seconds(&|| drop(work_render())));
    println!("read: {:.0} times faster than the bed plays", bed_s / read_s);
    println!("fit: {:.1} ms for {} fittings", fit_s * 1000.0, all.len());
    println!("render: {:.0} times faster than the cut plays", CUT_S as f64 / render_s);
}

criterion_group!(all, benches);
criterion_main!(all);
