"""The loudness of an episode as it stands: kept per stretch of content, so that an edit costs only itself.

Segments on a fixed grid would all change when a cut near the beginning moves everything up. Here the episode
is divided where its pieces begin and end and, in between, on the grid of the leading recording's own time: a
stretch that only moved has the same content, the same key, and is not computed again.
"""

import hashlib
from collections.abc import Callable, Iterable, MutableMapping
from dataclasses import dataclass
from functools import partial
from itertools import pairwise

import numpy as np

from pampa.core.executor import Executor, Inline
from pampa.core.loudness import LoudnessPart, measure_part
from pampa.core.loudness.kernels import EDGE
from pampa.core.loudness.measure import RUN_IN_S
from pampa.core.mix.ducking import CELL
from pampa.core.mix.plan import Lane
from pampa.core.mix.render import Mix
from pampa.core.sound import RATE

STRETCH = 5 * RATE
LEAD = round(RUN_IN_S * RATE)

Cache = MutableMapping[bytes, LoudnessPart]


@dataclass(frozen=True)
class Stretch:
    """`[start, stop)` of the episode, and the key of what is heard in it."""

    start: int
    stop: int
    key: bytes


def stretches(mix: Mix) -> list[Stretch]:
    """Divide the episode by content."""
    edges = _edges(mix)
    return [Stretch(a, b, _key(mix, a, b)) for a, b in pairwise(edges)]


def standing_loudness(
    mix: Mix, cache: Cache, executor: Executor | None = None, *, progress: Callable[[], None] = lambda: None
) -> LoudnessPart:
    """Energies and peaks of the whole episode, computing only stretches that `cache` does not hold.

    progress : called after each of them; it may raise Cancelled to stop, and what was measured stays in `cache`.

    The energies of stretches are laid onto the episode's 20 ms grid through their running sum, so nothing is
    lost or counted twice; the reading agrees with a measurement of the rendered whole to 0.02 LU.
    """
    found = stretches(mix)
    wanted = {stretch.key: stretch for stretch in found if stretch.key not in cache}

    parts = (executor or Inline()).map(partial(_measured, mix), wanted.values())
    for key, part in zip(wanted, parts, strict=True):
        cache[key] = part
        progress()
    return _on_one_grid([(stretch, cache[stretch.key]) for stretch in found], mix.frames)


def _measured(mix: Mix, stretch: Stretch) -> LoudnessPart:
    lead = min(LEAD, stretch.start)
    sound = mix.read(stretch.start - lead, stretch.stop + EDGE)
    return measure_part(sound, RATE, lead=lead, frames=stretch.stop - stretch.start)


def _edges(mix: Mix) -> list[int]:
    """Where stretches begin: at every edge of talk, and every 5 s of the leading recording in between."""
    talk = [lane for lane in mix.plan.lanes if lane.linked] or list(mix.plan.lanes)
    edges = {0, mix.frames}
    for lane in talk:
        for span in lane.spans:
            edges.update((max(span.start, 0), min(span.stop, mix.frames)))
    sorted_edges = sorted(edges)
    for a, b in pairwise(sorted_edges):
        lead = next((span for lane in talk for span in lane.between(a, b)), None)
        shift = lead.source - lead.start if lead else 0
        first = a + STRETCH - (a + shift) % STRETCH
        edges.update(range(first, b, STRETCH))
    return _not_too_short(sorted(edges))


def _not_too_short(edges: list[int]) -> list[int]:
    """Drop edges that would leave a stretch without a single 20 ms cell."""
    kept = [edges[0]]
    for edge in edges[1:-1]:
        if edge - kept[-1] >= 2 * CELL:
            kept.append(edge)
    if len(kept) > 1 and edges[-1] - kept[-1] < 2 * CELL:
        kept.pop()
    return kept + edges[-1:] if edges[-1] > kept[-1] else kept


def _key(mix: Mix, start: int, stop: int) -> bytes:
    # As far back as the longest tail in the graph may reach.
    first = max(start - LEAD - mix.plan.tail, 0)
    last = stop + EDGE + mix.plan.look_ahead
    told = (start - first, stop - start, mix.plan.strips)
    digest = hashlib.blake2b(repr(told).encode(), digest_size=16)
    for lane in mix.plan.lanes:
        _describe(digest, mix, lane, start, first, last)
    return digest.digest()


def _describe(digest: "hashlib.blake2b", mix: Mix, lane: Lane, start: int, first: int, last: int) -> None:
    spans = lane.between(first, last)
    for span in spans:
        at = span.start - start
        begins, ends = span.start >= first - span.fade_in, span.stop <= last + span.fade_out
        digest.update(
            repr(
                (span.sound.key, span.source - at, span.gain, lane.to, span.envelope, span.sends)
                + (("in", at, span.fade_in, span.even_in, span.shape_in) if begins else ())
                + (("out", span.stop - start, span.fade_out, span.even_out, span.shape_out) if ends else ())
            ).encode()
        )
    step = mix.steps.get(lane.track)
    if spans and step is not None and step.size:
        # The curve is told by its values, and by where the 20 ms grid lies against this stretch.
        gain = step[first // CELL : -(-last // CELL) + 1]
        digest.update(repr(first % CELL).encode() + gain.tobytes())


def _on_one_grid(parts: Iterable[tuple[Stretch, LoudnessPart]], frames: int) -> LoudnessPart:
    places, sums = [0.0], [0.0]
    peak = top = 0.0
    for stretch, part in parts:
        peak, top = max(peak, part.sample_peak), max(top, part.true_peak)
        if part.energy.size:
            width = (stretch.stop - stretch.start) / part.energy.size
            places.extend(stretch.start + width * np.arange(1, part.energy.size + 1))
            sums.extend(sums[-1] + np.cumsum(part.energy) * width)
    grid = np.arange(frames // CELL + 1) * CELL
    energy = np.diff(np.interp(grid, places, sums)) / CELL
    return LoudnessPart(np.maximum(energy, 0.0), peak, top)
