"""Composes music in great variety, with the truth about its beats, bars and sections.

    compose(seed) -> (notes, truth)

`notes` are (start_s, end_s, pitch, velocity, channel), `programs` in the truth says which General
MIDI program a channel has (channel 9: drums). Everything is drawn from the seed. The pieces are
what the model of `crates/core/reading/src/reading/activations` learns from; nothing that judges it is.

Positions inside the composer count beats: the felt beat, a dotted crotchet in compound time.

Seeds from SONGS on are mostly songs as bands and producers make them: one groove for long, a back-beat that
proves the tempo, riffs, strummed and distorted guitars. What they call a beat is what people would count.
"""
import random

MAJOR, MINOR, DORIAN, MIXO, HARMONIC = [0, 2, 4, 5, 7, 9, 11], [0, 2, 3, 5, 7, 8, 10], [0, 2, 3, 5, 7, 9, 10], [0, 2, 4, 5, 7, 9, 10], [0, 2, 3, 5, 7, 8, 11]
PROGRESSIONS = [
    [0, 4, 5, 3], [0, 5, 3, 4], [0, 3, 4, 4], [0, 3, 0, 4], [5, 3, 0, 4], [0, 0, 3, 4], [1, 4, 0, 0], [0, 5, 1, 4], [0, 6, 5, 4], [0, 2, 3, 4],
    [3, 4, 0, 5], [0, 4, 3, 3], [0, 6, 3, 0], [0, 0, 3, 0], [0, 3, 4, 0], [0, 4, 5, 2, 3, 0, 3, 4], [0, 0, 0, 0, 3, 3, 0, 0, 4, 3, 0, 4],
    [0, 0, 5, 5, 3, 3, 4, 4], [0, 3, 6, 2, 5, 1, 4, 0], [0, 0], [0, 6], [0, 3], [0, 0, 6, 6],
]
KEYS = [0, 1, 4, 5, 6, 7, 8, 11, 15, 46, 24, 25, 26, 27]
GUITARS = [24, 25, 26, 27, 28, 29, 30]
PADS = [48, 49, 50, 51, 52, 54, 88, 89, 90, 91, 92, 93, 94, 95, 16, 18, 19]
LEADS = [40, 41, 42, 56, 57, 60, 64, 65, 66, 68, 71, 73, 74, 75, 79, 80, 81, 82, 84, 53, 11, 12, 13, 22, 21, 104, 105, 107, 109, 110]
BASSES = [32, 33, 34, 35, 36, 37, 38, 39, 43]
BELLS = [8, 9, 10, 11, 12, 13, 14, 98, 99, 46, 112, 108, 114]
KICK, SNARE, RIM, CLAP, HAT, HALF, OPEN, RIDE, CRASH, TOMS = 36, 38, 37, 39, 42, 44, 46, 51, 49, [50, 48, 47, 45, 43, 41]


SONGS = 10_000
# Each kind of song: how often, mean tempo and its spread, the range that is counted so, divisions of a beat, drum patterns.
STYLES = {
    "ballad": (12, 74, 9, (56, 96), 4, ["back", "back", "rim", "ghost"]),
    "pop": (16, 112, 14, (84, 142), 2, ["back", "back", "four", "ghost"]),
    "rock": (18, 122, 20, (84, 176), 2, ["back", "back", "back", "ride", "toms-back"]),
    "punk": (8, 178, 14, (146, 212), 2, ["back", "d-beat"]),
    "metal": (14, 132, 28, (84, 200), 4, ["double", "double", "back", "gallop", "half-part"]),
    "dance": (12, 127, 8, (106, 150), 4, ["four", "four", "four", "break"]),
    "hop": (8, 88, 9, (66, 108), 4, ["ghost", "back", "break"]),
    "funk": (7, 104, 10, (84, 126), 4, ["ghost", "break", "back"]),
    "fast-break": (4, 170, 7, (156, 182), 2, ["two-step", "break"]),
    "folk": (8, 108, 22, (72, 168), 2, ["strum-only", "back", "shaker"]),
    "country": (5, 118, 22, (84, 200), 2, ["train", "back", "boom-chick"]),
    "latin": (5, 104, 16, (80, 132), 4, ["latin", "latin", "shaker"]),
    "shuffle": (7, 112, 22, (72, 168), 2, ["back", "swing", "ride"]),
    "slow-12": (6, 66, 10, (48, 96), 3, ["compound"]),
    "waltz": (5, 116, 30, (76, 190), 2, ["three"]),
}


