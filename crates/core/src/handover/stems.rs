//! The layers of a plan, each by itself.

use crate::plan::{Layer, Plan, Role};

/// A part of a plan by itself.
#[derive(Debug, Clone, PartialEq)]
pub struct Stem {
    /// What it is, for people and names of files.
    pub name: String,
    /// The plan of it.
    pub plan: Plan,
    /// What it is to the mix.
    pub share: Share,
}

/// What a stem is to the mix.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Share {
    /// One of those that together are it.
    Part,
    /// As a part, and the voice: what is left without it is a stem too.
    Voice,
    /// All parts but the voice, together.
    AllButVoice,
    /// Something else.
    Apart,
}

impl Share {
    /// Whether it is one of those that together are the mix.
    pub fn is_part(self) -> bool {
        matches!(self, Self::Part | Self::Voice)
    }
}

/// The layers of a plan as plans of their own: those that together are the mix, then the bed without its levels, and all
/// but the voice. `named` says what the sound of an ambience is called.
pub fn stems(plan: &Plan, named: &dyn Fn(&str) -> String) -> Vec<Stem> {
    let only = |keep: &dyn Fn(&Layer) -> bool| Plan { layers: plan.layers.iter().filter(|l| keep(l)).cloned().collect(), ..plan.clone() };
    let mut all = Vec::new();
    for (role, name) in [(Role::Bed, "bed"), (Role::Narration, "voice"), (Role::Film, "film")] {
        let share = if role == Role::Narration { Share::Voice } else { Share::Part };
        all.push(Stem { name: name.to_owned(), plan: only(&|l| l.role == role), share });
    }
    let mut ambiences: Vec<&str> = plan.layers.iter().filter(|l| l.role == Role::Ambience).map(|l| l.sound.as_str()).collect();
    ambiences.dedup();
    for (k, sound) in ambiences.iter().enumerate() {
        let name = format!("ambience {} {}", k + 1, named(sound));
        all.push(Stem { name, plan: only(&|l| l.role == Role::Ambience && l.sound == *sound), share: Share::Part });
    }
    let mut level = only(&|l| l.role == Role::Bed);
    for layer in &mut level.layers {
        layer.levels.clear();
        layer.pocket = None;
    }
    let has = |role| plan.layers.iter().any(|l| l.role == role);
    if has(Role::Bed) {
        all.push(Stem { name: "bed without levels".into(), plan: level, share: Share::Apart });
    }
    if has(Role::Narration) {
        all.push(Stem { name: "all but the voice".into(), plan: only(&|l| l.role != Role::Narration), share: Share::AllButVoice });
    }
    all.retain(|stem| !stem.plan.layers.is_empty());
    all
}
