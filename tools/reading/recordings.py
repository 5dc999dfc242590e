"""Beats of recordings on which independent trackers agree, as a teacher for what nobody wrote down.

    python tools/reading/recordings.py OUT ROOT [EVERY]      # ROOT: where the packages named below are unpacked; EVERY 2 takes every second recording

Of the first ninety seconds of each recording the beats of essentia (multi-feature), librosa and the reading of the tree are
compared; where two of the three are the same (F over .9 at 70 ms; essentia and librosa only where essentia is fairly
sure), they are taken, each moved to the attack that is heard beside it. Nothing is said of
bars. Needs essentia, librosa and mir_eval from PyPI, ffmpeg, and the binaries that render.py needs, with `jaunty` beside them.
"""
import json
import os
import subprocess
import sys
import tempfile
import warnings
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

warnings.filterwarnings("ignore")
# Free to learn from; none of them judges.
PACKAGES = ["wesnoth-1.16-music", "singularity-music", "supertux-data", "hedgewars-data", "widelands-data", "megaglest-data", "enigma-data", "asterisk-moh-opsound-wav", "fb-music-high"]
SECONDS = 90
RATE = 44_100
JAUNTY = Path(os.environ.get("JAUNTY", Path(__file__).resolve().parents[2] / "target/debug/jaunty"))


def agree(a, b):
    import mir_eval

    return mir_eval.beat.f_measure(np.asarray(a), np.asarray(b), 0.07) > 0.9 if len(a) > 20 and len(b) > 20 else False


def on_attacks(beats, inputs):
    """Each beat on the strongest rise within 45 ms, then two thirds of the way to the line through its neighbours."""
    rise = inputs[:, 40:80].astype(np.float32).sum(1)
    moved = []
    for beat in beats:
        middle = (beat - 0.005) * 50
        near = [k for k in range(int(middle - 2), int(middle + 4)) if 0 <= k < len(rise)]
        weights = np.array([rise[k] ** 3 + 1e-9 for k in near])
        moved.append(float(np.dot(weights, near) / weights.sum()) / 50 + 0.005 if near else beat)
    moved = np.array(moved)
    lines = []
    for k in range(len(moved)):
        around = np.arange(max(0, k - 4), min(len(moved), k + 5))
        lines.append(np.polyval(np.polyfit(around - k, moved[around], 1), 0))
    return (moved + 2 * np.array(lines)) / 3


def learn(job):
    out, path, name = job
    if (out / f"{name}.json").exists():
        return "there"
    import essentia
    import librosa
    from render import heard

    essentia.log.warningActive = False
    import essentia.standard as es

    with tempfile.TemporaryDirectory() as folder:
        wav = Path(folder) / "a.wav"
        subprocess.run(["ffmpeg", "-v", "error", "-y", "-t", str(SECONDS), "-i", str(path), "-ac", "1", "-ar", str(RATE), str(wav)], check=True, stdin=subprocess.DEVNULL)
        x = es.MonoLoader(filename=str(wav), sampleRate=RATE)()
        if len(x) < 25 * RATE:
            return "short"
        _, ticks, sure, _, _ = es.RhythmExtractor2013(method="multifeature")(x)
        ticks = ticks - 0.015  # its frames say so much late
        _, theirs = librosa.beat.beat_track(y=librosa.resample(x, orig_sr=RATE, target_sr=22050), sr=22050, units="time")
        ours = json.loads(subprocess.run([str(JAUNTY), "read", str(wav), "--json"], capture_output=True, text=True, check=True).stdout)["beats"]
        beats = ours if agree(ours, ticks) or agree(ours, theirs - 0.02) else ticks if agree(ticks, theirs - 0.02) and sure > 2 else None
        if beats is None:
            return "no two agree"
        inputs = heard(wav)
    np.save(out / f"{name}.npy", inputs)
    truth = {"family": "recording", "source": name, "beats": [float(b) for b in on_attacks(beats, inputs)], "end_s": len(x) / RATE}
    (out / f"{name}.json").write_text(json.dumps(truth))
    return "ours" if beats is ours else "theirs"


def main():
    out, root = Path(sys.argv[1]), Path(sys.argv[2])
    out.mkdir(parents=True, exist_ok=True)
    jobs = []
    for package in PACKAGES:
        for path in sorted(p for end in ("*.ogg", "*.wav", "*.mp3") for p in (root / package).rglob(end)):
            if path.stat().st_size > 600_000:
                jobs.append((out, path, f"{package}_{path.stem}".replace(" ", "-")))
    jobs = jobs[:: int(sys.argv[3]) if len(sys.argv) > 3 else 1]
    with ProcessPoolExecutor(int(os.environ.get("WORKERS", "2"))) as pool:
        said = list(pool.map(learn, jobs))
    print({word: said.count(word) for word in sorted(set(said))})


if __name__ == "__main__":
    main()
