"""Fits the model that tells music, speech and room sounds apart, and writes weights.rs.

    python tools/kind/train.py FEATURES WORKDIR     # FEATURES: target/debug/examples/kind_features; ROOT=where packages are unpacked

Needs numpy, scipy, scikit-learn, soundfile and pyfluidsynth from PyPI, ffmpeg and espeak-ng, what tools/reading/render.py needs, and
as material these packages of Debian: asterisk-core-sounds-{en,es,fr,it,ru}-wav (speech), asterisk-moh-opsound-wav,
wesnoth-1.16-music, singularity-music, supertux-data, hedgewars-data, widelands-data, megaglest-data, enigma-data (music),
wesnoth-1.16-data and minetest-data (room sounds), 0ad-data (its archive unpacked as tools/eval/kinds.py does) and redeclipse-data
(half of their places). Further speech is spoken by espeak-ng, further room sounds are made here from
noise, further music (metal, choirs, solo instruments, drones) is composed. A third of the files is held back by a hash of their
names. What judges besides, and teaches nothing: JUDGES.
"""
import glob
import hashlib
import json
import os
import random
import subprocess
import sys
from pathlib import Path

import numpy as np
from scipy.io import wavfile
from scipy.signal import butter, fftconvolve, resample_poly, sosfilt
from sklearn.neural_network import MLPClassifier

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "reading"))
from compose import compose  # noqa: E402
from render import play, play_song  # noqa: E402

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "eval"))
from split import is_for_kind  # noqa: E402

RATE = 48000
ROOT = os.environ.get("ROOT", "/")
KINDS = ["music", "speech", "room"]
HIDDEN = 6
# To call music a room does more harm than the other way round.
MUSIC_WEIGHT = 4
MUSIC = ["wesnoth-1.16-music", "asterisk-moh-opsound-wav", "singularity-music", "supertux-data", "hedgewars-data", "widelands-data", "megaglest-data", "enigma-data"]
# Packages that only judge, and what they hold: no speech and no places yet.
JUDGES = {
    "music": ["fretsonfire-songs-muldjord", "fretsonfire-songs-sectoid", "warzone2100-music", "nexuiz-music", "hyperrogue-music", "ufoai-music", "asc-music", "lincity-ng-data", "extremetuxracer-data", "warmux-data/usr/share/games/warmux/music"],
}
TEXTS = {
    "en-gb": "The last pin went in on a Sunday. We carried it up the ladder in pieces, and nobody dared to speak. Then the rain came over the square.",
    "en-us": "Good morning. Today we look at three ways of repairing a wooden chair, without glue and without nails. First, look at the legs.",
    "de": "Am Abend saßen alle am langen Tisch. Niemand sagte etwas, bis die Glocke schlug. Dann lachten sie, und das Fest begann.",
    "fr": "Le matin, le marché ouvre à six heures. Les marchands arrivent avec leurs paniers, et tout le quartier se réveille doucement.",
    "nl": "De molen staat al driehonderd jaar aan het water. Elke zaterdag draait hij weer, als de wind het toelaat.",
    "es": "El tren sale a las nueve. Quien llega tarde, espera en el andén y mira las montañas, que están cubiertas de nieve.",
    "pl": "Zegar na wieży stanął zimą. Nikt nie miał rysunków, a mistrz dawno już nie żył. Trzeba było zacząć od nowa.",
    "sv": "Det var en gång en klocka som ingen kunde laga. Varje torsdag kom de tillbaka, efter arbetet, i kylan.",
}


def load(path, seconds=40):
    raw = subprocess.run(
        ["ffmpeg", "-v", "error", "-t", str(seconds), "-i", str(path), "-map", "0:a:0", "-ac", "1", "-ar", str(RATE), "-f", "f32le", "-"], capture_output=True
    ).stdout
    return np.frombuffer(raw, np.float32).copy()


def low_pass(x, hz):
    return sosfilt(butter(4, hz, fs=RATE, output="sos"), x).astype(np.float32)


def band(x, low, high):
    return sosfilt(butter(2, [low, high], "band", fs=RATE, output="sos"), x).astype(np.float32)


