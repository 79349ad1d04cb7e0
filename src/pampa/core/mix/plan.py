"""What is to be heard, worked out once per document: spans of sound with their gains and fades."""

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from itertools import accumulate, pairwise

from pampa.core.mix.buses import Processor, Strip
from pampa.core.mix.patches import Patch, patches
from pampa.core.mix.pressing import Pressing
from pampa.core.mix.room import Reverb
from pampa.core.mix.tails import sounds_until
from pampa.core.rendition import Rendition
from pampa.core.room_tone import Tone
from pampa.core.sound import db_to_gain
from pampa.core.timeline.document import JOIN, Bus, BusName, Clip, Crossing, Document, Envelope, Fade, Send, Track

Heard = Mapping[tuple[int, int], Rendition]
"""By track and recording, which sound of it is heard there: one recording may lie on two tracks that treat it in two
ways."""


@dataclass(frozen=True)
class Span:
    """A stretch of one source on the timeline, `[start, stop)`, and how it begins and ends.

    fade_in, fade_out : frames. At a join, the fade is half of a cross-fade and has the shape that the join asks for.
    """

    recording: int
    sound: Rendition
    start: int
    stop: int
    source: int
    gain: float
    fade_in: int
    fade_out: int
    even_in: bool
    even_out: bool
    """Whether the fade at that edge crosses over with something and keeps the power of both together even."""
    envelope: Envelope = ()
    """Gains at frames of the source."""
    shape_in: Fade = "natural"
    shape_out: Fade = "natural"
    """Of fades that do not cross over with anything."""
    sends: tuple[tuple[BusName, float], ...] = ()
    """To what it goes besides its lane's ways, by how much."""


@dataclass(frozen=True)
class Lane:
    """The spans of one track in order of time: of the places where they begin to sound.

    to : where its sound goes, by how much: to a bus, or (None) straight to the master.
    """

    track: int
    linked: bool
    """Of talk; all else steps back under it."""
    home: BusName
    """Its own bus, also where that is at rest."""
    to: tuple[tuple[BusName | None, float], ...]
    spans: tuple[Span, ...]
    starts: tuple[int, ...]
    ends: tuple[int, ...]
    """For each span, where it and all before it have ended."""

    @property
    def sending(self) -> bool:
        """Whether any of its clips goes somewhere besides."""
        return any(span.sends for span in self.spans)

    def towards(self, bus: BusName, name: BusName | None) -> "Lane":
        """The lane with only its ways to a bus, which is called `name` here."""
        to = tuple((name, gain) for way, gain in self.to if way == bus or (way is None and self.home == bus))
        spans = tuple(
            replace(span, sends=tuple((name or bus, gain) for way, gain in span.sends if way == bus))
            if span.sends else span for span in self.spans
        )  # fmt: skip
        return replace(self, to=to, spans=spans)

    def between(self, start: int, stop: int) -> tuple[Span, ...]:
        """Spans that sound in `[start, stop)`. A cross-fade may be longer than the clips it lies on, so that more than
        two overlap."""
        first, last = bisect_right(self.ends, start), bisect_left(self.starts, stop)
        return tuple(span for span in self.spans[first:last] if span.stop > start)


def _lane(track: Track, spans: Iterable[Span], buses: Mapping[BusName, Strip]) -> Lane:
    spans = tuple(sorted(spans, key=lambda span: span.start))
    ends = tuple(accumulate((span.stop for span in spans), max))
    ways = ((track.bus, 1.0), *_gains(track, track.sends, buses))
    # A bus at rest only adds up: what goes there goes to the master as it is, in the order of the tracks.
    to = tuple((name if name in buses else None, gain) for name, gain in ways)
    return Lane(track.id, track.linked, track.bus, to, spans, tuple(span.start for span in spans), ends)


def _gains(track: Track, sends: Iterable[Send], buses: Mapping[BusName, Strip]) -> tuple[tuple[BusName, float], ...]:
    """What is sent somewhere besides goes there after the track's own bus: silent where that is muted."""
    own = buses[track.bus].gain if track.bus in buses else 1.0
    return tuple((send.bus, own * db_to_gain(send.level_db)) for send in sends)


def _strips(document: Document) -> dict[BusName, Strip]:
    """The buses that do something: those that are set, and those that anything is sent to besides its own."""
    buses = {bus.name: bus for bus in document.buses}
    sends = [send for track in document.tracks for send in track.sends]
    sends += [send for track in document.tracks for clip in track.clips for send in clip.sends]
    for send in sends:
        buses.setdefault(send.bus, Bus(send.bus))
    return {
        name: Strip(name, 0.0 if bus.muted else db_to_gain(bus.gain_db), _processors(bus))
        for name, bus in buses.items()
    }


def _processors(bus: Bus) -> tuple[Processor, ...]:
    made: list[Processor] = [Pressing(bus.pressed)] if bus.pressed else []
    return (*made, Reverb(bus.room)) if bus.name == "room" else tuple(made)


