//! Files that nobody should send, the same ones for the same seed: every format that is read, bent in
//! its head, its lengths, its rates, its end or anywhere, and what only looks like one.

use rand::rngs::SmallRng;
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use std::io;
use std::path::Path;
use std::process::Command;

/// What a file is sent as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum SentAs {
    /// A bed, a take of the narration, or the sound of a place.
    Sound,
    /// A film.
    Film,
    /// A list of shots, moments or captions.
    List,
    /// A grid of beats.
    Grid,
}

/// A file on its way.
#[derive(Debug, Clone)]
pub struct HostileFile {
    /// What it says it is called.
    pub name: String,
    /// What it holds.
    pub bytes: Vec<u8>,
    /// What it is sent as.
    pub sent_as: SentAs,
    /// How it was bent.
    pub bent: &'static str,
}

/// Makes hostile files from good ones.
pub struct Hostiles {
    random: SmallRng,
    good: Vec<(SentAs, &'static str, Vec<u8>)>,
}

/// Numbers that heads should not say.
const EXTREMES: [u32; 14] = [0, 1, 2, 3, 100, 3999, 768_001, 1 << 16, 1 << 24, 0x7fff_ffff, 0x8000_0000, 0xffff_fff0, u32::MAX - 1, u32::MAX];
/// Names that files should not have.
const NAMES: [&str; 8] =
    ["", "<img src=x onerror=alert(1)>", "../../../etc/passwd", "a\u{202e}vaw.exe", "x.html", "\u{1f3b5}\u{0}.wav", "con.wav", "%00%2e%2e.mp4"];

/// How a file is bent.
const BENDS: [&str; 16] = [
    "cut off",
    "bits flipped",
    "a number in its head",
    "a number anywhere",
    "a part twice",
    "a part left out",
    "a part of another format",
    "only its head",
    "called something else",
    "a strange name",
    "grown at its end",
    "noise behind its head",
    "a playlist",
    "a bomb",
    "no numbers",
    "a page",
];

impl Hostiles {
    /// Hostile files of one seed; the good ones are made in `folder` by ffmpeg.
    ///
    /// # Errors
    /// What the system says; ffmpeg must be installed.
    pub fn new(seed: u64, folder: &Path) -> io::Result<Self> {
        let tone = ["-f", "lavfi", "-i", "aevalsrc=0.3*sin(880*t*(1+floor(4*t)))|0.3*sin(660*t):d=2.5:s=44100"];
        let film = ["-f", "lavfi", "-i", "testsrc=size=96x64:rate=25:duration=2"];
        let made: [(SentAs, &'static str, &[&str], &[&str]); 15] = [
            (SentAs::Sound, "wav", &tone, &["-c:a", "pcm_s16le"]),
            (SentAs::Sound, "f.wav", &tone, &["-c:a", "pcm_f32le"]),
            (SentAs::Sound, "ad.wav", &tone, &["-c:a", "adpcm_ms"]),
            (SentAs::Sound, "aiff", &tone, &["-c:a", "pcm_s24be"]),
            (SentAs::Sound, "flac", &tone, &[]),
            (SentAs::Sound, "mp3", &tone, &["-b:a", "96k"]),
            (SentAs::Sound, "ogg", &tone, &["-c:a", "libvorbis"]),
            (SentAs::Sound, "m4a", &tone, &["-c:a", "aac"]),
            (SentAs::Sound, "al.m4a", &tone, &["-c:a", "alac"]),
            (SentAs::Sound, "caf", &tone, &["-c:a", "pcm_s16be"]),
            (SentAs::Sound, "mkv", &tone, &["-c:a", "flac"]),
            (SentAs::Film, "mp4", &film, &["-c:v", "libx264", "-pix_fmt", "yuv420p"]),
            (SentAs::Film, "webm", &film, &["-c:v", "libvpx", "-deadline", "realtime"]),
            (SentAs::Film, "mov", &film, &["-c:v", "libx264", "-pix_fmt", "yuv420p", "-timecode", "01:00:00:00"]),
            (SentAs::Film, "v.mkv", &film, &["-c:v", "libx264", "-pix_fmt", "yuv420p"]),
        ];
        let mut good = Vec::new();
        for (sent_as, ending, input, options) in made {
            let path = folder.join(format!("good.{ending}"));
            let status = Command::new("ffmpeg").args(["-v", "error", "-y"]).args(input).args(options).arg(&path).status()?;
            if !status.success() {
                return Err(io::Error::other(format!("ffmpeg made no {ending}")));
            }
            good.push((sent_as, ending, std::fs::read(&path)?));
        }
        let texts: [(SentAs, &'static str, &[u8]); 7] = [
            (SentAs::List, "edl", b"TITLE: A\nFCM: NON-DROP FRAME\n001  AX  V  C  01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00\n* LOC: 01:00:01:00 RED HIT\n"),
            (SentAs::List, "vtt", b"WEBVTT\n\n00:01.000 --> 00:02.500\nA <b>line</b>\n"),
            (SentAs::List, "srt", b"1\n00:00:01,000 --> 00:00:02,500\nA line\n"),
            (SentAs::List, "csv", b"time,name\n1.5,hit\n00:00:03:00,bell\n"),
            (SentAs::List, "otio", br#"{"OTIO_SCHEMA":"Timeline.1","name":"a","tracks":{"OTIO_SCHEMA":"Stack.1","children":[{"OTIO_SCHEMA":"Track.1","kind":"Video","children":[{"OTIO_SCHEMA":"Clip.2","name":"c","source_range":{"OTIO_SCHEMA":"TimeRange.1","start_time":{"OTIO_SCHEMA":"RationalTime.1","rate":25.0,"value":0.0},"duration":{"OTIO_SCHEMA":"RationalTime.1","rate":25.0,"value":50.0}}}]}]}}"#),
            (SentAs::Grid, "mid", b"MThd\0\0\0\x06\0\0\0\x01\0\x60MTrk\0\0\0\x13\0\xff\x51\x03\x07\xa1\x20\0\xff\x58\x04\x04\x02\x18\x08\0\xff\x2f\0"),
            (SentAs::Grid, "jams", br#"{"annotations":[{"namespace":"beat_position","data":[{"time":0.5,"duration":0,"value":{"position":1}},{"time":1.0,"duration":0,"value":{"position":2}}]}],"file_metadata":{"duration":9}}"#),
        ];
        good.extend(texts.map(|(sent_as, ending, text)| (sent_as, ending, text.to_vec())));
        Ok(Self { random: SmallRng::seed_from_u64(seed), good })
    }

    /// The next one.
    pub fn next_file(&mut self) -> HostileFile {
        let (sent_as, ending, mut bytes) = self.good.choose(&mut self.random).cloned().unwrap_or((SentAs::Sound, "wav", Vec::new()));
        let bent = *BENDS.choose(&mut self.random).unwrap_or(&BENDS[0]);
        let mut name = format!("sent.{ending}");
        let len = bytes.len();
        let random = &mut self.random;
        let extreme = *EXTREMES.choose(random).unwrap_or(&0);
        match bent {
            "cut off" => bytes.truncate(random.random_range(0..len)),
            "bits flipped" => {
                for _ in 0..random.random_range(1..60) {
                    bytes[random.random_range(0..len)] ^= 1 << random.random_range(0..8);
                }
            }
            "a number in its head" => put(&mut bytes, random.random_range(0..len.min(96)), extreme, random.random()),
            "a number anywhere" => {
                for _ in 0..random.random_range(1..8) {
                    put(&mut bytes, random.random_range(0..len), extreme, random.random());
                }
            }
            "a part twice" | "a part left out" => {
                let from = random.random_range(0..len);
                let to = random.random_range(from..len);
                let part = if bent == "a part twice" { bytes[from..to].repeat(2) } else { Vec::new() };
                bytes.splice(from..to, part);
            }
            "a part of another format" => {
                let other = self.good.choose(random).map(|g| g.2.clone()).unwrap_or_default();
                bytes.truncate(len / 2);
                bytes.extend(&other[other.len() / 3..]);
            }
            "only its head" => bytes.truncate(random.random_range(0..64.min(len))),
            "called something else" => {
                let ending = self.good.choose(random).map_or("wav", |g| g.1);
                name = format!("sent.{ending}");
            }
            "a strange name" => name = (*NAMES.choose(random).unwrap_or(&"")).to_owned(),
            "grown at its end" => bytes.extend(std::iter::repeat_n(random.random::<u8>(), random.random_range(1..300_000))),
            "noise behind its head" => {
                let from = random.random_range(0..len.min(400));
                random.fill(&mut bytes[from..]);
            }
            "a playlist" => bytes = playlist(random),
            "a bomb" => bytes = bomb(random),
            "no numbers" => bytes = no_numbers(random),
            _ => {
                // A film in whose free space a page stands (ISO/IEC 14496-12, 8.1.2).
                let page = b"<!doctype html><script>fetch('/api/cuts')</script>";
                bytes.extend((page.len() as u32 + 8).to_be_bytes());
                bytes.extend(b"free");
                bytes.extend(page);
                name = "x.html".into();
            }
        }
        // Whatever it is: now and then it is sent as something else.
        let sent_as = if random.random_bool(0.1) { [SentAs::Sound, SentAs::Film, SentAs::List, SentAs::Grid][random.random_range(0..4)] } else { sent_as };
        HostileFile { name, bytes, sent_as, bent }
    }
}

fn put(bytes: &mut [u8], at: usize, number: u32, big: bool) {
    let number = if big { number.to_be_bytes() } else { number.to_le_bytes() };
    let end = (at + 4).min(bytes.len());
    bytes[at..end].copy_from_slice(&number[..end - at]);
}

fn playlist(random: &mut SmallRng) -> Vec<u8> {
    let place = [
        "/etc/passwd",
        "file:///etc/passwd",
        "http://127.0.0.1:9/x.ts",
        "concat:/etc/passwd|/etc/passwd",
        "../../good.mp4",
        "subfile,,start,0,end,99,,:/etc/passwd",
    ];
    let place = place.choose(random).unwrap_or(&"");
    let text = match random.random_range(0..5) {
        0 => format!("#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\n{place}\n#EXT-X-ENDLIST\n"),
        // One that never ends.
        1 => format!("#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\n{place}\n"),
        2 => format!("ffconcat version 1.0\nfile '{place}'\n"),
        3 => format!(
            "<?xml version=\"1.0\"?><MPD type=\"dynamic\"><Period><AdaptationSet><Representation id=\"1\"><BaseURL>{place}</BaseURL></Representation></AdaptationSet></Period></MPD>"
        ),
        _ => "v=0\no=- 0 0 IN IP4 127.0.0.1\nc=IN IP4 127.0.0.1\nm=video 5004 RTP/AVP 96\n".to_owned(),
    };
    text.into_bytes()
}

fn bomb(random: &mut SmallRng) -> Vec<u8> {
    match random.random_range(0..7) {
        6 => [&br#"{"OTIO_SCHEMA":"Stack.1","children":["#[..], &b"0,".repeat(4_000_000), b"0]}"].concat(),
        0 => b"[".repeat(200_000),
        1 => [br#"{"OTIO_SCHEMA":"Stack.1","children":["#.repeat(3000), b"]}".repeat(3000)].concat(),
        2 => [b"WEBVTT\n\n".to_vec(), b"00:01.000 --> 00:02.000\nx\n\n".repeat(60_000)].concat(),
        3 => b"time,name\n".iter().copied().chain(b"1,\"".repeat(100_000)).collect(),
        // A tempo map of ticks that last for ever.
        4 => [&b"MThd\0\0\0\x06\0\0\0\x01\0\x01MTrk\x7f\xff\xff\xff"[..], &b"\xff\xff\xff\x7f\xff\x51\x03\xff\xff\xff".repeat(20_000)].concat(),
        _ => [&b"fLaC\0\0\0\x22\x10\0\x10\0\0\0\0\0\0\0\x0b\xb8\x01\xf0\xff\xff\xff\xff"[..], &[0; 16], &b"\x84\xff\xff\xff".repeat(1000)].concat(),
    }
}

/// A sound of floating point whose samples are none, with an honest head or a lying one.
fn no_numbers(random: &mut SmallRng) -> Vec<u8> {
    let values = [f32::NAN, f32::INFINITY, f32::NEG_INFINITY, 1e30, f32::MAX, f32::MIN, 1e-40, -0.0];
    let data: Vec<u8> = (0..30_000).flat_map(|_| values[random.random_range(0..values.len())].to_le_bytes()).collect();
    let rate = if random.random() { 48_000 } else { EXTREMES[random.random_range(0..EXTREMES.len())] };
    let mut out = b"RIFF\0\0\0\0WAVEfmt \x10\0\0\0\x03\0\x01\0".to_vec();
    out.extend(rate.to_le_bytes());
    out.extend(rate.wrapping_mul(4).to_le_bytes());
    out.extend(b"\x04\0\x20\0data");
    out.extend((data.len() as u32).to_le_bytes());
    out.extend(data);
    out
}
