//! Files that come in.

use super::names::copied_title;
use super::{Code, Problem, Studio, extension};
use crate::apart::{read_grid, read_list};
use crate::store::cuts::{Commit, Origin, Sounding};
use crate::store::{Received, cuts, sounds};
use futures_util::Stream;
use jaunty_core::cut::{Arrival, Change, Cut, ListFile, ReadingChange, Setup, UsedSound, Work};
use jaunty_core::message;
use jaunty_core::picture::Unused;
use jaunty_core::reading::Correction;
use jaunty_core::units::{CutLength, samples_from_seconds, seconds_from_samples};
use jaunty_exchange::grid::Bed;
use jaunty_exchange::{For, List, MOST_BYTES};
use std::fmt::Display;
use std::path::Path;
use uuid::Uuid;

fn list_file(name: &str, list: List) -> ListFile {
    ListFile {
        file: name.to_owned(),
        format: list.format.name().to_owned(),
        marks: list.marks,
        lines: list.lines,
        length_frames: list.length_frames,
        first_frame: list.first_frame,
        unused: list.unused,
    }
}

impl Studio {
    /// Takes a sound or film in, as it arrives.
    ///
    /// # Errors
    /// What receiving it says, or that it is empty.
    pub async fn take_in<B, E>(&self, name: &str, chunks: impl Stream<Item = Result<B, E>> + Unpin) -> Result<UsedSound, Problem>
    where
        B: AsRef<[u8]>,
        E: Display,
    {
        let received = self.files.receive(chunks).await?;
        if received.size_bytes == 0 {
            return Err(Problem::bad_value(format!("\"{name}\" is empty: it has no bytes. Export it again.")));
        }
        let hash = self.keep(received, name, &extension(name)).await?;
        Ok(UsedSound { hash, name: name.to_owned() })
    }

    /// Takes a sound or film in that lies on this machine; its hash.
    ///
    /// # Errors
    /// What storing it says.
    pub async fn take_in_file(&self, path: &Path, name: &str, extension: &str) -> Result<String, Problem> {
        self.keep(self.files.receive_file(path).await?, name, extension).await
    }

    /// Noted first and stored then: a sweep that would remove the same sound waits or is waited for.
    async fn keep(&self, received: Received, name: &str, extension: &str) -> Result<String, Problem> {
        self.check_quota(received.size_bytes).await?;
        let hash = received.hash.clone();
        sounds::insert(&self.pool, &hash, name, extension, received.size_bytes).await?;
        self.files.keep(received).await?;
        Ok(hash)
    }

    /// Whether there is room for so many bytes more.
    pub(super) async fn check_quota(&self, more_bytes: u64) -> Result<(), Problem> {
        if let Some(quota_bytes) = self.quota_bytes {
            let kept_bytes = sounds::size_bytes(&self.pool).await?;
            if kept_bytes.saturating_add(more_bytes) > quota_bytes {
                let text = format!("The sounds on this server may take {} MB, and with this file they would take more.", quota_bytes / 1_000_000);
                return Err(Problem::new(Code::NoRoom, text));
            }
        }
        Ok(())
    }

    async fn read_list<B, E>(&self, chunks: impl Stream<Item = Result<B, E>> + Unpin, wanted: For) -> Result<List, Problem>
    where
        B: AsRef<[u8]>,
        E: Display,
    {
        let received = self.files.receive_at_most(chunks, MOST_BYTES as u64).await?;
        Ok(read_list(self.files.program(), received.path(), wanted).await?)
    }

    /// Takes a list into a cut, as it arrives. A second list replaces what the first one brought and keeps
    /// what was made by hand.
    ///
    /// # Errors
    /// What receiving or reading it says.
    pub async fn take_list<B, E>(&self, id: Uuid, name: &str, chunks: impl Stream<Item = Result<B, E>> + Unpin) -> Result<u32, Problem>
    where
        B: AsRef<[u8]>,
        E: Display,
    {
        let picture = cuts::cut(&self.pool, id).await?.setup.picture;
        let list = self.read_list(chunks, For::cut(&picture)).await?;
        self.arrive(id, Arrival::List(list_file(name, list))).await
    }

