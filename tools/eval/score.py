"""Scores the reading of sets with truth: beats, bars, tempo, sections, confidence; and how steady it is where there is none.

    python tools/eval/score.py SETFOLDER [--sets composed,game] [--per-file] [--library]
    python tools/eval/score.py --steady FILE...

A set is a folder of WAV files with `.truth.json` beside each. Every table has three columns of pieces: all of them, those of the
choosing half (what is tuned may look at them) and those of the reporting half (it may not). With --library librosa reads the same
files in the same run. Figures are mir_eval's: F (70 ms), CMLt, AMLt, F of downbeats, share of tempi within 4 %, mean distance and
mean signed distance of matched beats in ms, section boundaries at half a second and three seconds (first and last left out).
`octave`: wrong by half, double or a third; `sure`: said over .9, right then. Steady: the reading of a file cut to 60 s, encoded at
128 kb/s, turned down by 9 dB, or tilted by 3 dB has F of .9 or more with the reading of the whole.
"""
import argparse
import json
import os
import subprocess
import sys
import tempfile
import warnings
from pathlib import Path

import mir_eval
import numpy as np
from split import is_for_choosing

warnings.filterwarnings("ignore")
ROOT = Path(__file__).resolve().parents[2]
READS = Path(os.environ.get("PROGRAMS", ROOT / "target/debug/examples")) / "reads"


def reads(files):
    lines = subprocess.run([str(READS), *map(str, files)], capture_output=True, text=True, check=True).stdout.splitlines()
    return [json.loads(line) for line in lines]


def librosa_reads(files):
    import librosa

    out = []
    for file in files:
        y, rate = librosa.load(file, sr=22050)
        _, beats = librosa.beat.beat_track(y=y, sr=rate, units="time")
        out.append({"beats": list(map(float, beats)), "downbeats": list(map(float, beats[::4])), "tempo_bpm": 60 / np.median(np.diff(beats)) if len(beats) > 2 else 0})
    return out


def boundaries(truth, read):
    as_intervals = lambda spans: np.array([[s["start"], s["end"]] for s in sorted(spans, key=lambda s: s["start"]) if s["end"] > s["start"] + 1e-3])
    told, found = as_intervals(truth), as_intervals(read)
    if len(told) < 3 or len(found) < 3:
        return 0.0, 0.0
    told[1:, 0] = told[:-1, 1]
    return tuple(mir_eval.segment.detection(told, found, window, trim=True)[2] for window in (0.5, 3))


def row(truth, read):
    beats, found = np.array(truth["beats"]), np.array(sorted(set(read["beats"])))
    if len(found) < 2:
        return {"F": 0.0, "CMLt": 0.0, "AMLt": 0.0, "dF": 0.0, "tempo": 0.0, "octave": 1.0}
    continuity = mir_eval.beat.continuity(beats, found)
    out = {"F": mir_eval.beat.f_measure(beats, found, 0.07), "CMLt": continuity[1], "AMLt": continuity[3]}
    if truth.get("downbeats_trusted", True):
        out["dF"] = mir_eval.beat.f_measure(np.array(truth["downbeats"]), np.array(read["downbeats"]), 0.07) if read["downbeats"] else 0.0
    ratio = read["tempo_bpm"] / truth["tempo_bpm"] if read["tempo_bpm"] else 1e9
    out["tempo"] = float(abs(ratio - 1) <= 0.04)
    out["octave"] = float(any(abs(ratio / k - 1) <= 0.06 for k in (2, 0.5, 3, 1 / 3, 1.5, 2 / 3)))
    pairs = mir_eval.util.match_events(beats, found, 0.07)
    if pairs:
        off = np.array([found[j] - beats[i] for i, j in pairs]) * 1000
        out["|off|"], out["off"] = float(np.abs(off).mean()), float(off.mean())
    if len(truth.get("sections") or []) > 2 and "sections" in read:
        out["s.5"], out["s3"] = boundaries(truth["sections"], read["sections"])
    if "confidence" in read:
        if read["confidence"]["beats"] >= 0.9:
            out["sure"] = float(out["F"] > 0.9)
        out["said"] = read["confidence"]["beats"]
    return out


