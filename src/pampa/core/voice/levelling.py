"""Levelling: a slow gain that brings every phrase to one loudness, and rests low between them."""

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from pampa.core.compiled import compiled
from pampa.core.loudness.gating import to_energy, to_lufs
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, Curve, FloatArray
from pampa.core.speech.phrases import Phrase, phrases_of
from pampa.core.voice import kernels

SLOPE_DB_PER_S = 12.0
MOST_DB = 15.0
NEAR_S, ALIKE_DB = 8.0, 1.0
"""Phrases near one another that differ by less than can be heard, some 1 dB, are one level, and stay as they are."""
UNSURE_DB = 0.7
"""By how much the level of a second of speech may be off by what happens to be said in it."""
ROUNDS, MORE_DB = 4, 2.0
"""How often the error of a phrase is fed back, and how much more or less it is given in its middle at most."""
HEARD_DB = 0.5
STRETCH_S, AROUND_S = 3.0, 60.0
EVEN_DB, UNEVEN_DB = 0.5, 1.0
"""How far a few seconds of talk stand off its goal, root mean square over a minute: under the one it is even and stays
as it is, from the other on it is levelled in full."""
NO_TALK_DB = 20.0
"""What lies this far under the talk around it is none: a breath, a knock in the next room."""


def level_gain_db(energy: Curve) -> Curve:
    """The gain in dB for each 20 ms that brings every phrase to the loudness of all: float64, shape (cells,).

    energy : K-weighted mean square of each 20 ms. Over words the gain follows what their phrase asks for, as far as it
    may move by 12 dB a second either way; in a pause it is the lowest that is still in time for the next word, but not
    under the gain of what lies around, or under 0 dB: the room comes up as little as can be. Even talk has no gain.

    Between phrases that ask for unlike gains at once, the mean of the highest and the lowest curve of that slope is
    taken; in pauses the lowest extension. Source: McShane, Extension of range of functions, Bull. AMS 40 (1934). What a
    phrase lacks at its ends by that, it is given in between, so that it is as loud as it should be on the whole: its
    error is fed back (Landweber, Am. J. Math. 73 (1951)).
    """
    spoken = [phrase for phrase in phrases_of(energy) if phrase.stop > phrase.start]
    spoken = _talk(spoken)
    if not spoken:
        return np.zeros(energy.size)
    off = _goal(spoken) - _trusted(spoken)
    wanted = np.clip(off * _unevenness(spoken, off), -MOST_DB, MOST_DB)
    starts = np.array([phrase.start for phrase in spoken])
    stops = np.array([phrase.stop for phrase in spoken])
    asked = wanted
    for _ in range(ROUNDS):
        gain_db = _curve(energy.size, starts, stops, asked, SLOPE_DB_PER_S / CELLS_PER_S)
        short = wanted - _moved_db(energy, gain_db, starts, stops)
        asked = np.clip(asked + short, wanted - MORE_DB, wanted + MORE_DB)
    return _curve(energy.size, starts, stops, asked, SLOPE_DB_PER_S / CELLS_PER_S)


def along(gain_db: Curve, start: int, stop: int, rate: int = RATE) -> FloatArray:
    """The linear gain of frames `start` to `stop`, on straight lines between the middles of the cells of a curve."""
    cell = rate / CELLS_PER_S
    if not gain_db.size:
        return np.ones(stop - start, np.float32)
    # Only what lies around, since a curve may be hours long; its cells keep their numbers: any range has the same bits.
    first = min(max(int(start / cell) - 2, 0), gain_db.size - 1)
    last = max(min(int(stop / cell) + 3, gain_db.size), first + 1)
    gain: FloatArray = kernels.ramp(10 ** (gain_db[first:last] / 20), first, cell, start, stop - start)
    return gain


def told(taken: Curve) -> str:
    """What it does in numbers, from what it takes where somebody talks; less than 0 is lifted."""
    if not taken.size or np.abs(taken).max() < HEARD_DB:
        return "leaves it as it is: the talk is even"
    low, high = np.percentile(-taken, [1, 99])
    return f"from {low:+.1f} to {high:+.1f} dB, phrase by phrase".replace("-", "\N{MINUS SIGN}")


def _moved_db(energy: Curve, gain_db: Curve, starts: NDArray[np.int64], stops: NDArray[np.int64]) -> Curve:
    """By how much a gain moves the loudness of each phrase."""
    sums = np.cumsum([np.append(0.0, energy), np.append(0.0, energy * 10 ** (gain_db / 10))], axis=1)
    before, after = np.maximum(sums[:, stops] - sums[:, starts], 1e-14)
    return np.asarray(10 * np.log10(after / before))


def _talk(phrases: Sequence[Phrase]) -> list[Phrase]:
    """Without what is far softer than the talk around it."""
    if not phrases:
        return []
    levels = np.array([phrase.lufs for phrase in phrases])
    seconds = np.array([phrase.stop - phrase.start for phrase in phrases]) / CELLS_PER_S
    usual = _weighted_percentile(levels, seconds, 75.0)
    return [phrase for phrase, level in zip(phrases, levels, strict=True) if level > usual - NO_TALK_DB]


