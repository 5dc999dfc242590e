//! What splices are worth on music whose notes are known, beside simple ways to cut.
//!
//! A join is judged by the notes and not by anything that we heard: whether both sides are at the same beat of a bar,
//! how far they are apart, and whether the bar that comes has the pitch classes of the bar that would have come
//! (cosine of their durations, as chroma vectors are compared since Wakefield 1999).

use super::measured::{SHELF, Shelved};
use jaunty_core::fit::{EndWish, FitRequest, Fitting, FittingEnd, Wishes, quick_fitting};
use jaunty_core::units::{samples_from_seconds, seconds_from_samples};
use jaunty_demo::score::{DRUMS, Score};
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};

/// How long each pitch class sounds in each bar, in beats.
fn bar_classes(score: &Score) -> Vec<[f64; 12]> {
    let metre = score.metre as f64;
    let mut bars = vec![[0.0; 12]; score.bars + 1];
    for note in score.notes.iter().filter(|note| note.channel != DRUMS) {
        for (bar, classes) in bars.iter_mut().enumerate() {
            let (from, to) = (bar as f64 * metre, (bar + 1) as f64 * metre);
            let sounds = (note.start_beats + note.length_beats).min(to) - note.start_beats.max(from);
            classes[note.key.rem_euclid(12) as usize] += sounds.max(0.0);
        }
    }
    bars
}

fn cosine(a: &[f64; 12], b: &[f64; 12]) -> f64 {
    let dot = |x: &[f64; 12], y: &[f64; 12]| x.iter().zip(y).map(|(x, y)| x * y).sum::<f64>();
    dot(a, b) / (dot(a, a) * dot(b, b)).sqrt().max(1e-9)
}

/// Playback reaches the first place of the bed and goes on at the second, in seconds.
type Join = (f64, f64);

/// What is known of a piece.
struct Truth {
    lines_s: Vec<f64>,
    beat_s: f64,
    bars: Vec<[f64; 12]>,
}

/// What a way to cut comes to over all its edits.
#[derive(Default)]
struct Worth {
    joins: usize,
    edits: usize,
    good: usize,
    bad: usize,
    same_beat: usize,
    worst_ms: f64,
    all_good: usize,
}

impl Truth {
    fn of(shelved: &Shelved) -> Self {
        let score = &shelved.piece.score;
        Self { lines_s: shelved.played.downbeats_s.clone(), beat_s: 60.0 / score.tempo_bpm, bars: bar_classes(score) }
    }

    /// The nearest bar line and how far behind it a place is.
    fn line(&self, at_s: f64) -> (usize, f64) {
        let far = |k: &usize| (self.lines_s[*k] - at_s).abs();
        let bar = (0..self.lines_s.len()).min_by(|a, b| far(a).total_cmp(&far(b))).expect("bars");
        (bar, at_s - self.lines_s[bar])
    }
}

impl Worth {
    fn add(&mut self, truth: &Truth, joins: &[Join]) {
        let mut all_good = true;
        for &(from_s, to_s) in joins {
            let ((leave, behind), (enter, beyond)) = (truth.line(from_s), truth.line(to_s));
            let apart_s = behind - beyond;
            let same_beat = apart_s.abs() < truth.beat_s / 2.0;
            let alike = truth.bars.get(leave).zip(truth.bars.get(enter)).map_or(0.0, |(a, b)| cosine(a, b));
            let good = same_beat && alike >= 0.9;
            self.joins += 1;
            self.same_beat += usize::from(same_beat);
            self.good += usize::from(good);
            self.bad += usize::from(alike < 0.6);
            self.worst_ms = self.worst_ms.max(1000.0 * apart_s.abs());
            all_good &= good;
        }
        self.edits += usize::from(!joins.is_empty());
        self.all_good += usize::from(all_good && !joins.is_empty());
    }

    fn share(part: usize, whole: usize) -> f64 {
        part as f64 / whole.max(1) as f64
    }

    fn told(&self, name: &str) -> (f64, f64, f64) {
        let (good, bad, all) = (Self::share(self.good, self.joins), Self::share(self.bad, self.joins), Self::share(self.all_good, self.edits));
        let beat = Self::share(self.same_beat, self.joins);
        println!(
            "{name:<32} {:>4} joins, good {good:.3}, bad {bad:.3}, same beat {beat:.3}, worst {:.1} ms, edits all good {all:.3}",
            self.joins, self.worst_ms
        );
        (good, bad, all)
    }
}

/// The head as far as half the length, the tail from the bar line that makes the length.
fn head_and_tail(lines_s: &[f64], music_end_s: f64, length_s: f64) -> Vec<Join> {
    let nearest = |at: f64| lines_s.iter().copied().min_by(|a, b| (a - at).abs().total_cmp(&(b - at).abs())).expect("bars");
    let leave = nearest(length_s / 2.0);
    let enter = nearest(music_end_s - (length_s - leave));
    if leave == enter { Vec::new() } else { vec![(leave, enter)] }
}

