"""Scores where the sections of recordings are said to begin and which of them are alike, on recordings that were labelled by eye.

    python tools/eval/sections.py FOLDER     # of Debian packages, each unpacked in a folder of its name; see sections.json

Figures are mir_eval's: boundaries within half a second and three seconds (first and last left out), and pairwise F of the letters
where they were labelled. Beside them what evenly laid boundaries, as many as were labelled, would reach. Needs ffmpeg and the
example reads.
"""
import json
import sys
import tempfile
from pathlib import Path

import mir_eval
import numpy as np
from recorded import decode
from score import reads

WINDOWS_S = (0.5, 3.0)


def spans(boundaries_s, end_s):
    edges = [0.0, *[b for b in boundaries_s if 0.05 < b < end_s - 0.05], end_s]
    return np.column_stack([edges[:-1], edges[1:]])


def detection(told, found):
    return [mir_eval.segment.detection(told, found, window, trim=True) for window in WINDOWS_S]


def main():
    pieces = json.loads((Path(__file__).parent / "sections.json").read_text())["pieces"]
    with tempfile.TemporaryDirectory() as made:
        found = reads([decode(Path(sys.argv[1]), piece["from"], Path(made) / f"{k}.wav") for k, piece in enumerate(pieces)])
    rows, evenly, alike = [], [], []
    for piece, read in zip(pieces, found):
        end_s = read["length_s"]
        told = spans(piece["boundaries_s"], end_s)
        sections = sorted(read["sections"], key=lambda s: s["start"])
        heard = spans([s["start"] for s in sections[1:]], end_s)
        rows.append(detection(told, heard))
        evenly.append(detection(told, spans(np.linspace(0, end_s, len(told) + 1)[1:-1], end_s)))
        name = piece["from"][-1].rsplit("/", 2)
        print(f"{name[-2][:20]}/{name[-1]}: {len(told) - 1} told, {len(heard) - 1} found, F {rows[-1][0][2]:.2f} / {rows[-1][1][2]:.2f}")
        if "letters" in piece:
            labels = [s["label"] for s in sections] if len(sections) == len(heard) else [s["label"] for s in sections][: len(heard)]
            alike.append(mir_eval.segment.pairwise(told, list(piece["letters"]), heard, labels)[2])
    for name, table in (("read", rows), ("evenly laid", evenly)):
        p5, p3 = (np.mean([[row[w][k] for k in range(3)] for row in table], axis=0) for w in range(2))
        print(f"{name}: within .5 s precision {p5[0]:.2f}, recall {p5[1]:.2f}, F {p5[2]:.3f}; within 3 s {p3[0]:.2f}, {p3[1]:.2f}, F {p3[2]:.3f}")
    print(f"letters that agree, pairwise F {np.mean(alike):.2f} ({len(alike)} recordings)")


if __name__ == "__main__":
    main()
