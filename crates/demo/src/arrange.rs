//! From a recipe to a score: chords, a form, and who plays what.

use crate::score::{DRUMS, Score};

/// How the drums play.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Drums {
    /// Not at all.
    None,
    /// Back beat, hi-hat in eighths.
    Rock,
    /// Bass drum on every beat, open hi-hat between.
    Four,
    /// Slow, the snare on the third beat.
    Half,
    /// Rim and ride, soft.
    Brushes,
    /// In three: bass drum, then two rims.
    Three,
    /// Snare in rolls, as on parade.
    March,
}

/// How the chords are played.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Chords {
    /// Held.
    Held,
    /// Broken into eighths.
    Broken,
    /// Short, on the off-beats.
    OffBeat,
    /// Strummed in a pattern.
    Strummed,
    /// After the bass, on the other beats.
    After,
}

/// A section: which chords, how many bars, how full (0 to 3).
pub type Part = (char, usize, u8);

/// Everything that makes a piece.
#[derive(Debug, Clone)]
pub struct Recipe {
    /// Its title.
    pub title: &'static str,
    /// Beats a minute.
    pub tempo_bpm: f64,
    /// Beats in a bar.
    pub metre: usize,
    /// Chords of section A: root as semitones over C, and whether minor.
    pub a: &'static [(i32, bool)],
    /// Chords of section B.
    pub b: &'static [(i32, bool)],
    /// The form.
    pub form: &'static [Part],
    /// General MIDI programs of bass, chords, pad and lead.
    pub programs: [i32; 4],
    /// How the chords are played.
    pub chords: Chords,
    /// How the drums play.
    pub drums: Drums,
    /// Steps of the tune in the scale over the root, one an eighth; -9 is a rest.
    pub tune: &'static [i32],
    /// From which fullness on the lead plays.
    pub lead_from: u8,
}

const MAJOR: [i32; 7] = [0, 2, 4, 5, 7, 9, 11];
const MINOR: [i32; 7] = [0, 2, 3, 5, 7, 8, 10];

/// Plays a recipe.
pub fn arrange(recipe: &Recipe) -> Score {
    let [bass, comp, pad, lead] = recipe.programs;
    let bars: usize = recipe.form.iter().map(|part| part.1).sum();
    let mut score = Score {
        title: recipe.title,
        tempo_bpm: recipe.tempo_bpm,
        metre: recipe.metre,
        bars: bars + 1,
        head_s: 0.2,
        tail_s: 2.2,
        instruments: vec![(0, bass, 100, 64), (1, comp, 84, 46), (2, pad, 66, 74), (3, lead, 96, 64), (DRUMS, 0, 92, 64)],
        notes: Vec::new(),
        part_bars: Vec::new(),
    };
    let mut bar = 0;
    for &(letter, count, fullness) in recipe.form {
        score.part_bars.push(bar);
        let chords = if letter == 'A' { recipe.a } else { recipe.b };
        for k in 0..count {
            let last_of_phrase = k + 1 == count || k % 8 == 7;
            one_bar(&mut score, recipe, chords[k % chords.len()], bar, k, fullness, last_of_phrase);
            bar += 1;
        }
    }
    let (root, minor) = recipe.a[0];
    let at = (bars * recipe.metre) as f64;
    let third = if minor { 3 } else { 4 };
    score.note(0, 36 + root, 112, at, 2.0);
    for key in [48, 55, 60, 60 + third, 67] {
        score.note(1, key + root, 104, at, 2.0);
        score.note(2, key + root, 84, at, 2.0);
    }
    if recipe.drums != Drums::None {
        score.note(DRUMS, 36, 112, at, 0.5);
        score.note(DRUMS, 49, 96, at, 2.0);
    }
    score
}

fn one_bar(score: &mut Score, recipe: &Recipe, (root, minor): (i32, bool), bar: usize, k: usize, fullness: u8, last_of_phrase: bool) {
    let start = (bar * recipe.metre) as f64;
    let beats = recipe.metre;
    let long = beats as f64 - 0.1;
    let third = if minor { 3 } else { 4 };
    let tones = [root, root + third, root + 7];
    if fullness > 0 {
        score.note(0, 36 + root, 100, start, if beats == 3 { 1.0 } else { 1.5 });
        match beats {
            3 => {}
            _ if fullness > 1 => {
                score.note(0, 36 + root, 84, start + 1.5, 0.5);
                score.note(0, 36 + root + if k.is_multiple_of(2) { 7 } else { 12 }, 90, start + 2.0, 1.0);
                score.note(0, 36 + root + 7, 82, start + 3.0, 0.9);
            }
            _ => score.note(0, 36 + root + 7, 86, start + 2.0, 1.9),
        }
    }
    comp(score, recipe.chords, beats, start, tones, 60 + 9 * i32::from(fullness));
    if fullness != 1 {
        tones.iter().for_each(|t| score.note(2, 60 + t, 50 + 8 * i32::from(fullness), start, long));
    }
    if fullness >= recipe.lead_from {
        lead(score, recipe, (root, minor), start, k, fullness);
    }
    drums(score, recipe.drums, beats, start, fullness, last_of_phrase, k == 0);
}

