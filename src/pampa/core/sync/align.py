"""Lining one recording up with a reference: offset, drift, breaks, and how sure that is.

First the places: blocks of half a minute are found in the whole reference by the rises of their bands, which
survive a narrow, squeezed, noisy call. Then the exact delay of each short block near its place, by the generalised
cross-correlation with phase transform. A line through the delays gives offset and drift; where they jump, the
recorder or the call had stopped.

Source: Knapp and Carter, The generalized correlation method for estimation of time delay, IEEE Trans. ASSP 24
(1976); the line by random sample consensus (Fischler and Bolles 1981), then least squares on those that agree.
"""

import math
from dataclasses import dataclass

import numpy as np
import scipy

from pampa.core.sound import Source
from pampa.core.sync.breaks import break_at
from pampa.core.sync.claps import match_claps
from pampa.core.sync.clock import MOST_DRIFT_PPM, Clock
from pampa.core.sync.features import FEATURE_RATE, FRAME, WORK_RATE, Features, Mono, at_work_rate, rises

COARSE_S, MOST_COARSE = 30.0, 48
FINE_S = 4.0
REACH_S = 0.12
"""How far an exact delay may lie from the place found before, which is good to some hundredths of a second."""
CLEAR_COARSE = 9.0
"""A place found stands this many deviations over the correlation's floor; chance reaches about 6 in an hour."""
CLEAR_FINE = 8.5
QUIET = 0.13
"""Blocks 18 dB under the loudest hold nobody but others from afar, whose sound came another way."""
AGREE_S = 0.0015
"""Delays on one line scatter by tenths of a millisecond; a line that is any wider would bridge a jump."""
LEAST_JUMP_S = 0.03
LEAST_IN_A_PIECE = 4
SHORTEST_S = 3.0
WELL_FOUND = 0.7
"""Where sound alone is less sure than this, claps are looked for, too."""


@dataclass(frozen=True)
class Break:
    """A place where the offset jumps: at `at_s` of the recording's time, by `jump_s` of reference time."""

    at_s: float
    jump_s: float


@dataclass(frozen=True)
class Point:
    """One measured delay: at `local_s` of the recording the reference is `offset_s` ahead. weight: how clear."""

    local_s: float
    offset_s: float
    weight: float


@dataclass(frozen=True)
class Alignment:
    """What was found. confidence: 0 to 1; matched: whether the two belong together at all.

    clock holds up to the first break; each break adds its jump to the offset from there on. reason: why nothing was
    found, or what to listen for.
    """

    clock: Clock
    confidence: float
    matched: bool
    breaks: tuple[Break, ...]
    points: tuple[Point, ...]
    residual_ms: float
    reason: str


def align(reference: Source, local: Source) -> Alignment:
    """Line `local` up with `reference`, both of any rate and length."""
    return align_sounds(at_work_rate(reference), at_work_rate(local))


def align_sounds(reference: Mono, local: Mono) -> Alignment:
    """The same for mono sound at WORK_RATE."""
    for sound, what in ((reference, "The reference"), (local, "The recording")):
        if len(sound) < SHORTEST_S * WORK_RATE:
            return _unmatched(f"{what} is shorter than {SHORTEST_S:.0f} s; that is too little to compare.")
        if not np.abs(sound).max() > 1e-5:
            return _unmatched(f"{what} is silent; there is nothing to compare.")
    places = _coarse(rises(reference), rises(local), local)
    groups = _groups(places)
    found = _unmatched("The two do not sound like the same conversation. Nothing was moved.")
    if groups:
        found = _fitted(_fine(reference, local, groups), reference, local)
    if found.confidence >= WELL_FOUND:
        return found
    clapped = _by_claps(reference, local)
    return clapped if clapped and clapped.confidence > found.confidence else found


