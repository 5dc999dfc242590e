"""Fits the network that tells where sections begin, and writes its weights.

    python tools/reading/sections.py DATA      # DATA: made by render.py

Needs numpy and scikit-learn from PyPI and target/debug/examples/bar_lines. Every fifth piece is held
back; the figures printed are about those, with the bars known.
"""
import json
import subprocess
import sys
from pathlib import Path

import numpy as np
from sklearn.metrics import average_precision_score, roc_auc_score
from sklearn.neural_network import MLPClassifier
from sklearn.preprocessing import StandardScaler

ROOT = Path(__file__).resolve().parents[2]
HIDDEN = 16


def rust(values):
    return "[" + ", ".join(f"{v:.5g}" if "." in f"{v:.5g}" or "e" in f"{v:.5g}" else f"{v:.5g}.0" for v in values) + "]"


def main():
    data = Path(sys.argv[1])
    rows = {}
    for path in sorted(data.glob("*.json"), key=lambda p: int(p.stem)):
        truth = json.loads(path.read_text())
        np.load(path.with_suffix(".npy")).astype("<f4").tofile(path.with_suffix(".f32"))
        told = subprocess.run([str(ROOT / "target/debug/examples/bar_lines"), str(path)], capture_output=True, check=True, text=True).stdout
        path.with_suffix(".f32").unlink()
        x = np.array(json.loads(told)["bar_lines"])
        bars = np.array(truth["downbeats"])
        y = np.zeros(len(bars), int)
        for _, start in truth["sections"]:
            y[np.argmin(np.abs(bars - start))] = 1
        if len(x):
            rows[int(path.stem)] = x, y[1 : 1 + len(x)]
    seeds = sorted(rows)
    held, learn = seeds[::5], [s for k, s in enumerate(seeds) if k % 5]
    stack = lambda which: (np.vstack([rows[s][0] for s in which]), np.concatenate([rows[s][1] for s in which]))
    x, y = stack(learn)
    scaler = StandardScaler().fit(x)
    models = [MLPClassifier((HIDDEN,), alpha=3, max_iter=400, early_stopping=True, random_state=seed).fit(scaler.transform(x), y) for seed in range(5)]
    hx, hy = stack(held)
    scores = [(average_precision_score(hy, m.predict_proba(scaler.transform(hx))[:, 1]), m) for m in models]
    score, model = max(scores, key=lambda s: s[0])
    print(f"{len(learn)} pieces, {len(y)} bar lines, {y.sum()} sections; held back: average precision {score:.3f}, area {roc_auc_score(hy, model.predict_proba(scaler.transform(hx))[:, 1]):.3f}")
    (w1, w2), (b1, b2) = model.coefs_, model.intercepts_
    lines = ["//! Made by `tools/reading/sections.py`; do not edit.", "", "use super::features::FEATURES;", ""]
    lines += ["/// Means of the features.", f"pub const MEAN: [f32; FEATURES] = {rust(scaler.mean_)};", "/// Their standard deviations.", f"pub const SCALE: [f32; FEATURES] = {rust(scaler.scale_)};"]
    lines += ["/// Weights and bias of each hidden unit.", f"pub const HIDDEN: [([f32; FEATURES], f32); {HIDDEN}] = ["]
    lines += [f"    ({rust(w1[:, k])}, {rust([b1[k]])[1:-1]})," for k in range(HIDDEN)] + ["];"]
    lines += ["/// Weights of the hidden units.", f"pub const OUT: [f32; {HIDDEN}] = {rust(w2[:, 0])};", "/// Bias of the output.", f"pub const OUT_BIAS: f32 = {rust(b2)[1:-1]};", ""]
    (ROOT / "crates/core/reading/src/reading/sections/weights.rs").write_text("\n".join(lines))


if __name__ == "__main__":
    main()