    /// Makes a cut from a list of shots, as it arrives.
    ///
    /// # Errors
    /// What receiving or reading it says, or that it says no length.
    pub async fn cut_from_list<B, E>(&self, title: &str, name: &str, chunks: impl Stream<Item = Result<B, E>> + Unpin, wanted: For) -> Result<Uuid, Problem>
    where
        B: AsRef<[u8]>,
        E: Display,
    {
        let list = self.read_list(chunks, wanted).await?;
        let Some(length_frames) = list.length_frames.filter(|l| *l > 0) else {
            return Err(Problem::bad_value(format!(
                "\"{name}\" is a {} and does not say how long the cut is. Make the cut first, then bring it in at Picture.",
                list.format.name()
            )));
        };
        let length = CutLength::new(list.rate, length_frames).map_err(Problem::bad_value)?;
        let (rate, rate_known) = (list.rate, list.rate_known);
        let mut setup = Setup::new(title, jaunty_core::picture::Picture::new(length));
        list_file(name, list).put_in(&mut setup)?;
        if let Some(report) = setup.list.as_mut().filter(|_| !rate_known) {
            let text = format!("{:.3} frames a second", rate.as_f64());
            let reason = "the list does not say its frame rate; this was inferred, change it below if it is wrong".into();
            report.unused.insert(0, Unused { line: None, text, reason });
        }
        self.new_cut(&setup).await
    }

    /// Makes a cut.
    ///
    /// # Errors
    /// A sound to which its project has no right, or what the database says.
    pub async fn new_cut(&self, setup: &Setup) -> Result<Uuid, Problem> {
        self.make_cut(setup, false).await
    }

    /// Makes a cut whose sounds were taken in for it.
    ///
    /// # Errors
    /// What the database says.
    pub async fn new_cut_with_sounds(&self, setup: &Setup) -> Result<Uuid, Problem> {
        self.make_cut(setup, true).await
    }

    async fn make_cut(&self, setup: &Setup, brings: bool) -> Result<Uuid, Problem> {
        let mut setup = setup.clone();
        self.begins_as_the_last(&mut setup).await?;
        let origin = Origin { project: self.behalf.project, by: self.behalf.person, brings };
        Ok(cuts::insert(&self.pool, &Cut::new(setup), &message!("cut.new"), origin).await?)
    }

    /// A copy of a cut as it is now, with a history of its own.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what the database says.
    pub async fn copy_cut(&self, id: Uuid) -> Result<Uuid, Problem> {
        let row = cuts::cut(&self.pool, id).await?;
        let mut cut = cuts::current(&self.pool, &row).await?.cut;
        let title = copied_title(&row.setup.title);
        // What is wanted by now; where the plan does not follow yet, it is made for the copy.
        let wanted = Setup { title: title.clone(), version: None, ..row.setup };
        let waits = !wanted.sounds_like(&cut.setup);
        cut.setup = if waits { Setup { title, version: None, ..cut.setup } } else { wanted.clone() };
        let origin = Origin { project: cuts::project_of(&self.pool, id).await?, by: self.behalf.person, brings: false };
        let copy = cuts::insert(&self.pool, &cut, &message!("cut.copy"), origin).await?;
        if waits {
            let commit = Commit {
                what: &message!("cut.copy"),
                said: None,
                setup: &wanted,
                sounding: Sounding::Waits,
                work: &[Work::Plan],
                by: origin.by,
                brings: false,
            };
            cuts::commit(&self.pool, &cuts::cut(&self.pool, copy).await?, &commit).await?;
        }
        Ok(copy)
    }

    /// A cut is listed no more, or again: nothing of it is lost.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what the database says.
    pub async fn take_away(&self, id: Uuid, away: bool) -> Result<(), Problem> {
        Ok(cuts::set_away(&self.pool, id, away).await?)
    }

    /// Takes a grid for the bed at hand that was made elsewhere, as it arrives.
    ///
    /// # Errors
    /// A cut without a bed that was read, or what receiving or reading the grid says.
    pub async fn take_grid<B, E>(&self, id: Uuid, chunks: impl Stream<Item = Result<B, E>> + Unpin) -> Result<u32, Problem>
    where
        B: AsRef<[u8]>,
        E: Display,
    {
        /// A WAV file with cue points brings its sound with it.
        const MOST_GRID_BYTES: u64 = 256 << 20;
        let cut = cuts::cut(&self.pool, id).await?;
        let reading = self.bed_reading(&cut.setup).await?.1;
        let for_bed = Bed { length_s: seconds_from_samples(reading.length_samples), metre: reading.metre as usize };
        let received = self.files.receive_at_most(chunks, MOST_GRID_BYTES).await?;
        let grid = read_grid(self.files.program(), received.path(), for_bed).await?;
        let beats_samples = grid.beats_s.iter().map(|&s| samples_from_seconds(s)).collect();
        let sections = grid.sections.into_iter().map(|(at_s, name)| (samples_from_seconds(at_s), name)).collect();
        let correction = Correction::Given { beats_samples, downbeats: grid.downbeats, sections };
        self.change(id, cut.revision, Change::Reading(ReadingChange::Correct { correction })).await
    }
}