fn comp(score: &mut Score, chords: Chords, beats: usize, start: f64, tones: [i32; 3], velocity: i32) {
    let mut chord = |at: f64, length: f64, velocity: i32| tones.iter().for_each(|t| score.note(1, 60 + t, velocity, start + at, length));
    match chords {
        Chords::Held => chord(0.0, beats as f64 - 0.1, velocity),
        Chords::OffBeat => (0..beats).for_each(|b| chord(b as f64 + 0.5, 0.3, velocity)),
        Chords::After => (1..beats).for_each(|b| chord(b as f64, 0.45, velocity)),
        Chords::Strummed => {
            for (at, strength) in [(0.0, 8), (1.0, 0), (1.5, -6), (2.5, 2), (3.0, -2), (3.5, -8)] {
                if at < beats as f64 {
                    chord(at, 0.45, velocity + strength);
                }
            }
        }
        Chords::Broken => {
            for step in 0..2 * beats {
                let tone = tones[[0, 1, 2, 1][step % 4]] + if step % 8 >= 4 { 12 } else { 0 };
                score.note(1, 60 + tone, velocity - if step % 2 == 0 { 0 } else { 8 }, start + step as f64 * 0.5, 0.7);
            }
        }
    }
}

fn lead(score: &mut Score, recipe: &Recipe, (root, minor): (i32, bool), start: f64, k: usize, fullness: u8) {
    let scale = if minor { MINOR } else { MAJOR };
    let eighths = 2 * recipe.metre;
    for step in 0..eighths {
        let degree = recipe.tune[(k * eighths + step) % recipe.tune.len()];
        if degree == -9 {
            continue;
        }
        let rests = (step + 1..eighths).take_while(|s| recipe.tune[(k * eighths + s) % recipe.tune.len()] == -9).count();
        let key = 72 + root + scale[degree.rem_euclid(7) as usize] + 12 * degree.div_euclid(7);
        score.note(3, if key > 88 { key - 12 } else { key }, 78 + 6 * i32::from(fullness), start + step as f64 * 0.5, 0.5 * (1 + rests) as f64 - 0.06);
    }
}

fn drums(score: &mut Score, drums: Drums, beats: usize, start: f64, fullness: u8, fill: bool, first: bool) {
    let [kick, rim, snare, hat, open, crash, ride, tom] = [36, 37, 38, 42, 46, 49, 51, 45];
    if drums == Drums::None || fullness == 0 {
        return;
    }
    let loud = 64 + 10 * i32::from(fullness);
    let mut hit = |drum: i32, velocity: i32, at: f64| score.note(DRUMS, drum, velocity, start + at, 0.2);
    match drums {
        Drums::None => {}
        Drums::Rock => {
            [0.0, 2.0, 2.5].iter().for_each(|at| hit(kick, loud + 8, *at));
            [1.0, 3.0].iter().for_each(|at| hit(snare, loud + 4, *at));
            (0..8).for_each(|k| hit(hat, loud - 26 + if k % 2 == 0 { 8 } else { 0 }, k as f64 * 0.5));
        }
        Drums::Four => {
            (0..4).for_each(|b| hit(kick, loud + 10, b as f64));
            (0..4).for_each(|b| hit(open, loud - 18, b as f64 + 0.5));
            if fullness > 1 {
                [1.0, 3.0].iter().for_each(|at| hit(snare, loud, *at));
                (0..16).for_each(|k| hit(hat, loud - 34, k as f64 * 0.25));
            }
        }
        Drums::Half => {
            hit(kick, loud + 6, 0.0);
            hit(kick, loud - 8, 1.75);
            hit(snare, loud + 2, 2.0);
            (0..4).for_each(|k| hit(hat, loud - 28, k as f64));
        }
        Drums::Brushes => {
            hit(kick, loud - 20, 0.0);
            [1.0, 3.0].iter().for_each(|at| hit(rim, loud - 22, *at));
            [0.0, 1.0, 1.66, 2.0, 3.0, 3.66].iter().for_each(|at| hit(ride, loud - 26, *at));
        }
        Drums::Three => {
            hit(kick, loud - 4, 0.0);
            [1.0, 2.0].iter().for_each(|at| hit(rim, loud - 18, *at));
        }
        Drums::March => {
            [0.0, 2.0].iter().for_each(|at| hit(kick, loud + 6, *at));
            [0.0f64, 0.5, 1.0, 1.25, 1.5, 1.75, 2.0, 2.5, 3.0, 3.25, 3.5, 3.75]
                .iter()
                .for_each(|at| hit(snare, loud - if at.fract() == 0.0 { 4 } else { 22 }, *at));
        }
    }
    if first && fullness > 1 {
        hit(crash, loud, 0.0);
    }
    if fill && fullness > 1 && beats == 4 {
        (0..4).for_each(|k| hit(if k < 2 { snare } else { tom }, loud - 6 + 5 * k, 3.0 + 0.25 * f64::from(k)));
    }
}
