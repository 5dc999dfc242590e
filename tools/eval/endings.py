"""Scores how beds are said to end, on recordings that were labelled by eye.

    python tools/eval/endings.py FOLDER     # of Debian packages, each unpacked in a folder of its name; see endings.json

Printed are the pieces that are read otherwise, the share that agrees, and how far the last hit lies from where it was seen.
Needs ffmpeg and the example reads.
"""
import json
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

from score import reads

ENDS = {"ownEnding": "own", "fadesOut": "fade", "stopsDead": "stop"}


def main():
    folder = Path(sys.argv[1])
    pieces = json.loads((Path(__file__).parent / "endings.json").read_text())["pieces"]
    with tempfile.TemporaryDirectory() as made:
        files = [Path(made) / f"{k}.wav" for k in range(len(pieces))]
        for piece, file in zip(pieces, files):
            inputs = [part for path in piece["from"] for part in ("-i", str(folder / path))]
            mix = ["-filter_complex", f"amix=inputs={len(piece['from'])}:normalize=0"] if len(piece["from"]) > 1 else []
            subprocess.run(["ffmpeg", "-v", "error", "-y", *inputs, *mix, str(file)], check=True)
        told = reads(files)
    right, away_s = 0, []
    for piece, read in zip(pieces, told):
        ends = ENDS[read["ending"]["kind"]]
        right += ends == piece["ends"]
        if ends != piece["ends"]:
            print(f"{piece['from'][0]}: {piece['ends']}, read as {ends}")
        elif ends == "own":
            away_s.append(abs(read["ending"]["last_hit_s"] - piece["at_s"]))
    print(f"{right} of {len(pieces)} agree; last hits {statistics.median(away_s):.1f} s from where they were seen (median), {max(away_s):.1f} s at most")


if __name__ == "__main__":
    main()
