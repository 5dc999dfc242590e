//! Beats in a bar, and which beat begins it.
//!
//! What the bed as a whole is counted in is one choice among all ways (`choice`). A hidden Markov model then walks the
//! beats: each first beat of a bar earns the log-odds that the network gives it, more where the choice has one, and a
//! change of metre or a bar cut short costs (after the bar-pointer models of Whiteley, Cemgil and Godsill, ISMIR 2006).

pub mod choice;

use super::activations::{Activations, frame_of};
use super::beats::{even_odds, log_odds};
use super::features::BeatFeatures;

/// Bars of a bed as groups of beats.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Bars {
    /// Beats in a bar (the commonest); 4 when nothing tells.
    pub metre: u32,
    /// Indices of the beats that begin a bar.
    pub downbeats: Vec<usize>,
}

/// Beats in a bar, with what a piece must earn to be counted so.
const METRES: [(usize, f32); 4] = [(4, 0.0), (3, 1.5), (5, 4.0), (7, 14.0)];
/// From here on rare enough to be the metre of a whole piece or of none of it: now and then a bar of five would
/// only excuse a count that has slipped.
const WHOLE_ONLY: usize = 5;
/// Cost of going on in another metre.
const OTHER_METRE: f32 = 16.0;
/// Cost of a bar that is cut short.
const CUT_BAR: f32 = 14.0;

/// How much each beat speaks for being the first of a bar: the log-odds of the network around it.
pub fn first_beat_odds(beats_s: &[f64], heard: &Activations) -> Vec<f32> {
    const REACH: usize = 2;
    let odds = |&beat: &f64| {
        let middle = frame_of(beat).round().max(0.0) as usize;
        let near = heard.downbeat.get(middle.saturating_sub(REACH)..(middle + REACH + 1).min(heard.downbeat.len())).unwrap_or(&[]);
        log_odds(near.iter().copied().fold(0.0, f32::max))
    };
    let even = even_odds(&heard.downbeat, 0.5);
    beats_s.iter().map(|beat| odds(beat) - even).collect()
}

/// How much the sound of each beat speaks for being the first of a bar, whatever the network
/// says: bass and harmony change there, and the low drum falls. Deviation 1.
pub fn accents(features: &[BeatFeatures]) -> Vec<f32> {
    let column = |of: &dyn Fn(usize) -> f32| standardise(&(0..features.len()).map(of).collect::<Vec<_>>());
    let harmony = column(&|k| if k == 0 { 0.0 } else { distance(&features[k - 1].chroma, &features[k].chroma) });
    let bass = column(&|k| if k == 0 { 0.0 } else { distance(&features[k - 1].bass, &features[k].bass) });
    let low = column(&|k| features[k].attack[0]);
    let high = column(&|k| features[k].attack[2]);
    let loud = column(&|k| features[k].loudness_db);
    let mixed = |k| harmony[k] + 0.7 * bass[k] + 0.5 * low[k] - 0.15 * high[k] + 0.2 * loud[k];
    standardise(&(0..features.len()).map(mixed).collect::<Vec<f32>>())
}

fn standardise(values: &[f32]) -> Vec<f32> {
    let count = values.len().max(1) as f32;
    let mean = values.iter().sum::<f32>() / count;
    let variance = values.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / count;
    let scale = 1.0 / variance.sqrt().max(1e-6);
    // Clipped, so that one crash cymbal does not outvote a hundred bars.
    values.iter().map(|v| ((v - mean) * scale).clamp(-2.5, 2.5)).collect()
}

/// Groups beats into bars, counted as it was `chosen` for the whole but where that costs more than bars cut short.
pub fn walk(odds: &[f32], chosen: Option<(usize, usize)>) -> Bars {
    let by_walking =
        METRES.iter().map(|&(metre, least)| (metre, within(odds, &[(metre, 0.0)]).0 - least)).max_by(|a, b| a.1.total_cmp(&b.1)).map_or(4, |m| m.0);
    // Bars of five and seven are too rare for the choice to know them.
    let (metre, first) = chosen.filter(|_| by_walking < WHOLE_ONLY).map_or((by_walking, None), |(metre, first)| (metre, Some(first)));
    let odds = first.map_or_else(|| odds.to_vec(), |first| favoured(odds, metre, first));
    let others = METRES.iter().map(|m| m.0).filter(|m| *m < WHOLE_ONLY && m % metre != 0 && metre % m != 0);
    let all: Vec<(usize, f32)> = std::iter::once((metre, 0.0)).chain(others.map(|m| (m, OTHER_METRE))).collect();
    within(&odds, &all).1
}

/// The odds with more for the first beats of so many from `first` on.
fn favoured(odds: &[f32], metre: usize, first: usize) -> Vec<f32> {
    /// In log-odds: as much as a beat that clearly is no first one lacks; some six bars outweigh it that begin elsewhere.
    const MORE: f32 = 2.0;
    odds.iter().enumerate().map(|(k, o)| if k % metre == first { o + MORE } else { *o }).collect()
}