def dress(x, chance, noise=True):
    """The same treatment for every kind, so that the recording does not give the kind away."""
    x = x / (np.sqrt(np.mean(x**2)) + 1e-9) * 10 ** (chance.uniform(-34, -14) / 20)
    if chance.random() < 0.35:
        x = low_pass(x, chance.choice([3400, 5000, 8000]))
    if chance.random() < 0.3:
        length = int(RATE * chance.uniform(0.1, 0.8))
        tail = np.random.default_rng(chance.randint(0, 1 << 30)).standard_normal(length) * np.exp(-np.arange(length) / (length / 6))
        tail[0] = 8.0
        x = fftconvolve(x, tail / np.sqrt(np.sum(tail**2)))[: len(x)]
    rng = np.random.default_rng(chance.randint(0, 1 << 30))
    if noise and chance.random() < 0.35:
        # Noise that is heard, of any colour, up to 6 dB below what is recorded.
        colour = chance.choice([lambda w: w, lambda w: low_pass(w, 300), lambda w: low_pass(w, 2000), lambda w: band(w, 300, 3400)])
        under = colour(rng.standard_normal(len(x)).astype(np.float32))
        x = x + under / np.sqrt(np.mean(under**2)) * np.sqrt(np.mean(x**2)) * 10 ** (-chance.uniform(6, 30) / 20)
    elif noise and chance.random() < 0.6:
        x = x + rng.standard_normal(len(x)) * 10 ** (chance.uniform(-80, -48) / 20)
    return np.clip(x, -1, 1).astype(np.float32)


def speech_from_prompts(folder, chance):
    files = sorted(p for end in ("wav", "ogg") for p in glob.glob(f"{folder}/**/*.{end}", recursive=True))
    out = []
    for _ in range(300):
        if sum(map(len, out)) >= 25 * RATE:
            break
        voice = load(chance.choice(files), 8)
        if len(voice) > RATE * 0.4:
            out += [voice, np.zeros(int(RATE * chance.uniform(0.05, 1.6)), np.float32)]
    return np.concatenate(out)


def speech_from_espeak(language, variant, speed, pitch, workdir):
    path = workdir / "spoken.wav"
    subprocess.run(["espeak-ng", "-v", f"{language}{variant}", "-s", str(speed), "-p", str(pitch), "-w", str(path), TEXTS[language]], check=True)
    return load(path)


