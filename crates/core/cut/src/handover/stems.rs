//! The layers of a plan, each by itself.

use jaunty_shape::plan::{Layer, Plan, Role};

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
    let mut ambiences: Vec<&str> = Vec::new();
    for layer in plan.layers.iter().filter(|l| l.role == Role::Ambience) {
        if !ambiences.contains(&layer.sound.as_str()) {
            ambiences.push(&layer.sound);
        }
    }
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

#[cfg(test)]
mod tests {
    use super::*;

    fn layer(role: Role, sound: &str) -> Layer {
        Layer { role, sound: sound.to_owned(), fitting: None, piece: None, levels: Vec::new(), pocket: None, ambience: None }
    }

    #[test]
    fn every_layer_is_in_one_part_whatever_layers_there_are() {
        let all = [
            layer(Role::Bed, "bed"),
            layer(Role::Bed, "next bed"),
            layer(Role::Narration, "take"),
            layer(Role::Narration, "second take"),
            layer(Role::Film, "film"),
            layer(Role::Ambience, "rain"),
            layer(Role::Ambience, "street"),
            layer(Role::Ambience, "rain"),
        ];
        for these in 1u32..1 << all.len() {
            let layers: Vec<Layer> = all.iter().enumerate().filter(|(k, _)| these >> k & 1 == 1).map(|(_, l)| l.clone()).collect();
            let plan = Plan { layers, ..Plan::empty(48_000) };
            let stems = stems(&plan, &|sound| sound.to_owned());
            let of = |share: &dyn Fn(Share) -> bool| -> Vec<&Layer> { stems.iter().filter(|s| share(s.share)).flat_map(|s| &s.plan.layers).collect() };
            let sorted = |mut layers: Vec<&Layer>| {
                layers.sort_by_key(|l| all.iter().position(|a| a == *l));
                layers.into_iter().cloned().collect::<Vec<_>>()
            };
            assert_eq!(sorted(of(&Share::is_part)), sorted(plan.layers.iter().collect()), "{these:b}");
            // What is left without the voice is told by adding up the others.
            let others = sorted(of(&|share| share == Share::Part));
            let left = stems.iter().find(|s| s.share == Share::AllButVoice);
            assert!(left.is_none_or(|left| sorted(left.plan.layers.iter().collect()) == others), "{these:b}");
            let mut names: Vec<&str> = stems.iter().map(|s| s.name.as_str()).collect();
            names.sort_unstable();
            names.dedup();
            assert_eq!(names.len(), stems.len(), "each has a name of its own");
        }
    }
}
