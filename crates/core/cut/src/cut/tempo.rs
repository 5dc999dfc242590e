//! A bed at another tempo: a sound of its own, made from the file as it came with its pitch kept.
//!
//! Everything that was said about the bed goes along: its beats, bars and sections as a grid of the new sound, what was said
//! about its singing and its ending, and every place of the bed that is wanted, pinned or left out.

use super::setup::Setup;
use super::used::Retimed;
use jaunty_fit::fit::{Passage, StartWish, Wishes};
use jaunty_reading::reading::{Correction, Reading};
use jaunty_sound::splice::SpliceAt;

/// A bed gets faster or slower by at most so much, in percent: beyond it is heard as made by a machine (common practice, no source).
pub const MOST_TEMPO_PERCENT: f64 = 30.0;

/// "Copper Escapement.wav" at 1.04: "Copper Escapement, 4 % faster.wav".
fn named(name: &str, tempo: f64) -> String {
    let by = (tempo - 1.0) * 100.0;
    let by = format!("{} % {}", (by.abs() * 100.0).round() / 100.0, if by > 0.0 { "faster" } else { "slower" });
    match name.rsplit_once('.').filter(|(stem, _)| !stem.is_empty()) {
        Some((stem, ending)) => format!("{stem}, {by}.{ending}"),
        None => format!("{name}, {by}"),
    }
}

/// Places of a bed in another sound of it.
#[derive(Clone, Copy)]
struct Scale(f64);

impl Scale {
    fn at(self, samples: u64) -> u64 {
        if samples == Passage::OPEN_END { samples } else { (samples as f64 * self.0).round() as u64 }
    }

    fn passage(self, passage: &mut Passage) {
        (passage.start_samples, passage.end_samples) = (self.at(passage.start_samples), self.at(passage.end_samples));
    }

    fn splice(self, splice: &mut SpliceAt) {
        (splice.leave_samples, splice.enter_samples) = (self.at(splice.leave_samples), self.at(splice.enter_samples));
    }

    fn wishes(self, wishes: &mut Wishes) {
        if let StartWish::Cold { at_samples: Some(at) } | StartWish::FadeIn { at_samples: Some(at) } = &mut wishes.start {
            *at = self.at(*at);
        }
        wishes.keep.iter_mut().chain(&mut wishes.leave_out).for_each(|p| self.passage(p));
        wishes.pins.iter_mut().for_each(|p| p.bed_samples = self.at(p.bed_samples));
        wishes.splices.iter_mut().chain(&mut wishes.no_splices).chain(wishes.touches.iter_mut().map(|t| &mut t.splice)).for_each(|s| self.splice(s));
    }

    /// The grid of a reading, and what was said about singing and ending.
    fn corrections(self, reading: &Reading, said: &[Correction]) -> Vec<Correction> {
        let beats_samples: Vec<u64> = reading.beats_samples.iter().map(|b| self.at(*b)).collect();
        if beats_samples.len() < 2 || reading.downbeats.is_empty() {
            return Vec::new();
        }
        let sections = reading.sections.iter().map(|s| (self.at(s.start_samples), s.label.clone())).collect();
        let mut all = vec![Correction::Given { beats_samples, downbeats: reading.downbeats.clone(), sections }];
        let named = reading.sections.iter().filter_map(|s| Some(Correction::Name { at_samples: self.at(s.start_samples), name: s.name.clone()? }));
        all.extend(named);
        all.extend(said.iter().filter_map(|correction| match *correction {
            Correction::Singing { start_samples, end_samples, sings } => {
                Some(Correction::Singing { start_samples: self.at(start_samples), end_samples: self.at(end_samples), sings })
            }
            Correction::LastHit { at_samples } => Some(Correction::LastHit { at_samples: self.at(at_samples) }),
            Correction::FadesFrom { at_samples } => Some(Correction::FadesFrom { at_samples: self.at(at_samples) }),
            _ => None,
        }));
        all
    }
}

impl Setup {
    /// The sound at `hash` takes the place of the bed that was made from the file `original`: the same at another tempo, or
    /// the file itself at 1. `reading` is that of the bed so far, with what was said about it.
    pub(super) fn retime(&mut self, original: &str, hash: &str, tempo: f64, reading: &Reading) {
        let Some(candidate) = self.candidates.iter_mut().find(|c| c.original() == original) else { return };
        let old = std::mem::replace(&mut candidate.hash, hash.to_owned());
        let own = candidate.tempo();
        let scale = Scale(own / tempo);
        let said = std::mem::take(&mut candidate.corrections);
        let was = candidate.retimed.take();
        // What nobody touched since needs no grid of its own in the file as it came; what was corrected here goes back with it.
        let before = match &was {
            None => said.clone(),
            Some(w) if w.given == said => w.before.clone(),
            Some(_) => Scale(own).corrections(reading, &said),
        };
        let given = scale.corrections(reading, &said);
        let name = was.as_ref().map_or(&candidate.name, |w| &w.name).clone();
        let is_file = hash == original;
        candidate.corrections = if is_file { before.clone() } else { given.clone() };
        candidate.name = if is_file { name.clone() } else { named(&name, tempo) };
        candidate.retimed = (!is_file).then(|| Retimed { of: original.to_owned(), name, tempo, before, given });
        scale.wishes(&mut candidate.wishes);
        let name = candidate.name.clone();
        for laid in &mut self.laid {
            if laid.bed.hash == old {
                scale.wishes(&mut laid.wishes);
            }
        }
        let beds = self.bed.iter_mut().chain(self.laid.iter_mut().map(|l| &mut l.bed));
        beds.filter(|b| b.hash == old).for_each(|b| (b.hash, b.name) = (hash.to_owned(), name.clone()));
    }
}
