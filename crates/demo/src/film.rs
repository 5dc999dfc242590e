//! The film of the scenario: simple moving drawings, a burnt-in counter, and its own sound.
//!
//! Every frame is drawn here; Debian's `ffmpeg` encodes them as WebM (VP8, Vorbis). A picture of
//! every half second is a key frame, so that the page can step through it.

use crate::{CUT, DemoError};
use jaunty_core::sound::Sound;
use jaunty_media::write_wav;
use std::f32::consts::{PI, TAU};
use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};
use tiny_skia::{Color, FillRule, Paint, Path as Shape, PathBuilder, Pixmap, Rect, Stroke, Transform};

/// Width and height in pixels.
pub const SIZE_PX: (u32, u32) = (480, 270);

/// Draws and encodes frames `from..to` of the cut into `path`, a WebM file.
///
/// # Errors
/// [`DemoError::Film`] when `ffmpeg` is missing or fails.
pub fn make(path: &Path, from: u64, to: u64) -> Result<(), DemoError> {
    let folder = tempfile::tempdir()?;
    let wav = folder.path().join("own sound.wav");
    write_wav(&wav, &own_sound(from, to))?;
    let (width, height) = SIZE_PX;
    let rate = CUT.frames_per_second;
    let first = format!("{:02}:{:02}:{:02}:{:02}", 1, from / 1500, from / 25 % 60, from % 25);
    let mut encoder = Command::new("ffmpeg")
        .args(["-v", "error", "-nostdin", "-f", "rawvideo", "-pix_fmt", "rgba", "-s", &format!("{width}x{height}"), "-r", &rate.to_string(), "-i", "-", "-i"])
        .arg(&wav)
        .args([
            "-pix_fmt",
            "yuv420p",
            "-c:v",
            "libvpx",
            "-b:v",
            "500k",
            "-deadline",
            "realtime",
            "-cpu-used",
            "8",
            "-g",
            "12",
            "-c:a",
            "libvorbis",
            "-q:a",
            "3",
        ])
        .args(["-metadata", &format!("timecode={first}"), "-f", "webm", "-y"])
        .arg(path)
        .stdin(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .map_err(|cause| DemoError::Film(cause.to_string()))?;
    let mut canvas = Pixmap::new(width, height).ok_or_else(|| DemoError::Film("no canvas".into()))?;
    if let Some(mut pipe) = encoder.stdin.take() {
        for frame in from..to {
            draw(&mut canvas, frame);
            if pipe.write_all(canvas.data()).is_err() {
                break;
            }
        }
    }
    let out = encoder.wait_with_output()?;
    if out.status.success() { Ok(()) } else { Err(DemoError::Film(String::from_utf8_lossy(&out.stderr).trim().to_owned())) }
}

fn color(hex: u32) -> Color {
    Color::from_rgba8((hex >> 16) as u8, (hex >> 8) as u8, hex as u8, 255)
}

fn mixed(a: u32, b: u32, share: f32) -> Color {
    let part = |shift: u32| {
        let (x, y) = ((a >> shift & 255) as f32, (b >> shift & 255) as f32);
        (x + (y - x) * share.clamp(0.0, 1.0)) as u8
    };
    Color::from_rgba8(part(16), part(8), part(0), 255)
}

/// A canvas with a few ways to draw on it.
struct Draw<'a> {
    canvas: &'a mut Pixmap,
}