COLUMNS = ["F", "CMLt", "AMLt", "dF", "tempo", "octave", "|off|", "off", "s.5", "s3", "said", "sure"]


def line(name, rows):
    mean = lambda key: [r[key] for r in rows if key in r]
    cells = [f"{np.mean(v):7.1f}" if "off" in key and v else f"{np.mean(v):7.3f}" if v else "      -" for key in COLUMNS for v in [mean(key)]]
    return f"{name:28s}{len(rows):4d} " + "".join(cells)


def score(folder, sets, per_file, read_all):
    rows = {}
    for kind in sorted(p.name for p in Path(folder).iterdir() if p.is_dir() and not p.name.startswith(".")):
        truths = [t for t in sorted((Path(folder) / kind).glob("*.truth.json")) if "beats" in json.loads(t.read_text())]
        if not truths or (sets and kind not in sets):
            continue
        for truth, read in zip(truths, read_all([str(t).replace(".truth.json", ".wav") for t in truths])):
            half = "choosing" if is_for_choosing(truth) else "reporting"
            one = row(json.loads(truth.read_text()), read)
            if per_file:
                print(line(f"{truth.name[:24]} {half[:2]}", [one]))
            for key in ((kind, "all"), (kind, half), ("all sets", "all"), ("all sets", half)):
                rows.setdefault(key, []).append(one)
    print(f"{'':28s}{'n':>4s} " + "".join(f"{c:>7s}" for c in COLUMNS))
    for kind, half in sorted(rows):
        print(line(f"{kind}, {half}", rows[kind, half]))


def variants(file, folder):
    """The file itself and what a shelf or a person may have made of it."""
    whole = Path(folder) / "whole.wav"
    run = lambda *command: subprocess.run(["ffmpeg", "-v", "error", "-y", *map(str, command)], check=True, stdin=subprocess.DEVNULL)
    run("-t", 240, "-i", file, "-ar", 44100, whole)
    made = {}
    for name, options in {"cut to 60 s": ["-t", 60], "9 dB down": ["-af", "volume=-9dB"], "tilted": ["-af", "bass=g=3:f=500,treble=g=-3:f=2000"]}.items():
        made[name] = Path(folder) / f"{name.split()[0]}.wav"
        run("-i", whole, *options, made[name])
    run("-i", whole, "-c:a", "libmp3lame", "-b:a", "128k", Path(folder) / "a.mp3")
    made["128 kb/s"] = Path(folder) / "mp3.wav"
    run("-i", Path(folder) / "a.mp3", made["128 kb/s"])
    return whole, made


def steady(files, per_file):
    counts = {}
    for file in files:
        with tempfile.TemporaryDirectory() as folder:
            whole, made = variants(file, folder)
            reference, *others = reads([whole, *made.values()])
        for name, read in zip(made, others):
            end = min(reference["length_s"], read["length_s"]) - 1
            trim = lambda r: np.array([b for b in r["beats"] if b < end])
            f = mir_eval.beat.f_measure(trim(reference), trim(read), 0.07) if len(read["beats"]) > 1 and len(reference["beats"]) > 1 else float(len(read["beats"]) == len(reference["beats"]))
            counts.setdefault(name, []).append(f >= 0.9)
            if per_file and f < 0.9:
                print(f"{Path(file).name}: {name} {f:.2f} ({reference['tempo_bpm']:.0f} and {read['tempo_bpm']:.0f} BPM)")
    for name, same in counts.items():
        print(f"{name:14s} {sum(same)} of {len(same)} read the same")
    every = [s for same in counts.values() for s in same]
    print(f"{'together':14s} {np.mean(every):.3f}")


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("folder", nargs="*")
    parser.add_argument("--sets")
    parser.add_argument("--per-file", action="store_true")
    parser.add_argument("--library", action="store_true")
    parser.add_argument("--steady", action="store_true")
    given = parser.parse_args()
    if given.steady:
        return steady(given.folder, given.per_file)
    sets = given.sets.split(",") if given.sets else None
    for folder in given.folder:
        print(folder, "this reading")
        score(folder, sets, given.per_file, reads)
        if given.library:
            print(folder, "librosa")
            score(folder, sets, False, librosa_reads)


if __name__ == "__main__":
    sys.exit(main())
