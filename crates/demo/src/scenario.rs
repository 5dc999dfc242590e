//! The cut: shots, moments and lines.

use crate::narration::Line;

/// A shot of the film.
#[derive(Debug, Clone, Copy)]
pub struct Shot {
    /// What is seen.
    pub name: &'static str,
    /// Its first frame.
    pub start_frame: u64,
}

/// A marked moment of the film.
#[derive(Debug, Clone, Copy)]
pub struct Moment {
    /// What happens.
    pub name: &'static str,
    /// When.
    pub frame: u64,
}

/// The cut of the scenario.
#[derive(Debug, Clone, Copy)]
pub struct Cut {
    /// Its title.
    pub title: &'static str,
    /// Frames a second.
    pub frames_per_second: u32,
    /// Its length.
    pub length_frames: u64,
    /// Its shots in order.
    pub shots: &'static [Shot],
    /// Its moments in order.
    pub moments: &'static [Moment],
}

const fn shot(start_frame: u64, name: &'static str) -> Shot {
    Shot { name, start_frame }
}

const fn moment(frame: u64, name: &'static str) -> Moment {
    Moment { name, frame }
}

const fn line(start_s: f64, words: &'static str) -> Line {
    Line { start_s, words }
}

/// "The Market Hall Clock", 1:30 at 25 frames a second.
pub const CUT: Cut = Cut {
    title: "The Market Hall Clock",
    frames_per_second: 25,
    length_frames: 2250,
    shots: &[
        shot(0, "tower at dawn"),
        shot(150, "market hall"),
        shot(362, "workbench"),
        shot(570, "gear train"),
        shot(825, "hands"),
        shot(1060, "rain on the square"),
        shot(1320, "new wheels"),
        shot(1625, "the ladder"),
        shot(1935, "noon"),
    ],
    moments: &[moment(592, "lid lifted"), moment(1395, "first tick"), moment(1960, "strike of noon")],
};

/// What the narrator says, and when.
pub const LINES: [Line; 12] = [
    line(6.2, "For ninety years the market hall told the town what time it was."),
    line(11.4, "Then, one winter, it stopped."),
    line(17.0, "Nobody had drawings, and the maker was long gone."),
    line(28.2, "So six of us took it apart,"),
    line(30.9, "tooth by tooth, on a bench of planks."),
    line(38.8, "Every Thursday, after work, in the cold."),
    line(47.6, "Some wheels had to be cut again."),
    line(50.6, "Others only wanted patience."),
    line(60.4, "The last pin went in on a Sunday."),
    line(68.6, "We carried it up the ladder in pieces,"),
    line(71.8, "and nobody dared to speak."),
    line(81.2, "At noon, it struck."),
];