impl Draw<'_> {
    fn fill(&mut self, shape: Option<Shape>, color: Color) {
        if let Some(shape) = shape {
            let mut paint = Paint { anti_alias: true, ..Paint::default() };
            paint.set_color(color);
            self.canvas.fill_path(&shape, &paint, FillRule::EvenOdd, Transform::identity(), None);
        }
    }

    fn rect(&mut self, x: f32, y: f32, w: f32, h: f32, color: Color) {
        self.fill(Rect::from_xywh(x, y, w.max(0.1), h.max(0.1)).map(PathBuilder::from_rect), color);
    }

    fn disc(&mut self, x: f32, y: f32, r: f32, color: Color) {
        self.fill(PathBuilder::from_circle(x, y, r.max(0.1)), color);
    }

    fn line(&mut self, from: (f32, f32), to: (f32, f32), width: f32, color: Color) {
        let mut path = PathBuilder::new();
        path.move_to(from.0, from.1);
        path.line_to(to.0, to.1);
        if let Some(path) = path.finish() {
            let mut paint = Paint { anti_alias: true, ..Paint::default() };
            paint.set_color(color);
            let stroke = Stroke { width, line_cap: tiny_skia::LineCap::Round, ..Stroke::default() };
            self.canvas.stroke_path(&path, &paint, &stroke, Transform::identity(), None);
        }
    }

    fn ring(&mut self, x: f32, y: f32, r: f32, width: f32, color: Color) {
        let mut path = PathBuilder::new();
        path.push_circle(x, y, r.max(0.1));
        path.push_circle(x, y, (r - width).max(0.05));
        self.fill(path.finish(), color);
    }

    fn gear(&mut self, x: f32, y: f32, r: f32, teeth: usize, angle: f32, color: Color) {
        let mut path = PathBuilder::new();
        for k in 0..4 * teeth {
            let out = if k % 4 < 2 { r } else { r * 0.86 };
            let a = angle + TAU * (k as f32 + 0.5) / (4 * teeth) as f32;
            let (px, py) = (x + out * a.cos(), y + out * a.sin());
            if k == 0 { path.move_to(px, py) } else { path.line_to(px, py) }
        }
        path.close();
        path.push_circle(x, y, r * 0.16);
        for spoke in 0..5 {
            let a = angle + TAU * spoke as f32 / 5.0;
            path.push_circle(x + 0.5 * r * a.cos(), y + 0.5 * r * a.sin(), r * 0.19);
        }
        self.fill(path.finish(), color);
    }

    /// A clock face that shows `hours` (fraction of twelve).
    fn clock(&mut self, x: f32, y: f32, r: f32, hours: f32) {
        self.disc(x, y, r, color(0x3a3430));
        self.disc(x, y, r * 0.92, color(0xf3ead2));
        for k in 0..12 {
            let a = TAU * k as f32 / 12.0;
            self.line((x + r * 0.76 * a.cos(), y + r * 0.76 * a.sin()), (x + r * 0.86 * a.cos(), y + r * 0.86 * a.sin()), r * 0.03, color(0x3a3430));
        }
        let hand = |turn: f32, length: f32| (x + r * length * (turn * TAU - PI / 2.0).cos(), y + r * length * (turn * TAU - PI / 2.0).sin());
        self.line((x, y), hand(hours / 12.0, 0.48), r * 0.07, color(0x2a2624));
        self.line((x, y), hand(hours.fract(), 0.72), r * 0.045, color(0x2a2624));
    }

    /// A number in seven-segment figures.
    fn figures(&mut self, text: &str, x: f32, y: f32) {
        const SEGMENTS: [u8; 10] = [0b111_0111, 0b001_0010, 0b101_1101, 0b101_1011, 0b011_1010, 0b110_1011, 0b110_1111, 0b101_0010, 0b111_1111, 0b111_1011];
        const PLACES: [(f32, f32, f32, f32); 7] = [
            (1.0, 0.0, 5.0, 1.4),
            (0.0, 0.6, 1.4, 5.0),
            (5.6, 0.6, 1.4, 5.0),
            (1.0, 5.3, 5.0, 1.4),
            (0.0, 6.2, 1.4, 5.0),
            (5.6, 6.2, 1.4, 5.0),
            (1.0, 10.6, 5.0, 1.4),
        ];
        for (k, character) in text.chars().enumerate() {
            let left = x + 10.0 * k as f32;
            match character.to_digit(10) {
                Some(digit) => {
                    for (segment, place) in PLACES.iter().enumerate() {
                        if SEGMENTS[digit as usize] & (1 << (6 - segment)) != 0 {
                            self.rect(left + place.0, y + place.1, place.2, place.3, color(0xffffff));
                        }
                    }
                }
                None => [3.0, 8.0].iter().for_each(|dy| self.rect(left + 3.0, y + dy, 1.6, 1.6, color(0xffffff))),
            }
        }
    }
}

