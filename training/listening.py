"""Trains the network of `pampa.core.speech.sounds` on talks that `training/talks.py` has made.

Needs jax beside the project's own packages.

    PYTHONPATH=src:. python training/listening.py render TALKS SEEN --variants 2
    PYTHONPATH=src:. python training/listening.py train SEEN src/pampa/core/speech/sounds.npz --minutes 24

The weights shipped have a history. Some lay between two (`mean`, the second counted twice): those that learned from 53
talks of 150 s (seeds 1 to 23, 101 to 113, 201 on and 301 on) for 24 minutes of two cores and for 16 more with `--begin`
and `--fastest 1.5e-3`, and those that went on from there for 40 minutes with 53 talks of 75 s (seeds 1201 to 1240, 2001
to 2007, 3001 to 3006), in which fillers are as long as people say them. From these on the network learned for 24
minutes with `--fastest 1.2e-3` from 47 talks of 60 s (seeds 5101 to 5147, without noises, in two renderings) and from
178 of 60 s with `--running` (seeds 7201 on, 7401 on, 7501 to 7580 and 7701 to 7780), and the mean was taken with where
it began, the new counted twice. Running talk says little of how somebody breaks off, so what tells that was fitted anew
(`again`) to the 47 and to the 34 talks of seeds 6001 to 6034. Talks of `--part tried` were never learned from.

All these talks have seven voices of people and what lies between them; talks made now have many more. Weights that went
on from those shipped for 26 minutes, with 70 such talks beside those before, tell more of voices that nothing was
learned from (the phone in 0.52 of frames instead of 0.50, fillers 0.78 instead of 0.76 under their curve),
but the finds were no better, so that they are not shipped.
"""

import argparse
import json
import time
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import soxr
from numpy.typing import NDArray
from scipy import signal

from pampa.core.finds.restarts import BROKEN_OFF
from pampa.core.network import convolved
from pampa.core.sound import ArraySource
from pampa.core.speech.features import BANDS, PER_S, features_and_mel
from pampa.core.speech.sounds import (
    AGAINST_TALK,
    CONTEXT,
    DILATIONS,
    INPUTS,
    KINDS,
    LAYERS,
    OVER_ROOM,
    PHONES,
    WIDTH,
    inputs,
)
from training import material
from training.engines import RATE
from training.noises import with_noises
from training.talks import LEVEL

Mono = NDArray[np.float32]
OF_RUN = {"speech": "word", "restart": "word", "filler": "filler", "phrase": "phrase", "agree": "agree"}
SOFT_DB = -45.0
CROP, BATCH, FASTEST = 400, 16, 2e-3
DROPPED, FADES = 0.12, 0.1
HEAVIER = (1.0, 1.0, 3.0, 3.0, 1.5, 1.5)
"""How much a frame of each kind weighs: there are few of some."""


def rendered(made: Any, rng: np.random.Generator, noises: bool = False) -> list[Mono]:
    """Both people's recordings: room, microphone, the other's voice, noise, and what a call or a codec leaves.

    noises : whether both cough, put things down and move besides, where they do not talk.
    """
    dry = [made[name].astype(np.float32) for name in ("one", "two")]
    if noises:
        silent = [made[name] == 0 for name in ("phones_one", "phones_two")]
        dry = [with_noises(rng, own, still, PER_S, LEVEL) for own, still in zip(dry, silent, strict=True)]
    length = dry[0].size
    together = rng.random() < 0.5
    tails = [_room(rng) for _ in dry]
    out = []
    for n in range(2):
        own = _tilted(rng, signal.fftconvolve(dry[n], tails[n])[:length])
        leak_db = rng.uniform(-34, -12) if together else rng.uniform(-80, -25)
        late = round(rng.uniform(0.002, 0.01) * RATE)
        other = signal.fftconvolve(dry[1 - n], _room(rng, far=True))[:length]
        other = signal.lfilter(*signal.butter(1, rng.uniform(1500, 6000), fs=RATE), np.pad(other, (late, 0))[:length])
        sound = own + 10 ** (leak_db / 20) * other
        floor_db = rng.uniform(-62, -22)
        noise = material.shaped(rng, length) if rng.random() < 0.7 else material.tilted(rng, length, rng.uniform(-4, 1))
        swing = 1 + rng.uniform(0, 0.25) * np.sin(2 * np.pi * rng.uniform(0.05, 1.0) * np.arange(length) / RATE)
        sound = sound + 0.08 * 10 ** (floor_db / 20) * noise * swing
        if rng.random() < 0.3:
            hum = material.tones(rng, length, float(rng.choice((50, 60, 100))) * material.RATE / RATE, 6)
            sound = sound + 0.08 * 10 ** (rng.uniform(-60, -30) / 20) * hum
        if rng.random() < 0.25:
            band = (rng.uniform(60, 320), rng.uniform(3100, 7000))
            sound = signal.sosfilt(signal.butter(4, band, "band", fs=RATE, output="sos"), sound)
            sound = sound + 0.08 * 10 ** (rng.uniform(-70, -45) / 20) * rng.standard_normal(length)
        if rng.random() < 0.2:
            sound = np.sign(sound) * np.abs(sound) ** rng.uniform(0.7, 1)
        out.append((sound * 10 ** (rng.uniform(-12, 6) / 20)).astype(np.float32))
    return out


