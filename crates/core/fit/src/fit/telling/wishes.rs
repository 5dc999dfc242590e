//! Of wishes: what stands, and what is liked better.

use crate::fit::say::{Liking, Standing};
use crate::fit::wishes::{EndWish, Passage, StartWish, Wishes};
use jaunty_units::message;
use jaunty_units::message::{Fact, Message};

impl Liking {
    /// What it asks for.
    pub fn message(self) -> Message {
        match self {
            Self::FewSplices => message!("liking.fewSplices"),
            Self::OwnOrder => message!("liking.ownOrder"),
            Self::Builds => message!("liking.builds"),
            Self::QuietUnderSpeech => message!("liking.quietUnderSpeech"),
            Self::NoSingingUnderSpeech => message!("liking.noSingingUnderSpeech"),
            Self::DownbeatsOnCuts => message!("liking.downbeatsOnCuts"),
            Self::HitsOnMoments => message!("liking.hitsOnMoments"),
        }
    }
}

impl Wishes {
    /// A wish that stands, as it is said; none where it does not.
    pub fn message_of(&self, standing: &Standing) -> Option<Message> {
        use Fact::Clock;
        let found = |passages: &[Passage], start: u64| passages.iter().find(|p| p.start_samples == start).map(|p| (p.start_samples, p.end_samples));
        if !self.standing().contains(standing) {
            return None;
        }
        Some(match standing {
            Standing::Keep { start_samples } => {
                let (from, to) = found(&self.keep, *start_samples)?;
                message!("wish.keep", from = Clock(from), to = Clock(to))
            }
            Standing::LeaveOut { start_samples } => {
                let (from, to) = found(&self.leave_out, *start_samples)?;
                message!("wish.leaveOut", from = Clock(from), to = Clock(to))
            }
            Standing::Singing => message!("wish.noSinging"),
            Standing::Pin { cut_samples } => {
                let pin = self.pins.iter().find(|p| p.cut_samples == *cut_samples)?;
                message!("wish.pin", bed = Clock(pin.bed_samples), cut = Clock(pin.cut_samples))
            }
            Standing::Splice(at) => message!("wish.splice", from = Clock(at.leave_samples), to = Clock(at.enter_samples)),
            Standing::NoSplice(at) => message!("wish.noSplice", from = Clock(at.leave_samples), to = Clock(at.enter_samples)),
            Standing::Touch(at) => message!("wish.touch", from = Clock(at.leave_samples), to = Clock(at.enter_samples)),
            Standing::Start => match self.start {
                StartWish::Free => return None,
                StartWish::Top => message!("wish.top"),
                StartWish::Cold { at_samples: None } => message!("wish.cold"),
                StartWish::Cold { at_samples: Some(at) } => message!("wish.coldAt", at = Clock(at)),
                StartWish::FadeIn { at_samples: None } => message!("wish.fadeIn"),
                StartWish::FadeIn { at_samples: Some(at) } => message!("wish.fadeInAt", at = Clock(at)),
            },
            Standing::End => match self.end {
                EndWish::Free => return None,
                EndWish::OwnEnding { hit_samples: None } => message!("wish.ownEnding"),
                EndWish::OwnEnding { hit_samples: Some(hit) } => message!("wish.lastHit", at = Clock(hit)),
                EndWish::Stop { ring_out_samples: None } => message!("wish.stop"),
                EndWish::Stop { ring_out_samples: Some(ring) } => message!("wish.stopAndRing", length = Clock(ring)),
                EndWish::Fade => message!("wish.fade"),
            },
            Standing::Place => match self.place? {
                p if p.end_samples == Passage::OPEN_END => message!("wish.placeFrom", from = Clock(p.start_samples)),
                p => message!("wish.place", from = Clock(p.start_samples), to = Clock(p.end_samples)),
            },
        })
    }

    /// The settings that are always there, for what is undone.
    pub fn settings(&self) -> Message {
        let (run, speed) = (self.least_run_bars, Fact::percent(self.most_speed_change));
        match self.most_plays {
            Some(plays) => message!("wish.settings", n = run, plays = plays, speed = speed),
            None => message!("wish.settingsFree", n = run, speed = speed),
        }
    }
}
