//! A table of moments: CSV with a time, a name and, if wanted, a kind.
//!
//! A first row with `time` (or `timecode`, `frame`, `seconds`), `name` and `kind` names the
//! columns; without one they are time, name, kind. Commas, semicolons and tabs all do. Kinds are
//! hit, title, credits, and for shots `shot` and `still`; any other stays a name.

use crate::{ExchangeError, For, Format, List, kind_of};
use jaunty_core::picture::Unused;
use jaunty_core::picture::{Marks, Moment, MomentKind, Origin, Shot, tidy_name};
use jaunty_core::units::FrameRate;

/// Which column holds what.
struct Columns {
    time: usize,
    name: Option<usize>,
    kind: Option<usize>,
    in_frames: bool,
}

impl Columns {
    fn from_header(row: &csv::StringRecord) -> Option<Self> {
        let find = |names: &[&str]| row.iter().position(|cell| names.contains(&cell.trim().to_lowercase().as_str()));
        let in_frames = find(&["frame", "frames"]);
        let time = in_frames.or_else(|| find(&["time", "timecode", "tc", "at", "start", "in", "seconds", "s", "position"]))?;
        Some(Self { time, name: find(&["name", "moment", "label", "text", "what", "shot"]), kind: find(&["kind", "type"]), in_frames: in_frames.is_some() })
    }
}

fn separator(text: &str) -> u8 {
    let head: String = text.lines().find(|l| !l.trim().is_empty()).unwrap_or("").to_owned();
    let count = |c: char| head.matches(c).count();
    [('\t', b'\t'), (';', b';'), (',', b',')].into_iter().max_by_key(|(c, _)| count(*c)).map_or(b',', |(_, b)| b)
}

/// The frame that a cell means.
fn frame(cell: &str, rate: FrameRate, in_frames: bool) -> Result<u64, String> {
    let cell = cell.trim();
    if in_frames {
        return cell.parse::<u32>().map(u64::from).map_err(|_| format!("\"{cell}\" is no number of a frame"));
    }
    match cell.split([':', ';']).count() {
        4 => rate.frame_from_timecode(cell).map_err(|cause| cause.to_string()),
        fields @ 1..=3 => {
            let mut seconds = 0.0;
            for field in cell.replace(',', ".").split(':') {
                let value: f64 = field.trim().parse().map_err(|_| format!("\"{cell}\" is no time"))?;
                seconds = seconds * 60.0 + value;
            }
            if !(0.0..86_400.0).contains(&seconds) || (fields > 1 && cell.starts_with('-')) {
                return Err(format!("\"{cell}\" is no time within a day"));
            }
            Ok((seconds * rate.as_f64()).round() as u64)
        }
        _ => Err(format!("\"{cell}\" is no time")),
    }
}

/// Reads a table.
///
/// # Errors
/// [`ExchangeError::Unknown`] when no row begins with a time.
pub fn read(text: &str, cut: For) -> Result<List, ExchangeError> {
    let rate = match cut.rate {
        Some(rate) => rate,
        None => FrameRate::new(25, 1, false).map_err(|cause| ExchangeError::Rate(cause.to_string()))?,
    };
    let mut table = csv::ReaderBuilder::new().has_headers(false).flexible(true).delimiter(separator(text)).from_reader(text.as_bytes());
    let mut columns = None;
    let mut unused = Vec::new();
    let mut rows: Vec<(usize, u64, String, String)> = Vec::new();
    for row in table.records() {
        let Ok(row) = row else { continue };
        let line = row.position().map_or(0, |p| p.line() as usize);
        let shown = row.iter().collect::<Vec<_>>().join(", ");
        let columns = match &columns {
            Some(known) => known,
            None => match Columns::from_header(&row) {
                Some(header) => {
                    columns = Some(header);
                    continue;
                }
                None => columns.insert(Columns { time: 0, name: Some(1), kind: Some(2), in_frames: false }),
            },
        };
        let cell = |column: Option<usize>| column.and_then(|c| row.get(c)).unwrap_or("").trim().to_owned();
        if row.iter().all(|c| c.trim().is_empty()) || row.get(0).is_some_and(|c| c.starts_with('#')) {
            continue;
        }
        match frame(&cell(Some(columns.time)), rate, columns.in_frames) {
            Ok(at) => rows.push((line, at, cell(columns.name), cell(columns.kind).to_lowercase())),
            Err(reason) => unused.push(Unused::new(Some(line), &shown, reason)),
        }
    }
    if rows.is_empty() {
        return Err(ExchangeError::Unknown("no row of it begins with a time".into()));
    }
    // Timecodes count from the first frame of the cut.
    let earliest = rows.iter().map(|r| r.1).min().unwrap_or(0);
    let base = if cut.first_frame > 0 && earliest >= cut.first_frame { cut.first_frame } else { 0 };
    let mut marks = Marks::default();
    for (_, at, name, kind) in rows {
        let at = at - base;
        let kind = match kind.as_str() {
            "shot" | "still" => {
                let shot = Shot { name: tidy_name(&name, "shot"), start_frame: at, end_frame: at, still: kind == "still", origin: Origin::List };
                marks.shots.push(shot);
                continue;
            }
            "hit" => MomentKind::Hit,
            "title" => MomentKind::Title,
            "credits" => MomentKind::Credits,
            "" => kind_of(&name),
            _ => MomentKind::Other,
        };
        marks.moments.push(Moment { name: tidy_name(&name, "moment"), frame: at, kind, origin: Origin::List });
    }
    marks.moments.sort_by_key(|m| m.frame);
    marks.shots.sort_by_key(|s| s.start_frame);
    marks.shots.dedup_by_key(|s| s.start_frame);
    // A table says where shots begin; each lasts to the next one, the last one to the end of the cut.
    let starts: Vec<u64> = marks.shots.iter().map(|s| s.start_frame).collect();
    for (shot, next) in marks.shots.iter_mut().zip(starts.iter().skip(1).map(|s| Some(*s)).chain([None])) {
        shot.end_frame = next.unwrap_or(u64::MAX);
    }
    Ok(List { format: Format::Moments, rate, rate_known: cut.rate.is_some(), first_frame: None, length_frames: None, marks, lines: Vec::new(), unused })
}
