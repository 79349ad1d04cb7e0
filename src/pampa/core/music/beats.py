"""Beats of music whose tempo may bend, and which of the possible tempi people tap to.

For every tempo that comes into question, the best row of beats is found by dynamic programming (D. P. W. Ellis, Beat
Tracking by Dynamic Programming, Journal of New Music Research 36(1), 2007), around a period that is followed through
the piece on its tempogram (Grosche and Mueller, Extracting predominant local pulse information from music recordings,
IEEE TASLP 19(6), 2011). It is found once more twice as fast: every other of those is a row that does not cross over
to what is struck between the beats in mid-piece. Which of all rows people tap to is weighed in `tapping`.
"""

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.compiled import compiled
from pampa.core.music.onsets import HOPS_PER_S, Onsets
from pampa.core.music.tapping import odds
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
CANDIDATES, APART = 6, 0.03
"""Tempi that come into question; two that are less than so much apart are one."""
SHORTEST_S, FEWEST = 4.0, 4
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
    rows = rows_of(onsets, gram)
    if not rows:
        return NO_BEATS
    clearest = max(row.clear for row in rows)
    if clearest < OVER_CHANCE * _by_chance(onsets.strength):
        return Beats(np.zeros(0), clearest)
    best = max(rows, key=lambda row: odds(onsets, row.hops, row.clear))
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
class Row:
    """Beats in hops that come into question, and how well their tempo comes again, 0 to 1."""

    hops: NDArray[np.int64]
    clear: float


def rows_of(onsets: Onsets, gram: NDArray[np.float64]) -> list[Row]:
    """All rows of beats that come into question: for each tempo the best one, and two of every other pulse."""
    strength, rows = onsets.strength, []
    steps = np.arange(len(gram)) * STEP_S * HOPS_PER_S
    for path in _paths(gram):
        clear = float(gram[np.arange(path.size), path].mean())
        period = np.interp(np.arange(strength.size), steps, PERIODS[path])
        pulse = _heard(_best_row(strength, period / 2), strength)
        for hops in (_heard(_best_row(strength, period), strength), pulse[::2], pulse[1::2]):
            if hops.size >= FEWEST:
                rows.append(Row(hops, clear))
    return rows


def _paths(gram: NDArray[np.float64]) -> list[NDArray[np.int64]]:
    """The tempi that come into question, each followed through the piece; no two of them the same."""
    kept: list[NDArray[np.int64]] = []
    for path in (_followed(gram, near) for near in _candidates(gram.mean(axis=0))):
        tempo = np.log(np.median(PERIODS[path]))
        if all(abs(tempo - np.log(np.median(PERIODS[other]))) > APART for other in kept):
            kept.append(path)
    return kept


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