def _room(rng: np.random.Generator, far: bool = False) -> Mono:
    if rng.random() < 0.25 and not far:
        return np.ones(1, np.float32)
    tail = material.room(rng, rng.uniform(0.1, 0.6), rng.uniform(-2, 6) if far else rng.uniform(2, 18))
    return soxr.resample(tail, material.RATE, RATE).astype(np.float32) * (material.RATE / RATE)


def _tilted(rng: np.random.Generator, sound: Mono) -> Mono:
    low = signal.sosfilt(signal.butter(1, rng.uniform(700, 2500), fs=RATE, output="sos"), sound)
    return low + 10 ** (rng.uniform(-7, 7) / 20) * (sound - low)


def truth(made: Any, person: int) -> NDArray[np.uint8]:
    """Kind, phone, and whether it is taken back, of every frame: shape (frames, 3)."""
    dry, phones = ((made["one"], made["phones_one"]), (made["two"], made["phones_two"]))[person]
    count = phones.size
    power = signal.fftconvolve(dry.astype(np.float32) ** 2, np.ones(320) / 320, "same")[80::160][:count]
    soft = 10 * np.log10(np.maximum(power, 1e-12) / 0.08**2) < SOFT_DB
    rows = np.zeros((count, 3), np.uint8)
    rows[:, 1] = phones
    for who, kind, start, stop, *_ in json.loads(str(made["events"])):
        here = slice(round(start * PER_S), round(stop * PER_S))
        if who == person and kind in OF_RUN:
            rows[here, 0] = KINDS.index(OF_RUN[kind])
            rows[here, 2] = kind == "restart"
    rows[soft] = 0
    for who, kind, start, stop, *_ in json.loads(str(made["events"])):
        if who == person and kind == "breath":
            rows[round(start * PER_S) + 2 : round(stop * PER_S) - 2, 0] = KINDS.index("breath")
    return rows


def render(out: Path, variants: int, path: Path) -> None:
    made = np.load(path)
    for variant in range(variants):
        rng = np.random.default_rng((int(path.stem), variant))
        sounds = rendered(made, rng, noises=True)
        for person, sound in enumerate(sounds):
            kept = out / f"{path.stem}-{variant}-{person}.npz"
            if not kept.exists():
                features, mel = features_and_mel(ArraySource(sound[:, None], RATE))
                rows = truth(made, person)
                seen = inputs(features, mel)[: len(rows)]
                np.savez(kept, seen=seen.astype(np.float16), truth=rows[: len(seen)])


