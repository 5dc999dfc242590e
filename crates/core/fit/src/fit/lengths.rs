//! Lengths that come by themselves.

use super::FitRequest;
use super::ask::Ask;
use super::bed::{MOST_SHIFT_SAMPLES, head_samples};
use super::planner::{Arrival, End, Planner, Start};
use super::request::base_taste;
use super::scene::{Scene, SceneTables};
use super::taste::Taste;
use super::wishes::{EndWish, StartWish, Wishes};
use jaunty_reading::reading::{BarLikeness, EndingKind, Reading};
use jaunty_units::SAMPLE_RATE_HZ;

/// Length of the whole bed, from its first sound to its last.
pub fn whole_samples(reading: &Reading) -> u64 {
    reading.ending.music_end_samples.saturating_sub(head_samples(reading))
}

/// Lengths near the wanted one at which the bed ends by itself, with its last hit or its own fade, at its own speed, with no splice
/// that may be heard, nearest first; its own length is among them where it is near enough.
pub fn natural_lengths(reading: &Reading, likeness: &BarLikeness, request: &FitRequest) -> Vec<u64> {
    /// From and to these shares of the wanted length.
    const NEAR: std::ops::RangeInclusive<f64> = 0.5..=2.0;
    /// As many are worth telling.
    const MOST: usize = 6;
    let place = request.place();
    let wanted = (place.end_samples - place.start_samples) as i64;
    if reading.bar_count() < 2 || wanted == 0 || !matches!(reading.ending.kind, EndingKind::OwnEnding | EndingKind::FadesOut) {
        return Vec::new();
    }
    let wishes = Wishes { end: EndWish::OwnEnding { hit_samples: None }, start: StartWish::Top, ..request.wishes.clone() };
    let ask = Ask::new(reading, &wishes, place.start_samples, wanted as u64);
    let scene = SceneTables::new(&Scene::default(), 0, wanted);
    let planner = Planner::new(reading, likeness, &ask, &scene, &[], Taste::BEST);
    let longest = (wanted as f64 * NEAR.end()) as i64;
    let sweep = planner.sweep(longest);
    let head = head_samples(reading) as i64;
    let natural = |plan: &Arrival| {
        let end = reading.ending.music_end_samples as i64;
        let last = plan.runs.len() - 1;
        let of = |(k, &(from, to)): (usize, &(usize, usize))| {
            let (start, stop) = (if k == 0 { head } else { ask.lines[from] }, if k == last { end } else { ask.lines[to] });
            stop - start
        };
        plan.runs.iter().enumerate().map(of).sum::<i64>() as u64
    };
    let unheard = |plan: &Arrival| plan.end == End::Own && plan.runs.windows(2).all(|w| likeness.could_follow(w[0].1, w[1].0) >= 0.9);
    let shortest = (wanted as f64 * NEAR.start()) as i64;
    let mut all: Vec<u64> =
        (shortest..longest).step_by(SAMPLE_RATE_HZ as usize / 2).filter_map(|l| sweep.best(l)).filter(unheard).map(|p| natural(&p)).collect();
    all.sort_unstable();
    all.dedup_by_key(|l| *l / u64::from(SAMPLE_RATE_HZ));
    // With all that is wished, the fitting of that length must be such a one too.
    let (free, taste) = (Ask::new(reading, &request.wishes, place.start_samples, wanted as u64), base_taste(&request.wishes));
    let planner = Planner::new(reading, likeness, &free, &scene, &[], taste);
    let sweep = planner.sweep(longest);
    all.retain(|&l| sweep.best(l as i64).is_some_and(|p| unheard(&p) && p.start == Start::Top && natural(&p).abs_diff(l) < MOST_SHIFT_SAMPLES as u64));
    all.sort_by_key(|l| l.abs_diff(wanted as u64));
    all.truncate(MOST);
    all
}
