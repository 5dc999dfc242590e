//! Words and rough times of captions, laid over the phrases that are heard.
//!
//! Captions are in order, and so are phrases: each line goes to one phrase, none before the line before
//! it, so that the times differ least in all (dynamic time warping, Sakoe and Chiba, IEEE Trans. ASSP
//! 26(1), 1978, between lines and phrases). Files are often late or early as a whole: a shift that makes
//! them differ much less is taken. A line whose words take longer than its phrase goes on in the next ones.

use super::Phrase;
use jaunty_picture::picture::Line;
use jaunty_units::SAMPLE_RATE_HZ;

/// A line further from every phrase than this is not spoken here, in seconds.
const FURTHEST_S: f64 = 2.0;
/// A phrase between lines that none of them goes to costs so many seconds.
const UNSPOKEN_S: f64 = 0.4;
/// A shift of all lines must save more than this share of itself.
const SHIFT_SHARE: f64 = 0.1;
/// Characters that are spoken in a second (from memory: English read aloud is some 150 words a minute).
const CHARACTERS_A_S: f64 = 15.0;

fn seconds(samples: u64) -> f64 {
    samples as f64 / f64::from(SAMPLE_RATE_HZ)
}

/// Lays known words over the phrases. Two lines in one phrase are joined by a space.
pub fn attach_words(phrases: &mut [Phrase], lines: &[Line]) {
    let mut lines: Vec<&Line> = lines.iter().collect();
    lines.sort_by_key(|l| l.start_samples);
    if lines.is_empty() || phrases.is_empty() {
        return;
    }
    let spans: Vec<(f64, f64)> = phrases.iter().map(|p| (seconds(p.start_samples), seconds(p.end_samples))).collect();
    let starts: Vec<f64> = lines.iter().map(|l| seconds(l.start_samples)).collect();
    let mut texts: Vec<Vec<&str>> = vec![Vec::new(); phrases.len()];
    let home = homes(&spans, &starts);
    for (k, line) in lines.iter().enumerate() {
        let Some(first) = home[k] else { continue };
        // Phrases up to the next line's are free for what this one has no room for.
        let next = home[k + 1..].iter().flatten().next().copied().unwrap_or(phrases.len()).max(first + 1);
        let alone = home[..k].iter().flatten().all(|&h| h != first);
        let last = if alone { runs_until(&spans[first..next], &line.words) + first } else { first };
        for (phrase, words) in (first..).zip(shared(&spans[first..=last], &line.words)) {
            texts[phrase].push(words);
        }
    }
    for (phrase, words) in phrases.iter_mut().zip(texts) {
        if !words.is_empty() {
            phrase.words = Some(words.join(" "));
        }
    }
}

/// The phrase of each line, at the shift of all lines that fits best.
fn homes(spans: &[(f64, f64)], starts: &[f64]) -> Vec<Option<usize>> {
    /// First lines and first phrases whose distance may be the shift.
    const TRIED: usize = 4;
    /// With fewer lines a shift is a guess.
    const ENOUGH: usize = 3;
    let mut shifts = vec![0.0];
    if starts.len() >= ENOUGH {
        shifts.extend(starts.iter().take(TRIED).flat_map(|s| spans.iter().take(TRIED).map(move |p| p.0 - s)));
    }
    let priced = shifts.into_iter().map(|shift| {
        let (cost, home) = walk(spans, starts, shift);
        (cost + SHIFT_SHARE * shift.abs(), home)
    });
    priced.min_by(|a, b| a.0.total_cmp(&b.0)).map_or(Vec::new(), |best| best.1)
}

/// What it costs that a line begins at `at` and goes to a phrase, in seconds.
fn away(span: (f64, f64), at: f64) -> f64 {
    if (span.0..span.1).contains(&at) {
        // Within it, but a beginning is better met.
        0.2 * (at - span.0).min(1.0)
    } else {
        (span.0 - at).abs().min((span.1 - at).abs())
    }
}

/// The cheapest way of the lines through the phrases at a shift, and its cost.
fn walk(spans: &[(f64, f64)], starts: &[f64], shift: f64) -> (f64, Vec<Option<usize>>) {
    let count = spans.len();
    // cost[j]: the lines so far with the last one that is spoken at phrase j - 1 (0: none yet).
    let mut cost = vec![f64::INFINITY; count + 1];
    cost[0] = 0.0;
    let mut from: Vec<Vec<(usize, bool)>> = Vec::new();
    for start in starts {
        let mut next = vec![f64::INFINITY; count + 1];
        let mut who = vec![(0, false); count + 1];
        // The best of those before a phrase, with what leaving phrases out between costs.
        let mut passed = (f64::INFINITY, 0);
        for j in 0..=count {
            // Not spoken here.
            next[j] = cost[j] + FURTHEST_S;
            who[j] = (j, false);
            if j > 0 {
                passed.0 += UNSPOKEN_S;
                let free = cost[j - 1];
                if free < passed.0 {
                    passed = (free, j - 1);
                }
                // Lines before the first phrase that is met have passed none.
                let begin = if cost[0] < passed.0 { (cost[0], 0) } else { passed };
                let again = (cost[j], j);
                let best = if again.0 < begin.0 { again } else { begin };
                let here = best.0 + away(spans[j - 1], start + shift).min(2.0 * FURTHEST_S);
                if here < next[j] {
                    (next[j], who[j]) = (here, (best.1, true));
                }
            }
        }
        cost = next;
        from.push(who);
    }
    let mut state = (0..=count).min_by(|&a, &b| cost[a].total_cmp(&cost[b])).unwrap_or(0);
    let total = cost[state];
    let mut home = vec![None; starts.len()];
    for k in (0..starts.len()).rev() {
        let (before, spoken) = from[k][state];
        home[k] = spoken.then(|| state - 1);
        state = before;
    }
    (total, home)
}

