//! A cut as one file: a zip (PKWARE APPNOTE 6.3.10, entries stored as they are) that another machine opens.
//!
//! | entry | holds |
//! |---|---|
//! | `cut.json` | [`Contents`]: the history, and what the sounds are |
//! | `documents.jsonl.zst` | what the history names: JSON, one document a line, packed by Zstandard (RFC 8878) |
//! | `measured/HASH` | what was measured of bars, in the reader's own form |
//! | `sounds/HASH` | the sounds and films as they came |
//!
//! Everything but `cut.json` is named by the SHA-256 of its bytes, and is taken only if it has it. Files of strangers
//! are bounded: in number, in size, and in every number that stands in a document.
//!
//! What is written and what is looked for when it is read stand in one file, so that neither changes alone.

use jaunty_core::digest::hex;
use jaunty_core::message::Message;
use serde::de::{MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};
use sha2::{Digest, Sha256};
use std::collections::{HashMap, HashSet};
use std::fs::File;
use std::io::{self, BufRead, BufReader, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::Path;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipArchive, ZipWriter};

/// What [`Contents::format`] says.
pub const FORMAT: &str = "jaunty-bar-cut";
/// The version that is written and read.
pub const VERSION: u32 = 1;
const CONTENTS: &str = "cut.json";
const DOCUMENTS: &str = "documents.jsonl.zst";
/// The largest `cut.json`: 100,000 revisions fit in it.
const MOST_CONTENTS_BYTES: u64 = 64 << 20;
/// The largest document: 5,000 shots, moments and lines each fit in it five times.
const MOST_DOCUMENT_BYTES: u64 = 64 << 20;
/// All documents together, unpacked.
const MOST_DOCUMENTS_BYTES: u64 = 4 << 30;
const MOST_REVISIONS: usize = 100_000;
const MOST_SOUNDS: usize = 2000;
/// What was measured of the bars of twelve hours.
const MOST_MEASURED_BYTES: u64 = 64 << 20;
/// Documents are packed against so many bytes before them (as a power of two): plans of one cut are much alike.
const REACH: u32 = 24;

/// One state of the cut, as it was accepted.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct ArchivedRevision {
    /// Its number, from 1.
    pub revision: u32,
    /// The revision it was made from.
    pub parent: Option<u32>,
    /// Whose plan it plays while it waits for its own.
    pub base: Option<u32>,
    /// The revision whose plan this is.
    pub planned_for: Option<u32>,
    /// What was done, in words.
    pub what: Message,
    /// What was said or came in, as JSON.
    pub said: Option<String>,
    /// Hash of the setup.
    pub setup: String,
    /// Hash of the plan.
    pub plan: String,
    /// Hash of the fittings.
    pub fittings: String,
    /// Which of them is played.
    pub chosen: u32,
    /// When it was made (UTC, ISO 8601).
    pub created_at: String,
}

/// A sound or film.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct ArchivedSound {
    /// Hash of its bytes.
    pub hash: String,
    /// The name it first came with.
    pub name: String,
    /// The end of that name, in small letters.
    pub extension: String,
    /// What it was taken for.
    pub kind: Option<String>,
    /// How likely that is.
    pub kind_confidence: Option<f32>,
}

/// What was read of a sound.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct ArchivedReading {
    /// Hash of the sound.
    pub sound: String,
    /// As what it was read.
    pub read_as: String,
    /// Which reader, with which corrections.
    pub made_by: String,
    /// Hash of the reading.
    pub document: String,
    /// Hash of what was measured of its bars.
    pub measured: Option<String>,
}

/// What a cut's archive holds.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Contents {
    /// [`FORMAT`].
    pub format: String,
    /// [`VERSION`].
    pub version: u32,
    /// Name of the cut, a UUID (RFC 9562).
    pub cut: String,
    /// The cut that it is a version of.
    pub mother: Option<String>,
    /// The revision that is shown.
    pub shown: u32,
    /// All of them, in order.
    pub revisions: Vec<ArchivedRevision>,
    /// Its sounds.
    pub sounds: Vec<ArchivedSound>,
    /// What was read of them.
    pub readings: Vec<ArchivedReading>,
    /// Licences of the music that was taken for it, each a document.
    pub licences: Vec<String>,
}

