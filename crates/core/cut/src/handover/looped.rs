//! A passage that goes round and round without a joint.

use jaunty_sound::sound::Source;
use std::ops::Range;
use std::sync::Arc;

/// Over so many samples its end runs into its beginning: 20 ms, as at a splice of the bed.
const FADE_SAMPLES: u64 = 960;

/// A passage moved so that both its ends lie on the nearest bar lines; as it is where there are no two of them.
pub fn on_bar_lines(passage: Range<u64>, bar_lines_samples: &[u64]) -> Range<u64> {
    let nearest = |at: u64, lines: &mut dyn Iterator<Item = &u64>| lines.min_by_key(|line| line.abs_diff(at)).copied();
    let Some(start) = nearest(passage.start, &mut bar_lines_samples.iter()) else { return passage };
    let Some(end) = nearest(passage.end, &mut bar_lines_samples.iter().filter(|line| **line > start)) else { return passage };
    start..end
}

/// A mix of which a passage goes round: what would come after its end fades out over its beginning, so that the first sample
/// goes on where the last one left. Where nothing comes after it, what comes before its beginning fades in over its end.
pub struct GoesRound {
    /// The mix.
    pub mix: Arc<dyn Source + Send + Sync>,
    /// The passage.
    pub passage: Range<u64>,
}

impl GoesRound {
    /// Where in the mix the other side of the joint is, and what share of it is heard at sample `at`; `None` where none is.
    fn other(&self, at: u64) -> Option<(u64, f32)> {
        let Range { start, end } = self.passage;
        let fade = FADE_SAMPLES.min((end - start) / 2);
        let share = |n: u64| (n as f32 + 0.5) / fade as f32;
        if end + fade <= self.mix.len_samples() {
            (start..start + fade).contains(&at).then(|| (end + (at - start), 1.0 - share(at - start)))
        } else if start >= fade {
            (end - fade..end).contains(&at).then(|| (start - (end - at), share(at - (end - fade))))
        } else {
            None
        }
    }
}

impl Source for GoesRound {
    fn len_samples(&self) -> u64 {
        self.mix.len_samples()
    }

    fn channel_count(&self) -> usize {
        self.mix.channel_count()
    }

    fn read(&self, channel: usize, start: i64, out: &mut [f32]) {
        self.mix.read(channel, start, out);
        let mut sample = [0.0];
        for (k, out) in out.iter_mut().enumerate() {
            let Ok(at) = u64::try_from(start + k as i64) else { continue };
            if let Some((from, share)) = self.other(at) {
                self.mix.read(channel, from as i64, &mut sample);
                // Two sounds that are much alike: their amplitudes add up to one.
                *out = *out * (1.0 - share) + sample[0] * share;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jaunty_sound::sound::Sound;

    fn sine(hz: f32, len: usize) -> Arc<Sound> {
        Arc::new(Sound::new(vec![(0..len).map(|n| (n as f32 * hz * std::f32::consts::TAU / 48_000.0).sin()).collect()]))
    }

    #[test]
    fn the_first_sample_goes_on_where_the_last_one_left() {
        // 100 Hz moves by at most 0.0131 a sample. The passage is no whole number of its periods: cut plainly it jumps.
        for (len, passage) in [(96_000, 10_000..34_123), (96_000, 70_000..96_000), (48_000, 100..47_900)] {
            let mix = sine(100.0, len);
            let round = GoesRound { mix: mix.clone(), passage: passage.clone() };
            let mut whole = vec![0.0; (passage.end - passage.start) as usize];
            round.read(0, passage.start as i64, &mut whole);
            let steps = whole.windows(2).map(|w| (w[1] - w[0]).abs()).chain([(whole[0] - whole[whole.len() - 1]).abs()]);
            let steepest = steps.fold(0.0f32, f32::max);
            let has_room = passage.end + FADE_SAMPLES <= len as u64 || passage.start >= FADE_SAMPLES;
            assert_eq!(steepest < 0.0175, has_room, "{passage:?}: {steepest}");
            // Beside the joint nothing is changed.
            let middle = whole.len() / 2;
            assert_eq!(whole[middle], mix.channels()[0][passage.start as usize + middle]);
        }
    }

    #[test]
    fn ends_go_to_the_nearest_bar_lines() {
        let lines = [0, 96_000, 192_000, 288_000];
        assert_eq!(on_bar_lines(90_000..200_000, &lines), 96_000..192_000);
        assert_eq!(on_bar_lines(90_000..100_000, &lines), 96_000..192_000, "at least a bar");
        assert_eq!(on_bar_lines(280_000..300_000, &lines), 280_000..300_000, "there is no line after it");
        assert_eq!(on_bar_lines(5..9, &[]), 5..9);
    }
}
