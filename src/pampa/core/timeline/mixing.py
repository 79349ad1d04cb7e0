"""Edits on how tracks come together: envelopes of pieces, what is sent where, and the buses."""

from collections.abc import Sequence
from dataclasses import replace

from pampa.core.errors import EditRefused
from pampa.core.timeline.codec import envelope_of
from pampa.core.timeline.document import Bus, BusName, Document, Send, check


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


def set_bus(document: Document, *, bus: BusName, gain_db: float | None = None, muted: bool | None = None) -> Document:
    """Change what a bus does to all that goes through it. One that does nothing is not kept."""
    old = document.bus(bus)
    new = replace(
        old, gain_db=old.gain_db if gain_db is None else float(gain_db), muted=old.muted if muted is None else muted
    )
    others = tuple(other for other in document.buses if other.name != bus)
    return replace(document, buses=others if new == Bus(bus) else (*others, new))
