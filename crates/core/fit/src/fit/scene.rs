//! What a bed is fitted under: the narration and the picture, in samples of the cut.

use jaunty_units::SAMPLE_RATE_HZ;

/// Steps of the tables: 10 ms.
const STEP: i64 = SAMPLE_RATE_HZ as i64 / 100;
/// A downbeat this far from a picture cut is on it for nobody: 80 ms, two frames at 25.
pub const ON_CUT_SAMPLES: i64 = SAMPLE_RATE_HZ as i64 * 80 / 1000;

/// What lies over and beside the bed.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Scene {
    /// Phrases of the narration, first sample and the one after the last, rising.
    pub phrases: Vec<(u64, u64)>,
    /// Picture cuts, rising.
    pub cuts: Vec<u64>,
    /// Moments that a hit of the bed may fall on, rising.
    pub hits: Vec<u64>,
}

/// A scene as tables over the place of a bed, so that every question is one look.
pub struct SceneTables {
    /// Samples of speech before each step.
    spoken: Vec<i64>,
    /// How well a downbeat in each step would lie on a picture cut, 0 to 1.
    cut: Vec<f32>,
    /// The same for marked moments.
    hit: Vec<f32>,
    any_speech: bool,
    any_marks: bool,
}

impl SceneTables {
    /// Of the passage from `start` on, `length` samples and a little more.
    pub fn new(scene: &Scene, start: i64, length: i64) -> Self {
        let steps = (length / STEP) as usize + 400;
        let mut spoken = vec![0i64; steps + 1];
        for &(from, to) in &scene.phrases {
            let (from, to) = (from as i64 - start, to as i64 - start);
            let first = (from / STEP).max(0) as usize + 1;
            for (step, sum) in spoken.iter_mut().enumerate().take((to / STEP).max(0) as usize + 2).skip(first) {
                let (a, b) = ((step as i64 - 1) * STEP, step as i64 * STEP);
                *sum += (to.min(b) - from.max(a)).max(0);
            }
        }
        let any_speech = spoken.iter().any(|s| *s > 0);
        for step in 1..spoken.len() {
            spoken[step] += spoken[step - 1];
        }
        let near = |places: &[u64]| {
            let mut table = vec![0.0f32; steps];
            for place in places {
                let at = *place as i64 - start;
                let first = ((at - ON_CUT_SAMPLES) / STEP).max(0);
                for step in first..=((at + ON_CUT_SAMPLES) / STEP).min(steps as i64 - 1) {
                    let away = (step * STEP + STEP / 2 - at).abs();
                    let value = 1.0 - away as f32 / ON_CUT_SAMPLES as f32;
                    table[step as usize] = table[step as usize].max(value);
                }
            }
            table
        };
        Self { spoken, cut: near(&scene.cuts), hit: near(&scene.hits), any_speech, any_marks: !scene.cuts.is_empty() || !scene.hits.is_empty() }
    }

    /// Whether anybody speaks at all.
    pub fn any_speech(&self) -> bool {
        self.any_speech
    }

    /// Whether there is any picture cut or marked moment.
    pub fn any_marks(&self) -> bool {
        self.any_marks
    }

    /// Share of the time from `from` to `to` in which somebody speaks.
    pub fn speech_share(&self, from: i64, to: i64) -> f32 {
        let at = |t: i64| self.spoken[((t / STEP).max(0) as usize).min(self.spoken.len() - 1)];
        (at(to) - at(from)) as f32 / (to - from).max(STEP) as f32
    }

    /// How well a downbeat at `at` lies on a picture cut, 0 to 1.
    pub fn on_cut(&self, at: i64) -> f32 {
        self.cut.get((at.max(0) / STEP) as usize).copied().unwrap_or(0.0)
    }

    /// How well a downbeat at `at` lies on a marked moment, 0 to 1.
    pub fn on_hit(&self, at: i64) -> f32 {
        self.hit.get((at.max(0) / STEP) as usize).copied().unwrap_or(0.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_tables_say_what_the_scene_holds() {
        let scene = Scene { phrases: vec![(48_000, 96_000)], cuts: vec![120_000], hits: vec![] };
        let tables = SceneTables::new(&scene, 24_000, 480_000);
        assert!(tables.any_speech());
        assert_eq!(tables.speech_share(0, 24_000), 0.0);
        assert_eq!(tables.speech_share(24_000, 72_000), 1.0);
        assert_eq!(tables.speech_share(0, 48_000), 0.5);
        assert!(tables.on_cut(96_000) > 0.9 && tables.on_cut(96_000 + 4000) == 0.0 && tables.on_hit(96_000) == 0.0);
    }
}
