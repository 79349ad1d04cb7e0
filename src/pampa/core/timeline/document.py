"""The episode document: tracks, clips, seams and markers as immutable values, and what must always hold.

All times are whole samples at the episode's rate. A place is inside `[start, end)`.
"""

from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Literal, TypeVar

from pampa.core.errors import EditRefused, NotFound
from pampa.core.mend.amounts import Amounts
from pampa.core.sound import RATE
from pampa.core.special.kinds import Special
from pampa.core.voice.recipe import Recipe

Kind = Literal["person", "spot", "music", "effects"]
LINKED: tuple[Kind, ...] = ("person", "spot")
Crossing = Literal["power", "amplitude"]
"""What a cross-fade keeps steady: the power of two unrelated sounds, or the amplitude of two that are alike."""
Envelope = tuple[tuple[int, float], ...]
"""Gains in dB at frames of the recording, in order of time; straight in dB between them, and held before and after."""
BusName = Literal["voices", "music", "effects", "room"]
RoomName = Literal["small", "hall", "long"]
Fade = Literal["natural", "power", "straight"]
"""The shape of a fade: slow at first as by hand, of even power, or straight in dB."""
BUS_OF: dict[Kind, BusName] = {"person": "voices", "spot": "voices", "music": "music", "effects": "effects"}
JOIN = round(0.012 * RATE)
"""Length of the cross-fade that a cut makes by itself: 12 ms, half on either side of the join."""


@dataclass(frozen=True)
class Clip:
    """A stretch of a recording on a track: frames `source` onwards of the recording, heard from `start`."""

    id: int
    recording: int
    source: int
    start: int
    length: int
    gain_db: float = 0.0
    fade_in: int = 0
    fade_out: int = 0
    muted: bool = False
    """Not heard; on a track of talk its room goes on in its place."""
    envelope: Envelope = ()
    """On the recording's own time, so that it stays with its words wherever the clip is cut, moved or slipped."""
    shape_in: Fade = "natural"
    shape_out: Fade = "natural"
    sends: tuple["Send", ...] = ()
    """To what this clip goes besides, over what its track does."""
    special: Special | None = None
    """The special voice that it is heard as; None for that of its track."""

    @property
    def end(self) -> int:
        return self.start + self.length

    @property
    def source_end(self) -> int:
        return self.source + self.length

    def moved(self, by: int) -> "Clip":
        """The same clip, later by `by` frames."""
        return _with(self, "start", by)

    def runs_on_into(self, other: "Clip") -> bool:
        """Whether `other` goes on exactly where this one stops, so that nothing is heard between them."""
        return (
            self.end == other.start
            and self.recording == other.recording
            and self.source_end == other.source
            and self.gain_db == other.gain_db
            and self.muted == other.muted
            and self.envelope == other.envelope
            and self.sends == other.sends
            and self.special == other.special
            and self.fade_out == other.fade_in == 0
        )


@dataclass(frozen=True)
class Send:
    """A copy of the sound of a track or clip that goes to another bus besides its own, by so many dB."""

    bus: BusName
    level_db: float


@dataclass(frozen=True)
class Track:
    """One line of sound: a person, a spot, music or effects. Clips are in order of time."""

    id: int
    name: str
    kind: Kind
    clips: tuple[Clip, ...] = ()
    gain_db: float = 0.0
    muted: bool = False
    treated: bool = True
    pinned: bool = False
    """Music and effects follow the talk when it closes up, unless they are pinned to their place."""
    recipe: Recipe = field(default_factory=Recipe)
    sends: tuple[Send, ...] = ()
    under: "Under | None" = None
    """How music and effects step back: a distance; None for the episode's depth, as it was set before."""
    special: Special | None = None

    @property
    def bus(self) -> BusName:
        """All talk comes together, all music, and all effects."""
        return BUS_OF[self.kind]

    @property
    def linked(self) -> bool:
        """Talk is always linked: what closes up one person closes up all."""
        return self.kind in LINKED


@dataclass(frozen=True)
class Held:
    """What a seam holds of one track. Clip starts count from the beginning of the missing range.

    divided : the clips that lay across an edge of the range, as they were before.
    """

    track: int
    clips: tuple[Clip, ...]
    divided: tuple[Clip, ...] = ()


