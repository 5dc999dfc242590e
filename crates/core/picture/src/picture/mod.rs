//! The picture: how long the cut is, which shots it has, what happens in it.
//!
//! A *shot* is a stretch between two edits. A *still* is a shot whose hold may change. A *moment*
//! is a single picture that the music may answer to: a hit, the title, the credits. Both can be
//! made by hand or come from a list; a second list replaces what the first one brought and leaves
//! everything made by hand alone ([`Picture::take_list`]).
//!
//! They stand in one file, for what a list changes of one it changes of all.

pub mod stills;
mod unused;

pub use unused::{Unused, tell_unused};

use jaunty_units::SAMPLE_RATE_HZ;
use jaunty_units::units::{CutLength, FrameRate};
use serde::{Deserialize, Serialize};

/// Longest name that is kept, in characters.
const LONGEST_NAME: usize = 120;
/// Most shots or moments that a cut holds.
pub const MOST_MARKS: usize = 5000;

/// Where a shot or a moment came from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub enum Origin {
    /// Set in the page.
    #[default]
    Hand,
    /// Brought in with a list.
    List,
}

/// A stretch between two edits.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Shot {
    /// What is seen.
    pub name: String,
    /// Its first frame, from the start of the cut.
    pub start_frame: u64,
    /// The frame after its last one.
    pub end_frame: u64,
    /// Whether its hold may change.
    #[serde(default)]
    pub still: bool,
    /// Where it came from.
    #[serde(default)]
    pub origin: Origin,
}

/// What a moment is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum MomentKind {
    /// An accent of the music may land here.
    #[default]
    Hit,
    /// The title stands.
    Title,
    /// The credits begin.
    Credits,
    /// Something else, by its name.
    Other,
}

/// A single picture that matters.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Moment {
    /// What happens.
    pub name: String,
    /// When, from the start of the cut.
    pub frame: u64,
    /// What it is for.
    #[serde(default)]
    pub kind: MomentKind,
    /// Where it came from.
    #[serde(default)]
    pub origin: Origin,
}

impl Picture {
    /// Where a bed begins that belongs to a moment: when the shot of the title ends, or a little before the action ends for
    /// credits (common practice, no source). Without shots nobody knows how long the title stands: then with the title.
    pub fn bed_from_samples(&self, moment: &Moment) -> Option<u64> {
        const BEFORE_CREDITS_SAMPLES: u64 = 2 * SAMPLE_RATE_HZ as u64;
        let at = self.rate.samples_from_frames(moment.frame);
        match moment.kind {
            MomentKind::Title => match self.shots.iter().find(|s| (s.start_frame..s.end_frame).contains(&moment.frame)) {
                Some(shot) => Some(shot.end_frame).filter(|end| *end < self.length_frames).map(|end| self.rate.samples_from_frames(end)),
                None => Some(at).filter(|at| *at > 0),
            },
            MomentKind::Credits => Some(at.saturating_sub(BEFORE_CREDITS_SAMPLES)),
            MomentKind::Hit | MomentKind::Other => None,
        }
    }
}

/// A written line of the narration with its rough time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct Line {
    /// Where its first syllable falls, in samples of the cut.
    pub start_samples: u64,
    /// The words.
    pub words: String,
}

fn is_zero(frames: &u64) -> bool {
    *frames == 0
}

/// The sound runs on behind the picture by at most this long, in seconds.
pub const MOST_TAIL_S: f64 = 60.0;

/// What the cut looks like in time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Picture {
    /// Frames a second.
    pub rate: FrameRate,
    /// Length in frames.
    pub length_frames: u64,
    /// So much longer the sound runs on behind the picture, in frames: under credits of one's own, for instance.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub tail_frames: u64,
    /// The number of the first frame: its timecode is the first timecode of the cut.
    #[serde(default)]
    pub first_frame: u64,
    /// Shots, in order of their starts.
    #[serde(default)]
    pub shots: Vec<Shot>,
    /// Moments, in order.
    #[serde(default)]
    pub moments: Vec<Moment>,
}

