"""Puts made voices over music and writes what the network hears of it.

    ROOT=PACKAGES python tools/singing/render.py OUT FROM TO      # seeds FROM to TO; OUT/SEED.npy and OUT/SEED.json

The music of every second seed is recorded, of the others composed, half of that as bands play it: PACKAGES is where the packages
named below are unpacked, whose music is instrumental but for a choir here and there.

Speech comes from speech synthesisers, is taken apart by the WORLD vocoder (Morise et al. 2016), and
sings when its pitch is replaced by a tune and its vowels are drawn out. Half of the pieces have no
voice but, a third of these, a synthetic lead that glides and has vibrato: what must not be taken for one.
Needs what tools/reading/render.py needs, pyworld from PyPI; flite and espeak-ng from Debian.
"""
import json
import os
import random
import subprocess
import sys
import tempfile
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
import pyworld
import soundfile
from scipy.signal import butter, fftconvolve, lfilter, resample_poly, sosfilt

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "reading"))
from compose import compose  # noqa: E402
from render import EXAMPLE, FONTS, RATE, play, play_song  # noqa: E402

ROOT = Path(os.environ.get("ROOT", "/"))
RECORDED = ["wesnoth-1.16-music", "singularity-music", "supertux-data", "hedgewars-data", "widelands-data", "megaglest-data", "enigma-data", "asterisk-moh-opsound-wav"]

WORDS = (
    "love morning river stay fall gold never always home window rain summer light slowly heart fire running open road again tomorrow hold "
    "me you we are going over water silver city sleeping garden early voice believe higher moon shadow dance little sound holiday train letter "
    "blue under turning paper mountain harbour garage window machine finger wonder yellow orange evening silence follow answer carry sugar"
).split()
ESPEAK = ["en-gb", "en-us", "en-gb-scotland", "de", "fr", "es", "it", "sv", "pt", "nl", "pl", "fi", "cs", "tr", "id", "ro"]
FORMS = ["", "+m1", "+m3", "+m5", "+m7", "+f1", "+f2", "+f3", "+f4", "+f5", "+croak", "+klatt2"]
VOICE_RATE = 22_050
WINDOW_S = 45.0


def speak(chance, folder):
    """A sentence as speech at VOICE_RATE."""
    words = " ".join(chance.choice(WORDS) for _ in range(chance.randint(4, 12)))
    path = Path(folder) / "voice.wav"
    if chance.random() < 0.6:
        voice = chance.choice(["slt", "slt", "rms", "rms", "awb", "kal16"])
        stretch = chance.uniform(0.85, 1.3)
        subprocess.run(["flite", "-voice", voice, "--setf", f"duration_stretch={stretch}", "-t", words, "-o", str(path)], check=True, capture_output=True)
    else:
        voice = chance.choice(ESPEAK) + chance.choice(FORMS)
        subprocess.run(["espeak-ng", "-v", voice, "-s", str(chance.randint(110, 190)), "-p", str(chance.randint(20, 80)), "-w", str(path), words], check=True, capture_output=True)
    x, rate = soundfile.read(path)
    if rate != VOICE_RATE:
        x = resample_poly(x, VOICE_RATE, rate)
    return x / (np.abs(x).max() + 1e-9)


def tune(chance, frames, low, high, frame_s):
    """Pitch in Hz of every frame of a sung line: steps of a scale, glides, vibrato."""
    scale = chance.choice([[0, 2, 4, 5, 7, 9, 11], [0, 2, 3, 5, 7, 8, 10], [0, 2, 4, 7, 9], [0, 3, 5, 7, 10]])
    key, beat_s = chance.randrange(12), chance.uniform(0.3, 0.8)
    steps = [p for p in range(int(low), int(high)) if (p - key) % 12 in scale]
    at = chance.randrange(len(steps))
    pitch = np.zeros(frames)
    k = 0
    while k < frames:
        length = int(beat_s * chance.choice([0.5, 0.5, 1, 1, 1, 2, 3]) / frame_s)
        pitch[k : k + length] = steps[at]
        k += length
        at = min(len(steps) - 1, max(0, at + chance.choice([-3, -2, -1, -1, 0, 1, 1, 2, 4])))
    glide = max(1, int(chance.uniform(0.02, 0.12) / frame_s))
    pitch = np.convolve(np.pad(pitch, glide, mode="edge"), np.ones(glide) / glide, "same")[glide : glide + frames]
    t = np.arange(frames) * frame_s
    depth = chance.choice([0.0, chance.uniform(0.1, 0.7)])
    pitch = pitch + depth * np.sin(2 * np.pi * chance.uniform(4.5, 7) * t + chance.uniform(0, 6)) + np.cumsum(np.random.default_rng(chance.randrange(1 << 30)).standard_normal(frames)) * 0.004
    return 440 * 2 ** ((pitch - 69) / 12)


