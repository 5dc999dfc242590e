"""Fits the weights by which crates/core/reading/src/reading/level chooses among ways to count, and writes weights.rs.

    python tools/reading/level.py [--sets FOLDER]... [--composed DATA]... [--sequenced DATA]... [--dry]

`--sets`: folders of sound files with `.truth.json` beside them (beats), of which those of the choosing half are learned
from (see tools/eval/split.py); `--composed`: made by render.py; `--sequenced`: made by sequenced.py, of which the network
did not hear those that are taken here. Printed are eight folds over what is no composed piece, held-back composed pieces
and the reporting halves. Needs numpy, scipy and mir_eval from PyPI, and the examples level_candidates and reading_inputs.
"""
import argparse
import hashlib
import json
import os
import re
import subprocess
import sys
from pathlib import Path

import mir_eval
import numpy as np
from scipy.optimize import minimize

ROOT = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(ROOT / "tools/eval"))
from split import is_for_choosing, is_for_level  # noqa: E402

PROGRAMS = Path(os.environ.get("PROGRAMS", ROOT / "target/debug/examples"))
L2 = 10.0


def inputs_of(wav, cache):
    made = cache / (str(wav).replace("/", "_") + ".f32")
    if not made.exists():
        subprocess.run([str(PROGRAMS / "reading_inputs"), str(wav)], check=True)
        os.replace(f"{wav}.f32", made)
    return made


def rendered(cache, kind, path):
    raw = cache / f"{kind}_{path.stem}.f32"
    if not raw.exists():
        np.load(path.with_suffix(".npy")).astype("<f4").tofile(raw)
    return raw


def ways_of(inputs):
    return json.loads(subprocess.run([str(PROGRAMS / "level_candidates"), str(inputs)], capture_output=True, text=True, check=True).stdout)["ways"]


def piece(name, group, truth, inputs, weight):
    ways = ways_of(inputs)
    beats = mir_eval.beat.trim_beats(np.array(truth["beats"]), 0)
    if len(ways) < 2:
        return None
    f = np.array([mir_eval.beat.f_measure(beats, np.array(w["beats"]), 0.07) for w in ways])
    cmlt = np.array([mir_eval.beat.continuity(beats, np.array(w["beats"]))[1] for w in ways])
    x = np.array([w["features"] for w in ways])
    return {"name": name, "group": group, "x": x, "f": f, "good": f + 0.2 * cmlt, "weight": weight, "cmlt": cmlt, "composed": False}


def loss(w, pieces, z, l2=L2):
    total, gradient = 0.5 * l2 * float(w @ w), l2 * w
    for p, x in zip(pieces, z):
        s = x @ w
        s -= s.max()
        q = np.exp(s) / np.exp(s).sum()
        right = p["good"] >= p["good"].max() - 0.05
        total -= p["weight"] * np.log(q[right].sum() + 1e-12)
        inside = np.where(right, q, 0) / (q[right].sum() + 1e-12)
        gradient = gradient + p["weight"] * ((q - inside) @ x)
    return total, gradient


def table(label, pieces, z, w):
    rows = {}
    for p, x in zip(pieces, z):
        s = x @ w
        q = np.exp(s - s.max())
        q /= q.sum()
        order = np.argsort(-q)
        row = (p["f"][order[0]], p["cmlt"][order[0]], float(p["f"].max()), float(p["f"][order[:2]].max() > 0.9), q[order[0]], float(p["f"][order[0]] > 0.9))
        rows.setdefault(p["group"], []).append(row)
        rows.setdefault("all", []).append(row)
    print(f"{label}: F, CMLt, best candidate's F, one of the first two right; said, true")
    for name, r in sorted(rows.items()):
        print(f"  {name:14s} {len(r):4d}  " + "  ".join(f"{v:.3f}" for v in np.mean(r, 0)))
    if "all" in rows:
        r = np.array(rows["all"])
        for low, high in ((0, 0.4), (0.4, 0.6), (0.6, 0.75), (0.75, 0.9), (0.9, 0.97), (0.97, 1.01)):
            own = r[(r[:, 4] >= low) & (r[:, 4] < high)]
            if len(own):
                print(f"    said {low:.2f} to {high:.2f}: {len(own):3d} pieces, said {own[:, 4].mean():.2f}, true {own[:, 5].mean():.2f}")


def rust(values):
    return "[" + ", ".join(f"{v:.5g}" if "." in f"{v:.5g}" or "e" in f"{v:.5g}" else f"{v:.5g}.0" for v in values) + "]"


