"""Renders composed pieces and writes what the network hears of them.

    python tools/reading/render.py OUT FROM TO      # seeds FROM to TO; OUT/SEED.npy and OUT/SEED.json

Needs pyfluidsynth, numpy, scipy and soundfile from PyPI; ffmpeg, libfluidsynth3, fluid-soundfont-gm, timgm6mb-soundfont,
opl3-soundfont, musescore-general-soundfont-small and (songs) avldrums.lv2-soundfont from Debian; target/debug/examples/reading_inputs.
"""
import json
import os
import random
import subprocess
import sys
import tempfile
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import fluidsynth
import numpy as np
import soundfile
from compose import SONGS, compose
from scipy.signal import butter, fftconvolve, lfilter, resample_poly, sosfilt

FONTS = [
    ("/usr/share/sounds/sf2/FluidR3_GM.sf2", 40), ("/usr/share/sounds/sf2/TimGM6mb.sf2", 35), ("/usr/share/sounds/sf2/OPL-3_FM_128M.sf2", 5),
    ("/usr/share/sounds/sf3/MuseScore_General_Lite.sf3", 20),
]
# Recorded drum kits, beside those that a General MIDI font has as programs of bank 128.
KITS = [f"/usr/share/sounds/sf2/{name}_4_LV2.sf2" for name in ("Black_Pearl", "Red_Zeppelin")]
PROGRAMMED = [0, 0, 8, 16, 24, 25, 32, 40]
DISTORTED = (29, 30)
EXAMPLE = Path(os.environ.get("READING_INPUTS", Path(__file__).resolve().parents[2] / "target/debug/examples/reading_inputs"))
RATE = 44_100
synths = {}


def synth(font):
    """One synthesiser a font and process: loading a font takes longer than playing a piece."""
    if font not in synths:
        made = fluidsynth.Synth(gain=0.5, samplerate=RATE)
        synths[font] = made, made.sfload(str(font))
    return synths[font]


def sound_of(notes, player, length_s):
    """Both channels of what `player` makes of the notes, to so many seconds."""
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
    parts.append(player.get_samples(max(1, round(length_s * RATE) - now)))
    return np.concatenate(parts).reshape(-1, 2).astype(np.float32) / 32768


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
    both = sound_of(notes, player, max(end for _, end, *_ in notes) + 3.5)
    return both.mean(axis=1) if chance.random() < 0.85 else both[:, 0]


def level(x):
    return float(np.sqrt(np.mean(x**2))) + 1e-9


def amplified(x, chance):
    """A guitar through a distorting amplifier and its cabinet: filter, wave shaping, a fourth-order band of 80 Hz to 5 kHz."""
    x = sosfilt(butter(1, chance.uniform(80, 250), "high", fs=RATE, output="sos"), x / level(x))
    drive, bias = chance.uniform(4, 40), chance.uniform(0, 0.3)
    up = resample_poly(x, 2, 1)
    up = np.tanh(drive * up + bias) - np.tanh(bias) if chance.random() < 0.6 else np.clip(drive * up, -1, 1)
    x = resample_poly(up, 1, 2)
    x = sosfilt(butter(4, [chance.uniform(70, 110), chance.uniform(3500, 6000)], "band", fs=RATE, output="sos"), x)
    peak = chance.uniform(1500, 3500)
    return x + chance.uniform(0, 1.2) * sosfilt(butter(1, [peak * 0.7, peak * 1.4], "band", fs=RATE, output="sos"), x)


