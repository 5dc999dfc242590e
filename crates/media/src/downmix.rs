//! Surround sound as two channels, after ITU-R BS.775-3, table 2.

use symphonia::core::audio::{Channels, Position};

/// What each channel of a file gives to left and right.
pub(crate) struct Downmix {
    gains: Vec<[f32; 2]>,
}

/// -3 dB.
const HALF_POWER: f32 = std::f32::consts::FRAC_1_SQRT_2;

impl Downmix {
    /// The downmix of a file with these channels; `None` where there is nothing to mix down.
    ///
    /// The sides and the rear come 3 dB down, the middle 3 dB down on both sides, the channel of the lowest
    /// effects not at all. Channels without a place, as recorders with many microphones write, are alike on
    /// both sides. All is scaled so that nothing can go beyond full scale.
    pub(crate) fn of(channels: &Channels) -> Option<Self> {
        let count = channels.count();
        if count <= 2 {
            return None;
        }
        let mut gains: Vec<[f32; 2]> = match channels {
            Channels::Positioned(positions) => positions.iter().map(gains_of).collect(),
            _ => vec![[1.0; 2]; count],
        };
        let most = (0..2).map(|side| gains.iter().map(|g| g[side]).sum::<f32>()).fold(0.0, f32::max);
        gains.iter_mut().flatten().for_each(|gain| *gain /= most.max(1.0));
        Some(Self { gains })
    }

    /// Leaves two planes where there were more.
    pub(crate) fn apply(&self, planes: &mut Vec<Vec<f32>>) {
        let side = |side: usize| {
            let mut out = vec![0.0; planes[0].len()];
            for (plane, gains) in planes.iter().zip(&self.gains).filter(|(_, gains)| gains[side] != 0.0) {
                out.iter_mut().zip(plane).for_each(|(sum, sample)| *sum += gains[side] * sample);
            }
            out
        };
        *planes = vec![side(0), side(1)];
    }
}

fn gains_of(position: Position) -> [f32; 2] {
    match position {
        Position::FRONT_LEFT | Position::FRONT_LEFT_WIDE => [1.0, 0.0],
        Position::FRONT_RIGHT | Position::FRONT_RIGHT_WIDE => [0.0, 1.0],
        Position::REAR_LEFT | Position::SIDE_LEFT | Position::TOP_FRONT_LEFT | Position::TOP_REAR_LEFT | Position::TOP_SIDE_LEFT => [HALF_POWER, 0.0],
        Position::REAR_RIGHT | Position::SIDE_RIGHT | Position::TOP_FRONT_RIGHT | Position::TOP_REAR_RIGHT | Position::TOP_SIDE_RIGHT => [0.0, HALF_POWER],
        Position::LFE1 | Position::LFE2 => [0.0; 2],
        // Off to one side of the middle: as the middle, but on one side.
        Position::FRONT_LEFT_CENTER => [HALF_POWER, 0.0],
        Position::FRONT_RIGHT_CENTER => [0.0, HALF_POWER],
        Position::FRONT_CENTER => [HALF_POWER; 2],
        // Behind or above in the middle: half of what the middle is.
        _ => [0.5; 2],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn five_channels_and_the_lowest_are_mixed_as_the_recommendation_says() {
        let five = Position::FRONT_LEFT | Position::FRONT_RIGHT | Position::FRONT_CENTER | Position::LFE1 | Position::REAR_LEFT | Position::REAR_RIGHT;
        let mix = Downmix::of(&Channels::Positioned(five)).unwrap();
        // ITU-R BS.775-3: L' = L + 0.7071 C + 0.7071 Ls; here over 1 + 2 x 0.7071.
        let mut planes: Vec<Vec<f32>> = [1.0, 0.1, 0.5, 9.0, 0.25, 0.75].map(|x| vec![x; 4]).to_vec();
        mix.apply(&mut planes);
        let most = 1.0 + 2.0 * HALF_POWER;
        assert_eq!(planes.len(), 2);
        assert!((planes[0][3] - (1.0 + HALF_POWER * (0.5 + 0.25)) / most).abs() < 1e-6, "{}", planes[0][3]);
        assert!((planes[1][0] - (0.1 + HALF_POWER * (0.5 + 0.75)) / most).abs() < 1e-6, "{}", planes[1][0]);
    }

    #[test]
    fn full_scale_everywhere_stays_full_scale() {
        for channels in [Channels::Positioned(Position::all()), Channels::Discrete(4), Channels::Discrete(32), Channels::Ambisonic(1)] {
            let mut planes = vec![vec![1.0f32; 8]; channels.count()];
            Downmix::of(&channels).unwrap().apply(&mut planes);
            let top = planes.iter().flatten().copied().fold(0.0, f32::max);
            assert!(planes.len() == 2 && (0.99..1.00001).contains(&top), "{channels:?}: {top}");
        }
    }

    #[test]
    fn one_and_two_channels_stay_as_they_are() {
        let stereo = Position::FRONT_LEFT | Position::FRONT_RIGHT;
        assert!(Downmix::of(&Channels::Positioned(stereo)).is_none() && Downmix::of(&Channels::Discrete(1)).is_none());
    }
}