def _by_claps(reference: Mono, local: Mono) -> Alignment | None:
    """What two people who do not hear each other have in common: claps made together."""
    clapped = match_claps(reference, local)
    if clapped is None:
        return None
    points = tuple(Point(here, there - here, 1.0) for here, there in clapped.pairs)
    misfits = [clapped.clock.to_reference(here) - there for here, there in clapped.pairs]
    residual_ms = float(1000 * np.sqrt(np.mean(np.square(misfits))))
    return Alignment(clapped.clock, clapped.confidence, True, (), points, residual_ms, clapped.remark)


def _unmatched(reason: str) -> Alignment:
    return Alignment(Clock(0.0, 0.0), 0.0, False, (), (), 0.0, reason)


def _coarse(reference: Features, local: Features, sound: Mono) -> list[Point]:
    """Offsets of half-minute blocks, where they are clear. Blocks in which only others sound do not count."""
    length = min(round(COARSE_S * FEATURE_RATE), local.shape[1])
    starts = np.linspace(0, local.shape[1] - length, max(min(MOST_COARSE, 2 * local.shape[1] // length), 1)).astype(int)
    size = scipy.fft.next_fast_len(reference.shape[1] + length, real=True)
    whole = np.fft.rfft(reference, size)
    energy = np.sqrt((reference**2).sum(axis=1))
    found = []
    grid = sorted(set(starts.tolist()))
    levels = [float(np.sqrt(np.mean(sound[s * FRAME : (s + length) * FRAME] ** 2))) for s in grid]
    for start, level in zip(grid, levels, strict=True):
        if level < QUIET * max(levels):
            continue
        block = local[:, start : start + length]
        strength = np.sqrt((block**2).sum(axis=1))
        if not strength.max() > 0:
            continue
        weights = 1 / (np.maximum(strength, 1e-6) * np.maximum(energy, 1e-6))
        cross = np.fft.irfft((whole * np.conj(np.fft.rfft(block, size)) * weights[:, None]).sum(axis=0), size)
        peak = int(np.argmax(cross))
        clarity = cross[peak] / (1.4826 * np.median(np.abs(cross)) + 1e-12)
        if clarity >= CLEAR_COARSE:
            lag = peak - size if peak >= reference.shape[1] else peak
            found.append(Point((start + length / 2) / FEATURE_RATE, (lag - start) / FEATURE_RATE, float(clarity)))
    return found


def _groups(places: list[Point]) -> list[Point]:
    """Places that another one confirms, or that are clear beyond chance by themselves."""
    near = 2 / FEATURE_RATE
    kept = []
    for point in places:
        drift_s = [MOST_DRIFT_PPM * 1e-6 * abs(other.local_s - point.local_s) for other in places]
        friends = sum(
            abs(other.offset_s - point.offset_s) <= near + most for other, most in zip(places, drift_s, strict=True)
        )
        if friends > 1 or point.weight > 2 * CLEAR_COARSE:
            kept.append(point)
    return kept


def _fine(reference: Mono, local: Mono, places: list[Point]) -> list[Point]:
    """The exact delay of every four seconds of the recording, near the places found around it."""
    length, reach = round(FINE_S * WORK_RATE), round(REACH_S * WORK_RATE)
    at = np.array([place.local_s for place in places])
    offsets = np.array([place.offset_s for place in places])
    points = []
    levels = np.sqrt(np.mean(local[: len(local) // length * length].reshape(-1, length) ** 2, axis=1))
    quiet = QUIET * np.percentile(levels, 97) if levels.size else 0.0
    for start in range(0, len(local) - length + 1, length):
        block = local[start : start + length]
        if levels[start // length] < quiet:
            continue
        middle = (start + length / 2) / WORK_RATE
        near = np.argsort(np.abs(at - middle))[:3]
        best = None
        for expected in np.unique(np.round(offsets[near], 2)):
            first = start + round(expected * WORK_RATE) - reach
            if first + length + 2 * reach <= 0 or first >= len(reference):
                continue
            other = np.zeros(length + 2 * reach, np.float32)
            a, b = max(first, 0), min(first + len(other), len(reference))
            other[a - first : b - first] = reference[a:b]
            delay, clarity = _phat(other, block)
            if best is None or clarity > best.weight:
                best = Point(middle, (first + delay - start) / WORK_RATE, clarity)
        if best and best.weight >= CLEAR_FINE:
            points.append(best)
    return points


def _phat(reference: Mono, block: Mono) -> tuple[float, float]:
    """Delay of `block` in `reference` in frames, between them too, and how clear the peak is."""
    size = scipy.fft.next_fast_len(len(reference) + len(block), real=True)
    cross = np.fft.rfft(reference, size) * np.conj(np.fft.rfft(block * np.hanning(len(block)), size))
    hz = np.arange(cross.size) * WORK_RATE / size
    magnitude = np.abs(cross)
    in_band = (hz > 200) & (hz < 3600)
    # Bins that hold nothing but rounding would be lifted to full weight by a pure phase transform.
    floor = 0.02 * float(np.mean(magnitude[in_band])) + 1e-12
    correlation = np.fft.irfft(np.where(in_band, cross / (magnitude + floor), 0), size)
    last = len(reference) - len(block)
    searched = correlation[: last + 1]
    peak = int(np.argmax(searched))
    clarity = searched[peak] / (1.4826 * np.median(np.abs(searched)) + 1e-12)
    return peak + _between(correlation, peak), float(clarity)


def _between(values: np.ndarray, peak: int) -> float:
    """Where the top of a parabola through a peak and its neighbours lies, -0.5 to 0.5."""
    left, top, right = values[peak - 1], values[peak], values[(peak + 1) % len(values)]
    bend = left - 2 * top + right
    return float(np.clip(0.5 * (left - right) / bend, -0.5, 0.5)) if bend < 0 else 0.0


def _fitted(points: list[Point], reference: Mono, local: Mono) -> Alignment:
    """Lines through the delays, one between each two breaks, all of one slope."""
    if len(points) < 2:
        return _unmatched("Too little of the two sounds alike to be sure. Nothing was moved.")
    pieces = _pieces(points)
    if not pieces:
        return _unmatched("No two places agree on how the recordings lie. Nothing was moved.")
    drift_ppm, offsets = _common_slope(pieces)
    breaks = []
    for (_before, left), (_after, right) in zip(
        zip(pieces[:-1], offsets[:-1], strict=True), zip(pieces[1:], offsets[1:], strict=True), strict=True
    ):
        jump = right - left
        if abs(jump) >= LEAST_JUMP_S:
            at_s = break_at(
                reference,
                local,
                _before[-1].local_s - FINE_S / 2,
                _after[0].local_s + FINE_S / 2,
                (left, right),
                drift_ppm,
            )
            breaks.append(Break(at_s, jump))
    agreeing = [point for piece in pieces for point in piece]
    residuals = np.array(
        [p.offset_s - o - drift_ppm * 1e-6 * p.local_s for piece, o in zip(pieces, offsets, strict=True) for p in piece]
    )
    residual_ms = float(1000 * np.sqrt(np.mean(residuals**2)))
    confidence = _confidence(len(agreeing), len(points), residual_ms)
    first = offsets[0] if breaks else _offset_in_the_middle(pieces, offsets, len(reference) / WORK_RATE)
    return Alignment(
        Clock(float(first), float(drift_ppm)), confidence, confidence >= 0.5, tuple(breaks), tuple(agreeing),
        residual_ms, "" if confidence >= 0.5 else "Too few places agree to be sure. Nothing was moved.",
    )  # fmt: skip


def _pieces(points: list[Point]) -> list[list[Point]]:
    """Runs of points that one line holds, in order of time; what agrees with no run is left out."""
    left = sorted(points, key=lambda point: point.local_s)
    pieces: list[list[Point]] = []
    while len(left) >= 2:
        offset, slope = _consensus(left)
        held = [p for p in left if abs(p.offset_s - offset - slope * p.local_s) <= AGREE_S]
        if len(held) < 2 or (pieces and len(held) < LEAST_IN_A_PIECE):
            break
        pieces.append(held)
        left = [p for p in left if p not in held]
    pieces.sort(key=lambda piece: float(np.median([p.local_s for p in piece])))
    return _apart(pieces)


def _apart(pieces: list[list[Point]]) -> list[list[Point]]:
    """Drop pieces that share their time with a larger one: another voice's path or chance, not a break."""
    kept: list[list[Point]] = []
    for piece in sorted(pieces, key=len, reverse=True):
        first, last = piece[0].local_s, piece[-1].local_s
        if not any(other[0].local_s <= last and first <= other[-1].local_s for other in kept):
            kept.append(piece)
    return sorted(kept, key=lambda piece: piece[0].local_s)


def _consensus(points: list[Point]) -> tuple[float, float]:
    """The line with most agreeing weight, among those through pairs of points; then its least squares."""
    at = np.array([p.local_s for p in points])
    offsets = np.array([p.offset_s for p in points])
    weights = np.array([p.weight for p in points])
    rng = np.random.default_rng(len(points))
    best, line = -1.0, (float(np.median(offsets)), 0.0)
    count = len(points)
    pairs = (
        [(i, j) for i in range(count) for j in range(i + 1, count)]
        if count <= 40
        else [tuple(rng.choice(count, 2, replace=False)) for _ in range(800)]
    )
    for i, j in pairs:
        span = at[j] - at[i]
        slope = (offsets[j] - offsets[i]) / span if abs(span) > 20 else 0.0
        if abs(slope) > MOST_DRIFT_PPM * 1e-6:
            continue
        offset = offsets[i] - slope * at[i]
        score = weights[np.abs(offsets - offset - slope * at) <= AGREE_S].sum()
        if score > best:
            best, line = float(score), (float(offset), float(slope))
    for _ in range(3):
        near = np.abs(offsets - line[0] - line[1] * at) <= AGREE_S
        if near.sum() < 2 or np.ptp(at[near]) < 20:
            break
        slope, offset = np.polyfit(at[near], offsets[near], 1, w=np.sqrt(weights[near]))
        line = (float(offset), float(slope))
    return line


def _common_slope(pieces: list[list[Point]]) -> tuple[float, list[float]]:
    """One drift for all pieces, and each piece's offset, by weighted least squares."""
    top = bottom = 0.0
    centres = []
    for piece in pieces:
        at, offsets = np.array([p.local_s for p in piece]), np.array([p.offset_s for p in piece])
        weights = np.array([p.weight for p in piece])
        middle, level = np.average(at, weights=weights), np.average(offsets, weights=weights)
        top += float((weights * (at - middle) * (offsets - level)).sum())
        bottom += float((weights * (at - middle) ** 2).sum())
        centres.append((middle, level))
    slope = top / bottom if bottom > 0 else 0.0
    return slope * 1e6, [float(level - slope * middle) for middle, level in centres]


def _offset_in_the_middle(pieces: list[list[Point]], offsets: list[float], reference_s: float) -> float:
    """The offset in force in the middle of the reference: small jumps are the call's delay, not the recorder's.

    Everybody who is lined up with one call must choose the same side of its jumps, whoever talked when.
    """
    for piece, following, offset in zip(pieces, pieces[1:], offsets, strict=False):
        if (piece[-1].local_s + following[0].local_s) / 2 + offset > reference_s / 2:
            return offset
    return offsets[-1]


def _confidence(agreeing: int, measured: int, residual_ms: float) -> float:
    """0 to 1: many places, nearly all of them on the line, close to it."""
    share = agreeing / measured
    enough = 1 - math.exp(-agreeing / 3)
    return round(float(enough * min(share * 1.15, 1.0) * math.exp(-((residual_ms / 4) ** 2))), 3)
