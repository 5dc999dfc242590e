//! What is handed over of a finished cut, and what it says: forms, levels, layers, pieces, cue sheet.
//!
//! Nothing here writes a file: `jaunty-media` writes sound and film, `jaunty-exchange` lists and tables.

mod cue_sheet;
mod done;
mod level;
mod looped;
mod naming;
mod stems;

pub use cue_sheet::{Credit, Cue, Use, cue_sheet};
pub use done::{Done, DonePiece, DoneTrack, LevelPoint, SourceName, done};
pub use level::{Level, MOST_DBTP, level, limited};
pub use looped::{GoesRound, on_bar_lines};
pub use naming::{PLACES, USUAL_PATTERN, check_pattern, file_name, safe_name};
pub use stems::{Share, Stem, stems};

use jaunty_units::units::Bounds;
use serde::{Deserialize, Serialize};

/// Loudness that may be asked for, in LUFS.
pub const LOUDNESS_LUFS: Bounds = Bounds::new(-50.0, -5.0);

/// How sound is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Coding {
    /// WAV of 16 bits, with dither.
    Wav16,
    /// WAV of 24 bits.
    Wav24,
    /// WAV of 32-bit floating point: nothing is lowered to fit.
    Wav32,
    /// Broadcast Wave (EBU Tech 3285) of 24 bits, with the first timecode and its loudness.
    Broadcast,
    /// FLAC of 24 bits.
    Flac,
    /// MP3, 320 kb/s.
    Mp3,
    /// AAC in M4A, 256 kb/s.
    Aac,
    /// Opus, 160 kb/s.
    Opus,
}

impl Coding {
    /// The ending of its files.
    pub fn extension(self) -> &'static str {
        match self {
            Self::Wav16 | Self::Wav24 | Self::Wav32 | Self::Broadcast => "wav",
            Self::Flac => "flac",
            Self::Mp3 => "mp3",
            Self::Aac => "m4a",
            Self::Opus => "opus",
        }
    }

    /// Whether samples over full scale survive in it.
    pub fn holds_more_than_full_scale(self) -> bool {
        self == Self::Wav32
    }
}

/// What sound is handed over as.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct SoundForm {
    /// How it is written.
    pub coding: Coding,
    /// 44100, 48000 or 96000.
    pub rate_hz: u32,
    /// Both channels as one.
    pub mono: bool,
    /// The loudness to bring it to, in LUFS; as it is without one.
    pub loudness_lufs: Option<f64>,
    /// Whether a limiter holds its peaks, so that nothing else is lowered for them.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub limited: bool,
    /// Whether what runs on behind the picture belongs to it; else it is as long as the picture.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub with_tail: bool,
}

impl Default for SoundForm {
    fn default() -> Self {
        Self { coding: Coding::Wav24, rate_hz: 48_000, mono: false, loudness_lufs: None, limited: false, with_tail: false }
    }
}

/// What a film is written as; its picture is copied bit for bit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum FilmContainer {
    /// MP4, sound as AAC.
    Mp4,
    /// QuickTime, sound as PCM of 24 bits.
    Mov,
    /// Matroska, sound as FLAC.
    Mkv,
}

impl FilmContainer {
    /// The ending of its files.
    pub fn extension(self) -> &'static str {
        match self {
            Self::Mp4 => "mp4",
            Self::Mov => "mov",
            Self::Mkv => "mkv",
        }
    }
}

/// How what was done is listed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum ListForm {
    /// OpenTimelineIO: tracks, pieces, crossfades, levels.
    OpenTimelineIo,
    /// CMX 3600: audio events; what it cannot say stands in comments.
    Cmx3600,
    /// A table of the pieces.
    Pieces,
    /// A table of the levels.
    Levels,
    /// Bars, sections and moments of the cut as a MIDI tempo map with markers.
    Midi,
}

impl ListForm {
    /// The ending of its files.
    pub fn extension(self) -> &'static str {
        match self {
            Self::OpenTimelineIo => "otio",
            Self::Cmx3600 => "edl",
            Self::Pieces | Self::Levels => "csv",
            Self::Midi => "mid",
        }
    }
}

/// How a table is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum SheetForm {
    /// Comma-separated values.
    Csv,
    /// A page to print.
    Page,
}

