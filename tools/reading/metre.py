"""Fits the weights by which crates/core/reading/src/reading/metre/choice.rs counts beats in bars, and writes weights.rs.

    python tools/reading/metre.py [--sets FOLDER]... [--composed DATA]... [--sequenced DATA]... [--dry]

What is learned from, held back and reported is as in level.py; the beats are those of the ways to count that are nearest to
the truth, where they are right. Needs what level.py needs, and the example bar_candidates.
"""
import json
import subprocess

import mir_eval
import numpy as np
from level import PROGRAMS, arguments, fit, material, ways_of


def pieces(given):
    """Pieces whose beats and first beats are known, by part."""
    found = []
    for part, name, group, truth, inputs, weight in material(given):
        firsts = np.array(truth.get("downbeats") or [])
        if len(firsts) < 4 or truth.get("downbeats_trusted") is False:
            continue
        right = np.array(truth["beats"])
        ways = [[s for s in way["beats"] if s >= 0] for way in ways_of(inputs)]
        score = [mir_eval.beat.f_measure(right, np.array(beats), 0.07) for beats in ways]
        if score and max(score) > 0.9:
            found.append((part, name, group, firsts, inputs, weight, ways[int(np.argmax(score))]))
    asked = "".join(json.dumps({"file": str(p[4]), "beats": p[6]}) + "\n" for p in found)
    told = subprocess.run([str(PROGRAMS / "bar_candidates")], input=asked, capture_output=True, text=True, check=True).stdout.splitlines()
    for (part, name, group, firsts, _, weight, beats), line in zip(found, map(json.loads, told)):
        ways = line["ways"]
        if ways:
            f = np.array([mir_eval.beat.f_measure(firsts, np.array(beats[w["first"] :: w["metre"]]), 0.07) for w in ways])
            x = np.array([w["features"] for w in ways])
            yield part, {"name": name, "group": group, "x": x, "f": f, "good": f, "cmlt": f, "weight": weight, "composed": part == "composed"}


def main():
    given = arguments()
    all = list(pieces(given))
    of = lambda *parts: [p for part, p in all if part in parts]
    fit(given, "metre/choice", of("learn", "composed"), of("held"), of("report"), least=0.8, narrowest=1e-3)

if __name__ == "__main__":
    main()
