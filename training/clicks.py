"""Trains the network of `pampa.core.mend.click_judge` on clicks put into clean talk.

Needs what `training/denoiser.py` needs, and the talk that its `make` has written.

    PYTHONPATH=src:. python training/clicks.py WORK src/pampa/core/mend/clicks.npz

A peak counts as a click where one was put in that raises the error there; other peaks of the same talk, and of talk
without clicks, do not. The threshold is set on talk that was held out: so many clicks a minute are found where none is.
"""

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pampa.core.mend.click_judge import CELL, LOOKS, looks, peaks
from pampa.core.mend.clicks import curves_of
from pampa.core.sound import RATE, ArraySource
from training import material

SECONDS, PER_S = 12, 1.6
HIDDEN = 32
RAISED_DB = 3.0
HELD = 0.2
FALSE_PER_MINUTE = 3.0
FALSE_WEIGHS = 3.0
STEPS, BATCH, FASTEST, DECAY = 12_000, 512, 3e-3, 1e-4

Mono = NDArray[np.float64]
Rows = tuple[NDArray[np.float32], NDArray[np.bool_]]


def click(rng: np.random.Generator) -> Mono:
    """A click of the mouth, of a wire or of a broken sample, its peak 1."""
    kind = rng.choice(["mouth", "double", "wire", "step"], p=[0.6, 0.15, 0.15, 0.1])
    time = np.arange(round(rng.uniform(0.001, 0.006) * RATE)) / RATE
    if kind == "wire":
        wave = rng.standard_normal(time.size) * np.exp(-time / rng.uniform(0.00005, 0.0005))
    elif kind == "step":
        wave = np.exp(-time / rng.uniform(0.0001, 0.002))
    else:
        tones = rng.integers(1, 5)
        wave = sum(
            rng.uniform(0.3, 1) * np.sin(2 * np.pi * rng.uniform(1200, 8000) * time + rng.uniform(0, 6.28))
            for _ in range(tones)
        ) * np.exp(-time / rng.uniform(0.0003, 0.0016))
        wave = wave * np.minimum(1, time / rng.uniform(0.00002, 0.0003))
    if kind == "double":
        gap = np.zeros(round(rng.uniform(0.003, 0.02) * RATE))
        wave = np.concatenate([wave, gap, rng.uniform(0.3, 1) * wave])
    return np.asarray(wave / np.abs(wave).max())