class Crops:
    """Hands out batches of crops, each with a colour, a size of mouth and a pace of its own."""

    def __init__(self, folder: Path) -> None:
        kept = [np.load(path) for path in sorted(folder.glob("*.npz"))]
        self._all = [(each["seen"], each["truth"]) for each in kept]
        self._shares = np.array([len(seen) for seen, _ in self._all], float)
        self._shares /= self._shares.sum()
        self._floors = [_floor(seen.astype(np.float32)) for seen, _ in self._all]
        self._rare = [np.flatnonzero(np.isin(rows[:, 0], (2, 3)) | (rows[:, 2] > 0)) for _, rows in self._all]

    def batch(self, rng: np.random.Generator, count: int = BATCH) -> tuple[NDArray[Any], ...]:
        rows = [self._one(rng) for _ in range(count)]
        return tuple(np.stack(kind) for kind in zip(*rows, strict=True))

    def _one(self, rng: np.random.Generator) -> tuple[NDArray[Any], NDArray[Any]]:
        which = int(rng.choice(len(self._all), p=self._shares))
        seen, truth = self._all[which]
        wide = CROP + 2 * CONTEXT
        if rng.random() < 0.6 and self._rare[which].size:
            centre = int(rng.choice(self._rare[which])) + int(rng.integers(-150, 150))
        else:
            centre = int(rng.integers(0, len(seen)))
        pace = float(np.exp(rng.normal(0, 0.08)))
        at = np.round((np.arange(wide) - wide / 2) * pace).astype(int) + centre
        inside = (at >= 0) & (at < len(seen))
        at = np.clip(at, 0, len(seen) - 1)
        x = seen[at].astype(np.float32)
        places = np.clip(np.arange(BANDS) * np.exp(rng.normal(0, 0.04)) + rng.normal(0, 0.8), 0, BANDS - 1)
        low = places.astype(int)
        share = (places - low).astype(np.float32)
        high = np.minimum(low + 1, BANDS - 1)
        for first in (0, BANDS):
            bands = x[:, first : first + BANDS]
            x[:, first : first + BANDS] = bands[:, low] * (1 - share) + bands[:, high] * share
        colour = np.interp(np.linspace(0, 4, BANDS), np.arange(5), rng.normal(0, 0.15, 5))
        x[:, :BANDS] += colour.astype(np.float32)
        if rng.random() < 0.4:
            _noisier(rng, x, self._floors[which])
        for _ in range(rng.integers(0, 3)):  # SpecAugment (Park et al. 2019), of bands
            wide_, low_ = int(rng.integers(1, 6)), int(rng.integers(0, BANDS))
            x[:, low_ : low_ + wide_] = x[:, :BANDS].mean()
            x[:, BANDS + low_ : min(BANDS + low_ + wide_, 2 * BANDS)] = -0.5
        x[~inside] = 0
        rows = truth[at].astype(np.int32)
        rows[~inside] = 0
        return x, rows[CONTEXT:-CONTEXT]


def _floor(seen: Mono) -> Mono:
    """How far the room's bands lie under the talk's, as logarithms, where both inputs tell it."""
    against, over = seen[:, :BANDS], seen[:, BANDS : 2 * BANDS]
    told = (over < 2.9) & (over > -1.4) & (against > -2.9)
    floors = (3 * (against - over - 1) * told).sum(axis=0) / np.maximum(told.sum(axis=0), 1)
    return np.where(told.any(axis=0), floors, -9.0).astype(np.float32)


def _noisier(rng: np.random.Generator, x: Mono, floor: Mono) -> None:
    """A louder room: steady noise of some colour is added to each band."""
    level = rng.uniform(-8, -2) + np.interp(np.linspace(0, 4, BANDS), np.arange(5), rng.normal(0, 1.2, 5))
    waver = np.log(rng.gamma(4, 0.25, (len(x), BANDS)))
    louder = np.logaddexp(3 * x[:, :BANDS], level + waver)
    x[:, :BANDS] = np.clip(louder / 3, *AGAINST_TALK)
    x[:, BANDS : 2 * BANDS] = np.clip((louder - np.logaddexp(floor, level - 0.5)) / 3 - 1, *OVER_ROOM)


