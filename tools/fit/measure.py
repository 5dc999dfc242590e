"""What the splices of the fit are worth on pieces whose bars are known, beside simple ways to cut.

    python tools/fit/measure.py SET [--own] [--step 7] [--all-ends] [--only NAME]

Beds that fade or stop dead have no ending of their own and are judged with `--all-ends` only.
SET is an unpacked ../shared/eval set; its score_join.py judges the joins. Every STEP-th second from
15 s to twice a piece's length is asked for; `--own` leaves the bars to the reading instead of the truth,
`--all-ends` allows cold starts, stops and fades. Needs numpy; target/debug/examples/fit_lengths.
"""
import argparse
import json
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

ROOT = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(ROOT.parent / "shared" / "eval"))
from score_join import Piece, join  # noqa: E402

GOOD_PC = 0.9  # a bar with such pitch classes in place of the one that would have come passes for it


def run(job):
    wav, arguments = job
    truth = Path(str(wav)[:-4] + ".truth.json")
    piece = json.loads(truth.read_text())
    grid = "own" if arguments.own else str(truth)
    command = [str(ROOT / "target/debug/examples/fit_lengths"), str(wav), grid, "15", str(2 * piece["duration_s"]), str(arguments.step)]
    if not arguments.all_ends:
        command.append("natural")
    lines = subprocess.run(command, check=True, capture_output=True, text=True).stdout.splitlines()
    return wav, piece, [json.loads(line) for line in lines]


def judge(piece, edits, joins_of):
    P = Piece(piece)
    judged = [[join(P, f, t) for f, t in joins_of(e)] for e in edits]
    return judged


def describe(name, edits, solved):
    joins = [j for e in edits for j in e]
    if not joins:
        print(f"{name:<34}{solved:>8}   no joins")
        return
    pc = [j["pc_next"] for j in joins if j["pc_next"] is not None]
    good = [all(j["pc_next"] is not None and j["pc_next"] >= GOOD_PC and j["same_pos"] for j in e) for e in edits if e]
    print(
        f"{name:<34}{solved:>8}{len(joins) / len(edits):>7.2f}{np.mean(pc):>8.3f}{np.mean([p >= GOOD_PC for p in pc]):>8.3f}{np.mean([p < 0.6 for p in pc]):>8.3f}"
        f"{np.mean([j['exact'] == 'E' for j in joins]):>8.3f}{np.mean([j['same_pos'] for j in joins]):>8.3f}{np.mean([abs(j['beat_ms']) for j in joins]):>8.1f}{np.mean(good):>8.3f}"
    )


def reliability(told):
    """What splices are called (hard to hear, of 100) against how many are right: on their beat, with the next bar's pitches."""
    print("called      splices   right   mean")
    for low, high in ((95, 101), (90, 95), (80, 90), (70, 80), (60, 70), (0, 60)):
        these = [(h, r) for h, r in told if low <= h < high and r["pc_next"] is not None]
        if these:
            right = np.mean([r["pc_next"] >= GOOD_PC and r["same_pos"] for _, r in these])
            print(f"{low:>3} to {min(high, 100):<4}{len(these):>8}{100 * right:>7.0f} %{np.mean([h for h, _ in these]):>7.0f}")


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("set", type=Path)
    parser.add_argument("--own", action="store_true")
    parser.add_argument("--all-ends", action="store_true")
    parser.add_argument("--step", type=float, default=7)
    parser.add_argument("--only", default="")
    parser.add_argument("--kinds", default="composed,game,corpus", help="folders of the set")
    arguments = parser.parse_args()
    wavs = [w for kind in arguments.kinds.split(",") for w in sorted((arguments.set / kind).glob("*.wav")) if arguments.only in w.name]
    with ThreadPoolExecutor(2) as pool:
        results = list(pool.map(run, [(w, arguments) for w in wavs]))
    rows = {}
    chance = np.random.default_rng(0)
    every, told = [], []
    for wav, piece, edits in results:
        kind = wav.parent.name
        if not arguments.all_ends and not any(e["end"] == "ownEnding" for e in edits):
            continue  # it has no ending of its own to keep
        solved = [e for e in edits if arguments.all_ends or e["end"] == "ownEnding"]
        every += solved
        # What each splice was called, and whether it is right.
        told += [(j["hard"], r) for e, rs in zip(solved, judge(piece, solved, lambda e: [(j["from"], j["to"]) for j in e["joins"]])) for j, r in zip(e["joins"], rs)]
        bars = [b["start"] for b in piece["bars"]]
        end = piece["music_end_s"]

        def head_tail(e):
            # The head as far as half the length, the tail from the bar line that makes the length.
            leave = min(bars, key=lambda b: abs(b - e["length"] / 2))
            enter = min(bars, key=lambda b: abs(b - (end - (e["length"] - leave))))
            return [(leave, enter)] if leave != enter else []

        def whole_loop(e):
            return [(bars[-1], bars[0])] * int(e["length"] / end)

        def random_lines(e):
            return [tuple(chance.choice(bars[1:], 2, replace=False)) for _ in e["joins"]]

        ways = {
            "fit": (solved, lambda e: [(j["from"], j["to"]) for j in e["joins"]]), "head + tail, nearest bar line": (edits, head_tail),
            "the whole again and again": (edits, whole_loop), "random bar lines": (solved, random_lines),
        }
        for way, (of, joins_of) in ways.items():
            for k in (kind, "all"):
                row = rows.setdefault((k, way), [[], 0, 0])
                row[0] += judge(piece, of, joins_of)
                row[1] += len(of)
                row[2] += len(edits)
    print(f"{'':<34}{'solved':>8}{'joins':>7}{'pc':>8}{'good':>8}{'bad':>8}{'exact':>8}{'same':>8}{'ms':>8}{'edits':>8}")
    for kind in [*arguments.kinds.split(","), "all"]:
        for (k, way), (judged, solved, asked) in rows.items():
            if k == kind:
                describe(f"{kind}: {way}", judged, f"{100 * solved / asked:.1f} %")
    reliability(told)
    joins = [j for e in every for j in e["joins"]]
    levels = np.array([j["level_db"] for j in joins])
    ranks = np.array([j["rank"] for j in joins])
    print(f"every length exact: {all(e['exact'] for e in every)}; speed changed by {100 * np.mean([abs(e['speed'] - 1) for e in every]):.2f} % on average, {100 * max(abs(e['speed'] - 1) for e in every):.2f} % at most")
    print(f"{len(joins)} splices: level in the crossfade {np.mean(np.abs(levels)):.2f} dB off on average; {100 * np.mean(ranks <= 0.75):.0f} % surprise no more than three quarters of the bar lines, {100 * np.mean(ranks <= 0.9):.0f} % than nine tenths")


if __name__ == "__main__":
    main()