/// Groups beats into bars of one metre, from `first` on but where that costs more than bars cut short.
pub fn only_from(odds: &[f32], metre: usize, first: usize) -> Bars {
    only(&favoured(odds, metre, first), metre)
}

/// Groups beats into bars of one metre, where they are likeliest.
pub fn only(odds: &[f32], metre: usize) -> Bars {
    within(odds, &[(metre, 0.0)]).1
}

/// The likeliest bars, and the sum of the log-odds of their first beats less what irregular bars cost.
fn within(odds: &[f32], metres: &[(usize, f32)]) -> (f32, Bars) {
    if odds.len() < 4 {
        return (0.0, Bars { metre: metres[0].0 as u32, ..Bars::default() });
    }
    // States are places (metre, beat of the bar), those of one metre together.
    let places: Vec<(usize, usize)> = metres.iter().enumerate().flat_map(|(m, &(beats, _))| (0..beats).map(move |beat| (m, beat))).collect();
    let first_of = |m: usize| metres[..m].iter().map(|metre| metre.0).sum::<usize>();
    let gain = |place: (usize, usize), k: usize| if place.1 == 0 { odds[k] } else { 0.0 };
    // A pickup: a piece may begin on any beat of a bar.
    let mut score: Vec<f32> = places.iter().map(|&p| gain(p, 0) - metres[p.0].1 - if p.1 == 0 { 0.0 } else { 0.3 }).collect();
    let mut from: Vec<Vec<u8>> = vec![Vec::new()];
    for k in 1..odds.len() {
        let best_last = (0..metres.len()).map(|m| first_of(m) + metres[m].0 - 1).max_by(|&a, &b| score[a].total_cmp(&score[b])).unwrap_or(0);
        let best_any = (0..places.len()).max_by(|&a, &b| score[a].total_cmp(&score[b])).unwrap_or(0);
        let mut next = vec![0.0; places.len()];
        let mut who = vec![0u8; places.len()];
        for (state, &(m, beat)) in places.iter().enumerate() {
            let straight = if beat > 0 { state - 1 } else { state + metres[m].0 - 1 };
            let mut ways = vec![(score[straight], straight)];
            if beat == 0 {
                ways.push((score[best_last] - OTHER_METRE, best_last));
                ways.push((score[best_any] - CUT_BAR - OTHER_METRE * f32::from(u8::from(places[best_any].0 != m)), best_any));
            }
            let (value, before) = ways.into_iter().max_by(|a, b| a.0.total_cmp(&b.0)).expect("there is the straight way");
            next[state] = value + gain((m, beat), k);
            who[state] = before as u8;
        }
        score = next;
        from.push(who);
    }
    let mut state = (0..places.len()).max_by(|&a, &b| score[a].total_cmp(&score[b])).unwrap_or(0);
    let total = score[state];
    let mut path = vec![0; odds.len()];
    for k in (0..odds.len()).rev() {
        path[k] = state;
        if k > 0 {
            state = usize::from(from[k][state]);
        }
    }
    let downbeats: Vec<usize> = (0..odds.len()).filter(|&k| places[path[k]].1 == 0).collect();
    let beats_in = |m: usize| path.iter().filter(|&&s| places[s].0 == m).count();
    let metre = (0..metres.len()).max_by_key(|&m| beats_in(m)).map_or(4, |m| metres[m].0);
    (total, Bars { metre: metre as u32, downbeats })
}

pub(in crate::reading) fn distance(a: &[f32], b: &[f32]) -> f32 {
    a.iter().zip(b).map(|(x, y)| (x - y).powi(2)).sum::<f32>().sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn odds(bars: &[usize]) -> Vec<f32> {
        bars.iter().flat_map(|&beats| (0..beats).map(|beat| if beat == 0 { 2.0 } else { -3.0 })).collect()
    }

    #[test]
    fn bars_of_each_metre_are_counted() {
        for metre in 2..=7 {
            let mut all = odds(&[metre; 12]);
            all.splice(0..0, [-3.0]);
            let bars = walk(&all, matches!(metre, 2 | 3 | 4 | 6).then_some((metre, 1)));
            assert_eq!(bars.metre as usize, metre);
            assert_eq!(bars.downbeats[..3], [1, 1 + metre, 1 + 2 * metre], "after a pickup");
        }
    }

    #[test]
    fn a_bar_that_is_cut_short_does_not_lose_the_count() {
        let bars = walk(&odds(&[4, 4, 4, 4, 2, 4, 4, 4, 4, 4, 4]), Some((4, 0)));
        assert_eq!((bars.metre, bars.downbeats), (4, vec![0, 4, 8, 12, 16, 18, 22, 26, 30, 34, 38]));
    }

    #[test]
    fn a_missed_first_beat_is_still_one() {
        let mut all = odds(&[3; 10]);
        all[12] = -2.0;
        assert_eq!(walk(&all, Some((3, 0))).downbeats, (0..30).step_by(3).collect::<Vec<_>>());
    }
}