def example(files: list[Path], seed: int) -> Rows:
    """Peaks of some seconds of talk with clicks and without: what is seen of each, and whether it is a click."""
    rng = np.random.default_rng(seed)
    talk = material.talk(rng, files, SECONDS, dry=rng.random() < 0.5)[: SECONDS * RATE]
    level = material.active_level(talk)
    talk = talk / level * 0.05
    talk += material.noise(rng, files, len(talk)) * 0.05 * 10 ** (-rng.uniform(20, 70) / 20)
    spoilt, inside = talk.copy(), np.zeros(len(talk) // CELL, bool)
    for second in np.arange(0.3, SECONDS - 0.5, 1 / PER_S):
        wave = click(rng)
        at = round((second + rng.uniform(0, 0.5 / PER_S)) * RATE)
        spoilt[at : at + wave.size] += wave * 0.05 * 10 ** (rng.uniform(-22, 14) / 20)
        inside[at // CELL - 1 : (at + wave.size) // CELL + 2] = True
    plain, mixed = (
        curves_of(ArraySource(sound[:, None].astype(np.float32)), 0, len(sound)) for sound in (talk, spoilt)
    )
    cells = peaks(mixed[0])
    clicks = inside[cells] & (mixed[0][cells] > plain[0][cells] + RAISED_DB)
    sure = clicks | ~inside[cells]
    without = peaks(plain[0])
    seen = np.concatenate([looks(mixed, cells[sure]), looks(plain, without)])
    return seen, np.concatenate([clicks[sure], np.zeros(len(without), bool)])


def _with_clicks() -> set[str]:
    """Lines of the sample that have clicks of their own."""
    lines = json.loads((material.VOICES / "lines.json").read_text())
    return {
        f"{line['speaker'].split()[0]}-{number:03}"
        for number, line in enumerate(lines)
        if any(part["kind"] == "click" for part in line["segments"])
    }


def train(rows: list[Rows], out: Path) -> None:
    import jax
    import jax.numpy as jnp

    held = rows[: round(HELD * len(rows))]
    seen, is_click = (np.concatenate(part) for part in zip(*rows[len(held) :], strict=True))
    held_seen, held_click = (np.concatenate(part) for part in zip(*held, strict=True))
    rng = np.random.default_rng(5)
    w: Any = {
        "into": rng.standard_normal((LOOKS, HIDDEN)) * LOOKS**-0.5, "into_bias": np.zeros(HIDDEN),
        "out": rng.standard_normal((HIDDEN, 1)) * HIDDEN**-0.5, "out_bias": np.zeros(1),
    }  # fmt: skip
    w = {name: jnp.asarray(value, jnp.float32) for name, value in w.items()}

    def sure(w: Any, seen: Any) -> Any:
        return (jax.nn.relu(seen @ w["into"] + w["into_bias"]) @ w["out"] + w["out_bias"])[:, 0]

    def loss(w: Any, seen: Any, truth: Any) -> Any:
        value = sure(w, seen)
        return jnp.mean(jnp.where(truth, jax.nn.softplus(-value), FALSE_WEIGHS * jax.nn.softplus(value)))

    @jax.jit
    def step(w: Any, m: Any, v: Any, at: Any, rate: Any, seen: Any, truth: Any) -> Any:
        """Adam with decay of weights (Loshchilov & Hutter 2019)."""
        value, slope = jax.value_and_grad(loss)(w, seen, truth)
        m = jax.tree.map(lambda a, g: 0.9 * a + 0.1 * g, m, slope)
        v = jax.tree.map(lambda a, g: 0.999 * a + 0.001 * g * g, v, slope)
        w = jax.tree.map(
            lambda p, a, b: p - rate * ((a / (1 - 0.9**at)) / (jnp.sqrt(b / (1 - 0.999**at)) + 1e-8) + DECAY * p),
            w, m, v,
        )  # fmt: skip
        return w, m, v, value

    m = v = jax.tree.map(jnp.zeros_like, w)
    clicks, others = np.flatnonzero(is_click), np.flatnonzero(~is_click)
    for at in range(1, STEPS + 1):
        batch = np.concatenate([rng.choice(clicks, BATCH // 4), rng.choice(others, BATCH - BATCH // 4)])
        rate = FASTEST * 0.5 * (1 + np.cos(np.pi * at / STEPS))
        w, m, v, value = step(w, m, v, float(at), rate, seen[batch], is_click[batch])
        if at % 2000 == 0:
            print(f"step {at}, loss {float(value):.4f}", flush=True)
    values = np.asarray(sure(w, held_seen))
    # Every example was heard twice: with clicks and without.
    minutes = 2 * SECONDS * len(held) / 60
    false = np.sort(values[~held_click])[::-1]
    at = float(false[int(FALSE_PER_MINUTE * minutes)])
    found = float((values[held_click] > at).mean())
    print(f"held out: {found:.3f} of {held_click.sum()} found with {FALSE_PER_MINUTE} false a minute")
    w["out_bias"] = w["out_bias"] - at
    np.savez(out, **{name: np.asarray(value, np.float16) for name, value in w.items()})


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("work", type=Path)
    parser.add_argument("out", type=Path, help="where the weights go")
    parser.add_argument("--examples", type=int, default=1200)
    told = parser.parse_args()
    files = [file for file in material.speak(told.work / "speech") if file.stem not in _with_clicks()]
    with ProcessPoolExecutor() as pool:
        rows = list(pool.map(partial(example, files), range(told.examples), chunksize=8))
    train(rows, told.out)


if __name__ == "__main__":
    main()
