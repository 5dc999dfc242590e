//! Several beds, one after another: which of them is at hand, and where one gives over to the next.
//!
//! Of the beds that a cut uses one is at hand: reading, fit and wishes are about it. The others are
//! laid: each keeps its wishes, of which the place is one, until it is taken to hand again.

use super::setup::Setup;
use super::used::{Laid, UsedSound};
use jaunty_fit::fit::{EndWish, Passage, Wishes};
use jaunty_shape::plan::succession::{Handover, SuccessionError};

/// One of the beds of a cut, in the order in which they are heard.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Part {
    /// Number among the laid beds; `None` for the one at hand.
    pub laid: Option<usize>,
    /// Where it lies.
    pub place: Passage,
}

/// A bed cannot be laid so.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum PartError {
    /// There is none.
    #[error("there is no bed yet to lay another one after")]
    NoBed,
    /// There is no film with a sound of its own.
    #[error("this cut has no film with a sound of its own; bring one in at Picture")]
    NoFilm,
    /// There is none of that number.
    #[error("there is no such bed on this cut")]
    NoPart,
    /// The times do not work out.
    #[error(transparent)]
    Succession(#[from] SuccessionError),
}

const WHOLE: Passage = Passage { start_samples: 0, end_samples: Passage::OPEN_END };

impl Setup {
    /// The beds of the cut in the order in which they are heard.
    pub fn parts(&self) -> Vec<Part> {
        let at_hand = self.bed.as_ref().map(|bed| self.wishes(&bed.hash).and_then(|w| w.place).unwrap_or(WHOLE));
        let laid = self.laid.iter().enumerate().map(|(k, l)| Part { laid: Some(k), place: l.wishes.place.unwrap_or(WHOLE) });
        let mut all: Vec<Part> = at_hand.map(|place| Part { laid: None, place }).into_iter().chain(laid).collect();
        all.sort_by_key(|p| p.place.start_samples);
        all
    }

    /// The sound of one of [`Setup::parts`].
    pub fn bed_of(&self, part: Part) -> Option<&UsedSound> {
        part.laid.map_or(self.bed.as_ref(), |k| self.laid.get(k).map(|l| &l.bed))
    }

    /// What is wanted of the fit of one of [`Setup::parts`]: a bed that gives over to the next one
    /// fades into it, unless somebody asked for another end.
    pub fn asked(&self, part: Part) -> Wishes {
        let own = match part.laid {
            Some(k) => self.laid.get(k).map(|l| &l.wishes),
            None => self.bed.as_ref().and_then(|b| self.wishes(&b.hash)),
        };
        let own = own.cloned().unwrap_or_default();
        let next = self.parts().into_iter().find(|p| p.place.start_samples > part.place.start_samples);
        let gives_over = next.is_some_and(|next| next.place.start_samples < part.place.end_samples);
        if gives_over && own.end == EndWish::Free { Wishes { end: EndWish::Fade, ..own } } else { own }
    }

    fn set_place(&mut self, part: Part, place: Passage) {
        match part.laid {
            Some(k) => self.laid[k].wishes.place = Some(place),
            None => {
                let hash = self.bed.as_ref().map(|b| b.hash.clone()).unwrap_or_default();
                if let Some(candidate) = self.candidate(&hash) {
                    candidate.wishes.place = Some(place);
                }
            }
        }
    }

    /// Puts the bed at hand down among the laid ones.
    fn lay_down(&mut self) {
        if let Some(bed) = self.bed.take() {
            let mut wishes = self.candidate(&bed.hash).map(|c| std::mem::take(&mut c.wishes)).unwrap_or_default();
            wishes.place = wishes.place.or(Some(WHOLE));
            self.laid.push(Laid { bed, wishes });
        }
    }

    fn pick_up(&mut self, laid: usize) {
        let Laid { bed, wishes } = self.laid.remove(laid);
        if let Some(candidate) = self.candidate(&bed.hash) {
            candidate.wishes = wishes;
        }
        self.bed = Some(bed);
    }

