"""Scores whether music is called music, speech speech and a place a room, on recordings of packages that taught nothing.

    python tools/eval/kinds.py FOLDER     # of Debian packages, each unpacked in a folder of its name: those of edges.json and below

Music is judged as it is, the first minute of it. Speech is laid out from lines and prompts in seven languages, each passage plain,
through a telephone's band, with noise 15 dB below it, in a hall, and over a place 15 dB below it. Places are loops of at least five
seconds; the half of them that teaches is left out. Printed are the wrong ones and a table. Needs numpy, scipy and ffmpeg, and `jaunty` built.
"""
import hashlib
import json
import os
import random
import subprocess
import sys
import tempfile
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from scipy.io import wavfile
from scipy.signal import butter, fftconvolve, sosfilt
from split import is_for_kind

JAUNTY = Path(os.environ.get("JAUNTY", Path(__file__).resolve().parents[2] / "target/debug/jaunty"))
RATE = 48_000
ENDINGS = (".ogg", ".wav", ".mp3", ".opus", ".gsm")
MUSIC = [
    "0ad-data/**/audio/music", "redeclipse-data/**/sounds/music", "drascula-music", "ufoai-music", "naev-data/**/music", "colobot-common-sounds/**/music",
    "unknown-horizons/**/audio/music", "nexuiz-music", "warzone2100-music", "marsshooter-data", "starfighter-data", "wizznic-data", "hyperrogue-music", "adonthell-data",
    "noiz2sa-data", "xmoto-data", "zaz-data", "titanion-data", "fretsonfire-songs-muldjord", "fretsonfire-songs-sectoid", "asc-music", "lincity-ng-data", "extremetuxracer-data",
]
SPEECH = [
    "fillets-ng-data-cs/**/sound/*/cs", "fillets-ng-data-nl/**/sound/*/nl", "asterisk-prompt-es-co", "asterisk-prompt-fr-armelle", "unknown-horizons/**/voice/de", "unknown-horizons/**/voice/en",
    "unknown-horizons/**/voice/fr", "0ad-data/**/voice/greek", "0ad-data/**/voice/persian",
]
PLACES = [
    "0ad-data/**/audio/ambient", "redeclipse-data/**/sounds/ambience", "btanks-data/**/sounds/ambient", "lugaru-data/**/*[Ww]ind*", "lugaru-data/**/*Ambient*",
    "flightgear-data-base/**/Sounds/rain*", "flightgear-data-base/**/Sounds/wind*", "flightgear-data-base/**/Sounds/*engine*", "flightgear-data-base/**/Sounds/water-*",
    "flightgear-data-base/**/Sounds/*tires-rolling*", "unknown-horizons/**/sounds/main_square*", "unknown-horizons/**/sounds/tavern*", "unknown-horizons/**/sounds/sheepfield*",
]
# Of these half of the places teach, and are left out here.
TEACHES = ("0ad-data", "redeclipse-data")
MOST_MUSIC, PASSAGES = 170, 10


def files(folder, patterns):
    """Sounds below the folders that the patterns name, ordered by a hash of their paths."""
    found = set()
    for pattern in patterns:
        for place in folder.glob(pattern):
            found |= {p for p in ([place] if place.is_file() else place.rglob("*")) if p.is_file() and p.suffix.lower() in ENDINGS}
    return sorted(found, key=lambda p: hashlib.sha1(str(p.relative_to(folder)).encode()).hexdigest())


def load(path, seconds):
    raw = subprocess.run(["ffmpeg", "-v", "fatal", "-t", str(seconds), "-i", str(path), "-map", "0:a:0", "-ac", "1", "-ar", str(RATE), "-f", "f32le", "-"], capture_output=True).stdout
    return np.frombuffer(raw, np.float32).copy()


def level(x):
    return np.sqrt(np.mean(x**2)) + 1e-9


