//! What somebody wants of the level as a whole. Every default is right without a touch.

use super::forms::{Closing, Opening};
use super::pocket::PocketWish;
use super::{BED_ALONE_LUFS, FadeShape, SWELL_UNDER_SPEECH_DB, UNDER_SPEECH_DB};
use jaunty_units::units::Bounds;
use serde::{Deserialize, Serialize};

/// Figures that all level objects follow.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase", default)]
pub struct ShapeWishes {
    /// How far the bed lies under the speech, in dB of loudness, 0 to 40.
    pub under_speech_db: f64,
    /// How far the bed alone lies under the loudness of the speech, in dB, 0 to 40; without any, under the film's own
    /// sound.
    pub alone_db: f64,
    /// Loudness of a bed with which nothing else is heard that it could lie under, in LUFS, -50 to -10.
    pub bed_alone_lufs: f64,
    /// Time of a rise or fall, in seconds: 1.2 s, common practice.
    pub ease_s: f64,
    /// Gaps shorter than this stay under the speech, in seconds.
    pub least_gap_s: f64,
    /// Length of the fade in; by the way the bed begins without one.
    pub fade_in_s: Option<f64>,
    /// Length of the fade out; about 2 s without one, longer than the fade in, common practice.
    pub fade_out_s: Option<f64>,
    /// Shape of both.
    pub fade_shape: FadeShape,
    /// How the bed gives way to the first words; by the rule for gaps without one.
    pub opening: Option<Opening>,
    /// How it rises behind the last words.
    pub closing: Option<Closing>,
    /// Whether phrases are made alike in loudness.
    pub even_voice: bool,
    /// Whether the bed is held under each phrase by itself, not under all of a group alike.
    #[serde(default)]
    pub hold_each_phrase: bool,
    /// The voice's place in the bed's spectrum.
    pub pocket: Option<PocketWish>,
    /// Loudness of the whole, in LUFS.
    pub target_lufs: Option<f64>,
}

impl Default for ShapeWishes {
    fn default() -> Self {
        Self {
            under_speech_db: UNDER_SPEECH_DB,
            alone_db: SWELL_UNDER_SPEECH_DB,
            bed_alone_lufs: BED_ALONE_LUFS,
            ease_s: 1.2,
            least_gap_s: 2.4,
            fade_in_s: None,
            fade_out_s: None,
            fade_shape: FadeShape::EqualPower,
            opening: None,
            closing: None,
            even_voice: false,
            hold_each_phrase: false,
            pocket: None,
            target_lufs: None,
        }
    }
}

/// Loudness of the whole to choose from, in LUFS, in words; the first leaves it as it is. Broadcast:
/// EBU R 128; online: what the services ask for (from memory).
pub const LOUDNESS_CHOICES: [(&str, Option<f64>); 4] =
    [("as it is", None), ("−23 LUFS, broadcast", Some(-23.0)), ("−16 LUFS, spoken online", Some(-16.0)), ("−14 LUFS, music online", Some(-14.0))];

/// Loudness that a bed of its own may have, in LUFS.
pub const BED_ALONE_RANGE_LUFS: Bounds = Bounds::new(-50.0, -10.0);

/// How far the bed lies under the speech, in dB.
pub const UNDER_DB: Bounds = Bounds::new(0.0, 40.0);

/// How long a rise or fall of the whole lasts, in seconds.
pub const EASE_S: Bounds = Bounds::new(0.0, 10.0);

/// The least gap that gets a swell, in seconds.
pub const LEAST_GAP_S: Bounds = Bounds::new(0.0, 60.0);

/// Slopes of opening and closing, in seconds.
pub const SLOPE_S: Bounds = Bounds::new(0.0, 30.0);

/// A figure outside of what is sensible. The texts say what is allowed.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
#[error("{what} is {from} to {to} {unit}")]
pub struct ShapeError {
    what: &'static str,
    from: f64,
    to: f64,
    unit: &'static str,
}

impl ShapeWishes {
    /// Whether every figure is sensible.
    ///
    /// # Errors
    /// [`ShapeError`] for the first that is not.
    pub fn check(&self) -> Result<(), ShapeError> {
        let within = |value: f64, what, bounds: Bounds, unit| {
            let Bounds { from, to } = bounds;
            if bounds.hold(value) { Ok(()) } else { Err(ShapeError { what, from, to, unit }) }
        };
        let to = |most: f64| Bounds::new(0.0, most);
        within(self.under_speech_db, "the bed under the voice", UNDER_DB, "dB")?;
        within(self.alone_db, "the bed alone", UNDER_DB, "dB")?;
        within(self.bed_alone_lufs, "the loudness of a bed alone", BED_ALONE_RANGE_LUFS, "LUFS")?;
        within(self.ease_s, "a rise or fall", EASE_S, "s")?;
        within(self.least_gap_s, "the least gap for a swell", LEAST_GAP_S, "s")?;
        within(self.fade_in_s.unwrap_or(0.0), "the fade in", to(30.0), "s")?;
        within(self.fade_out_s.unwrap_or(0.0), "the fade out", to(60.0), "s")?;
        within(self.target_lufs.unwrap_or(-23.0), "the loudness of the whole", Bounds::new(-40.0, -10.0), "LUFS")?;
        let (opening, closing) = (self.opening.unwrap_or_default(), self.closing.unwrap_or_default());
        within(opening.fall_s, "the fall of the opening", SLOPE_S, "s")?;
        within(opening.enters * 100.0, "the voice's entry", to(100.0), "% of the fall")?;
        within(closing.rise_s, "the rise of the closing", SLOPE_S, "s")?;
        within(closing.under_words_s, "the rise under the last words", SLOPE_S, "s")?;
        let pocket = self.pocket.unwrap_or_default();
        within(pocket.depth_db, "the depth of the pocket", to(24.0), "dB")?;
        within(pocket.q, "the narrowness of the pocket", to(20.0), "(Q)")?;
        within(pocket.centre_hz.unwrap_or(1000.0), "the middle of the pocket", Bounds::new(100.0, 8000.0), "Hz")
    }
}