@dataclass(frozen=True)
class Marker:
    """A named place. With a tint from 1 to 5 it begins a section, which lasts until the next marker.

    chapter : listeners get it as a chapter, once it has a name. link, picture : what the chapter points to, and the
    hash of its picture.
    """

    id: int
    at: int
    name: str = ""
    tint: int = 0
    chapter: bool = True
    link: str = ""
    picture: str = ""

    def moved(self, by: int) -> "Marker":
        """The same marker, later by `by` frames."""
        return _with(self, "at", by)


@dataclass(frozen=True)
class Seam:
    """The place where something was taken out, with all that is needed to put it back.

    closed : True where what follows was moved up; False where the room was left empty.
    shifts : what must not simply go back by `length`: (id of a clip or marker, frames it moved up).
    laid : clips that the same edit put where it had taken something out; they go when it is put back.

    Seams stand in the document in the order of what they hold: of several on one spot, each comes after what
    the one before it would put back.
    """

    id: int
    at: int
    length: int
    closed: bool
    pieces: tuple[Held, ...]
    seams: tuple["Seam", ...] = ()
    markers: tuple[Marker, ...] = ()
    shifts: tuple[tuple[int, int], ...] = ()
    crossfade: int = JOIN
    crossing: Crossing = "power"
    laid: tuple[int, ...] = ()

    def moved(self, by: int) -> "Seam":
        """The same seam, later by `by` frames."""
        return _with(self, "at", by)

    @property
    def ids(self) -> tuple[int, ...]:
        """Every number that can come back when it is put back. Worked out once: it stays true wherever it moves."""
        known = self.__dict__.get("_ids")
        if known is None:
            own = [self.id, *(marker.id for marker in self.markers)]
            own += [clip.id for piece in self.pieces for clip in piece.clips]
            known = (*own, *(number for seam in self.seams for number in seam.ids))
            self.__dict__["_ids"] = known
        return known


Value = TypeVar("Value", Clip, Marker, Seam)


def _with(value: Value, name: str, by: int) -> Value:
    """The same value with one number raised. An edit does this to thousands: it takes a quarter of `replace`'s time.

    What had been worked out about the value goes with it, since nothing of that hangs on its place.
    """
    made = object.__new__(type(value))
    facts = made.__dict__
    facts.update(value.__dict__)
    facts[name] += by
    return made


@dataclass(frozen=True)
class Under:
    """How far music lies under the talk.

    lu : the distance; 0 for music that stays as it is. hold_s : over shorter pauses it stays down.
    back_s : the time in which it comes back by 12 dB.
    """

    lu: float = 14.0
    hold_s: float = 0.5
    back_s: float = 1.2


@dataclass(frozen=True)
class Ducking:
    """How music and effects step back under talk by a depth, where their track has no distance of its own."""

    depth_db: float = 12.0
    attack_s: float = 0.4
    hold_s: float = 0.6
    release_s: float = 1.2


@dataclass(frozen=True)
class Bus:
    """What several tracks go through together on their way to the master.

    pressed : 0 to 100, how far a gentle compressor holds their sum. room : which room it is, of the bus of that name.
    """

    name: BusName
    gain_db: float = 0.0
    muted: bool = False
    pressed: float = 0.0
    room: RoomName = "hall"


@dataclass(frozen=True)
class RunningClock:
    """How a recording's clock runs against the episode: its clips count in frames after that drift is taken out."""

    recording: int
    drift_ppm: float


@dataclass(frozen=True)
class Mending:
    """How a recording is mended, on its own time, wherever it is heard."""

    recording: int
    amounts: Amounts


@dataclass(frozen=True)
class Left:
    """A find that a person decided to leave, or marked: frames `start` to `stop` of a recording, as clips count."""

    kind: str
    recording: int
    start: int
    stop: int


