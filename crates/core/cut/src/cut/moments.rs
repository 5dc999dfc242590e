//! Moments that lanes share: whatever begins or ends on a moment goes with it when it moves.

use super::{Cut, Effect};
use jaunty_fit::fit::Passage;
use jaunty_shape::shape::LevelObject;
use jaunty_units::units::FrameRate;

/// Where moments were and are, in samples of the cut.
struct Moved {
    /// From where to where.
    moves: Vec<(u64, u64)>,
    /// What lies nearer to a moment than this lies on it.
    reach_samples: u64,
}

impl Moved {
    fn new(moves: &[(u64, u64)], rate: FrameRate) -> Self {
        let samples = |frame: u64| rate.samples_from_frames(frame);
        Self { moves: moves.iter().filter(|(from, to)| from != to).map(|&(from, to)| (samples(from), samples(to))).collect(), reach_samples: samples(1) / 2 }
    }

    fn place(&self, at: u64) -> u64 {
        let on = |from: u64| from.abs_diff(at) <= self.reach_samples;
        self.moves.iter().find(|(from, _)| on(*from)).map_or(at, |&(_, to)| to)
    }

    /// A span with its ends where they are then; as it was where nothing would be left of it.
    fn span(&self, span: (u64, u64)) -> (u64, u64) {
        let (from, to) = (self.place(span.0), self.place(span.1));
        if from < to { (from, to) } else { span }
    }

    fn passages(&self, levels: &mut [LevelObject]) -> bool {
        let mut any = false;
        for level in levels {
            if let LevelObject::Sweep { start_samples, end_samples, rise_samples, fall_samples, .. } = level {
                let was = (*start_samples, *end_samples);
                (*start_samples, *end_samples) = self.span(was);
                any |= was != (*start_samples, *end_samples);
                let half = (*end_samples - *start_samples) / 2;
                (*rise_samples, *fall_samples) = ((*rise_samples).min(half), (*fall_samples).min(half));
            }
        }
        any
    }

    fn passage(&self, passage: &mut Passage) {
        (passage.start_samples, passage.end_samples) = self.span((passage.start_samples, passage.end_samples));
    }
}

impl Cut {
    /// What begins or ends on a moment goes with it: beds, the film's own sound, ambiences, and passages by hand of all of
    /// them. `moves` say from which frame to which.
    pub(super) fn moments_moved(&mut self, moves: &[(u64, u64)]) -> Effect {
        let moved = Moved::new(moves, self.setup.picture.rate);
        let before = self.setup.clone();
        let setup = &mut self.setup;
        for ambience in &mut setup.ambiences {
            moved.passages(&mut ambience.by_hand);
            let (start, end) = moved.span((ambience.start_samples, ambience.end_samples.unwrap_or(u64::MAX)));
            (ambience.start_samples, ambience.end_samples) = (start, ambience.end_samples.map(|_| end));
        }
        if let Some(film) = &mut setup.film {
            moved.passages(&mut film.wish.by_hand);
            film.wish.place.iter_mut().for_each(|p| moved.passage(p));
        }
        setup.candidates.iter_mut().filter_map(|c| c.wishes.place.as_mut()).for_each(|p| moved.passage(p));
        setup.laid.iter_mut().filter_map(|l| l.wishes.place.as_mut()).for_each(|p| moved.passage(p));
        let mut of_beds = false;
        for layer in self.plan.layers.iter_mut().filter(|l| l.fitting.is_some()) {
            of_beds |= moved.passages(&mut layer.levels);
        }
        match (self.setup.sounds_like(&before), of_beds) {
            (true, false) => Effect::Note(None),
            (true, true) => Effect::Reshape,
            (false, _) => Effect::Replan,
        }
    }
}
