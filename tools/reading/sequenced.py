"""Real compositions with exact beats: MIDI files, rendered with several sound fonts, and tracker modules.

    python tools/reading/sequenced.py OUT ROOT [TIMES]      # ROOT: where the packages named below are unpacked; TIMES renderings of each MIDI file

A MIDI file is taken where its attacks lie on the parts of its beats; which of half, same and double tempo is the beat is
taken from the snare, where it plays on every other beat. A module is counted by its rows: so many to the beat that its
tempo is one that people count, or as a snare proves. `trusted` says that drums proved the level. Needs mido and what
render.py needs, and libopenmpt0 from Debian.
"""
import ctypes
import gzip
import io
import json
import os
import random
import sys
import tempfile
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import mido
import numpy as np
import soundfile

from render import FONTS, RATE, dress, encoded, heard, play, play_song, told

# Free to learn from; none of them judges.
SCORES = ["simutrans-data", "freedink-data", "kobodeluxe-data", "pianobooster", "crimson", "freewheeling"]
MODULES = [
    "pekka-kana-2-data", "heroes-sound-tracks", "gl-117-data", "biniax2-data", "flobopuyo", "bomberclone-data", "vodovod", "penguin-command",
    "bb", "ri-li-data", "gemdropx", "dodgindiamond2", "vor", "vectoroids", "monsterz-data", "gweled", "cuyo-data", "ballz-data", "pachi-data",
]
SECONDS = 100
SNARES = (37, 38, 39, 40)


def backbeat(hits, beats):
    """Share of the hits that lie on every other beat (the better half of them), and how many lie on beats at all."""
    if len(hits) < 12 or len(beats) < 16:
        return 0.0, 0
    near = [int(np.argmin(np.abs(beats - h))) for h in hits if np.min(np.abs(beats - h)) < 0.03]
    odd = np.mean([k % 2 for k in near]) if near else 0.5
    return max(odd, 1 - odd) * len(near) / len(hits), len(near)


def every(beats, step, start=0):
    return beats[start::step]


def parted(beats):
    return np.sort(np.concatenate([beats, (beats[1:] + beats[:-1]) / 2]))


def midi(path):
    """Notes (start, end, pitch, velocity, channel), programs, beats and first beats of bars of a MIDI file."""
    data = path.read_bytes()
    file = mido.MidiFile(file=io.BytesIO(gzip.decompress(data) if path.suffix == ".gz" else data))
    per_quarter = file.ticks_per_beat
    tempi, metres = [(0, 500_000)], [(0, 4, 4)]
    sounding, notes, programs, last = {}, [], {}, 0
    for track in file.tracks:
        tick = 0
        for event in track:
            tick += event.time
            last = max(last, tick)
            if event.type == "set_tempo":
                tempi.append((tick, event.tempo))
            elif event.type == "time_signature":
                metres.append((tick, event.numerator, event.denominator))
            elif event.type == "program_change" and event.channel != 9:
                programs.setdefault(event.channel, event.program)
            elif event.type == "note_on" and event.velocity:
                sounding[event.channel, event.note] = tick, event.velocity
            elif event.type in ("note_on", "note_off") and (event.channel, event.note) in sounding:
                start, velocity = sounding.pop((event.channel, event.note))
                notes.append((start, tick, event.note, velocity, event.channel))
    tempi = sorted(dict(tempi).items())
    at_s = np.concatenate([[0.0], np.cumsum([(b - a) / per_quarter * t / 1e6 for (a, t), (b, _) in zip(tempi, tempi[1:])])])
    ticks = np.array([t for t, _ in tempi])

    def second(tick):
        k = int(np.searchsorted(ticks, tick, "right")) - 1
        return at_s[k] + (tick - ticks[k]) / per_quarter * tempi[k][1] / 1e6

    beats, firsts = [], []
    metres = sorted({t: (n, d) for t, n, d in metres}.items())
    for (tick, (count, unit)), until in zip(metres, [m[0] for m in metres[1:]] + [last + 1]):
        compound = unit == 8 and count % 3 == 0 and count > 3
        step = per_quarter * 4 / unit * (3 if compound else 1)
        places = count // 3 if compound else count
        for k in range(int((until - tick) / step) + 1):
            if tick + k * step < until:
                beats.append(second(tick + k * step))
                if k % places == 0:
                    firsts.append(beats[-1])
    for channel in {n[4] for n in notes} - {9}:
        programs.setdefault(channel, 0)
    return [(second(a), second(b), p, v, c) for a, b, p, v, c in notes], programs, np.array(beats), np.array(firsts)


