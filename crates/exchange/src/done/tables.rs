//! Tables of comma-separated values (RFC 4180): pieces, levels, cue sheet.

use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::handover::{Cue, Done, LevelPoint};

fn table(head: &[&str], rows: impl Iterator<Item = Vec<String>>) -> String {
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    // Writing to memory cannot fail, and all rows are as long as the head.
    let _ = writer.write_record(head);
    for row in rows {
        let _ = writer.write_record(row.iter().map(|cell| harmless(cell)));
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
}

/// A cell that a spreadsheet does not take for a formula.
fn harmless(cell: &str) -> String {
    let is_number = cell.parse::<f64>().is_ok();
    if !is_number && cell.starts_with(['=', '+', '-', '@', '\t', '\r']) { format!("'{cell}") } else { cell.to_owned() }
}

fn seconds(samples: f64) -> String {
    format!("{:.6}", samples / f64::from(SAMPLE_RATE_HZ))
}

/// The pieces of all tracks.
pub fn pieces(done: &Done) -> String {
    let head = ["track", "file", "sha256", "cut in", "cut out", "cut start s", "cut end s", "source start s", "source end s", "speed", "crossfade ms"];
    let code = |samples: u64| done.picture.timecode(done.picture.rate.frame_at_sample(samples));
    let rows = done.tracks.iter().flat_map(|track| {
        track.pieces.iter().map(|piece| {
            let source = &done.sources[piece.source];
            let source_end = piece.source_start + (piece.cut_end - piece.cut_start) as f64 * piece.speed;
            vec![
                track.name.clone(),
                source.file.clone(),
                source.hash.clone(),
                code(piece.cut_start),
                code(piece.cut_end),
                seconds(piece.cut_start as f64),
                seconds(piece.cut_end as f64),
                seconds(piece.source_start),
                seconds(source_end),
                format!("{:.6}", piece.speed),
                format!("{:.2}", 1000.0 * piece.fade_samples as f64 / f64::from(SAMPLE_RATE_HZ)),
            ]
        })
    });
    table(&head, rows)
}

/// The levels of all tracks: points between which the level goes straight, in dB.
pub fn levels(done: &Done) -> String {
    let row = |name: &str, p: &LevelPoint| {
        let silent = p.level_db <= LevelPoint::SILENCE_DB;
        vec![name.to_owned(), p.at_samples.to_string(), seconds(p.at_samples as f64), if silent { "-inf".into() } else { format!("{:.3}", p.level_db) }]
    };
    table(&["track", "cut sample", "cut s", "level dB"], done.tracks.iter().flat_map(|t| t.levels.iter().map(|p| row(&t.name, p))))
}

/// The music cue sheet.
pub fn cue_sheet(cues: &[Cue]) -> String {
    let head = ["title", "maker", "source", "licence", "terms", "in", "out", "length s", "use", "credit"];
    let rows = cues.iter().map(|cue| {
        let c = &cue.credit;
        let uses: Vec<&str> = cue.uses.iter().map(|u| u.name()).collect();
        vec![
            c.title.clone(),
            c.maker.clone(),
            c.source.clone(),
            c.licence.clone(),
            c.terms.clone(),
            cue.starts.clone(),
            cue.ends.clone(),
            format!("{:.2}", (cue.end_samples - cue.start_samples) as f64 / f64::from(SAMPLE_RATE_HZ)),
            uses.join(", "),
            c.line.clone(),
        ]
    });
    table(&head, rows)
}
