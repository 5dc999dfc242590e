//! The music cue sheet: what music is heard where, who made it, and by which right.

use jaunty_picture::picture::Picture;
use jaunty_shape::plan::{Plan, Role};
use jaunty_speech::speech::Phrase;

/// How music is used.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Use {
    /// It opens the cut.
    Opening,
    /// Under speech.
    UnderSpeech,
    /// It is heard alone.
    Alone,
    /// It closes the cut.
    Closing,
}

impl Use {
    /// For people.
    pub fn name(self) -> &'static str {
        match self {
            Self::Opening => "opening",
            Self::UnderSpeech => "under speech",
            Self::Alone => "alone",
            Self::Closing => "closing",
        }
    }
}

/// Who made a piece of music, and by which right it is used; empty where nothing is known.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Credit {
    /// Name of the music.
    pub title: String,
    /// Who made it, as far as it is known.
    pub maker: String,
    /// Where it comes from.
    pub source: String,
    /// Number of its licence.
    pub licence: String,
    /// Its terms of use.
    pub terms: String,
    /// The line to credit it with.
    pub line: String,
}

/// One piece of music that is heard.
#[derive(Debug, Clone, PartialEq)]
pub struct Cue {
    /// What it is.
    pub credit: Credit,
    /// First sample of the cut.
    pub start_samples: u64,
    /// The sample after the last.
    pub end_samples: u64,
    /// Where it begins, as the cut counts.
    pub starts: String,
    /// Where it ends.
    pub ends: String,
    /// How it is used.
    pub uses: Vec<Use>,
}

/// The cues of a cut, in the order in which they are heard. `credit` says what a sound is, by its hash.
pub fn cue_sheet(picture: &Picture, plan: &Plan, credit: &dyn Fn(&str) -> Credit) -> Vec<Cue> {
    let code = |samples: u64| picture.timecode(picture.rate.frame_at_sample(samples.min(picture.length_samples())));
    let cue = |sound: &str, start: u64, end: u64| Cue {
        credit: credit(sound),
        start_samples: start,
        end_samples: end,
        starts: code(start),
        ends: code(end),
        uses: uses(start, end, &plan.phrases, plan.length_samples),
    };
    let fitted = plan.layers.iter().filter(|l| l.role == Role::Bed).filter_map(|l| Some((l, l.fitting.as_ref()?)));
    let mut cues: Vec<Cue> = fitted.map(|(l, f)| cue(&l.sound, f.start_samples, f.end_samples().min(plan.length_samples))).collect();
    cues.sort_by_key(|c| c.start_samples);
    cues
}

fn uses(start: u64, end: u64, phrases: &[Phrase], length: u64) -> Vec<Use> {
    /// Music that is heard for so long before the first word opens, after the last one closes: 1 s.
    const LEAST: u64 = 48_000;
    let inside: Vec<&Phrase> = phrases.iter().filter(|p| p.start_samples < end && p.end_samples > start).collect();
    let first = inside.first().map_or(end, |p| p.start_samples.max(start));
    let last = inside.iter().map(|p| p.end_samples.min(end)).max().unwrap_or(start);
    let mut all = Vec::new();
    if start < LEAST && first - start >= LEAST {
        all.push(Use::Opening);
    }
    if !inside.is_empty() {
        all.push(Use::UnderSpeech);
    }
    let gaps = inside.windows(2).any(|w| w[1].start_samples.saturating_sub(w[0].end_samples) >= 2 * LEAST);
    if gaps || inside.is_empty() {
        all.push(Use::Alone);
    }
    if end + LEAST > length && end.saturating_sub(last) >= LEAST {
        all.push(Use::Closing);
    }
    all
}
