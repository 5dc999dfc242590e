//! The reading of music that is composed here, by published measures, and the measures themselves
//! against the package mir_eval.

#[path = "../../../core/tests/parts/metrics.rs"]
mod metrics;

use jaunty_core::reading::{BedRead, keep_going, read_bed};
use jaunty_core::sound::Source;
use jaunty_core::units::seconds_from_samples;
use jaunty_demo::score::Played;
use jaunty_demo::shelf::{self, Piece};
pub use metrics::f_measure;
use metrics::{amlt, cmlt};
use std::process::Command;
use std::sync::{LazyLock, Mutex};

/// One Python at a time: two that compile librosa's numba code for the first time write the same cache, and a process
/// that loads a mixture of both dies by a segmentation fault.
static ONE_PYTHON: Mutex<()> = Mutex::new(());

/// Runs lines of Python with the packages that `./test` installs; what they print as JSON.
pub fn python(script: &str, arguments: &[&str]) -> serde_json::Value {
    let python = concat!(env!("CARGO_MANIFEST_DIR"), "/../../.venv/bin/python");
    let python = std::env::var("JAUNTY_REFERENCE_PYTHON").unwrap_or(python.into());
    // A test that failed before has poisoned the lock; the others still run.
    let _alone = ONE_PYTHON.lock().unwrap_or_else(|poisoned| poisoned.into_inner());
    let out = Command::new(python).args(["-c", script]).args(arguments).output().expect("./test makes .venv");
    assert!(out.status.success(), "{}: {}", out.status, String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).unwrap()
}

/// A piece of the shelf, as composed, as played and as read.
pub struct Shelved {
    pub piece: Piece,
    pub played: Played,
    pub read: BedRead,
}

/// The whole shelf: thirteen pieces in as many styles.
pub static SHELF: LazyLock<Vec<Shelved>> = LazyLock::new(|| {
    let shelved = |piece: Piece| {
        let played = piece.score.play().expect("the SoundFont is installed by ./test");
        let read = read_bed(&played.sound, &mut keep_going()).unwrap();
        Shelved { piece, played, read }
    };
    shelf::pieces().into_iter().map(shelved).collect()
});

/// mir_eval 0.8 from PyPI on grids with jitter, gaps, extra beats, half and double tempo.
#[test]
fn measures_agree_with_mir_eval() {
    let mut state = 1u32;
    let mut chance = move || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        f64::from(state >> 8) / f64::from(1 << 24)
    };
    let mut cases = Vec::new();
    for case in 0..24 {
        let interval = 0.35 + 0.5 * chance();
        // From 6 s on: mir_eval's own trimming of the first five seconds is not used here.
        let truth: Vec<f64> = (0..60).map(|k| 6.0 + interval * f64::from(k)).collect();
        let jitter = 0.12 * chance();
        let mut found: Vec<f64> = match case % 4 {
            0 => truth.clone(),
            1 => truth.iter().step_by(2).copied().collect(),
            2 => truth.windows(2).flat_map(|w| [w[0], (w[0] + w[1]) / 2.0]).collect(),
            _ => truth.iter().map(|t| t + interval / 2.0).collect(),
        };
        found.retain(|_| chance() > 0.05);
        found.iter_mut().for_each(|f| *f += interval * jitter * (chance() - 0.5));
        cases.push((truth, found));
    }
    let script = "import sys, json, numpy, mir_eval\nout = []\nfor t, f in json.loads(sys.argv[1]):\n    t, f = numpy.array(t), numpy.array(f)\n    c = mir_eval.beat.continuity(t, f)\n    i = lambda x: numpy.column_stack([x[:-1], x[1:]])\n    out.append([mir_eval.beat.f_measure(t, f), c[1], c[3], mir_eval.segment.detection(i(t), i(f), window=0.08)[2]])\nprint(json.dumps(out))";
    let theirs = python(script, &[&serde_json::to_string(&cases).unwrap()]);
    for (k, (truth, found)) in cases.iter().enumerate() {
        let ours = [f_measure(truth, found, 0.07), cmlt(truth, found), amlt(truth, found), f_measure(truth, found, 0.08)];
        for (which, value) in ours.iter().enumerate() {
            let other = theirs[k][which].as_f64().unwrap();
            // Continuity of a beat that follows a missed one is a matter of reading the paper; the rest is exact.
            let tolerance = if which == 1 || which == 2 { 0.05 } else { 1e-9 };
            assert!((value - other).abs() <= tolerance, "case {k}, measure {which}: ours {value:.4}, mir_eval {other:.4}");
        }
    }
}

/// Beats, bars, tempo and sections of the whole shelf.
#[test]
fn the_shelf_is_read_as_composed() {
    let [mut beats, mut bars, mut near, mut about] = [(); 4].map(|()| Vec::new());
    let mut right = 0;
    for Shelved { piece, played, read } in SHELF.iter() {
        let (score, read) = (&piece.score, &read.reading);
        let end_s = seconds_from_samples(played.sound.len_samples()) - 0.05;
        let inside = |times: &[f64]| -> Vec<f64> { times.iter().copied().filter(|t| *t < end_s).collect() };
        let (true_beats, true_lines) = (inside(&played.beats_s), inside(&played.downbeats_s));
        let seconds = |samples: &[u64]| -> Vec<f64> { samples.iter().map(|&s| seconds_from_samples(s)).collect() };
        let (found, lines) = (seconds(&read.beats_samples), seconds(&read.bar_lines_samples()));
        let (f, df) = (f_measure(&true_beats, &found, 0.07), f_measure(&true_lines, &lines, 0.07));
        // Where the first section begins and the last one ends is no news.
        let parts: Vec<f64> = score.part_bars[1..].iter().map(|&bar| played.downbeats_s[bar]).collect();
        let boundaries: Vec<f64> = read.sections.iter().skip(1).map(|s| seconds_from_samples(s.start_samples)).collect();
        let (half, three) = (f_measure(&parts, &boundaries, 0.5), f_measure(&parts, &boundaries, 3.0));
        println!(
            "{:<24} F {f:.3} CMLt {:.3} downbeats {df:.3} sections {half:.2} {three:.2}, {:.1} BPM for {:.1}",
            score.title,
            cmlt(&true_beats, &found),
            read.tempo_bpm,
            score.tempo_bpm
        );
        right += usize::from((read.tempo_bpm / score.tempo_bpm - 1.0).abs() < 0.04);
        beats.push(f);
        bars.push(df);
        near.push(half);
        about.push(three);
    }
    let mean = |values: &[f64]| values.iter().sum::<f64>() / values.len() as f64;
    let (half, three) = (mean(&near), mean(&about));
    println!("mean F {:.3}, downbeats {:.3}, sections {half:.3} {three:.3}, tempo right in {right} of {}", mean(&beats), mean(&bars), SHELF.len());
    assert!(mean(&beats) > 0.94 && mean(&bars) > 0.9 && right + 1 >= SHELF.len());
    assert!(half > 0.85 && three > 0.85, "sections {half:.3} within 0.5 s, {three:.3} within 3 s");
}
