"""Two finished files side by side, of which nothing is known but their sound.

Stretches that rise and fall alike in a few bands are the same moment, however each file was encoded, levelled or toned.
Most of two versions lies at the same distance from one place to the next, so each second is looked for there first, and
in the whole of the other only where it is not.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import scipy

from pampa.core.compare.by_cut import Difference
from pampa.core.compare.stretches import Stretch, gaps, joined, place_there
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import Curve, Source
from pampa.core.sync.features import FEATURE_RATE, FRAME, WORK_RATE, Features, Mono, at_work_rate, rises

WINDOW, STEP = 2 * FEATURE_RATE, FEATURE_RATE // 2
"""What is looked for: two seconds, every half second."""
NEAR = 3
SAME, SURE, BETTER = 0.55, 0.6, 0.1
"""How alike it is where it was expected; and anywhere else, where it must be the best by so much."""
MEETING = 3 * FEATURE_RATE
"""So far around two runs their edges are looked for."""
REPLACED = 10
"""Frames of 20 ms in which something else is heard than in the other, if it is to count."""
QUIET, STILL = 1e-3, 1.0
"""Sound under the first tells nothing; so little of what tells against it is none."""
LEAST_RUN = 2
FINE_S = 0.04
BRIDGED_S, LEAST_S, REST_S = 0.25, 0.2, 1.0
STEPS_LU, LASTING_S = 3.0, 2.0


@dataclass(frozen=True, eq=False)
class Heard:
    """What is compared of a file: mono at 8 kHz, how its bands rise, and its K-weighted energy in cells of 20 ms."""

    sound: Mono
    features: Features
    energy: Curve
    seconds: float


def heard(source: Source, energy: Curve) -> Heard:
    """Listen to a file. energy : as it was measured."""
    sound = at_work_rate(source)
    return Heard(sound, rises(sound), energy, source.frames / source.rate)


def stretches_heard(here: Heard, there: Heard) -> list[Stretch]:
    """What both have in common, in order of the one, each edge to some hundredths of a second."""
    runs = _runs(here.features, there.features)
    shifts = [_shift_s(run, here, there) for run in runs]
    edges = [[first, last] for first, last, _ in runs]
    for n in range(1, len(runs)):
        _meet(edges[n - 1], edges[n], shifts[n - 1], shifts[n], here, there)
    if runs:
        edges[0][0] = _outwards(edges[0][0], -1, shifts[0], here, there)
        edges[-1][1] = _outwards(edges[-1][1], 1, shifts[-1], here, there)
        _to_the_end(edges[-1], shifts[-1], here, there)
    found = [
        Stretch(first / FEATURE_RATE, first / FEATURE_RATE + shift, (last - first) / FEATURE_RATE)
        for (first, last), shift in zip(edges, shifts, strict=True) if last > first
    ]  # fmt: skip
    return joined(found, apart_s=BRIDGED_S)


def differences_heard(here: Heard, there: Heard, stretches: list[Stretch]) -> list[Difference]:
    """What is only in one of them, and what is louder or softer in the other than all the rest."""
    back = [each.turned for each in stretches]
    told = [
        Difference(f"Only in the first: {stop - start:.1f} s", start, place_there(stretches, start))
        for start, stop in gaps(stretches, here.seconds, least_s=LEAST_S)
    ]
    told += [
        Difference(f"Only in the second: {stop - start:.1f} s", place_there(back, start), start)
        for start, stop in gaps(back, there.seconds, least_s=LEAST_S)
    ]
    told += _levels(here, there, stretches)
    return sorted(told, key=lambda each: each.here_s or 0.0)


def _runs(here: Features, there: Features) -> list[tuple[int, int, int]]:
    """Runs of windows of the one that lie at one distance in the other: first frame, last frame, distance."""
    found: list[tuple[int, int, int]] = []
    distance = 0
    for at in range(0, here.shape[1] - WINDOW + 1, STEP):
        wanted = here[:, at : at + WINDOW]
        norm = float(np.linalg.norm(wanted))
        if norm < 1e-6:
            continue
        here_it_is = _expected(wanted, norm, there, at + distance)
        if here_it_is is None:
            here_it_is = _anywhere(wanted, norm, there)
        if here_it_is is None:
            continue
        distance = here_it_is - at
        last = found[-1] if found else None
        if last and abs(last[2] - distance) <= 1 and at - last[1] <= WINDOW:
            found[-1] = (last[0], at + WINDOW, last[2])
        else:
            found.append((at, at + WINDOW, distance))
    return [run for run in found if run[1] - run[0] >= WINDOW + (LEAST_RUN - 1) * STEP]


def _expected(wanted: Features, norm: float, there: Features, near: int) -> int | None:
    best, place = SAME, None
    for at in range(max(near - NEAR, 0), min(near + NEAR, there.shape[1] - WINDOW) + 1):
        other = there[:, at : at + WINDOW]
        likeness = float(np.vdot(wanted, other)) / (norm * float(np.linalg.norm(other)) + 1e-9)
        if likeness > best:
            best, place = likeness, at
    return place


def _anywhere(wanted: Features, norm: float, there: Features) -> int | None:
    if there.shape[1] < WINDOW:
        return None
    products = sum(scipy.signal.correlate(band, own, "valid", "fft") for band, own in zip(there, wanted, strict=True))
    power = np.cumsum(np.pad((there**2).sum(axis=0), (1, 0)))
    norms = np.sqrt(np.maximum(power[WINDOW:] - power[:-WINDOW], 1e-9)) * norm
    likeness = np.asarray(products) / norms
    place = int(likeness.argmax())
    others = np.delete(likeness, slice(max(place - FEATURE_RATE, 0), place + FEATURE_RATE))
    second = float(others.max()) if others.size else 0.0
    return place if likeness[place] > SURE and likeness[place] > second + BETTER else None


def _shift_s(run: tuple[int, int, int], here: Heard, there: Heard) -> float:
    """By how much a run lies later in the other, to the sample of 8 kHz."""
    first, last, distance = run
    reach = round(FINE_S * WORK_RATE)
    size = min(4 * WORK_RATE, (last - first) * FRAME)
    start = max((first + last) // 2 * FRAME - size // 2, 0)
    wanted = here.sound[start : start + size]
    low = start + distance * FRAME - reach
    field = there.sound[max(low, 0) : max(low, 0) + size + 2 * reach]
    if field.size < wanted.size or not wanted.any():
        return distance / FEATURE_RATE
    likeness = np.abs(scipy.signal.correlate(field, wanted, "valid", "fft"))
    return (max(low, 0) + int(likeness.argmax()) - start) / WORK_RATE


def _alike(here: Heard, there: Heard, shift_s: float, first: int, last: int) -> Curve:
    """How surely each frame of 20 ms of the one is the same sound in the other, from -1 to 1: shape (last - first,).

    The waves themselves are compared over 60 ms. In a pause there is nothing to tell, and it is 0.
    """
    around = (first - 1) * FRAME, (last + 1) * FRAME
    shift = round(shift_s * WORK_RATE)
    a, b = (_reading(sound, around[0] + by, around[1] + by) for sound, by in ((here.sound, 0), (there.sound, shift)))

    def over(values: Mono) -> Curve:
        frames = values.reshape(-1, FRAME).sum(axis=1, dtype=np.float64)
        return np.convolve(frames, np.ones(3), "valid")

    product, one, other = over(a * b), over(a * a), over(b * b)
    loud = 3 * FRAME * QUIET**2
    likeness = product / np.sqrt((one + loud) * (other + loud))
    telling = np.minimum(np.maximum(one, other) / (10 * loud), 1.0)
    return np.asarray((2 * np.abs(likeness) - 1) * telling)


def _reading(sound: Mono, start: int, stop: int) -> Mono:
    out = np.zeros(stop - start, np.float32)
    first, last = max(start, 0), min(stop, sound.size)
    if last > first:
        out[first - start : last - start] = sound[first:last]
    return out


def _meet(left: list[int], right: list[int], shift_s: float, further_s: float, here: Heard, there: Heard) -> None:
    """Move the edges of two runs that follow each other to where the one leaves off and the other begins.

    If nothing stands in the place of something else, what lies between them is in one file only: then one edge tells
    the other, and it lies where both together are most alike.
    """
    low, high = max(min(left[1], right[0]) - MEETING, left[0]), min(max(left[1], right[0]) + MEETING, right[1])
    missing = max(round((shift_s - further_s) * FEATURE_RATE), 0)  # only in the one
    if high - missing <= low:
        return
    as_left, as_right = (_alike(here, there, shift, low, high) for shift in (shift_s, further_s))
    before = np.concatenate([[0.0], np.cumsum(as_left)])
    behind = np.concatenate([np.cumsum(as_right[::-1])[::-1], [0.0]])
    edge = int((before[: high - low - missing + 1] + behind[missing:]).argmax())
    left[1], right[0] = low + edge, low + edge + missing
    # Where a word was put in the place of another, neither is alike there.
    other_left, other_right = _other(as_left[:edge][::-1]), _other(as_right[edge + missing :])
    if other_left + other_right >= REPLACED:
        left[1], right[0] = left[1] - other_left, right[0] + other_right


def _other(likeness: Curve) -> int:
    """For how many frames from an edge on something else is heard."""
    total = np.cumsum(-likeness)
    return int(total.argmax()) + 1 if likeness.size and total.max() > REPLACED / 3 else 0


def _outwards(edge: int, way: int, shift_s: float, here: Heard, there: Heard) -> int:
    """The outermost edge of all, as far as both go on alike."""
    limit = 0 if way < 0 else here.sound.size // FRAME
    first, last = (max(edge - MEETING, limit), edge) if way < 0 else (edge, min(edge + MEETING, limit))
    if last <= first:
        return edge
    likeness = _alike(here, there, shift_s, first, last)
    total = np.concatenate([[0.0], np.cumsum(likeness[::way])])
    reached = int(np.flatnonzero(total >= total.max() - STILL)[-1])  # a pause goes on as long as nothing else comes
    return edge + way * reached


def _to_the_end(edge: list[int], shift_s: float, here: Heard, there: Heard) -> None:
    """What little is left of both, as long in both, is the same: a room that dies away, an encoder's last word."""
    rest, its = here.seconds - edge[1] / FEATURE_RATE, there.seconds - edge[1] / FEATURE_RATE - shift_s
    if 0 < rest < REST_S and abs(rest - its) < LEAST_S / 2:
        edge[1] = int(here.seconds * FEATURE_RATE)


