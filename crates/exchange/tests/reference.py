"""Asks the reference packages. Each question prints JSON.

make FOLDER        writes made.otio, made.edl, drop.edl, layers.otio and prints what is seen in each
read-otio FILE     shots, markers and length of a timeline
read-edl FILE NUM  shots of an edit list at NUM frames a second
make-midi FILE     writes a tempo map with changes of tempo and metre and prints its beats and bars
read-midi FILE     beats, bars and markers of a tempo map
read-jams FILE     beats and sections of a JAMS file, which is checked against the schemas
read-cues FILE     cue points of a WAV file with their labels
captions FOLDER    writes made.vtt and made.srt and prints their cues
"""
import json
import random
import sys
from pathlib import Path

import opentimelineio as otio
from opentimelineio.opentime import RationalTime, TimeRange


def clip(name, start, length, rate):
    return otio.schema.Clip(name, source_range=TimeRange(RationalTime(start, rate), RationalTime(length, rate)))


def shots(timeline):
    """(name, start, end) of every clip of the flattened picture, from the start of the timeline."""
    tracks = otio.schema.Stack(children=[t.clone() for t in timeline.video_tracks()])
    flat = otio.algorithms.flatten_stack(tracks) if len(tracks) > 1 else tracks[0]
    seen = []
    for item in flat:
        if isinstance(item, (otio.schema.Clip, otio.schema.Stack)):
            place = flat.range_of_child(item)
            seen.append([item.name, round(place.start_time.value), round(place.end_time_exclusive().value)])
    return seen


def markers(timeline):
    found = [[m.name, round(m.marked_range.start_time.value)] for m in timeline.tracks.markers]
    for track in timeline.video_tracks():
        for item in track:
            if isinstance(item, otio.schema.Transition):
                continue
            for m in item.markers:
                at = timeline.tracks.transformed_time(RationalTime(0, 1), timeline.tracks)
                at = item.transformed_time(m.marked_range.start_time, track)
                found.append([m.name, round(at.value)])
    return sorted(found, key=lambda f: f[1])


def random_timeline(seed, rate, dissolves=True, start=0):
    chance = random.Random(seed)
    timeline = otio.schema.Timeline(f"random {seed}", global_start_time=RationalTime(start, rate))
    track = otio.schema.Track("picture", kind=otio.schema.TrackKind.Video)
    timeline.tracks.append(track)
    previous_is_clip = False
    for index in range(40):
        if chance.random() < 0.12 and index:
            track.append(otio.schema.Gap(source_range=TimeRange(RationalTime(0, rate), RationalTime(chance.randint(1, 90), rate))))
            previous_is_clip = False
            continue
        if dissolves and previous_is_clip and chance.random() < 0.25:
            half = RationalTime(chance.randint(2, 12), rate)
            track.append(otio.schema.Transition("", "SMPTE_Dissolve", in_offset=RationalTime(0, rate), out_offset=half))
        track.append(clip(f"shot{index}", chance.randint(100, 90000), chance.randint(30, 400), rate))
        if chance.random() < 0.2:
            own = track[-1].source_range
            at = own.start_time + RationalTime(chance.randint(0, int(own.duration.value) - 1), rate)
            track[-1].markers.append(otio.schema.Marker(f"M{index}", TimeRange(at, RationalTime(0, rate)), color="RED"))
        previous_is_clip = True
    return timeline


def make(folder):
    answer = {}
    for name, rate in (("made", 25), ("ntsc", 24000 / 1001)):
        timeline = random_timeline(name, rate, start=90000)
        otio.adapters.write_to_file(timeline, str(folder / f"{name}.otio"))
        answer[f"{name}.otio"] = {"shots": shots(timeline), "markers": markers(timeline), "length": round(timeline.duration().value)}
    timeline = random_timeline("edl", 25)
    (folder / "made.edl").write_text(otio.adapters.write_to_string(timeline, "cmx_3600"))
    answer["made.edl"] = {"shots": shots(timeline), "markers": markers(timeline)}
    # The adapter counts drop-frame by the separator of the library's own timecodes.
    rate = 30000 / 1001
    timeline = random_timeline("drop", rate, dissolves=False, start=0)
    text = ["TITLE: drop", "FCM: DROP FRAME", ""]
    track, base = timeline.tracks[0], round(3600 * 30 - 108)
    tc = lambda frame: RationalTime(frame, rate).to_timecode(rate, True)
    number = 0
    for item in track:
        if isinstance(item, otio.schema.Clip):
            number += 1
            place = track.range_of_child(item)
            begin, end = base + round(place.start_time.value), base + round(place.end_time_exclusive().value)
            text.append(f"{number:03d}  AX       V     C        {tc(0)} {tc(end - begin)} {tc(begin)} {tc(end)}")
            text.append(f"* FROM CLIP NAME: {item.name}")
    (folder / "drop.edl").write_text("\n".join(text) + "\n")
    answer["drop.edl"] = {"shots": shots(timeline)}
    layers = random_timeline("lower", 25, dissolves=False)
    upper = otio.schema.Track("upper", kind=otio.schema.TrackKind.Video)
    chance = random.Random("upper")
    for index in range(12):
        upper.append(otio.schema.Gap(source_range=TimeRange(RationalTime(0, 25), RationalTime(chance.randint(20, 400), 25))))
        upper.append(clip(f"over{index}", 0, chance.randint(20, 200), 25))
    layers.tracks.append(upper)
    otio.adapters.write_to_file(layers, str(folder / "layers.otio"))
    answer["layers.otio"] = {"shots": shots(layers)}
    # Compounds: stacks inside the track, cut to a part of themselves, and a track cut to a part of itself.
    nested = otio.schema.Timeline("nested", global_start_time=RationalTime(0, 25))
    outer = otio.schema.Track("outer", kind=otio.schema.TrackKind.Video)
    nested.tracks.append(outer)
    chance = random.Random("nested")
    for index in range(16):
        if index % 3:
            outer.append(clip(f"plain{index}", chance.randint(0, 500), chance.randint(30, 200), 25))
            continue
        compound = otio.schema.Stack(f"compound{index}", children=[random_timeline(f"inner{index}{n}", 25, dissolves=False).tracks[0].clone() for n in range(2)])
        if index % 2:
            compound.source_range = TimeRange(RationalTime(chance.randint(0, 50), 25), RationalTime(chance.randint(40, 300), 25))
        outer.append(compound)
    otio.adapters.write_to_file(nested, str(folder / "nested.otio"))
    answer["nested.otio"] = {"shots": shots(nested)}
    return answer