def fresh(rng: np.random.Generator) -> dict[str, NDArray[np.float32]]:
    """Weights to begin with (He et al. 2015)."""
    layers, outputs = len(DILATIONS), len(KINDS) + 1 + len(PHONES)
    shapes = {
        "into": (INPUTS, WIDTH), "into_bias": (WIDTH,), "taps": (layers, 3, WIDTH), "taps_bias": (layers, WIDTH),
        "mix": (layers, WIDTH, WIDTH), "mix_bias": (layers, WIDTH), "out": (WIDTH, outputs), "out_bias": (outputs,),
    }  # fmt: skip
    scales = {"into": INPUTS**-0.5, "taps": 0.6, "mix": 0.5 * WIDTH**-0.5, "out": WIDTH**-0.5}
    return {
        name: (rng.standard_normal(shape) * scales.get(name, 0)).astype(np.float32) for name, shape in shapes.items()
    }


def train(folder: Path, out: Path, minutes: float, held: Path | None, begin: Path | None, fastest: float) -> None:
    import jax
    import jax.numpy as jnp

    heavier = jnp.asarray(HEAVIER)

    def sums(w: dict[str, Any], x: Any, key: Any) -> Any:
        x = jax.nn.relu(x @ w["into"] + w["into_bias"])
        for layer, dilation in enumerate(DILATIONS):
            count = x.shape[1] - 2 * dilation
            y = sum(x[:, tap * dilation : tap * dilation + count] * w["taps"][layer, tap] for tap in range(3))
            y = jax.nn.relu(y + w["taps_bias"][layer])
            if key is not None:  # dropout of whole channels (Tompson et al. 2015): cheap, and the same at all frames
                kept = jax.random.bernoulli(jax.random.fold_in(key, layer), 1 - DROPPED, (y.shape[0], 1, WIDTH))
                y = y * kept / (1 - DROPPED)
            x = x[:, dilation : dilation + count] + y @ w["mix"][layer] + w["mix_bias"][layer]
        return jax.nn.relu(x) @ w["out"] + w["out_bias"]

    def loss(w: dict[str, Any], x: Any, rows: Any, key: Any = None) -> Any:
        told = sums(w, x, key)
        kinds, back, phones = told[..., : len(KINDS)], told[..., len(KINDS)], told[..., len(KINDS) + 1 :]

        def missed(logits: Any, right: Any) -> Any:
            return -jnp.take_along_axis(jax.nn.log_softmax(logits), right[..., None], -1)[..., 0]

        of_kind = jnp.mean(missed(kinds, rows[..., 0]) * heavier[rows[..., 0]])
        of_phone = jnp.mean(missed(phones, rows[..., 1]))
        again = rows[..., 2].astype(jnp.float32)
        of_back = jnp.mean(jax.nn.softplus(back) - again * back)
        return of_kind + 0.3 * of_phone + 0.5 * of_back

    @jax.jit
    def step(w: Any, m: Any, v: Any, at: Any, rate: Any, *batch: Any) -> Any:
        """Adam (Kingma & Ba 2015), with weights that fade (Loshchilov & Hutter 2019)."""
        value, slope = jax.value_and_grad(loss)(w, *batch, jax.random.fold_in(jax.random.key(1), jnp.int32(at)))
        m = jax.tree.map(lambda a, g: 0.9 * a + 0.1 * g, m, slope)
        v = jax.tree.map(lambda a, g: 0.999 * a + 0.001 * g * g, v, slope)
        w = jax.tree.map(
            lambda p, a, b: (
                p * (1 - FADES * rate) - rate * (a / (1 - 0.9**at)) / (jnp.sqrt(b / (1 - 0.999**at)) + 1e-8)
            ),
            w,
            m,
            v,
        )
        return w, m, v, value

    crops, rng = Crops(folder), np.random.default_rng(7)
    tried = Crops(held).batch(np.random.default_rng(3), 96) if held else None
    weights = {n: v.astype(np.float32) for n, v in np.load(begin).items()} if begin else fresh(rng)
    w = {name: jnp.asarray(value) for name, value in weights.items()}
    m = v = jax.tree.map(jnp.zeros_like, w)
    begun, at, shown = time.monotonic(), 0, 0.0
    pool = ThreadPoolExecutor(1)
    waiting = pool.submit(crops.batch, rng)
    told = jax.jit(loss)
    while (gone := (time.monotonic() - begun) / 60) < minutes:
        at += 1
        rate = fastest * min(at / 200, 1) * 0.5 * (1 + np.cos(np.pi * gone / minutes))
        w, m, v, value = step(w, m, v, float(at), rate, *waiting.result())
        waiting = pool.submit(crops.batch, rng)
        shown = 0.98 * shown + 0.02 * float(value) if shown else float(value)
        if at % 200 == 0:
            other = f", tried {float(told(w, *tried)):.4f}" if tried else ""
            print(f"{gone:5.1f} min, step {at}, loss {shown:.4f}{other}", flush=True)
            np.savez(out, **{name: np.asarray(value, np.float16) for name, value in w.items()})
    np.savez(out, **{name: np.asarray(value, np.float16) for name, value in w.items()})


