"""What edits on the mix and on music are told, as `parameters` does for all others."""

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Ge, Le, MaxLen, MinLen

from pampa.core.sound import RATE
from pampa.core.special.kinds import SpecialKind
from pampa.core.timeline.document import BusName, RoomName
from pampa.core.timeline.limits import MOST_POINTS, Length, Level, Number, Place, Words
from pampa.core.timeline.parameters import OnClip, OnTrack


@dataclass(frozen=True, kw_only=True)
class SetEnvelope(OnClip):
    """Gains over a piece: [frame of the recording, dB], in order of time. Without any it is even."""

    points: Annotated[list[list[float]], MaxLen(MOST_POINTS)]


@dataclass(frozen=True, kw_only=True)
class SetSend(OnTrack):
    """Send a copy of a track to another bus besides; without a level, no more."""

    bus: BusName
    level_db: Level | None = None


@dataclass(frozen=True, kw_only=True)
class SendClip(OnClip):
    """The same for one piece."""

    bus: BusName
    level_db: Level | None = None


@dataclass(frozen=True, kw_only=True)
class SpecialTrack(OnTrack):
    """A special voice for a whole track; with an amount of 0 there is none."""

    kind: SpecialKind
    amount: Annotated[float, Ge(0), Le(100)]


@dataclass(frozen=True, kw_only=True)
class SpecialStretch(SpecialTrack):
    """The same for a stretch of it."""

    start: Place
    stop: Place


@dataclass(frozen=True, kw_only=True)
class SetBus:
    """pressed : how far its sum is compressed. room : of the bus of that name."""

    bus: BusName
    gain_db: Level | None = None
    muted: bool | None = None
    pressed: Annotated[float, Ge(0), Le(100)] | None = None
    room: RoomName | None = None


@dataclass(frozen=True, kw_only=True)
class PartOfClip(OnClip):
    start: Place
    stop: Place


@dataclass(frozen=True, kw_only=True)
class OfMusic:
    """The stretch of a recording that may be played, and how far it lies under the talk."""

    name: Words
    recording: Number
    source: Place
    length: Length
    under_lu: Annotated[float, Ge(0), Le(40)] = 14.0


@dataclass(frozen=True, kw_only=True)
class OpenWith(OfMusic):
    """word : where the first word is. alone : before it. gone : after it, by when the music has faded away."""

    word: Place
    alone: Place
    gone: Place


@dataclass(frozen=True, kw_only=True)
class EndWith(OfMusic):
    """word : where the last word ends. before : that the music comes in. alone : after it, until its last note."""

    word: Place
    before: Place
    alone: Place


@dataclass(frozen=True, kw_only=True)
class StingAt(OfMusic):
    """rest : after so many frames the talk goes on; 0 opens no time."""

    at: Place
    rest: Place


@dataclass(frozen=True, kw_only=True)
class BedUnder(OfMusic):
    """lead : so much sooner and later than the stretch."""

    start: Place
    stop: Place
    lead: Place


@dataclass(frozen=True, kw_only=True)
class SetUnder(OnTrack):
    """How far a track of music or effects lies under the talk, and how it is held and comes back."""

    lu: Annotated[float, Ge(0), Le(40)] | None = None
    hold_s: Annotated[float, Ge(0), Le(10)] | None = None
    back_s: Annotated[float, Ge(0.1), Le(20)] | None = None


@dataclass(frozen=True, kw_only=True)
class Ride:
    """Lift or lower a stretch of tracks, with soft shoulders outside of it, in frames."""

    start: Place
    stop: Place
    db: Level
    tracks: Annotated[list[Number], MinLen(1), MaxLen(200)]
    shoulder: Annotated[int, Ge(0), Le(30 * RATE)] = RATE // 5


@dataclass(frozen=True, kw_only=True)
class SetDucking:
    depth_db: Annotated[float, Ge(0), Le(40)]
