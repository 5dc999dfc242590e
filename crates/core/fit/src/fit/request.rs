//! One request with all that its sweeps share: the cheapest edit under it, and what cannot hold set aside.

use super::ask::{Ask, Held};
use super::planner::{Arrival, Bars, FAIR_CHANCE, Planner, Played, judge};
use super::scene::SceneTables;
use super::taste::Taste;
use super::wishes::{Passage, Wishes};
use jaunty_reading::reading::{BarLikeness, Reading};
use jaunty_units::message::Message;

/// The weights that the likings of somebody make.
pub(super) fn base_taste(wishes: &Wishes) -> Taste {
    let l = wishes.likings;
    Taste {
        join: if l.few_splices { 1.5 } else { Taste::BEST.join },
        again: if l.own_order { 1.0 } else { 0.0 },
        builds: if l.builds { 0.5 } else { 0.0 },
        under_speech: if l.quiet_under_speech { 0.3 } else { 0.0 },
        singing_under_speech: if l.no_singing_under_speech { 2.0 } else { 0.0 },
        marks: 0.12,
        ..Taste::BEST
    }
}

/// One request with all that its sweeps share.
pub(super) struct Request<'a> {
    pub(super) reading: &'a Reading,
    pub(super) likeness: &'a BarLikeness,
    pub(super) wishes: Wishes,
    pub(super) place: Passage,
    pub(super) scene: SceneTables,
}

impl Request<'_> {
    pub(super) fn ask(&self, wishes: &Wishes) -> Ask {
        Ask::new(self.reading, wishes, self.place.start_samples, self.place.end_samples - self.place.start_samples)
    }

    pub(super) fn plan(&self, ask: &Ask, taste: Taste, played: &[Played]) -> Option<Arrival> {
        let found = self.plan_untiring(ask, taste, played)?;
        let Some(most) = self.wishes.most_plays.filter(|n| *n > 1) else { return Some(found) };
        // How often a bar was heard is no part of a state: what is heard again is made dearer until it holds.
        let mut found = found;
        let mut again = taste.again;
        while plays(&found, self.reading.bar_count()).iter().any(|n| *n > most) {
            again = 2.0 * again + 0.5;
            if again > 40.0 {
                return None;
            }
            found = self.cheapest(ask, Taste { again, ..taste }, played)?;
        }
        Some(found)
    }

    pub(super) fn cheapest(&self, ask: &Ask, taste: Taste, played: &[Played]) -> Option<Arrival> {
        Planner::new(self.reading, self.likeness, ask, &self.scene, played, taste).sweep(ask.wanted).best(ask.wanted)
    }

    /// How likely nobody takes offence at the worst splice of an edit, 0 to 1.
    pub(super) fn worst_of(&self, ask: &Ask, plan: &Arrival) -> f32 {
        let about = Bars::new(self.reading, &ask.lines);
        plan.runs.windows(2).map(|w| judge(self.reading, self.likeness, &about, w[0].1, w[1].0).chance).fold(1.0, f32::min)
    }

    /// The edit in which the fewest passages are heard three times in a row, of the cheapest one, one that goes on beyond
    /// what it plays again, and some for which a splice that was taken twice running is dearer. None that is worse to hear
    /// is taken for it, and none that gives up more. What was cut as a loop may go round.
    fn plan_untiring(&self, ask: &Ask, taste: Taste, played: &[Played]) -> Option<Arrival> {
        const TRIES: usize = 5;
        /// What each passage less is worth (judgement): about what the opening is.
        const WORTH: f32 = 6.0;
        let bars = self.reading.bar_count();
        let tiring = |plan: &Arrival| -> Vec<(usize, usize)> {
            running_twice(plan).into_iter().filter(|&(leave, enter)| !(self.reading.is_loop() && leave == bars && enter == 0)).collect()
        };
        let first = self.cheapest(ask, taste, played)?;
        let mut fewest = tiring(&first);
        if fewest.is_empty() {
            return Some(first);
        }
        let (most_cost, least_chance) = (first.cost + WORTH * fewest.len() as f32, self.worst_of(ask, &first).min(FAIR_CHANCE));
        let onward = Ask { moves_on: true, ..ask.clone() };
        let mut found = first;
        let mut dearer = ask.clone();
        for attempt in 0..TRIES {
            let next = if attempt == 0 { self.cheapest(&onward, taste, played).filter(|p| p.cost <= most_cost) } else { self.cheapest(&dearer, taste, played) };
            let again = next.as_ref().map(&tiring).unwrap_or_default();
            if let Some(next) = next.filter(|p| again.len() < fewest.len() && self.worst_of(ask, p) >= least_chance) {
                (found, fewest) = (next, again.clone());
                if fewest.is_empty() {
                    break;
                }
            }
            dearer.used_joins.extend(if again.is_empty() { fewest.clone() } else { again });
        }
        Some(found)
    }

    /// Sets aside what cannot hold. Gives that as sentences, and the best plan of what is left.
    pub(super) fn settle(&mut self) -> (Vec<Message>, Option<Arrival>) {
        let best = |wishes: &Wishes| self.plan(&self.ask(wishes), base_taste(wishes), &[]);
        let holds = |wishes: &Wishes| best(wishes).is_some();
        let first = best(&self.wishes);
        if first.is_some() {
            return (Vec::new(), first);
        }
        let mut rest = self.wishes.clone();
        let mut aside = Vec::new();
        let say = |wishes: &Wishes, held: Held| wishes.why_not(held, self.reading, self.place);
        // One that alone stands in the way, else one after the other, the weakest first.
        while !holds(&rest) {
            let Some(&first) = rest.held().first() else { break };
            let held = rest.held().into_iter().find(|h| holds(&rest.without(*h))).unwrap_or(first);
            aside.push(say(&rest, held));
            rest = rest.without(held);
        }
        let first = best(&rest);
        self.wishes = rest;
        (aside, first)
    }
}

/// The splices that are taken twice running: what lies between is then heard three times in a row.
fn running_twice(plan: &Arrival) -> Vec<(usize, usize)> {
    let joins: Vec<(usize, usize)> = plan.runs.windows(2).map(|w| (w[0].1, w[1].0)).collect();
    joins.windows(2).filter(|w| w[0] == w[1]).map(|w| w[0]).collect()
}

/// How often each bar is played.
fn plays(plan: &Arrival, bars: usize) -> Vec<u32> {
    let mut counts = vec![0; bars];
    plan.runs.iter().for_each(|&(from, to)| counts[from..to.min(bars)].iter_mut().for_each(|n| *n += 1));
    counts
}