/// Shots and moments as a list gives them.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Marks {
    /// Its shots, in order of their starts.
    pub shots: Vec<Shot>,
    /// Its moments, in order.
    pub moments: Vec<Moment>,
}

impl Marks {
    /// Names and frames of what a cut of `length_frames` has no room for.
    pub fn outside(&self, length_frames: u64) -> Vec<(String, u64)> {
        let shots = self.shots.iter().map(|s| (s.name.clone(), s.start_frame));
        let moments = self.moments.iter().map(|m| (m.name.clone(), m.frame));
        shots.chain(moments).filter(|(_, frame)| *frame >= length_frames).collect()
    }
}

/// Something that a changed list changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase", tag = "kind")]
pub enum ListChange {
    /// It was not there before.
    Added {
        /// What is seen or happens.
        name: String,
        /// Where it is.
        #[serde(rename = "toFrame")]
        to_frame: u64,
    },
    /// It begins elsewhere or lasts longer or shorter.
    Moved {
        /// What is seen or happens.
        name: String,
        /// Where it was.
        #[serde(rename = "fromFrame")]
        from_frame: u64,
        /// Where it is.
        #[serde(rename = "toFrame")]
        to_frame: u64,
        /// Frames that it lasts more (negative: less).
        #[serde(rename = "longerFrames")]
        longer_frames: i64,
    },
    /// It is no longer there.
    Gone {
        /// What was seen or happened.
        name: String,
        /// Where it was.
        #[serde(rename = "fromFrame")]
        from_frame: u64,
    },
}