def captions(folder):
    import pysrt
    import webvtt

    lines = [(1.5, 3.0, "Nobody had drawings,"), (3.0, 4.25, "and the maker was <i>long</i> gone."), (3671.001, 3672.5, "Five &amp; six.\nSecond line.")]
    srt = pysrt.SubRipFile()
    vtt = webvtt.WebVTT()
    stamp = lambda s: f"{int(s // 3600):02d}:{int(s // 60 % 60):02d}:{s % 60:06.3f}"
    for index, (begin, end, words) in enumerate(lines, 1):
        srt.append(pysrt.SubRipItem(index, start=pysrt.SubRipTime(seconds=begin), end=pysrt.SubRipTime(seconds=end), text=words))
        vtt.captions.append(webvtt.Caption(stamp(begin), stamp(end), words.split("\n")))
    srt.save(str(folder / "made.srt"), encoding="utf-8")
    vtt.save(str(folder / "made.vtt"))
    read = webvtt.read(str(folder / "made.vtt"))
    return {
        "vtt": [[c.start_in_seconds if isinstance(c.start_in_seconds, float) else sum(float(p) * f for p, f in zip(c.start.split(":"), (3600, 60, 1))), c.text] for c in read],
        "srt": [[i.start.ordinal / 1000, i.text_without_tags] for i in pysrt.open(str(folder / "made.srt"))],
    }


def midi_beats(path):
    import mido
    import pretty_midi

    midi = pretty_midi.PrettyMIDI(path)
    file = mido.MidiFile(path)
    markers, now = [], 0.0
    for message in file:
        now += message.time
        if message.type == "marker":
            markers.append([now, message.text])
    # Without notes the library takes the file to be empty; it knows the time of every tick all the same.
    last = sum(message.time for message in file.tracks[0])
    quarters = [midi.tick_to_time(tick) for tick in range(0, last + 1, file.ticks_per_beat)]
    return {"beats": list(midi.get_beats()), "downbeats": list(midi.get_downbeats()), "quarters": quarters, "markers": markers}


def make_midi(path):
    import mido

    chance = random.Random("tempo map")
    file = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    file.tracks.append(track)
    for bars, (numerator, denominator) in ((6, (4, 4)), (5, (3, 4)), (4, (6, 8)), (3, (2, 4)), (2, (12, 8)), (5, (4, 4))):
        bar = 480 * 4 * numerator // denominator
        track.append(mido.MetaMessage("time_signature", numerator=numerator, denominator=denominator, time=0))
        for _ in range(bars):
            early = chance.randrange(0, bar)
            track.append(mido.MetaMessage("set_tempo", tempo=chance.randint(300_000, 900_000), time=early))
            track.append(mido.Message("note_on", note=60, velocity=9, time=0))
            track.append(mido.Message("note_off", note=60, time=bar - early))
    file.save(path)
    return midi_beats(path)


def main():
    question, *arguments = sys.argv[1:]
    if question == "make":
        answer = make(Path(arguments[0]))
    elif question == "read-otio":
        timeline = otio.adapters.read_from_file(arguments[0])
        answer = {
            "shots": shots(timeline), "markers": markers(timeline), "length": round(timeline.duration().value),
            "start": timeline.global_start_time.value, "rate": timeline.global_start_time.rate,
            "stills": [c.name for c in timeline.find_clips() if any(isinstance(e, otio.schema.FreezeFrame) for e in c.effects)],
        }
    elif question == "read-edl":
        timeline = otio.adapters.read_from_file(arguments[0], "cmx_3600", rate=float(arguments[1]))
        answer = {"shots": shots(timeline)}
    elif question == "make-midi":
        answer = make_midi(arguments[0])
    elif question == "read-midi":
        answer = midi_beats(arguments[0])
    elif question == "read-jams":
        import jams

        file = jams.load(arguments[0], validate=True, strict=True)
        beats = file.search(namespace="beat")[0].data
        answer = {"beats": [[o.time, o.value] for o in beats], "sections": [[o.time, o.duration, o.value] for o in file.search(namespace="segment_open")[0].data]}
    elif question == "read-cues":
        import wavinfo

        cues = wavinfo.WavInfoReader(arguments[0]).cues
        answer = [[point[1], cues.label_and_note(point[0])[0]] for point in cues.each_cue()] if hasattr(cues, "each_cue") else []
    elif question == "captions":
        answer = captions(Path(arguments[0]))
    else:
        raise SystemExit(f"unknown question {question}")
    print(json.dumps(answer))


main()
