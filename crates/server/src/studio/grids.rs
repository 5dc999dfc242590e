//! The bed's beats, bars and sections as a file.

use super::{Problem, Studio, title_from};
use crate::store::cuts;
use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::sound::{Sound, Source};
use jaunty_core::units::seconds_from_samples;
use jaunty_exchange::grid::{self, Grid};
use jaunty_media::{PcmFile, WavStream};
use std::fs::File;
use std::io::{self, Seek, SeekFrom, Write};
use uuid::Uuid;

/// What a grid is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum GridFile {
    /// Standard MIDI File with a tempo map and markers.
    Midi,
    /// JAMS with beats and sections.
    Jams,
    /// The bed as WAV with a cue point for each bar.
    Wav,
}

impl Studio {
    /// The grid of the bed at hand as a file, and the title of the bed.
    ///
    /// # Errors
    /// [`super::Code::NotFound`] without a bed that was read, or what the disk says.
    pub async fn grid_file(&self, id: Uuid, format: GridFile) -> Result<(File, String), Problem> {
        let setup = cuts::cut(&self.pool, id).await?.setup;
        let (bed, reading) = self.bed_reading(&setup).await?;
        let title = title_from(&bed.name);
        let length_s = seconds_from_samples(reading.length_samples);
        let grid = Grid {
            beats_s: reading.beats_samples.iter().map(|&s| seconds_from_samples(s)).collect(),
            sections: reading.sections.iter().map(|s| (seconds_from_samples(s.start_samples), s.name.clone().unwrap_or_else(|| s.label.clone()))).collect(),
            downbeats: reading.downbeats,
        };
        let sound = if format == GridFile::Wav { Some(self.working_file(&bed.hash).await?) } else { None };
        let called = title.clone();
        let file = self.compute(move || -> Result<File, Problem> {
            let mut file = tempfile::tempfile()?;
            match (format, sound) {
                (GridFile::Wav, Some(sound)) => write_with_cues(&mut file, &sound, &grid)?,
                (GridFile::Jams, _) => file.write_all(grid::jams::write(&grid, &called, length_s).as_bytes())?,
                _ => file.write_all(&grid::midi::write(&grid))?,
            }
            file.seek(SeekFrom::Start(0))?;
            Ok(file)
        });
        Ok((file.await??, title))
    }
}

/// The sound as WAV with the cue points of its grid behind it.
fn write_with_cues(file: &mut File, sound: &PcmFile, grid: &Grid) -> io::Result<()> {
    const BLOCK: usize = 1 << 16;
    let mut stream = WavStream::new(file.try_clone()?, sound.channel_count())?;
    for start in (0..sound.len_samples()).step_by(BLOCK) {
        let count = BLOCK.min((sound.len_samples() - start) as usize);
        let mut planes = vec![vec![0.0; count]; sound.channel_count()];
        for (channel, plane) in planes.iter_mut().enumerate() {
            sound.read(channel, start as i64, plane);
        }
        stream.append(&Sound::new(planes))?;
    }
    stream.finish()?;
    let end = file.seek(SeekFrom::End(0))?;
    if end % 2 == 1 {
        file.write_all(&[0])?;
    }
    file.write_all(&grid::cues::chunks_of(grid, SAMPLE_RATE_HZ))?;
    // The size in the head of the file counts the new chunks too.
    let size = (file.seek(SeekFrom::End(0))? - 8) as u32;
    file.seek(SeekFrom::Start(4))?;
    file.write_all(&size.to_le_bytes())?;
    Ok(())
}