@dataclass(frozen=True)
class Plan:
    """Everything the renderer needs to know of a document."""

    lanes: tuple[Lane, ...]
    length: int
    strips: tuple[Strip, ...] = ()

    def feeds(self, bus: BusName, start: int, stop: int) -> bool:
        """Whether anything goes to a bus in `[start, stop)`."""
        for lane in self.lanes:
            whole = any(name == bus for name, _ in lane.to)
            if (whole or lane.sending) and any(
                whole or any(name == bus for name, _ in span.sends) for span in lane.between(start, stop)
            ):
                return True
        return False

    @property
    def sounds(self) -> set[Rendition]:
        """All that is heard in it."""
        return {span.sound for lane in self.lanes for span in lane.spans}

    def only(self, bus: BusName) -> "Plan":
        """What of it comes out of one bus alone."""
        rest = tuple(strip for strip in self.strips if strip.name == bus)
        name = bus if rest else None
        lanes = (lane.towards(bus, name) for lane in self.lanes)
        return Plan(tuple(lane for lane in lanes if lane.to or lane.sending), self.length, rest)

    @property
    def tail(self) -> int:
        """Frames for which anything in the graph still sounds after what set it off."""
        return max((strip.run_in for strip in self.strips), default=0)

    @property
    def look_ahead(self) -> int:
        return max((strip.look_ahead for strip in self.strips), default=0)


def plan_of(
    document: Document, heard: Heard, *, levels: Mapping[Rendition, float], frames: Mapping[int, int],
    tones: Mapping[int, Tone] | None = None, only: frozenset[int] = frozenset(),
) -> Plan:  # fmt: skip
    """Work out what is heard.

    Parameters
    ----------
    heard : which sound is meant by each recording on each track.
    levels : gain in dB that brings a source to the common speech level; absent means 0.
    frames : length of each recording, so that cross-fades use only sound that exists.
    tones : of recordings, where only their room is heard: what is cleared on a track of talk is filled with it.
    only : tracks to hear alone; empty means all that are not muted.
    """
    buses = _strips(document)
    joins = {seam.at: Join(seam.crossfade, seam.crossing) for seam in document.seams}
    lanes = []
    for track in document.tracks:
        if not track.clips or (track.id not in only if only else track.muted):
            continue
        spans = _spans(track, joins, heard, levels, frames, buses)
        if track.linked and tones:
            filled = (
                _of_tone(patch, track, heard, levels)
                for patch in patches(track, document.seams, tones)
                if (track.id, patch.clip.recording) in heard
            )
            spans = (*spans, *filled)
        lanes.append(_lane(track, spans, buses))
    return Plan(tuple(lanes), sounds_until(document), tuple(buses.values()))


@dataclass(frozen=True)
class Join:
    """How two clips that meet cross over."""

    crossfade: int = JOIN
    crossing: Crossing = "power"


PLAIN = Join()


def _spans(
    track: Track, joins: Mapping[int, Join], heard: Heard, levels: Mapping[Rendition, float], frames: Mapping[int, int],
    buses: Mapping[BusName, Strip],
) -> tuple[Span, ...]:  # fmt: skip
    clips = tuple(clip for clip in track.clips if not clip.muted)
    meets = [False, *(a.end == b.start for a, b in pairwise(clips)), False]
    runs_on = [False, *(a.runs_on_into(b) for a, b in pairwise(clips)), False]
    spans = []
    for index, clip in enumerate(clips):
        sound = heard[track.id, clip.recording]
        gain = db_to_gain(track.gain_db + clip.gain_db + levels.get(sound, 0.0))
        if special := clip.special or track.special:
            sound = replace(sound, special=special)
        before, after = _reach(clip, joins, frames.get(clip.recording, clip.source_end))
        joins_before = meets[index] and not runs_on[index] and clip.fade_in == 0
        joins_after = meets[index + 1] and not runs_on[index + 1] and clip.fade_out == 0
        before, after = before if joins_before else 0, after if joins_after else 0
        edge = min(JOIN // 2, clip.length // 2)
        # Where sound stops without a fade of its own and nothing runs on, a short one keeps it from clicking.
        soft_in = edge if not runs_on[index] and not joins_before else 0
        soft_out = edge if not runs_on[index + 1] and not joins_after else 0
        spans.append(
            Span(
                clip.recording, sound, clip.start - before, clip.end + after, clip.source - before, gain,
                fade_in=_join_length(clip, joins, clip.start, before) if joins_before else clip.fade_in or soft_in,
                fade_out=_join_length(clip, joins, clip.end, after) if joins_after else clip.fade_out or soft_out,
                even_in=joins_before and joins.get(clip.start, PLAIN).crossing == "power",
                even_out=joins_after and joins.get(clip.end, PLAIN).crossing == "power", envelope=clip.envelope,
                shape_in=clip.shape_in if clip.fade_in else "natural",
                shape_out=clip.shape_out if clip.fade_out else "natural", sends=_gains(track, clip.sends, buses),
            )
        )  # fmt: skip
    return tuple(spans)


def _of_tone(patch: Patch, track: Track, heard: Heard, levels: Mapping[Rendition, float]) -> Span:
    sound = heard[track.id, patch.clip.recording]
    gain = db_to_gain(track.gain_db + patch.clip.gain_db + patch.gain_db + levels.get(sound, 0.0))
    return Span(
        patch.clip.recording, sound, patch.start, patch.stop, patch.source, gain, patch.fade_in, patch.fade_out,
        even_in=True, even_out=True,
    )  # fmt: skip


def _reach(clip: Clip, joins: Mapping[int, Join], frames: int) -> tuple[int, int]:
    """How far a clip may sound beyond its two edges for a cross-fade: half of it, and no further than it lasts."""
    before = min(joins.get(clip.start, PLAIN).crossfade // 2, clip.source)
    after = min(joins.get(clip.end, PLAIN).crossfade // 2, max(frames - clip.source_end, 0))
    return before, after


def _join_length(clip: Clip, joins: Mapping[int, Join], place: int, reach: int) -> int:
    return min(reach + joins.get(place, PLAIN).crossfade // 2, max((clip.length + reach) // 2, 1))
