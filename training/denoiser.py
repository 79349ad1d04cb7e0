"""Trains the network of `pampa.core.mend.denoiser`, for noise or for reverberation.

Needs jax beside the project's own packages, and flite and espeak-ng of Debian.

    PYTHONPATH=src:. python training/denoiser.py make WORK --clips 2400      # material, some minutes
    PYTHONPATH=src:. python training/denoiser.py train WORK noise src/pampa/core/mend/noise.npz --minutes 45
    PYTHONPATH=src:. python training/denoiser.py train WORK room src/pampa/core/mend/room.npz --minutes 45

The weights for noise were then trained on with `--begin` and `--words 0.3 --fastest 6e-4` for 20 minutes, with
`--words 0.5 --fastest 5e-4` for 18, and with `--words 0.5 --fastest 6e-4` and others talking, as `PEOPLE` says, for 45;
they are 0.35 of the last and 0.65 of the one before. So far they knew no fine bins. Twice they were trained on with
these for 55 minutes, by `--words 0.5 --fastest 1e-3` and by `--words 0.5 --fastest 8e-4` with up to 22 dB of SNR only.
Then came the mean of these two, and of that and what they began with: each hears something better than the
others do, and what lies between them hears better than any (Wortsman et al. 2022). That knew twelve voices. It was then
trained on for 70 minutes with a hundred more, of talks that `training/talks.py` had made (`--talks`), others talking in
every second moment and no more than 22 dB of SNR (`--people 0.5 --snr-to 22 --words 0.5 --fastest 8e-4`); what is
shipped is 0.7 of that and 0.3 of what it began with. Minutes are of one core.

    PYTHONPATH=src:. python training/denoiser.py average WORK noise OUT --begin A --and B --share 0.5

Talk and noises are kept apart as powers and mixed anew for every step: powers add, and their waves beat against each
other with a phase that may be anything. The loss is the distance of compressed magnitudes in every group (Braun &
Tashev 2021), with what is taken from speech weighing more than what is left of noise; and, so much as `--words` says,
how unlike the envelopes of third-octave bands are to those of the clean talk (Taal et al. 2011).
"""

import argparse
import time
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pampa.core.mend.denoiser import DILATIONS, INPUTS, WIDTH, inputs, pitch_inputs
from pampa.core.mend.profile import along, blocks_of, loudness
from pampa.core.mend.spectra import (
    FINE,
    FINE_AROUND,
    GROUPS,
    HOP,
    SIZE,
    edges,
    fine_groups,
    fine_powers,
    frames_of,
    powers,
)
from pampa.core.sound import RATE
from training import material

SECONDS = 6.0
CROP, BATCH, HELD = 256, 16, 60
COMPRESSED = 0.4
TAKEN_WEIGHS = 2.0
FASTEST = 2e-3
ALIKE = np.float32(0.8)
"""How alike the phases of long and short frames are, as a correlation."""
NARROW = 0.25
"""So often talk comes over a call."""
PEOPLE = 0.3
"""So often the noise is others talking and nothing else: the hardest to tell from who is meant."""
SNR_DB = {"noise": (-5.0, 30.0), "room": (25.0, 55.0)}
LEAST = 1e-12
THIRDS_HZ = 150 * 2 ** (np.arange(16) / 3) / 2 ** (1 / 6)
"""Edges of fifteen third-octave bands, the lowest around 150 Hz."""
HEARD, EVERY = 36, 9
"""Frames that an envelope is compared over, 0.38 s, and from one comparison to the next."""
WORST = 1 + 10 ** (15 / 20)
"""What is so many times too much counts as no worse."""

Clip = NDArray[np.float32]
"""Powers of the groups and of the fine bins, shape (frames, GROUPS + FINE)."""