    /// Goes on with another bed from a moment of the cut on; that one is at hand then.
    ///
    /// # Errors
    /// [`PartError`]; nothing is changed then.
    pub fn go_on_with(&mut self, bed: UsedSound, handover: Handover) -> Result<(), PartError> {
        let parts = self.parts();
        let holds = |p: &&Part| (p.place.start_samples..p.place.end_samples).contains(&handover.at_samples);
        let part = *parts.iter().rev().find(holds).or(parts.last()).ok_or(PartError::NoBed)?;
        let (first, second) = handover.share(part.place.start_samples, part.place.end_samples)?;
        self.set_place(part, first);
        self.lay_down();
        if let Some(candidate) = self.candidate(&bed.hash) {
            candidate.wishes = Wishes { place: Some(second), ..Wishes::default() };
        }
        self.bed = Some(bed);
        Ok(())
    }

    /// Takes a bed to hand, by its number in [`Setup::parts`].
    ///
    /// # Errors
    /// [`PartError`]; nothing is changed then.
    pub fn take_to_hand(&mut self, index: usize) -> Result<(), PartError> {
        let part = *self.parts().get(index).ok_or(PartError::NoPart)?;
        if let Some(laid) = part.laid {
            // Laid down last, so the number of the other one stays.
            self.lay_down();
            self.pick_up(laid);
        }
        Ok(())
    }

    /// Moves the handover into a bed, by its number in [`Setup::parts`], from 1.
    ///
    /// # Errors
    /// [`PartError`]; nothing is changed then.
    pub fn hand_over_at(&mut self, index: usize, handover: Handover) -> Result<(), PartError> {
        let parts = self.parts();
        let (Some(&first), Some(&second)) = (index.checked_sub(1).and_then(|k| parts.get(k)), parts.get(index)) else { return Err(PartError::NoPart) };
        let (before, after) = handover.share(first.place.start_samples, second.place.end_samples)?;
        self.set_place(first, before);
        self.set_place(second, after);
        Ok(())
    }

    /// Takes a bed off the cut, by its number in [`Setup::parts`]; its time goes to the bed before
    /// it, or to the one after it if it was the first. With the last one gone there is none.
    ///
    /// # Errors
    /// [`PartError`]; nothing is changed then.
    pub fn take_off(&mut self, index: usize) -> Result<(), PartError> {
        let parts = self.parts();
        let part = *parts.get(index).ok_or(PartError::NoPart)?;
        let heir = parts.get(if index == 0 { 1 } else { index - 1 }).copied();
        if let Some(heir) = heir {
            let place = Passage {
                start_samples: heir.place.start_samples.min(part.place.start_samples),
                end_samples: heir.place.end_samples.max(part.place.end_samples),
            };
            self.set_place(heir, place);
        }
        match (part.laid, heir.and_then(|h| h.laid)) {
            (Some(k), _) => drop(self.laid.remove(k)),
            (None, Some(k)) => {
                if let Some(candidate) = self.bed.as_ref().map(|b| b.hash.clone()).and_then(|hash| self.candidate(&hash)) {
                    candidate.wishes = Wishes::default();
                }
                self.pick_up(k);
            }
            (None, None) => self.bed = None,
        }
        // A bed that is alone again lies on the whole cut, wherever that ends.
        if self.laid.is_empty()
            && let Some(part) = self.parts().first().filter(|p| p.place == WHOLE).copied()
            && let Some(candidate) = self.bed_of(part).map(|b| b.hash.clone()).and_then(|hash| self.candidate(&hash))
        {
            candidate.wishes.place = None;
        }
        Ok(())
    }

    /// Hands over between the film's own sound and the bed that is heard there.
    ///
    /// # Errors
    /// [`PartError`]; nothing is changed then.
    pub fn film_hands_over(&mut self, handover: Handover, to_bed: bool) -> Result<(), PartError> {
        let parts = self.parts();
        let part = *if to_bed { parts.first() } else { parts.last() }.ok_or(PartError::NoBed)?;
        let length_samples = self.picture.length_samples();
        let film = self.film.as_mut().filter(|f| f.sound.is_some()).ok_or(PartError::NoFilm)?;
        let heard = film.wish.heard(length_samples);
        let (start, end) = if to_bed { (heard.start_samples, part.place.end_samples) } else { (part.place.start_samples, heard.end_samples) };
        let (first, second) = handover.share(start.min(handover.at_samples), end.max(handover.at_samples))?;
        let (film_place, bed_place) = if to_bed { (first, second) } else { (second, first) };
        film.wish.place = Some(film_place);
        film.sound_on = true;
        self.set_place(part, bed_place);
        Ok(())
    }