def sing(x, chance):
    """Speech turned into song."""
    f0, t = pyworld.dio(x, VOICE_RATE)
    f0 = pyworld.stonemask(x, f0, t, VOICE_RATE)
    envelope = pyworld.cheaptrick(x, f0, t, VOICE_RATE)
    noise = pyworld.d4c(x, f0, t, VOICE_RATE)
    drawn = chance.uniform(1.3, 4.0)
    index = np.repeat(np.arange(len(f0)), 1)
    # Vowels are drawn out, consonants hardly.
    pace = np.where(f0 > 0, drawn, chance.uniform(1.0, 1.3))
    place = np.cumsum(pace)
    index = np.searchsorted(place, np.arange(int(place[-1])))
    voiced = f0[index] > 0
    envelope, noise = envelope[index], noise[index]
    size = chance.uniform(0.85, 1.2)  # of the singer
    bins = np.clip(np.arange(envelope.shape[1]) * size, 0, envelope.shape[1] - 1).astype(int)
    envelope = np.ascontiguousarray(envelope[:, bins])
    middle = chance.choice([50, 55, 60, 64, 67])
    pitch = np.where(voiced, tune(chance, len(index), middle - 6, middle + 8, 0.005), 0.0)
    made = pyworld.synthesize(pitch, envelope, np.ascontiguousarray(noise), VOICE_RATE)
    if chance.random() < 0.25:  # sung in parts
        made = made + 0.6 * pyworld.synthesize(pitch * 2 ** (chance.choice([3, 4, 5, 7, -5, 12]) / 12), envelope, np.ascontiguousarray(noise), VOICE_RATE)
    return made


def lead(seconds, chance):
    """A synthetic lead that glides as singers do, through a filter that does not speak."""
    frames = int(seconds / 0.005)
    middle = chance.choice([55, 62, 67, 72, 79])
    pitch = np.repeat(tune(chance, frames, middle - 6, middle + 8, 0.005), int(0.005 * VOICE_RATE))
    phase = np.cumsum(pitch / VOICE_RATE)
    kind = chance.choice(["saw", "square", "sine", "fm", "bow"])
    x = {
        "saw": lambda: 2 * (phase % 1) - 1, "square": lambda: np.sign(np.sin(2 * np.pi * phase)), "sine": lambda: np.sin(2 * np.pi * phase),
        "fm": lambda: np.sin(2 * np.pi * phase + 2 * np.sin(2 * np.pi * phase * chance.choice([1, 2, 3]))),
        "bow": lambda: lfilter([1.0], [1, -0.6], 2 * (phase % 1) - 1 + 0.1 * np.random.default_rng(1).standard_normal(len(phase))),
    }[kind]()
    low = chance.uniform(600, 6000)
    return sosfilt(butter(2, low, fs=VOICE_RATE, output="sos"), x)


def dress_voice(x, chance):
    if chance.random() < 0.5:
        length = int(chance.uniform(0.3, 2.0) * RATE)
        room = np.random.default_rng(chance.randrange(1 << 30)).standard_normal(length) * np.exp(-np.linspace(0, 7, length))
        wet = fftconvolve(x, room / np.sqrt(np.sum(room**2)))[: len(x)]
        x = x + chance.uniform(0.1, 0.6) * wet
    if chance.random() < 0.4:
        x = sosfilt(butter(2, chance.uniform(80, 300), "high", fs=RATE, output="sos"), x)
    if chance.random() < 0.5:
        drive = chance.uniform(1, 6) / (np.sqrt(np.mean(x**2)) * 4 + 1e-9)
        x = np.tanh(x * drive)
    return x


