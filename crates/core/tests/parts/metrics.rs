//! Published measures of how well beats and boundaries are found. `crates/demo/tests` checks them
//! against the package mir_eval.

/// Pairs each truth with the nearest unused find within the window; the number of pairs.
///
/// mir_eval finds the largest matching; with events farther apart than twice the window the two
/// agree.
fn hits(truth: &[f64], found: &[f64], window_s: f64) -> usize {
    let mut used = vec![false; found.len()];
    truth
        .iter()
        .filter(|t| {
            let near = (0..found.len())
                .filter(|&k| !used[k] && (found[k] - **t).abs() <= window_s)
                .min_by(|&a, &b| (found[a] - **t).abs().total_cmp(&(found[b] - **t).abs()));
            near.inspect(|&k| used[k] = true).is_some()
        })
        .count()
}

/// F-measure of events: Davies, Degara and Plumbley, "Evaluation methods for musical audio beat
/// tracking algorithms" (2009) for beats with 70 ms; Turnbull et al. (ISMIR 2007) for boundaries
/// with 0.5 s and 3 s.
pub fn f_measure(truth: &[f64], found: &[f64], window_s: f64) -> f64 {
    2.0 * hits(truth, found, window_s) as f64 / (truth.len() + found.len()).max(1) as f64
}

/// Share of beats found in unbroken correctness at any length (CMLt of the same paper): phase and
/// interval of each found beat within 17.5 % of the truth's interval.
pub fn cmlt(truth: &[f64], found: &[f64]) -> f64 {
    const TOLERANCE: f64 = 0.175;
    if truth.len() < 2 || found.len() < 2 {
        return 0.0;
    }
    let mut correct = 0usize;
    let mut used = vec![false; truth.len()];
    for (m, &beat) in found.iter().enumerate() {
        let near = (0..truth.len()).min_by(|&a, &b| (truth[a] - beat).abs().total_cmp(&(truth[b] - beat).abs())).unwrap_or(0);
        // The first beat has no interval before it: the one after counts.
        let interval = if near == 0 { truth[1] - truth[0] } else { truth[near] - truth[near - 1] };
        let own = if m == 0 { found[1] - found[0] } else { beat - found[m - 1] };
        let phase = (beat - truth[near]).abs() / interval < TOLERANCE;
        let period = (1.0 - own / interval).abs() < TOLERANCE;
        if phase && period && !used[near] {
            used[near] = true;
            correct += 1;
        }
    }
    correct as f64 / truth.len().max(found.len()) as f64
}

/// The best [`cmlt`] at the annotated level, at double and half tempo and off the beat (AMLt).
pub fn amlt(truth: &[f64], found: &[f64]) -> f64 {
    let between: Vec<f64> = truth.windows(2).map(|w| (w[0] + w[1]) / 2.0).collect();
    let mut double: Vec<f64> = truth.iter().chain(&between).copied().collect();
    double.sort_by(f64::total_cmp);
    let every = |from: usize| truth.iter().skip(from).step_by(2).copied().collect::<Vec<f64>>();
    [truth.to_vec(), between, double, every(0), every(1)].iter().map(|level| cmlt(level, found)).fold(0.0, f64::max)
}
