//! What an alternative likes better: weights of the planner.

/// Weights of the terms that differ between alternatives.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Taste {
    /// Every join.
    pub join: f32,
    /// What is heard again.
    pub again: f32,
    /// The bed's own ending, a stop with a ring-out, a fade.
    pub own: f32,
    /// See `own`.
    pub stop: f32,
    /// See `own`.
    pub fade: f32,
    /// What a bed that may begin as it begins pays for beginning elsewhere: two splices that are just fair, with
    /// their places in the phrase and what is left over, are worth keeping the opening.
    pub opening_lost: f32,
    /// What a bed with an ending of its own pays for a stop or a fade: more, so that the opening is given up first.
    pub ending_lost: f32,
    /// What a bed that fades out by itself pays for another end: about two good splices, and less than the opening, for
    /// a fade can be made anywhere.
    pub own_fade_lost: f32,
    /// A bar among the quieter two thirds.
    pub weak: f32,
    /// A bar among the louder half.
    pub strong: f32,
    /// Distance from a level that grows.
    pub builds: f32,
    /// A loud bar under speech, and a quiet one in a gap.
    pub under_speech: f32,
    /// Singing under speech.
    pub singing_under_speech: f32,
    /// A downbeat on a picture cut: what it earns; a strong one on a marked moment earns three times as much.
    pub marks: f32,
    /// A bar like the one that an earlier alternative plays at the same time.
    pub apart: f32,
}

impl Taste {
    /// The least cost with whatever start and end.
    pub const BEST: Self = Self {
        join: 0.5,
        again: 0.0,
        own: 0.0,
        stop: 0.8,
        fade: 1.0,
        opening_lost: 6.0,
        ending_lost: 10.0,
        own_fade_lost: 3.0,
        weak: 0.0,
        strong: 0.0,
        builds: 0.0,
        under_speech: 0.0,
        singing_under_speech: 0.0,
        marks: 0.0,
        apart: 0.05,
    };

    /// The cost of a bar of `rank` (0 the quietest, 1 the loudest) wherever it is heard.
    pub fn bar(&self, rank: f32) -> f32 {
        (if rank < 0.65 { self.weak } else { 0.0 }) + if rank > 0.5 { self.strong } else { 0.0 }
    }

    /// Whether a bar's cost depends on when it is heard.
    pub fn is_placed(&self) -> bool {
        self.builds > 0.0
    }
}
