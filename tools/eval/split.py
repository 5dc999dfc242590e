"""Which pieces of a set choose, and which only judge: every second one of each set, by a hash of the name."""
import hashlib
import re
from pathlib import Path


def is_for_choosing(truth):
    """Whether what is tuned may be tuned on the piece of this `.truth.json`."""
    truth = Path(truth)
    by_hash = sorted(truth.parent.glob("*.truth.json"), key=lambda p: hashlib.sha1(p.name.encode()).hexdigest())
    return by_hash.index(truth) % 2 == 0


def is_for_level(source):
    """Whether a piece made by sequenced.py teaches the choice of the level and not the network: every third composition."""
    composition = re.sub(r"_\d$", "", source)
    return int(hashlib.sha1(composition.encode()).hexdigest(), 16) % 3 == 0


def is_for_kind(path):
    """Whether a place of a package that also judges teaches what a room is: every second one by its name, what is numbered together."""
    name = re.sub(r"[\d_]+$", "", Path(path).stem)
    return int(hashlib.sha1(name.encode()).hexdigest(), 16) % 2 == 0
