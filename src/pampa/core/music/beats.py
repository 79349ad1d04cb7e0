"""Beats of music whose tempo may bend, and which of the possible tempi people tap to.

For every tempo that comes into question, the best row of beats is found by dynamic programming (D. P. W. Ellis, Beat
Tracking by Dynamic Programming, Journal of New Music Research 36(1), 2007), around a period that is followed through
the piece on its tempogram (Grosche and Mueller, Extracting predominant local pulse information from music recordings,
IEEE TASLP 19(6), 2011). Of halves and doubles the one is taken whose beats come again best and are alike, whose bars
stand out, and which lies near the tempi that people tap to (Moelants, Preferred tempo reconsidered, ICMPC 2002).
"""

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.compiled import compiled
from pampa.core.music.accents import bars_told, struck
from pampa.core.music.onsets import HOPS_PER_S, Onsets
from pampa.core.sound import Curve

SLOWEST_BPM, FASTEST_BPM = 50.0, 210.0
WINDOW_S, STEP_S = 8.0, 0.5
PERIODS = HOPS_PER_S * 60 / np.geomspace(SLOWEST_BPM, FASTEST_BPM, 160)
"""In hops, from the longest to the shortest, each 0.9 % shorter."""
MULTIPLES = (1, 2, 3, 4)
"""A beat comes again at these; what is only one echo of a long phrase does not."""
REACH, BEND = 13, 0.004
"""A tempo bends by 12 % from its middle at most; a step of n periods costs so much times n squared."""
TIGHT = 100.0
"""What a beat costs that comes early or late, against the spread of the onsets, for the square of the ratio's log: as
Ellis has it, since the period is followed already."""
BETWEEN = 0.25
"""How much louder than what lies between a row of beats has to be, to be believed against bars that stand out less."""
LIKED_BPM, LIKING, ALIKE, UNLIKE = 120.0, 0.1, 0.5, 0.5
"""What a tempo costs an octave away from the liked one; and beats of which every other is less than half as strong."""
CANDIDATES = 6
SLACK = 5
SHORTEST_S = 4.0
BEATS_APART = 8
OVER_CHANCE, SHUFFLED = 1.3, 16
"""Beats come again so many times as well as in the same onsets shuffled, in pieces of 160 ms; else there are none."""
BEGINS, ENDS = 0.1, 0.5
"""Beats before the first onset of this share of the usual, and after the last of the other, are left out: music may
begin softly, and rings on when it has ended."""


@dataclass(frozen=True, eq=False)
class Beats:
    """Seconds of each beat; none where no steady beat is heard. clear : how well they come again, 0 to 1."""

    beats_s: Curve
    clear: float

    @property
    def bpm(self) -> float | None:
        """The middle tempo in beats a minute, over eight beats at a time where there are so many."""
        apart = min(self.beats_s.size - 1, BEATS_APART)
        return 60 * apart / float(np.median(self.beats_s[apart:] - self.beats_s[:-apart])) if apart > 0 else None


NO_BEATS = Beats(np.zeros(0), 0.0)


def beats_of(onsets: Onsets) -> Beats:
    """Where the beats of music lie."""
    if onsets.strength.size < SHORTEST_S * HOPS_PER_S or not onsets.strength.any():
        return NO_BEATS
    gram = tempogram(onsets.strength)
    rows = [_row(onsets, gram, near) for near in _candidates(gram.mean(axis=0))]
    best = max(rows, key=lambda row: row.score)
    if best.clear < OVER_CHANCE * _by_chance(onsets.strength):
        return Beats(np.zeros(0), best.clear)
    return Beats(_exact(best.hops, onsets.strength) / HOPS_PER_S, best.clear)


