//! Where an MP4 file says that its sound begins.

use std::fs::File;
use std::path::Path;

/// Encoder delay of an MP4 file in samples, from the media time of its edit list (ISO/IEC
/// 14496-12, 8.6.6), which `symphonia` leaves to its callers.
pub fn edit_list_start(path: &Path, rate_hz: Option<u32>) -> Option<usize> {
    use std::io::{Read, Seek, SeekFrom};
    let mut file = File::open(path).ok()?;
    let mut head = [0u8; 8];
    let mut at = 0u64;
    let len = file.metadata().ok()?.len();
    let mut moov = Vec::new();
    while at + 8 <= len {
        file.seek(SeekFrom::Start(at)).ok()?;
        file.read_exact(&mut head).ok()?;
        let size = u64::from(u32::from_be_bytes(head[..4].try_into().ok()?));
        if at == 0 && &head[4..] != b"ftyp" {
            return None;
        }
        let (body, head_bytes) = if size == 1 {
            let mut long = [0u8; 8];
            file.read_exact(&mut long).ok()?;
            (u64::from_be_bytes(long), 16)
        } else {
            (size, 8)
        };
        // A box that ends before its head does, or with the file, leads nowhere.
        let inside = body.checked_sub(head_bytes)?;
        if &head[4..] == b"moov" && body < 64 << 20 {
            moov.resize(inside.min(len) as usize, 0);
            file.read_exact(&mut moov).ok()?;
            break;
        }
        at = at.checked_add(body)?;
    }
    let find = |name: &[u8]| moov.windows(4).position(|w| w == name);
    // Version and flags, number of edits, then duration and media time of the first edit.
    let list = &moov[find(b"elst")? + 4..];
    let wide = *list.first()? == 1;
    let media_time =
        if wide { i64::from_be_bytes(list.get(16..24)?.try_into().ok()?) } else { i64::from(i32::from_be_bytes(list.get(12..16)?.try_into().ok()?)) };
    let header = &moov[find(b"mdhd")? + 4..];
    let scale_at = if *header.first()? == 1 { 20 } else { 12 };
    let scale = u32::from_be_bytes(header.get(scale_at..scale_at + 4)?.try_into().ok()?);
    let start = media_time as f64 / f64::from(scale.max(1)) * f64::from(rate_hz?);
    (start > 0.0 && start < 10_000.0).then_some(start.round() as usize)
}
