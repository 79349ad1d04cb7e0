"""What each edit is told: one small class for each, with its limits. The catalogue is in `edits.py`."""

from dataclasses import dataclass
from typing import Annotated, Any, Literal

from annotated_types import Ge, Gt, Le, MaxLen, MinLen

from pampa.core.mend.amounts import Amounts
from pampa.core.sound import RATE
from pampa.core.special.kinds import Special
from pampa.core.timeline.document import BusName, Crossing, Fade, Kind
from pampa.core.timeline.limits import MOST_CLIPS, MOST_POINTS, Length, Level, Number, Place, Shift, Words
from pampa.core.voice.recipe import Recipe


@dataclass(frozen=True, kw_only=True)
class TakeOut:
    """Take a range out and close up on all linked tracks.

    whole : take it out of music and effects too, also of those that are pinned.
    """

    start: Place
    stop: Place
    whole: bool = False


@dataclass(frozen=True, kw_only=True)
class Clear:
    """Take a range out and leave room tone: on all talk, or on the tracks named."""

    start: Place
    stop: Place
    tracks: list[Number] | None = None


@dataclass(frozen=True, kw_only=True)
class OnSeam:
    seam: Number


@dataclass(frozen=True, kw_only=True)
class DragSeam(OnSeam):
    """Put back frames from the beginning and the end of what is missing; less than 0 takes more out."""

    first: Shift = 0
    last: Shift = 0


@dataclass(frozen=True, kw_only=True)
class SetSeam(OnSeam):
    """How a join crosses over: for how many frames, and what it keeps steady meanwhile."""

    crossfade: Annotated[int, Ge(0), Le(2 * RATE)] | None = None
    crossing: Crossing | None = None


@dataclass(frozen=True, kw_only=True)
class Stretch:
    """A stretch of a recording, from its frame `source` on."""

    recording: Number
    length: Length
    source: Place = 0
    fade_in: Place = 0
    fade_out: Place = 0


@dataclass(frozen=True, kw_only=True)
class PlacedStretch(Stretch):
    """The same, and where it begins to be heard."""

    start: Place
    gain_db: Level = 0.0


@dataclass(frozen=True, kw_only=True)
class Sent:
    """To which bus a clip goes besides, and how loud."""

    bus: BusName
    level_db: Level


@dataclass(frozen=True, kw_only=True)
class PutInClip(PlacedStretch):
    """`start` counts from the place where it is put in."""

    muted: bool = False
    envelope: Annotated[list[list[float]], MaxLen(MOST_POINTS)] = ()  # type: ignore[assignment]
    shape_in: Fade = "natural"
    shape_out: Fade = "natural"
    sends: Annotated[list[Sent], MaxLen(4)] = ()  # type: ignore[assignment]
    special: Special | None = None


@dataclass(frozen=True, kw_only=True)
class PutInPiece:
    track: Number
    clips: Annotated[list[PutInClip], MaxLen(MOST_CLIPS)]


@dataclass(frozen=True, kw_only=True)
class Insert:
    """Open time for everybody and put pieces of talk in; without any it stays silent."""

    name: Words
    at: Place
    length: Annotated[int, Gt(0), Le(24 * 3600 * RATE)]
    pieces: Annotated[list[PutInPiece], MaxLen(200)] = ()  # type: ignore[assignment]


@dataclass(frozen=True, kw_only=True)
class Carry:
    """Take everything of a stretch to another place."""

    start: Place
    stop: Place
    to: Place


@dataclass(frozen=True, kw_only=True)
class DropSpot(Stretch):
    """Put a spot in: time opens for it, and closes when it is lifted again."""

    name: Words
    at: Place


@dataclass(frozen=True, kw_only=True)
class OnClip:
    clip: Number


@dataclass(frozen=True, kw_only=True)
class Slide:
    """Move what one person says in a range; with `follow`, everything after it moves as well, for everybody."""

    track: Number
    start: Place
    stop: Place
    by: Shift
    follow: bool = False


@dataclass(frozen=True, kw_only=True)
class Restore:
    """Make the episode what it was: a version, or a cut that came in."""

    name: Annotated[str, MaxLen(200)]
    content: dict[str, Any]


@dataclass(frozen=True, kw_only=True)
class AtPlace:
    at: Place


@dataclass(frozen=True, kw_only=True)
class Split(AtPlace):
    """Divide what lies across a place: on all talk, or on the tracks named."""

    tracks: list[Number] | None = None


@dataclass(frozen=True, kw_only=True)
class Slip(OnClip):
    """Slide the sound under a clip."""

    by: Shift


@dataclass(frozen=True, kw_only=True)
class Move(OnClip):
    """Move a clip. following : all that comes after it on its track moves as far."""

    start: Place
    track: Number | None = None
    following: bool = False


@dataclass(frozen=True, kw_only=True)
class Trim(OnClip):
    """Move the start or the end of a clip."""

    edge: Literal["start", "end"]
    at: Place
    following: bool = False


@dataclass(frozen=True, kw_only=True)
class SetClip(OnClip):
    shape_in: Fade | None = None
    shape_out: Fade | None = None
    gain_db: Level | None = None
    fade_in: Place | None = None
    fade_out: Place | None = None
    muted: bool | None = None


@dataclass(frozen=True, kw_only=True)
class AddClip(PlacedStretch):
    """A stretch of a recording, laid on a track."""

    track: Number