def _levels(here: Heard, there: Heard, stretches: list[Stretch]) -> Iterator[Difference]:
    """Where the other is louder or softer than it is in the whole."""
    offs, places = [], []
    for each in stretches:
        for second in range(int(each.length_s)):
            a, b = (_loud(side, start + second) for side, start in ((here, each.here_s), (there, each.there_s)))
            if a > 0 and b > 0:
                offs.append(10 * np.log10(b / a))
                places.append((each.here_s + second, each.there_s + second))
    if not offs:
        return
    usual = float(np.median(offs))
    start = 0
    while start < len(offs):
        sign = np.sign(offs[start] - usual)
        stop = start
        while (
            stop < len(offs)
            and (offs[stop] - usual) * sign > STEPS_LU
            and (stop == start or places[stop][0] - places[stop - 1][0] < 1.5)
        ):
            stop += 1
        if stop - start >= LASTING_S:
            by = float(np.mean(offs[start:stop])) - usual
            told = f"{abs(by):.0f} LU {'louder' if by > 0 else 'softer'} in the second for {stop - start} s"
            yield Difference(told, *places[start])
        start = max(stop, start + 1)


def _loud(side: Heard, second: float) -> float:
    """The mean energy of a second; 0 where it is as good as silent."""
    cells = side.energy[int(second * CELLS_PER_S) : int((second + 1) * CELLS_PER_S)]
    power = float(cells.mean()) if cells.size else 0.0
    return power if power > 1e-6 else 0.0