def mean(paths: list[Path], out: Path) -> None:
    """Weights between several that lie in one valley: better on voices that none of them learned from.

    Source: Izmailov et al., Averaging Weights Leads to Wider Optima, UAI (2018).
    """
    every = [np.load(path) for path in paths]
    np.savez(out, **{name: np.mean([each[name] for each in every], axis=0, dtype=np.float32).astype(np.float16)
                     for name in every[0].files})  # fmt: skip


def again(folder: Path, before: Path, begin: Path, out: Path) -> None:
    """Weights whose last layer tells being taken back as these talks have it: a logistic regression.

    As many frames are told as by the weights from before, so that as much is looked at.
    """
    from sklearn.linear_model import LogisticRegression

    talks = [np.load(path) for path in sorted(folder.glob("*.npz"))]
    right = np.concatenate([talk["truth"][::6, 2] > 0 for talk in talks])
    old, kept = dict(np.load(before)), dict(np.load(begin))
    then, now = _given(old, talks), _given(kept, talks)
    which, told_from = len(KINDS), np.log(BROKEN_OFF / (1 - BROKEN_OFF))
    share = float((then @ old["out"][:, which] + old["out_bias"][which] > told_from).mean())
    spread = now.std(axis=0) + 1e-3
    slopes = LogisticRegression(C=0.02, max_iter=300).fit(now / spread, right).coef_[0] / spread
    kept["out"][:, which] = slopes
    kept["out_bias"][which] = told_from - np.quantile(now @ slopes, 1 - share)
    np.savez(out, **kept)


def _given(weights: dict[str, Any], talks: list[Any]) -> Mono:
    """What the last layer is given at every sixth frame of some talks: shape (frames, WIDTH)."""
    inner = [np.ascontiguousarray(weights[name], np.float32) for name in LAYERS[:-2]]
    through = (*inner, np.eye(WIDTH, dtype=np.float32), np.zeros(WIDTH, np.float32), np.array(DILATIONS))
    around = ((CONTEXT, CONTEXT), (0, 0))
    return np.concatenate([convolved(np.pad(talk["seen"].astype(np.float32), around), *through)[::6] for talk in talks])


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=["render", "train", "mean", "again"])
    parser.add_argument("folder", type=Path, help="talks, what was rendered of them, or the first weights of a mean")
    parser.add_argument("out", type=Path)
    parser.add_argument("--variants", type=int, default=3)
    parser.add_argument("--minutes", type=float, default=25)
    parser.add_argument("--held", type=Path, help="rendered talks that nothing is learned from")
    parser.add_argument("--begin", type=Path, help="weights to go on from")
    parser.add_argument(
        "--others", type=Path, nargs="+", default=[], help="the other weights of a mean, or from before"
    )
    parser.add_argument("--fastest", type=float, default=FASTEST)
    asked = parser.parse_args()
    if asked.what == "render":
        asked.out.mkdir(parents=True, exist_ok=True)
        with ProcessPoolExecutor() as pool:
            list(pool.map(partial(render, asked.out, asked.variants), sorted(asked.folder.glob("[0-9]???.npz"))))
    elif asked.what == "mean":
        mean([asked.folder, *asked.others], asked.out)
    elif asked.what == "again":
        again(asked.folder, asked.others[0], asked.begin, asked.out)
    else:
        train(asked.folder, asked.out, asked.minutes, asked.held, asked.begin, asked.fastest)


if __name__ == "__main__":
    main()