@dataclass(frozen=True)
class Document:
    """Everything about an episode that an edit can change."""

    tracks: tuple[Track, ...] = ()
    seams: tuple[Seam, ...] = ()
    markers: tuple[Marker, ...] = ()
    ducking: Ducking = field(default_factory=Ducking)
    clocks: tuple[RunningClock, ...] = ()
    """Of recordings that drift; all others run true."""
    mendings: tuple[Mending, ...] = ()
    """Of recordings that are mended; all others are as they were recorded."""
    left: tuple[Left, ...] = ()
    """Finds that stay: they are not proposed again."""
    added: tuple[Left, ...] = ()
    """Finds that a person marked by hand, to be decided about with the others."""
    buses: tuple[Bus, ...] = ()
    """Those that do something; all others only add up what comes in."""

    def bus(self, name: BusName) -> Bus:
        """A bus by its name."""
        return next((bus for bus in self.buses if bus.name == name), Bus(name))

    def amounts(self, recording: int) -> Amounts:
        """How a recording is mended."""
        return next((mending.amounts for mending in self.mendings if mending.recording == recording), Amounts())

    def drift_ppm(self, recording: int) -> float:
        """The drift of a recording's clock in 1e-6: reference = offset + local * (1 + drift)."""
        return next((clock.drift_ppm for clock in self.clocks if clock.recording == recording), 0.0)

    def with_drift(self, recording: int, drift_ppm: float) -> "Document":
        others = tuple(clock for clock in self.clocks if clock.recording != recording)
        return replace(self, clocks=(*others, RunningClock(recording, drift_ppm)) if drift_ppm else others)

    @property
    def length(self) -> int:
        """Frames from the beginning to the end of the last clip."""
        return max((track.clips[-1].end for track in self.tracks if track.clips), default=0)

    def track(self, track_id: int) -> Track:
        for track in self.tracks:
            if track.id == track_id:
                return track
        raise NotFound("That track is not in the episode any more. Nothing was changed.")

    def find_clip(self, clip_id: int) -> tuple[Track, Clip]:
        for track in self.tracks:
            for clip in track.clips:
                if clip.id == clip_id:
                    return track, clip
        raise NotFound("That clip is not in the episode any more. Nothing was changed.")

    def seam(self, seam_id: int) -> Seam:
        for seam in self.seams:
            if seam.id == seam_id:
                return seam
        raise NotFound("That seam has been put back already. Nothing was changed.")

    def linked_tracks(self) -> tuple[Track, ...]:
        return tuple(track for track in self.tracks if track.linked)

    def with_track(self, changed: Track) -> "Document":
        return replace(self, tracks=tuple(changed if t.id == changed.id else t for t in self.tracks))


def used_ids(document: Document) -> list[int]:
    """Every number in use, also inside seams: a new one must differ from all that can come back."""
    used = [clip.id for track in document.tracks for clip in track.clips]
    used += [track.id for track in document.tracks]
    used += [marker.id for marker in document.markers]
    for seam in document.seams:
        used += seam.ids
    return used


def next_id(document: Document) -> int:
    """A number not in use: derived, so that replaying an edit gives the same document."""
    return max(used_ids(document), default=0) + 1


def check(document: Document) -> Document:
    """Return the document if all that must hold does, or raise EditRefused with the reason."""
    ids = used_ids(document)
    if len(ids) != len(set(ids)):
        raise EditRefused("Two things in the episode have the same number. The edit was not made.")
    for track in document.tracks:
        before = 0
        for clip in track.clips:
            start = clip.start
            if start < before:
                raise EditRefused(
                    f"Two pieces would lie on top of each other on {track.name}. The edit was not made; "
                    "move the other piece first, or use another track."
                )
            if "_checked" not in clip.__dict__:
                _check_clip(clip)
            before = start + clip.length
    if any(seam.at < 0 or seam.length <= 0 for seam in document.seams):
        raise EditRefused("A seam would have no place. The edit was not made.")
    if any(marker.at < 0 for marker in document.markers):
        raise EditRefused("A marker would lie before the beginning. The edit was not made.")
    return document


def _check_clip(clip: Clip) -> None:
    """What must hold of a clip wherever it lies; checked once, since a clip never changes."""
    if clip.length <= 0 or clip.source < 0:
        raise EditRefused("A piece would be empty. The edit was not made.")
    if clip.fade_in < 0 or clip.fade_out < 0 or clip.fade_in + clip.fade_out > clip.length:
        raise EditRefused("The fades are longer than the piece they belong to. The edit was not made.")
    if any(a[0] >= b[0] for a, b in pairwise(clip.envelope)):
        raise EditRefused("The points of an envelope are not in order of time. The edit was not made.")
    clip.__dict__["_checked"] = True