def on_the_grid(notes, beats):
    """Share of the attacks within 20 ms of a quarter or a third of a beat, less what chance would give."""
    starts = np.array([n[0] for n in notes])
    k = np.clip(np.searchsorted(beats, starts) - 1, 0, len(beats) - 2)
    length = beats[k + 1] - beats[k]
    place = (starts - beats[k]) / length
    off = lambda parts: np.abs(place * parts - np.round(place * parts)) / parts * length
    return max(float(np.mean(off(parts) < 0.02)) - float(np.mean(np.minimum(1, 0.04 * parts / length))) for parts in (4, 3))


def counted(notes, beats, firsts):
    """The beats that the snare proves, or those of the file where they are countable; and whether it was proven."""
    snares = np.array([n[0] for n in notes if n[4] == 9 and n[2] in SNARES])
    tempo = lambda b: 60 / np.median(np.diff(b))
    levels = [beats, parted(beats), every(beats, 2, 0)]
    proven = [(backbeat(snares, b)[0], k) for k, b in enumerate(levels) if 60 < tempo(b) < 190]
    best = max(proven, default=(0, 0))
    if best[0] > 0.6 and not (proven[0][1] == 0 and proven[0][0] > best[0] - 0.1):
        return levels[best[1]], firsts, True
    if not 55 < tempo(beats) < 200:
        return None
    return beats, firsts, bool(proven and proven[0][1] == 0 and proven[0][0] > 0.6)


def from_midi(path, chance):
    notes, programs, beats, firsts = midi(path)
    if len(notes) < 100 or len(beats) < 24 or on_the_grid(notes, beats) < 0.35:
        return None
    found = counted(notes, beats, firsts)
    if found is None:
        return None
    beats, firsts, trusted = found
    first = min(n[0] for n in notes)
    start = chance.uniform(0, max(0.0, max(n[1] for n in notes) - SECONDS)) if chance.random() < 0.6 else 0.0
    start = first - 0.3 if start <= first else float(beats[np.searchsorted(beats, start)]) - chance.uniform(0.05, 0.4)
    speed = chance.uniform(0.88, 1.14)
    moved = lambda s: (s - start) / speed
    loose = chance.choice([0, 0, 0.004, 0.01])
    notes = [(max(0.0, moved(a) + chance.gauss(0, loose)), max(0.0, moved(b)), p, max(1, min(127, round(v * chance.uniform(0.85, 1.1)))), c) for a, b, p, v, c in notes if a >= start and moved(a) < SECONDS]
    notes = [(a, max(b, a + 0.03), p, v, c) for a, b, p, v, c in notes]
    if len(notes) < 80:
        return None
    end = max(n[1] for n in notes)
    keep = lambda times: [float(t) for t in moved(times) if 0 <= t <= max(n[0] for n in notes) + 0.05]
    truth = {"family": "midi", "beats": keep(beats), "downbeats": keep(firsts), "end_s": end, "trusted": trusted, "told": told(notes, {})}
    if chance.random() < 0.25:  # other players
        programs = {c: chance.randrange(0, 104) if chance.random() < 0.4 else p for c, p in programs.items()}
    drums = any(n[4] == 9 for n in notes)
    x = play_song(notes, programs, chance) if drums and chance.random() < 0.6 else play(notes, programs, chance.choices([f for f, _ in FONTS], [w for _, w in FONTS])[0], chance)
    return x, truth


def openmpt():
    library = ctypes.CDLL("libopenmpt.so.0")
    library.openmpt_module_create_from_memory.restype = ctypes.c_void_p
    for name in ("get_current_order", "get_current_row", "get_current_pattern", "get_num_channels"):
        getattr(library, f"openmpt_module_{name}").argtypes = [ctypes.c_void_p]
    library.openmpt_module_read_interleaved_float_stereo.restype = ctypes.c_size_t
    library.openmpt_module_read_interleaved_float_stereo.argtypes = [ctypes.c_void_p, ctypes.c_int32, ctypes.c_size_t, ctypes.c_void_p]
    library.openmpt_module_get_pattern_row_channel_command.restype = ctypes.c_uint8
    library.openmpt_module_get_pattern_row_channel_command.argtypes = [ctypes.c_void_p, *[ctypes.c_int32] * 4]
    library.openmpt_module_set_render_param.argtypes = [ctypes.c_void_p, ctypes.c_int, ctypes.c_int32]
    return library


def played(path):
    """The sound of a module, and its rows: (second, row of the pattern, [(note, instrument)] of the row)."""
    library, data = openmpt(), path.read_bytes()
    module = library.openmpt_module_create_from_memory(data, ctypes.c_size_t(len(data)), None, None, None)
    if not module:
        return None
    module = ctypes.c_void_p(module)
    step = 64
    buffer = (ctypes.c_float * (2 * step))()
    parts, rows, before, samples = [], [], None, 0
    channels = library.openmpt_module_get_num_channels(module)
    while samples < SECONDS * RATE:
        got = library.openmpt_module_read_interleaved_float_stereo(module, RATE, step, buffer)
        if not got:
            break
        now = library.openmpt_module_get_current_order(module), library.openmpt_module_get_current_row(module)
        if now != before:
            pattern = library.openmpt_module_get_current_pattern(module)
            cell = lambda channel, what: library.openmpt_module_get_pattern_row_channel_command(module, pattern, now[1], channel, what)
            rows.append((samples / RATE, now[1], [(n, i) for n, i in ((cell(c, 0), cell(c, 1)) for c in range(channels)) if 0 < n < 128]))
            before = now
        parts.append(np.frombuffer(buffer, np.float32)[: 2 * got].copy())
        samples += got
    return np.concatenate(parts).reshape(-1, 2).mean(1), rows


