"""Edits on how tracks come together: envelopes of pieces, what is sent where, and the buses."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import count, pairwise

from pampa.core.errors import EditRefused
from pampa.core.sound import RATE
from pampa.core.special.kinds import Special, SpecialKind
from pampa.core.timeline.codec import envelope_of
from pampa.core.timeline.document import Bus, BusName, Clip, Document, RoomName, Send, Under, check, next_id
from pampa.core.timeline.ranges import join_at, split_at


def set_envelope(document: Document, *, clip: int, points: Sequence[Sequence[float]]) -> Document:
    """Give a clip gains over time; without points it is even again. See `Envelope`."""
    track, old = document.find_clip(clip)
    new = replace(old, envelope=envelope_of(points))
    return check(document.with_track(replace(track, clips=tuple(new if c.id == clip else c for c in track.clips))))


def set_send(document: Document, *, track: int, bus: BusName, level_db: float | None = None) -> Document:
    """Send a copy of a track to another bus; None sends it there no more."""
    home = document.track(track)
    if bus == home.bus:
        raise EditRefused(f"{home.name} goes there already: it is its own bus. Nothing was changed.")
    others = tuple(send for send in home.sends if send.bus != bus)
    sends = others if level_db is None else (*others, Send(bus, float(level_db)))
    return document.with_track(replace(home, sends=sends))


def send_clip(document: Document, *, clip: int, bus: BusName, level_db: float | None = None) -> Document:
    """Send a copy of one piece to another bus; None sends it there no more."""
    track, old = document.find_clip(clip)
    if bus == track.bus:
        raise EditRefused(f"{track.name} goes there already: it is its own bus. Nothing was changed.")
    others = tuple(send for send in old.sends if send.bus != bus)
    new = replace(old, sends=others if level_db is None else (*others, Send(bus, float(level_db))))
    return document.with_track(replace(track, clips=tuple(new if c.id == clip else c for c in track.clips)))


def special_track(document: Document, *, track: int, kind: SpecialKind, amount: float) -> Document:
    """Hear a whole track as a special voice; amount 0 as it was."""
    home = document.track(track)
    return document.with_track(replace(home, special=Special(kind, float(amount)) if amount else None))


def special_stretch(
    document: Document, *, track: int, start: int, stop: int, kind: SpecialKind, amount: float
) -> Document:
    """Hear what lies in a stretch of a track as a special voice; amount 0 as it was."""
    ids = count(next_id(document))
    home = document.track(track)
    special = Special(kind, float(amount)) if amount else None
    clips = [
        replace(clip, special=special) if start <= clip.start < stop else clip
        for clip in split_at(split_at(home.clips, start, ids), stop, ids)
    ]
    for edge in (start, stop):
        clips = join_at(clips, edge)
    if tuple(clips) == home.clips:
        raise EditRefused(f"There is no sound of {home.name} in this stretch to change. Nothing was changed.")
    return check(document.with_track(replace(home, clips=tuple(clips))))


def set_under(
    document: Document, *, track: int, lu: float | None = None, hold_s: float | None = None, back_s: float | None = None
) -> Document:
    """Change how far a track of music or effects lies under the talk."""
    home = document.track(track)
    if home.linked:
        raise EditRefused(f"{home.name} is talk, under which music steps back. Nothing was changed.")
    old = home.under or Under()
    new = Under(*(was if told is None else float(told) for was, told in
                  ((old.lu, lu), (old.hold_s, hold_s), (old.back_s, back_s))))  # fmt: skip
    return document.with_track(replace(home, under=new))


def ride(
    document: Document, *, start: int, stop: int, db: float, tracks: Sequence[int], shoulder: int = RATE // 5
) -> Document:
    """Lift or lower all that lies in a stretch of tracks by `db`, over what their envelopes do already."""
    start, stop = min(start, stop), max(start, stop)
    changed = document
    for number in tracks:
        track = changed.track(number)
        clips = tuple(
            _ridden(clip, start, stop, db, shoulder)
            if clip.start < stop + shoulder and clip.end > start - shoulder else clip for clip in track.clips
        )  # fmt: skip
        changed = changed.with_track(replace(track, clips=clips))
    if changed == document:
        raise EditRefused("There is no sound in this stretch of the tracks that were chosen. Nothing was changed.")
    return check(changed)


def _ridden(clip: Clip, start: int, stop: int, db: float, shoulder: int) -> Clip:
    """The clip with a step in its envelope. Whole, so that what runs on into the next clip still does."""
    own = clip.source - clip.start
    step = ((start - shoulder + own, 0.0), (start + own, db), (stop + own, db), (stop + shoulder + own, 0.0))
    places = sorted({max(at, 0) for at, _ in (*step, *clip.envelope)})
    summed = [(at, _level_at(clip.envelope, at) + _level_at(step, at)) for at in places]
    kept = [
        point for n, point in enumerate(summed)
        if not 0 < n < len(summed) - 1 or abs(_level_at((summed[n - 1], summed[n + 1]), point[0]) - point[1]) > 1e-6
    ]  # fmt: skip
    even = all(abs(level) < 1e-6 for _, level in kept)
    return replace(clip, envelope=() if even else envelope_of([(at, round(level, 3)) for at, level in kept]))


def _level_at(points: Sequence[tuple[int, float]], at: int) -> float:
    """The level of an envelope at a frame: straight between its points, held before and after."""
    if not points:
        return 0.0
    if at <= points[0][0]:
        return points[0][1]
    for (a, low), (b, high) in pairwise(points):
        if a <= at < b:
            return low + (high - low) * (at - a) / (b - a)
    return points[-1][1]


def set_bus(
    document: Document, *, bus: BusName, gain_db: float | None = None, muted: bool | None = None,
    pressed: float | None = None, room: RoomName | None = None,
) -> Document:  # fmt: skip
    """Change what a bus does to all that goes through it. One that does nothing is not kept."""
    old = document.bus(bus)
    new = replace(
        old, gain_db=old.gain_db if gain_db is None else float(gain_db), muted=old.muted if muted is None else muted,
        pressed=old.pressed if pressed is None else float(pressed), room=room or old.room,
    )  # fmt: skip
    others = tuple(other for other in document.buses if other.name != bus)
    return replace(document, buses=others if new == Bus(bus) else (*others, new))
