"""Scores where beds are said to begin and how to end, on recordings that were labelled by eye.

    python tools/eval/edges.py FOLDER     # of Debian packages, each unpacked in a folder of its name; see edges.json

Archives among their files (.pk3) are unpacked beside themselves in a folder of their name that ends in .d. Printed are the pieces
that are read otherwise, the shares that agree, and how far first sounds and last hits lie from where they were seen. A start
agrees within .15 s, which is what an eye can tell there; one that swells out of nothing within a second.
Needs ffmpeg and the example reads.
"""
import json
import statistics
import sys
import tempfile
from pathlib import Path

from recorded import decode
from score import reads

ENDS = {"ownEnding": "own", "fadesOut": "fade", "stopsDead": "stop"}
NEAR_S, NEAR_SWELL_S = 0.15, 1.0


def is_near(piece, read):
    if "starts_s" in piece:
        return abs(read["music_start_s"] - piece["starts_s"]) <= NEAR_S
    return abs(read["music_start_s"] - piece["swells_from_s"]) <= NEAR_SWELL_S


def main():
    folder = Path(sys.argv[1])
    pieces = json.loads((Path(__file__).parent / "edges.json").read_text())["pieces"]
    with tempfile.TemporaryDirectory() as made:
        told = reads([decode(folder, piece["from"], Path(made) / f"{k}.wav") for k, piece in enumerate(pieces)])
    starts, ends, away_s = [], [], []
    for piece, read in zip(pieces, told):
        name = piece["from"][-1].split("/", 1)[0] + ": " + piece["from"][-1].rsplit("/", 1)[-1]
        if "starts_s" in piece or "swells_from_s" in piece:
            starts.append(is_near(piece, read))
            if not starts[-1]:
                print(f"{name}: starts at {piece.get('starts_s', piece.get('swells_from_s'))}, read as {read['music_start_s']:.2f}")
        if "ends" in piece:
            kind = ENDS[read["ending"]["kind"]]
            ends.append(kind == piece["ends"])
            if not ends[-1]:
                print(f"{name}: {piece['ends']}, read as {kind}")
            elif kind == "own" and "at_s" in piece:
                away_s.append(abs(read["ending"]["last_hit_s"] - piece["at_s"]))
                if away_s[-1] > 1:
                    print(f"{name}: last hit at {piece['at_s']}, read at {read['ending']['last_hit_s']:.1f}")
    print(f"starts: {sum(starts)} of {len(starts)} agree")
    print(f"endings: {sum(ends)} of {len(ends)} agree; last hits {statistics.median(away_s):.1f} s from where they were seen (median), {max(away_s):.1f} s at most")


if __name__ == "__main__":
    main()
