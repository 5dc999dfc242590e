//! Rendering: a plan with its sounds open, and the bed at hand as it came.

use super::{Problem, Studio};
use crate::store::{comparisons, cuts, sounds};
use jaunty_core::cut::{Candidate, Cut, Setup};
use jaunty_core::fit::CloseUp;
use jaunty_core::mix::{Hear, Meters, count_along, loudness, meters, outline, render};
use jaunty_core::plan::{Layer, Plan, Role};
use jaunty_core::reading::Reading;
use jaunty_core::sound::loudness::Loudness;
use jaunty_core::sound::{Sound, Source};
use jaunty_media::PcmFile;
use std::collections::HashMap;
use std::ops::Range;
use std::sync::Arc;
use uuid::Uuid;

/// The longest range that is rendered at once: 30 s.
pub const MOST_RANGE_SAMPLES: u64 = 1_440_000;

/// A plan with its sounds open.
pub struct Ready {
    plan: Plan,
    files: HashMap<String, PcmFile>,
}

impl Ready {
    /// Takes layers out, named as `bed`, `voice`, `film` or by the hash of an ambience.
    fn mute(&mut self, names: &str) {
        let silent = |layer: &Layer| {
            names.split(',').any(|name| match layer.role {
                Role::Bed => name == "bed",
                Role::Narration => name == "voice",
                Role::Film => name == "film",
                Role::Ambience => name == layer.sound,
            })
        };
        self.plan.layers.retain(|layer| !silent(layer));
    }

    /// One layer alone, before its levels.
    ///
    /// # Errors
    /// [`super::Code::NotFound`] without such a layer.
    fn unshaped(&mut self, layer: usize) -> Result<(), Problem> {
        let alone = self.plan.layers.get(layer).ok_or_else(|| Problem::not_found("layer"))?;
        self.plan.layers = vec![Layer { levels: Vec::new(), ..alone.clone() }];
        Ok(())
    }

    fn open<'a>(&'a self) -> impl Fn(&str) -> Option<&'a dyn Source> {
        |name: &str| self.files.get(name).map(|f| f as &dyn Source)
    }

    /// What is measured of the mix.
    ///
    /// # Errors
    /// Never: all sounds are open.
    pub fn meters(&self) -> Result<Meters, Problem> {
        meters(&self.plan, &self.open()).map_err(Problem::internal)
    }

    /// The loudness of the whole mix, with its true peak.
    ///
    /// # Errors
    /// Never: all sounds are open.
    pub fn loudness(&self) -> Result<Loudness, Problem> {
        loudness(&self.plan, &self.open()).map_err(Problem::internal)
    }

    /// A long range of the mix, on two cores.
    ///
    /// # Errors
    /// Never: all sounds are open.
    pub fn render_at_once(&self, range: Range<u64>) -> Result<Sound, Problem> {
        let middle = range.start + (range.end - range.start) / 2;
        let halves = std::thread::scope(|scope| {
            let second = scope.spawn(|| self.render(middle..range.end, Hear::Everything));
            let first = self.render(range.start..middle, Hear::Everything);
            Some((first, second.join().ok()?))
        });
        let (first, second) = halves.ok_or_else(|| Problem::internal("rendering broke off"))?;
        let mut whole = first?;
        whole.append(&second?);
        Ok(whole)
    }

    /// A range of the mix.
    ///
    /// # Errors
    /// Never: all sounds are open.
    pub fn render(&self, range: Range<u64>, hear: Hear) -> Result<Sound, Problem> {
        render(&self.plan, &self.open(), range, hear).map_err(Problem::internal)
    }

    /// The highest sample of each `span_samples` of the mix.
    ///
    /// # Errors
    /// Never: all sounds are open.
    pub fn outline(&self, span_samples: u64) -> Result<Vec<f32>, Problem> {
        outline(&self.plan, &self.open(), span_samples).map_err(Problem::internal)
    }
}

/// What of a revision is heard.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Default)]
pub struct Heard {
    /// Which layers.
    pub hear: Hear,
    /// One layer alone, before its levels, by its place in the plan.
    pub unshaped: Option<usize>,
    /// Layers that are muted ([`Ready::mute`]).
    pub without: String,
}

/// Stretches of revisions that were rendered lately, from whole multiples of their length: who listens to the same shares
/// them, wherever on the cut they are.
#[derive(Clone)]
pub struct Stretches(moka::future::Cache<(Uuid, u32, Heard, u64), Arc<Sound>>);

impl Stretches {
    /// Samples of one: 5 s take some 6 ms to render.
    const LENGTH_SAMPLES: u64 = 240_000;
}

impl Default for Stretches {
    fn default() -> Self {
        const MOST_BYTES: u64 = 64 << 20;
        let bytes = |sound: &Arc<Sound>| u32::try_from(4 * sound.len_samples() * sound.channel_count() as u64).unwrap_or(u32::MAX);
        Self(moka::future::Cache::builder().max_capacity(MOST_BYTES).weigher(move |_, sound| bytes(sound)).build())
    }
}

