//! The narration on the cut: pieces of takes, laid where they are heard.
//!
//! A *take* is a recording or a file; a *piece* is a stretch of a take at a place of the cut.
//! Scratch pieces are spoken by a machine until the narrator comes: a real phrase over one of
//! them sends it away, whole ([`lay`]). Real pieces give way only where they are covered.

use crate::speech::Phrase;
use jaunty_picture::picture::Line;
use jaunty_sound::sound::Source;
use serde::{Deserialize, Serialize};
use std::ops::Range;

/// A stretch of a take at a place of the cut.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Piece {
    /// Name of the take's sound: its content hash.
    pub sound: String,
    /// First sample of the take.
    pub source_start_samples: u64,
    /// The sample of the take after the last.
    pub source_end_samples: u64,
    /// Where the first sample lies on the cut.
    pub cut_start_samples: u64,
    /// The words that a machine speaks here until somebody does; real pieces have none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub scratch: Option<String>,
}

impl Piece {
    /// All of a take, from the start of the cut.
    pub fn whole(sound: &str, length_samples: u64) -> Self {
        Self { sound: sound.to_owned(), source_start_samples: 0, source_end_samples: length_samples, cut_start_samples: 0, scratch: None }
    }

    /// Where it lies on the cut.
    pub fn on_cut(&self) -> Range<u64> {
        self.cut_start_samples..self.cut_start_samples + (self.source_end_samples - self.source_start_samples)
    }

    /// The part of it that lies in `range` of the cut.
    fn part(&self, range: Range<u64>) -> Option<Self> {
        let own = self.on_cut();
        let (start, end) = (own.start.max(range.start), own.end.min(range.end));
        (start < end).then(|| Self {
            source_start_samples: self.source_start_samples + (start - own.start),
            source_end_samples: self.source_start_samples + (end - own.start),
            cut_start_samples: start,
            ..self.clone()
        })
    }

    /// The phrases of the take that are heard in it, on the cut. A phrase of which less than a
    /// fifth is left is not one any more. A scratch piece is one phrase, whose words are known.
    pub fn phrases(&self, of_take: &[Phrase]) -> Vec<Phrase> {
        if let Some(words) = &self.scratch {
            let on_cut = self.on_cut();
            return vec![Phrase { start_samples: on_cut.start, end_samples: on_cut.end, words: Some(words.clone()) }];
        }
        let on_cut = |p: &Phrase| {
            let start = p.start_samples.max(self.source_start_samples);
            let end = p.end_samples.min(self.source_end_samples);
            let kept = end.saturating_sub(start);
            (kept * 5 >= (p.end_samples - p.start_samples).max(1)).then(|| Phrase {
                start_samples: start - self.source_start_samples + self.cut_start_samples,
                end_samples: end - self.source_start_samples + self.cut_start_samples,
                words: p.words.clone(),
            })
        };
        of_take.iter().filter_map(on_cut).collect()
    }
}

/// Lays a piece on the narration. `phrases` are those of its take: scratch pieces that one of
/// them speaks over go, other scratch pieces stay; real pieces are cut back to what the new one
/// does not cover. A scratch piece is laid only where nobody speaks yet: whether it was.
pub fn lay(pieces: &mut Vec<Piece>, piece: Piece, phrases: &[Phrase]) -> bool {
    let covered = piece.on_cut();
    let meets = |a: &Range<u64>, b: &Range<u64>| a.start < b.end && b.start < a.end;
    if piece.scratch.is_some() {
        if pieces.iter().any(|p| meets(&p.on_cut(), &covered)) {
            return false;
        }
    } else {
        let spoken: Vec<Range<u64>> = piece.phrases(phrases).iter().map(|p| p.start_samples..p.end_samples).collect();
        let mut kept = Vec::new();
        for old in pieces.drain(..) {
            if old.scratch.is_some() {
                if !spoken.iter().any(|s| meets(s, &old.on_cut())) {
                    kept.push(old);
                }
            } else {
                kept.extend(old.part(0..covered.start));
                kept.extend(old.part(covered.end..u64::MAX));
            }
        }
        *pieces = kept;
    }
    let at = pieces.partition_point(|p| p.cut_start_samples <= covered.start);
    pieces.insert(at, piece);
    true
}

/// Where a spoken line begins, after one that ended at `before_end_samples`: a line that is not over when
/// the next one begins pushes it on.
pub fn start_after(line: &Line, before_end_samples: Option<u64>) -> u64 {
    /// Least pause between two lines: a quarter of a second.
    const PAUSE_SAMPLES: u64 = 12_000;
    before_end_samples.map_or(line.start_samples, |end| line.start_samples.max(end + PAUSE_SAMPLES))
}