/// Why a file is not taken for a cut.
#[derive(Debug, thiserror::Error)]
pub enum ArchiveError {
    /// It is something else, or broken.
    #[error("this is no cut that was handed over, or it did not arrive whole ({0})")]
    NoArchive(String),
    /// A newer program wrote it.
    #[error("this cut was handed over by a newer Jaunty Bar; bring this one up to date first")]
    Newer,
    /// Something in it makes no sense.
    #[error("this cut cannot be opened: {0}")]
    Damaged(String),
    /// The disk.
    #[error(transparent)]
    Io(#[from] io::Error),
}

fn damaged<T>(why: impl Into<String>) -> Result<T, ArchiveError> {
    Err(ArchiveError::Damaged(why.into()))
}

/// Name of some bytes.
pub fn hash_of(bytes: &[u8]) -> String {
    hex(&Sha256::digest(bytes))
}

/// Whether this is the name of some bytes.
pub fn is_hash(text: &str) -> bool {
    text.len() == 64 && text.bytes().all(|b| b.is_ascii_digit() || (b'a'..=b'f').contains(&b))
}

/// Documents on their way into an archive.
pub struct Documents<W: Write> {
    packer: zstd::Encoder<'static, W>,
    there: HashSet<String>,
}

impl<W: Write> Documents<W> {
    /// Documents that are packed into `to`.
    ///
    /// # Errors
    /// What writing says.
    pub fn new(to: W) -> io::Result<Self> {
        let mut packer = zstd::Encoder::new(to, 3)?;
        packer.window_log(REACH)?;
        Ok(Self { packer, there: HashSet::new() })
    }

    /// Whether a document is there already.
    pub fn has(&self, hash: &str) -> bool {
        self.there.contains(hash)
    }

    /// Adds a document, one line of JSON; its hash.
    ///
    /// # Errors
    /// What writing says.
    pub fn add(&mut self, text: &[u8]) -> io::Result<String> {
        debug_assert!(!text.contains(&b'\n'), "JSON without spaces has no line ends");
        let hash = hash_of(text);
        if self.there.insert(hash.clone()) {
            self.packer.write_all(text)?;
            self.packer.write_all(b"\n")?;
        }
        Ok(hash)
    }

    /// All of them are there.
    ///
    /// # Errors
    /// What writing says.
    pub fn finish(self) -> io::Result<W> {
        self.packer.finish()
    }
}

/// Writes an archive. `documents` were packed by [`Documents`]; the same cut gives the same bytes. `go_on` hears the
/// share that is written and says whether to go on.
///
/// # Errors
/// What reading and writing say; [`io::ErrorKind::Interrupted`] when told to stop.
pub fn write(
    to: &File,
    contents: &Contents,
    mut documents: impl Read,
    measured: &[(String, Vec<u8>)],
    sounds: &[(String, impl AsRef<Path>)],
    go_on: &mut dyn FnMut(f32) -> bool,
) -> io::Result<()> {
    let mut zip = ZipWriter::new(BufWriter::new(to));
    let options = SimpleFileOptions::default().compression_method(CompressionMethod::Stored).large_file(true);
    let start = |zip: &mut ZipWriter<_>, name: &str| zip.start_file(name, options).map_err(io::Error::other);
    start(&mut zip, CONTENTS)?;
    zip.write_all(format!("{:#}\n", serde_json::to_value(contents)?).as_bytes())?;
    start(&mut zip, DOCUMENTS)?;
    io::copy(&mut documents, &mut zip)?;
    for (hash, bytes) in measured {
        start(&mut zip, &format!("measured/{hash}"))?;
        zip.write_all(bytes)?;
    }
    for (k, (hash, path)) in sounds.iter().enumerate() {
        if !go_on(k as f32 / sounds.len() as f32) {
            return Err(io::ErrorKind::Interrupted.into());
        }
        start(&mut zip, &format!("sounds/{hash}"))?;
        io::copy(&mut File::open(path)?, &mut zip)?;
    }
    zip.finish().map_err(io::Error::other)?.flush()
}

/// JSON of which every number can be reckoned with: whole ones within 2^53 (RFC 8259, 6) but for the one that stands
/// for an open end, others within 10^15.
struct Sane;

impl<'de> Deserialize<'de> for Sane {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        struct Look;
        impl<'de> Visitor<'de> for Look {
            type Value = Sane;
            fn expecting(&self, to: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                to.write_str("JSON")
            }
            fn visit_bool<E>(self, _: bool) -> Result<Sane, E> {
                Ok(Sane)
            }
            fn visit_unit<E>(self) -> Result<Sane, E> {
                Ok(Sane)
            }
            fn visit_str<E>(self, _: &str) -> Result<Sane, E> {
                Ok(Sane)
            }
            fn visit_u64<E: serde::de::Error>(self, number: u64) -> Result<Sane, E> {
                if number <= 1 << 53 || number == u64::MAX { Ok(Sane) } else { Err(E::custom("a number is too large")) }
            }
            fn visit_i64<E: serde::de::Error>(self, number: i64) -> Result<Sane, E> {
                self.visit_u64(number.unsigned_abs())
            }
            fn visit_f64<E: serde::de::Error>(self, number: f64) -> Result<Sane, E> {
                if number.abs() <= 1e15 { Ok(Sane) } else { Err(E::custom("a number is too large")) }
            }
            fn visit_seq<A: SeqAccess<'de>>(self, mut all: A) -> Result<Sane, A::Error> {
                while all.next_element::<Sane>()?.is_some() {}
                Ok(Sane)
            }
            fn visit_map<A: MapAccess<'de>>(self, mut all: A) -> Result<Sane, A::Error> {
                while all.next_entry::<String, Sane>()?.is_some() {}
                Ok(Sane)
            }
        }
        from.deserialize_any(Look)
    }
}

