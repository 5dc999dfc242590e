//! The music of the stand-in supplier: pieces in clearly different styles, with made-up makers
//! and terms of every kind.

use crate::arrange::{Chords, Drums, Recipe, arrange};
use crate::score::Score;
use jaunty_core::terms::Terms;

/// A piece on the shelf.
#[derive(Debug, Clone)]
pub struct Piece {
    /// The supplier's name of it.
    pub id: &'static str,
    /// The notes.
    pub score: Score,
    /// Who made it.
    pub maker: &'static str,
    /// Words for its mood.
    pub moods: &'static [&'static str],
    /// Its style.
    pub style: &'static str,
    /// Whether somebody sings.
    pub singing: bool,
    /// The terms of use.
    pub terms: Terms,
}

const M: bool = true;
const J: bool = false;
const R: i32 = -9;

/// Everything on the shelf.
pub fn pieces() -> Vec<Piece> {
    let piece = |id, maker, style, moods, singing, terms, recipe: Recipe| Piece { id, score: arrange(&recipe), maker, moods, style, singing, terms };
    vec![
        piece("paper-kites", "Ida Fenwick", "acoustic pop", &["bright", "hopeful"], false, Terms::FreeWithCredit, Recipe {
            title: "Paper Kites", tempo_bpm: 112.0, metre: 4,
            a: &[(0, J), (7, J), (9, M), (5, J)], b: &[(5, J), (0, J), (7, J), (9, M)],
            form: &[('A', 4, 0), ('A', 8, 1), ('B', 8, 2), ('A', 8, 2), ('B', 8, 3), ('A', 4, 1)],
            programs: [32, 25, 48, 73], chords: Chords::Strummed, drums: Drums::Rock,
            tune: &[4, R, 5, 4, 2, R, R, R, 2, R, 4, 2, 1, R, R, R], lead_from: 2,
        }),
        piece("night-tram", "Orso Valk", "electronic, driving", &["driving", "urban"], false, Terms::PaidPlan, Recipe {
            title: "Night Tram", tempo_bpm: 124.0, metre: 4,
            a: &[(9, M), (5, J), (0, J), (7, J)], b: &[(2, M), (9, M), (5, J), (7, J)],
            form: &[('A', 8, 0), ('A', 8, 1), ('A', 8, 2), ('B', 8, 3), ('A', 8, 0), ('B', 8, 3), ('A', 8, 2)],
            programs: [38, 81, 90, 80], chords: Chords::OffBeat, drums: Drums::Four,
            tune: &[0, R, 0, 2, R, 4, R, 2, 0, R, R, R, R, R, R, R], lead_from: 3,
        }),
        piece("quiet-ledger", "Ida Fenwick", "piano alone, no drums", &["calm", "thoughtful"], false, Terms::FreeWithCredit, Recipe {
            title: "Quiet Ledger", tempo_bpm: 76.0, metre: 4,
            a: &[(9, M), (4, M), (5, J), (0, J)], b: &[(2, M), (7, J), (0, J), (9, M)],
            form: &[('A', 8, 0), ('B', 8, 2), ('A', 8, 2), ('B', 4, 0)],
            programs: [0, 0, 48, 0], chords: Chords::Broken, drums: Drums::None,
            tune: &[4, R, R, R, 5, R, 4, R, 2, R, R, R, R, R, R, R], lead_from: 2,
        }),
        piece("summit-line", "Kettle & Thorne", "orchestral, one long build", &["grand", "hopeful", "tense"], false, Terms::PaidPlan, Recipe {
            title: "Summit Line", tempo_bpm: 92.0, metre: 4,
            a: &[(2, M), (10, J), (5, J), (0, J)], b: &[(2, M), (9, M), (10, J), (0, J)],
            form: &[('A', 8, 0), ('A', 8, 1), ('B', 8, 1), ('A', 8, 2), ('B', 8, 3), ('B', 8, 3)],
            programs: [43, 45, 48, 60], chords: Chords::Broken, drums: Drums::Half,
            tune: &[0, R, R, R, 2, R, R, R, 4, R, R, R, 3, R, 2, R], lead_from: 2,
        }),
        piece("rosehip-waltz", "Mirela Stanek", "chamber waltz, in three", &["tender", "old-time"], false, Terms::OneProject, Recipe {
            title: "Rosehip Waltz", tempo_bpm: 138.0, metre: 3,
            a: &[(7, J), (7, J), (2, J), (7, J)], b: &[(0, J), (7, J), (2, J), (7, J)],
            form: &[('A', 8, 1), ('A', 16, 2), ('B', 16, 3), ('A', 16, 2)],
            programs: [32, 21, 48, 40], chords: Chords::After, drums: Drums::Three,
            tune: &[4, R, 4, R, 5, R, 4, R, R, R, 2, R, 1, R, 2, R, 4, R, 0, R, R, R, R, R], lead_from: 2,
        }),
        piece("hollow-reed", "Juno Alder", "folk, sung", &["warm", "hopeful"], true, Terms::NonCommercialOnly, Recipe {
            title: "Hollow Reed", tempo_bpm: 98.0, metre: 4,
            a: &[(2, J), (7, J), (9, J), (2, J)], b: &[(11, M), (7, J), (2, J), (9, J)],
            form: &[('A', 4, 1), ('A', 8, 2), ('B', 8, 3), ('A', 8, 2), ('B', 8, 3), ('A', 4, 0)],
            programs: [32, 24, 48, 53], chords: Chords::Strummed, drums: Drums::Rock,
            tune: &[2, R, R, 2, 4, R, R, R, 5, R, 4, R, 2, R, R, R], lead_from: 2,
        }),
        piece("tin-parade", "The Cellar Nine", "brass march", &["playful", "bright"], false, Terms::FreeWithCredit, Recipe {
            title: "Tin Parade", tempo_bpm: 118.0, metre: 4,
            a: &[(10, J), (5, J), (10, J), (5, J)], b: &[(3, J), (10, J), (0, M), (5, J)],
            form: &[('A', 4, 1), ('A', 8, 2), ('B', 8, 2), ('A', 8, 3), ('B', 8, 3)],
            programs: [58, 60, 61, 56], chords: Chords::OffBeat, drums: Drums::March,
            tune: &[0, R, 2, R, 4, R, 2, 4, 5, R, 4, R, 2, R, R, R], lead_from: 2,
        }),
        piece("glass-orchard", "Orso Valk", "ambient, no drums", &["calm", "mysterious"], false, Terms::NonCommercialOnly, Recipe {
            title: "Glass Orchard", tempo_bpm: 66.0, metre: 4,
            a: &[(4, M), (0, J), (7, J), (2, J)], b: &[(9, M), (4, M), (0, J), (2, J)],
            form: &[('A', 8, 0), ('B', 8, 2), ('A', 8, 0), ('B', 4, 2)],
            programs: [39, 88, 94, 98], chords: Chords::Held, drums: Drums::None,
            tune: &[4, R, R, R, R, R, 7, R, R, R, 4, R, R, R, R, R], lead_from: 2,
        }),
        piece("lowland-post", "Mirela Stanek", "slow beat, electric piano", &["warm", "thoughtful"], false, Terms::FreeWithCredit, Recipe {
            title: "Lowland Post", tempo_bpm: 84.0, metre: 4,
            a: &[(2, M), (7, J), (0, J), (9, M)], b: &[(5, J), (4, M), (2, M), (7, J)],
            form: &[('A', 8, 1), ('A', 8, 2), ('B', 8, 2), ('A', 8, 3)],
            programs: [33, 4, 89, 11], chords: Chords::Held, drums: Drums::Half,
            tune: &[R, R, 4, R, 2, R, R, R, R, R, 5, R, 4, 2, R, R], lead_from: 3,
        }),
        piece("slate-and-copper", "Kettle & Thorne", "tense strings, pulsing", &["tense", "driving"], false, Terms::OneProject, Recipe {
            title: "Slate and Copper", tempo_bpm: 132.0, metre: 4,
            a: &[(0, M), (8, J), (3, J), (10, J)], b: &[(5, M), (0, M), (8, J), (7, J)],
            form: &[('A', 8, 0), ('A', 8, 1), ('B', 8, 2), ('A', 8, 3), ('A', 8, 1), ('B', 8, 3)],
            programs: [43, 45, 44, 48], chords: Chords::Broken, drums: Drums::Four,
            tune: &[0, R, R, R, R, R, R, R, 2, R, R, R, R, R, R, R], lead_from: 2,
        }),
        piece("velvet-ledge", "The Cellar Nine", "small jazz band, sung", &["playful", "old-time"], true, Terms::PaidPlan, Recipe {
            title: "Velvet Ledge", tempo_bpm: 126.0, metre: 4,
            a: &[(2, M), (7, J), (0, J), (9, M)], b: &[(4, M), (9, J), (2, M), (7, J)],
            form: &[('A', 8, 1), ('A', 8, 2), ('B', 8, 2), ('A', 8, 2), ('B', 8, 3)],
            programs: [32, 26, 17, 54], chords: Chords::After, drums: Drums::Brushes,
            tune: &[R, 4, R, 5, 4, R, 2, R, R, 1, R, 2, 0, R, R, R], lead_from: 2,
        }),
        piece("morning-ferry", "Juno Alder", "light marimba and guitar", &["bright", "playful"], false, Terms::FreeWithCredit, Recipe {
            title: "Morning Ferry", tempo_bpm: 104.0, metre: 4,
            a: &[(5, J), (0, J), (10, J), (5, J)], b: &[(2, M), (10, J), (5, J), (0, J)],
            form: &[('A', 4, 0), ('A', 8, 1), ('B', 8, 2), ('A', 8, 2), ('B', 8, 2), ('A', 4, 1)],
            programs: [32, 12, 24, 12], chords: Chords::Broken, drums: Drums::Brushes,
            tune: &[4, 2, R, 4, R, 2, 0, R, 5, 4, R, 2, R, R, R, R], lead_from: 2,
        }),
        piece("candle-arithmetic", "Ida Fenwick", "music box in six, no drums", &["tender", "mysterious"], false, Terms::FreeWithCredit, Recipe {
            title: "Candle Arithmetic", tempo_bpm: 116.0, metre: 3,
            a: &[(9, M), (5, J), (0, J), (4, J)], b: &[(2, M), (9, M), (4, J), (9, M)],
            form: &[('A', 16, 0), ('B', 16, 2), ('A', 16, 2)],
            programs: [46, 10, 49, 10], chords: Chords::Broken, drums: Drums::None,
            tune: &[4, R, 2, R, 4, R, 5, R, R, R, 4, R], lead_from: 2,
        }),
    ]
}