def passage(lines, chance):
    """Half a minute of lines with pauses between them."""
    parts = []
    while sum(map(len, parts)) < 30 * RATE:
        voice = load(chance.choice(lines), 12)
        if len(voice) > 0.4 * RATE:
            parts += [voice / level(voice) * 0.06, np.zeros(int(RATE * chance.uniform(0.2, 1.5)), np.float32)]
    return np.concatenate(parts)


def dressed(x, how, place, rng):
    if how == "telephone":
        return sosfilt(butter(4, [300, 3400], "band", fs=RATE, output="sos"), x)
    if how == "noise":
        return x + rng.standard_normal(len(x)) * level(x) * 10 ** (-15 / 20)
    if how == "hall":
        tail = rng.standard_normal(RATE // 2) * np.exp(-np.arange(RATE // 2) / 4000)
        tail[0] = 12
        return fftconvolve(x, tail / np.sqrt(np.sum(tail**2)))[: len(x)]
    if how == "over a place":
        return x + np.resize(place, len(x)) / level(place) * level(x) * 10 ** (-15 / 20)
    return x


def told(path):
    out = subprocess.run([str(JAUNTY), "kind", str(path), "--json"], capture_output=True, text=True)
    if out.returncode:
        return "none", 0.0
    answer = json.loads(out.stdout)
    return answer["kind"], answer["confidence"]


def main():
    folder, chance, rng = Path(sys.argv[1]), random.Random(5), np.random.default_rng(5)
    for archive in folder.glob("0ad-data/**/public.zip"):
        unpacked = archive.with_suffix(".d")
        if not unpacked.exists():
            with zipfile.ZipFile(archive) as inside:
                inside.extractall(unpacked, [n for n in inside.namelist() if n.startswith("audio/")])
    with tempfile.TemporaryDirectory() as made:
        rows = []

        def keep(kind, name, samples):
            path = Path(made) / f"{len(rows)}.wav"
            wavfile.write(path, RATE, (np.clip(samples / max(1.0, np.abs(samples).max()), -1, 1) * 32767).astype(np.int16))
            rows.append((kind, name, path))

        for path in [p for p in files(folder, MUSIC) if p.stat().st_size > 300_000][:MOST_MUSIC]:
            samples = load(path, 60)
            if len(samples) > 20 * RATE and level(samples) > 1e-3:
                keep("music", path.relative_to(folder), samples)
        places = [(p, x) for p in files(folder, PLACES) if not (p.relative_to(folder).parts[0] in TEACHES and is_for_kind(p)) and len(x := load(p, 60)) >= 5 * RATE]
        for path, samples in places:
            keep("room", path.relative_to(folder), samples)
        for pattern in SPEECH:
            lines = files(folder, [pattern])
            if lines:
                for n in range(PASSAGES):
                    how = ["plain", "telephone", "noise", "hall", "over a place"][n % 5]
                    keep("speech", f"{pattern} {how}", dressed(passage(lines, chance), how, chance.choice(places)[1], rng))
        with ThreadPoolExecutor(2) as pool:
            answers = list(pool.map(lambda row: told(row[2]), rows))
    for (kind, name, _), (said, sure) in zip(rows, answers):
        if said != kind:
            print(f"{kind}: {name}: {said}, {sure:.2f}")
    for kind in ("music", "speech", "room"):
        said = [a for row, (a, _) in zip(rows, answers) if row[0] == kind]
        print(f"{kind:7s}{len(said):4d}   " + "  ".join(f"{k} {said.count(k)}" for k in ("music", "speech", "room")))
    right = sum(said == row[0] for row, (said, _) in zip(rows, answers))
    harm = sum(row[0] == "music" and said == "room" and sure > 0.8 for row, (said, sure) in zip(rows, answers))
    print(f"{right} of {len(rows)} right ({100 * right / len(rows):.1f} %); music called a room with more than .8: {harm}")


if __name__ == "__main__":
    main()
