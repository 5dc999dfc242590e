"""Lays out narrations from recorded prompts, with edges that are known, for shared/eval's score_speech.py.

    python tools/eval/narrations.py OUT PROMPTS SEED MUSIC...

PROMPTS: a folder with one folder of WAV files a language (Debian's asterisk-core-sounds-*-wav unpacked); MUSIC: sound files that
lie under every second narration, 14 to 22 dB below the voice; SEED: another ten for another number. Ten narrations of a minute and a half: prompts without an inner
pause, each at a level of its own, with pauses of 0.15 to 4 s over a floor of noise; under every third a room. Where a prompt
begins and ends is where it first and last comes within 34 dB of its own loud parts, in steps of 5 ms. Needs numpy, scipy and
soundfile from PyPI.
"""
import json
import random
import sys
from pathlib import Path

import numpy as np
import soundfile
from scipy.signal import fftconvolve, resample_poly

RATE, LENGTH_S, NARRATIONS = 48_000, 90, 10


def prompt(path):
    """Samples of a prompt from its first sound to its last, or None where it pauses or is short."""
    x, rate = soundfile.read(path, dtype="float64")
    if x.ndim > 1 or not 0.6 < len(x) / rate < 8:
        return None
    step = rate // 200
    power = 10 * np.log10(np.mean(x[: len(x) // step * step].reshape(-1, step) ** 2, 1) + 1e-12)
    loud = np.flatnonzero(power > np.percentile(power, 95) - 34)
    if len(loud) < 60 or np.diff(loud).max(initial=0) > 50:
        return None
    x = x[loud[0] * step : (loud[-1] + 1) * step]
    return resample_poly(x, RATE, rate) / np.sqrt(np.mean(x**2))


def main():
    out, prompts, seed, music = Path(sys.argv[1]) / "narration", Path(sys.argv[2]), int(sys.argv[3]), sys.argv[4:]
    out.mkdir(parents=True, exist_ok=True)
    languages = sorted(p for p in prompts.iterdir() if p.is_dir())
    for number in range(NARRATIONS * seed, NARRATIONS * (seed + 1)):
        r = random.Random(number)
        files = sorted(languages[number % len(languages)].rglob("*.wav"))
        r.shuffle(files)
        floor_db, spread_db = r.choice([-70, -60, -52]), r.choice([2, 5])
        noise = np.random.default_rng(number)
        sound, regions, at_s = np.zeros(RATE * LENGTH_S), [], r.uniform(0.4, 2)
        for path in files:
            x = prompt(path)
            if x is None:
                continue
            if at_s + len(x) / RATE > LENGTH_S - 1:
                break
            first = round(at_s * RATE)
            sound[first : first + len(x)] += x * 10 ** ((-24 + r.uniform(-spread_db, spread_db)) / 20)
            regions.append([first / RATE, (first + len(x)) / RATE])
            at_s = regions[-1][1] + (r.uniform(0.15, 0.5) if r.random() < 0.35 else r.uniform(0.7, 4))
        if number % 3 == 2:
            tail = noise.standard_normal(RATE // 3) * np.exp(-np.arange(RATE // 3) / (0.05 * RATE))
            sound = sound + 0.25 * fftconvolve(sound, tail / np.sqrt(np.sum(tail**2)))[: len(sound)]
        under_db = None
        if number % 2 and music:
            bed, rate = soundfile.read(music[number // 2 % len(music)], dtype="float64", always_2d=True)
            bed = np.resize(resample_poly(bed.mean(1), RATE, rate), len(sound))
            under_db = r.uniform(14, 22)
            sound = sound + bed / np.sqrt(np.mean(bed**2)) * 10 ** ((-24 - under_db) / 20)
        sound += noise.standard_normal(len(sound)) * 10 ** (floor_db / 20)
        sound *= 0.5 / max(0.5, np.abs(sound).max())
        soundfile.write(out / f"p{number:02d}.wav", sound, RATE, subtype="PCM_24")
        truth = {"id": f"p{number:02d}", "set": "narration", "duration_s": LENGTH_S, "regions": regions, "language": languages[number % len(languages)].name, "noise_floor_dbfs": floor_db, "music_under_db": under_db}
        (out / f"p{number:02d}.truth.json").write_text(json.dumps(truth))


if __name__ == "__main__":
    main()