/// The last of `spans` into which words go on that begin in the first.
fn runs_until(spans: &[(f64, f64)], words: &str) -> usize {
    let wanted_s = words.chars().count() as f64 / CHARACTERS_A_S;
    let mut spoken_s = 0.0;
    for (k, span) in spans.iter().enumerate() {
        spoken_s += span.1 - span.0;
        // Three quarters are enough: people speak faster than the rule.
        if spoken_s >= 0.75 * wanted_s {
            return k;
        }
    }
    spans.len().saturating_sub(1)
}

/// Words shared over phrases by their length.
fn shared<'a>(spans: &[(f64, f64)], words: &'a str) -> Vec<&'a str> {
    let total: f64 = spans.iter().map(|s| s.1 - s.0).sum();
    let breaks: Vec<usize> = words.char_indices().filter(|(_, c)| c.is_whitespace()).map(|(at, _)| at).collect();
    let (mut parts, mut begin, mut heard) = (Vec::new(), 0, 0.0);
    for (k, span) in spans.iter().enumerate() {
        heard += span.1 - span.0;
        let wanted = words.len() as f64 * heard / total.max(1e-9);
        let inner = breaks.iter().copied().filter(|at| *at > begin);
        let end = if k + 1 == spans.len() {
            words.len()
        } else {
            inner.min_by(|a, b| (*a as f64 - wanted).abs().total_cmp(&(*b as f64 - wanted).abs())).unwrap_or(words.len())
        };
        parts.push(words[begin..end].trim());
        begin = end;
    }
    parts.retain(|p| !p.is_empty());
    parts
}

#[cfg(test)]
mod tests {
    use super::*;

    fn phrases(spans: &[(f64, f64)]) -> Vec<Phrase> {
        let at = |s: f64| (s * f64::from(SAMPLE_RATE_HZ)) as u64;
        spans.iter().map(|s| Phrase { start_samples: at(s.0), end_samples: at(s.1), words: None }).collect()
    }

    fn attached(spans: &[(f64, f64)], lines: &[(f64, &str)]) -> Vec<String> {
        let mut all = phrases(spans);
        let lines: Vec<Line> = lines.iter().map(|(s, w)| Line { start_samples: (s * f64::from(SAMPLE_RATE_HZ)) as u64, words: (*w).to_owned() }).collect();
        attach_words(&mut all, &lines);
        all.into_iter().map(|p| p.words.unwrap_or_default()).collect()
    }

    const SPOKEN: [(f64, f64); 5] = [(2.0, 4.0), (5.0, 7.5), (9.0, 10.0), (12.0, 15.0), (16.0, 18.0)];
    const SAID: [&str; 5] =
        ["the clock had stopped", "nobody knew the maker's name", "so we looked", "wheel by wheel on a bench of planks", "and then it ticked"];

    #[test]
    fn rough_times_find_their_phrases_however_late_the_file_is() {
        let rough = [0.3, -0.4, 0.2, -0.3, 0.4];
        for late in [0.0, 1.4, -1.2, 5.0] {
            let lines: Vec<(f64, &str)> = (0..5).map(|k| ((SPOKEN[k].0 + rough[k] + late).max(0.0), SAID[k])).collect();
            assert_eq!(attached(&SPOKEN, &lines), SAID, "{late} s late");
        }
    }

    #[test]
    fn one_line_may_span_phrases_and_two_may_share_one() {
        let long = [(2.0, "the clock had stopped and nobody knew the maker's name"), (9.0, SAID[2]), (12.0, SAID[3]), (16.0, SAID[4])];
        let words = attached(&SPOKEN, &long);
        assert_eq!((format!("{} {}", words[0], words[1]), words[2].as_str()), (long[0].1.to_owned(), SAID[2]), "{words:?}");
        assert!(words[0].split(' ').count() >= 3 && words[1].split(' ').count() >= 3, "{words:?}");
        let short = [(2.0, SAID[0]), (5.0, "nobody knew"), (6.3, "the maker's name"), (9.0, SAID[2]), (12.0, SAID[3]), (16.0, SAID[4])];
        assert_eq!(attached(&SPOKEN, &short), SAID);
    }

    #[test]
    fn what_is_not_spoken_here_is_left_out() {
        assert_eq!(attached(&SPOKEN[..1], &[(60.0, "the end")]), [""]);
        assert_eq!(attached(&SPOKEN, &[(2.0, SAID[0])])[1..], ["", "", "", ""]);
        assert!(attached(&[], &[(2.0, "nobody")]).is_empty());
        let unheard = [(2.0, SAID[0]), (5.1, SAID[1]), (9.0, SAID[2]), (12.0, SAID[3]), (16.0, SAID[4]), (40.0, "music by nobody")];
        assert_eq!(attached(&SPOKEN, &unheard), SAID);
    }
}
