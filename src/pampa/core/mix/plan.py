"""What is to be heard, worked out once per document: spans of sound with their gains and fades."""

from bisect import bisect_right
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

from pampa.core.sound import db_to_gain
from pampa.core.timeline.document import JOIN, Clip, Document, Track

SourceKey = tuple[int, bool]
"""A recording's number, and whether its treated sound is meant."""


@dataclass(frozen=True)
class Span:
    """A stretch of one source on the timeline, `[start, stop)`, and how it begins and ends.

    fade_in, fade_out : frames. At a join, the fade is half of a cross-fade and has the equal-power shape.
    """

    key: SourceKey
    start: int
    stop: int
    source: int
    gain: float
    fade_in: int
    fade_out: int
    joins_before: bool
    joins_after: bool


@dataclass(frozen=True)
class Lane:
    """The spans of one track in order of time."""

    track: int
    ducked: bool
    spans: tuple[Span, ...]
    starts: tuple[int, ...]

    def between(self, start: int, stop: int) -> tuple[Span, ...]:
        """Spans that sound in `[start, stop)`. A cross-fade lets two neighbours overlap by a little."""
        first = max(bisect_right(self.starts, start) - 2, 0)
        last = bisect_right(self.starts, stop)
        return tuple(span for span in self.spans[first:last] if span.start < stop and span.stop > start)


@dataclass(frozen=True)
class Plan:
    """Everything the renderer needs to know of a document."""

    lanes: tuple[Lane, ...]
    length: int


def plan_of(
    document: Document, *, levels: Mapping[SourceKey, float], frames: Mapping[int, int],
    treated: bool = True, only: frozenset[int] = frozenset(),
) -> Plan:  # fmt: skip
    """Work out what is heard.

    Parameters
    ----------
    levels : gain in dB that brings a source to the common speech level; absent means 0.
    frames : length of each recording, so that cross-fades use only sound that exists.
    treated : False to hear all people as recorded.
    only : tracks to hear alone; empty means all that are not muted.
    """
    crossfades = {seam.at: seam.crossfade for seam in document.seams}
    lanes = []
    for track in document.tracks:
        if not track.clips or (track.id not in only if only else track.muted):
            continue
        spans = _spans(track, crossfades, levels, frames, treated=treated)
        lanes.append(Lane(track.id, not track.linked, spans, tuple(span.start for span in spans)))
    return Plan(tuple(lanes), document.length)


def _spans(
    track: Track, crossfades: Mapping[int, int], levels: Mapping[SourceKey, float], frames: Mapping[int, int],
    *, treated: bool,
) -> tuple[Span, ...]:  # fmt: skip
    uses_treated = treated and track.treated and track.linked
    clips = track.clips
    meets = [False, *(a.end == b.start for a, b in pairwise(clips)), False]
    runs_on = [False, *(a.runs_on_into(b) for a, b in pairwise(clips)), False]
    spans = []
    for index, clip in enumerate(clips):
        key = (clip.recording, uses_treated)
        gain = db_to_gain(track.gain_db + clip.gain_db + levels.get(key, 0.0))
        before, after = _reach(clip, crossfades, frames.get(clip.recording, clip.source_end))
        joins_before = meets[index] and not runs_on[index] and clip.fade_in == 0
        joins_after = meets[index + 1] and not runs_on[index + 1] and clip.fade_out == 0
        before, after = before if joins_before else 0, after if joins_after else 0
        edge = min(JOIN // 2, clip.length // 2)
        # Where sound stops without a fade of its own and nothing runs on, a short one keeps it from clicking.
        soft_in = edge if not runs_on[index] and not joins_before else 0
        soft_out = edge if not runs_on[index + 1] and not joins_after else 0
        spans.append(
            Span(
                key, clip.start - before, clip.end + after, clip.source - before, gain,
                fade_in=_join_length(clip, crossfades, clip.start, before) if joins_before else clip.fade_in or soft_in,
                fade_out=_join_length(clip, crossfades, clip.end, after) if joins_after else clip.fade_out or soft_out,
                joins_before=joins_before, joins_after=joins_after,
            )
        )  # fmt: skip
    return tuple(spans)


def _reach(clip: Clip, crossfades: Mapping[int, int], frames: int) -> tuple[int, int]:
    """How far a clip may sound beyond its two edges for a cross-fade: half of it, and no further than it lasts."""
    before = min(crossfades.get(clip.start, JOIN) // 2, clip.source)
    after = min(crossfades.get(clip.end, JOIN) // 2, max(frames - clip.source_end, 0))
    return before, after


def _join_length(clip: Clip, crossfades: Mapping[int, int], place: int, reach: int) -> int:
    return min(reach + crossfades.get(place, JOIN) // 2, max((clip.length + reach) // 2, 1))
