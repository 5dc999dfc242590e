//! The beds of the scenario, composed.

use crate::score::{DRUMS, Score};

const KICK: i32 = 36;
const SNARE: i32 = 38;
const RIM: i32 = 37;
const HAT: i32 = 42;
const OPEN_HAT: i32 = 46;
const CRASH: i32 = 49;
const TOM_HIGH: i32 = 50;
const TOM_MID: i32 = 47;
const TOM_LOW: i32 = 43;

/// A chord as root (MIDI key of the bass) and whether it is minor.
type Chord = (i32, bool);

fn tones(chord: Chord) -> [i32; 3] {
    [chord.0, chord.0 + if chord.1 { 3 } else { 4 }, chord.0 + 7]
}

/// How full a stretch is played, 0 (bare) to 3 (everything).
struct Stretch {
    bars: usize,
    fullness: usize,
    chords: &'static [Chord],
    tune: &'static [(f64, i32, f64)],
}

// D major around middle C: roots in the bass octave.
const D: Chord = (38, false);
const E_MINOR: Chord = (40, true);
const F_SHARP_MINOR: Chord = (42, true);
const G: Chord = (43, false);
const A: Chord = (45, false);
const B_MINOR: Chord = (47, true);

const OPENING: &[Chord] = &[B_MINOR, G, D, A, G, A];
const VERSE: &[Chord] = &[D, A, B_MINOR, G, D, A, G, A];
const CHORUS: &[Chord] = &[G, A, B_MINOR, F_SHARP_MINOR, G, A, D, D];
const BREAK: &[Chord] = &[E_MINOR, B_MINOR, G, A];

/// (beat within four bars, key, length): what is sung by the clarinet in the chorus.
const CHORUS_TUNE: &[(f64, i32, f64)] = &[
    (0.0, 74, 1.5),
    (1.5, 71, 0.5),
    (2.0, 69, 2.0),
    (4.0, 73, 1.5),
    (5.5, 69, 0.5),
    (6.0, 76, 2.0),
    (8.0, 78, 1.0),
    (9.0, 76, 1.0),
    (10.0, 74, 2.0),
    (12.0, 73, 1.0),
    (13.0, 69, 1.0),
    (14.0, 66, 2.0),
];
const VERSE_TUNE: &[(f64, i32, f64)] = &[(0.5, 81, 0.5), (2.0, 78, 0.5), (4.5, 76, 0.5), (6.0, 73, 1.0), (8.5, 74, 0.5), (10.0, 78, 0.5), (12.0, 79, 1.5)];

/// "Copper Escapement": 104 BPM in four, 2:44, built up to two choruses, with its own ending.
pub fn copper_escapement() -> Score {
    let mut score = Score {
        title: "Copper Escapement",
        tempo_bpm: 104.0,
        metre: 4,
        bars: 70,
        head_s: 0.0,
        tail_s: 2.4,
        // Guitar, pizzicato, bass, strings, glockenspiel, clarinet, drums.
        instruments: vec![(0, 25, 88, 48), (1, 45, 96, 80), (2, 33, 100, 64), (3, 48, 66, 70), (4, 9, 62, 90), (5, 71, 84, 54), (DRUMS, 0, 92, 64)],
        notes: Vec::new(),
        part_bars: Vec::new(),
    };
    let form = [
        Stretch { bars: 6, fullness: 0, chords: OPENING, tune: &[] },
        Stretch { bars: 16, fullness: 1, chords: VERSE, tune: VERSE_TUNE },
        Stretch { bars: 16, fullness: 3, chords: CHORUS, tune: CHORUS_TUNE },
        Stretch { bars: 8, fullness: 0, chords: BREAK, tune: &[] },
        Stretch { bars: 8, fullness: 2, chords: VERSE, tune: VERSE_TUNE },
        Stretch { bars: 16, fullness: 3, chords: CHORUS, tune: CHORUS_TUNE },
    ];
    let mut bar = 0;
    for (index, stretch) in form.iter().enumerate() {
        score.part_bars.push(bar);
        for k in 0..stretch.bars {
            let chord = stretch.chords[k % stretch.chords.len()];
            let start = (bar * 4) as f64;
            strings_and_guitar(&mut score, stretch, chord, start);
            bass_line(&mut score, stretch, chord, start);
            let fill = k + 1 == stretch.bars && index + 1 < form.len();
            drums_in_four(&mut score, stretch.fullness, start, k == 0, fill, k % 2 == 1);
            if k % 4 == 0 {
                let channel = if stretch.fullness == 3 { 5 } else { 4 };
                for &(at, key, length) in stretch.tune {
                    score.note(channel, key, 84, start + at, length);
                }
            }
            bar += 1;
        }
    }
    let end = (bar * 4) as f64;
    for (channel, keys) in [(0, &[50, 57, 62, 66][..]), (1, &[62, 66, 69]), (2, &[38]), (3, &[62, 66, 69, 74]), (4, &[86])] {
        for &key in keys {
            score.note(channel, key, 104, end, 3.0);
        }
    }
    score.note(DRUMS, KICK, 112, end, 1.0);
    score.note(DRUMS, CRASH, 100, end, 2.0);
    score
}