def room(kind, chance):
    rng = np.random.default_rng(chance.randint(0, 1 << 30))
    n = 25 * RATE
    t = np.arange(n) / RATE
    white = rng.standard_normal(n).astype(np.float32)
    slow = lambda hz: np.interp(t, np.arange(0, 26, 1 / hz), rng.uniform(0.3, 1.0, len(np.arange(0, 26, 1 / hz))))
    brown = lambda: low_pass(white, chance.uniform(150, 700))
    bursts = lambda rate, length, make: sum_bursts(n, rate, length, make, rng)
    if kind == "wind":
        return brown() * slow(0.7) + 0.2 * band(white, 300, 1500) * slow(1.5) ** 2
    if kind == "rain":
        return 0.4 * band(white, 800, 12000) + bursts(chance.uniform(20, 90), 0.02, lambda m: rng.standard_normal(m) * np.exp(-np.arange(m) / 120))
    if kind == "water":
        return band(white, 200, 5000) * slow(6) + 0.4 * bursts(9, 0.12, lambda m: chirp(m, rng.uniform(400, 900), rng.uniform(600, 1600)))
    if kind == "hum":
        base = chance.choice([50, 60, 47, 120])
        tone = sum(rng.uniform(0.1, 1) / h * np.sin(2 * np.pi * base * h * t + rng.uniform(0, 6)) for h in range(1, 12))
        return 0.4 * tone + chance.uniform(0.1, 0.8) * band(white, 100, 4000)
    if kind == "birds":
        song = bursts(chance.uniform(1, 5), 0.25, lambda m: chirp(m, rng.uniform(2000, 5000), rng.uniform(2000, 6500)) * (1 + np.sin(2 * np.pi * rng.uniform(10, 40) * np.arange(m) / RATE)))
        return 0.25 * brown() + 0.05 * white + 0.5 * song
    if kind == "clock":
        out = 0.02 * brown() + 0.004 * white
        period = int(RATE * chance.uniform(0.4, 1.0))
        for k, at in enumerate(range(0, n - 2400, period)):
            out[at : at + 2400] += rng.uniform(0.7, 1.0) * rng.standard_normal(2400) * np.exp(-np.arange(2400) / (150 if k % 2 else 260))
        return out
    if kind == "steps":
        return 0.03 * brown() + bursts(chance.uniform(1.2, 3), 0.09, lambda m: low_pass(rng.standard_normal(m).astype(np.float32), 900) * np.exp(-np.arange(m) / 900))
    if kind == "fire":
        return 0.1 * brown() + bursts(chance.uniform(5, 25), 0.01, lambda m: rng.standard_normal(m) * np.exp(-np.arange(m) / 60) * rng.uniform(0.1, 1) ** 2)
    if kind == "traffic":
        out = 0.3 * brown()
        for _ in range(8):
            centre, width = rng.uniform(0, 25), rng.uniform(0.8, 3)
            out += band(rng.standard_normal(n).astype(np.float32), 80, rng.uniform(900, 2500)) * np.exp(-(((t - centre) / width) ** 2)) * rng.uniform(0.3, 1)
        return out
    if kind == "workshop":
        out = 0.05 * brown() + bursts(chance.uniform(0.6, 3), 0.3, lambda m: sum(np.sin(2 * np.pi * f * np.arange(m) / RATE) for f in rng.uniform(700, 5000, 5)) * np.exp(-np.arange(m) / rng.uniform(800, 3000)) / 4)
        return out + 0.2 * band(white, 1500, 6000) * (np.sin(2 * np.pi * rng.uniform(0.5, 2) * t) > 0.2) * slow(0.5)
    if kind == "engine":
        turn = 2 * np.pi * np.cumsum(chance.uniform(15, 90) * (1 + 0.03 * (slow(2) - 0.6))) / RATE
        tones = sum(rng.uniform(0.2, 1) / h**0.7 * np.sin(h * turn + rng.uniform(0, 6)) for h in range(1, 30))
        return 0.2 * tones * (1 + 0.3 * slow(4)) + chance.uniform(0.2, 1.0) * band(white, 60, chance.uniform(800, 5000)) * (1 + 0.4 * np.sin(turn))
    if kind == "insects":
        rate = chance.uniform(4, 40)
        tone = sum(np.sin(2 * np.pi * chance.uniform(2500, 7000) * t + 3 * np.sin(2 * np.pi * chance.uniform(20, 80) * t)) * (np.sin(2 * np.pi * rate * t * k + rng.uniform(0, 6)) > 0) for k in (1, 0.37))
        return 0.2 * brown() + 0.05 * white + 0.1 * tone * slow(0.5)
    if kind == "tone":
        return 0.05 * white + 0.02 * brown()
    raise SystemExit(kind)


ROOMS = ["wind", "rain", "water", "hum", "birds", "clock", "steps", "fire", "traffic", "workshop", "engine", "insects", "tone"]


def chirp(m, f0, f1):
    return np.sin(2 * np.pi * np.cumsum(np.linspace(f0, f1, m)) / RATE) * np.hanning(m)


def sum_bursts(n, rate, length, make, rng):
    out = np.zeros(n)
    m = int(length * RATE)
    for at in rng.uniform(0, n - m, int(n / RATE * rate)).astype(int):
        out[at : at + m] += rng.uniform(0.2, 1) * make(m)
    return out.astype(np.float32)


