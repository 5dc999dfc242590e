//! Whether a cut that comes from elsewhere can be worked with.
//!
//! What somebody says here is checked when it is said. What comes whole, as a file, has passed none of those doors:
//! its lengths and ranges are looked at before anything is reckoned with them.

use super::change::MOST_TITLE_CHARS;
use super::{Cut, Refusal};
use jaunty_fit::fit::Fitting;
use jaunty_picture::picture::{MOST_TAIL_S, Picture};
use jaunty_shape::plan::Plan;
use jaunty_units::units::{CutLength, FrameRate, samples_from_seconds};

/// The longest sound of a cut: its longest picture, and what runs on behind it.
fn most_samples() -> u64 {
    CutLength::MOST_SAMPLES + samples_from_seconds(MOST_TAIL_S)
}

fn no<T>(what: &str) -> Result<T, Refusal> {
    Err(Refusal::NotAllowed(what.to_owned()))
}

fn check_picture(picture: &Picture) -> Result<(), Refusal> {
    let rate = FrameRate::new(picture.rate.num(), picture.rate.den(), picture.rate.is_drop_frame()).map_err(Refusal::not_allowed)?;
    CutLength::new(rate, picture.length_frames).map_err(Refusal::not_allowed)?;
    let day_frames = 86_400.0 * rate.as_f64();
    if picture.tail_frames as f64 > MOST_TAIL_S * rate.as_f64() || picture.first_frame as f64 > day_frames {
        return no("its picture begins or ends where none can");
    }
    Ok(())
}

fn check_fitting(fitting: &Fitting) -> Result<(), Refusal> {
    let most = most_samples();
    if fitting.start_samples > most || fitting.length_samples > most {
        return no("a bed lies where no cut is");
    }
    if fitting.splices.len() + 1 != fitting.pieces.len().max(1) {
        return no("a bed has splices without pieces");
    }
    let sane = |speed: f64| (0.5..=2.0).contains(&speed);
    for piece in &fitting.pieces {
        let bends = piece.bends.iter().all(|b| sane(b.speed) && b.cut_samples <= 2 * most);
        if piece.cut_start_samples > piece.cut_end_samples || piece.cut_end_samples > 2 * most || !sane(piece.speed) || !bends {
            return no("a piece of a bed ends before it begins, or runs as no music does");
        }
    }
    Ok(())
}

fn check_plan(plan: &Plan) -> Result<(), Refusal> {
    const MOST_LAYERS: usize = 5000;
    if plan.length_samples > most_samples() || plan.layers.len() > MOST_LAYERS {
        return no("it is longer than any cut, or has more layers");
    }
    for layer in &plan.layers {
        layer.fitting.as_ref().map_or(Ok(()), check_fitting)?;
        if layer.piece.as_ref().is_some_and(|p| p.source_start_samples > p.source_end_samples || p.cut_start_samples > most_samples()) {
            return no("a piece of a narration ends before it begins");
        }
    }
    if plan.phrases.iter().any(|p| p.start_samples > p.end_samples) {
        return no("a phrase ends before it begins");
    }
    Ok(())
}

impl Cut {
    /// Whether a cut from elsewhere can be worked with.
    ///
    /// # Errors
    /// [`Refusal`] with what makes no sense in it.
    pub fn check(&self) -> Result<(), Refusal> {
        check_picture(&self.setup.picture)?;
        // A copy's title may have a word more than one that is typed.
        if self.setup.title.chars().count() > 2 * MOST_TITLE_CHARS || self.setup.title.contains(char::is_control) {
            return no("its title is none");
        }
        check_plan(&self.plan)?;
        self.fittings.iter().try_for_each(check_fitting)?;
        if self.setup.pieces.iter().any(|p| p.source_start_samples > p.source_end_samples) {
            return no("a piece of a narration ends before it begins");
        }
        if self.chosen > self.fittings.len() {
            return no("it plays a fitting that is not there");
        }
        self.setup.shape.check().map_err(|cause| Refusal::NotAllowed(format!("a figure is not possible: {cause}")))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cut::Setup;
    use jaunty_fit::fit::{FittingEnd, FittingStart};
    use jaunty_shape::plan::{Layer, Role};
    use jaunty_units::message::Message;

    fn cut() -> Cut {
        let rate = FrameRate::new(25, 1, false).expect("a rate");
        Cut::new(Setup::new("Kettle", Picture::new(CutLength::new(rate, 1500).expect("a length"))))
    }

    fn fitting() -> Fitting {
        Fitting {
            start_samples: 0,
            length_samples: 48_000,
            pieces: Vec::new(),
            splices: Vec::new(),
            start: FittingStart::Top,
            end: FittingEnd::Fade,
            last_hit_samples: None,
            ring_out: None,
            speed: 1.0,
            cost: 0.0,
            name: Message::default(),
            why: Message::default(),
            notes: Vec::new(),
        }
    }

    #[test]
    fn what_no_door_would_have_let_in_is_refused() {
        assert!(cut().check().is_ok());
        let refused = |change: &dyn Fn(&mut Cut)| {
            let mut cut = cut();
            change(&mut cut);
            cut.check().is_err()
        };
        assert!(refused(&|c| c.setup.title = "x".repeat(1000)));
        assert!(refused(&|c| c.setup.title = "a\nb".into()));
        assert!(refused(&|c| c.setup.picture.length_frames = u64::MAX));
        assert!(refused(&|c| c.setup.picture.tail_frames = 1 << 40));
        assert!(refused(&|c| c.plan.length_samples = 1 << 52));
        assert!(refused(&|c| c.chosen = 3));
        assert!(refused(&|c| c.fittings.push(Fitting { length_samples: u64::MAX, ..fitting() })));
        let layer =
            |fitting| Layer { role: Role::Bed, sound: "bed".into(), fitting: Some(fitting), piece: None, levels: Vec::new(), pocket: None, ambience: None };
        assert!(!refused(&|c| c.plan.layers.push(layer(fitting()))));
        assert!(refused(&|c| c.plan.layers.push(layer(Fitting { start_samples: u64::MAX, ..fitting() }))));
        // A rate that no picture has comes only from a file.
        let odd: Picture =
            serde_json::from_value(serde_json::json!({ "rate": { "num": 0, "den": 0, "dropFrame": false }, "lengthFrames": 100 })).expect("JSON");
        assert!(refused(&|c| c.setup.picture = odd.clone()));
    }
}
