//! The layers of a plan, each by itself.

use crate::plan::{Layer, Plan, Role};

/// A part of a plan by itself.
#[derive(Debug, Clone, PartialEq)]
pub struct Stem {
    /// What it is, for people and names of files.
    pub name: String,
    /// The plan of it.
    pub plan: Plan,
    /// Whether it is one of those that together are the mix.
    pub is_part: bool,
}

/// The layers of a plan as plans of their own: those that together are the mix, then the bed without its levels, and all
/// but the voice. `named` says what the sound of an ambience is called.
pub fn stems(plan: &Plan, named: &dyn Fn(&str) -> String) -> Vec<Stem> {
    let only = |keep: &dyn Fn(&Layer) -> bool| Plan { layers: plan.layers.iter().filter(|l| keep(l)).cloned().collect(), ..plan.clone() };
    let mut all = Vec::new();
    for (role, name) in [(Role::Bed, "bed"), (Role::Narration, "voice"), (Role::Film, "film")] {
        all.push(Stem { name: name.to_owned(), plan: only(&|l| l.role == role), is_part: true });
    }
    let mut ambiences: Vec<&str> = plan.layers.iter().filter(|l| l.role == Role::Ambience).map(|l| l.sound.as_str()).collect();
    ambiences.dedup();
    for (k, sound) in ambiences.iter().enumerate() {
        let name = format!("ambience {} {}", k + 1, named(sound));
        all.push(Stem { name, plan: only(&|l| l.role == Role::Ambience && l.sound == *sound), is_part: true });
    }
    let mut level = only(&|l| l.role == Role::Bed);
    for layer in &mut level.layers {
        layer.levels.clear();
        layer.pocket = None;
    }
    let has = |role| plan.layers.iter().any(|l| l.role == role);
    if has(Role::Bed) {
        all.push(Stem { name: "bed without levels".into(), plan: level, is_part: false });
    }
    if has(Role::Narration) {
        all.push(Stem { name: "all but the voice".into(), plan: only(&|l| l.role != Role::Narration), is_part: false });
    }
    all.retain(|stem| !stem.plan.layers.is_empty());
    all
}
