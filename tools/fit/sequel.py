"""What a fitting sequel is: learned from where recordings go from phrase to phrase by themselves.

    find MUSIC -name '*.ogg' | xargs target/release/examples/sequel_features > ROWS
    python tools/fit/sequel.py ROWS [JUDGE]

Steps from phrase to phrase as recorded are told from steps to other phrases that do not repeat what would have come
(`could_follow` under .5). Every third bed, by a hash of its name, is kept aside and only reported, as are the beds of JUDGE.
Prints the area under the curve (mean over beds) and the weights for `crates/core/reading/src/reading/likeness/sequel.rs`.
Needs numpy and scikit-learn. Learned from the recordings of wesnoth-1.16-music, singularity-music, supertux-data,
hedgewars-data, widelands-data, megaglest-data, enigma-data and asterisk-moh-opsound-wav.
"""
import hashlib
import json
import sys

import numpy as np
from sklearn.linear_model import LogisticRegression
from sklearn.metrics import roc_auc_score

RNG = np.random.default_rng(1)
MOST_OTHERS = 600
# A bed of many phrases counts no more than this many.
MOST_WEIGHT = 20


def load(path):
    """Beds of four phrases and more, each once: kept aside or not, whether a step is the bed's own, whether it judges, features."""
    beds, seen = [], set()
    for line in open(path):
        bed = json.loads(line)
        rows, first = bed["rows"], json.dumps(bed["rows"][:2])
        if len(rows) < 16 or first in seen:
            continue
        seen.add(first)
        leave, enter, repeat = (np.array([row[k] for row in rows]) for k in range(3))
        own, other = leave == enter, (leave != enter) & (repeat < 0.5)
        if own.sum() < 3 or other.sum() < 4:
            continue
        digest = int(hashlib.sha256(bed["file"].split("/")[-1].encode()).hexdigest(), 16)
        beds.append((digest % 3 == 0, own, other, np.array([row[3] for row in rows])))
    return beds


def fit(beds):
    features, is_own, weights = [], [], []
    for _, own, other, rows in beds:
        picked = np.flatnonzero(other)
        picked = RNG.choice(picked, MOST_OTHERS, replace=False) if len(picked) > MOST_OTHERS else picked
        weight = min(own.sum(), MOST_WEIGHT)
        for chosen, value in ((np.flatnonzero(own), 1), (picked, 0)):
            features.append(rows[chosen])
            is_own.append(np.full(len(chosen), value))
            weights.append(np.full(len(chosen), weight / len(chosen)))
    x = np.vstack(features)
    mean, deviation = x.mean(0), x.std(0) + 1e-9
    model = LogisticRegression(C=0.03, max_iter=3000).fit((x - mean) / deviation, np.concatenate(is_own), sample_weight=np.concatenate(weights))
    by_feature = model.coef_[0] / deviation
    return model.intercept_[0] - by_feature @ mean, by_feature


def report(name, beds, bias, by_feature):
    areas, above = [], []
    for _, own, other, rows in beds:
        z = bias + rows @ by_feature
        areas.append(roc_auc_score(np.r_[np.ones(own.sum()), np.zeros(other.sum())], np.r_[z[own], z[other]]))
        above.append((z[other] > np.median(z[own])).mean())
    print(f"{name:<12} {len(beds):>4} beds, area {np.mean(areas):.3f}, worst {np.min(areas):.2f}; other steps above the median own one {np.mean(above):.3f}")


def main():
    beds = load(sys.argv[1])
    learned = [bed for bed in beds if not bed[0]]
    bias, by_feature = fit(learned)
    report("learned", learned, bias, by_feature)
    report("kept aside", [bed for bed in beds if bed[0]], bias, by_feature)
    if len(sys.argv) > 2:
        report("judge", load(sys.argv[2]), bias, by_feature)
    own_z = np.concatenate([bias + rows[own] @ by_feature for _, own, _, rows in learned])
    print(f"const OWN_MEAN: f32 = {own_z.mean():.2f};\nconst OWN_DEVIATION: f32 = {own_z.std():.2f};")
    print(f"const BIAS: f32 = {bias:.3f};")
    print("const WEIGHTS: [f32; FEATURES] = [" + ", ".join(f"{w:.3f}" for w in by_feature) + "];")


main()