class Composer:
    def __init__(self, seed):
        self.r = random.Random(seed)
        self.songs = seed >= SONGS
        self.style = None
        self.chord_changes, self.phrase_starts = [], []  # beats
        self.notes = []  # (beat, length, pitch, velocity, channel)
        self.programs = {}
        self.next_channel = 0

    # --- helpers -------------------------------------------------------------------------
    def chance(self, p):
        return self.r.random() < p

    def pick(self, *options):
        return self.r.choice(options)

    def weighted(self, table):
        names, weights = zip(*table)
        return self.r.choices(names, weights)[0]

    def channel(self, programs):
        channel = self.next_channel
        self.next_channel += 1
        if self.next_channel == 9:
            self.next_channel = 10
        channel = min(channel, 15)
        self.programs[channel] = self.r.choice(programs)
        return channel

    def note(self, beat, length, pitch, velocity, channel):
        # Accents of the metre, as strong as this player makes them.
        inside = beat - int(beat)
        bar = (beat - self.first) % self.metre
        accent = self.accent * (1.0 if bar < 0.01 else 0.4 if inside < 0.01 else -0.4)
        velocity = velocity + accent + self.r.gauss(0, self.unevenness)
        while pitch > 108:
            pitch -= 12
        while pitch < 24 and channel != 9:
            pitch += 12
        self.notes.append((beat, length, int(pitch), int(max(12, min(127, velocity))), channel))

    # --- the frame of a piece ------------------------------------------------------------
    def song_frame(self):
        """As `frame`, for a song of one of the STYLES."""
        r = self.r
        self.style = self.weighted([(name, row[0]) for name, row in STYLES.items()])
        _, mean, spread, (least, most), self.div, self.patterns = STYLES[self.style]
        self.compound = self.style == "slow-12"
        self.metre = 3 if self.style == "waltz" else r.choice([4, 4, 4, 2]) if self.compound else 4
        self.bpm = r.gauss(mean, spread)
        while not least <= self.bpm <= most:
            self.bpm = r.gauss(mean, spread)
        self.shuffle = ("8", r.uniform(0.6, 0.68)) if self.style == "shuffle" else ("16", r.uniform(0.53, 0.63)) if self.style in ("hop", "funk") and self.chance(0.4) else None
        self.scale = r.choice([MAJOR, MINOR, MINOR, DORIAN, MIXO]) if self.style in ("rock", "metal", "punk", "dance", "hop") else r.choice([MAJOR, MAJOR, MINOR, MIXO])
        self.key = r.randrange(12)
        self.accent = r.choice([0, 0, 3, 6])
        self.unevenness = r.choice([1, 3, 6])
        self.pickup = r.choice([0, 0, 0, 0, 1, 2]) % self.metre
        self.first = 0

    def song_drums(self):
        """A groove that goes on for long: a back-beat on two and four in most, with fills at the ends of phrases."""
        r, m = self.r, self.metre
        pattern = r.choice(self.patterns)
        hits = []
        snare = r.choice([SNARE, SNARE, SNARE, 40]) if pattern != "rim" else RIM
        if self.style in ("dance", "hop") and self.chance(0.4):
            snare = CLAP
        hat = r.choice([HAT, HAT, HAT, HALF, OPEN, RIDE, CRASH]) if self.style in ("rock", "metal", "punk") else r.choice([HAT, HAT, HAT, RIDE, 82, 70])
        every = lambda step, first=0.0: [first + k * step for k in range(int(round((m - first) / step)))]
        per = 3 if self.compound else r.choice([2, 2, 2, 4, 1] if self.bpm < 120 else [2, 2, 2, 1] if self.bpm < 160 else [1, 1, 2])
        backs = [b for b in range(m) if b % 2 == 1]
        cymbals = [(p, hat, 78 if p % 1 == 0 else 58) for p in every(1 / per)]
        kick = lambda *at: hits.extend((p, KICK, 104) for p in at if p < m)
        if pattern == "strum-only":
            return None
        if pattern in ("back", "rim", "ride", "toms-back"):
            kick(*r.choice([(0, 2), (0, 2), (0, 2.5), (0, 1.5, 2), (0, 2, 2.5), (0, 0.5, 2), (0, 1.5, 2.5), (0, 2, 3.5), (0, 0.5, 2.5), (0,)]))
            hits += [(b, snare, 104) for b in backs]
            hits += cymbals if pattern != "toms-back" else [(p, TOMS[4], 84) for p in every(0.5)]
        elif pattern == "ghost":
            kick(*r.choice([(0, 0.75, 2.5), (0, 1.75, 2.5), (0, 2.25, 2.5), (0, 1.5, 2.75), (0, 0.5, 1.75, 2.5), (0, 2.5, 3.75)]))
            hits += [(b, snare, 104) for b in backs] + [(p, snare, 40) for p in every(0.25) if p not in backs and self.chance(0.2)] + cymbals
        elif pattern == "break":
            kick(*r.choice([(0, 0.5, 2.5), (0, 0.5, 2.5, 2.75), (0, 1.5, 2.25, 2.5), (0, 2.5)]))
            hits += [(b, snare, 104) for b in backs] + [(p, snare, 62) for p in (1.75, 2.25, 3.75) if self.chance(0.5)] + cymbals
        elif pattern == "two-step":
            kick(*r.choice([(0, 2.5), (0, 1.5, 2.5), (0, 2, 2.5)]))
            hits += [(b, snare, 104) for b in backs] + cymbals
        elif pattern == "four":
            kick(0, 1, 2, 3)
            hits += [(b, snare, 96) for b in backs] if self.chance(0.75) else []
            hits += [(b + 0.5, OPEN, 84) for b in range(m)] if self.chance(0.7) else []
            hits += [(p, HAT, 54) for p in every(0.25)] if self.chance(0.5) else []
        elif pattern == "d-beat":
            kick(0, 1.5, 2.5)
            hits += [(b, snare, 104) for b in backs] + [(b, hat, 92) for b in range(m)]
        elif pattern in ("double", "gallop"):
            step = 0.25 if self.bpm < 150 else 0.5
            kick(*(every(step) if pattern == "double" else [b + p for b in range(m) for p in (0, 0.5, 0.75)]))
            hits += [(b, snare, 108) for b in backs] + [(b, r.choice([CRASH, RIDE, 52, hat]), 92) for b in range(m)]
        elif pattern == "half-part":
            # The bars of half a tempo stand between others that prove it.
            kick(0, *r.choice([(1.5,), (0.5, 1), (2.5, 3.5), ()]))
            hits += [(2, snare, 108)] + [(b, r.choice([CRASH, 52]), 96) for b in range(m)]
        elif pattern == "train":
            kick(0, 2)
            hits += [(p, snare, 100 if p in backs else 56) for p in every(0.5 if self.bpm > 130 else 0.25)]
        elif pattern == "boom-chick":
            kick(0, 2)
            hits += [(b, r.choice([snare, HAT]), 88) for b in backs]
        elif pattern == "shaker":
            kick(0, 2)
            hits += [(p, r.choice([70, 82, 54]), 84 if p % 1 == 0 else 56) for p in every(0.25 if self.bpm < 115 else 0.5)]
            hits += [(b, r.choice([RIM, CLAP, 54]), 84) for b in backs] if self.chance(0.7) else []
        elif pattern == "latin":
            kick(*r.choice([(0, 1.5, 2, 3.5), (0, 1.5, 3), (1.5, 3)]))
            hits += [(p, r.choice([RIM, 75, 76]), 84) for p in r.choice([[0, 0.75, 1.5, 2.5, 3], [0, 1.5, 3], [0.5, 1, 2, 2.75, 3.5]])]
            hits += [(p, 70, 78 if p % 1 == 0 else 54) for p in every(0.25)] + [(p, 64 if p % 2 < 1.75 else 62, 80) for p in (1.5, 1.75, 3.5, 3.75)]
        elif pattern == "swing":
            hits += [(b, RIDE, 84) for b in range(m)] + [(b + 0.5, RIDE, 62) for b in backs] + [(b, HALF, 84) for b in backs] + [(b, KICK, 56) for b in range(m)]
        elif pattern == "three":
            kick(0)
            hits += [(b, r.choice([snare, HALF, RIM]), 84) for b in (1, 2)] if self.chance(0.6) else [(2, snare, 96)]
            hits += [(p, hat, 66) for p in every(r.choice([0.5, 1.0]))]
        elif pattern == "compound":
            kick(*[b for b in range(0, m, 2)], *([b + 2 / 3 for b in range(0, m, 2)] if self.chance(0.4) else []))
            hits += [(b, snare, 104) for b in backs] + [(p, hat, 78 if p % 1 == 0 else 56) for p in every(1 / 3)]
        varied = hits + [(r.choice(every(0.5)), KICK, 88)]
        crash = self.chance(0.75)

        def play(start, bars, chords, loud, opens):
            if opens and crash:
                self.note(start, 1, CRASH, 108, 9)
            for bar in range(bars):
                o = start + bar * m
                fill = bar == bars - 1 and self.chance(0.75) or bar % 4 == 3 and self.chance(0.3)
                begin = m - self.r.choice([0.5, 1, 1, 2]) if fill else m
                for p, pitch, v in varied if bar % 4 == 3 else hits:
                    if p < begin:
                        self.note(o + p, 0.2, pitch, v + loud // 2, 9)
                if fill:
                    step = 1 / 3 if self.compound else 0.25 if self.bpm < 140 else 0.5
                    for k in range(int(round((m - begin) / step))):
                        if self.chance(0.85):
                            self.note(o + begin + k * step, 0.2, self.r.choice([SNARE, SNARE, *TOMS[:5]]), 88 + 3 * k, 9)

        return play

    def chug(self):
        """Power chords on a pattern of eighths or sixteenths, damped between its accents: a distorted guitar's riff."""
        r, m = self.r, self.metre
        channel = self.channel([29, 30, 30])
        step = 1 / 3 if self.compound else 0.5 if self.bpm > 128 or self.chance(0.4) else 0.25
        places = int(round(m / step))
        kind = r.choice(["eighths", "pattern", "pattern", "long", "gallop"])
        accents = sorted(r.sample(range(places), min(places, r.choice([2, 3, 4])))) if kind == "pattern" else [0]
        steps = [r.choice([0, 0, 0, 1, 3, 5, 6, -2]) for _ in range(2 * places)]

        def play(start, bars, chords, loud, opens):
            for bar in range(bars):
                row = chords[bar % len(chords)]
                for k in range(places):
                    p = k * step
                    root = self.degree(row[min(len(row) - 1, int(p * 2))], 3) - 12
                    accent = k in accents or k == 0
                    if kind == "long":
                        if p % 2 == 0:
                            for pitch in (root, root + 7, root + 12):
                                self.note(start + bar * m + p, 1.95, pitch, 96, channel)
                    elif accent:
                        tone = root + (steps[(bar % 2) * places + k] if kind == "pattern" else 0)
                        for pitch in (tone, tone + 7, tone + 12):
                            self.note(start + bar * m + p, step * 1.9, pitch, 104, channel)
                    elif kind == "eighths" or (kind == "gallop" and (p % 1) != 0.25) or (kind == "pattern" and self.chance(0.6)):
                        for pitch in (root, root + 7):
                            self.note(start + bar * m + p, step * 0.5, pitch, 84, channel)

        return play

    def song_layers(self):
        r = self.r
        heavy = self.style in ("rock", "metal", "punk")
        out = {}
        drums = self.song_drums()
        if drums:
            out["drums"] = drums
            if self.chance(0.3):
                out["drums2"] = self.song_drums() or drums
        out["bass"] = self.bass()
        if heavy or self.chance(0.1):
            out["riff"] = self.chug()
            if self.chance(0.5):
                out["riff2"] = self.chug()
        for name, p, make in [
            ("comp", 0.45 if heavy else 0.95, lambda: self.comp([24, 25, 25, 26, 27, 28, 29] if self.style in ("folk", "country", "rock") else KEYS + GUITARS)),
            ("comp2", 0.4, lambda: self.comp(KEYS + GUITARS + [80, 81, 90], r.choice([4, 5]))), ("pad", 0.4, self.pad),
            ("lead", 0.75, lambda: self.melody(LEADS + [52, 53, 54, 85, 30, 29, 65, 66, 40])), ("counter", 0.2, lambda: self.melody(LEADS + PADS, 4, 0.35)),
        ]:
            if self.chance(p):
                out[name] = make()
        return out

    # --- the frame of a piece, otherwise ---------------------------------------------------
    def frame(self, family):
        r = self.r
        metres = {
            "band": [("4", 74), ("3", 7), ("6/8", 9), ("12/8", 4), ("2", 4), ("6", 1), ("5", 1)],
            "classical": [("4", 46), ("3", 26), ("6/8", 12), ("2", 14), ("6", 2)],
            "solo": [("4", 38), ("3", 20), ("6/8", 17), ("2", 25)],
            "ambient": [("4", 70), ("3", 15), ("6/8", 15)],
            "game": [("4", 74), ("3", 10), ("6/8", 8), ("2", 8)],
        }[family]
        name = self.weighted(metres)
        self.compound = name in ("6/8", "12/8")
        self.metre = {"6/8": 2, "12/8": 4}.get(name) or int(name)
        if self.compound:
            self.bpm = r.uniform(46, 92) if family != "solo" else r.uniform(56, 120)
        elif family == "ambient":
            self.bpm = r.uniform(52, 92)
        elif family == "band":
            self.bpm = min(190, max(62, r.gauss(113, 27)))
        elif family == "game":
            self.bpm = min(200, max(68, r.gauss(128, 32)))
        elif family == "classical":
            self.bpm = min(176, max(54, r.gauss(96, 26)))
        else:
            self.bpm = min(190, max(60, r.gauss(104, 26)))
        if name == "3" and family != "ambient":
            self.bpm = min(200, max(72, r.gauss(128, 34)))
        if name == "2":
            self.bpm = min(160, max(66, r.gauss(102, 22)))
        # Cut time and busy grooves: a slower pulse with more in it.
        self.div = 3 if self.compound else (4 if self.bpm < 118 and self.chance(0.65) else 2)
        self.shuffle = None
        if not self.compound and family in ("band", "game", "solo") and self.chance(0.2):
            self.shuffle = (self.pick("8", "8", "16"), r.uniform(0.55, 0.68))
        self.scale = r.choice([MAJOR, MAJOR, MAJOR, MINOR, MINOR, DORIAN, MIXO, HARMONIC])
        self.key = r.randrange(12)
        self.accent = r.choice([0, 3, 6, 10, 16])
        self.unevenness = r.choice([1, 4, 8])
        self.pickup = r.choice([0, 0, 0, 1, 1, 2, 3]) % self.metre
        # Beat 0 is where bar 1 begins; the pickup comes before it.
        self.first = 0

    def plan(self, target_s):
        """Letters and bars of the sections, and what each letter is made of."""
        bar_s = self.metre * 60 / self.bpm
        unit = self.r.choice([8, 8, 8, 4, 4, 16] if bar_s < 2 else [4, 4, 8, 8, 2])
        forms = ["ABAB", "AABA", "ABABCB", "IABABO", "IAABBA", "AABB", "ABCABC", "IABCBO", "ABAC", "AAAA", "IABIABO", "ABACA", "AB", "IAABAABCBBO"]
        form = self.r.choice(forms)
        while len(form) * unit * bar_s < target_s * 0.7 and len(form) < 16:
            form += self.r.choice(["AB", "BA", "CB", "B", "A"])
        sections, total = [], 0.0
        for letter in form:
            bars = unit
            if letter in "IO":
                bars = self.r.choice([2, 4, 4, unit])
            elif self.chance(0.2):
                bars = self.r.choice([unit * 2, max(2, unit // 2), unit + 2, unit + 4])
            sections.append([letter, bars])
            total += bars * bar_s
            if total > target_s:
                break
        return sections

    def chords(self, bars):
        """Chord (degree) of each half bar."""
        progression = self.r.choice(PROGRESSIONS) if self.chance(0.8) else [self.r.choice([0, 0, 3, 4, 5, 1, 2, 6]) for _ in range(self.r.choice([4, 8]))]
        per_bar = self.weighted([(1, 62), (2, 18), (0.5, 14), (4, 6)])
        self.seventh = self.chance(0.3)
        slots, out = self.metre * 2, []
        for bar in range(bars):
            row = []
            for slot in range(slots):
                index = int((bar + slot / slots) * per_bar)
                row.append(progression[index % len(progression)])
            out.append(row)
        if per_bar == 1 and self.chance(0.25):
            out[-1][slots // 2:] = [self.r.choice([4, 6, 3])] * (slots - slots // 2)
        return out

    def degree(self, degree, octave):
        return 12 * octave + self.key + self.scale[degree % 7] + 12 * (degree // 7)

    def triad(self, degree, octave):
        tones = [self.degree(degree + k, octave) for k in (0, 2, 4)]
        return tones + ([self.degree(degree + 6, octave)] if self.seventh and self.chance(0.7) else [])

    def rhythm(self, beats, density, syncopation, div=None):
        """Positions in `beats` beats; strong ones are likelier, unless syncopated."""
        div = div or self.div
        grid = []
        for step in range(beats * div):
            at = step / div
            strong = 1.0 if at % self.metre == 0 else 0.75 if step % div == 0 else 0.45 if div == 4 and step % 2 == 0 else 0.35 if div == 2 else 0.2
            p = density * (strong * (1 - syncopation) + syncopation * (0.25 if strong > 0.7 else 0.8))
            if self.chance(min(0.97, p)):
                grid.append(at)
        return grid or [0.0]

    # --- layers: each returns a function (start beat, bars, chords, loudness) --------------
    def drums(self, family):
        r, m, div = self.r, self.metre, self.div
        hits = []  # (position, pitch, velocity)
        soft = r.choice([0, 0, -15, -30])
        steps = lambda per: [k / per for k in range(int(m * per))]
        cymbal = r.choice([HAT, HAT, HAT, RIDE, HALF, 70, 82, 54])
        if self.compound:
            kind = r.choice(["plain", "plain", "sparse", "jig", "toms"])
            for beat in range(m):
                back = beat % 2 == 1
                if kind == "toms":
                    hits.append((beat, r.choice(TOMS[2:]), 90))
                    hits += [(beat + k / 3, r.choice(TOMS[2:]), 60) for k in (1, 2) if self.chance(0.6)]
                else:
                    hits.append((beat, SNARE if back else KICK, 96))
                    if kind == "jig" or self.chance(0.25):
                        hits.append((beat + 2 / 3, r.choice([KICK, SNARE]), 70))
            if kind != "sparse":
                hits += [(p, cymbal, 70 if p % 1 == 0 else 52) for p in steps(3)]
        elif m == 3 or m == 6:
            kind = r.choice(["waltz", "waltz", "rock", "jazz", "sparse"])
            for bar in range(m // 3):
                o = 3 * bar
                hits.append((o, KICK, 94))
                if kind == "waltz":
                    hits += [(o + 1, r.choice([SNARE, HAT, HALF]), 60), (o + 2, r.choice([SNARE, HAT, HALF]), 62)]
                elif kind == "rock":
                    hits += [(o + r.choice([1, 2, 2]), SNARE, 92)] + [(o + p, cymbal, 64) for p in (0, 0.5, 1, 1.5, 2, 2.5)]
                elif kind == "jazz":
                    hits += [(o, RIDE, 70), (o + 1, RIDE, 72), (o + 1 + 2 / 3, RIDE, 55), (o + 2, RIDE, 66), (o + 1, HALF, 60)]
        else:
            kinds = [
                ("back", 30), ("four", 14), ("half", 8), ("break", 12), ("one-drop", 4), ("march", 4), ("train", 4), ("latin", 7), ("swing", 6), ("toms", 5), ("shaker", 4),
                ("double", 6 if family == "game" else 1), ("ride", 3), ("polka", 3),
            ]
            kind = self.weighted(kinds) if m != 2 else r.choice(["back", "march", "polka", "four"])
            backs = [b for b in range(m) if b % 2 == 1] if m != 5 else [3]
            grid = 4 if self.bpm < 125 else 2
            if kind in ("back", "break", "train", "double"):
                hits += [(b, SNARE, 100) for b in backs]
                hits.append((0, KICK, 104))
                if kind == "double":
                    hits += [(p, KICK, 92) for p in steps(r.choice([2, 4]))]
                elif kind == "train":
                    hits += [(p, SNARE, 60 if p not in backs else 98) for p in steps(grid)] + [(p, KICK, 90) for p in range(0, m, 2)]
                else:
                    more = [p for p in steps(grid) if p > 0 and self.chance(0.28 if kind == "break" else 0.16)]
                    hits += [(p, KICK, 88) for p in more if p not in backs]
                    if m == 4 and self.chance(0.6):
                        hits.append((2, KICK, 92))
                    if kind == "break":
                        hits += [(p, SNARE, 44) for p in steps(grid) if self.chance(0.2)]
            elif kind == "four":
                hits += [(b, KICK, 104) for b in range(m)]
                if self.chance(0.8):
                    hits += [(b, r.choice([CLAP, SNARE]), 92) for b in backs]
                if self.chance(0.7):
                    hits += [(b + 0.5, OPEN, 76) for b in range(m)]
            elif kind == "half":
                hits += [(0, KICK, 104), (m // 2, SNARE, 102)] + [(p, KICK, 84) for p in steps(2) if self.chance(0.2)]
            elif kind == "one-drop":
                hits += [(m // 2, KICK, 98), (m // 2, RIM, 90)]
            elif kind == "march":
                hits += [(b, KICK, 84) for b in range(0, m, 2)] + [(p, SNARE, 88 if p % 1 == 0 else 58) for p in steps(4) if p % 1 == 0 or self.chance(0.4)]
            elif kind == "latin":
                clave = r.choice([[0, 0.75, 1.5, 2.5, 3], [0, 0.75, 1.5, 2.5, 3.25], [0.5, 1, 2, 2.75, 3.5], [0, 1.5, 3]])
                hits += [(p % m, r.choice([RIM, 75, 76]), 80) for p in clave]
                hits += [(p, KICK, 84) for b in range(0, m, 2) for p in (b, b + 1.5) if p < m]
                if self.chance(0.5):
                    hits += [(p % m, 64 if p % 2 < 1.5 else 63, 74) for p in (1.5, 3, 3.5)]
            elif kind == "swing":
                hits += [(b, RIDE, 74) for b in range(m)] + [(b + 2 / 3, RIDE, 56) for b in backs] + [(b, HALF, 70) for b in backs]
                hits += [(p, r.choice([SNARE, KICK]), 50) for p in steps(3) if self.chance(0.12)]
            elif kind == "toms":
                hits += [(0, TOMS[5], 104)] + [(p, r.choice(TOMS), 84) for p in steps(grid) if self.chance(0.4)]
            elif kind == "ride":
                hits += [(b, RIDE, 78) for b in range(m)] + [(0, KICK, 80)]
            elif kind == "polka":
                hits += [(b, KICK, 94) for b in range(m)] + [(b + 0.5, SNARE, 80) for b in range(m)]
            if kind in ("back", "break", "half", "one-drop", "double", "latin", "shaker") or (kind == "four" and self.chance(0.4)):
                per = r.choice([1, 2, 2, 2, 4 if self.bpm < 120 else 2])
                offbeat = self.chance(0.08)
                for p in steps(per):
                    if not (offbeat and p % 1 == 0):
                        hits.append((p, cymbal if self.chance(0.93) else OPEN, 74 if p % 1 == 0 else 56))
        variation = [(p, q, v) for p, q, v in hits if self.chance(0.93)] + [(self.r.choice(steps(max(2, div))), self.r.choice([KICK, SNARE]), 70)]
        fills = self.chance(0.75)
        late = r.choice([0, 0, 0.01, 0.02])

        def play(start, bars, chords, loud, opens):
            if opens and self.chance(0.6):
                self.note(start, 1, CRASH, 100 + loud, 9)
            for bar in range(bars):
                o = start + bar * m
                fill = fills and bar == bars - 1 and self.chance(0.85) or fills and bar % 4 == 3 and self.chance(0.25)
                begin = m - self.r.choice([1, 1, 2]) if fill else m
                for p, pitch, v in variation if bar % 4 == 3 or bar % 2 and self.chance(0.2) else hits:
                    if p < begin:
                        self.note(o + p + (late if pitch in (SNARE, CLAP) else 0), 0.2, pitch, v + soft + loud, 9)
                if fill:
                    per = 3 if self.compound else self.r.choice([2, 4, 4, 3])
                    toms = sorted(self.r.choices(TOMS + [SNARE, SNARE], k=int((m - begin) * per)))[:: self.pick(1, -1)]
                    for k, pitch in enumerate(toms):
                        if self.chance(0.85):
                            self.note(o + begin + k / per, 0.2, pitch, 82 + 4 * k + soft + loud, 9)

        return play

    def bass(self):
        m, r = self.metre, self.r
        channel = self.channel(BASSES)
        kind = self.weighted([("root", 16), ("eighths", 16), ("fifth", 16), ("walk", 10), ("octave", 8), ("funk", 22), ("long", 10), ("anticipate", 8)])
        pattern = [p for p in self.rhythm(m, 0.6, r.uniform(0.1, 0.6)) if p]
        pattern = ([0.0] if self.chance(0.93) else []) + pattern
        level = r.choice([78, 92, 104])

        def play(start, bars, chords, loud, opens):
            for bar in range(bars):
                o, row = start + bar * m, chords[bar % len(chords)]
                at = lambda p: row[min(len(row) - 1, int(p * 2))]
                put = lambda p, length, degree, step=0: self.note(o + p, length * 0.92, self.degree(degree, 3) - 12 + step, level + loud, channel)
                if kind in ("root", "long"):
                    last = None
                    for p in range(m):
                        if at(p) != last:
                            put(p, m - p if kind == "long" else 1.5, at(p))
                            last = at(p)
                elif kind == "eighths":
                    per = 3 if self.compound else 2
                    for k in range(m * per):
                        put(k / per, 1 / per, at(k / per))
                elif kind == "fifth":
                    for p in range(m):
                        if m == 3 and p:
                            continue
                        if m != 2 or p == 0 or self.chance(0.8):
                            put(p, 0.9, at(p) + (4 if (p // (2 if m == 4 and self.bpm > 120 else 1)) % 2 else 0))
                elif kind == "walk":
                    for p in range(m):
                        put(p, 0.95, at(p) + (0 if p == 0 else r.choice([1, 2, 4, 3, -1])))
                elif kind == "octave":
                    for p in range(m):
                        put(p, 0.45, at(p))
                        put(p + 0.5, 0.45, at(p), 12)
                elif kind == "anticipate":
                    put(0, 1.4, at(0))
                    if m > 2:
                        put(1.5, 1, at(1.5))
                    if m > 3:
                        put(2.5, 1, at(2.5) + 4)
                else:
                    for k, p in enumerate(pattern):
                        step = r.choice([0, 0, 0, 12, 7]) if p else 0
                        put(p, min(0.8, (pattern + [m])[k + 1] - p), at(p), step)

        return play

    def comp(self, programs, octave=4):
        m, r = self.metre, self.r
        channel = self.channel(programs)
        div = self.div
        kind = self.weighted([
            ("held", 14), ("beats", 8), ("back", 6), ("off", 9), ("arp", 22), ("alberti", 8), ("strum", 10), ("oom", 10), ("stabs", 13), ("pushed", 6), ("tremolo", 2),
        ])
        pattern = self.rhythm(m, r.uniform(0.35, 0.7), r.uniform(0.1, 0.7))
        order = r.choice([[0, 1, 2, 1], [0, 1, 2, 3], [2, 1, 0, 1], [0, 2, 1, 2], [0, 1, 2, 3, 2, 1]])
        per = 3 if self.compound else r.choice([2, 2, 4 if self.bpm < 130 else 2, 3 if self.chance(0.15) else 2])
        level = r.choice([56, 68, 80])

        def play(start, bars, chords, loud, opens):
            for bar in range(bars):
                o, row = start + bar * m, chords[bar % len(chords)]
                at = lambda p: self.triad(row[min(len(row) - 1, int(max(0, p) * 2))], octave)

                def chord(p, length, v=0, low=False):
                    tones = at(p)
                    for k, pitch in enumerate(tones if not low else tones[1:]):
                        self.note(o + p + 0.004 * k * (kind == "strum"), length, pitch, level + v + loud, channel)

                if kind == "held":
                    last = None
                    for p in range(m):
                        if row[p * 2] != last:
                            rest = next((q for q in range(p, m) if row[q * 2] != row[p * 2]), m)
                            chord(p, (rest - p) * 0.98)
                            last = row[p * 2]
                elif kind == "beats":
                    for p in range(m):
                        chord(p, 0.8)
                elif kind == "back":
                    for p in range(1, m, 2 if m != 3 else 1):
                        chord(p, 0.4)
                elif kind == "off":
                    for p in range(m):
                        chord(p + (2 / 3 if self.compound else 0.5), 0.3)
                elif kind in ("arp", "alberti"):
                    shape = order if kind == "arp" else [0, 2, 1, 2]
                    for k in range(m * per):
                        tones = at(k / per)
                        tones = tones + [tones[0] + 12]
                        self.note(o + k / per, (1.2 if kind == "arp" else 0.9) / per, tones[shape[k % len(shape)] % len(tones)], level + loud, channel)
                elif kind == "strum":
                    strokes = [0, 1, 1.5, 2.5, 3, 3.5] if m == 4 and not self.compound else [p for b in range(m) for p in ([b, b + 1 / 3, b + 2 / 3] if self.compound else [b, b + 0.5])]
                    for p in strokes:
                        if p < m and self.chance(0.92):
                            chord(p, 0.45, 0 if p % 1 == 0 else -10)
                elif kind == "oom":
                    if self.chance(0.9):
                        self.note(o, 0.9, at(0)[0] - 12, level + 8 + loud, channel)
                    if m == 3:
                        chord(1, 0.6, 0, True), chord(2, 0.6, 0, True)
                    elif self.compound:
                        for b in range(m):
                            chord(b + 1 / 3, 0.25, -6, True), chord(b + 2 / 3, 0.25, -6, True)
                    elif self.bpm > 110 and m == 4:
                        self.note(o + 2, 0.9, at(2)[2] - 12, level + 4 + loud, channel)
                        chord(1, 0.6, 0, True), chord(3, 0.6, 0, True)
                    else:
                        for b in range(m):
                            if b:
                                self.note(o + b, 0.45, at(b)[2 if b % 2 else 0] - 12, level + 2 + loud, channel)
                            chord(b + 0.5, 0.4, 0, True)
                elif kind == "stabs":
                    for p in pattern:
                        chord(p, 0.35)
                elif kind == "pushed":
                    for p in range(0, m, 2):
                        early = 0 if self.compound else 0.5
                        tones = at(p)
                        for pitch in tones:
                            if o + p - early >= start:
                                self.note(o + p - early, 1.6, pitch, level + loud, channel)
                else:
                    for k in range(m * 4):
                        for pitch in at(k / 4)[k % 2::2]:
                            self.note(o + k / 4, 0.3, pitch, level - 8 + loud, channel)

        return play

    def pad(self):
        channel = self.channel(PADS)
        octave = self.r.choice([4, 4, 5])
        level = self.r.choice([48, 60, 72])
        slow = self.chance(0.3)

        def play(start, bars, chords, loud, opens):
            m = self.metre
            for bar in range(bars):
                row = chords[bar % len(chords)]
                last = None
                for slot in range(0, len(row), 2):
                    if row[slot] != last:
                        last = row[slot]
                        length = next((q for q in range(slot, len(row)) if row[q] != last), len(row)) - slot
                        for pitch in self.triad(last, octave):
                            self.note(start + bar * m + slot / 2 + (0.1 if slow else 0), length / 2 * 1.02, pitch, level + loud, channel)

        return play

    def melody(self, programs, octave=5, busy=None):
        m, r = self.metre, self.r
        channel = self.channel(programs)
        busy = busy if busy is not None else r.uniform(0.3, 0.85)
        syncopation = r.choice([0, 0.1, 0.3, 0.55])
        units = {}
        level = r.choice([76, 88, 100])
        legato = r.uniform(0.5, 1.0)
        upbeat = self.chance(0.3)

        def unit(name):
            if name not in units:
                rhythm = self.rhythm(2 * m, busy, syncopation)
                if self.chance(0.5):
                    rhythm = [p for p in rhythm if p < 2 * m - self.r.choice([1, 1.5, 2])] or [0.0]
                steps = [self.r.choice([-2, -1, -1, 0, 1, 1, 2, 3, -3]) for _ in rhythm]
                units[name] = list(zip(rhythm, steps))
            return units[name]

        form = r.choice(["abab", "aaba", "abac", "aabb", "abcd", "aaab"])

        def play(start, bars, chords, loud, opens):
            height = self.r.randrange(-2, 5)
            for index in range((bars + 1) // 2):
                o = start + index * 2 * m
                events = unit(form[index % len(form)])
                here = height
                for k, (p, step) in enumerate(events):
                    if o + p >= start + bars * m:
                        break
                    bar, inside = int(p // m), p % m
                    row = chords[(index * 2 + bar) % len(chords)]
                    here = max(-5, min(9, here + step))
                    degree = here
                    if inside % 1 == 0:
                        # Strong places take the nearest note of the chord.
                        root = row[min(len(row) - 1, int(inside * 2))]
                        degree = min((root + 7 * o8 + t for o8 in (-2, -1, 0, 1) for t in (0, 2, 4)), key=lambda d: abs(d - here))
                        here = degree
                    following = events[k + 1][0] if k + 1 < len(events) else 2 * m
                    self.note(o + p, max(0.12, (following - p) * legato), self.degree(degree, octave), level + loud, channel)
                if upbeat and self.chance(0.7):
                    n = self.r.choice([1, 2, 3])
                    per = 3 if self.compound else 2
                    for k in range(n):
                        at = o + 2 * m - (n - k) / per
                        if at < start + bars * m:
                            self.note(at, 0.9 / per, self.degree(height + k - n, octave), level - 4 + loud, channel)

        return play

    def riff(self):
        m = self.metre
        channel = self.channel([29, 30, 28, 81, 38, 87, 62])
        pattern = self.rhythm(2 * m, 0.8, self.r.uniform(0, 0.6))
        pitches = [self.r.choice([0, 0, 0, 0, 1, 2, 3, 6, 4]) for _ in pattern]
        gallop = self.chance(0.3)
        power = self.chance(0.7)

        def play(start, bars, chords, loud, opens):
            for bar in range(0, bars, 2):
                for k, p in enumerate(pattern):
                    if bar * m + p >= bars * m:
                        break
                    row = chords[(bar + int(p // m)) % len(chords)]
                    root = self.degree(row[0] + pitches[k], 3)
                    length = ((pattern + [2 * m])[k + 1] - p) * (0.5 if pitches[k] == 0 else 0.95)
                    for pitch in [root, root + 7] if power else [root]:
                        self.note(start + bar * m + p, length, pitch, 90 + loud, channel)
                    if gallop and length > 0.3:
                        self.note(start + bar * m + p + 0.25, 0.2, root, 78 + loud, channel)

        return play

    def chorale(self):
        """Four voices that move together on the beats, with passing notes."""
        one = self.chance(0.5)
        programs = self.r.choice([[48, 48, 48, 48], [40, 40, 41, 42], [19] * 4, [52] * 4, [73, 68, 71, 70], [56, 56, 57, 58], [0] * 4, [60] * 4, [6] * 4])
        channels = [self.channel([p]) for p in (programs[:1] if one else programs)]
        moving = self.r.uniform(0.1, 0.5)
        self.r.choice([1, 1, 2])

        def play(start, bars, chords, loud, opens):
            m = self.metre
            beat = 0
            while beat < bars * m:
                row = chords[int(beat // m) % len(chords)]
                there = row[int(beat % m) * 2]
                root = self.r.choice([there, there, there + self.r.choice([0, 3, 4, 5])])
                length = 1 if beat % m or self.chance(0.85) else self.r.choice([1, 2])
                if (beat + length) % (4 * m) == 0 and beat % m:
                    self.chance(0.6)
                for voice, octave in enumerate([3, 4, 4, 4]):
                    tone = root + [0, self.r.choice([0, 2, 4]), self.r.choice([2, 4]), self.r.choice([0, 2, 4])][voice]
                    pitch = self.degree(tone % 7 + (7 if voice == 3 else 0), octave)
                    channel = channels[voice % len(channels)]
                    if self.chance(moving) and length == 1:
                        self.note(start + beat, 0.5, pitch, 72 + loud, channel)
                        self.note(start + beat + 0.5, 0.5, self.degree(tone % 7 + (8 if voice == 3 else self.r.choice([1, -1])), octave), 66 + loud, channel)
                    else:
                        self.note(start + beat, length * 0.97, pitch, 74 + loud, channel)
                beat += length

        return play

    def counterpoint(self):
        voices = self.r.choice([2, 3, 3, 4])
        same = self.chance(0.5)
        program = self.r.choice([0, 6, 19, 40, 48, 68, 71, 73])
        parts = []
        for voice in range(voices):
            programs = [program] if same else [[40, 73, 68, 71], [41, 71, 68], [42, 70, 60], [43, 42, 70]][voice]
            parts.append(self.melody(programs, 6 - voice if voice < 3 else 3, self.r.uniform(0.45, 0.9)))

        def play(start, bars, chords, loud, opens):
            for k, part in enumerate(parts):
                if bars > 2 and opens and k and self.chance(0.2):
                    part(start + 2 * self.metre, bars - 2, chords, loud, opens)
                else:
                    part(start, bars, chords, loud, opens)

        return play

    def tune(self):
        """A run of equal notes, as dance tunes have."""
        channel = self.channel([40, 110, 73, 21, 105, 25, 74, 109, 22, 15])
        m = self.metre
        per = 3 if self.compound else (4 if self.bpm < 125 else 2)
        units = {}
        form = self.r.choice(["abac", "abab", "aabc"])

        def unit(name):
            if name not in units:
                here, out = self.r.randrange(0, 5), []
                for _ in range(2 * m * per):
                    here = max(-3, min(9, here + self.r.choice([-2, -1, -1, 1, 1, 2, 0, 3, -3])))
                    out.append((here, self.chance(0.88)))
                units[name] = out
            return units[name]

        def play(start, bars, chords, loud, opens):
            for bar in range(0, bars, 2):
                for k, (degree, sounds) in enumerate(unit(form[(bar // 2) % 4])):
                    p = k / per
                    if bar * m + p >= bars * m or not sounds:
                        continue
                    row = chords[(bar + int(p // m)) % len(chords)]
                    if p % m == 0:
                        degree = row[0] + 7 * ((degree - row[0] + 3) // 7)
                    swing = 8 if p % 1 == 0 else 0
                    self.note(start + bar * m + p, 0.9 / per, self.degree(degree, 5), 82 + swing + loud, channel)

        return play

    # --- a piece ---------------------------------------------------------------------------
    def layers(self, family):
        """Named layers of this piece; a letter of the form uses some of them."""
        r = self.r
        if family == "band":
            out = {"drums": self.drums(family), "bass": self.bass(), "comp": self.comp(KEYS + GUITARS)}
            for name, p, make in [
                ("comp2", 0.5, lambda: self.comp(KEYS + GUITARS + BELLS, r.choice([4, 5]))), ("pad", 0.55, self.pad), ("lead", 0.7, lambda: self.melody(LEADS + KEYS)),
                ("counter", 0.25, lambda: self.melody(LEADS + PADS, 4, 0.35)), ("drums2", 0.35, lambda: self.drums(family)), ("riff", 0.2, self.riff),
            ]:
                if self.chance(p):
                    out[name] = make()
            return out
        if family == "game":
            out = {"drums": self.drums(family), "bass": self.bass(), "lead": self.melody(LEADS + [80, 81, 80, 81])}
            for name, p, make in [("arp", 0.6, lambda: self.comp([80, 81, 0, 5, 11, 12, 13, 98, 6], 5)), ("riff", 0.5, self.riff), ("pad", 0.4, self.pad), ("lead2", 0.4, lambda: self.melody(LEADS, 4)), ("drums2", 0.3, lambda: self.drums(family))]:
                if self.chance(p):
                    out[name] = make()
            if self.chance(0.25):
                out.pop("drums", None), out.pop("drums2", None)
            return out
        if family == "classical":
            kind = r.choice(["chorale", "chorale", "counterpoint", "counterpoint", "alberti", "orchestra", "orchestra"])
            if kind == "chorale":
                out = {"voices": self.chorale()}
            elif kind == "counterpoint":
                out = {"voices": self.counterpoint()}
            elif kind == "alberti":
                piano = r.choice([0, 0, 6, 3, 46])
                out = {"left": self.comp([piano], r.choice([3, 4])), "right": self.melody([piano], 5)}
            else:
                out = {"pad": self.pad(), "lead": self.melody([40, 48, 56, 60, 68, 71, 73, 69], 5), "basso": self.comp([42, 43, 48, 45, 61, 60], 3)}
                for name, p, make in [("figure", 0.7, lambda: self.comp([48, 45, 46, 40, 73, 71, 9, 47], 5)), ("second", 0.5, lambda: self.melody([60, 57, 42, 41, 70], 4, 0.4)), ("timpani", 0.35, self.timpani)]:
                    if self.chance(p):
                        out[name] = make()
            return out
        if family == "solo":
            kind = r.choice(["stride", "tune", "tune+", "guitar", "piano", "melody+oom", "box"])
            piano = r.choice([0, 1, 2, 3, 0])
            if kind == "stride":
                out = {"left": self.stride([piano]), "right": self.melody([piano], 5, 0.85)}
            elif kind == "tune":
                out = {"tune": self.tune()}
            elif kind == "tune+":
                out = {"tune": self.tune(), "comp": self.comp([24, 25, 0, 105, 21], 4)}
                if self.chance(0.4):
                    out["bass"] = self.bass()
            elif kind == "guitar":
                out = {"comp": self.comp([24, 25, 26, 46], 4), "lead": self.melody([24, 25, 73, 40], 5, 0.4)}
            elif kind == "piano":
                out = {"left": self.comp([piano], 3), "right": self.melody([piano], 5)}
            elif kind == "box":
                out = {"right": self.melody(BELLS, 6, 0.7), "left": self.comp(BELLS, 5)}
            else:
                out = {"comp": self.comp([0, 21, 24, 58, 61, 23], 4), "lead": self.melody([21, 22, 40, 56, 71, 68], 5), "bass": self.bass()}
            return out
        out = {"pad": self.pad(), "arp": self.comp(KEYS + BELLS + [99, 88], 5)}
        for name, p, make in [("bass", 0.5, self.bass), ("bells", 0.6, lambda: self.melody(BELLS + [0, 4, 73, 79], 5, 0.3)), ("pad2", 0.4, self.pad), ("soft", 0.15, lambda: self.drums("ambient"))]:
            if self.chance(p):
                out[name] = make()
        return out

    def timpani(self):
        channel = self.channel([47])
        pattern = self.rhythm(2 * self.metre, 0.4, 0.1)

        def play(start, bars, chords, loud, opens):
            for bar in range(0, bars, 2):
                for p in pattern:
                    if bar * self.metre + p < bars * self.metre:
                        self.note(start + bar * self.metre + p, 1, self.degree(chords[bar % len(chords)][0] % 5, 3), 86 + loud, channel)

        return play

    def stride(self, programs):
        channel = self.channel(programs)

        def play(start, bars, chords, loud, opens):
            m = self.metre
            for bar in range(bars):
                row = chords[bar % len(chords)]
                half = 0.5 if m == 2 else 1.0
                p = 0.0
                low = True
                while p < m - 0.01:
                    root = row[min(len(row) - 1, int(p * 2))]
                    if low:
                        pitch = self.degree(root + (4 if int(p / half) % 4 == 2 else 0), 3) - (12 if self.chance(0.5) else 0)
                        self.note(start + bar * m + p, half * 0.8, pitch, 78 + loud, channel)
                        self.note(start + bar * m + p, half * 0.8, pitch + 12, 70 + loud, channel)
                    else:
                        for pitch in self.triad(root, 4):
                            self.note(start + bar * m + p, half * 0.6, pitch, 66 + loud, channel)
                    low = not low if m != 3 else p >= 2 - 0.01
                    p += half

        return play

    def write(self):
        r = self.r
        families = [("song", 62), ("band", 8), ("classical", 13), ("solo", 7), ("ambient", 3), ("game", 7)] if self.songs else [("band", 42), ("classical", 20), ("solo", 14), ("ambient", 9), ("game", 15)]
        family = self.weighted(families)
        if family == "song":
            self.song_frame()
        else:
            self.frame(family)
        layers = self.song_layers() if family == "song" else self.layers(family)
        sections = self.plan(r.uniform(45, 85))
        names = list(layers)
        materials = {}
        key = self.key
        letters = []
        at = 0
        previous = None
        modulate = self.chance(0.12)
        for index, (letter, bars) in enumerate(sections):
            if letter not in materials:
                chosen = [n for n in names if self.chance(0.78 if letter != "I" else 0.45)] or [r.choice(names)]
                if family in ("classical", "solo") and self.chance(0.8):
                    chosen = names
                if letter != "I" and "drums" in names and "drums" not in chosen and self.chance(0.65):
                    chosen.append("drums")
                if "drums" in chosen and "drums2" in chosen:
                    chosen.remove(r.choice(["drums", "drums2"]))
                if self.chance(0.75) and len(chosen) == 1 and len(names) > 2:
                    chosen.append(r.choice([n for n in names if n not in chosen]))
                materials[letter] = (self.chords(r.choice([4, 8, bars])), chosen, r.choice([-18, -10, -4, 0, 0, 4, 8]))
            chords, chosen, loud = materials[letter]
            if modulate and index == len(sections) - 2:
                self.key = key + r.choice([1, 2])
            if letter == previous and self.chance(0.4) and len(names) > len(chosen):
                chosen = chosen + [r.choice([n for n in names if n not in chosen and not n.startswith("drums")] or chosen)]
            build = self.chance(0.08)
            for name in dict.fromkeys(chosen):
                if build:
                    for bar in range(bars):
                        layers[name](at + bar * self.metre, 1, chords[bar % len(chords):] + chords, loud - 20 + 24 * bar // bars, bar == 0)
                else:
                    layers[name](at, bars, chords, loud, True)
            letters.append((letter, at))
            self.phrase_starts += [at + bar * self.metre for bar in range(0, bars, 4)]
            rows = [row for bar in range(bars) for row in chords[bar % len(chords)]]
            self.chord_changes += [at + slot / 2 for slot in range(len(rows)) if slot == 0 or rows[slot] != rows[slot - 1]]
            previous = letter
            at += bars * self.metre
        end = at
        # A pickup: what the first melody or bass would have played before the first bar.
        if self.pickup:
            channel = r.choice(sorted(self.programs)) if self.programs else 9
            per = 3 if self.compound else r.choice([1, 2])
            for k in range(self.pickup * per):
                if k == 0 or self.chance(0.75):
                    if channel == 9 or ("drums" in names and self.chance(0.3)):
                        self.note(-self.pickup + k / per, 0.2, r.choice([SNARE, HAT, RIM]), 80, 9)
                    else:
                        self.note(-self.pickup + k / per, 0.9 / per, self.degree(r.choice([4, 2, 6, 0]), 4), 78, channel)
        ending = r.choice(["hit", "hit", "cold", "fade", "fade", "last"])
        beats = end
        if ending in ("hit", "last"):
            beats += 1
            for channel in self.programs:
                for pitch in self.triad(0, 4)[: r.choice([1, 3])] if self.programs[channel] not in BASSES else [self.degree(0, 2)]:
                    self.note(end, 4 if ending == "hit" else 1, pitch, 92, channel)
            if "drums" in names:
                self.note(end, 2, CRASH, 104, 9), self.note(end, 1, KICK, 104, 9)
        return family, letters, beats, ending

    # --- time -----------------------------------------------------------------------------
    def times(self, beats):
        """Seconds of every beat from -pickup to beats, by the tempo of this player."""
        r = self.r
        drift = self.weighted([("none", 62), ("slow", 14), ("wander", 21), ("jump", 3)]) if self.style else self.weighted([("none", 45), ("slow", 22), ("wander", 20), ("rubato", 7), ("change", 2), ("jump", 4)])
        if drift == "rubato" and self.bpm > 150:
            drift = "wander"
        step = 60 / self.bpm
        depth = r.uniform(0.005, 0.035)
        import math

        out, now, walk = [], 0.0, 0.0
        phrase = self.metre * r.choice([2, 4])
        jitter = r.choice([0, 0, 0.002, 0.004, 0.008])
        for beat in range(-self.pickup, beats + 2):
            out.append(now + (r.gauss(0, jitter) if jitter else 0))
            factor = 1.0
            if drift == "slow":
                factor += depth * math.sin(beat / (8 * self.metre) * 2 + self.key)
            elif drift == "wander":
                walk = 0.92 * walk + r.gauss(0, 0.008)
                factor += walk
            elif drift == "rubato":
                inside = (beat % phrase) / phrase
                walk = 0.8 * walk + r.gauss(0, 0.015)
                factor += 0.10 * (inside - 0.45) ** 2 * 4 - 0.03 + walk
            elif drift == "change":
                factor += 0.0006 * beat
            elif drift == "jump" and beat > beats // 2:
                factor *= 0.93
            if beat > beats - 5 and self.ritardando:
                factor *= 1 + 0.09 * (beat - beats + 5)
            now += step * max(0.6, factor)
        return out


def compose(seed):
    c = Composer(seed)
    family, letters, beats, ending = c.write()
    r = c.r
    c.ritardando = ending in ("hit", "last", "cold") and r.random() < 0.25
    times = c.times(beats)
    head_s = r.choice([0.02, 0.05, 0.3, 1.0, 2.4])
    offset = c.pickup

    def warp(beat):
        whole = int(beat // 1)
        inside = beat - whole
        if c.shuffle:
            level, ratio = c.shuffle
            if level == "8":
                inside = inside * ratio * 2 if inside < 0.5 else ratio + (inside - 0.5) * (1 - ratio) * 2
            else:
                half = 0.5 if inside >= 0.5 else 0.0
                x = (inside - half) * 2
                x = x * ratio * 2 if x < 0.5 else ratio + (x - 0.5) * (1 - ratio) * 2
                inside = half + x / 2
        index = min(max(whole + offset, 0), len(times) - 2)
        over = whole + offset - index
        return head_s + times[index] + (times[index + 1] - times[index]) * (inside + over)

    human = r.choice([0, 0.002, 0.006, 0.010])
    # Players who rush or drag, each in their own way; the drummer keeps the beat.
    lag = {channel: r.gauss(0, 0.007) if c.style and channel != 9 else 0.0 for channel in range(16)} if c.songs else dict.fromkeys(range(16), 0.0)
    notes = []
    for beat, length, pitch, velocity, channel in c.notes:
        start = max(0.0, warp(beat) + lag[channel] + (r.gauss(0, human) if human else 0))
        notes.append((start, max(start + 0.05, warp(beat + length)), pitch, velocity, channel))
    notes.sort()
    grid = [head_s + t for t in times[: beats + offset]]
    first_bar = offset
    truth = {
        "seed": seed, "family": family, "metre": c.metre, "compound": c.compound, "bpm": c.bpm, "ending": ending,
        "beats": grid, "downbeats": grid[first_bar :: c.metre], "sections": [[letter, grid[first_bar + at]] for letter, at in letters],
        "style": c.style, "chords": [warp(beat) for beat in c.chord_changes], "phrases": [warp(beat) for beat in c.phrase_starts],
        "end_s": grid[-1] if ending in ("hit", "last") else head_s + times[beats + offset], "programs": c.programs, "key": c.key % 12,
    }
    return notes, truth


if __name__ == "__main__":
    import collections
    import sys

    count = collections.Counter()
    length = 0.0
    for seed in range(int(sys.argv[1]), int(sys.argv[2])):
        notes, truth = compose(seed)
        count[truth["family"], truth["metre"], truth["compound"]] += 1
        length += truth["end_s"]
    for row in sorted(count.items()):
        print(row)
    print(f"{length / 60:.0f} minutes")