/// Frames of the moments, in the order of [`CUT`]: lid lifted, first tick, strike of noon.
fn moment(index: usize) -> u64 {
    CUT.moments[index].frame
}

/// Frames between two ticks, and between two strokes of the bell.
const TICK_FRAMES: u64 = 25;
const STROKE_FRAMES: u64 = 40;

/// Draws a frame of the cut.
pub fn draw(canvas: &mut Pixmap, frame: u64) {
    let shot = CUT.shots.iter().rposition(|s| s.start_frame <= frame).unwrap_or(0);
    let start = CUT.shots[shot].start_frame;
    let end = CUT.shots.get(shot + 1).map_or(CUT.length_frames, |s| s.start_frame);
    let share = (frame - start) as f32 / (end - start) as f32;
    let t = (frame - start) as f32 / CUT.frames_per_second as f32;
    let mut d = Draw { canvas };
    match shot {
        0 => tower(&mut d, share),
        1 => hall(&mut d, share),
        2 => bench(&mut d, share, t),
        3 => gears(&mut d, frame, t),
        4 => hands(&mut d, t),
        5 => rain(&mut d, frame),
        6 => wheels(&mut d, frame),
        7 => ladder(&mut d, share),
        _ => noon(&mut d, frame),
    }
    d.rect(176.0, 246.0, 128.0, 20.0, color(0x14120f));
    let (minutes, seconds, frames) = (frame / 1500, frame / 25 % 60, frame % 25);
    d.figures(&format!("01:{minutes:02}:{seconds:02}:{frames:02}"), 184.0, 250.0);
}

fn tower(d: &mut Draw<'_>, share: f32) {
    d.canvas.fill(mixed(0x2b3350, 0xe8b48a, share));
    d.disc(90.0, 250.0 - 90.0 * share, 26.0, color(0xf6d9a0));
    d.rect(0.0, 222.0, 480.0, 48.0, color(0x2e2b33));
    let zoom = 1.0 + 0.25 * share;
    d.rect(240.0 - 46.0 * zoom, 222.0 - 150.0 * zoom, 92.0 * zoom, 150.0 * zoom, color(0x574a4a));
    let mut roof = PathBuilder::new();
    roof.move_to(240.0 - 56.0 * zoom, 222.0 - 150.0 * zoom);
    roof.line_to(240.0 + 56.0 * zoom, 222.0 - 150.0 * zoom);
    roof.line_to(240.0, 222.0 - 196.0 * zoom);
    roof.close();
    d.fill(roof.finish(), color(0x3d3336));
    d.clock(240.0, 222.0 - 108.0 * zoom, 32.0 * zoom, 4.17);
}

fn hall(d: &mut Draw<'_>, share: f32) {
    d.canvas.fill(color(0xb8a78d));
    for k in 0..9 {
        let x = 90.0 * k as f32 - 160.0 * share;
        d.rect(x, 90.0, 62.0, 140.0, color(0x4b4038));
        d.disc(x + 31.0, 92.0, 31.0, color(0x4b4038));
        d.rect(x + 66.0, 60.0, 18.0, 170.0, color(0xd8c9ad));
    }
    d.rect(0.0, 226.0, 480.0, 44.0, color(0x776a5a));
}

