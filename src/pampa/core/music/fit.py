"""Fit to length: where a piece may jump from beat to beat, so that it lasts as long as asked and ends as it did.

The way through the beats with the least that may be heard is found by dynamic programming over how many have been
played (Wenner et al. 2013, see `likeness`). What is then left of the length, less than a beat, is made up by playing
the middle a little faster or slower; the first and the last bar stay as they are.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from pampa.core.compiled import compiled
from pampa.core.errors import SignalError
from pampa.core.music.likeness import unlike
from pampa.core.music.onsets import Onsets
from pampa.core.sound import Curve

EVEN_S = 0.5
"""Music without a beat is parted into pieces of this length."""
LEAST_APART = 4
"""Beats that are played between two jumps at least, and kept at both ends; of longer bars, one bar."""
CHOICES = 12
"""Places that are tried for a jump from each beat."""
A_JUMP, OFF_BAR, A_PERCENT = 0.15, 0.3, 0.03
"""What a jump costs besides how unlike it is; one that breaks the bar; and a hundredth of the tempo, squared."""
MOST_PERCENT = 6.0
"""As much faster or slower as the middle is played at most; it reaches into the first and the last bar before that."""
MOST_TIMES = 20
NEARLY_S = 0.01


@dataclass(frozen=True)
class Way:
    """How a piece is played: stretches of it in seconds, one after another, and by how much its middle is faster.

    kept_s : of the beginning and of the end, what stays as it is.
    """

    stretches: tuple[tuple[float, float], ...]
    percent: float
    kept_s: tuple[float, float]
    worst: float
    """How unlike the least fitting jump is: 0 for none, about 1 for strangers."""

    @property
    def jumps(self) -> tuple[tuple[float, float], ...]:
        """From where to where it jumps, in seconds of the piece."""
        return tuple((before[1], after[0]) for before, after in pairwise(self.stretches))


class NotThatLong(SignalError):
    """A piece cannot be made to last as long as asked."""

    def __init__(self, wanted_s: float, shortest_s: float, longest_s: float) -> None:
        super().__init__(
            f"It cannot be made to last {wanted_s:.1f} s: between its own beginning and ending it lasts from "
            f"{shortest_s:.1f} to {longest_s:.0f} s. Nothing was written."
        )
        self.shortest_s, self.longest_s = shortest_s, longest_s


def way_of_length(onsets: Onsets, beats_s: Curve, meter: int | None, length_s: float, wanted_s: float) -> Way:
    """The way through a piece of `length_s` that lasts `wanted_s`.

    Raises NotThatLong with what is possible, and SignalError where nothing is.
    """
    if abs(wanted_s - length_s) < NEARLY_S / 2:
        return Way(((0.0, length_s),), 0.0, (length_s, 0.0), 0.0)
    steady = beats_s.size >= 2 * LEAST_APART
    beats = beats_s if steady else np.arange(0.0, max(length_s - EVEN_S / 2, EVEN_S / 2), EVEN_S)
    run = max(LEAST_APART, meter or 0) if steady else LEAST_APART
    if beats.size < 2 * run:
        raise SignalError(
            f"It lasts {length_s:.1f} s, which is too short to leave anything out or to repeat anything. Nothing was "
            "written."
        )
    edges = np.append(beats, length_s)
    kept = (float(edges[run]), float(length_s - edges[-1 - run]))
    shortest, longest = sum(kept), MOST_TIMES * length_s
    if not shortest * (1 - MOST_PERCENT / 100) <= wanted_s <= longest:
        raise NotThatLong(wanted_s, shortest, longest)
    far = unlike(onsets, edges)
    choices, costs = _jumps(far, meter if steady and meter else 1, run)
    most = int(wanted_s * (1 + MOST_PERCENT / 100) / float(np.median(np.diff(edges)))) + run + 2
    cost, elapsed, back = _played(choices, costs, np.diff(edges), most, run)
    over = 100 * (edges[0] + elapsed - wanted_s)
    hurried = over / max(wanted_s - shortest, wanted_s / 3)
    totals = np.where(np.abs(over / wanted_s) <= MOST_PERCENT, cost + A_PERCENT * hurried**2, np.inf)
    best = int(np.argmin(totals))
    if not np.isfinite(totals[best]):
        raise NotThatLong(wanted_s, shortest, longest)
    played = _followed_back(back, best, run)
    worst = max((float(far[a + 1, b]) for a, b in pairwise(played) if b != a + 1), default=0.0)
    stretches = _stretches(played, edges)
    return Way(stretches, *_middle(stretches, kept, wanted_s), worst)


def _middle(
    stretches: tuple[tuple[float, float], ...], kept: tuple[float, float], wanted_s: float
) -> tuple[float, tuple[float, float]]:
    """By how many percent the middle is faster, and what is kept as it is: less where the middle would be hurried."""
    jumped = sum(stop - start for start, stop in stretches)
    over = jumped - wanted_s
    least = min(abs(over) * 200 / MOST_PERCENT, wanted_s)
    share = min((wanted_s - least) / sum(kept), 1.0)
    kept = (kept[0] * share, kept[1] * share)
    middle = wanted_s - sum(kept)
    return 100 * over / middle if middle > NEARLY_S else 0.0, kept


def _jumps(far: NDArray[np.float64], meter: int, run: int) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """For each beat, which beats may follow it by a jump, and what each costs; -1 where there is none."""
    count = len(far)
    choices = np.full((count, CHOICES), -1, np.int64)
    costs = np.full((count, CHOICES), np.inf)
    targets = np.arange(count - run + 1)
    for last in range(count - 1):
        cost = far[last + 1, targets] + A_JUMP + OFF_BAR * ((targets - last - 1) % meter != 0)
        cost[targets == last + 1] = np.inf
        # The beginning of the end is always among them, or a short way might not be found.
        best = np.append(np.argsort(cost[:-1])[: CHOICES - 1], targets.size - 1)
        best = best[np.isfinite(cost[best])]
        choices[last, : best.size], costs[last, : best.size] = targets[best], cost[best]
    return choices, costs


@compiled()
def _played(choices, costs, lengths, most, run):  # type: ignore[no-untyped-def]
    """For every number of beats played: the least cost of ending with the last one, how long that lasts, and the way.

    Between jumps, and at both ends, `run` beats are played in their order.
    """
    count = lengths.size
    least = np.full(most + 1, np.inf)
    total = np.zeros(most + 1)
    back = np.full((most + 1, count, run), -1, np.int32)
    cost, elapsed = np.full((count, run), np.inf), np.zeros((count, run))
    cost[0, 0], elapsed[0, 0] = 0.0, lengths[0]
    for played in range(1, most + 1):
        if cost[count - 1, run - 1] < np.inf:
            least[played], total[played] = cost[count - 1, run - 1], elapsed[count - 1, run - 1]
        later, then = np.full((count, run), np.inf), np.zeros((count, run))
        for beat in range(count - 1):
            for since in range(run):
                here = cost[beat, since]
                if here == np.inf:
                    continue
                came = beat * run + since
                on = min(since + 1, run - 1)
                if here < later[beat + 1, on]:
                    later[beat + 1, on] = here
                    then[beat + 1, on] = elapsed[beat, since] + lengths[beat + 1]
                    if played < most:
                        back[played + 1, beat + 1, on] = came
                if since == run - 1:
                    for n in range(choices.shape[1]):
                        to = choices[beat, n]
                        if to >= 0 and here + costs[beat, n] < later[to, 0]:
                            later[to, 0] = here + costs[beat, n]
                            then[to, 0] = elapsed[beat, since] + lengths[to]
                            if played < most:
                                back[played + 1, to, 0] = came
        cost, elapsed = later, then
    return least, total, back


def _followed_back(back: NDArray[np.int32], count: int, run: int) -> list[int]:
    """The beats of the best way with `count` of them, in the order in which they are played."""
    beat, since = back.shape[1] - 1, run - 1
    played = [beat]
    for left in range(count, 1, -1):
        came = int(back[left, beat, since])
        beat, since = divmod(came, run)
        played.append(beat)
    return played[::-1]


def _stretches(played: list[int], edges: Curve) -> tuple[tuple[float, float], ...]:
    """Beats that follow one another as one stretch; the first begins with the piece."""
    found = [[0.0, float(edges[played[0] + 1])]]
    for before, beat in pairwise(played):
        if beat == before + 1:
            found[-1][1] = float(edges[beat + 1])
        else:
            found.append([float(edges[beat]), float(edges[beat + 1])])
    return tuple((start, stop) for start, stop in found)