def from_module(path, chance):
    made = played(path)
    if made is None or len(made[1]) < 200:
        return None
    x, rows = made
    seconds = np.array([r[0] for r in rows])
    row_s = float(np.median(np.diff(seconds)))
    # Rows that drums of the sample kind strike: how an instrument is spread over places of a bar.
    struck = {}
    for k, (_, row, cells) in enumerate(rows):
        for note, instrument in cells:
            struck.setdefault(instrument, []).append(row)
    busy = np.array([row for _, row, cells in rows for _ in cells])
    ways = []
    for per_beat in (2, 3, 4, 6, 8, 12):
        tempo = 60 / (row_s * per_beat)
        if not 60 < tempo < 185:
            continue
        proof = max((np.mean(np.array(r) % (2 * per_beat) == per_beat) for r in struck.values() if len(r) > 12 and len(set(np.array(r) % (8 * per_beat))) < 5 * 1), default=0.0)
        ways.append((per_beat, tempo, float(proof)))
    thirds = np.mean(busy % 3 == 0) > 0.8 and np.mean(busy % 4 == 0) < 0.45
    ways = [w for w in ways if (w[0] % 3 == 0) == thirds]
    if not ways:
        return None
    proven = [w for w in ways if w[2] > 0.7]
    per_beat, _, proof = max(proven, key=lambda w: w[2]) if proven else min(ways, key=lambda w: abs(np.log(w[1] / 115)))
    if np.mean([row % per_beat == 0 for _, row, cells in rows if cells]) < 1.2 / per_beat:
        return None
    beats = [float(s) for s, row, _ in rows if row % per_beat == 0]
    gaps = np.diff(beats)
    if len(beats) < 24 or np.mean(np.abs(gaps / np.median(gaps) - 1) < 0.1) < 0.9:
        return None
    firsts = [float(s) for s, row, _ in rows if row % (4 * per_beat) == 0]
    attacks = [float(s) for s, _, cells in rows if cells]
    trusted = bool(proven)
    return x, {"family": "module", "beats": beats, "downbeats": firsts, "end_s": len(x) / RATE - 0.2, "trusted": trusted, "told": {"attack": attacks}}


def make(job):
    out, path, name, times = job
    if (out / f"{name}.json").exists():
        return "there"
    chance = random.Random(f"{name}")
    try:
        made = (from_module if times == 0 else from_midi)(path, chance)
    except (OSError, ValueError, EOFError, KeyError, IndexError, mido.midifiles.meta.KeySignatureError) as error:
        return f"{type(error).__name__}"
    if made is None:
        return "not counted"
    x, truth = made
    truth |= {"ending": "none", "seed": sum(name.encode()), "source": name, "style": ""}
    x = dress(x, RATE, truth, chance)
    if chance.random() < 0.3:
        x = encoded(x, chance)
    with tempfile.TemporaryDirectory() as folder:
        wav = Path(folder) / "a.wav"
        soundfile.write(wav, x, RATE, subtype="PCM_16")
        np.save(out / f"{name}.npy", heard(wav))
    (out / f"{name}.json").write_text(json.dumps(truth))
    return f"{truth['family']}{' proven' if truth['trusted'] else ''}"


def main():
    out, root, times = Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3]) if len(sys.argv) > 3 else 3
    out.mkdir(parents=True, exist_ok=True)
    jobs = []
    for package in SCORES:
        for path in sorted(p for p in (root / package).rglob("*.mid*") if p.stat().st_size > 3_000):
            jobs += [(out, path, f"{package}_{path.name.split('.mid')[0]}_{k}".replace(" ", "-"), k + 1) for k in range(times)]
    for package in MODULES:
        for path in sorted(p for end in ("xm", "mod", "it", "s3m") for p in (root / package).rglob(f"*.{end}") if p.stat().st_size > 20_000):
            jobs.append((out, path, f"{package}_{path.stem}".replace(" ", "-"), 0))
    with ProcessPoolExecutor(int(os.environ.get("WORKERS", "2"))) as pool:
        said = list(pool.map(make, jobs))
    print({word: said.count(word) for word in sorted(set(said))})


if __name__ == "__main__":
    main()
