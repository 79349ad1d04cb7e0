"""The one renderer: any range of the mix from the plan and the sources. What is heard is what goes out."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from pampa.core.mix.buses import Strip, blocks
from pampa.core.mix.ducking import CELL
from pampa.core.mix.plan import Lane, Plan, Span
from pampa.core.rendition import Rendition
from pampa.core.sound import RATE, Curve, FloatArray, Source, to_mono
from pampa.core.timeline.document import BusName, Envelope, Fade

FADES_FROM_DB = -60.0
"""Where a fade that is straight in dB begins."""

Steps = Mapping[int, Curve]
"""By track, how far it steps back: a gain in dB for each 20 ms. Tracks that are not there stay as they are."""


def render(plan: Plan, sources: Mapping[Rendition, Source], steps: Steps, *, start: int, stop: int) -> FloatArray:
    """Frames `start` to `stop` of the mix, shape (stop - start, 2), before loudness gain and limiter.

    Every sample depends only on its place, so any division into ranges gives identical bits.
    """
    master = _sum(plan, None, sources, steps, start, stop)
    for strip in plan.strips:
        if strip.gain:
            master += _through(strip, plan, sources, steps, start, stop)
    return master


def _through(
    strip: Strip, plan: Plan, sources: Mapping[Rendition, Source], steps: Steps, start: int, stop: int
) -> FloatArray:
    """What comes out of a bus, from what went in over its run-in."""
    if strip.plain:
        return _sum(plan, strip.name, sources, steps, start, stop) * np.float32(strip.gain)
    out = np.zeros((stop - start, 2), np.float32)
    for first, last in blocks(start, stop):
        if not plan.feeds(strip.name, first - strip.run_in, last + strip.look_ahead):
            continue
        sound = _sum(plan, strip.name, sources, steps, first - strip.run_in, last + strip.look_ahead)
        for processor in strip.processors:
            sound = processor.work(sound)
        a, b = max(first, start), min(last, stop)
        at = strip.run_in + a - first
        out[a - start : b - start] = sound[at : at + b - a] * np.float32(strip.gain)
    return out


def _sum(
    plan: Plan, bus: BusName | None, sources: Mapping[Rendition, Source], steps: Steps, start: int, stop: int
) -> FloatArray:
    """All that goes to a bus, or straight to the master, in the order of the tracks."""
    mix = np.zeros((stop - start, 2), np.float32)
    for lane in plan.lanes:
        for name, gain in lane.to:
            if name == bus:
                _add_lane(mix, lane, gain, sources, steps, start, stop)
        if bus and lane.sending:
            _add_sent(mix, lane, bus, sources, steps, start, stop)
    return mix


def _add_lane(
    mix: FloatArray, lane: Lane, way: float, sources: Mapping[Rendition, Source], steps: Steps, start: int, stop: int
) -> None:
    for span in lane.between(start, stop):
        _add_span(mix, span, way, sources, steps.get(lane.track), start, stop)


def _add_sent(
    mix: FloatArray, lane: Lane, bus: BusName, sources: Mapping[Rendition, Source], steps: Steps, start: int, stop: int
) -> None:
    for span in lane.between(start, stop):
        for name, gain in span.sends:
            if name == bus:
                _add_span(mix, span, gain, sources, steps.get(lane.track), start, stop)


def _add_span(
    mix: FloatArray, span: Span, way: float, sources: Mapping[Rendition, Source], step: Curve | None, start: int,
    stop: int,
) -> None:  # fmt: skip
    first, last = max(span.start, start), min(span.stop, stop)
    at = span.source + first - span.start
    sound = sources[span.sound].read(at, at + last - first) * np.float32(span.gain * way)
    _fade(sound, span, first, last)
    if span.envelope:
        sound *= _along(span.envelope, at, at + last - first)[:, None]
    if step is not None and step.size:
        places = np.arange(first, last) / CELL
        gain = 10 ** (np.interp(places, np.arange(step.size), step) / 20)
        sound *= gain.astype(np.float32)[:, None]
    mix[first - start : last - start] += sound


def _fade(sound: FloatArray, span: Span, first: int, last: int) -> None:
    """Apply the fades of a span to its frames `first` to `last`, in place."""
    reached = min(last, span.start + span.fade_in)
    if first < reached:
        share = (np.arange(first, reached) - span.start + 0.5) / span.fade_in
        sound[: reached - first] *= _shape(share, span.shape_in, even=span.even_in)[:, None]
    begun = max(first, span.stop - span.fade_out)
    if begun < last:
        share = (span.stop - np.arange(begun, last) - 0.5) / span.fade_out
        sound[begun - first :] *= _shape(share, span.shape_out, even=span.even_out)[:, None]


def _along(envelope: Envelope, start: int, stop: int) -> FloatArray:
    """The gain of an envelope for frames `start` to `stop` of its source: straight in dB between its points."""
    places, levels = zip(*envelope, strict=True)
    gain = 10 ** (np.interp(np.arange(start, stop), places, levels) / 20)
    return gain.astype(np.float32)


def _shape(share: Curve, shape: Fade, *, even: bool) -> FloatArray:
    """Gain over a fade from 0 to 1.

    even : it crosses over with something and keeps the power of both together; else a crossing adds up to 1 with its
    mirror image, which is also how a hand fades: slow at first.
    """
    if shape == "straight":
        return (10 ** (FADES_FROM_DB * (1 - share) / 20)).astype(np.float32)
    gain = np.sin(share * (np.pi / 2))
    return (gain if even or shape == "power" else gain * gain).astype(np.float32)


@dataclass(frozen=True, eq=False)
class Mix:
    """The mix as a source that can be measured, limited and written like any other."""

    plan: Plan
    sources: Mapping[Rendition, Source]
    steps: Steps
    rate: int = RATE
    channels: int = 2

    @property
    def frames(self) -> int:
        return self.plan.length

    def read(self, start: int, stop: int) -> FloatArray:
        return render(self.plan, self.sources, self.steps, start=start, stop=stop)


@dataclass(frozen=True, eq=False)
class MonoSum:
    """A source as one channel: the mean of its channels, as a listener with one loudspeaker hears it."""

    source: Source
    channels: int = 1

    @property
    def rate(self) -> int:
        return self.source.rate

    @property
    def frames(self) -> int:
        return self.source.frames

    def read(self, start: int, stop: int) -> FloatArray:
        return to_mono(self.source.read(start, stop))[:, None]