def make_clip(files: list[Path], seed: int) -> tuple[Clip, ...]:
    """Talk in its own room; talk in a live room, and with the first 20 ms of that room; a noise; others talking.

    All are at level 1.
    """
    rng = np.random.default_rng(seed)
    frames = int(SECONDS * RATE)
    own = material.talk(rng, files, SECONDS)[:frames]
    dry = material.talk(rng, files, SECONDS, dry=True)[:frames]
    tail = material.room(rng, rng.uniform(0.15, 0.9), rng.uniform(-2, 10))
    early = tail[: RATE // 50] * np.minimum(np.arange(RATE // 50, 0, -1) / 96, 1)
    level = material.active_level(dry)
    return (
        _powers(own / material.active_level(own)), _powers(material.heard_in(dry, tail) / level),
        _powers(material.heard_in(dry, early) / level), _powers(material.noise(rng, files, frames)),
        _powers(material.people(rng, files, frames)),
    )  # fmt: skip


def _powers(sound: NDArray[np.float64]) -> Clip:
    count = len(sound) // HOP
    around = np.pad(sound, ((1 + FINE_AROUND) * HOP, FINE_AROUND * HOP))[:, None].astype(np.float32)
    frames = frames_of(around)[:, : count + 2 * FINE_AROUND]
    return np.concatenate([powers(frames[:, FINE_AROUND:-FINE_AROUND]), fine_powers(frames)], axis=1)


KINDS = ("own", "far", "near", "noise", "people")


def make(work: Path, clips: int, talks: Path | None) -> None:
    files = material.speak(work / "speech")
    if talks:
        files += material.talked(work / "talked", talks)
    with ProcessPoolExecutor() as pool:
        rows = list(pool.map(partial(make_clip, files), range(clips), chunksize=8))
    for index, kind in enumerate(KINDS):
        np.save(work / f"{kind}.npy", np.log10(np.stack([row[index] for row in rows]) + LEAST).astype(np.float16))


class Mixer:
    """Hands out batches: what the network sees, and compressed magnitudes of spoilt and clean sound."""

    def __init__(self, work: Path, task: str, people: float = PEOPLE, snr_to: float | None = None) -> None:
        wanted = {"noise": ("own", "own"), "room": ("far", "near")}[task]
        kinds = {*wanted, "noise", "people"}
        loaded = {kind: np.float32(10) ** np.load(work / f"{kind}.npy").astype(np.float32) for kind in kinds}
        self._spoilt, self._clean, self._noise, self._people = (loaded[kind] for kind in (*wanted, "noise", "people"))
        self._waves = np.cos(np.random.default_rng(1).uniform(0, 2 * np.pi, 1 << 22)).astype(np.float32)
        self._others, (lowest, highest) = people, SNR_DB[task]
        self._snr_db = lowest, highest if snr_to is None else snr_to
        self._beats = np.concatenate([2 / np.sqrt(np.diff(edges())), np.full(FINE, 2)]).astype(np.float32)
        self._fine = task == "noise"

    def batch(self, rng: np.random.Generator, count: int, *, held: bool = False) -> tuple[Any, ...]:
        rows = [self._one(rng, held=held) for _ in range(count)]
        return tuple(np.stack(kind) for kind in zip(*rows, strict=True))

    def _one(self, rng: np.random.Generator, *, held: bool) -> tuple[Any, ...]:
        a, b = (rng.integers(0, HELD) if held else rng.integers(HELD, len(self._noise)) for _ in range(2))
        spoilt, clean = self._spoilt[a], self._clean[a]
        noise = (self._people if rng.random() < self._others else self._noise)[b]
        level = np.float32(10 ** (-rng.uniform(*self._snr_db) / 10))
        noise = np.roll(noise, rng.integers(len(noise)), axis=0) * level
        at = rng.integers(0, self._waves.size - noise.size)
        waves = self._waves[at : at + noise.size].reshape(noise.shape).copy()
        # Frames twice as long see much the same phases as the short ones within them.
        waves[:, GROUPS:] = ALIKE * waves[:, fine_groups()] + (1 - ALIKE**2) ** 0.5 * waves[:, GROUPS:]
        beat = self._beats * waves
        mixed = np.maximum(spoilt + noise + beat * np.sqrt(spoilt * noise), 0)
        if self._spoilt is not self._clean:
            # For the room, noise is not what is to be taken away.
            clean = np.maximum(clean + noise + beat * np.sqrt(clean * noise), 0)
        colour = 10 ** _smooth_colour(rng)
        if rng.random() < NARROW:
            colour = colour * _call_band(rng)
        colour = np.concatenate([colour, colour[fine_groups()]])
        mixed, clean, noise = mixed * colour, clean * colour, noise * colour
        if rng.random() < NARROW and self._spoilt is self._clean:
            # What the far end adds is not in the call's band only.
            hiss = self._noise[rng.integers(HELD, len(self._noise))] * np.float32(10 ** (-rng.uniform(15, 45) / 10))
            mixed, noise = mixed + hiss, noise + hiss
        fine, (mixed, clean, noise) = mixed[:, GROUPS:], (kind[:, :GROUPS] for kind in (mixed, clean, noise))
        blocks = blocks_of(mixed)
        if rng.random() < 0.5:
            start = rng.integers(0, len(noise) - 90)
            profile = noise[start : start + rng.integers(40, 90)].mean(axis=0)
        else:
            profile = along(blocks)[0]
        profile = (profile * 10 ** rng.normal(0, 0.1)).astype(np.float32)
        loud = loudness(blocks)
        at = rng.integers(0, len(mixed) - CROP)
        mixed, clean = mixed[at : at + CROP], clean[at : at + CROP]
        seen = inputs(mixed, profile[None], loud)
        if self._fine:
            seen = np.concatenate([seen, pitch_inputs(fine[at : at + CROP], profile[None])], axis=1)
        return seen, *(((kind + LEAST) / (loud + LEAST)) ** (COMPRESSED / 2) for kind in (mixed, clean))


def _call_band(rng: np.random.Generator) -> NDArray[np.float32]:
    """The band of a call or a telephone, as gains of power: nearly nothing outside."""
    hz = (edges()[:-1] + edges()[1:] - 1) / 2 * RATE / SIZE
    low, high = rng.uniform(0, 320), rng.uniform(3_000, 9_000)
    inside = (hz >= low) & (hz <= high)
    return np.where(inside, 1.0, 10 ** (-rng.uniform(3, 7))).astype(np.float32)


def _smooth_colour(rng: np.random.Generator) -> NDArray[np.float32]:
    """Some microphone's colour: powers of ten of a gain for each group."""
    knots = rng.normal(0, 0.25, 6)
    return np.interp(np.linspace(0, 5, GROUPS), np.arange(6), knots).astype(np.float32)


def thirds() -> NDArray[np.float32]:
    """Which share of the power of each group belongs to each third-octave band: shape (GROUPS, 15), times its bins."""
    hz = np.arange(SIZE // 2 + 1) * RATE / SIZE
    band = np.digitize(hz, THIRDS_HZ) - 1
    group = np.digitize(np.arange(SIZE // 2 + 1), edges()) - 1
    out = np.zeros((GROUPS, len(THIRDS_HZ) - 1), np.float32)
    inside = (band >= 0) & (band < out.shape[1]) & (group < GROUPS)
    np.add.at(out, (group[inside], band[inside]), 1.0)
    return out


def fresh(rng: np.random.Generator, seen: int) -> dict[str, NDArray[np.float32]]:
    """Weights to begin with (He et al. 2015). seen : how many inputs there are."""
    layers = len(DILATIONS)
    shapes = {
        "into": (seen, WIDTH), "into_bias": (WIDTH,), "taps": (layers, 3, WIDTH), "taps_bias": (layers, WIDTH),
        "mix": (layers, WIDTH, WIDTH), "mix_bias": (layers, WIDTH), "out": (WIDTH, GROUPS), "out_bias": (GROUPS,),
    }  # fmt: skip
    scales = {"into": seen**-0.5, "taps": 0.6, "mix": 0.5 * WIDTH**-0.5, "out": WIDTH**-0.5}
    return {
        name: (rng.standard_normal(shape) * scales.get(name, 0)).astype(np.float32) for name, shape in shapes.items()
    }


def begun_with(path: Path, seen: int) -> dict[str, NDArray[np.float32]]:
    """Weights to go on from; inputs that they do not know yet are passed over at first."""
    weights = {name: value.astype(np.float32) for name, value in np.load(path).items()}
    weights["into"] = np.pad(weights["into"], ((0, seen - len(weights["into"])), (0, 0)))
    return weights


def train(
    mixer: Mixer, task: str, out: Path, minutes: float, begin: Path | None, words: float, fastest: float
) -> None:  # fmt: skip
    import jax
    import jax.numpy as jnp

    def gains(w: dict[str, Any], seen: Any) -> Any:
        x = jax.nn.relu(seen @ w["into"] + w["into_bias"])
        for layer, dilation in enumerate(DILATIONS):
            padded = jnp.pad(x, ((0, 0), (dilation, dilation), (0, 0)))
            count = x.shape[1]
            y = sum(padded[:, tap * dilation : tap * dilation + count] * w["taps"][layer, tap] for tap in range(3))
            x = x + jax.nn.relu(y + w["taps_bias"][layer]) @ w["mix"][layer] + w["mix_bias"][layer]
        # A root of nothing has no slope.
        return jnp.maximum(jax.nn.sigmoid(jax.nn.relu(x) @ w["out"] + w["out_bias"]), 1e-6)

    shares = jnp.asarray(thirds())

    def envelopes(compressed: Any) -> Any:
        """Of each band, stretch by stretch: shape (batch, stretches, HEARD, bands)."""
        bands = jnp.sqrt(jnp.maximum(compressed ** (2 / COMPRESSED), 0) @ shares + 1e-9)
        starts = range(20, bands.shape[1] - 20 - HEARD, EVERY)
        return jnp.stack([bands[:, at : at + HEARD] for at in starts], axis=1)

    def unlike(kept: Any, clean: Any) -> Any:
        """One minus the likeness of envelopes, where somebody talks."""
        x, y = envelopes(clean), envelopes(kept)
        y = y * jnp.sqrt((x**2).sum(axis=2, keepdims=True) / (y**2).sum(axis=2, keepdims=True))
        y = jnp.minimum(y, WORST * x)
        x, y = (each - each.mean(axis=2, keepdims=True) for each in (x, y))
        like = (x * y).sum(axis=2) / jnp.sqrt((x**2).sum(axis=2) * (y**2).sum(axis=2) + 1e-9)
        loud = (envelopes(clean) ** 2).sum(axis=(2, 3))
        talks = (loud > 0.003 * loud.max(axis=1, keepdims=True)).astype(jnp.float32)
        return ((1 - like.mean(axis=2)) * talks).sum() / talks.sum()

    def loss(w: dict[str, Any], seen: Any, spoilt: Any, clean: Any) -> Any:
        kept = gains(w, seen) ** COMPRESSED * spoilt
        off = kept - clean
        off = jnp.where(off < 0, TAKEN_WEIGHS**0.5 * off, off)
        value = jnp.mean(off[:, 20:-20] ** 2)
        return value + words * unlike(kept, clean) if words else value

    @jax.jit
    def step(w: Any, m: Any, v: Any, at: Any, rate: Any, *batch: Any) -> Any:
        """Adam (Kingma & Ba 2015)."""
        value, slope = jax.value_and_grad(loss)(w, *batch)
        m = jax.tree.map(lambda a, g: 0.9 * a + 0.1 * g, m, slope)
        v = jax.tree.map(lambda a, g: 0.999 * a + 0.001 * g * g, v, slope)
        w = jax.tree.map(
            lambda p, a, b: p - rate * (a / (1 - 0.9**at)) / (jnp.sqrt(b / (1 - 0.999**at)) + 1e-8), w, m, v
        )
        return w, m, v, value

    rng = np.random.default_rng(7)
    held = mixer.batch(np.random.default_rng(3), 4 * HELD, held=True)
    weights = begun_with(begin, INPUTS[task]) if begin else fresh(rng, INPUTS[task])
    w = {name: jnp.asarray(value, jnp.float32) for name, value in weights.items()}
    m = v = jax.tree.map(jnp.zeros_like, w)
    begun, at, shown = time.monotonic(), 0, 0.0
    pool = ThreadPoolExecutor(1)
    waiting = pool.submit(mixer.batch, rng, BATCH)
    told = jax.jit(loss)
    while (gone := (time.monotonic() - begun) / 60) < minutes:
        at += 1
        # Warm up, then fall to nothing at the end.
        rate = fastest * min(at / 200, 1) * 0.5 * (1 + np.cos(np.pi * gone / minutes))
        w, m, v, value = step(w, m, v, float(at), rate, *waiting.result())
        waiting = pool.submit(mixer.batch, rng, BATCH)
        shown = 0.98 * shown + 0.02 * float(value) if shown else float(value)
        if at % 200 == 0:
            print(f"{gone:5.1f} min, step {at}, loss {shown:.5f}, held out {float(told(w, *held)):.5f}", flush=True)
            np.savez(out, **{name: np.asarray(value, np.float16) for name, value in w.items()})
    np.savez(out, **{name: np.asarray(value, np.float16) for name, value in w.items()})


def average(task: str, out: Path, begin: Path, other: Path, share: float) -> None:
    """Weights between two that were trained on from one another."""
    one, two = (begun_with(path, INPUTS[task]) for path in (begin, other))
    between = {name: (1 - share) * one[name] + share * two[name] for name in one}
    np.savez(out, **{name: value.astype(np.float16) for name, value in between.items()})


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=["make", "train", "average"])
    parser.add_argument("work", type=Path)
    parser.add_argument("task", nargs="?", choices=["noise", "room"])
    parser.add_argument("out", type=Path, nargs="?", help="where the weights go")
    parser.add_argument("--clips", type=int, default=2400)
    parser.add_argument("--talks", type=Path, help="made talks whose people are learned from as well")
    parser.add_argument("--minutes", type=float, default=45)
    parser.add_argument("--words", type=float, default=0.0, help="how much the likeness of envelopes weighs")
    parser.add_argument("--fastest", type=float, default=FASTEST, help="the highest rate of learning")
    parser.add_argument("--people", type=float, default=PEOPLE, help="how often the noise is others talking")
    parser.add_argument("--snr-to", type=float, help="the highest SNR, in dB")
    parser.add_argument("--begin", type=Path, help="weights to go on from")
    parser.add_argument("--and", type=Path, dest="other", help="weights to go towards")
    parser.add_argument("--share", type=float, default=0.5, help="how far to go there")
    told = parser.parse_args()
    if told.what == "make":
        make(told.work, told.clips, told.talks)
    elif told.what == "average":
        average(told.task, told.out, told.begin, told.other, told.share)
    else:
        mixer = Mixer(told.work, told.task, told.people, told.snr_to)
        train(mixer, told.task, told.out, told.minutes, told.begin, told.words, told.fastest)


if __name__ == "__main__":
    main()
