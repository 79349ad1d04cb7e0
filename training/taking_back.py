"""Trains the network of `pampa.core.speech.taken_back` on what the network of sounds tells of rendered talks.

    PYTHONPATH=src:. python training/taking_back.py told SEEN TOLD       # SEEN: as `training/listening.py` renders it
    PYTHONPATH=src:. python training/taking_back.py train TOLD src/pampa/core/speech/taken_back.npz --minutes 8

Those shipped learned for 8 minutes from the talks that the network of sounds had learned from. On voices that neither
had learned from the area under precision and recall of frames that are taken back is 0.78; by what the first tells of
breaking off it is 0.23. Two moves of each talk, and 0.3 of the channels left out instead of 0.12, gave 0.76.
"""

import argparse
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any
from zlib import crc32

import numpy as np

from pampa.core.speech import sounds, taken_back
from pampa.core.speech.sounds import CONTEXT, MOVES
from training.learning import Batch, Shape, train

CROP, BATCH = 500, 32
RARE = 0.6
"""So many crops have something that is taken back about their middle."""
SHAPE = Shape(taken_back.INPUTS, taken_back.WIDTH, 1, taken_back.DILATIONS)


def tell(out: Path, path: Path) -> None:
    """What the second network sees of a rendered talk, and which moments are taken back.

    Moved by chance: the first network has learned from this voice, and must not tell it better than those to come.
    """
    kept = np.load(path)
    seen = kept["seen"].astype(np.float32)
    around = np.pad(seen, ((CONTEXT, CONTEXT), (0, 0)))
    rows = kept["truth"][:: taken_back.STEP, 2]
    bands = float(np.random.default_rng(crc32(path.stem.encode())).choice(MOVES))
    given = taken_back.inputs(seen, *sounds.told(around, bands))
    np.savez(out / path.name, given=given.astype(np.float16), rows=rows[: len(given)])


class Crops:
    """Hands out batches: what the second network sees, shape (BATCH, CROP + 2 * CONTEXT, INPUTS), and what is true."""

    def __init__(self, folder: Path) -> None:
        kept = [np.load(path) for path in sorted(folder.glob("*.npz"))]
        self._all = [(each["given"], each["rows"]) for each in kept]
        self._rare = [np.flatnonzero(rows) for _, rows in self._all]

    def batches(self) -> Iterator[Batch]:
        rng = np.random.default_rng(9)
        while True:
            yield self.batch(rng, BATCH)

    def batch(self, rng: np.random.Generator, count: int) -> Batch:
        seen, rows = zip(*(self._one(rng) for _ in range(count)), strict=True)
        return np.stack(seen), np.stack(rows).astype(np.float32)

    def _one(self, rng: np.random.Generator) -> tuple[Any, Any]:
        which = int(rng.integers(len(self._all)))
        given, rows = self._all[which]
        wide = CROP + 2 * taken_back.CONTEXT
        centre = int(rng.integers(len(given)))
        if rng.random() < RARE and self._rare[which].size:
            centre = int(rng.choice(self._rare[which])) + int(rng.integers(-CROP // 3, CROP // 3))
        at = np.arange(wide) - wide // 2 + centre
        inside = (at >= 0) & (at < len(given))
        at = np.clip(at, 0, len(given) - 1)
        x = given[at] * inside[:, None]
        return x, (rows[at] * inside)[taken_back.CONTEXT : -taken_back.CONTEXT]


def learn(folder: Path, out: Path, minutes: float, held: Path | None, fastest: float) -> None:
    from torch.nn import functional

    def loss(told: Any, again: Any) -> Any:
        return (functional.softplus(told[:, 0]) - again * told[:, 0]).mean()

    tried = Crops(held).batch(np.random.default_rng(3), 96) if held else None
    train(SHAPE, Crops(folder).batches, loss, out, minutes, tried=tried, fastest=fastest)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=["told", "train"])
    parser.add_argument("folder", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument("--minutes", type=float, default=8)
    parser.add_argument("--held", type=Path, help="told talks that nothing is learned from")
    parser.add_argument("--fastest", type=float, default=2e-3)
    asked = parser.parse_args()
    if asked.what == "told":
        asked.out.mkdir(parents=True, exist_ok=True)
        with ProcessPoolExecutor() as pool:
            list(pool.map(partial(tell, asked.out), sorted(asked.folder.glob("*.npz")), chunksize=4))
    else:
        learn(asked.folder, asked.out, asked.minutes, asked.held, asked.fastest)


if __name__ == "__main__":
    main()