def recorded(chance):
    """A window of a recording."""
    files = sorted(p for package in RECORDED for end in ("ogg", "wav", "mp3") for p in (ROOT / package).rglob(f"*.{end}") if p.stat().st_size > 500_000 and not {"sounds", "speech"} & set(p.parts))
    path = chance.choice(files)
    length_s = float(subprocess.run(["ffprobe", "-v", "fatal", "-show_entries", "format=duration", "-of", "csv=p=0", str(path)], capture_output=True, text=True).stdout)
    at_s = chance.uniform(0, max(0.0, length_s - WINDOW_S))
    raw = subprocess.run(["ffmpeg", "-v", "fatal", "-ss", str(at_s), "-t", str(WINDOW_S), "-i", str(path), "-map", "0:a:0", "-ac", "1", "-ar", str(RATE), "-f", "f32le", "-"], capture_output=True).stdout
    music = np.frombuffer(raw, np.float32).astype(np.float64)
    return music if len(music) and np.sqrt(np.mean(music**2)) > 1e-3 else np.zeros(0)


def composed(seed, chance):
    """A window of a composed piece, played from a font or as a band plays it."""
    notes, truth = compose(seed)
    start = chance.uniform(0, max(0.0, truth["end_s"] - WINDOW_S))
    notes = [(a - start, min(b - start, WINDOW_S), p, v, c) for a, b, p, v, c in notes if start <= a < start + WINDOW_S - 0.2]
    if not notes:
        return np.zeros(0)
    if truth["style"]:
        return play_song(notes, truth["programs"], chance).astype(np.float64)
    return play(notes, truth["programs"], chance.choices([f for f, _ in FONTS], [w for _, w in FONTS])[0], chance).astype(np.float64)


def render(job):
    out, seed = job
    if (out / f"{seed}.npy").exists():
        return 0.0
    chance = random.Random(seed + 77_000_001)
    music = recorded(chance) if seed % 2 else composed(seed, chance)
    if len(music) < 10 * RATE:
        return 0.0
    music = music / (np.sqrt(np.mean(music**2)) + 1e-9)
    voice, spans = np.zeros(len(music)), []
    kind = chance.choices(["sung", "spoken", "both", "none", "lead"], [32, 7, 7, 36, 18])[0]
    with tempfile.TemporaryDirectory() as folder:
        at = chance.uniform(0, 12)
        while kind != "none" and at < len(music) / RATE - 3:
            spoken = kind == "spoken" or (kind == "both" and chance.random() < 0.5)
            part = lead(chance.uniform(2, 8), chance) if kind == "lead" else speak(chance, folder) if spoken else sing(speak(chance, folder), chance)
            part = resample_poly(part, 2, 1)
            first = int(at * RATE)
            part = part[: len(voice) - first]
            part = part / (np.sqrt(np.mean(part**2)) + 1e-9)
            voice[first : first + len(part)] += part
            if kind != "lead":
                # Where it really sounds: within 25 dB of its own level.
                level = np.sqrt(np.convolve(part**2, np.ones(2205) / 2205, "same"))
                loud = np.nonzero(level > 0.056)[0]
                if len(loud):
                    spans.append((at + loud[0] / RATE, at + loud[-1] / RATE))
            at += len(part) / RATE + (chance.uniform(0.1, 2.0) if chance.random() < 0.65 else chance.uniform(4, 14))
        gain = 10 ** (chance.uniform(-7, 8) / 20)
        mix = music + (gain * dress_voice(voice, chance) / (np.sqrt(np.mean(voice[voice != 0] ** 2)) + 1e-9) if np.any(voice) else 0)
        if chance.random() < 0.5:
            drive = 10 ** (chance.uniform(-4, 8) / 20)
            mix = np.tanh(mix / 4 * drive)
        mix = mix / (np.abs(mix).max() + 1e-9) * chance.uniform(0.1, 0.98)
        wav = Path(folder) / "a.wav"
        soundfile.write(wav, mix, RATE, subtype="PCM_16")
        subprocess.run([str(EXAMPLE), str(wav)], check=True)
        inputs = np.fromfile(f"{wav}.f32", np.float32).reshape(-1, 104)
        np.save(out / f"{seed}.npy", inputs.astype(np.float16))
    (out / f"{seed}.json").write_text(json.dumps({"seed": seed, "kind": kind, "voice": spans}))
    return len(mix) / RATE


if __name__ == "__main__":
    out = Path(sys.argv[1])
    out.mkdir(parents=True, exist_ok=True)
    with ProcessPoolExecutor(int(sys.argv[4]) if len(sys.argv) > 4 else 2) as pool:
        lengths = list(pool.map(render, [(out, seed) for seed in range(int(sys.argv[2]), int(sys.argv[3]))]))
    print(f"{sum(lengths) / 60:.0f} minutes in {len(lengths)} pieces")
