//! Cue points of WAV and BWF files (RIFF, Multimedia Programming Interface 1.0, 1991; EBU Tech
//! 3285): the chunk `cue ` and the labels of the list `adtl`.

use super::{Bed, Grid, GridError};
use std::collections::HashMap;

/// The chunks of a RIFF body as (name, content); one that is cut short ends the list.
fn chunks(mut bytes: &[u8]) -> Vec<(&[u8], &[u8])> {
    let mut all = Vec::new();
    while let Some((head, rest)) = bytes.split_at_checked(8) {
        let size = u32::from_le_bytes([head[4], head[5], head[6], head[7]]) as usize;
        let content = &rest[..size.min(rest.len())];
        all.push((&head[..4], content));
        // Chunks begin at even places.
        bytes = rest.get(size.saturating_add(size % 2)..).unwrap_or(&[]);
    }
    all
}

fn u32_at(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(bytes.get(at..at + 4)?.try_into().ok()?))
}

/// Reads the cue points: those called "bar …" begin bars, with beats between them as many as make
/// a bar; without such names every point is a beat.
///
/// # Errors
/// [`GridError::Damaged`].
pub fn read(bytes: &[u8], bed: Bed) -> Result<Grid, GridError> {
    let damaged = |cause: &str| GridError::Damaged { format: "WAV file", cause: cause.into() };
    if bytes.get(8..12) != Some(b"WAVE") {
        return Err(damaged("it is no WAVE"));
    }
    let (mut rate, mut points, mut labels) = (None, Vec::new(), HashMap::new());
    for (name, content) in chunks(&bytes[12..]) {
        match name {
            b"fmt " => rate = u32_at(content, 4).filter(|r| *r > 0),
            b"cue " => {
                for point in content.get(4..).unwrap_or(&[]).chunks_exact(24) {
                    points.extend(u32_at(point, 0).zip(u32_at(point, 20)));
                }
            }
            b"LIST" if content.starts_with(b"adtl") => {
                for (name, label) in chunks(&content[4..]) {
                    if let (b"labl", Some(id)) = (name, u32_at(label, 0)) {
                        let text = String::from_utf8_lossy(&label[4..]).trim_end_matches('\0').trim().to_owned();
                        labels.insert(id, text);
                    }
                }
            }
            _ => {}
        }
    }
    let rate = f64::from(rate.ok_or_else(|| damaged("its sample rate is not told"))?);
    points.sort_by_key(|p| p.1);
    let places: Vec<(f64, &str)> = points.iter().map(|(id, sample)| (f64::from(*sample) / rate, labels.get(id).map_or("", String::as_str))).collect();
    let is_bar = |label: &str| label.to_lowercase().starts_with("bar");
    let bars: Vec<(f64, &str)> = places.iter().copied().filter(|p| is_bar(p.1)).collect();
    let metre = bed.metre.max(1);
    if bars.len() < 2 {
        let beats_s: Vec<f64> = places.iter().map(|p| p.0).collect();
        return Ok(Grid { downbeats: (0..beats_s.len()).step_by(metre).collect(), beats_s, sections: Vec::new() });
    }
    let mut grid = Grid::default();
    for (k, &(start, label)) in bars.iter().enumerate() {
        grid.downbeats.push(grid.beats_s.len());
        let end = bars.get(k + 1).map(|b| b.0);
        let count = if end.is_some() { metre } else { 1 };
        grid.beats_s.extend((0..count).map(|beat| start + (end.unwrap_or(start) - start) * beat as f64 / metre as f64));
        if let Some((_, section)) = label.split_once(',') {
            grid.sections.push((start, section.trim().to_owned()));
        }
    }
    Ok(grid)
}

/// The chunks that give a WAV file of `rate_hz` a cue point for each bar, with the section in its
/// label where one begins; to be appended to the file.
pub fn chunks_of(grid: &Grid, rate_hz: u32) -> Vec<u8> {
    let bars: Vec<(u32, String)> = grid
        .downbeats
        .iter()
        .enumerate()
        .map(|(k, &beat)| {
            let at = grid.beats_s[beat];
            let section = grid.sections.iter().find(|s| (s.0 - at).abs() < 0.01).map_or(String::new(), |s| format!(", {}", s.1));
            ((at * f64::from(rate_hz)).round() as u32, format!("bar {}{section}", k + 1))
        })
        .collect();
    let mut cue = (bars.len() as u32).to_le_bytes().to_vec();
    let mut list = b"adtl".to_vec();
    for (id, (sample, label)) in bars.iter().enumerate() {
        let id = id as u32 + 1;
        for value in [id, *sample, u32::from_le_bytes(*b"data"), 0, 0, *sample] {
            cue.extend_from_slice(&value.to_le_bytes());
        }
        let mut text = id.to_le_bytes().to_vec();
        text.extend_from_slice(label.as_bytes());
        text.push(0);
        list.extend(chunk(b"labl", &text));
    }
    let mut all = chunk(b"cue ", &cue);
    all.extend(chunk(b"LIST", &list));
    all
}

fn chunk(name: &[u8; 4], content: &[u8]) -> Vec<u8> {
    let mut all = name.to_vec();
    all.extend_from_slice(&(content.len() as u32).to_le_bytes());
    all.extend_from_slice(content);
    if content.len() % 2 == 1 {
        all.push(0);
    }
    all
}
