"""Trains the network of crates/core/reading/src/reading/singing.rs and writes its weights.

    python tools/singing/train.py DATA OUT.bin [minutes]    # DATA: made by render.py

Needs jax, optax and numpy from PyPI. Every eighth piece is held back; what is printed is about
those. The form of OUT.bin and OUT.check.json is that of tools/reading/train.py.
"""
import json
import sys
import time
from pathlib import Path

import jax
import jax.numpy as jnp
import numpy as np
import optax

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "reading"))
from train import FRAMES_PER_S, Size, begin, network, save  # noqa: E402

VOICE = Size(24, 7, 16, [-0.5])
CROP, BATCH = 768, 16


def augment(x, chance):
    x = x.copy()
    turn = chance.integers(12)
    for start in (80, 92):
        x[:, start : start + 12] = np.roll(x[:, start : start + 12], turn, 1)
    x[:, :40] += chance.normal(0, 0.15, 40) + chance.uniform(-0.3, 0.3) * np.linspace(-1, 1, 40)
    if chance.random() < 0.3:  # a band that is not heard
        low = chance.integers(0, 36)
        high = low + chance.integers(2, 8)
        x[:, low : min(high, 40)] = 0
        for start in (40, 60):
            x[:, start + low // 2 : start + min(high, 40) // 2] = 0
    if chance.random() < 0.3:
        x[:, 80:] = 0
    x[:, 40:80] *= chance.uniform(0.6, 1.5)
    x[:, :40] *= chance.uniform(0.7, 1.3)
    return x


def loss_of(weights, x, y, mask, keep):
    cost = optax.sigmoid_binary_cross_entropy(network(weights, x, keep)[..., 0], y)
    return (cost * mask).sum() / mask.sum()


def main():
    data, out = Path(sys.argv[1]), Path(sys.argv[2])
    minutes = float(sys.argv[3]) if len(sys.argv) > 3 else 12
    pieces = []
    for path in sorted(data.glob("*.json"), key=lambda p: int(p.stem)):
        truth = json.loads(path.read_text())
        x = np.load(path.with_suffix(".npy"))
        seconds = np.arange(len(x)) / FRAMES_PER_S + 0.005
        y, mask = np.zeros(len(x), np.float32), np.ones(len(x), np.float32)
        for start, end in truth["voice"]:
            y[(seconds >= start) & (seconds < end)] = 1
            for edge in (start, end):  # whether a breath sings is nobody's guess
                mask[np.abs(seconds - edge) < 0.12] = 0
        pieces.append((truth, x, y, mask))
    held = [p for k, p in enumerate(pieces) if k % 8 == 7]
    learn = [p for k, p in enumerate(pieces) if k % 8 != 7]
    print(f"{len(learn)} pieces to learn from, {len(held)} held back", flush=True)
    weights = begin(jax.random.PRNGKey(1), VOICE)
    chance = np.random.default_rng(1)
    key = jax.random.PRNGKey(2)
    peak_rate = 3e-3
    optimiser = optax.chain(optax.clip_by_global_norm(1.0), optax.inject_hyperparams(optax.adamw)(learning_rate=peak_rate, weight_decay=3e-4))
    state = optimiser.init(weights)

    def batch():
        rows = []
        for index in chance.integers(0, len(learn), BATCH):
            _, x, y, mask = learn[index]
            at = int(chance.integers(0, max(1, len(x) - CROP)))
            part = augment(x[at : at + CROP].astype(np.float32), chance)
            pad = CROP - len(part)
            rows.append((np.pad(part, ((0, pad), (0, 0))), np.pad(y[at : at + CROP], (0, pad)), np.pad(mask[at : at + CROP], (0, pad))))
        return [np.stack(r) for r in zip(*rows)]

    @jax.jit
    def step(weights, state, x, y, mask, key, rate):
        loss, gradient = jax.value_and_grad(loss_of)(weights, x, y, mask, key)
        state[1].hyperparams["learning_rate"] = rate
        change, state = optimiser.update(gradient, state, weights)
        return optax.apply_updates(weights, change), state, loss

    apply = jax.jit(network)

    def judge(weights):
        rows = {}
        for truth, x, y, mask in held:
            size = -(-len(x) // 1024) * 1024
            p = np.asarray(apply(weights, np.pad(x.astype(np.float32), ((0, size - len(x)), (0, 0)))[None])[0, : len(x), 0]) > 0
            right = ((p == (y > 0.5)) * mask).sum() / mask.sum()
            rows.setdefault(truth["kind"], []).append(right)
            rows.setdefault("all", []).append(right)
        return "  ".join(f"{n} {np.mean(r):.3f}" for n, r in sorted(rows.items()))

    start = report = time.time()
    mean, steps, losses = weights, 0, []
    while (spent := time.time() - start) < minutes * 60:
        rate = peak_rate * min(1, (steps + 1) / 200) * (1 - spent / (minutes * 60)) + 1e-5
        key, sub = jax.random.split(key)
        weights, state, loss = step(weights, state, *batch(), sub, rate)
        losses.append(float(loss))
        decay = min(0.998, steps / (steps + 20))
        mean = jax.tree.map(lambda m, w: decay * m + (1 - decay) * w, mean, weights)
        steps += 1
        if time.time() - report > 120:
            report = time.time()
            print(f"{spent / 60:5.1f} min  {steps} steps  loss {np.mean(losses[-200:]):.4f}  {judge(mean)}", flush=True)
    print(f"end: {steps} steps  loss {np.mean(losses[-200:]):.4f}  {judge(mean)}")
    save(mean, VOICE, out)


if __name__ == "__main__":
    main()
