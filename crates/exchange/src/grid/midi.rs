//! Standard MIDI Files (MIDI 1.0, RP-001): the tempo map with its time signatures is the grid.

use super::{Bed, Grid, GridError, MOST_BEATS};
use midly::num::{u4, u15, u24, u28};
use midly::{Format, Header, MetaMessage, Smf, Timing, Track, TrackEvent, TrackEventKind};

const NAME: &str = "MIDI file";
/// Ticks of a beat in files that are written here.
const TICKS: u32 = 960;

fn damaged(cause: impl ToString) -> GridError {
    GridError::Damaged { format: NAME, cause: cause.to_string() }
}

/// A time signature: length of a beat in quarter notes, and beats in a bar.
fn metre_of(numerator: u8, denominator_power: u8) -> (f64, usize) {
    let quarters = 4.0 / f64::from(1u32 << denominator_power.min(6));
    let numerator = usize::from(numerator.max(1));
    // Six eighths are felt in two, nine in three, twelve in four.
    if denominator_power >= 3 && numerator > 3 && numerator.is_multiple_of(3) { (3.0 * quarters, numerator / 3) } else { (quarters, numerator) }
}

/// Reads the grid of a tempo map, which goes on to the end of the bed.
///
/// # Errors
/// [`GridError::Damaged`].
pub fn read(bytes: &[u8], bed: Bed) -> Result<Grid, GridError> {
    // The parser panics on some damaged files, such as those of a frame rate that there is not (found by fuzzing).
    let file = std::panic::catch_unwind(|| Smf::parse(bytes)).ok().and_then(Result::ok).ok_or_else(|| damaged("it is damaged"))?;
    let Timing::Metrical(ticks) = file.header.timing else {
        return Err(damaged("it counts in frames, not in beats"));
    };
    let ticks = f64::from(ticks.as_int().max(1));
    // (tick, event) of every track that may hold the map.
    let (mut tempi, mut metres, mut marks) = (vec![(0.0, 0.5)], vec![(0.0, (1.0, 4))], Vec::new());
    for track in &file.tracks {
        let mut at = 0u64;
        for event in track {
            at += u64::from(event.delta.as_int());
            let quarter = at as f64 / ticks;
            match event.kind {
                TrackEventKind::Meta(MetaMessage::Tempo(us)) => tempi.push((quarter, f64::from(us.as_int().max(1)) / 1e6)),
                TrackEventKind::Meta(MetaMessage::TimeSignature(n, d, _, _)) => metres.push((quarter, metre_of(n, d))),
                TrackEventKind::Meta(MetaMessage::Marker(text)) => marks.push((quarter, String::from_utf8_lossy(text).trim().to_owned())),
                _ => {}
            }
        }
    }
    tempi.sort_by(|a, b| a.0.total_cmp(&b.0));
    metres.sort_by(|a, b| a.0.total_cmp(&b.0));
    // Seconds at the beginning of each tempo.
    let mut starts = vec![0.0f64];
    for pair in tempi.windows(2) {
        starts.push(starts[starts.len() - 1] + (pair[1].0 - pair[0].0) * pair[0].1);
    }
    let seconds = |quarter: f64| {
        let k = tempi.partition_point(|t| t.0 <= quarter).max(1) - 1;
        starts[k] + (quarter - tempi[k].0) * tempi[k].1
    };
    let mut grid = Grid { sections: marks.into_iter().map(|(quarter, name)| (seconds(quarter), name)).collect(), ..Grid::default() };
    let (mut quarter, mut place, mut in_force) = (0.0f64, 0usize, 0usize);
    while grid.beats_s.len() < MOST_BEATS {
        // A time signature begins a bar where it stands.
        while metres.get(in_force + 1).is_some_and(|m| m.0 <= quarter + 1e-9) {
            in_force += 1;
            place = 0;
        }
        let (_, (length, beats)) = metres[in_force];
        let at = seconds(quarter);
        if at > bed.length_s {
            break;
        }
        if place.is_multiple_of(beats) {
            grid.downbeats.push(grid.beats_s.len());
        }
        grid.beats_s.push(at);
        place += 1;
        quarter += length;
    }
    Ok(grid)
}

/// The grid as a file of one track: a tempo for every beat, so that drift is kept.
///
/// Sample 0 of the sound is the beginning of the file; what comes before the first beat is a bar
/// (the rest of it, before a pickup) at a tempo of its own.
pub fn write(grid: &Grid) -> Vec<u8> {
    let mut events: Vec<(u32, MetaMessage<'_>)> = Vec::new();
    let metre_at = |k: usize| grid.downbeats.get(k + 1).map(|next| next - grid.downbeats[k]);
    let usual = metre_at(0).unwrap_or(4);
    let pickup = grid.downbeats.first().copied().unwrap_or(0);
    let first_s = grid.beats_s.first().copied().unwrap_or(0.0);
    // Under a millisecond there is nothing before the first beat.
    let lead_beats = if pickup == 0 && first_s < 0.001 { 0 } else { (usual - pickup % usual) as u32 };
    let tempo = |seconds: f64| MetaMessage::Tempo(u24::from((seconds * 1e6).round().clamp(1.0, 16_777_215.0) as u32));
    let signature = |beats: usize| MetaMessage::TimeSignature(beats.clamp(1, 255) as u8, 2, 24, 8);
    events.push((0, signature(usual)));
    if lead_beats > 0 {
        events.push((0, tempo(first_s / f64::from(lead_beats))));
    }
    let tick = |beat: usize| (lead_beats + beat as u32) * TICKS;
    for (k, pair) in grid.beats_s.windows(2).enumerate() {
        events.push((tick(k), tempo(pair[1] - pair[0])));
    }
    let mut now = usual;
    for k in 0..grid.downbeats.len() {
        if let Some(beats) = metre_at(k).filter(|b| *b != now) {
            events.push((tick(grid.downbeats[k]), signature(beats)));
            now = beats;
        }
    }
    for (at, name) in &grid.sections {
        let beat = grid.beats_s.partition_point(|b| *b < at - 0.01);
        events.push((tick(beat), MetaMessage::Marker(name.as_bytes())));
    }
    events.sort_by_key(|e| e.0);
    let mut last = 0;
    let mut track: Track<'_> = Vec::new();
    for (at, message) in events {
        track.push(TrackEvent { delta: u28::from(at - last), kind: TrackEventKind::Meta(message) });
        last = at;
    }
    let rest = tick(grid.beats_s.len()).saturating_sub(last);
    track.push(TrackEvent {
        delta: u28::from(rest),
        kind: TrackEventKind::Midi { channel: u4::from(0), message: midly::MidiMessage::Controller { controller: 123.into(), value: 0.into() } },
    });
    track.push(TrackEvent { delta: u28::from(0), kind: TrackEventKind::Meta(MetaMessage::EndOfTrack) });
    let mut file = Smf::new(Header::new(Format::SingleTrack, Timing::Metrical(u15::from(TICKS as u16))));
    file.tracks.push(track);
    let mut bytes = Vec::new();
    // Writing to memory does not fail.
    let _ = file.write_std(&mut bytes);
    bytes
}