def babble(workdir, chance):
    """Many voices at once are a room, not a narration."""
    total = np.zeros(25 * RATE, np.float32)
    for _ in range(chance.randint(9, 16)):
        language = chance.choice(sorted(TEXTS))
        voice = speech_from_espeak(language, chance.choice(["", "+f2", "+m3", "+f4", "+m7"]), chance.randint(130, 190), chance.randint(20, 80), workdir)
        voice = np.roll(np.resize(np.concatenate([voice, np.zeros(RATE // 2, np.float32)]), len(total)), chance.randint(0, len(total)))
        total += voice * chance.uniform(0.3, 1)
    return fftconvolve(total, np.exp(-np.arange(RATE // 2) / 6000) * np.random.default_rng(1).standard_normal(RATE // 2))[: len(total)]


def drone(chance):
    """Tones that are held for long, some beating, some with noise: the bed of many a film."""
    rng = np.random.default_rng(chance.randint(0, 1 << 30))
    t = np.arange(25 * RATE) / RATE
    base = 440 * 2 ** ((chance.randint(30, 60) - 69) / 12)
    out = np.zeros(len(t))
    for step in chance.sample([0, 7, 12, 15, 16, 19, 24, 31], chance.randint(2, 5)):
        for detune in (0, chance.uniform(0.001, 0.006)):
            hz = base * 2 ** (step / 12) * (1 + detune)
            swell = 0.6 + 0.4 * np.sin(2 * np.pi * chance.uniform(0.02, 0.2) * t + chance.uniform(0, 6))
            out += swell * sum(rng.uniform(0.2, 1) / h ** chance.uniform(1, 2) * np.sin(2 * np.pi * hz * h * t + rng.uniform(0, 6)) for h in range(1, 8))
    return out + chance.choice([0, 0.1, 0.5]) * band(rng.standard_normal(len(t)).astype(np.float32), 200, 3000)


def long_sounds(packages):
    """Sounds of a package that are large enough to be pieces, but for those of places."""
    every = lambda package: (p for end in ("ogg", "wav", "mp3") for p in glob.glob(f"{ROOT}/{package}/**/*.{end}", recursive=True))
    return sorted(p for package in packages for p in every(package) if os.path.getsize(p) > 500_000 and "/sounds/" not in p)


def material(workdir):
    """Yields (kind, name, samples)."""
    chance = random.Random(11)
    for path in long_sounds(MUSIC):
        whole = load(path, 80)
        for start in (0, 1):
            part = whole[start * 40 * RATE :][: 30 * RATE]
            if len(part) > 5 * RATE:
                yield "music", f"{path}#{start}", dress(part, chance)
    for seed in range(20_000, 20_080):
        notes, truth = compose(seed)
        own = random.Random(seed)
        own_music = play_song(notes, truth["programs"], own) if truth["style"] else play(notes, truth["programs"], "/usr/share/sounds/sf2/FluidR3_GM.sf2", own)
        at = own.randrange(0, max(1, len(own_music) - 30 * 44_100))
        part = resample_poly(own_music[at : at + 30 * 44_100], 160, 147)
        yield "music", f"composed {truth['style'] or truth['family']}#{seed}", dress(part, chance)
    for take in range(40):
        yield "music", f"drone#{take}", dress(drone(chance), chance)
    for folder in sorted(glob.glob(f"{ROOT}/**/asterisk/sounds/*", recursive=True)):
        for take in range(24):
            spoken = speech_from_prompts(folder, chance)
            if take % 3 == 2:
                place = room(chance.choice(ROOMS), chance)
                spoken = spoken + np.resize(place, len(spoken)) / np.sqrt(np.mean(place**2)) * np.sqrt(np.mean(spoken**2)) * 10 ** (-chance.uniform(8, 25) / 20)
            yield "speech", f"{folder}#{take}", dress(spoken, chance)
    for language in sorted(TEXTS):
        for variant in ("", "+f2", "+f5", "+m4", "+m7", "+whisper"):
            voice = speech_from_espeak(language, variant, chance.randint(120, 185), chance.randint(20, 75), workdir)
            yield "speech", f"espeak {language}{variant}", dress(voice, chance)
    for path in sorted(glob.glob(f"{ROOT}/**/wesnoth/1.16/data/core/sounds/ambient/*.ogg", recursive=True) + glob.glob(f"{ROOT}/**/minetest*/**/sounds/*.ogg", recursive=True)):
        samples = load(path, 30)
        if len(samples) > 1.5 * RATE:
            yield "room", path, dress(samples, chance)
    for path in sorted(glob.glob(f"{ROOT}/0ad-data/**/audio/ambient/**/*.ogg", recursive=True) + glob.glob(f"{ROOT}/redeclipse-data/**/sounds/ambience/*.ogg", recursive=True)):
        samples = load(path, 60)
        if is_for_kind(path) and len(samples) > 5 * RATE:
            for take in range(3):
                yield "room", f"{path}#{take}", dress(samples[take * len(samples) // 4 :][: 30 * RATE], chance)
    for kind in ROOMS:
        for take in range(16):
            yield "room", f"{kind}#{take}", dress(room(kind, chance), chance)
    for take in range(14):
        yield "room", f"babble#{take}", dress(babble(workdir, chance), chance)


def held_back(name):
    return hashlib.sha1(name.split("#")[0].encode() if "/" in name else name.encode()).digest()[0] < 85


def main():
    program, workdir = sys.argv[1], Path(sys.argv[2])
    workdir.mkdir(parents=True, exist_ok=True)
    def told(samples, index):
        if len(samples) < RATE:
            return []
        path = workdir / f"{index}.wav"
        wavfile.write(path, RATE, (np.clip(samples, -1, 1) * 32767).astype(np.int16))
        line = subprocess.run([program, str(path)], capture_output=True, text=True, check=True).stdout
        path.unlink()
        return json.loads(line)["stretches"]

    def all_rows():
        rows = [(kind, name, told(samples, index)) for index, (kind, name, samples) in enumerate(material(workdir)) if len(samples) >= RATE]
        judges = [(kind, path, told(load(path, 60), "judge")) for kind, packages in JUDGES.items() for path in long_sounds(packages)]
        return [r for r in rows if r[2]], [r for r in judges if r[2]]

    # What was described stays beside, so that the fit can be done again without the sounds.
    described = workdir / "described.json"
    if not described.exists():
        described.write_text(json.dumps(all_rows()))
    rows, judges = json.loads(described.read_text())
    train = [r for r in rows if not held_back(r[1])]
    x = np.array([s for r in train for s in r[2]])
    y = np.array([KINDS.index(r[0]) for r in train for _ in r[2]])
    # Every kind counts the same, and every file of a kind.
    weight = np.array([1 / len(r[2]) / sum(q[0] == r[0] for q in train) for r in train for _ in r[2]])
    mean, scale = x.mean(0), x.std(0)
    z = lambda values: np.clip((np.array(values) - mean) / scale, -4, 4)
    # The network has no weights of rows: each row comes as often as it weighs.
    rng = np.random.default_rng(3)
    weight[y == 0] *= MUSIC_WEIGHT
    rows_drawn = rng.choice(len(x), 60_000, p=weight / weight.sum())
    model = MLPClassifier((HIDDEN,), activation="relu", alpha=0.3, max_iter=25, random_state=3, learning_rate_init=0.002).fit(z(x)[rows_drawn], y[rows_drawn])
    order = [list(model.classes_).index(k) for k in range(3)]
    show = lambda a: "[" + ", ".join(f"{v:.5}" if "." in f"{v:.5}" or "e" in f"{v:.5}" else f"{v:.5}.0" for v in a) + "]"
    rows_of = lambda a: "[\n" + "".join(f"    {show(row)},\n" for row in a) + "]"
    out = Path(__file__).parents[2] / "crates/core/reading/src/kind/weights.rs"
    out.write_text(
        "//! Made by `tools/kind/train.py`; do not edit.\n\nuse super::FEATURES;\n\n"
        + f"/// Units between the features and the kinds.\npub const HIDDEN: usize = {HIDDEN};\n"
        + f"/// Means of the features.\npub const MEAN: [f32; FEATURES] = {show(mean)};\n"
        + f"/// Their standard deviations.\npub const SCALE: [f32; FEATURES] = {show(scale)};\n"
        + f"/// Weights of each unit.\npub const UNITS: [[f32; FEATURES]; HIDDEN] = {rows_of(model.coefs_[0].T)};\n"
        + f"/// Bias of each unit.\npub const UNIT_BIAS: [f32; HIDDEN] = {show(model.intercepts_[0])};\n"
        + f"/// Weights of each kind: music, speech, room.\npub const WEIGHTS: [[f32; HIDDEN]; 3] = {rows_of(model.coefs_[1].T[order])};\n"
        + f"/// Bias of each kind.\npub const BIAS: [f32; 3] = {show(model.intercepts_[1][order])};\n"
    )

    def judge(row):
        p = model.predict_proba(z(row[2])).mean(0)[order]
        return KINDS[int(p.argmax())], p.max()

    for label, part in (("fitted on", train), ("held back", [r for r in rows if held_back(r[1])]), ("judging packages", judges)):
        print(f"{label}: {len(part)} files")
        for kind in KINDS:
            own = [r for r in part if r[0] == kind]
            said = [judge(r)[0] for r in own]
            print(f"  {kind:7s} {len(own):4d}  " + "  ".join(f"{k} {said.count(k)}" for k in KINDS))
            for r in own:
                if judge(r)[0] != kind:
                    print("    wrong:", r[1], judge(r))


if __name__ == "__main__":
    main()
