"""Renders composed pieces and writes what the network hears of them.

    python tools/reading/render.py OUT FROM TO      # seeds FROM to TO; OUT/SEED.npy and OUT/SEED.json

Needs pyfluidsynth, numpy, scipy and soundfile from PyPI; libfluidsynth3, fluid-soundfont-gm, timgm6mb-soundfont,
opl3-soundfont and musescore-general-soundfont-small from Debian; target/debug/examples/reading_inputs.
"""
import json
import random
import subprocess
import sys
import tempfile
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import fluidsynth
import numpy as np
import soundfile
from compose import compose
from scipy.signal import butter, lfilter, sosfilt

FONTS = [
    ("/usr/share/sounds/sf2/FluidR3_GM.sf2", 40), ("/usr/share/sounds/sf2/TimGM6mb.sf2", 35), ("/usr/share/sounds/sf2/OPL-3_FM_128M.sf2", 5),
    ("/usr/share/sounds/sf3/MuseScore_General_Lite.sf3", 20),
]
EXAMPLE = Path(__file__).resolve().parents[2] / "target/debug/examples/reading_inputs"
RATE = 44_100
synths = {}


def synth(font):
    """One synthesiser a font and process: loading a font takes longer than playing a piece."""
    if font not in synths:
        made = fluidsynth.Synth(gain=0.5, samplerate=RATE)
        synths[font] = made, made.sfload(font)
    return synths[font]


def play(notes, programs, font, chance, vibrato=False):
    """The notes as sound, mono; with `vibrato` some instruments tremble as their players do."""
    player, loaded = synth(font)
    player.system_reset()
    room, level = chance.uniform(0.1, 0.9), chance.choice([0.0, 0.0, chance.uniform(0.1, 0.8)])
    player.set_reverb(room, 0.2, 0.5, level)
    player.set_chorus_level(chance.choice([0.0, 1.0]))
    player.program_select(9, loaded, 128, 0)
    for channel, program in programs.items():
        player.program_select(channel, loaded, 0, program)
        if vibrato:
            player.cc(channel, 1, chance.choice([0, chance.randint(20, 127)]))
    events = []
    for start, end, pitch, velocity, channel in notes:
        events.append((round(start * RATE), 1, channel, pitch, velocity))
        events.append((round(end * RATE), 0, channel, pitch, 0))
    now, parts = 0, []
    for at, on, channel, pitch, velocity in sorted(events):
        if at > now:
            parts.append(player.get_samples(at - now))
            now = at
        player.noteon(channel, pitch, velocity) if on else player.noteoff(channel, pitch)
    parts.append(player.get_samples(int(3.5 * RATE)))
    both = np.concatenate(parts).reshape(-1, 2).astype(np.float32) / 32768
    return both.mean(axis=1) if chance.random() < 0.85 else both[:, 0]


def dress(x, rate, truth, chance):
    """What happens to music between the player and the file."""
    if chance.random() < 0.4:  # a tilt of the spectrum
        pole = chance.uniform(0.2, 0.9)
        low = lfilter([1 - pole], [1, -pole], x)
        x = low * 10 ** (chance.uniform(-6, 6) / 20) + (x - low)
    if chance.random() < 0.12:
        x = sosfilt(butter(4, chance.choice([3500, 5000, 8000]), fs=rate, output="sos"), x)
    if chance.random() < 0.08:
        x = sosfilt(butter(2, chance.choice([80, 150, 250]), "high", fs=rate, output="sos"), x)
    x = x / (np.sqrt(np.mean(x**2)) + 1e-9) * 0.1
    if chance.random() < 0.06:  # pumping with the beat
        gain = np.ones_like(x)
        for beat in truth["beats"]:
            at, length = int(beat * rate), int(0.25 * rate)
            if at + length < len(x):
                gain[at : at + length] *= np.linspace(0.25, 1, length)
        x = x * gain
    if chance.random() < 0.45:  # loud masters
        drive = 10 ** (chance.uniform(3, 14) / 20)
        x = np.tanh(x * drive) / drive
    if truth["ending"] == "fade":
        length = int(min(chance.uniform(3, 12), truth["end_s"] / 3) * rate)
        end = int(truth["end_s"] * rate)
        x = x[:end]
        x[-length:] *= np.linspace(1, 0, length) ** chance.choice([1, 2])
    elif truth["ending"] == "cold":
        x = x[: int((truth["end_s"] + chance.uniform(0, 2)) * rate)]
    if chance.random() < 0.3:
        x = x + np.random.default_rng(truth["seed"]).standard_normal(len(x)) * 10 ** (chance.uniform(-75, -48) / 20)
    return x / (np.abs(x).max() + 1e-9) * chance.uniform(0.1, 0.98)


def render(job):
    out, seed = job
    if (out / f"{seed}.npy").exists():
        return 0.0
    notes, truth = compose(seed)
    chance = random.Random(seed + 1_000_003)
    font = chance.choices([f for f, _ in FONTS], [w for _, w in FONTS])[0]
    with tempfile.TemporaryDirectory() as folder:
        wav = Path(folder) / "a.wav"
        x, rate = play(notes, truth["programs"], font, chance), RATE
        x = dress(x, rate, truth, chance)
        soundfile.write(wav, x, rate, subtype="PCM_16")
        subprocess.run([str(EXAMPLE), str(wav)], check=True)
        inputs = np.fromfile(f"{wav}.f32", np.float32).reshape(-1, 104)
        np.save(out / f"{seed}.npy", inputs.astype(np.float16))
    truth["programs"] = {str(k): v for k, v in truth["programs"].items()}
    (out / f"{seed}.json").write_text(json.dumps(truth))
    return len(x) / rate


if __name__ == "__main__":
    out = Path(sys.argv[1])
    out.mkdir(parents=True, exist_ok=True)
    seeds = range(int(sys.argv[2]), int(sys.argv[3]))
    with ProcessPoolExecutor(2) as pool:
        lengths = list(pool.map(render, [(out, seed) for seed in seeds]))
    print(f"{sum(lengths) / 60:.0f} minutes of music in {len(lengths)} pieces")