/// An archive that was opened and whose documents were looked through.
pub struct Opened {
    /// What it holds.
    pub contents: Contents,
    zip: ZipArchive<BufReader<File>>,
    texts: File,
    /// Where each document stands in `texts`, and how long it is.
    places: HashMap<String, (u64, u64)>,
}

impl Opened {
    /// Opens an archive. Its documents are unpacked into `scratch`, an empty file.
    ///
    /// # Errors
    /// [`ArchiveError`] with what is wrong.
    pub fn open(file: File, scratch: File) -> Result<Self, ArchiveError> {
        let no_archive = |cause: zip::result::ZipError| ArchiveError::NoArchive(cause.to_string());
        let mut zip = ZipArchive::new(BufReader::new(file)).map_err(no_archive)?;
        let contents = {
            let entry = zip.by_name(CONTENTS).map_err(no_archive)?;
            let text = bounded(entry, MOST_CONTENTS_BYTES)?;
            #[derive(Deserialize)]
            struct Mark {
                format: String,
                version: u32,
            }
            let mark: Mark = serde_json::from_slice(&text).map_err(|_| ArchiveError::NoArchive("its list is none".into()))?;
            if mark.format != FORMAT {
                return Err(ArchiveError::NoArchive("its list is that of something else".into()));
            }
            if mark.version > VERSION {
                return Err(ArchiveError::Newer);
            }
            serde_json::from_slice::<Contents>(&text).map_err(|cause| ArchiveError::Damaged(format!("its list says {cause}")))?
        };
        contents.check()?;
        let mut places = HashMap::new();
        let mut texts = BufWriter::new(scratch);
        {
            let entry = zip.by_name(DOCUMENTS).map_err(no_archive)?;
            let mut unpacker = zstd::Decoder::new(entry)?;
            unpacker.window_log_max(REACH)?;
            let mut lines = BufReader::with_capacity(1 << 16, unpacker.take(MOST_DOCUMENTS_BYTES));
            let mut at = 0u64;
            let mut line = Vec::new();
            loop {
                line.clear();
                let count = (&mut lines).take(MOST_DOCUMENT_BYTES).read_until(b'\n', &mut line).map_err(|cause| ArchiveError::NoArchive(cause.to_string()))?;
                if count == 0 {
                    break;
                }
                if line.pop() != Some(b'\n') {
                    return damaged("a document is too large or broken off");
                }
                serde_json::from_slice::<Sane>(&line).map_err(|cause| ArchiveError::Damaged(format!("a document says {cause}")))?;
                texts.write_all(&line)?;
                places.insert(hash_of(&line), (at, line.len() as u64));
                at += line.len() as u64;
            }
        }
        let texts = texts.into_inner().map_err(io::IntoInnerError::into_error)?;
        let opened = Self { contents, zip, texts, places };
        let missing = opened.contents.documents().find(|hash| !opened.places.contains_key(*hash));
        if missing.is_some() {
            return damaged("a document is missing");
        }
        Ok(opened)
    }

    /// A document, by its hash.
    ///
    /// # Errors
    /// [`ArchiveError::Damaged`] if there is none, or what the disk says.
    pub fn document(&mut self, hash: &str) -> Result<Vec<u8>, ArchiveError> {
        let Some(&(at, length)) = self.places.get(hash) else { return damaged("a document is missing") };
        let mut text = vec![0; length as usize];
        self.texts.seek(SeekFrom::Start(at))?;
        self.texts.read_exact(&mut text)?;
        Ok(text)
    }

    /// A document as a value.
    ///
    /// # Errors
    /// [`ArchiveError`] with what is wrong.
    pub fn value<T: serde::de::DeserializeOwned>(&mut self, hash: &str) -> Result<T, ArchiveError> {
        serde_json::from_slice(&self.document(hash)?).map_err(|cause| ArchiveError::Damaged(format!("a document says {cause}")))
    }

