"""The episode document: tracks, clips, seams and markers as immutable values, and what must always hold.

All times are whole samples at the episode's rate. A place is inside `[start, end)`.
"""

from dataclasses import dataclass, field, replace
from typing import Literal

from pampa.core.errors import EditRefused, NotFound
from pampa.core.mend.amounts import Amounts
from pampa.core.sound import RATE
from pampa.core.voice.recipe import Recipe

Kind = Literal["person", "spot", "music", "effects"]
LINKED: tuple[Kind, ...] = ("person", "spot")
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

    @property
    def end(self) -> int:
        return self.start + self.length

    @property
    def source_end(self) -> int:
        return self.source + self.length

    def moved(self, by: int) -> "Clip":
        """The same clip, later by `by` frames. Written out: an edit moves thousands, and `replace` is slow."""
        return Clip(
            self.id, self.recording, self.source, self.start + by, self.length, self.gain_db, self.fade_in,
            self.fade_out,
        )  # fmt: skip

    def runs_on_into(self, other: "Clip") -> bool:
        """Whether `other` goes on exactly where this one stops, so that nothing is heard between them."""
        return (
            self.end == other.start
            and self.recording == other.recording
            and self.source_end == other.source
            and self.gain_db == other.gain_db
            and self.fade_out == other.fade_in == 0
        )


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

    @property
    def linked(self) -> bool:
        """Talk is always linked: what closes up one person closes up all."""
        return self.kind in LINKED


@dataclass(frozen=True)
class Piece:
    """What a seam holds of one track. Clip starts count from the beginning of the missing range.

    divided : the clips that lay across an edge of the range, as they were before.
    """

    track: int
    clips: tuple[Clip, ...]
    divided: tuple[Clip, ...] = ()


@dataclass(frozen=True)
class Marker:
    """A named place."""

    id: int
    at: int
    name: str = ""

    def moved(self, by: int) -> "Marker":
        """The same marker, later by `by` frames."""
        return Marker(self.id, self.at + by, self.name)


@dataclass(frozen=True)
class Seam:
    """The place where something was taken out, with all that is needed to put it back.

    closed : True where what follows was moved up; False where the room was left empty.
    shifts : what must not simply go back by `length`: (id of a clip or marker, frames it moved up).

    Seams stand in the document in the order of what they hold: of several on one spot, each comes after what
    the one before it would put back.
    """

    id: int
    at: int
    length: int
    closed: bool
    pieces: tuple[Piece, ...]
    seams: tuple["Seam", ...] = ()
    markers: tuple[Marker, ...] = ()
    shifts: tuple[tuple[int, int], ...] = ()
    crossfade: int = JOIN

    def moved(self, by: int) -> "Seam":
        """The same seam, later by `by` frames."""
        return Seam(
            self.id, self.at + by, self.length, self.closed, self.pieces, self.seams, self.markers, self.shifts,
            self.crossfade,
        )  # fmt: skip


@dataclass(frozen=True)
class Ducking:
    """How music and effects step back under talk."""

    depth_db: float = 12.0
    attack_s: float = 0.4
    hold_s: float = 0.6
    release_s: float = 1.2


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
    open_seams = list(document.seams)
    while open_seams:
        seam = open_seams.pop()
        used.append(seam.id)
        used += [marker.id for marker in seam.markers]
        used += [clip.id for piece in seam.pieces for clip in piece.clips]
        open_seams += seam.seams
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
            if clip.start < before:
                raise EditRefused(
                    f"Two pieces would lie on top of each other on {track.name}. The edit was not made; "
                    "move the other piece first, or use another track."
                )
            if clip.length <= 0 or clip.source < 0:
                raise EditRefused("A piece would be empty. The edit was not made.")
            if clip.fade_in < 0 or clip.fade_out < 0 or clip.fade_in + clip.fade_out > clip.length:
                raise EditRefused("The fades are longer than the piece they belong to. The edit was not made.")
            before = clip.end
    if any(seam.at < 0 or seam.length <= 0 for seam in document.seams):
        raise EditRefused("A seam would have no place. The edit was not made.")
    if any(marker.at < 0 for marker in document.markers):
        raise EditRefused("A marker would lie before the beginning. The edit was not made.")
    return document