def tempogram(strength: Curve) -> NDArray[np.float64]:
    """How well each of `PERIODS` fits around each half second: shape (steps, periods)."""
    window, step = round(WINDOW_S * HOPS_PER_S), round(STEP_S * HOPS_PER_S)
    padded = np.pad(strength, (window // 2, window // 2 + step))
    starts = np.arange(0, max(strength.size, 1), step)
    size = scipy.fft.next_fast_len(2 * window)
    taper = np.hanning(window)
    own = np.correlate(taper, taper, "full")[window - 1 :]
    lags = np.arange(int(PERIODS[0] * MULTIPLES[-1]) + 2)
    overlap = own[0] / np.maximum(own[: lags.size], own[0] / 20)
    out = np.empty((starts.size, PERIODS.size))
    for n, start in enumerate(starts):
        spectrum = scipy.fft.rfft(padded[start : start + window] * taper, size)
        raw = scipy.fft.irfft(np.abs(spectrum) ** 2, size)[: lags.size]
        likeness = raw * overlap / max(raw[0], 1e-9)
        out[n] = np.mean([np.interp(PERIODS * k, lags, likeness) for k in MULTIPLES], axis=0)
    return out


@dataclass(frozen=True, eq=False)
class _Row:
    hops: NDArray[np.int64]
    clear: float
    score: float


def _candidates(fit: Curve) -> list[int]:
    smooth = scipy.ndimage.gaussian_filter1d(fit, 2)
    peaks = np.flatnonzero(smooth == scipy.ndimage.maximum_filter1d(smooth, 9))
    return [int(peak) for peak in peaks[np.argsort(-smooth[peaks])][:CANDIDATES]]


def _by_chance(strength: Curve) -> float:
    """How well the best row comes again where there is no beat: a permutation test on the onsets."""
    pieces = np.pad(strength, (0, -strength.size % SHUFFLED)).reshape(-1, SHUFFLED)
    gram = tempogram(np.random.default_rng(0).permutation(pieces).ravel())
    paths = (_followed(gram, near) for near in _candidates(gram.mean(axis=0)))
    return max(float(gram[np.arange(path.size), path].mean()) for path in paths)


def _row(onsets: Onsets, gram: NDArray[np.float64], near: int) -> _Row:
    path = _followed(gram, near)
    clear = float(gram[np.arange(path.size), path].mean())
    steps = np.arange(path.size) * STEP_S * HOPS_PER_S
    strength = onsets.strength
    hops = _heard(_best_row(strength, np.interp(np.arange(strength.size), steps, PERIODS[path])), strength)
    octaves = float(np.log2(HOPS_PER_S * 60 / np.median(PERIODS[path]) / LIKED_BPM))
    unlike = max(ALIKE - _every_other(struck(onsets, hops)), 0.0)
    score = clear + _bars(onsets, hops) - LIKING * octaves**2 - UNLIKE * unlike
    return _Row(_down(onsets, hops), clear, score)


def _down(onsets: Onsets, hops: NDArray[np.int64]) -> NDArray[np.int64]:
    """The row of beats, or the one half a beat from it where bars stand out the better there.

    What is struck between the beats may be as loud as the beats themselves, but chords change on beats.
    """
    between = _nearest_onsets((hops[1:] + hops[:-1]) // 2, onsets.strength)
    if between.size == 0:
        return hops
    on, off = (float(struck(onsets, row).mean()) for row in (hops, between))
    louder = (on - off) / max(on + off, 1e-9)
    return between if _bars(onsets, between) - _bars(onsets, hops) > BETWEEN * louder else hops


def _bars(onsets: Onsets, hops: NDArray[np.int64]) -> float:
    """How far the best bars of a row of beats stand out."""
    return max((told[0] for told in bars_told(onsets, hops)), default=0.0)


def _nearest_onsets(hops: NDArray[np.int64], strength: Curve) -> NDArray[np.int64]:
    """Where it is strongest within `SLACK` hops of each; where nothing begins, as they are."""
    padded = np.pad(strength, SLACK)
    near = np.lib.stride_tricks.sliding_window_view(padded, 2 * SLACK + 1)[hops]
    return np.asarray(hops + np.where(near.max(axis=1, initial=0.0) > 0, near.argmax(axis=1) - SLACK, 0), np.int64)


def _every_other(strength: Curve) -> float:
    """How alike every other beat and those between are in strength: 1 where they are, 0 where only every other is."""
    if strength.size < 2:
        return 0.0
    one, other = float(strength[::2].mean()), float(strength[1::2].mean())
    return min(one, other) / max(one, other, 1e-9)


def _followed(gram: NDArray[np.float64], near: int) -> NDArray[np.int64]:
    """The path of periods that fits best around `PERIODS[near]`: an index for each step."""
    first, last = max(near - REACH, 0), min(near + REACH + 1, PERIODS.size)
    part = gram[:, first:last]
    width = part.shape[1]
    change = BEND * np.square(np.arange(width)[:, None] - np.arange(width))
    best, back = part[0], np.zeros(part.shape, np.int64)
    for n in range(1, len(part)):
        ways = best[None, :] - change
        back[n] = ways.argmax(axis=1)
        best = ways.max(axis=1) + part[n]
    path = np.empty(len(part), np.int64)
    path[-1] = int(best.argmax())
    for n in range(len(part) - 1, 0, -1):
        path[n - 1] = back[n, path[n]]
    return path + first


def _best_row(strength: Curve, period: Curve) -> NDArray[np.int64]:
    """The best row of beats about `period` hops apart: hops in order of time."""
    smooth = scipy.ndimage.gaussian_filter1d(strength, 1.5)
    score, back = _scores(smooth, period, TIGHT * float(np.std(smooth)))
    last = min(int(period[-1]), strength.size)
    place = strength.size - last + int(np.argmax(score[-last:]))
    found = []
    while place >= 0:
        found.append(place)
        place = int(back[place])
    return np.array(found[::-1], np.int64)


@compiled()
def _scores(strength, period, tight):  # type: ignore[no-untyped-def]
    """For each hop the best row of beats that ends there: its score, and the beat before (-1: none)."""
    score, back = strength.copy(), np.full(strength.size, -1, np.int64)
    for t in range(strength.size):
        p = period[t]
        best, place = 0.0, -1
        for before in range(max(t - int(2 * p), 0), t - int(p / 2)):
            bend = np.log((t - before) / p)
            value = score[before] - tight * bend * bend
            if value > best:
                best, place = value, before
        score[t] += best
        back[t] = place
    return score, back


def _heard(hops: NDArray[np.int64], strength: Curve) -> NDArray[np.int64]:
    """Without the beats before music begins and after it has ended."""
    near = scipy.ndimage.maximum_filter1d(strength, 9)[hops]
    usual = float(np.sqrt(np.mean(near**2))) if near.size else 0.0
    first, last = np.flatnonzero(near >= BEGINS * usual), np.flatnonzero(near >= ENDS * usual)
    return hops[first[0] : last[-1] + 1] if usual > 0 else hops[:0]


def _exact(hops: NDArray[np.int64], strength: Curve) -> Curve:
    """Beats between hops, at the middle of the onset that each stands on; where there is none they stay."""
    out = hops.astype(np.float64)
    for n, hop in enumerate(hops.tolist()):
        around = np.arange(max(hop - 3, 0), min(hop + 4, strength.size))
        weights = strength[around]
        if weights.sum() > ENDS:
            out[n] = float((around * weights).sum() / weights.sum())
    return out
