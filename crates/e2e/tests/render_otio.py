"""Renders an OpenTimelineIO list of what was done from its sources, by itself: opentimelineio, soundfile and numpy only.

    python render_otio.py LIST.otio SOURCES OUT.wav LENGTH      # sources of 48 kHz; as many samples as LENGTH says
"""
import sys
from pathlib import Path

import numpy as np
import opentimelineio as otio
import soundfile

RATE = 48_000


def samples(time):
    return int(round(time.rescaled_to(RATE).value))


def main():
    listed, sources, out, length = otio.adapters.read_from_file(sys.argv[1]), Path(sys.argv[2]), sys.argv[3], int(sys.argv[4])
    mix = np.zeros((length, 2))
    for track in listed.audio_tracks():
        sound, at, fade = np.zeros((length + RATE, 2)), 0, None
        for item in track:
            if isinstance(item, otio.schema.Transition):
                fade = samples(item.in_offset), np.array(item.metadata["jaunty"]["gains"]["points"])
                continue
            range_ = item.source_range
            start, count = samples(range_.start_time), samples(range_.duration)
            if isinstance(item, otio.schema.Clip):
                assert not item.effects, "this cut has no change of speed"
                source = soundfile.read(sources / item.media_reference.target_url, always_2d=True)[0]
                source = source[:, [0, source.shape[1] - 1]]
                piece = lambda first, n: np.pad(source, ((0, max(0, first + n - len(source))), (0, 0)))[first : first + n]
                if fade:
                    reach, gains = fade
                    x = (np.arange(reach) + 0.5) / reach * (len(gains) - 1)
                    old, new = (np.interp(x, np.arange(len(gains)), gains[:, k])[:, None] for k in (0, 1))
                    sound[at - reach : at] = old * sound[at - reach : at] + new * piece(start - reach, reach)
                    fade = None
                sound[at : at + count] = piece(start, count)
            at += count
        points = np.array(track.metadata["jaunty"]["levels"]["points"])
        level = np.interp(np.arange(length), points[:, 0], points[:, 1])
        mix += sound[:length] * np.where(level > -119.9, 10 ** (level / 20), 0)[:, None]
    soundfile.write(out, mix, RATE, subtype="FLOAT")


main()