/// Takes a passage out of the narration and closes the hole: what comes after moves up, and known
/// words with it.
pub fn take_out(pieces: &mut Vec<Piece>, lines: &mut Vec<Line>, passage: Range<u64>) {
    let length = passage.end.saturating_sub(passage.start);
    let mut kept = Vec::new();
    for old in pieces.drain(..) {
        kept.extend(old.part(0..passage.start));
        kept.extend(old.part(passage.end..u64::MAX).map(|p| Piece { cut_start_samples: p.cut_start_samples - length, ..p }));
    }
    *pieces = kept;
    lines.retain(|l| !passage.contains(&l.start_samples));
    for line in lines.iter_mut().filter(|l| l.start_samples >= passage.end) {
        line.start_samples -= length;
    }
}

/// Moves everything from `at` on by `samples` later, or earlier as far as the room before it
/// goes; a piece over `at` is split there. Known words go along.
pub fn move_after(pieces: &mut Vec<Piece>, lines: &mut [Line], at: u64, samples: i64) {
    let before = pieces.iter().filter_map(|p| p.part(0..at)).map(|p| p.on_cut().end).max().unwrap_or(0);
    let first = pieces.iter().filter_map(|p| p.part(at..u64::MAX)).map(|p| p.cut_start_samples).min();
    let Some(first) = first else { return };
    let shift = samples.max(before as i64 - first as i64);
    let mut kept = Vec::new();
    for old in pieces.drain(..) {
        kept.extend(old.part(0..at));
        kept.extend(old.part(at..u64::MAX).map(|p| Piece { cut_start_samples: (p.cut_start_samples as i64 + shift).max(0) as u64, ..p }));
    }
    *pieces = kept;
    for line in lines.iter_mut().filter(|l| l.start_samples >= at) {
        line.start_samples = line.start_samples.saturating_add_signed(shift);
    }
}

/// Edges of a piece that lie inside its take are eased over this many samples (5 ms), so that
/// they do not click.
const EASE_SAMPLES: u64 = 240;

/// A piece as a sound on the timeline of the cut.
#[derive(Clone, Copy)]
pub struct Placed<'a> {
    /// The whole take.
    pub source: &'a dyn Source,
    /// What is heard of it, and where.
    pub piece: &'a Piece,
}

impl Placed<'_> {
    /// Gain at sample `at` of the take.
    fn edge_gain(&self, at: u64) -> f32 {
        let (start, end) = (self.piece.source_start_samples, self.piece.source_end_samples);
        let ease = |inside: bool, distance: u64| if inside && distance < EASE_SAMPLES { (distance as f32 + 0.5) / EASE_SAMPLES as f32 } else { 1.0 };
        ease(start > 0, at - start) * ease(end < self.source.len_samples(), end - 1 - at)
    }
}

impl Source for Placed<'_> {
    fn len_samples(&self) -> u64 {
        self.piece.on_cut().end
    }

    fn channel_count(&self) -> usize {
        self.source.channel_count()
    }

    fn read(&self, channel: usize, start: i64, out: &mut [f32]) {
        let own = self.piece.on_cut();
        let shift = self.piece.source_start_samples as i64 - self.piece.cut_start_samples as i64;
        self.source.read(channel.min(self.source.channel_count() - 1), start.saturating_add(shift), out);
        for (k, sample) in out.iter_mut().enumerate() {
            let at = start.saturating_add(k as i64);
            if at < own.start as i64 || at >= own.end as i64 {
                *sample = 0.0;
            } else {
                *sample *= self.edge_gain((at + shift) as u64);
            }
        }
    }
}

/// All pieces together: the narration as one sound of the cut's length.
pub struct Narration<'a> {
    /// Its pieces.
    pub pieces: Vec<Placed<'a>>,
    /// Length of the cut.
    pub length_samples: u64,
}

impl Source for Narration<'_> {
    fn len_samples(&self) -> u64 {
        self.length_samples
    }

    fn channel_count(&self) -> usize {
        self.pieces.iter().map(|p| p.source.channel_count()).max().unwrap_or(1)
    }

    fn read(&self, channel: usize, start: i64, out: &mut [f32]) {
        out.fill(0.0);
        let end = start.saturating_add(out.len() as i64);
        let mut own = Vec::new();
        for placed in &self.pieces {
            let on_cut = placed.piece.on_cut();
            let (from, to) = (start.max(on_cut.start as i64), end.min(on_cut.end as i64));
            if from < to {
                own.resize((to - from) as usize, 0.0);
                placed.read(channel, from, &mut own);
                out[(from - start) as usize..(to - start) as usize].iter_mut().zip(&own).for_each(|(sum, s)| *sum += s);
            }
        }
    }
}