/// Something that can be handed over.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "what", rename_all = "camelCase")]
pub enum Form {
    /// The mix.
    #[serde(rename_all = "camelCase")]
    Mix {
        /// As what.
        sound: SoundForm,
    },
    /// A passage of the mix with handles before and after.
    #[serde(rename_all = "camelCase")]
    Passage {
        /// As what.
        sound: SoundForm,
        /// First sample of the cut.
        start_samples: u64,
        /// The sample after the last.
        end_samples: u64,
        /// So much more on either side, as far as the cut goes.
        handle_samples: u64,
        /// Whether it is to go round and round: of whole bars where a bed lies, without handles, its end running into its beginning.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        loops: bool,
    },
    /// Each layer by itself: together they are the mix. All WAV of 24 bits.
    #[serde(rename_all = "camelCase")]
    Stems {
        /// Whether what runs on behind the picture belongs to them.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        with_tail: bool,
    },
    /// The picture with its new sound.
    #[serde(rename_all = "camelCase")]
    Film {
        /// As what.
        container: FilmContainer,
        /// Whether the film's old sound stays, as a second track.
        keeps_old_sound: bool,
    },
    /// What was done, for another program to go on with.
    #[serde(rename_all = "camelCase")]
    List {
        /// As what.
        list: ListForm,
    },
    /// The music cue sheet.
    #[serde(rename_all = "camelCase")]
    CueSheet {
        /// As what.
        sheet: SheetForm,
    },
    /// What Check found, with its figures.
    #[serde(rename_all = "camelCase")]
    Report {
        /// As a page to print; else as JSON.
        page: bool,
    },
    /// The mix, the stems, the lists, the cue sheet and the report, in one file with a list of all of it.
    #[serde(rename_all = "camelCase")]
    Everything {
        /// The mix as what.
        sound: SoundForm,
    },
    /// The cut itself, with its history, its sounds and what was read of them: another machine opens it.
    Cut,
}

/// Why a form makes no sense.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct FormError(String);

impl Form {
    /// What it is called, for people and in names of files.
    pub fn name(&self) -> &'static str {
        match self {
            Self::Mix { .. } => "mix",
            Self::Passage { loops: true, .. } => "loop",
            Self::Passage { .. } => "passage",
            Self::Stems { .. } => "stems",
            Self::Film { .. } => "film with its sound",
            Self::List { list: ListForm::OpenTimelineIo | ListForm::Cmx3600 } => "what was done",
            Self::List { list: ListForm::Pieces } => "pieces",
            Self::List { list: ListForm::Levels } => "levels",
            Self::List { list: ListForm::Midi } => "bars",
            Self::CueSheet { .. } => "music cue sheet",
            Self::Report { .. } => "report",
            Self::Everything { .. } => "everything",
            Self::Cut => "the cut itself",
        }
    }

    /// The ending of its files.
    pub fn extension(&self) -> &'static str {
        match self {
            Self::Mix { sound } | Self::Passage { sound, .. } => sound.coding.extension(),
            Self::Stems { .. } | Self::Everything { .. } | Self::Cut => "zip",
            Self::Film { container, .. } => container.extension(),
            Self::List { list } => list.extension(),
            Self::CueSheet { sheet: SheetForm::Csv } => "csv",
            Self::CueSheet { sheet: SheetForm::Page } | Self::Report { page: true } => "html",
            Self::Report { page: false } => "json",
        }
    }

    /// Whether it has what runs on behind the picture. Lists of what was done always say all of it.
    pub fn with_tail(&self) -> bool {
        match self {
            Self::Mix { sound } | Self::Passage { sound, .. } | Self::Everything { sound } => sound.with_tail,
            Self::Stems { with_tail } => *with_tail,
            Self::Film { .. } => false,
            Self::List { .. } | Self::CueSheet { .. } | Self::Report { .. } | Self::Cut => true,
        }
    }

    /// Whether it can be made of a cut of `length_samples`.
    ///
    /// # Errors
    /// [`FormError`] with what to do.
    pub fn check(&self, length_samples: u64) -> Result<(), FormError> {
        let refused = |text: &str| Err(FormError(text.to_owned()));
        if let Self::Mix { sound } | Self::Passage { sound, .. } | Self::Everything { sound } = self {
            if ![44_100, 48_000, 96_000].contains(&sound.rate_hz) {
                return refused("Sound is handed over at 44.1, 48 or 96 kHz.");
            }
            if sound.coding == Coding::Opus && sound.rate_hz != 48_000 {
                return refused("Opus has 48 kHz.");
            }
            if sound.coding == Coding::Mp3 && sound.rate_hz > 48_000 {
                return refused("MP3 has at most 48 kHz.");
            }
            if sound.loudness_lufs.is_some_and(|l| !LOUDNESS_LUFS.hold(l)) {
                return refused("A loudness is -50 to -5 LUFS.");
            }
        }
        match *self {
            Self::Passage { start_samples, end_samples, .. } if start_samples >= end_samples || start_samples >= length_samples => {
                refused("A passage begins before it ends, and within the cut.")
            }
            _ => Ok(()),
        }
    }
}