fn strings_and_guitar(score: &mut Score, stretch: &Stretch, chord: Chord, start: f64) {
    let [root, third, fifth] = tones(chord);
    let pattern = [root + 12, fifth + 12, third + 24, fifth + 12, root + 24, fifth + 12, third + 24, fifth + 12];
    for (k, &key) in pattern.iter().enumerate() {
        let accent = if k % 4 == 0 { 14 } else { 0 };
        score.note(0, key, 62 + accent + 6 * stretch.fullness as i32, start + k as f64 * 0.5, 0.6);
    }
    for beat in [0.0, 1.5, 3.0] {
        score.note(1, third + 24, 60 + 8 * stretch.fullness as i32, start + beat, 0.4);
    }
    if stretch.fullness >= 2 || stretch.chords.len() == 4 {
        for key in [root + 24, third + 24, fifth + 24] {
            score.note(3, key, 58 + 10 * stretch.fullness as i32, start, 3.9);
        }
    }
}

fn bass_line(score: &mut Score, stretch: &Stretch, chord: Chord, start: f64) {
    let [root, _, fifth] = tones(chord);
    match stretch.fullness {
        0 => score.note(2, root, 70, start, 3.5),
        1 => [(0.0, root), (2.0, root), (3.5, fifth)].iter().for_each(|&(at, key)| score.note(2, key, 84, start + at, 1.0)),
        _ => {
            for (at, key) in [(0.0, root), (1.0, root), (1.5, fifth), (2.0, root + 12), (3.0, fifth), (3.5, root)] {
                score.note(2, key, 92, start + at, 0.5);
            }
        }
    }
}

fn drums_in_four(score: &mut Score, fullness: usize, start: f64, first: bool, fill: bool, second: bool) {
    if fullness == 0 {
        // A tick like a clock's.
        [0.0, 2.0].iter().for_each(|at| score.note(DRUMS, RIM, 40, start + at, 0.2));
    } else {
        let hats = if fullness >= 2 { 8 } else { 4 };
        for k in 0..hats {
            let at = k as f64 * 4.0 / f64::from(hats);
            score.note(DRUMS, HAT, if k % 2 == 0 { 66 } else { 50 }, start + at, 0.2);
        }
        let kicks: &[f64] = if second { &[0.0, 2.5] } else { &[0.0, 1.75, 2.0] };
        kicks.iter().take(fullness + 1).for_each(|at| score.note(DRUMS, KICK, 100, start + at, 0.3));
        let snare = if fullness == 1 { RIM } else { SNARE };
        [1.0, 3.0].iter().for_each(|at| score.note(DRUMS, snare, 70 + 10 * fullness as i32, start + at, 0.3));
        if fullness == 3 && second {
            score.note(DRUMS, OPEN_HAT, 70, start + 3.5, 0.4);
        }
    }
    if first && fullness >= 1 {
        score.note(DRUMS, CRASH, 88, start, 2.0);
    }
    if fill {
        for (k, drum) in [TOM_HIGH, TOM_HIGH, TOM_MID, TOM_MID, TOM_LOW, TOM_LOW].iter().enumerate() {
            score.note(DRUMS, *drum, 78 + 5 * k as i32, start + 2.5 + 0.25 * k as f64, 0.2);
        }
    }
}