@dataclass(frozen=True, kw_only=True)
class BringIn:
    """A recording that came in, on a track of its own or after what lies on another."""

    name: Annotated[str, MaxLen(200)]
    kind: Kind
    recording: Number
    length: Place
    start: Place = 0
    track: Number | None = None
    drift_ppm: Annotated[float, Ge(-1e5), Le(1e5)] = 0.0
    at: Number | None = None


@dataclass(frozen=True, kw_only=True)
class AddTrack:
    name: Words
    kind: Kind
    at: Number | None = None


@dataclass(frozen=True, kw_only=True)
class OnTrack:
    track: Number


@dataclass(frozen=True, kw_only=True)
class SetTrack(OnTrack):
    name: Words | None = None
    kind: Kind | None = None
    gain_db: Level | None = None
    muted: bool | None = None
    treated: bool | None = None
    pinned: bool | None = None


@dataclass(frozen=True, kw_only=True)
class SetRecipe(OnTrack):
    """How a person's voice is treated from now on."""

    recipe: Recipe


@dataclass(frozen=True, kw_only=True)
class Nudge(OnTrack):
    """Slide one person's sound by `by` frames against the others; cuts stay."""

    by: Annotated[int, Ge(-(1 << 32)), Le(1 << 32)]


@dataclass(frozen=True, kw_only=True)
class LineUp:
    """Tracks put in step, as measured: what `lining.moves` tells. name : who, for the history."""

    tracks: list[dict[str, Any]]
    room: Place = 0
    name: Annotated[str, MaxLen(10_000)] = ""


@dataclass(frozen=True, kw_only=True)
class LaidPiece(PlacedStretch):
    """A stretch of a recording and where it begins in the episode. name, kind : of a track that is made for it."""

    name: Annotated[str, MaxLen(200)] | None = None
    kind: Kind | None = None


@dataclass(frozen=True, kw_only=True)
class Lay:
    """Put pieces at their places: on `track` where there is room, else on a new track; all at once.

    instead_of : a clip that goes in the same moment.
    """

    name: Words
    kind: Kind
    pieces: Annotated[list[LaidPiece], MinLen(1), MaxLen(200)]
    track: Number | None = None
    instead_of: Number | None = None


@dataclass(frozen=True, kw_only=True)
class InSequence:
    """Parts of one recording after one another: (recording, length in frames)."""

    recordings: list[list[Number]]


@dataclass(frozen=True, kw_only=True)
class TakeSeat(OnTrack):
    onto: Number


@dataclass(frozen=True, kw_only=True)
class Begin:
    """The tracks of a pattern, as `patterns` tells them."""

    name: Annotated[str, MaxLen(200)]
    tracks: list[dict[str, Any]]
    ducking_db: Annotated[float, Ge(0), Le(40)]


@dataclass(frozen=True, kw_only=True)
class Mend:
    """Mend recordings with these amounts from now on, all of them alike.

    sibilance : of edits from when Mend softened a sharp s; today a recipe says it.
    """

    name: Words
    recordings: Annotated[list[Number], MinLen(1), MaxLen(200)]
    amounts: Amounts
    sibilance: Annotated[float, Ge(0), Le(100)] | None = None


@dataclass(frozen=True, kw_only=True)
class ApplyRecipe:
    """Treat voices by a recipe: (track, recipe of its voice), (recording, amounts of Mend) and (track, gain in dB)."""

    name: Words
    voices: list[list[Any]]
    mendings: list[list[Any]]
    gains: list[list[float]] | None = None


@dataclass(frozen=True, kw_only=True)
class Cut:
    """A range to take out: of all talk, closing up, or of the tracks named, leaving room tone."""

    start: Place
    stop: Place
    tracks: list[Number] | None = None


@dataclass(frozen=True, kw_only=True)
class Prune:
    """Take several ranges out at once."""

    name: Words
    cuts: Annotated[list[Cut], MinLen(1), MaxLen(MOST_CLIPS)]


@dataclass(frozen=True, kw_only=True)
class DecidedFind:
    kind: Annotated[str, MaxLen(20)]
    recording: Number
    start: Place
    stop: Place


@dataclass(frozen=True, kw_only=True)
class AboutFinds:
    """A decision about finds. name : of what they are, for the history."""

    name: Words
    finds: Annotated[list[DecidedFind], MinLen(1), MaxLen(MOST_CLIPS)]


@dataclass(frozen=True, kw_only=True)
class AddMarker(AtPlace):
    name: Annotated[str, MaxLen(200)] = ""


@dataclass(frozen=True, kw_only=True)
class AddMarkers:
    """Markers of a file: (place, name)."""

    name: Annotated[str, MaxLen(200)]
    markers: list[list[Any]]


@dataclass(frozen=True, kw_only=True)
class OnMarker:
    marker: Number


@dataclass(frozen=True, kw_only=True)
class SetMarker(OnMarker):
    """tint : of the section it begins; 0 for none."""

    name: Annotated[str, MaxLen(200)] | None = None
    at: Place | None = None
    tint: Annotated[int, Ge(0), Le(5)] | None = None
    chapter: bool | None = None
    link: Annotated[str, MaxLen(500)] | None = None
    picture: Annotated[str, MaxLen(64)] | None = None
