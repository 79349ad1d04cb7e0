"""Learns how much each sign of a row of beats counts: which of the rows that come into question is the one tapped.

`python -m training.beats [FOLDER...]`: on made music (`bench/made_music.py`; seeds that its bench does not use), and on
folders of other pieces with a `truth.json`: `[{"file", "style", "beats"}]`, beats in seconds. Prints the weights for
`pampa/core/music/tapping.py`, and F for each manner of playing, when it was learnt from and when it was left out.
"""

import json
import sys
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from multiprocessing import Pool
from pathlib import Path

import numpy as np
import scipy
import soundfile
from bench.made_music import PLAYED, f_measure, tune

from pampa.core.music.beats import rows_of, tempogram
from pampa.core.music.onsets import HOPS_PER_S, onsets_of
from pampa.core.music.tapping import WEIGHTS, signs
from pampa.core.sound import ArraySource, FloatArray

SEEDS = range(300, 340)
AS_GOOD = 0.03
"""A row whose F is so little under the best one's is as good."""
LEAST_F = 0.85
"""A piece of which no row is better teaches nothing."""
RIDGE = 0.01


@dataclass(frozen=True, eq=False)
class Piece:
    """The rows of a piece: what speaks for each, shape (rows, signs), and how right each is."""

    manner: str
    told: FloatArray
    f: FloatArray


def piece_of(manner: str, sound: FloatArray, beats_s: FloatArray) -> Piece:
    onsets = onsets_of(ArraySource(sound))
    rows = rows_of(onsets, tempogram(onsets.strength))
    told = [list(signs(onsets, row.hops, row.clear).values()) for row in rows]
    return Piece(manner, np.array(told), np.array([f_measure(row.hops / HOPS_PER_S, beats_s) for row in rows]))


def made(manner_and_seed: tuple[str, int]) -> Piece:
    piece = tune(*manner_and_seed)
    return piece_of(manner_and_seed[0], piece.sound, piece.beats_s)


def recorded(path_manner_beats: tuple[Path, str, list[float]]) -> Piece:
    path, manner, beats = path_manner_beats
    return piece_of(manner, soundfile.read(path, dtype="float32", always_2d=True)[0], np.array(beats))


def listed(folder: Path) -> Iterator[tuple[Path, str, list[float]]]:
    for each in json.loads((folder / "truth.json").read_text()):
        yield folder / each["file"], each["style"], each["beats"]


def learnt(pieces: list[Piece], scale: FloatArray) -> FloatArray:
    """Weights that make the right rows likeliest; each manner counts alike."""
    pieces = [piece for piece in pieces if piece.f.max(initial=0) > LEAST_F]
    count = Counter(piece.manner for piece in pieces)

    def loss(weights: FloatArray) -> tuple[float, FloatArray]:
        total, slope = RIDGE * float(weights @ weights), 2 * RIDGE * weights
        for piece in pieces:
            share = 1 / count[piece.manner] / len(count)
            told = piece.told / scale
            chance = scipy.special.softmax(told @ weights)
            right = np.where(piece.f >= piece.f.max() - AS_GOOD, chance, 0.0)
            total -= share * float(np.log(right.sum() + 1e-12))
            slope = slope - share * ((right / (right.sum() + 1e-12) - chance) @ told)
        return total, slope

    found = scipy.optimize.minimize(loss, np.zeros(scale.size), jac=True, method="L-BFGS-B")
    return np.asarray(found.x / scale)


def chosen(pieces: list[Piece], weights: FloatArray) -> float:
    return float(np.mean([piece.f[(piece.told @ weights).argmax()] for piece in pieces]))


def main(folders: list[Path]) -> None:
    with Pool() as pool:
        pieces = pool.map(made, [(manner, seed) for manner in PLAYED for seed in SEEDS])
        pieces += pool.map(recorded, [each for folder in folders for each in listed(folder)])
    scale = np.concatenate([piece.told for piece in pieces]).std(axis=0)
    weights = learnt(pieces, scale)
    for name, weight, size in zip(WEIGHTS, weights, scale, strict=True):
        print(f'    "{name}": {weight:.2f},  # {weight * size:+.2f} a spread')
    for manner in dict.fromkeys(piece.manner for piece in pieces):
        own = [piece for piece in pieces if piece.manner == manner]
        others = [piece for piece in pieces if piece.manner != manner]
        print(f"  {manner:<10} {chosen(own, weights):.3f}, left out {chosen(own, learnt(others, scale)):.3f}")


if __name__ == "__main__":
    main([Path(name) for name in sys.argv[1:]])