/// "Seven Lanterns": a waltz at 132 BPM, 1:20, with its own ending.
pub fn seven_lanterns() -> Score {
    let mut score = Score {
        title: "Seven Lanterns",
        tempo_bpm: 132.0,
        metre: 3,
        bars: 57,
        head_s: 0.35,
        tail_s: 1.9,
        // Accordion, contrabass, piano, violin, drums.
        instruments: vec![(0, 21, 74, 50), (1, 32, 104, 64), (2, 0, 86, 78), (3, 40, 82, 58), (DRUMS, 0, 70, 64)],
        notes: Vec::new(),
        part_bars: vec![0, 8, 16, 32, 48],
    };
    const C: Chord = (36, false);
    const F: Chord = (41, false);
    const G7: Chord = (43, false);
    const AM: Chord = (45, true);
    const DM: Chord = (38, true);
    const EM: Chord = (40, true);
    const FIRST: [Chord; 8] = [AM, EM, F, C, DM, AM, G7, C];
    const SECOND: [Chord; 8] = [F, C, G7, AM, F, C, DM, G7];
    const TUNE: [(f64, i32, f64); 9] =
        [(0.0, 76, 2.0), (2.0, 74, 1.0), (3.0, 71, 2.0), (5.0, 72, 1.0), (6.0, 72, 1.0), (7.0, 69, 1.0), (8.0, 65, 1.0), (9.0, 67, 2.0), (11.0, 64, 1.0)];
    for bar in 0..56usize {
        let (chords, full) = match bar / 8 {
            0 | 1 | 4 | 5 => (&FIRST, bar >= 8),
            _ => (&SECOND, true),
        };
        let [root, third, fifth] = tones(chords[bar % 8]);
        let start = (bar * 3) as f64;
        score.note(1, root, 96, start, 0.9);
        for beat in [1.0, 2.0] {
            [root + 24, third + 24, fifth + 24].iter().for_each(|&key| score.note(2, key, 92, start + beat, 0.5));
        }
        if full {
            [root + 24, third + 24, fifth + 24].iter().for_each(|&key| score.note(0, key, 40, start, 2.8));
            score.note(DRUMS, KICK, 64, start, 0.3);
            [1.0, 2.0].iter().for_each(|at| score.note(DRUMS, RIM, 58, start + at, 0.2));
        }
        if bar % 4 == 0 && full {
            TUNE.iter().for_each(|&(at, key, length)| score.note(3, key + if bar / 8 % 2 == 0 { 0 } else { 5 }, 82, start + at, length));
        }
    }
    for (channel, keys) in [(0, &[60, 64, 67][..]), (1, &[36]), (2, &[48, 60, 64, 67, 72]), (3, &[79])] {
        keys.iter().for_each(|&key| score.note(channel, key, 104, 168.0, 2.5));
    }
    score
}

/// "Bench Lamp": eight bars at 120 BPM that return to their start, 16 seconds.
pub fn bench_lamp() -> Score {
    let mut score = Score {
        title: "Bench Lamp",
        tempo_bpm: 120.0,
        metre: 4,
        bars: 8,
        head_s: 0.0,
        tail_s: 0.0,
        // Electric piano, bass, warm pad, drums.
        instruments: vec![(0, 4, 90, 54), (2, 33, 100, 64), (3, 89, 70, 70), (DRUMS, 0, 88, 64)],
        notes: Vec::new(),
        part_bars: vec![0],
    };
    for (bar, chord) in [B_MINOR, G, D, A, B_MINOR, G, E_MINOR, A].into_iter().enumerate() {
        let start = (bar * 4) as f64;
        let [root, third, fifth] = tones(chord);
        for (at, key) in [(0.0, root + 24), (0.75, third + 24), (1.5, fifth + 24), (2.5, third + 24), (3.25, root + 36)] {
            score.note(0, key, 78, start + at, 0.7);
        }
        [root + 12, third + 12, fifth + 12].iter().for_each(|&key| score.note(3, key, 60, start, 3.9));
        [(0.0, root), (1.5, root), (2.5, fifth)].iter().for_each(|&(at, key)| score.note(2, key, 92, start + at, 0.8));
        drums_in_four(&mut score, 2, start, false, bar == 7, bar % 2 == 1);
    }
    score
}
