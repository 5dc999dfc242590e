"""Fits the profiles by which crates/core/reading/src/reading/key.rs tells a key, and writes weights.rs.

    python tools/reading/key.py [--sets FOLDER]... --composed DATA... [--dry]

Learned from pieces made by render.py of which every fifth is held back. The pieces of --sets judge: composed ones say their
key, the works below have the one that their titles give (from memory); neither taught or chose anything. Printed are the share
of right keys, that share by the weights of MIREX (1 right, .5 a fifth off, .3 the relative key, .2 the parallel one), and both of
those that are likely enough to be told. Needs numpy, scipy and mir_eval from PyPI and the example key_classes.
"""
import argparse
import json
import subprocess
from pathlib import Path

import mir_eval
import numpy as np
from compose import DORIAN, HARMONIC, MINOR, Composer
from level import PROGRAMS, ROOT, inputs_of, rendered
from scipy.optimize import minimize

NAMES = ["C", "Db", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B"]
WORKS = {
    "bach_bwv66-6": "F# minor", "mozart_k458_movement1": "Bb major", "joplin_maple_leaf_rag": "Ab major", "mozart_k155_movement2": "A major",
    "beethoven_opus18no1_movement1": "F major", "corelli_opus3no1_1grave": "F major", "mozart_k458_movement2": "Bb major",
    "haydn_opus74no1_movement1": "C major", "haydn_opus1no1_movement1": "Bb major", "beethoven_opus18no1_movement4": "F major",
    "beethoven_opus59no1_movement1": "F major",
}
LEAST, L2 = 0.35, 0.3


def features(files):
    """For each file 24 keys, major ones first, with the classes from the tonic on in the half of their mode; None for little tone."""
    lines = subprocess.run([str(PROGRAMS / "key_classes"), *map(str, files)], capture_output=True, text=True, check=True).stdout.splitlines()
    for classes in (json.loads(line)["classes"] for line in lines):
        x = np.zeros((24, 2, 25))
        for tonic in range(12) if classes else ():
            turned = np.append(np.roll(classes, -tonic, 1).ravel(), 1)
            x[tonic, 0], x[12 + tonic, 1] = turned, turned
        yield x.reshape(24, 50) if classes else None


def loss(w, x, y):
    s = x @ w
    s -= s.max(1, keepdims=True)
    q = np.exp(s) / np.exp(s).sum(1, keepdims=True)
    total = -np.log(q[np.arange(len(y)), y] + 1e-12).sum() + 0.5 * L2 * w @ w
    q[np.arange(len(y)), y] -= 1
    return total, np.einsum("nk,nkd->d", q, x) + L2 * w


def name(key):
    return f"{NAMES[key % 12]} {'minor' if key >= 12 else 'major'}"


def table(label, pieces, w):
    rows = []
    for x, y in pieces:
        q = np.exp(x @ w - (x @ w).max())
        best = int(q.argmax())
        rows.append((best == y, mir_eval.key.weighted_score(name(y), name(best)), q[best] / q.sum()))
    rows = np.array(rows, float)
    told = rows[rows[:, 2] >= LEAST]
    print(f"{label:20s}{len(rows):4d} right {rows[:, 0].mean():.3f}, weighted {rows[:, 1].mean():.3f}; told {len(told):4d}, right {told[:, 0].mean():.3f}, weighted {told[:, 1].mean():.3f}, said {told[:, 2].mean():.2f}")


def main():
    parser = argparse.ArgumentParser()
    for option in ("--sets", "--composed"):
        parser.add_argument(option, action="append", default=[])
    parser.add_argument("--cache", default="/tmp/level-inputs")
    parser.add_argument("--dry", action="store_true")
    given = parser.parse_args()
    cache = Path(given.cache)
    cache.mkdir(parents=True, exist_ok=True)
    parts = {"learned from": [], "composed, held back": [], "sets: composed": [], "sets: works": []}
    for path in (p for folder in given.composed for p in sorted(Path(folder).glob("*.json")) if p.with_suffix(".npy").exists()):
        truth = json.loads(path.read_text())
        composer = Composer(truth["seed"])
        composer.write()
        y = truth["key"] + 12 * (composer.scale in (MINOR, DORIAN, HARMONIC))
        parts["composed, held back" if truth["seed"] % 5 == 4 else "learned from"].append((rendered(cache, "composed", path), y))
    for path in (p for folder in given.sets for p in sorted(Path(folder).glob("*/*.truth.json"))):
        truth = json.loads(path.read_text())
        wav = path.with_name(path.name.replace(".truth.json", ".wav"))
        work = WORKS.get(path.stem.removesuffix(".truth").partition("_")[2])
        if truth.get("key") is not None:
            parts["sets: composed"].append((inputs_of(wav, cache), truth["key"] + 12 * (truth["mode"] == "min")))
        elif work:
            tonic, mode = work.split()
            parts["sets: works"].append((inputs_of(wav, cache), NAMES.index(tonic) + 12 * (mode == "minor")))
    known = {part: [(x, y) for x, (_, y) in zip(features([f for f, _ in all]), all) if x is not None] for part, all in parts.items() if all}
    x, y = (np.array(column) for column in zip(*known["learned from"]))
    w = minimize(loss, np.zeros(50), args=(x, y), jac=True, method="L-BFGS-B").x
    for part, pieces in known.items():
        table(part, pieces, w)
    if not given.dry:
        profile = lambda half: "[" + ", ".join("[" + ", ".join(f"{v:.4f}" for v in half[k : k + 12]) + "]" for k in (0, 12)) + "]"
        (ROOT / "crates/core/reading/src/reading/key/weights.rs").write_text(
            "//! Made by `tools/reading/key.py`; do not edit.\n\n"
            f"/// Of a major key: its pitch classes from the tonic on, of everything and in the bass.\npub const MAJOR: [[f32; 12]; 2] = {profile(w[:24])};\n"
            f"/// Of a minor key.\npub const MINOR: [[f32; 12]; 2] = {profile(w[25:49])};\n"
            f"/// How much more likely major and minor are.\npub const BIAS: [f32; 2] = [{w[24]:.4f}, {w[49]:.4f}];\n"
        )


if __name__ == "__main__":
    main()
