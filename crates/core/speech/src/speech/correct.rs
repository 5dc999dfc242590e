//! What a person says about the phrases of a recording, on top of what was heard in it.

use super::Phrase;
use serde::{Deserialize, Serialize};

/// One correction. Places are samples of the recording.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "what", rename_all = "camelCase", rename_all_fields = "camelCase")]
pub enum PhraseEdit {
    /// The phrase that holds `at_samples` begins and ends elsewhere.
    Edges {
        /// A place in it.
        at_samples: u64,
        /// Its first sample.
        start_samples: u64,
        /// The sample after its last.
        end_samples: u64,
    },
    /// The phrase that holds a place and the next one are one.
    JoinNext {
        /// A place in it.
        at_samples: u64,
    },
    /// The phrase that holds a place is two, with a breath there.
    Split {
        /// Where.
        at_samples: u64,
    },
    /// The phrase that holds a place is none.
    NotSpeech {
        /// A place in it.
        at_samples: u64,
    },
}

/// Two phrases that a split makes are this far apart: 0.1 s.
const BREATH_SAMPLES: u64 = 4800;

/// The phrases with the corrections, in order; one that no longer finds its phrase says nothing.
pub fn corrected(phrases: &[Phrase], edits: &[PhraseEdit]) -> Vec<Phrase> {
    let mut all = phrases.to_vec();
    for edit in edits {
        let holds = |at: u64| move |p: &Phrase| (p.start_samples..p.end_samples).contains(&at);
        match *edit {
            PhraseEdit::Edges { at_samples, start_samples, end_samples } => {
                if let Some(k) = all.iter().position(holds(at_samples)).filter(|_| start_samples < end_samples) {
                    // Neighbours give way but are never swallowed.
                    let from = k.checked_sub(1).map_or(0, |b| all[b].start_samples + 1);
                    let to = all.get(k + 1).map_or(u64::MAX, |n| n.end_samples - 1);
                    all[k].start_samples = start_samples.clamp(from, to - 1);
                    all[k].end_samples = end_samples.clamp(all[k].start_samples + 1, to);
                    if k > 0 {
                        all[k - 1].end_samples = all[k - 1].end_samples.min(all[k].start_samples);
                    }
                    let end = all[k].end_samples;
                    if let Some(next) = all.get_mut(k + 1) {
                        next.start_samples = next.start_samples.max(end);
                    }
                }
            }
            PhraseEdit::JoinNext { at_samples } => {
                if let Some(k) = all.iter().position(holds(at_samples)).filter(|k| k + 1 < all.len()) {
                    let next = all.remove(k + 1);
                    all[k].end_samples = next.end_samples;
                    all[k].words = match (all[k].words.take(), next.words) {
                        (Some(a), Some(b)) => Some(format!("{a} {b}")),
                        (a, b) => a.or(b),
                    };
                }
            }
            PhraseEdit::Split { at_samples } => {
                if let Some(k) = all.iter().position(holds(at_samples)) {
                    let half = BREATH_SAMPLES / 2;
                    let (first_end, second_start) = (at_samples.saturating_sub(half), at_samples + half);
                    if first_end > all[k].start_samples && second_start < all[k].end_samples {
                        let second = Phrase { start_samples: second_start, end_samples: all[k].end_samples, words: None };
                        all[k].end_samples = first_end;
                        all.insert(k + 1, second);
                    }
                }
            }
            PhraseEdit::NotSpeech { at_samples } => all.retain(|p| !holds(at_samples)(p)),
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    fn phrase(start_samples: u64, end_samples: u64) -> Phrase {
        Phrase { start_samples, end_samples, words: None }
    }

    #[test]
    fn edges_move_phrases_join_split_and_go() {
        let phrases = [phrase(10_000, 50_000), phrase(60_000, 90_000), phrase(100_000, 140_000)];
        let spans = |edits: &[PhraseEdit]| corrected(&phrases, edits).iter().map(|p| (p.start_samples, p.end_samples)).collect::<Vec<_>>();
        assert_eq!(
            spans(&[PhraseEdit::Edges { at_samples: 70_000, start_samples: 45_000, end_samples: 95_000 }]),
            [(10_000, 45_000), (45_000, 95_000), (100_000, 140_000)]
        );
        assert_eq!(spans(&[PhraseEdit::JoinNext { at_samples: 20_000 }]), [(10_000, 90_000), (100_000, 140_000)]);
        assert_eq!(spans(&[PhraseEdit::Split { at_samples: 30_000 }]), [(10_000, 27_600), (32_400, 50_000), (60_000, 90_000), (100_000, 140_000)]);
        assert_eq!(spans(&[PhraseEdit::NotSpeech { at_samples: 61_000 }]), [(10_000, 50_000), (100_000, 140_000)]);
        // What finds nothing says nothing.
        assert_eq!(spans(&[PhraseEdit::Split { at_samples: 55_000 }, PhraseEdit::JoinNext { at_samples: 120_000 }]).len(), 3);
    }
}