def compressed(x, chance):
    """Feed-forward compression: the level over a threshold is divided by a ratio, with an attack and a release."""
    step = 64
    power = np.abs(x[: len(x) // step * step]).reshape(-1, step).max(axis=1)
    attack, release = chance.uniform(0.001, 0.03), chance.uniform(0.05, 0.4)
    rise, fall = (1 - np.exp(-step / RATE / t) for t in (attack, release))
    state, held = 0.0, np.empty_like(power)
    for k, p in enumerate(power):
        state += (rise if p > state else fall) * (p - state)
        held[k] = state
    threshold = np.percentile(held, chance.uniform(20, 70)) + 1e-6
    gain = np.minimum(1, (np.maximum(held, 1e-9) / threshold) ** (1 / chance.uniform(2, 10) - 1))
    return x * np.interp(np.arange(len(x)), np.arange(len(gain)) * step + step / 2, gain)


def in_a_room(x, chance):
    """Noise that dies away, as a room's answer (Schroeder 1962 has the decay)."""
    length = chance.uniform(0.2, 2.5)
    t = np.arange(int(length * RATE)) / RATE
    answer = np.random.default_rng(chance.randrange(1 << 30)).standard_normal(len(t)) * 10 ** (-3 * t / length)
    answer = lfilter([0.4], [1, -0.6], answer)
    wet = fftconvolve(x, answer)[: len(x)]
    return x + chance.choice([0.05, 0.1, 0.2, 0.4]) * wet * level(x) / level(wet)


def play_song(notes, programs, chance):
    """A song: drums, guitars through an amplifier, and the rest, each treated as a mixer would."""
    length_s = max(end for _, end, *_ in notes) + 3.5
    font = chance.choices([f for f, _ in FONTS], [w for _, w in FONTS])[0]
    guitars = {c for c, p in programs.items() if p in DISTORTED}
    stems = []
    for part in ("drums", "guitars", "rest"):
        own = [n for n in notes if (n[4] == 9) == (part == "drums") and (part == "drums" or (n[4] in guitars) == (part == "guitars"))]
        if not own:
            continue
        recorded = part == "drums" and chance.random() < 0.55
        player, loaded = synth(chance.choice(KITS) if recorded else font)
        player.system_reset()
        player.set_reverb(chance.uniform(0.1, 0.9), 0.2, 0.5, 0.0 if part == "guitars" else chance.choice([0.0, 0.0, chance.uniform(0.1, 0.6)]))
        player.set_chorus_level(chance.choice([0.0, 1.0]))
        if part == "drums":
            bank, wanted = (0, 0) if recorded else (128, chance.choice(PROGRAMMED))
            if not player.sfpreset_name(loaded, bank, wanted):
                wanted = 0
            player.program_select(9, loaded, bank, wanted)
        for channel, program in programs.items() if part != "drums" else ():
            # A clean guitar into the amplifier: a sampled distortion distorts no chord.
            player.program_select(channel, loaded, 0, chance.choice([27, 28, 25]) if part == "guitars" else program)
        both = sound_of(own, player, length_s)
        x = both.mean(axis=1)
        if part == "guitars":
            x = amplified(x, chance)
        if part == "drums" and chance.random() < 0.6:
            x = compressed(x, chance)
        if chance.random() < (0.5 if part == "drums" else 0.3):
            x = in_a_room(x, chance)
        gain_db = {"drums": chance.uniform(-5, 5), "guitars": chance.uniform(-6, 3), "rest": 0.0}[part]
        stems.append(x / level(x) * 10 ** (gain_db / 20))
    length = min(map(len, stems))
    x = sum(stem[:length] for stem in stems)
    return compressed(x, chance) if chance.random() < 0.6 else x


def encoded(x, chance):
    """The sound after a lossy encoder, as files from shelves and phones are."""
    form, codec, low, high = chance.choice([("mp3", "libmp3lame", 64, 160), ("m4a", "aac", 64, 160), ("ogg", "libvorbis", 64, 160), ("opus", "libopus", 40, 128)])
    with tempfile.TemporaryDirectory() as folder:
        wav, coded, back = (f"{folder}/{name}" for name in ("a.wav", f"b.{form}", "c.wav"))
        soundfile.write(wav, x, RATE, subtype="PCM_16")
        for command in ([wav, "-c:a", codec, "-b:a", f"{chance.randint(low, high)}k", coded], [coded, "-ar", str(RATE), back]):
            subprocess.run(["ffmpeg", "-v", "error", "-y", "-threads", "1", "-i", *command], check=True, stdin=subprocess.DEVNULL)
        return soundfile.read(back)[0]


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


def heard(path):
    """What the network hears of a sound file."""
    subprocess.run([str(EXAMPLE), str(path)], check=True)
    inputs = np.fromfile(f"{path}.f32", np.float32).reshape(-1, 104)
    os.remove(f"{path}.f32")
    return inputs.astype(np.float16)


# What a drum of General MIDI level 1 is to a listener.
KICKS, SNARES, CYMBALS = (35, 36), (37, 38, 39, 40), (42, 44, 46, 49, 51, 52, 53, 55, 57, 59)


def told(notes, truth):
    """What the notes say that is no grid: times of drums, of bass notes, of any attack."""
    drum = lambda pitches: [n[0] for n in notes if n[4] == 9 and n[2] in pitches]
    low = [n[0] for n in notes if n[4] != 9 and n[2] < 50]
    return {"kick": drum(KICKS), "snare": drum(SNARES), "cymbal": drum(CYMBALS), "bass": sorted(set(low)), "attack": sorted({n[0] for n in notes})}


def render(job):
    out, seed = job
    if (out / f"{seed}.json").exists():
        return 0.0
    notes, truth = compose(seed)
    chance = random.Random(seed + 1_000_003)
    if truth["style"]:
        x = play_song(notes, truth["programs"], chance)
    else:
        x = play(notes, truth["programs"], chance.choices([f for f, _ in FONTS], [w for _, w in FONTS])[0], chance)
    x = dress(x, RATE, truth, chance)
    if seed >= SONGS and chance.random() < 0.4:
        x = encoded(x, chance)
    with tempfile.TemporaryDirectory() as folder:
        wav = Path(folder) / "a.wav"
        soundfile.write(wav, x, RATE, subtype="PCM_16")
        if os.environ.get("KEEP_SOUND"):
            soundfile.write(out / f"{seed}.wav", x, RATE, subtype="PCM_16")
        np.save(out / f"{seed}.npy", heard(wav))
    truth["programs"] = {str(k): v for k, v in truth["programs"].items()}
    truth["told"] = told(notes, truth)
    (out / f"{seed}.json").write_text(json.dumps(truth))
    return len(x) / RATE


if __name__ == "__main__":
    out = Path(sys.argv[1])
    out.mkdir(parents=True, exist_ok=True)
    seeds = range(int(sys.argv[2]), int(sys.argv[3]))
    with ProcessPoolExecutor(int(os.environ.get("WORKERS", "2"))) as pool:
        lengths = list(pool.map(render, [(out, seed) for seed in seeds]))
    print(f"{sum(lengths) / 60:.0f} minutes of music in {len(lengths)} pieces")