    /// Uses another bed in place of the one at hand.
    pub fn use_bed(&mut self, bed: UsedSound) {
        let place = self.bed.as_ref().and_then(|b| self.wishes(&b.hash)).and_then(|w| w.place).filter(|_| !self.laid.is_empty());
        if let Some(place) = place
            && let Some(candidate) = self.candidate(&bed.hash)
        {
            candidate.wishes.place = Some(place);
        }
        self.bed = Some(bed);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jaunty_picture::picture::Picture;
    use jaunty_units::units::{CutLength, FrameRate};

    const S: u64 = 48_000;

    fn used(name: &str) -> UsedSound {
        UsedSound { hash: name.to_owned(), name: name.to_owned() }
    }

    fn setup() -> Setup {
        let mut setup = Setup::new("Test", Picture::new(CutLength::new(FrameRate::new(25, 1, false).expect("a rate"), 2250).expect("a length")));
        for name in ["theme", "bed", "end"] {
            setup.add_candidate(name, name, None);
        }
        setup.bed = Some(used("theme"));
        setup
    }

    fn places(setup: &Setup) -> Vec<(String, u64, u64)> {
        let view = |p: &Part| (setup.bed_of(*p).map(|b| b.name.clone()).unwrap_or_default(), p.place.start_samples / S, p.place.end_samples / S);
        setup.parts().iter().map(view).collect()
    }

    fn at(s: u64, length_s: u64) -> Handover {
        Handover { at_samples: s * S, length_samples: length_s * S }
    }

    #[test]
    fn a_theme_a_bed_and_the_theme_again() {
        let end = Passage::OPEN_END / S;
        let mut setup = setup();
        setup.go_on_with(used("bed"), at(20, 2)).unwrap();
        setup.go_on_with(used("theme"), at(70, 0)).unwrap();
        let all = [("theme".to_owned(), 0, 21), ("bed".to_owned(), 19, 70), ("theme".to_owned(), 70, end)];
        assert_eq!(places(&setup), all);
        assert_eq!(setup.bed, Some(used("theme")));
        // Each keeps its own wishes while another is at hand.
        setup.candidate("theme").unwrap().wishes.least_run_bars = 7;
        setup.take_to_hand(0).unwrap();
        assert_eq!((places(&setup), setup.wishes("theme").unwrap().least_run_bars), (all.to_vec(), 4));
        setup.take_to_hand(2).unwrap();
        assert_eq!((places(&setup), setup.wishes("theme").unwrap().least_run_bars), (all.to_vec(), 7));
        setup.hand_over_at(1, at(25, 4)).unwrap();
        assert_eq!(places(&setup)[..2], [("theme".to_owned(), 0, 27), ("bed".to_owned(), 23, 70)]);
        let ends: Vec<EndWish> = setup.parts().iter().map(|p| setup.asked(*p).end).collect();
        assert_eq!(ends, [EndWish::Fade, EndWish::Free, EndWish::Free], "what overlaps fades, what abuts ends by itself");
        // Another bed in the place of the one at hand.
        setup.use_bed(used("end"));
        assert_eq!(places(&setup)[2], ("end".to_owned(), 70, end));
        // Time goes to the neighbour.
        setup.take_off(0).unwrap();
        assert_eq!(places(&setup), [("bed".to_owned(), 0, 70), ("end".to_owned(), 70, end)]);
        setup.take_off(1).unwrap();
        assert_eq!((places(&setup), setup.wishes("bed").unwrap().place), (vec![("bed".to_owned(), 0, end)], None));
        setup.take_off(0).unwrap();
        assert_eq!((setup.bed.clone(), setup.parts().len()), (None, 0));
    }

    #[test]
    fn nonsense_changes_nothing() {
        let mut setup = setup();
        let before = setup.clone();
        assert_eq!(setup.go_on_with(used("bed"), at(2, 0)), Err(PartError::Succession(SuccessionError::TooShort)));
        assert_eq!(setup.hand_over_at(0, at(20, 0)), Err(PartError::NoPart));
        assert_eq!((setup.take_to_hand(4), setup.take_off(4)), (Err(PartError::NoPart), Err(PartError::NoPart)));
        assert_eq!(setup, before);
        setup.bed = None;
        assert_eq!(setup.go_on_with(used("bed"), at(20, 0)), Err(PartError::NoBed));
    }
}