fn bench(d: &mut Draw<'_>, share: f32, t: f32) {
    d.canvas.fill(color(0x241d19));
    d.disc(150.0 + 120.0 * share, 60.0, 120.0, color(0x4a3826));
    d.disc(150.0 + 120.0 * share, 60.0, 70.0, color(0x7a5a34));
    for k in 0..6 {
        d.rect(0.0, 150.0 + 20.0 * k as f32, 480.0, 18.0, if k % 2 == 0 { color(0x8a6a45) } else { color(0x7c5e3c) });
    }
    for (k, x) in [70.0, 170.0, 260.0, 390.0].iter().enumerate() {
        d.gear(*x, 180.0 + 14.0 * (k % 2) as f32, 24.0 + 6.0 * k as f32, 9 + k, 0.1 * t, color(0xc7a35a));
    }
}

fn gears(d: &mut Draw<'_>, frame: u64, t: f32) {
    d.canvas.fill(color(0x2c2a2c));
    d.gear(170.0, 150.0, 84.0, 20, 0.5 * t, color(0xb9924a));
    d.gear(310.0, 128.0, 58.0, 14, -0.71 * t, color(0xd1ad66));
    d.gear(382.0, 206.0, 40.0, 10, t, color(0x9f7c3c));
    // The lid slides away when it is lifted.
    let lifted = (frame.saturating_sub(moment(0)) as f32 / 20.0).min(1.0);
    d.rect(40.0, 30.0 - 300.0 * lifted, 400.0, 210.0, color(0x5b5048));
    d.ring(240.0, 135.0 - 300.0 * lifted, 30.0, 8.0, color(0x3b332e));
}

fn hands(d: &mut Draw<'_>, t: f32) {
    d.canvas.fill(color(0x8f7d66));
    let sway = 10.0 * (1.7 * t).sin();
    d.gear(240.0, 140.0, 46.0, 12, 0.15 * (2.3 * t).sin(), color(0xd1ad66));
    for side in [-1.0f32, 1.0] {
        for finger in 0..4 {
            let y = 110.0 + 18.0 * finger as f32;
            d.line((240.0 + side * (150.0 + sway), y + 10.0), (240.0 + side * (66.0 + sway + 5.0 * finger as f32), y), 14.0, color(0xc99f7d));
        }
        d.disc(240.0 + side * (180.0 + sway), 150.0, 52.0, color(0xc99f7d));
    }
}

fn rain(d: &mut Draw<'_>, frame: u64) {
    d.canvas.fill(color(0x6a7480));
    d.rect(0.0, 190.0, 480.0, 80.0, color(0x4d5560));
    for k in 0..5 {
        d.rect(30.0 + 95.0 * k as f32, 80.0 + 9.0 * (k % 3) as f32, 66.0, 112.0, color(0x59606b));
    }
    for k in 0..90u64 {
        let x = ((k * 97) % 500) as f32 - 10.0;
        let y = ((k * 53 + frame * (9 + k % 4)) % 290) as f32 - 20.0;
        d.line((x, y), (x - 4.0, y + 13.0), 1.2, color(0xb9c4cf));
    }
    for k in 0..8u64 {
        let age = ((frame + 5 * k) % 24) as f32;
        d.ring(((k * 71) % 480) as f32, 214.0 + ((k * 13) % 40) as f32, age, 1.4, color(0x7d8894));
    }
}

fn wheels(d: &mut Draw<'_>, frame: u64) {
    d.canvas.fill(color(0x3a2f28));
    // Nothing moves until the first tick; then everything does, tick by tick.
    let ticking = frame.checked_sub(moment(1));
    let step = ticking.map_or(0.0, |f| (f / TICK_FRAMES) as f32 + ((f % TICK_FRAMES) as f32 / 4.0).min(1.0));
    let bright = ticking.is_some_and(|f| f % TICK_FRAMES < 3);
    let brass = if bright { color(0xffe3a0) } else { color(0xd8b467) };
    d.gear(150.0, 130.0, 78.0, 18, step * TAU / 36.0, brass);
    d.gear(278.0, 104.0, 52.0, 12, -step * TAU / 24.0, brass);
    d.gear(366.0, 168.0, 62.0, 15, step * TAU / 30.0, brass);
}