    /// What was measured of the bars of a bed.
    ///
    /// # Errors
    /// [`ArchiveError`] with what is wrong.
    pub fn measured(&mut self, hash: &str) -> Result<Vec<u8>, ArchiveError> {
        let entry = self.zip.by_name(&format!("measured/{hash}")).map_err(|_| ArchiveError::Damaged("what was measured is missing".into()))?;
        let bytes = bounded(entry, MOST_MEASURED_BYTES)?;
        if hash_of(&bytes) == hash { Ok(bytes) } else { damaged("what was measured is not what it is said to be") }
    }

    /// Writes a sound to `to`.
    ///
    /// # Errors
    /// [`ArchiveError`] with what is wrong.
    pub fn sound(&mut self, hash: &str, to: &mut File) -> Result<(), ArchiveError> {
        let mut entry = self.zip.by_name(&format!("sounds/{hash}")).map_err(|_| ArchiveError::Damaged("a sound is missing".into()))?;
        let (mut hasher, mut block) = (Sha256::new(), vec![0u8; 1 << 18]);
        loop {
            let count = entry.read(&mut block).map_err(|cause| ArchiveError::NoArchive(cause.to_string()))?;
            if count == 0 {
                break;
            }
            hasher.update(&block[..count]);
            to.write_all(&block[..count])?;
        }
        if hex(&hasher.finalize()) == hash { Ok(()) } else { damaged("a sound is not what it is said to be") }
    }

    /// Bytes of all its sounds.
    ///
    /// # Errors
    /// [`ArchiveError`] if one is missing.
    pub fn sound_bytes(&mut self) -> Result<u64, ArchiveError> {
        let names: Vec<String> = self.contents.sounds.iter().map(|s| format!("sounds/{}", s.hash)).collect();
        names.iter().try_fold(0u64, |sum, name| match self.zip.by_name(name) {
            Ok(entry) => Ok(sum.saturating_add(entry.size())),
            Err(_) => damaged("a sound is missing"),
        })
    }
}

/// All of an entry, if it is no larger than `most_bytes`.
fn bounded(entry: impl Read, most_bytes: u64) -> Result<Vec<u8>, ArchiveError> {
    let mut bytes = Vec::new();
    entry.take(most_bytes + 1).read_to_end(&mut bytes).map_err(|cause| ArchiveError::NoArchive(cause.to_string()))?;
    if bytes.len() as u64 > most_bytes { damaged("a part of it is too large") } else { Ok(bytes) }
}

impl Contents {
    /// Hashes of all documents that it names.
    pub fn documents(&self) -> impl Iterator<Item = &str> {
        let of_revisions = self.revisions.iter().flat_map(|r| [&r.setup, &r.plan, &r.fittings]);
        of_revisions.chain(self.readings.iter().map(|r| &r.document)).chain(&self.licences).map(String::as_str)
    }

    /// Whether the history holds together, and everything is named by a hash.
    fn check(&self) -> Result<(), ArchiveError> {
        /// Longer words fit no column, or stand for themselves.
        const MOST_SAID_BYTES: usize = 16 << 20;
        if self.revisions.len() > MOST_REVISIONS || self.sounds.len() > MOST_SOUNDS || self.readings.len() > 4 * MOST_SOUNDS {
            return damaged("it holds more than any cut does");
        }
        let hashes = self.sounds.iter().map(|s| &s.hash).chain(self.readings.iter().flat_map(|r| r.measured.iter().chain([&r.sound])));
        if !self.documents().chain(hashes.map(String::as_str)).all(is_hash) {
            return damaged("something is named by what is no hash");
        }
        if self.licences.len() > MOST_SOUNDS
            || self.sounds.iter().any(|s| s.name.len() > 1020 || !(s.extension.len() <= 8 && s.extension.bytes().all(|b| b.is_ascii_alphanumeric())))
        {
            return damaged("a name is none");
        }
        if self.readings.iter().any(|r| !self.sounds.iter().any(|s| s.hash == r.sound)) {
            return damaged("something was read of a sound that it does not hold");
        }
        let mut seen = HashSet::new();
        for revision in &self.revisions {
            // What a revision is made from came before it.
            let before = [revision.parent, revision.base, revision.planned_for];
            let follows = before.iter().flatten().all(|n| seen.contains(n) || (*n == 1 && revision.revision == 1 && revision.base == Some(1)));
            if !follows || !seen.insert(revision.revision) || revision.said.as_ref().is_some_and(|s| s.len() > MOST_SAID_BYTES) {
                return damaged("its history does not hold together");
            }
        }
        if seen.contains(&self.shown) { Ok(()) } else { damaged("the revision that is shown is missing") }
    }
}
