//! CMX 3600: one audio event for each piece. The format counts in frames and knows neither samples, levels nor crossfades
//! shorter than a frame: what it cannot say stands in comments.

use super::one_line;
use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::handover::Done;
use std::fmt::Write;

/// The edit list.
pub fn write(done: &Done) -> String {
    let picture = &done.picture;
    let rate = picture.rate;
    let counting = if rate.is_drop_frame() { "DROP FRAME" } else { "NON-DROP FRAME" };
    let mut out = format!("TITLE: {}\nFCM: {counting}\n\n", one_line(&done.title));
    let frame = |samples: f64| rate.frame_at_sample(samples.max(0.0).round() as u64);
    let mut number = 0;
    for (k, track) in done.tracks.iter().enumerate() {
        // The format has four channels of sound.
        let channel = match k {
            0 => "A",
            1 => "A2",
            2 => "A3",
            _ => "A4",
        };
        for piece in &track.pieces {
            number += 1;
            let source = &done.sources[piece.source];
            let length = (piece.cut_end - piece.cut_start) as f64;
            let (from, to) = (frame(piece.source_start), frame(piece.source_start + length * piece.speed));
            let (record_in, record_out) = (picture.timecode(frame(piece.cut_start as f64)), picture.timecode(frame(piece.cut_end as f64)));
            let _ = writeln!(out, "{number:03}  AX       {channel:<5} C        {} {} {record_in} {record_out}", rate.timecode(from), rate.timecode(to));
            let _ = writeln!(out, "* FROM CLIP NAME: {}", one_line(&source.file));
            let _ = writeln!(
                out,
                "* {}: SAMPLE {:.0} OF THE SOURCE AT SAMPLE {} OF THE CUT",
                one_line(&track.name).to_uppercase(),
                piece.source_start,
                piece.cut_start
            );
            if piece.speed != 1.0 {
                let _ = writeln!(out, "* AT {:.4} OF ITS SPEED", piece.speed);
            }
            if piece.fade_samples > 0 {
                let _ = writeln!(out, "* CROSSFADE INTO THE NEXT EVENT OVER ITS LAST {:.0} MS", 1000.0 * piece.fade_samples as f64 / f64::from(SAMPLE_RATE_HZ));
            }
        }
        if track.levels.windows(2).any(|w| (w[0].level_db - w[1].level_db).abs() > 0.01) {
            let _ = writeln!(out, "* THE LEVELS OF {} ARE NOT IN THIS LIST; THEY STAND IN THE TABLE OF LEVELS", one_line(&track.name).to_uppercase());
        }
        for unsaid in &track.unsaid {
            let _ = writeln!(out, "* NOT IN THIS LIST: {}", one_line(unsaid).to_uppercase());
        }
    }
    for moment in &picture.moments {
        let _ = writeln!(out, "* LOC: {} RED {}", picture.timecode(moment.frame), one_line(&moment.name));
    }
    out
}