def arguments():
    parser = argparse.ArgumentParser()
    for name in ("--sets", "--composed", "--sequenced"):
        parser.add_argument(name, action="append", default=[])
    parser.add_argument("--cache", default="/tmp/level-inputs")
    parser.add_argument("--composed-weight", type=float, default=0.3)
    parser.add_argument("--sequenced-weight", type=float, default=0.5)
    parser.add_argument("--l2", type=float, default=L2)
    parser.add_argument("--dry", action="store_true")
    return parser.parse_args()


def material(given):
    """What there is to learn from and to judge by: part (learn, composed, held, report), name, group, truth, file of inputs, weight."""
    cache = Path(given.cache)
    cache.mkdir(parents=True, exist_ok=True)
    for path in (p for folder in given.sets for p in sorted(Path(folder).glob("*/*.truth.json"))):
        truth = json.loads(path.read_text())
        if "beats" in truth:
            wav = path.with_name(path.name.replace(".truth.json", ".wav"))
            yield "learn" if is_for_choosing(path) else "report", path.stem, path.parent.name, truth, inputs_of(wav, cache), 1.0
    for k, path in ((k, p) for folder in given.composed for k, p in enumerate(sorted(Path(folder).glob("*.json")))):
        truth = json.loads(path.read_text())
        yield "held" if k % 5 == 4 else "composed", path.stem, truth.get("style") or truth["family"], truth, rendered(cache, "composed", path), given.composed_weight
    for path in (p for folder in given.sequenced for p in sorted(Path(folder).glob("*.json"))):
        truth = json.loads(path.read_text())
        if is_for_level(truth["source"]):
            # Two renderings of a composition say little more than one; what no drum proves says less.
            weight = (0.5 if truth["family"] == "midi" else 1.0) * (1.0 if truth["trusted"] else 0.5)
            yield "learn", path.stem, f"sequenced {truth['family']}", truth, rendered(cache, "sequenced", path), given.sequenced_weight * weight


def fitted(pieces, z, l2):
    return minimize(loss, np.zeros(z[0].shape[1]), args=(pieces, z, l2), jac=True, method="L-BFGS-B").x


def fold(piece):
    """By name: what one composition says never judges another rendering of it."""
    return int(hashlib.sha1(re.sub(r"_\d$", "", piece["name"]).encode()).hexdigest(), 16) % 8


def weights_file(folder, mean, scale, w):
    (ROOT / "crates/core/reading/src/reading" / folder / "weights.rs").write_text(
        f"//! Made by `tools/reading/{folder.split('/')[0]}.py`; do not edit.\n\nuse super::FEATURES;\n\n"
        f"/// Means of the features.\npub const MEAN: [f32; FEATURES] = {rust(mean)};\n/// Their standard deviations.\npub const SCALE: [f32; FEATURES] = {rust(scale)};\n"
        f"/// Weights.\npub const WEIGHTS: [f32; FEATURES] = {rust(w)};\n"
    )


def folds(learn, usable, z, l2):
    """What eight folds say of each piece that we did not compose, and those pieces."""
    judged = sorted((p for p in learn if not p["composed"]), key=lambda p: p["name"])
    weights = [fitted(own, z(own), l2) for own in ([p for p in usable if p["composed"] or fold(p) != k] for k in range(8))]
    return judged, [(x @ weights[fold(p)])[:, None] for p, x in zip(judged, z(judged))]


def fit(given, folder, learn, held, report, least, narrowest):
    """Fits weights to the pieces of which some way is as right as `least`, prints what they are worth, and writes them."""
    usable = [p for p in learn if p["f"].max() > least]
    stack = np.concatenate([p["x"] for p in usable])
    mean, scale = stack.mean(0), stack.std(0) + narrowest
    z = lambda pieces: [np.clip((p["x"] - mean) / scale, -4, 4) for p in pieces]
    w = fitted(usable, z(usable), given.l2)
    table("eight folds", *folds(learn, usable, z, given.l2), np.array([1.0]))
    for label, part in (("learned from", learn), ("composed, held back", held), ("reporting half", report)):
        table(label, part, z(part), w)
    if not given.dry:
        weights_file(folder, mean, scale, w)


def main():
    given = arguments()
    learn, held, report = [], [], []
    for part, name, group, truth, inputs, weight in material(given):
        p = piece(name, group, truth, inputs, weight)
        if p:
            {"learn": learn, "composed": learn, "held": held, "report": report}[part].append(dict(p, composed=part == "composed"))
    fit(given, "level", learn, held, report, least=0.85, narrowest=1e-6)

if __name__ == "__main__":
    main()
