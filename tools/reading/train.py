"""Trains the network of crates/core/reading/src/reading/activations.rs and writes its weights.

    python tools/reading/train.py OUT.bin MINUTES DATA [DATA ...]    # DATA: made by render.py, sequenced.py or recordings.py

FROM=WEIGHTS in the environment goes on from weights that were learned before, at PEAK (a learning rate) of its own.

Needs jax, optax and numpy from PyPI. Every eighth piece is held back; the table printed is about
those. OUT.bin holds little-endian 32-bit floats in the order of `shapes`; OUT.check.json holds
outputs for a made-up input, which a test of the core compares with. OUT.state is where it stood:
stopped and started again with the same OUT it goes on to MINUTES in all. What the weights in the
tree learned from, and how long, stands in CREDITS.md beside this file.
"""
import json
import os
import pickle
import sys
import time
from pathlib import Path
from typing import NamedTuple

import jax
import jax.numpy as jnp
import numpy as np
import optax

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "eval"))
from split import is_for_level  # noqa: E402

INPUTS, KERNEL = 104, 5
# How much more often than a piece that we composed one is heard that somebody else wrote or played.
REAL = {"midi": 3.0, "module": 3.0, "recording": 3.0}
FRAMES_PER_S, CROP, BATCH = 50, 1536, 12


class Size(NamedTuple):
    width: int
    layers: int
    head: int
    first_bias: list  # of the outputs: about how rare what they tell is


# What the network says of each frame, with the weight of its loss. Only grids say where beats are; what comes
# after is free wherever music is rendered from notes, and lets the first two hear what they rest on.
OUTPUTS = {"beats": 1.0, "downbeats": 1.6, "kick": 0.3, "snare": 0.3, "cymbal": 0.2, "bass": 0.3, "chords": 0.5, "attack": 0.3, "phrases": 0.6}
BEATS = Size(64, 10, 32, [-2.5, -3.5, -2.5, -2.5, -2.5, -2.5, -4.0, -1.5, -5.0])


def shapes(size):
    yield "in_w", (INPUTS, size.width)
    yield "in_b", (size.width,)
    for layer in range(size.layers):
        yield f"depth_w{layer}", (KERNEL, size.width)
        yield f"depth_b{layer}", (size.width,)
        yield f"mix_w{layer}", (size.width, size.width)
        yield f"mix_b{layer}", (size.width,)
    yield "head_w", (size.width, size.head)
    yield "head_b", (size.head,)
    yield "out_w", (size.head, len(size.first_bias))
    yield "out_b", (len(size.first_bias),)


def begin(key, size):
    weights = {}
    for name, shape in shapes(size):
        key, sub = jax.random.split(key)
        if len(shape) == 1:
            weights[name] = jnp.zeros(shape)
        else:
            scale = {"mix": 0.5, "out": 0.3}.get(name.split("_")[0], 1.0)
            weights[name] = scale * jax.random.normal(sub, shape) * np.sqrt(2 / shape[0])
    weights["out_b"] = jnp.array(size.first_bias)
    return weights


def shifted(x, by):
    """x of `by` frames later (earlier for negative), zeros where there is none; x is (batch, frames, width)."""
    if by == 0:
        return x
    pad = jnp.zeros((x.shape[0], min(abs(by), x.shape[1]), x.shape[2]), x.dtype)
    return jnp.concatenate([x[:, by:], pad], 1) if by > 0 else jnp.concatenate([pad, x[:, :by]], 1)