impl Studio {
    /// A range of a revision, which never changes.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what decoding says.
    pub async fn heard_range(&self, id: Uuid, revision: u32, heard: &Heard, range: Range<u64>) -> Result<Sound, Problem> {
        const LENGTH: u64 = Stretches::LENGTH_SAMPLES;
        let mut ready: Option<Arc<Ready>> = None;
        let mut whole: Option<Sound> = None;
        for number in range.start / LENGTH..range.end.div_ceil(LENGTH).max(range.start / LENGTH + 1) {
            let key = (id, revision, heard.clone(), number);
            let stretch = match self.stretches.0.get(&key).await {
                Some(kept) => kept,
                None => {
                    let open = match &ready {
                        Some(open) => open.clone(),
                        None => ready.insert(Arc::new(self.ready_for(id, revision, heard).await?)).clone(),
                    };
                    let (first, hear) = (number * LENGTH, heard.hear);
                    let made = Arc::new(self.compute(move || open.render(first..first.saturating_add(LENGTH), hear)).await??);
                    self.stretches.0.insert(key, made.clone()).await;
                    made
                }
            };
            // The last one ends with the cut.
            let first = number * LENGTH;
            let end = range.end.saturating_sub(first).min(stretch.len_samples());
            let inside = range.start.saturating_sub(first).min(end)..end;
            let part = Sound::of(stretch.as_ref(), inside);
            match &mut whole {
                Some(whole) => whole.append(&part),
                None => whole = Some(part),
            }
        }
        whole.ok_or_else(|| Problem::internal("a range without a stretch"))
    }

    async fn ready_for(&self, id: Uuid, revision: u32, heard: &Heard) -> Result<Ready, Problem> {
        let mut ready = self.ready(id, revision).await?;
        match heard.unshaped {
            Some(layer) => ready.unshaped(layer)?,
            None => ready.mute(&heard.without),
        }
        Ok(ready)
    }

    /// A revision's plan with its sounds open.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what decoding says.
    pub async fn ready(&self, id: Uuid, revision: u32) -> Result<Ready, Problem> {
        let plan = cuts::plan(&self.pool, id, revision).await?.ok_or_else(|| Problem::not_found("revision"))?;
        self.open_plan(plan).await
    }

    /// The cut with a candidate as its bed, with its sounds open.
    ///
    /// # Errors
    /// A candidate that was not compared yet, or what decoding says.
    pub async fn ready_with(&self, id: Uuid, candidate: &str) -> Result<Ready, Problem> {
        let plan = comparisons::plan(&self.pool, id, candidate).await?;
        self.open_plan(plan.ok_or_else(|| Problem::bad_value("This bed is still being fitted. Listen to it in a moment."))?).await
    }

    pub(super) async fn open_plan(&self, plan: Plan) -> Result<Ready, Problem> {
        let mut files = HashMap::new();
        for layer in &plan.layers {
            if !files.contains_key(&layer.sound) {
                files.insert(layer.sound.clone(), self.working_file(&layer.sound).await?);
            }
        }
        Ok(Ready { plan, files })
    }

    /// The bed at hand and what was read of it.
    ///
    /// # Errors
    /// [`super::Code::NotFound`] without a bed or its reading.
    pub async fn bed_reading(&self, setup: &Setup) -> Result<(Candidate, Reading), Problem> {
        let bed = bed_at_hand(setup)?;
        let reading = sounds::bed_document(&self.pool, &bed.hash, &bed.corrections).await?.ok_or_else(|| Problem::not_found("reading"))?;
        Ok((bed, reading))
    }

    /// A splice of a revision's fitting close up, so many seconds on either side.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what decoding says.
    pub async fn close_up(&self, id: Uuid, revision: u32, index: usize, reach_s: f64) -> Result<CloseUp, Problem> {
        let Cut { setup, plan, .. } = cuts::revision(&self.pool, id, revision).await?.ok_or_else(|| Problem::not_found("revision"))?.cut;
        let bed = plan.bed().ok_or_else(|| Problem::not_found("bed"))?;
        let fitting = bed.fitting.clone().ok_or_else(|| Problem::not_found("fitting"))?;
        let reading = sounds::bed_document(&self.pool, &bed.sound, setup.corrections(&bed.sound)).await?.ok_or_else(|| Problem::not_found("reading"))?;
        let file = self.working_file(&bed.sound).await?;
        let shown = self.compute(move || CloseUp::of(&file, &fitting, &reading, index, reach_s)).await?;
        shown.ok_or_else(|| Problem::not_found("splice"))
    }

    /// A range of the bed at hand as it came, with a tick on every beat where that is asked for.
    ///
    /// # Errors
    /// [`super::Code::NotFound`] without a bed, or what decoding says.
    pub async fn bed_range(&self, id: Uuid, range: Range<u64>, count: bool) -> Result<Sound, Problem> {
        /// Peak of a tick: heard over a loud bed, no shock over a quiet one.
        const TICK: f32 = 0.35;
        let setup = cuts::cut(&self.pool, id).await?.setup;
        let bed = bed_at_hand(&setup)?;
        let file = self.working_file(&bed.hash).await?;
        let reading = if count { sounds::bed_document(&self.pool, &bed.hash, &bed.corrections).await? } else { None };
        self.compute(move || {
            let mut planes = vec![vec![0.0; (range.end - range.start) as usize]; file.channel_count()];
            for (channel, plane) in planes.iter_mut().enumerate() {
                file.read(channel, range.start as i64, plane);
            }
            let mut sound = Sound::new(planes);
            if let Some(reading) = reading {
                count_along(&mut sound, range.start, &reading, TICK);
            }
            sound
        })
        .await
    }
}

fn bed_at_hand(setup: &Setup) -> Result<Candidate, Problem> {
    let hash = setup.bed.as_ref().map_or("", |b| &b.hash);
    setup.candidates.iter().find(|c| c.hash == hash).cloned().ok_or_else(|| Problem::not_found("bed"))
}
