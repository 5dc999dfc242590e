//! What the command line asks to be handed over.

use clap::{Args, ValueEnum};
use jaunty_core::handover::{Coding, FilmContainer, Form, ListForm, SheetForm, SoundForm};
use jaunty_core::units::samples_from_seconds;

/// Forms by the words of the command line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Word {
    /// The mix
    Mix,
    /// A passage of the mix
    Passage,
    /// Each layer by itself, in one zip
    Stems,
    /// The film with its sound, as MP4
    FilmMp4,
    /// The film with its sound, as QuickTime
    FilmMov,
    /// The film with its sound, as Matroska
    FilmMkv,
    /// What was done, as OpenTimelineIO
    Opentimelineio,
    /// What was done, as CMX 3600
    Cmx3600,
    /// A table of the pieces
    Pieces,
    /// A table of the levels
    Levels,
    /// Bars and moments as MIDI
    Midi,
    /// The music cue sheet as a table
    CueSheet,
    /// What Check found, as JSON
    Report,
    /// All of it, in one zip
    Everything,
    /// The cut itself, for another machine or as a backup
    Cut,
}

/// A coding by the word that the server's own interface has for it.
fn coding(word: &str) -> Result<Coding, String> {
    let known = serde_json::from_value(serde_json::Value::String(word.to_owned()));
    known.map_err(|_| "it is wav16, wav24, wav32, broadcast, flac, mp3, aac or opus".to_owned())
}

/// How sound is written.
#[derive(Debug, Args)]
pub struct SoundArguments {
    /// How sound is written: wav16, wav24, wav32, broadcast, flac, mp3, aac, opus
    #[arg(long, value_parser = coding, default_value = "wav24")]
    coding: Coding,
    /// Samples a second: 44100, 48000 or 96000
    #[arg(long = "rate", default_value_t = 48_000)]
    rate_hz: u32,
    /// Both channels as one
    #[arg(long)]
    mono: bool,
    /// Loudness to bring it to, in LUFS; as it is without it
    #[arg(long = "loudness", allow_negative_numbers = true)]
    loudness_lufs: Option<f64>,
    /// A limiter holds its peaks at -1 dBTP; nothing else is lowered for them
    #[arg(long)]
    limited: bool,
}

impl SoundArguments {
    /// What is meant.
    pub fn form(&self) -> SoundForm {
        let Self { coding, rate_hz, mono, loudness_lufs, limited } = *self;
        SoundForm { coding, rate_hz, mono, loudness_lufs, limited, with_tail: false }
    }
}

/// A form, and how its sound is written.
#[derive(Debug, Args)]
pub struct Wanted {
    /// What is handed over
    #[arg(long, value_enum, default_value = "mix")]
    form: Word,
    #[command(flatten)]
    sound: SoundArguments,
    /// Where a passage begins, in seconds of the cut
    #[arg(long = "from", default_value_t = 0.0)]
    from_s: f64,
    /// Where it ends
    #[arg(long = "to", default_value_t = 10.0)]
    to_s: f64,
    /// So many seconds more on either side of it
    #[arg(long = "handles", default_value_t = 0.0)]
    handles_s: f64,
    /// The passage goes round and round, in whole bars
    #[arg(long = "loop")]
    loops: bool,
    /// The film's old sound stays, as a second track
    #[arg(long)]
    keep_old_sound: bool,
    /// With what runs on behind the picture
    #[arg(long)]
    with_tail: bool,
}

impl Wanted {
    /// The form that is meant.
    pub fn form(&self) -> Form {
        let sound = SoundForm { with_tail: self.with_tail, ..self.sound.form() };
        let film = |container| Form::Film { container, keeps_old_sound: self.keep_old_sound };
        let list = |list| Form::List { list };
        match self.form {
            Word::Mix => Form::Mix { sound },
            Word::Passage => Form::Passage {
                sound,
                start_samples: samples_from_seconds(self.from_s),
                end_samples: samples_from_seconds(self.to_s),
                handle_samples: samples_from_seconds(self.handles_s),
                loops: self.loops,
            },
            Word::Stems => Form::Stems { with_tail: self.with_tail },
            Word::FilmMp4 => film(FilmContainer::Mp4),
            Word::FilmMov => film(FilmContainer::Mov),
            Word::FilmMkv => film(FilmContainer::Mkv),
            Word::Opentimelineio => list(ListForm::OpenTimelineIo),
            Word::Cmx3600 => list(ListForm::Cmx3600),
            Word::Pieces => list(ListForm::Pieces),
            Word::Levels => list(ListForm::Levels),
            Word::Midi => list(ListForm::Midi),
            Word::CueSheet => Form::CueSheet { sheet: SheetForm::Csv },
            Word::Report => Form::Report { page: false },
            Word::Everything => Form::Everything { sound },
            Word::Cut => Form::Cut,
        }
    }
}