def network(weights, x, keep=None):
    h = jax.nn.relu(x @ weights["in_w"] + weights["in_b"])
    for layer in range(sum(name.startswith("mix_w") for name in weights)):
        depth = sum(shifted(h, (tap - KERNEL // 2) * 2**layer) * weights[f"depth_w{layer}"][tap] for tap in range(KERNEL) if abs(tap - KERNEL // 2) * 2**layer < x.shape[1])
        step = jax.nn.relu(depth + weights[f"depth_b{layer}"]) @ weights[f"mix_w{layer}"] + weights[f"mix_b{layer}"]
        if keep is not None:
            keep, sub = jax.random.split(keep)
            step = step * jax.random.bernoulli(sub, 0.88, (step.shape[0], 1, step.shape[2])) / 0.88
        h = h + step
    return jax.nn.relu(h @ weights["head_w"] + weights["head_b"]) @ weights["out_w"] + weights["out_b"]


def targets(times, frames):
    """1 in the frame of each time, 0.5 in its neighbours."""
    y = np.zeros(frames, np.float32)
    at = np.round((np.asarray(times) + 0.004 - 0.005) * FRAMES_PER_S).astype(int)  # attacks come some ms late
    for shift, value in ((-1, 0.5), (1, 0.5), (0, 1.0)):
        k = at + shift
        y[k[(k >= 0) & (k < frames)]] = value
    return y


def loss_of(weights, x, y, mask, keep):
    """Mean over the frames of `mask` (batch, frames, outputs); an output that a piece says nothing of is masked."""
    cost = optax.sigmoid_binary_cross_entropy(network(weights, x, keep), y) * jnp.array(list(OUTPUTS.values()))
    return (cost * mask).sum() / mask[..., 0].sum()


def stretched(x, chance):
    """What brings frames from the start of `x` to another tempo (a sixth either way at most), and how many frames it takes for a crop."""
    if chance.random() > 0.4:
        return lambda part: part[:CROP], CROP
    speed = float(np.exp(chance.uniform(-0.16, 0.16)))
    count = min(len(x), int(CROP * speed))
    at = np.arange(min(CROP, int(count / speed))) * speed
    low = np.minimum(at.astype(int), count - 1)
    high, share = np.minimum(low + 1, count - 1), (at - low)[:, None]
    near = np.round(at).astype(int).clip(0, count - 1)

    def resampled(part):
        part = part[:count]
        # Marks are rare: each stays one, wherever its frame goes.
        if part.shape[1] != INPUTS:
            out = part[near].copy()
            frames, outputs = np.nonzero(part == 1)
            out[np.round(frames / speed).astype(int).clip(0, len(out) - 1), outputs] = 1
            return out
        return part[low] * (1 - share) + part[high] * share

    return resampled, count


def augment(x, chance):
    x = x.copy()
    turn = chance.integers(12)
    for start in (80, 92):
        x[:, start : start + 12] = np.roll(x[:, start : start + 12], turn, 1)
    if chance.random() < 0.6:  # a band that is not heard
        low = chance.integers(0, 36)
        high = low + chance.integers(2, 12)
        x[:, low : min(high, 40)] = 0
        for start in (40, 60):
            x[:, start + low // 2 : start + min(high, 40) // 2] = 0
    if chance.random() < 0.3:
        x[:, 80:] = 0
    x[:, 40:80] *= chance.uniform(0.6, 1.5)
    x[:, :40] *= chance.uniform(0.7, 1.3)
    return x


def f_measure(truth, found, window=0.07):
    used, hits = set(), 0
    found = np.asarray(found)
    for t in truth:
        near = [k for k in np.nonzero(np.abs(found - t) <= window)[0] if k not in used] if len(found) else []
        if near:
            used.add(near[0])
            hits += 1
    return 2 * hits / max(1, len(truth) + len(found))


def peaks(p, threshold):
    k = np.nonzero((p[1:-1] >= threshold) & (p[1:-1] >= p[:-2]) & (p[1:-1] > p[2:]))[0] + 1
    return k / FRAMES_PER_S + 0.005


def main():
    out, minutes = Path(sys.argv[1]), float(sys.argv[2])
    pieces = []
    for path in sorted((p for folder in sys.argv[3:] for p in Path(folder).glob("*.json")), key=lambda p: p.stem):
        truth = json.loads(path.read_text())
        if truth["family"] in ("midi", "module") and is_for_level(truth["source"]):
            continue
        x = np.load(path.with_suffix(".npy"))
        known = {**truth.get("told", {}), **{n: truth[n] for n in ("beats", "downbeats", "chords", "phrases") if n in truth}}
        y = np.stack([targets(known.get(n, []), len(x)) for n in OUTPUTS], 1).astype(np.float16)
        # What comes after the last beat is a ring-out: whether it still beats is nobody's guess.
        mask = (np.arange(len(x)) / FRAMES_PER_S < truth["end_s"] + 0.1)[:, None] & np.array([n in known for n in OUTPUTS])
        pieces.append((truth, x, y, mask.astype(np.float16)))
    held = [p for k, p in enumerate(pieces) if k % 8 == 7]
    learn = [p for k, p in enumerate(pieces) if k % 8 != 7]
    print(f"{len(learn)} pieces to learn from, {len(held)} held back", flush=True)
    weights = begin(jax.random.PRNGKey(1), BEATS)
    if "FROM" in os.environ:
        flat, at = np.fromfile(os.environ["FROM"], "<f4"), 0
        for name, shape in shapes(BEATS):
            count = int(np.prod(shape))
            weights[name], at = jnp.asarray(flat[at : at + count].reshape(shape)), at + count
    print(sum(int(np.prod(s)) for _, s in shapes(BEATS)), "weights")
    chance = np.random.default_rng(1)
    per_epoch = len(learn) // BATCH
    start = time.time()
    key = jax.random.PRNGKey(2)

    often = np.array([REAL.get(p[0]["family"], 1.0) for p in learn])

    def batch():
        rows = []
        for index in chance.choice(len(learn), BATCH, p=often / often.sum()):
            _, x, y, mask = learn[index]
            at = max(0, min(chance.integers(0, max(1, len(x) - CROP + 200)) - 100, len(x) - CROP))
            resampled, count = stretched(x[at:], chance)
            part = [np.asarray(resampled(p[at : at + count].astype(np.float32))) for p in (x, y, mask)]
            part[0] = augment(part[0], chance)
            rows.append([np.pad(p, ((0, CROP - len(p)), (0, 0))) for p in part])
        return tuple(np.stack(column).astype(np.float32) for column in zip(*rows))

    peak_rate = float(os.environ.get("PEAK", 2.5e-3))
    optimiser = optax.chain(optax.clip_by_global_norm(1.0), optax.inject_hyperparams(optax.adamw)(learning_rate=peak_rate, weight_decay=1e-4))
    state = optimiser.init(weights)

    @jax.jit
    def step(weights, state, x, y, mask, key, rate):
        loss, gradient = jax.value_and_grad(loss_of)(weights, x, y, mask, key)
        state[1].hyperparams["learning_rate"] = rate
        change, state = optimiser.update(gradient, state, weights)
        return optax.apply_updates(weights, change), state, loss

    apply = jax.jit(network)
    mean, steps, before = weights, 0, 0.0
    stood = out.with_suffix(".state")
    if stood.exists():
        weights, state, mean, steps, before = jax.tree.map(jnp.asarray, pickle.loads(stood.read_bytes()))
        steps, before, key = int(steps), float(before), jax.random.PRNGKey(2 + int(steps))
        chance = np.random.default_rng(1 + steps)
        print(f"going on after {before / 60:.0f} minutes, {steps} steps", flush=True)

    def judge(weights):
        rows = {}
        for truth, x, _, _ in held:
            size = -(-len(x) // 1024) * 1024
            p = 1 / (1 + np.exp(-np.asarray(apply(weights, np.pad(x.astype(np.float32), ((0, size - len(x)), (0, 0)))[None])[0, : len(x)])))
            end = truth["end_s"] + 0.1
            row = [f_measure(truth[n], [t for t in peaks(p[:, k], l) if t < end]) for k, (n, l) in enumerate((("beats", 0.35), ("downbeats", 0.3))) if n in truth]
            row += [0.0] * (2 - len(row))
            rows.setdefault(truth.get("style") or truth["family"], []).append(row)
            rows.setdefault("all", []).append(row)
        return "  ".join(f"{n} {np.mean(r, 0)[0]:.3f}/{np.mean(r, 0)[1]:.3f}" for n, r in sorted(rows.items()))

    report = start
    losses = []
    while (spent := before + time.time() - start) < minutes * 60:
        progress = spent / (minutes * 60)
        rate = peak_rate * min(1, (steps + 1) / 200) * (1 - progress) ** 1.0 + 1e-5
        key, sub = jax.random.split(key)
        weights, state, loss = step(weights, state, *batch(), sub, rate)
        losses.append(float(loss))
        decay = min(0.998, steps / (steps + 20))
        mean = jax.tree.map(lambda m, w: decay * m + (1 - decay) * w, mean, weights)
        steps += 1
        if time.time() - report > 180:
            report = time.time()
            print(f"{spent / 60:5.1f} min  {steps} steps ({steps / per_epoch:.1f} rounds)  loss {np.mean(losses[-200:]):.4f}  {judge(mean)}", flush=True)
            save(mean, BEATS, out)
            stood.write_bytes(pickle.dumps(jax.tree.map(np.asarray, (weights, state, mean, steps, spent))))
    print(f"end: {steps} steps  loss {np.mean(losses[-200:]):.4f}  {judge(mean)}")
    save(mean, BEATS, out)


def save(weights, size, out):
    np.concatenate([np.asarray(weights[name], np.float32).ravel() for name, _ in shapes(size)]).astype("<f4").tofile(out)
    # An input that a test can make too: no file of inputs has to be shipped.
    n = np.arange(300 * INPUTS)
    x = (((n * 7919) % 2003) / 1001.5 - 1).astype(np.float32).reshape(300, INPUTS)
    y = np.asarray(network(weights, x[None])[0])
    check = [[int(k), *map(float, y[k])] for k in range(0, 300, 23)]
    out.with_suffix(".check.json").write_text(json.dumps(check))


if __name__ == "__main__":
    main()