/// Why a mark cannot be set.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PictureError {
    /// It lies behind the end.
    #[error("frame {frame} lies outside the cut, which has {length_frames} frames")]
    Outside {
        /// The frame asked for.
        frame: u64,
        /// Length of the cut.
        length_frames: u64,
    },
    /// There is one already.
    #[error("a {0} begins at that frame already")]
    Taken(&'static str),
    /// There is none of that number.
    #[error("there is no such {0}")]
    Unknown(&'static str),
    /// The cut is full.
    #[error("a cut holds at most {MOST_MARKS} shots and as many moments")]
    TooMany,
}

/// A name as it is kept: trimmed, without control characters, never empty.
pub fn tidy_name(name: &str, otherwise: &str) -> String {
    let kept: String = name.chars().filter(|c| !c.is_control()).collect();
    let kept: String = kept.trim().chars().take(LONGEST_NAME).collect();
    if kept.is_empty() { otherwise.to_owned() } else { kept }
}

impl Picture {
    /// An empty picture.
    pub fn new(length: CutLength) -> Self {
        Self { rate: length.rate(), length_frames: length.frames(), tail_frames: 0, first_frame: 0, shots: Vec::new(), moments: Vec::new() }
    }

    /// Makes the cut so long, at the rate that the length has.
    pub fn set_length(&mut self, length: CutLength) {
        (self.rate, self.length_frames) = (length.rate(), length.frames());
    }

    /// Length of the sound in samples, exact: the picture's, and what runs on behind it.
    pub fn length_samples(&self) -> u64 {
        self.rate.samples_from_frames(self.length_frames + self.tail_frames)
    }

    /// Length of the picture alone, in samples.
    pub fn picture_samples(&self) -> u64 {
        self.rate.samples_from_frames(self.length_frames)
    }

    /// The timecode of a frame of the cut.
    pub fn timecode(&self, frame: u64) -> String {
        self.rate.timecode(self.first_frame + frame).to_string()
    }

    fn inside(&self, frame: u64) -> Result<(), PictureError> {
        if frame < self.length_frames { Ok(()) } else { Err(PictureError::Outside { frame, length_frames: self.length_frames }) }
    }

    /// Begins a new shot at `frame`: the one that was running there ends, and the rest of it
    /// becomes the new shot. In a cut without shots the stretch before becomes a shot too.
    ///
    /// # Errors
    /// [`PictureError`] outside the cut, at the start of a shot, or when the cut is full.
    pub fn begin_shot(&mut self, frame: u64, name: &str) -> Result<(), PictureError> {
        self.inside(frame)?;
        if self.shots.iter().any(|s| s.start_frame == frame) {
            return Err(PictureError::Taken("shot"));
        }
        if self.shots.len() >= MOST_MARKS {
            return Err(PictureError::TooMany);
        }
        if self.shots.is_empty() && frame > 0 {
            self.shots.push(Shot { name: "shot 1".into(), start_frame: 0, end_frame: self.length_frames, still: false, origin: Origin::Hand });
        }
        let next = self.shots.partition_point(|s| s.start_frame < frame);
        let following = self.shots.get(next).map_or(self.length_frames, |s| s.start_frame);
        let mut end_frame = following;
        if let Some(running) = next.checked_sub(1).and_then(|k| self.shots.get_mut(k))
            && running.end_frame > frame
        {
            end_frame = running.end_frame;
            running.end_frame = frame;
        }
        let name = tidy_name(name, &format!("shot {}", next + 1));
        self.shots.insert(next, Shot { name, start_frame: frame, end_frame, still: false, origin: Origin::Hand });
        Ok(())
    }

    /// Takes shot `index` away; the one before it runs on to its end.
    ///
    /// # Errors
    /// [`PictureError::Unknown`].
    pub fn remove_shot(&mut self, index: usize) -> Result<Shot, PictureError> {
        if index >= self.shots.len() {
            return Err(PictureError::Unknown("shot"));
        }
        let gone = self.shots.remove(index);
        if let Some(before) = index.checked_sub(1).and_then(|k| self.shots.get_mut(k))
            && before.end_frame == gone.start_frame
        {
            before.end_frame = gone.end_frame;
        }
        Ok(gone)
    }

    /// Moves the start of shot `index` to `frame`; the shot before it gives way or follows.
    ///
    /// # Errors
    /// [`PictureError`] when `frame` is not between the neighbours' starts.
    pub fn move_shot(&mut self, index: usize, frame: u64) -> Result<(), PictureError> {
        self.inside(frame)?;
        let shot = self.shots.get(index).ok_or(PictureError::Unknown("shot"))?;
        let (old, end_frame) = (shot.start_frame, shot.end_frame);
        let after = index.checked_sub(1).and_then(|k| self.shots.get(k)).map(|s| s.start_frame);
        if frame >= end_frame || after.is_some_and(|start| frame <= start) {
            return Err(PictureError::Taken("shot"));
        }
        if let Some(before) = index.checked_sub(1).and_then(|k| self.shots.get_mut(k))
            && (before.end_frame == old || before.end_frame > frame)
        {
            before.end_frame = frame;
        }
        self.shots[index].start_frame = frame;
        Ok(())
    }

    /// Marks a moment.
    ///
    /// # Errors
    /// [`PictureError`] outside the cut, where one of that kind is already, or when the cut is full.
    pub fn mark_moment(&mut self, frame: u64, kind: MomentKind, name: &str) -> Result<(), PictureError> {
        self.inside(frame)?;
        if self.moments.iter().any(|m| m.frame == frame && m.kind == kind) {
            return Err(PictureError::Taken("moment"));
        }
        if self.moments.len() >= MOST_MARKS {
            return Err(PictureError::TooMany);
        }
        let otherwise = match kind {
            MomentKind::Hit => "hit",
            MomentKind::Title => "title",
            MomentKind::Credits => "credits",
            MomentKind::Other => "moment",
        };
        let next = self.moments.partition_point(|m| m.frame <= frame);
        self.moments.insert(next, Moment { name: tidy_name(name, otherwise), frame, kind, origin: Origin::Hand });
        Ok(())
    }

    /// Replaces what an earlier list brought by what this one holds, and says what that changed.
    /// Whatever was made by hand stays; a listed shot gives way to nothing, so hand-made shots are
    /// kept only where the list has none. What lies behind the end of the cut is left out: take
    /// the list's length first, or let [`Marks::outside`] say what that is.
    pub fn take_list(&mut self, mut list: Marks) -> Vec<ListChange> {
        list.shots.retain(|s| s.start_frame < self.length_frames);
        list.moments.retain(|m| m.frame < self.length_frames);
        for shot in &mut list.shots {
            shot.end_frame = shot.end_frame.min(self.length_frames);
        }
        let old_shots: Vec<Shot> = self.shots.iter().filter(|s| s.origin == Origin::List).cloned().collect();
        let old_moments: Vec<Moment> = self.moments.iter().filter(|m| m.origin == Origin::List).cloned().collect();
        let mut changes = Vec::new();
        if !list.shots.is_empty() {
            let spans = |s: &Shot| (s.name.clone(), s.start_frame, s.end_frame - s.start_frame);
            changes.extend(compare(old_shots.iter().map(spans), list.shots.iter().map(spans)));
            let by_hand = self.shots.iter().filter(|s| s.origin == Origin::Hand);
            let clear = |s: &&Shot| !list.shots.iter().any(|l| l.start_frame < s.end_frame && s.start_frame < l.end_frame);
            let mut shots: Vec<Shot> = by_hand.filter(clear).cloned().collect();
            shots.extend(list.shots.into_iter().take(MOST_MARKS).map(|s| Shot { origin: Origin::List, ..s }));
            shots.sort_by_key(|s| s.start_frame);
            // What was marked as a still stays one while its name stays.
            for shot in &mut shots {
                shot.still |= old_shots.iter().any(|o| o.still && o.name == shot.name);
            }
            self.shots = shots;
        }
        if !list.moments.is_empty() {
            let spans = |m: &Moment| (m.name.clone(), m.frame, 0);
            changes.extend(compare(old_moments.iter().map(spans), list.moments.iter().map(spans)));
            self.moments.retain(|m| m.origin == Origin::Hand);
            self.moments.extend(list.moments.into_iter().take(MOST_MARKS).map(|m| Moment { origin: Origin::List, ..m }));
            self.moments.sort_by_key(|m| m.frame);
        }
        changes
    }
}

/// What changed between two lists of (name, start, length): the k-th of a name is the same thing in both.
fn compare(old: impl Iterator<Item = (String, u64, u64)>, new: impl Iterator<Item = (String, u64, u64)>) -> Vec<ListChange> {
    let mut before: std::collections::HashMap<String, std::collections::VecDeque<(u64, u64)>> = std::collections::HashMap::new();
    let mut was_empty = true;
    for (name, start, length) in old {
        was_empty = false;
        before.entry(name).or_default().push_back((start, length));
    }
    // The first list adds everything, which is no news.
    if was_empty {
        return Vec::new();
    }
    let mut changes = Vec::new();
    for (name, to_frame, length) in new {
        match before.get_mut(&name).and_then(std::collections::VecDeque::pop_front) {
            None => changes.push(ListChange::Added { name, to_frame }),
            Some((from_frame, was)) if (from_frame, was) != (to_frame, length) => {
                changes.push(ListChange::Moved { name, from_frame, to_frame, longer_frames: length as i64 - was as i64 });
            }
            Some(_) => {}
        }
    }
    let mut gone: Vec<ListChange> =
        before.into_iter().flat_map(|(name, left)| left.into_iter().map(move |(from_frame, _)| ListChange::Gone { name: name.clone(), from_frame })).collect();
    gone.sort_by_key(|c| if let ListChange::Gone { from_frame, .. } = c { *from_frame } else { 0 });
    changes.extend(gone);
    changes
}