def _goal(phrases: Sequence[Phrase]) -> float:
    """The loudness of all phrases together: an even recording stays as it is."""
    seconds = np.array([phrase.stop - phrase.start for phrase in phrases], np.float64)
    energies = np.array([to_energy(phrase.lufs) for phrase in phrases])
    return to_lufs(float((seconds * energies).sum() / seconds.sum())) or 0.0


def _trusted(phrases: Sequence[Phrase]) -> Curve:
    """How loud each phrase is taken to be: the mean of those near it that may well be as loud, itself among them.

    The shorter a phrase, the less its own measurement says, and the wider is what may be as loud.
    Source: Tomasi and Manduchi, Bilateral filtering, ICCV (1998), over levels in time.
    """
    levels = np.array([phrase.lufs for phrase in phrases])
    seconds, middles = _times(phrases)
    out = np.empty(levels.size)
    for n in range(levels.size):
        variance = ALIKE_DB**2 + UNSURE_DB**2 / seconds[n]
        near = seconds * np.exp(-np.abs(middles - middles[n]) / NEAR_S)
        alike = near * np.exp(-0.5 * (levels - levels[n]) ** 2 / variance)
        out[n] = alike @ levels / alike.sum()
    return out


def _unevenness(phrases: Sequence[Phrase], off: Curve) -> Curve:
    """How uneven the talk around each phrase is: 0 for as even as talk is by itself, 1 for what is to be levelled.

    Phrases of even talk scatter by more than can be heard, too, but that evens out within seconds; what stands off for
    longer is another level. So what counts is the variance between stretches: of local means, not of phrases.
    off : dB that each phrase lacks.
    """
    seconds, middles = _times(phrases)
    local = _around(off, seconds, middles, lambda apart: np.exp(-((apart / STRETCH_S) ** 2)), 4 * STRETCH_S)
    power = _around(local**2, seconds, middles, lambda apart: np.exp(-np.abs(apart) / AROUND_S), 6 * AROUND_S)
    return np.clip((power - EVEN_DB**2) / (UNEVEN_DB**2 - EVEN_DB**2), 0.0, 1.0)


def _times(phrases: Sequence[Phrase]) -> tuple[Curve, Curve]:
    """How long each phrase is, and where its middle lies, in seconds."""
    edges = np.array([(phrase.start, phrase.stop) for phrase in phrases]) / CELLS_PER_S
    return edges[:, 1] - edges[:, 0], edges.mean(axis=1)


def _around(values: Curve, seconds: Curve, middles: Curve, weight: Callable[[Curve], Curve], reach_s: float) -> Curve:
    """The mean of what lies around each phrase: by how long each is, and by how far off."""
    first, last = np.searchsorted(middles, middles - reach_s), np.searchsorted(middles, middles + reach_s, "right")
    out = np.empty(values.size)
    for n in range(values.size):
        near = slice(first[n], last[n])
        share = seconds[near] * weight(middles[near] - middles[n])
        out[n] = share @ values[near] / share.sum()
    return out


def _weighted_percentile(values: Curve, weights: Curve, share: float) -> float:
    order = np.argsort(values)
    sums = np.cumsum(weights[order])
    return float(values[order][np.searchsorted(sums, share / 100 * sums[-1])])


@compiled()
def _curve(cells, starts, stops, wanted, slope):  # type: ignore[no-untyped-def]
    """See `level_gain_db`. slope : in dB for a cell."""
    low = np.full(cells, np.inf)
    high = np.full(cells, -np.inf)
    for n in range(starts.size):
        for i in range(starts[n], stops[n]):
            low[i] = high[i] = wanted[n]
    spoken = low < np.inf
    for i in range(1, cells):
        low[i] = min(low[i], low[i - 1] + slope)
        high[i] = max(high[i], high[i - 1] - slope)
    for i in range(cells - 2, -1, -1):
        low[i] = min(low[i], low[i + 1] + slope)
        high[i] = max(high[i], high[i + 1] - slope)
    out = np.full(cells, -np.inf)
    for i in range(cells):
        if spoken[i]:
            out[i] = (low[i] + high[i]) / 2
    for i in range(1, cells):
        if not spoken[i]:
            out[i] = out[i - 1] - slope
    ahead = -np.inf
    at = starts.size - 1
    for i in range(cells - 1, -1, -1):
        if spoken[i]:
            ahead = out[i]
            continue
        while at >= 0 and starts[at] > i:
            at -= 1
        after = at + 1
        rest = 0.0
        if at >= 0:
            rest = min(rest, out[stops[at] - 1])
        if after < starts.size:
            rest = min(rest, out[starts[after]])
        ahead -= slope
        out[i] = max(out[i], ahead, rest)
    return out
