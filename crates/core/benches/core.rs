//! Reading, fitting and rendering a four-minute bed, and their ratio to real time.
//!
//! `cargo bench -p jaunty-core` prints the times and, at the end, the ratios of one run.

use criterion::{Criterion, criterion_group, criterion_main};
use jaunty_core::fit::{FitRequest, Scene, fittings, quick_fitting};
use jaunty_core::mix::{Hear, render};
use jaunty_core::plan::{AmbienceInput, AmbienceWish, BedInput, Inputs, PieceInput, SpeechRule, propose};
use jaunty_core::reading::{keep_going, read_bed};
use jaunty_core::shape::ShapeWishes;
use jaunty_core::shape::pocket::PocketWish;
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::read_speech;
use jaunty_core::voice::Piece;
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
        Some(BedInput { sound: "bed", source: &bed, fitting: &all[0], bar_lines_samples: &[], before: &[] }),
        Some((&voice, &speech)),
        &[],
    );
    let sounds = |name: &str| Some(if name == "bed" { &bed as &dyn Source } else { &voice });
    // What design.md asks for: a bed, a narration and two ambiences, with pocket and curves.
    let room = Sound::new(vec![(0..20 * 48_000u32).map(|n| 0.02 * ((n.wrapping_mul(2_654_435_761) >> 8) as f32 / 16_777_216.0 - 0.5)).collect()]);
    let wish = |rule| AmbienceWish { rule, ..AmbienceWish::new("room", "room", 14.0) };
    let wishes = [wish(SpeechRule::Out), wish(SpeechRule::Low)];
    let ambiences: Vec<AmbienceInput<'_>> = wishes.iter().map(|wish| AmbienceInput { wish, source: &room }).collect();
    let piece = Piece::whole("voice", voice.len_samples());
    let narration = [PieceInput { piece: &piece, source: &voice, reading: &speech }];
    let shape = ShapeWishes { pocket: Some(PocketWish::NARROW), ..ShapeWishes::default() };
    let lines = read.reading.bar_lines_samples();
    let full = propose(Inputs {
        length_samples: request.length_samples,
        beds: &[BedInput { sound: "bed", source: &bed, fitting: &all[0], bar_lines_samples: &lines, before: &[] }],
        narration: &narration,
        ambiences: &ambiences,
        shape: Some(&shape),
        ..Inputs::default()
    });
    let all_sounds = |name: &str| {
        Some(match name {
            "bed" => &bed as &dyn Source,
            "room" => &room,
            _ => &voice,
        })
    };
    let work_render_full = || black_box(render(&full, &all_sounds, 0..request.length_samples, Hear::Everything).expect("every sound is there"));
    // Dragging, under a narration.
    let scene = Scene { phrases: full.phrases.iter().map(|p| (p.start_samples, p.end_samples)).collect(), ..Scene::default() };
    let dragged = FitRequest { scene, ..request.clone() };
    let work_drag = || black_box(quick_fitting(&bed, &read.reading, &read.likeness, &dragged));
    // Twenty minutes of music on a cut of ten.
    let long = music::Piece { head_s: 0.0, ..music::Piece::pop(120.0, 598) }.make().sound;
    let long_read = read_bed(&long, &mut keep_going()).expect("nobody cancels");
    let long_request = FitRequest::of_length(600 * 48_000);
    let work_long = || black_box(fittings(&long, &long_read.reading, &long_read.likeness, &long_request));
    let work_read = || black_box(read_bed(&bed, &mut keep_going()).expect("nobody cancels"));
    let work_fit = || black_box(fittings(&bed, &read.reading, &read.likeness, &request));
    // Spots come as 60, 30, 20, 15, 10 and 6 s (common practice).
    let spots = [60, 30, 20, 15, 10, 6].map(|s| FitRequest::of_length(s * 48_000));
    let work_spots = || black_box(spots.each_ref().map(|request| fittings(&bed, &read.reading, &read.likeness, request)));
    let work_render = || black_box(render(&plan, &sounds, 0..request.length_samples, Hear::Everything).expect("both sounds are there"));

    let mut group = criterion.benchmark_group("four-minute bed");
    group.sample_size(10);
    group.bench_function("read", |b| b.iter(work_read));
    group.bench_function("fit to 90 s, all alternatives", |b| b.iter(work_fit));
    group.bench_function("fit to six lengths of spots, all alternatives", |b| b.iter(work_spots));
    group.bench_function("fit again under narration, as while dragging", |b| b.iter(work_drag));
    group.bench_function("render 90 s of bed and narration", |b| b.iter(work_render));
    group.bench_function("render 90 s of bed, narration, two ambiences, with pocket", |b| b.iter(work_render_full));
    group.bench_function("fit 20 minutes to 10, all alternatives", |b| b.iter(work_long));
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
    let (drag_s, full_s, long_s) = (seconds(&|| drop(work_drag())), seconds(&|| drop(work_render_full())), seconds(&|| drop(work_long())));
    println!("fit while dragging: {:.1} ms", drag_s * 1000.0);
    println!("render with two ambiences and pocket: {:.0} times faster than the cut plays", CUT_S as f64 / full_s);
    println!("fit of 20 minutes to 10: {:.0} ms", long_s * 1000.0);
}

criterion_group!(all, benches);
criterion_main!(all);