/// From the end on again from the top.
fn again_and_again(lines_s: &[f64], music_end_s: f64, length_s: f64) -> Vec<Join> {
    vec![(lines_s[lines_s.len() - 1], lines_s[0]); (length_s / music_end_s) as usize]
}

/// Always the likeliest join that brings the length nearest at once, by our own likeness of bars: what one
/// would do without looking ahead.
fn greedy(shelved: &Shelved, length_s: f64) -> Vec<Join> {
    let lines: Vec<f64> = shelved.read.reading.bar_lines_samples().into_iter().map(seconds_from_samples).collect();
    let bars = lines.len() - 1;
    let bar_s = (lines[bars] - lines[0]) / bars as f64;
    let mut missing = ((length_s - seconds_from_samples(shelved.read.reading.ending.music_end_samples)) / bar_s).round() as i64;
    let (mut joins, mut from) = (Vec::new(), 1);
    while missing != 0 && joins.len() < 8 {
        let step = missing.clamp(-(bars as i64) + 2, bars as i64 - 2);
        let back = (from..bars).filter_map(|leave| usize::try_from(leave as i64 - step).ok().filter(|e| *e < bars).map(|enter| (leave, enter)));
        let likely = |j: &(usize, usize)| shelved.read.likeness.could_follow(j.0, j.1);
        let Some((leave, enter)) = back.max_by(|a, b| likely(a).total_cmp(&likely(b))) else { break };
        joins.push((lines[leave], lines[enter]));
        (missing, from) = (missing - step, enter + 1);
    }
    joins
}

fn fit(shelved: &Shelved, length_samples: u64) -> Fitting {
    let wishes = Wishes { end: EndWish::OwnEnding { hit_samples: None }, ..Wishes::default() };
    quick_fitting(&shelved.played.sound, &shelved.read.reading, &shelved.read.likeness, &FitRequest { wishes, ..FitRequest::of_length(length_samples) })
}

#[test]
fn splices_are_better_than_simple_cuts() {
    let [mut ours, mut ends, mut round, mut nearest, mut anywhere] = [(); 5].map(|()| Worth::default());
    let (mut asked, mut kept) = (0, 0);
    let mut chance = SmallRng::seed_from_u64(5);
    for shelved in SHELF.iter() {
        let truth = Truth::of(shelved);
        let end_s = shelved.piece.score.length_s();
        for share in [0.35, 0.5, 0.7, 0.85, 1.2, 1.45, 1.7, 2.0] {
            // A whole number of seconds, as cuts are; not of bars.
            let length_s = (share * end_s).round();
            let fitting = fit(shelved, samples_from_seconds(length_s));
            assert_eq!(fitting.end_samples(), samples_from_seconds(length_s), "{} to {length_s} s", shelved.piece.id);
            (asked, kept) = (asked + 1, kept + usize::from(fitting.end == FittingEnd::OwnEnding));
            let seconds = |samples: u64| seconds_from_samples(samples);
            let joins: Vec<Join> = fitting.splices.iter().map(|s| (seconds(s.leave_samples), seconds(s.enter_samples))).collect();
            let lines = &truth.lines_s;
            let mut line = || lines[chance.random_range(1..lines.len() - 1)];
            let random: Vec<Join> = joins.iter().map(|_| (line(), line())).collect();
            ours.add(&truth, &joins);
            ends.add(&truth, &head_and_tail(lines, end_s, length_s));
            round.add(&truth, &again_and_again(lines, end_s, length_s));
            nearest.add(&truth, &greedy(shelved, length_s));
            anywhere.add(&truth, &random);
        }
    }
    println!("own ending in {kept} of {asked}");
    // To trim and fade would keep it in none.
    assert!(Worth::share(kept, asked) > 0.9, "{kept} of {asked}");
    let (good, bad, all) = ours.told("fitted");
    assert!(good > 0.9 && bad < 0.05 && all > 0.85, "good {good:.3}, bad {bad:.3}, edits {all:.3}");
    assert!(ours.same_beat == ours.joins && ours.worst_ms < 20.0, "{} of {}, {:.1} ms", ours.same_beat, ours.joins, ours.worst_ms);
    for (way, name) in [(ends, "head and tail"), (round, "again and again"), (nearest, "the likeliest at once"), (anywhere, "bar lines at random")] {
        let (theirs, worse, edits) = way.told(name);
        assert!(good > theirs && all > edits && bad <= worse, "{name}: good {theirs:.3}, bad {worse:.3}, edits {edits:.3}");
    }
}