fn ladder(d: &mut Draw<'_>, share: f32) {
    d.canvas.fill(color(0x5a4c44));
    d.line((170.0, 280.0), (230.0, -20.0), 9.0, color(0xb08d5b));
    d.line((290.0, 280.0), (270.0, -20.0), 9.0, color(0xb08d5b));
    for k in 0..12 {
        let y = (26.0 * k as f32 + 120.0 * share) % 312.0 - 20.0;
        let lean = (270.0 - y) / 290.0;
        d.line((172.0 + 56.0 * lean, y), (289.0 - 19.0 * lean, y), 7.0, color(0xc9a670));
    }
    let climb = 190.0 - 120.0 * share + 5.0 * (40.0 * share).sin();
    d.disc(238.0, climb - 34.0, 15.0, color(0xc99f7d));
    d.line((238.0, climb - 18.0), (240.0, climb + 34.0), 26.0, color(0x39566b));
    d.gear(272.0, climb, 20.0, 10, 0.0, color(0xd8b467));
}

fn noon(d: &mut Draw<'_>, frame: u64) {
    let strikes = frame.checked_sub(moment(2));
    let age = strikes.map(|f| (f % STROKE_FRAMES) as f32);
    let glow = age.map_or(0.0, |a| (1.0 - a / 14.0).max(0.0));
    d.canvas.fill(mixed(0x9cc4df, 0xfff6d8, glow));
    if let Some(age) = age {
        d.ring(240.0, 128.0, 104.0 + 5.0 * age, 5.0, mixed(0xf2d48a, 0x9cc4df, age / STROKE_FRAMES as f32));
    }
    let before = (moment(2).saturating_sub(frame) as f32 / 25.0).min(1.0);
    d.clock(240.0, 128.0, 100.0, 12.0 - before / 60.0);
}

/// The film's own sound: the room of the workshop, rain, ticks and the bell of noon.
fn own_sound(from: u64, to: u64) -> Sound {
    let samples_per_frame = 48_000 / u64::from(CUT.frames_per_second);
    let length = ((to - from) * samples_per_frame) as usize;
    let mut track = vec![0.0f32; length];
    let mut state = 77u32;
    let mut noise = move || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / (1 << 23) as f32 - 1.0
    };
    let (mut low, mut rain_level) = (0.0f32, 0.0f32);
    for (n, sample) in track.iter_mut().enumerate() {
        let frame = from + n as u64 / samples_per_frame;
        let white = noise();
        low += 0.02 * (white - low);
        let raining = (CUT.shots[5].start_frame..CUT.shots[6].start_frame).contains(&frame);
        rain_level += 0.00005 * (f32::from(raining) - rain_level);
        *sample = 0.03 * low + 0.012 * rain_level * white;
    }
    let mut add = |frame: u64, length: usize, make: &dyn Fn(f32) -> f32| {
        let at = frame as i64 * samples_per_frame as i64 - (from * samples_per_frame) as i64;
        for k in 0..length {
            if let Some(sample) = usize::try_from(at + k as i64).ok().and_then(|n| track.get_mut(n)) {
                *sample += make(k as f32 / 48_000.0);
            }
        }
    };
    for frame in (moment(1)..CUT.shots[7].start_frame).step_by(TICK_FRAMES as usize) {
        add(frame, 2400, &|t| 0.12 * (TAU * 2300.0 * t).sin() * (-t * 160.0).exp());
    }
    for frame in (moment(2)..CUT.length_frames).step_by(STROKE_FRAMES as usize) {
        // A bell's partials: hum, prime, tierce, quint, nominal.
        add(frame, 96_000, &|t| [0.5, 1.0, 1.2, 1.5, 2.0].iter().map(|p| 0.035 * (TAU * 330.0 * p * t).sin() * (-t * (1.2 + p)).exp()).sum());
    }
    Sound::new(vec![track.clone(), track])
}
